"""The edits that add things to a rig."""

from collections.abc import Sequence
from typing import Any

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, made, new_ids, with_gear
from iskelo.core.edits.renewing import renewed
from iskelo.core.edits.single_edit import apply_one, at_one_stroke
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.index import index
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Bus, FarEnd, Program, ProgramPort, Send, Track, Voice
from iskelo.core.rig.rig import FIELDS_OF, Line, Rig
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.rig.text import NAME_MAX_CHARACTERS
from iskelo.core.rig.value import Value

DEFAULT_LEVEL_DBU = {"microphone": -38.0, "instrument": -20.0, "line player": 4.0}
"""Nominal levels a new source comes up with; common practice, no published source (line: +4 dBu)."""


def count_of(names: tuple[str, ...], one: str, many: str) -> str:
    if len(names) == 1:
        return f"{one} {names[0]}"
    return f"{len(names)} {many}: {names[0]} … {names[-1]}"


@apply_one.register
def _(edit: a.AddSources, rig: Rig) -> Applied:
    rig, ids = new_ids(rig, "s", len(edit.names), edit.ids)
    level = DEFAULT_LEVEL_DBU[edit.source_kind] if edit.level_dbu is None else edit.level_dbu
    names: list[str] = []
    taken = {gear.name.casefold() for gear in rig.gear}
    sources = []
    for identity, wanted in zip(ids, edit.names, strict=True):
        name = wanted if wanted.casefold() not in taken else free_name(wanted, taken)
        names.append(name)
        taken.add(name.casefold())
        source = made(
            Source,
            name,
            id=identity,
            name=name,
            source_kind=edit.source_kind,
            width=edit.width,
            level_dbu=level,
            level_unit=edit.level_unit,
            needs_phantom=edit.needs_phantom,
            needs_high_impedance=edit.needs_high_impedance,
        )
        sources.append(source)
    rig = rig.model_copy(update={"gear": (*rig.gear, *sources)})
    return Applied(rig, "added " + count_of(tuple(names), edit.source_kind, f"{edit.source_kind}s"))


@apply_one.register
def _(edit: a.AddInterface, rig: Rig) -> Applied:
    rig, (identity, driver_id) = new_ids(rig, "b", 2)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    driver = made(
        Driver,
        f"{name}, driver",
        id=driver_id,
        buffer_samples=edit.buffer_samples,
        safety_in_samples=edit.safety_in_samples,
        safety_out_samples=edit.safety_out_samples,
    )
    box = made(
        Interface,
        name,
        id=identity,
        name=name,
        jack_in=edit.jack_in,
        jack_out=edit.jack_out,
        capture=edit.jack_in if edit.capture is None else edit.capture,
        playback=edit.jack_out if edit.playback is None else edit.playback,
        rate_hz=edit.rate_hz,
        drivers=(driver,),
    )
    if link_overload(box) is not None:
        # So many channels are not on USB.
        box = box.model_copy(update={"link_kind": "PCIe-class"})
    return Applied(with_gear(rig, box), f"added interface {name}")


@apply_one.register
def _(edit: a.AddProgram, rig: Rig) -> Applied:
    rig, (identity,) = new_ids(rig, "p", 1, edit.ids)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    boxes = index(rig).hardware() or index(rig).interfaces()
    device = edit.device or (boxes[0].id if len(boxes) == 1 else None)
    rig = with_gear(rig, made(Program, name, id=identity, name=name, program_kind=edit.program_kind))
    output = None
    if edit.voices or (edit.tracks and edit.program_kind == "mixing program"):
        rig, (output,) = new_ids(rig, "o", 1)
        ports = a.AddProgramPorts(
            program=identity, side="output", names=("Main",), width=2, first_channel=1, ids=(output,)
        )
        rig = apply_one(ports, rig).rig
    if edit.voices:
        voices = a.AddVoices(program=identity, names=edit.voices, width=edit.voice_width, output=output)
        rig = apply_one(voices, rig).rig
    said = f"added {edit.program_kind} {name}"
    if device is not None:
        rig = apply_one(e.SetDevice(program=identity, device=device), rig).rig
        said += f" on {index(rig).name(device)}"
    return Applied(_with_tracks(rig, edit, identity, output) if edit.tracks else rig, said)


