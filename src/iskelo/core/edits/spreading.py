"""What a program mixes or sounds, each to an output of its own, on ascending channels."""

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.adding import count_of
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, made, new_ids, pruned, with_gear
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.index import index
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Rig


@apply_one.register
def _(edit: a.SpreadVoices, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    given_to = [item.output for items in (program.voices, program.tracks, program.buses) for item in items]
    given_to += [send.to for send in program.sends] + [insert.send for _, insert in program.hung()]
    widths = {item.id: len(item.legs) for item in program.outputs}
    wanted = [voice for voice in program.voices if not edit.voices or voice.id in edit.voices]
    # What is a voice's own already stays, and what was joined to it, unless it is to have other channels.
    voices = [
        voice
        for voice in wanted
        if edit.first_channel is not None
        or given_to.count(voice.output) > 1
        or widths.get(voice.output or "") != voice.width
    ]
    if not voices:
        raise Refused(program.name, "it has no voice without an output of its own")
    left = [voice.output for voice in voices]
    common = {output for output in left if given_to.count(output) == left.count(output)}
    kept = tuple(item for item in program.outputs if item.id not in common)
    channel = edit.first_channel or 1 + max((leg for item in kept for leg in item.legs if leg is not None), default=0)
    rig, ids = new_ids(rig, "o", len(voices))
    made_ones, names = [], [item.name for item in kept]
    for identity, voice in zip(ids, voices, strict=True):
        hosted = program.hosted is not None
        legs = [None] * voice.width if hosted else [channel + leg for leg in range(voice.width)]
        channel += voice.width
        names.append(free_name(voice.name, names) if voice.name in names else voice.name)
        made_ones.append(made(ProgramPort, f"{program.name}, {names[-1]}", id=identity, name=names[-1], legs=legs))
    given = dict(zip((voice.id for voice in voices), ids, strict=True))
    program = changed(
        program,
        program.name,
        outputs=(*kept, *made_ones),
        voices=tuple(each.model_copy(update={"output": given.get(each.id, each.output)}) for each in program.voices),
    )
    rig, lost = pruned(with_gear(rig, program), rig)
    count = count_of(tuple(voice.name for voice in voices), "voice", "voices")
    said = f"{program.name}: gave {count} outputs of their own"
    return Applied(rig, "; ".join([said, *lost]))


@apply_one.register
def _(edit: a.SpreadTracks, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    tracks = [each for each in program.tracks if not each.far_end and (not edit.tracks or each.id in edit.tracks)]
    if not tracks:
        raise Refused(program.name, "it has no track that could be sent out")
    channel = edit.first_channel or 1 + _last(program)
    wanted = range(channel, channel + sum(track.width for track in tracks))
    streams = index(rig).opened.get(program.id)
    room = streams.device.playback if streams is not None else 0
    if room < wanted[-1]:
        where = f"has {room} channels out" if streams is not None else "is not there"
        raise Refused(program.name, f"its device {where}, and {len(wanted)} from channel {channel} on are needed")
    rig, ids = new_ids(rig, "o", len(tracks))
    names = [item.name for item in program.outputs]
    for identity, track in zip(ids, tracks, strict=True):
        names.append(free_name(track.name, names) if track.name in names else track.name)
        output = a.AddProgramPorts(
            program=program.id,
            side="output",
            names=(names[-1],),
            width=track.width,
            first_channel=channel,
            ids=(identity,),
        )
        send = a.AddSends(program=program.id, items=(track.id,), to=identity, tap=edit.tap)
        rig = apply_one(send, apply_one(output, rig).rig).rig
        channel += track.width
    enabled = gear_of(rig, program.id, Program).enabled_out
    shut = tuple(each for each in wanted if each not in enabled)
    if shut:
        rig = apply_one(e.EnableChannels(program=program.id, side="output", channels=shut), rig).rig
    count = count_of(tuple(track.name for track in tracks), "track", "tracks")
    return Applied(rig, f"{program.name}: sent {count} to outputs of their own, {edit.tap}")


def _last(program: Program) -> int:
    """The last channel that an output is on."""
    return max((leg for item in program.outputs for leg in item.legs if leg is not None), default=0)
