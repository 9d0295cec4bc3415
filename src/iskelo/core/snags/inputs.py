"""Rules about programs' devices, inputs and outputs."""

from functools import partial

from iskelo.core.edits.edit import AddProgramPorts, EnableChannels, FillChannels, SetDevice, SetLeg, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Interface, Program, ProgramPort
from iskelo.core.rig.rig import leg_letter
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy


def program_without_device(reading: Reading) -> list[Snag]:
    """A program has no device, so nothing gets in or out of it."""
    snags = []
    for program in reading.found.programs():
        if program.device is None:
            snags.append(
                Snag(
                    key=f"program-without-device:{program.id}",
                    rule="program-without-device",
                    severity="stop",
                    title=f"{program.name} has no device",
                    evidence=f"{program.name} has {len(program.inputs)} inputs and {len(program.outputs)} outputs, "
                    "and no interface to take them from.",
                    consequence="It neither records nor plays anything.",
                    items=(program.id,),
                    lines=_lines_of(reading, program),
                    mend=partial(_give_device, reading, program),
                )
            )
    return snags


def _give_device(reading: Reading, program: Program) -> tuple[Remedy, ...]:
    return tuple(
        Remedy(f"Give {program.name} the device {box.name}", (SetDevice(program=program.id, device=box.id),))
        for box in reading.found.interfaces()[:3]
    )


def _lines_of(reading: Reading, program: Program) -> tuple[str, ...]:
    tracks = {track.id for track in program.tracks}
    return tuple(line.id for line in reading.rig.lines if any(port.owner in tracks for port in line.to_ports))


def _lines_through(reading: Reading, item: str) -> tuple[str, ...]:
    """The record lines whose track takes this input."""
    tracks = {track.id for program in reading.found.programs() for track in program.tracks if track.input == item}
    return tuple(line.id for line in reading.rig.lines if any(port.owner in tracks for port in line.to_ports))


def two_inputs_on_one_channel(reading: Reading) -> list[Snag]:
    """Two inputs of one program take the same channel: two tracks would hold the same sound."""
    snags = []
    for program in reading.found.programs():
        users: dict[int, list[tuple[ProgramPort, int]]] = {}
        for item in program.inputs:
            for leg, channel in enumerate(item.legs, start=1):
                if channel is not None:
                    users.setdefault(channel, []).append((item, leg))
        for channel, sharing in users.items():
            if len(sharing) < 2:
                continue
            names = " and ".join(f"{item.name}{leg_letter(leg, len(item.legs))}" for item, leg in sharing)
            snags.append(
                Snag(
                    key=f"two-inputs-on-one-channel:{program.id}:{channel}",
                    rule="two-inputs-on-one-channel",
                    severity="trouble",
                    title=f"{names} share channel {channel}",
                    evidence=f"In {program.name}, {names} are mapped to capture channel {channel}.",
                    consequence="Their tracks record the same sound, and another channel is not recorded.",
                    items=tuple(item.id for item, _ in sharing),
                    lines=tuple(line for item, _ in sharing for line in _lines_through(reading, item.id)),
                    mend=partial(_part_inputs, reading, program, tuple(sharing)),
                )
            )
    return snags


def _part_inputs(
    reading: Reading, program: Program, sharing: tuple[tuple[ProgramPort, int], ...]
) -> tuple[Remedy, ...]:
    """First what makes a silent line of theirs arrive; then the next free channel for the later input."""
    remedies: list[Remedy] = []
    for item, _ in sharing:
        for line in _lines_through(reading, item.id):
            state = next(state for state in reading.lines if state.line.id == line)
            if state.headline in ("silent", "blocked"):
                remedies += joining_remedies(reading, state)
    used = {channel for item in program.inputs for channel in item.legs}
    box = reading.found.device(program)
    free = [channel for channel in range(1, (box.capture if box else 128) + 1) if channel not in used]
    item, leg = sharing[-1]
    if free:
        edit = SetLeg(item=item.id, leg=leg, channel=free[0])
        remedies.append(Remedy(f"Set input {item.name}{leg_letter(leg, len(item.legs))} to channel {free[0]}", (edit,)))
    if box and sum(len(each.legs) for each in program.inputs) <= box.capture:
        everything = FillChannels(items=tuple(each.id for each in program.inputs), first_channel=1)
        remedies.append(Remedy(f"Fill all inputs of {program.name} ascending from channel 1", (everything,)))
    return distinct(remedies)


def leg_without_channel(reading: Reading) -> list[Snag]:
    """An input that a track takes has a leg with no channel behind it, or one its device does not have."""
    snags = []
    for program in reading.found.programs():
        box = reading.found.device(program)
        if box is None:
            continue
        taken = {track.input for track in program.tracks}
        for item in program.inputs:
            for leg, channel in enumerate(item.legs, start=1):
                if item.id not in taken or (channel is not None and channel <= box.capture):
                    continue
                name = f"{item.name}{leg_letter(leg, len(item.legs))}"
                missing = "no channel" if channel is None else f"channel {channel}, and {box.name} has {box.capture}"
                snags.append(
                    Snag(
                        key=f"leg-without-channel:{item.id}:{leg}",
                        rule="leg-without-channel",
                        severity="trouble",
                        title=f"Input {name} of {program.name} has {missing}",
                        evidence=f"The leg is mapped to {missing}; a track takes this input.",
                        consequence="The track that takes it records nothing on that leg.",
                        items=(item.id,),
                        lines=_lines_through(reading, item.id),
                        mend=partial(_give_channel, reading, program, item, leg),
                    )
                )
    return snags


