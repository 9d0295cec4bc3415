"""Rules about programs' inputs, outputs and buses."""

from functools import partial

from iskelo.core.edits.base import free_name
from iskelo.core.edits.edit import AddProgramPorts, Edit, EnableChannels, FillChannels, Remove, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.index import leg_letter
from iskelo.core.rig.programs import Bus, Program, ProgramPort
from iskelo.core.rig.rig import Item
from iskelo.core.rig.ways import Device, open_aggregate
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.reach import lines_through_input
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy, rule
from iskelo.core.wiring.blocks import bus_in_a_circle, buses_in_circles


@rule(
    "inputs and outputs",
    symptoms=("nothing",),
    explains=("line-silent", "line-half-silent", "line-crossed", "line-crowded"),
)
def two_inputs_on_one_channel(reading: Reading) -> list[Snag]:
    """Two inputs of one program, both mono or both stereo, take the same channel: two tracks would hold one sound.

    A pair and its mono halves are no fault by themselves, nor are both legs of one input on one channel.
    """
    snags = []
    for program in reading.found.programs():
        users: dict[tuple[int, int], dict[str, tuple[ProgramPort, int]]] = {}
        for item in program.inputs:
            for leg, channel in enumerate(item.legs, start=1):
                if channel is not None:
                    users.setdefault((channel, len(item.legs)), {}).setdefault(item.id, (item, leg))
        told: set[frozenset[str]] = set()
        for (channel, width), by_item in users.items():
            sharing = list(by_item.values())
            # Two pairs on the same two channels are one snag.
            if len(sharing) < 2 or (width == 2 and frozenset(by_item) in told):
                continue
            told.add(frozenset(by_item))
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
                    lines=tuple(line for item, _ in sharing for line in lines_through_input(reading, item.id)),
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
        for line in lines_through_input(reading, item.id):
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


@rule("inputs and outputs", symptoms=("nothing",), explains=("line-silent", "line-half-silent"))
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
                if (channel is not None and channel <= box.capture) or item.id not in taken:
                    continue
                if _of_an_absent_member(reading, program, channel) or item.meant_by(leg) is not None:
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
                        lines=lines_through_input(reading, item.id),
                        mend=partial(_give_channel, reading, program, item, leg),
                    )
                )
    return snags


def _of_an_absent_member(reading: Reading, program: Program, channel: int | None) -> bool:
    """Whether a channel would be there with all members of an aggregate: then a member is missing, not the channel."""
    aggregate = reading.found.gear.get(program.device or "")
    if channel is None or not isinstance(aggregate, Aggregate):
        return False
    boxes = {box.id: box for box in reading.found.boxes}
    return channel <= open_aggregate(aggregate, boxes, reading.found.paces, whole=True).device.capture


def _give_channel(reading: Reading, program: Program, item: ProgramPort, leg: int) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    for line in lines_through_input(reading, item.id):
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


@rule("inputs and outputs", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
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
                    lines=tuple(line for item in harmed for line in lines_through_input(reading, item.id)),
                    mend=partial(one_remedy, f"Enable {side} channel{plural} {numbers} in {program.name}", edit),
                )
            )
    return snags


@rule("inputs and outputs", symptoms=("nothing",), explains=("line-silent", "line-half-silent"))
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
        fed |= {voice.output for voice in program.voices} | {bus.output for bus in program.buses}
        fed |= {send.to for send in program.sends}
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


def _no_playback(channel: int | None, box: Device | None) -> bool:
    return channel is None or (box is not None and channel > box.playback)


def _give_output(reading: Reading, program: Program, track: str, name: str) -> tuple[Remedy, ...]:
    remedies = [
        Remedy(f"Send track {name} to {output.name}", (SetValues(item=track, values={"output": output.id}),))
        for output in program.outputs[:2]
    ]
    if not program.outputs:
        identity = new(1)
        made = AddProgramPorts(
            program=program.id, side="output", names=("Main",), width=2, first_channel=1, ids=(identity,)
        )
        given = SetValues(item=track, values={"output": identity})
        remedies.append(Remedy(f"Add an output Main on channels 1–2 and send track {name} to it", (made, given)))
    remedies.append(Remedy(f"Stop monitoring track {name}", (SetValues(item=track, values={"monitored": False}),)))
    return distinct(remedies)


def _give_playback(program: Program, item: ProgramPort, box: Device) -> tuple[Remedy, ...]:
    used = {channel for each in program.outputs if each.id != item.id for channel in each.legs}
    width = len(item.legs)
    for first in range(1, box.playback - width + 2):
        if not used & set(range(first, first + width)):
            last = f"–{first + width - 1}" if width > 1 else ""
            edit = FillChannels(items=(item.id,), first_channel=first)
            return one_remedy(f"Set output {item.name} to channel {first}{last}", edit)
    return ()