def _with_tracks(rig: Rig, edit: a.AddProgram, program: str, output: str | None) -> Rig:
    """A new program's tracks and their inputs, as far as the device's channels reach; those of a mixing program are its
    strips, which pass on to its output what they take, and record nothing.
    """
    rig, ids = new_ids(rig, "i", len(edit.tracks))
    found = index(rig)
    box = found.device(gear_of(rig, program, Program))
    wide = edit.track_width
    reached = min(len(ids), box.capture // wide) if box else 0
    for some, first in ((slice(None, reached), 1), (slice(reached, None), None)):
        if edit.tracks[some]:
            ports = a.AddProgramPorts(
                program=program, names=edit.tracks[some], width=wide, first_channel=first, ids=ids[some]
            )
            rig = apply_one(ports, rig).rig
    tracks = a.AddTracks(program=program, names=edit.tracks, width=wide, inputs=ids)
    if edit.program_kind == "mixing program":
        tracks = tracks.model_copy(update={"armed": False, "monitored": True, "output": output})
    return apply_one(tracks, rig).rig


def _with_items(
    rig: Rig, edit: a.AddVoices | a.AddBuses | a.AddTracks, prefix: str, what: str, kind: type[Value], fields: list[Any]
) -> Applied:
    """A program with more tracks, voices or buses; ``fields`` are the new ones' own."""
    program = gear_of(rig, edit.program, Program)
    rig, ids = new_ids(rig, prefix, len(edit.names), edit.ids)
    shared = {"width": edit.width, "output": edit.output or program.default_output}
    items = [
        made(kind, f"{program.name}, {name}", id=identity, name=name, **shared, **own)
        for identity, name, own in zip(ids, edit.names, fields, strict=True)
    ]
    many = FIELDS_OF[what]
    program = changed(program, program.name, **{many: (*getattr(program, many), *items)})
    return Applied(with_gear(rig, program), f"{program.name}: added {count_of(edit.names, what, many)}")


@apply_one.register
def _(edit: a.AddVoices, rig: Rig) -> Applied:
    if gear_of(rig, edit.program, Program).program_kind != "call":
        return _with_items(rig, edit, "v", "voice", Voice, [{}] * len(edit.names))
    rig, ids = new_ids(rig, "v", len(edit.names), edit.ids)
    numbered = edit.model_copy(update={"ids": ids})
    added = _with_items(rig, numbered, "v", "voice", Voice, [{"far": FarEnd()}] * len(edit.names))
    said = f"{added.words}, with {'an ear' if len(ids) == 1 else 'ears'}"
    return Applied(_with_ears(added.rig, numbered), said)


def _with_ears(rig: Rig, edit: a.AddVoices) -> Rig:
    """An ear for each far end, and an input for it, on the next channels of the program's device that no input has."""
    program = gear_of(rig, edit.program, Program)
    device = index(rig).device(program)
    first = 1 + max((leg for item in program.inputs for leg in item.legs if leg is not None), default=0)
    reached = device is not None and first + edit.width * len(edit.names) - 1 <= device.capture
    rig, inputs = new_ids(rig, "i", len(edit.names))
    ports = a.AddProgramPorts(
        program=program.id,
        names=tuple(f"To {name}"[:NAME_MAX_CHARACTERS] for name in edit.names),
        width=edit.width,
        first_channel=first if reached or device is None else None,
        ids=inputs,
    )
    rig = apply_one(ports, rig).rig
    rig, ids = new_ids(rig, "t", len(edit.names))
    program = gear_of(rig, edit.program, Program)
    ears = [
        made(Track, f"{program.name}, {name}", id=identity, name=name, width=edit.width, input=taken, far_end=voice)
        for identity, name, taken, voice in zip(ids, edit.names, inputs, edit.ids, strict=True)
    ]
    return with_gear(rig, changed(program, program.name, tracks=(*program.tracks, *ears)))


@apply_one.register
def _(edit: a.AddReturns, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    if program.hosted is None:
        raise Refused(program.name, "it runs in no other program, and has no returns anywhere")
    leader = gear_of(rig, program.hosted.leader, Program)
    there = {item.returns for item in leader.inputs}
    wanted = edit.outputs or tuple(item.id for item in program.outputs)
    outputs = [item for item in program.outputs if item.id in wanted and item.id not in there]
    if not outputs:
        raise Refused(program.name, f"all its outputs have returns in {leader.name} already")
    rig, ids = new_ids(rig, "i", len(outputs), edit.ids)
    items = [
        made(
            ProgramPort,
            f"{leader.name}, {item.name}",
            id=new,
            name=item.name,
            legs=[None] * len(item.legs),
            returns=item.id,
        )
        for new, item in zip(ids, outputs, strict=True)
    ]
    names = tuple(item.name for item in outputs)
    leader = changed(leader, leader.name, inputs=(*leader.inputs, *items))
    return Applied(
        with_gear(rig, leader), f"{leader.name}: added {count_of(names, 'return', 'returns')} of {program.name}"
    )


@apply_one.register
def _(edit: a.AddSync, rig: Rig) -> Applied:
    sender, receiver = (gear_of(rig, each, Program) for each in (edit.sender, edit.receiver))
    rig, (identity,) = new_ids(rig, "y", 1, edit.ids)
    link = made(
        SyncLink, f"{receiver.name}, sync link", id=identity, sender=sender.id, clock=edit.clock, notes=edit.notes
    )
    follows = {"follows_clock": True} if edit.clock else {}
    receiver = changed(receiver, receiver.name, syncs=(*receiver.syncs, link), **follows)
    what = " and ".join(word for word, on in (("clock", edit.clock), ("notes", edit.notes)) if on) or "nothing yet"
    return Applied(with_gear(rig, receiver), f"{receiver.name} hears {sender.name}: {what}")


@apply_one.register
def _(edit: a.AddBuses, rig: Rig) -> Applied:
    return _with_items(rig, edit, "u", "bus", Bus, [{}] * len(edit.names))


@apply_one.register
def _(edit: a.AddSends, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    found = index(rig)
    there = {send.item for send in program.sends if send.to == edit.to and send.tap == edit.tap}
    items = [each for each in dict.fromkeys(edit.items) if each not in there]
    for each in (*edit.items, edit.to):
        if each not in found.items:
            raise Refused(each, "there is nothing with this id in the rig; it may have been removed")
    where = found.name(edit.to)
    if edit.to in edit.items:
        raise Refused(where, "a bus cannot be sent to itself")
    if not items:
        raise Refused(where, f"all of them are sent to {where} {edit.tap} already")
    rig, ids = new_ids(rig, "e", len(items))
    sends = [
        made(
            Send,
            f"{program.name}, send",
            id=identity,
            item=each,
            to=edit.to,
            tap=edit.tap,
            gain_db=edit.gain_db,
        )
        for identity, each in zip(ids, items, strict=True)
    ]
    program = changed(program, program.name, sends=(*program.sends, *sends))
    kinds = {found.items[each].side for each in items}
    many = FIELDS_OF[kinds.pop()] if len(kinds) == 1 else "items"
    who = found.name(items[0]) if len(items) == 1 else f"{len(items)} {many}"
    return Applied(with_gear(rig, program), f"{program.name}: sent {who} to {where}, {edit.tap}")


@apply_one.register
def _(edit: a.AddTracks, rig: Rig) -> Applied:
    inputs = (*edit.inputs, *[None] * len(edit.names))
    own = [{"input": inputs[n], "armed": edit.armed, "monitored": edit.monitored} for n in range(len(edit.names))]
    return _with_items(rig, edit, "t", "track", Track, own)


@apply_one.register
def _(edit: a.AddDriver, rig: Rig) -> Applied:
    box = gear_of(rig, edit.interface, Interface)
    rig, (identity,) = new_ids(rig, "d", 1)
    driver = made(
        Driver,
        f"{box.name}, driver",
        id=identity,
        kind=edit.kind,
        capture=edit.capture,
        playback=edit.playback,
        clients=edit.clients,
        buffer_samples=edit.buffer_samples,
        engine_samples=edit.engine_samples,
        # Shared system drivers do, others do not. Common practice, no published source.
        resamples=edit.kind == "system, shared",
    )
    box = changed(box, box.name, drivers=(*box.drivers, driver))
    return Applied(with_gear(rig, box), f"{box.name}: added a driver ({edit.kind})")


@apply_one.register
def _(edit: a.AddGear, rig: Rig) -> Applied:
    rig, gear = renewed(rig, edit.gear)
    name = free_name(gear.name, (each.name for each in rig.gear))
    gear = changed(gear, name, name=name)
    return Applied(with_gear(rig, gear), f"added {name}")


@apply_one.register
def _(edit: a.AddDestination, rig: Rig) -> Applied:
    rig, (identity,) = new_ids(rig, "x", 1)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    new = made(Destination, name, id=identity, name=name, destination_kind=edit.destination_kind, width=edit.width)
    return Applied(with_gear(rig, new), f"added {edit.destination_kind} {name}")


@apply_one.register
def _(edit: a.AddOutboard, rig: Rig) -> Applied:
    rig, (identity,) = new_ids(rig, "h", 1)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    new = made(Outboard, name, id=identity, name=name, width=edit.width)
    return Applied(with_gear(rig, new), f"added outboard gear {name}")


@apply_one.register
def _(edit: a.AddProgramPorts, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    rig, ids = new_ids(rig, "i" if edit.side == "input" else "o", len(edit.names), edit.ids)
    channel = edit.first_channel
    ports = []
    for identity, name in zip(ids, edit.names, strict=True):
        legs = [None] * edit.width if channel is None else [channel + leg for leg in range(edit.width)]
        channel = None if channel is None else channel + edit.width
        ports.append(made(ProgramPort, f"{program.name}, {name}", id=identity, name=name, legs=legs))
    field = FIELDS_OF[edit.side]
    program = changed(program, program.name, **{field: (*getattr(program, field), *ports)})
    said = count_of(edit.names, edit.side, field)
    return Applied(with_gear(rig, program), f"{program.name}: added {said}")


@apply_one.register
def _(edit: a.AddLine, rig: Rig) -> Applied:
    rig, (words,) = _lines(rig, [edit])
    return Applied(rig, words)


@at_one_stroke(a.AddLine, "lines added")
def _lines(rig: Rig, edits: Sequence[a.AddLine]) -> tuple[Rig, list[str]]:
    """The rig with these lines, and each in words."""
    rig, ids = new_ids(rig, "l", len(edits))
    taken = {line.name.casefold() for line in rig.lines}
    lines = []
    for edit, identity in zip(edits, ids, strict=True):
        name = edit.name if edit.name.casefold() not in taken else free_name(edit.name, taken)
        taken.add(name.casefold())
        line = made(
            Line,
            f"line {edit.name}",
            id=identity,
            name=name,
            purpose=edit.purpose,
            from_ports=edit.from_ports,
            mixed=edit.mixed,
            to_ports=edit.to_ports,
            longest_delay_ms=edit.longest_delay_ms,
            alone=edit.purpose == "record" if edit.alone is None else edit.alone,
            through=edit.through,
            never_by=edit.never_by,
            tag=edit.tag,
        )
        lines.append(line)
    return rig.model_copy(update={"lines": (*rig.lines, *lines)}), [f"added line {line.name}" for line in lines]