def _give_channel(reading: Reading, program: Program, item: ProgramPort, leg: int) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    for line in _lines_through(reading, item.id):
        state = next(state for state in reading.lines if state.line.id == line)
        if state.headline in ("silent", "blocked"):
            remedies += joining_remedies(reading, state)
    box = reading.found.device(program)
    used = {channel for each in program.inputs for channel in each.legs}
    free = [channel for channel in range(1, (box.capture if box else 0) + 1) if channel not in used]
    if free:
        edit = SetLeg(item=item.id, leg=leg, channel=free[0])
        remedy = Remedy(f"Set input {item.name}{leg_letter(leg, len(item.legs))} to channel {free[0]}", (edit,))
        remedies.append(remedy)
    return distinct(remedies)


def channel_not_enabled(reading: Reading) -> list[Snag]:
    """A program's inputs or outputs are mapped to channels that are switched off in it."""
    snags = []
    for program in reading.found.programs():
        box = reading.found.device(program)
        if box is None:
            continue
        sides = (
            ("input", program.inputs, program.enabled_in),
            ("output", program.outputs, program.enabled_out),
        )
        for side, items, enabled in sides:
            size = box.capture if side == "input" else box.playback
            off = sorted({c for item in items for c in item.legs if c and c <= size} - set(enabled))
            if not off:
                continue
            harmed = [item for item in items if set(item.legs) & set(off)]
            numbers = ", ".join(map(str, off))
            plural = "s" if len(off) > 1 else ""
            edit = EnableChannels(
                program=program.id, side="input" if side == "input" else "output", channels=tuple(off)
            )
            snags.append(
                Snag(
                    key=f"channel-not-enabled:{program.id}:{side}",
                    rule="channel-not-enabled",
                    severity="stop",
                    title=f"{side.capitalize()} channel{plural} {numbers} not enabled in {program.name}",
                    evidence=f"{', '.join(item.name for item in harmed)} mapped to {side} channel{plural} {numbers}, "
                    f"which {program.name} does not open.",
                    consequence="No sound passes on them.",
                    items=tuple(item.id for item in harmed),
                    lines=tuple(line for item in harmed for line in _lines_through(reading, item.id)),
                    mend=partial(one_remedy, f"Enable {side} channel{plural} {numbers} in {program.name}", edit),
                )
            )
    return snags


def output_nowhere(reading: Reading) -> list[Snag]:
    """A monitored track has no output, or an output that tracks feed has no channel."""
    snags = []
    for program in reading.found.programs():
        for track in program.tracks:
            if track.monitored and not track.muted and track.output is None:
                snags.append(
                    Snag(
                        key=f"output-nowhere:{track.id}",
                        rule="output-nowhere",
                        severity="trouble",
                        title=f"Track {track.name} is monitored but has no output",
                        evidence=f"{program.name}, track {track.name}: monitored, output none.",
                        consequence="Nobody hears it.",
                        items=(track.id,),
                        mend=partial(_give_output, reading, program, track.id, track.name),
                    )
                )
        box = reading.found.device(program)
        fed = {track.output for track in program.tracks}
        for item in program.outputs:
            empty = [leg for leg, channel in enumerate(item.legs, start=1) if _no_playback(channel, box)]
            if box is not None and item.id in fed and empty:
                legs = ", ".join(leg_letter(leg, len(item.legs)).strip() or str(leg) for leg in empty)
                snags.append(
                    Snag(
                        key=f"output-nowhere:{item.id}",
                        rule="output-nowhere",
                        severity="trouble",
                        title=f"Output {item.name} of {program.name} leads nowhere",
                        evidence=f"Leg {legs} has no playback channel of {box.name}; tracks feed it.",
                        consequence="What the tracks send there is lost.",
                        items=(item.id,),
                        mend=partial(_give_playback, program, item, box),
                    )
                )
    return snags


def _no_playback(channel: int | None, box: Interface | None) -> bool:
    return channel is None or (box is not None and channel > box.playback)


def _give_output(reading: Reading, program: Program, track: str, name: str) -> tuple[Remedy, ...]:
    remedies = [
        Remedy(f"Send track {name} to {output.name}", (SetValues(item=track, values={"output": output.id}),))
        for output in program.outputs[:2]
    ]
    if not program.outputs:
        identity = f"o{reading.rig.next_number}"
        made = AddProgramPorts(
            program=program.id, side="output", names=("Main",), width=2, first_channel=1, ids=(identity,)
        )
        given = SetValues(item=track, values={"output": identity})
        remedies.append(Remedy(f"Add an output Main on channels 1–2 and send track {name} to it", (made, given)))
    remedies.append(Remedy(f"Stop monitoring track {name}", (SetValues(item=track, values={"monitored": False}),)))
    return distinct(remedies)


def _give_playback(program: Program, item: ProgramPort, box: Interface) -> tuple[Remedy, ...]:
    used = {channel for each in program.outputs if each.id != item.id for channel in each.legs}
    width = len(item.legs)
    for first in range(1, box.playback - width + 2):
        if not used & set(range(first, first + width)):
            last = f"–{first + width - 1}" if width > 1 else ""
            edit = FillChannels(items=(item.id,), first_channel=first)
            return one_remedy(f"Set output {item.name} to channel {first}{last}", edit)
    return ()