@rule("inputs and outputs")
def names_repeated(reading: Reading) -> list[Snag]:
    """Two inputs, two tracks or two outputs of one program have the same name."""
    snags = []
    for program in reading.found.programs():
        sides: tuple[tuple[str, tuple[Item, ...]], ...] = (
            ("input", program.inputs),
            ("track", program.tracks),
            ("output", program.outputs),
            ("bus", program.buses),
        )
        for side, items in sides:
            named: dict[str, list[Item]] = {}
            for item in items:
                named.setdefault(item.name.casefold(), []).append(item)
            for same in named.values():
                if len(same) < 2:
                    continue
                places = " and ".join(str(items.index(item) + 1) for item in same)
                snags.append(
                    Snag(
                        key=f"names-repeated:{same[0].id}",
                        rule="names-repeated",
                        severity="note",
                        title=f"{len(same)} {'buses' if side == 'bus' else side + 's'} of {program.name} "
                        f"are called {same[0].name}",
                        evidence=f"{program.name}, {side} {places}: {same[0].name}.",
                        consequence="Nobody can tell them apart in a list, and files of the same name overwrite.",
                        items=tuple(item.id for item in same),
                        mend=partial(_number_them, tuple(same), tuple(item.name for item in items)),
                    )
                )
    return snags


def _number_them(same: tuple[Item, ...], taken: tuple[str, ...]) -> tuple[Remedy, ...]:
    names = list(taken)
    edits: list[Edit] = []
    for item in same[1:]:
        names.append(free_name(item.name[:70], names))
        edits.append(SetValues(item=item.id, values={"name": names[-1]}))
    return one_remedy(f"Number them: {same[0].name}, {', '.join(names[len(taken) :])}", *edits)


@rule("inputs and outputs", symptoms=("nothing",))
def unused_bus(reading: Reading) -> list[Snag]:
    """A bus that nothing feeds, or that leads nowhere."""
    snags = []
    for program in reading.found.programs():
        fed = {track.output for track in program.tracks}
        fed |= {voice.output for voice in program.voices} | {bus.output for bus in program.buses}
        fed |= {send.to for send in program.sends}
        for bus in program.buses:
            leads = bus.output is not None or any(send.item == bus.id for send in program.sends)
            leads = leads or any(track.input == bus.id for track in program.tracks)
            if bus.id in fed and leads:
                continue
            reason = "nothing feeds it" if bus.id not in fed else "it leads nowhere"
            snags.append(
                Snag(
                    key=f"unused-bus:{bus.id}",
                    rule="unused-bus",
                    severity="note" if bus.id not in fed else "trouble",
                    title=f"Bus {bus.name} of {program.name}: {reason}",
                    evidence=f"{program.name}, bus {bus.name}: {reason}.",
                    consequence="It does nothing." if bus.id not in fed else "What is sent to it is heard by nobody.",
                    items=(bus.id,),
                    mend=partial(_use_bus, program, bus, bus.id in fed),
                )
            )
    return snags


def _use_bus(program: Program, bus: Bus, fed: bool) -> tuple[Remedy, ...]:
    remedies = []
    if fed and program.outputs:
        edit = SetValues(item=bus.id, values={"output": program.outputs[0].id})
        remedies.append(Remedy(f"Send bus {bus.name} to {program.outputs[0].name}", (edit,)))
    remedies.append(Remedy(f"Remove bus {bus.name}", (Remove(items=(bus.id,)),)))
    return distinct(remedies)


@rule("inputs and outputs", symptoms=("howls", "nothing"), explains=("line-blocked", "line-silent"))
def bus_feeds_itself(reading: Reading) -> list[Snag]:
    """A bus feeds itself, straight or through other buses; programs keep such a bus silent."""
    snags = []
    for program in reading.found.programs():
        circle = buses_in_circles(program)
        members = [bus for bus in program.buses if bus.id in circle]
        for bus in members[:1]:
            names = " › ".join(each.name for each in members)
            snags.append(
                Snag(
                    key=f"bus-feeds-itself:{bus.id}",
                    rule="bus-feeds-itself",
                    severity="trouble",
                    title=f"Bus {bus.name} of {program.name} feeds itself",
                    evidence=f"{program.name}: {names} › {members[0].name}.",
                    consequence="It howls, or the program keeps it silent.",
                    items=tuple(each.id for each in members),
                    mend=partial(_break_circle, program, bus),
                )
            )
    return snags


def _break_circle(program: Program, bus: Bus) -> tuple[Remedy, ...]:
    block = bus_in_a_circle(program, bus, buses_in_circles(program))
    remedies = [
        Remedy(f"Send bus {bus.name} to {output.name}", (SetValues(item=bus.id, values={"output": output.id}),))
        for output in program.outputs[:2]
        if {edit.item for edit in block.unblock if isinstance(edit, SetValues)} == {bus.id}
    ]
    return distinct([*remedies, Remedy(block.unblock_words, block.unblock)])
