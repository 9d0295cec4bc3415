"""Rules about programs' inputs, outputs and buses."""

from functools import partial

from iskelo.core.edits.base import free_name
from iskelo.core.edits.edit import Edit, FillChannels, SetLeg, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.legs import Leg
from iskelo.core.rig.device_streams import open_aggregate
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.index import Index, leg_letter
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Item
from iskelo.core.rig.text import few
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.reach import lines_passing, lines_through_input
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy, rule
from iskelo.core.wiring.enabling import Enabling, enabling
from iskelo.core.words.say import say


@rule(
    "inputs and outputs",
    symptoms=("nothing", "misplaced", "others"),
    explains=("line-silent", "line-half-silent", "line-crossed", "line-crowded", "line-doubled"),
)
def two_inputs_on_one_channel(reading: Reading) -> list[Snag]:
    """Two inputs of one program, both mono or both stereo, take the same channel: two tracks would hold one sound.

    A pair and its mono halves are no fault by themselves, nor are both legs of one input on one channel.
    """
    snags = []
    for program in reading.found.programs():
        legs = [leg for item in program.inputs for leg in item.legs if leg is not None]
        if len(set(legs)) == len(legs):
            continue
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
            several = [f"{item.name}{leg_letter(leg, len(item.legs))}" for item, leg in sharing]
            names = few(several) if len(several) > 2 else " and ".join(several)
            snags.append(
                Snag(
                    key=f"two-inputs-on-one-channel:{program.id}:{channel}",
                    rule="two-inputs-on-one-channel",
                    severity="trouble",
                    title=f"{names} share channel {channel}",
                    evidence=f"In {program.name}, {names} are mapped to capture channel {channel}.",
                    consequence="Their tracks record the same sound, and another channel is not recorded.",
                    items=tuple(item.id for item, _ in sharing),
                    lines=_harmed(reading, [item.id for item, _ in sharing]),
                    mend=partial(_part_inputs, reading, program, tuple(sharing)),
                )
            )
    return snags


def _harmed(reading: Reading, items: list[str]) -> tuple[str, ...]:
    """The lines through these inputs; those of the same sources that get no further, or come by several of them."""
    through = dict.fromkeys(line for item in items for line in lines_through_input(reading, item))
    starts = {port for line in through for port in reading.found.lines[line].from_ports}
    stopped = [
        state.line.id
        for state, _ in reading.having.get("silent", ())
        if starts.issuperset(state.line.from_ports) and all(_ends_at_capture(leg) for leg in state.legs)
    ]
    doubled = [
        state.line.id
        for state, _ in reading.having.get("doubled", ())
        if starts.issuperset(state.line.from_ports) and all(_by_several(leg, items) for leg in state.legs)
    ]
    return tuple(dict.fromkeys((*through, *stopped, *doubled)))


def _by_several(leg: Leg, items: list[str]) -> bool:
    """Whether a leg arrives by several of these inputs."""
    passed = {port.owner for arrival in leg.arrivals for port in arrival.route.ports}
    return len(passed & set(items)) > 1


def _ends_at_capture(leg: Leg) -> bool:
    """Whether a leg gets as far as a channel of a box, and no further."""
    return leg.gap is not None and leg.gap.ahead[-1].bank == "capture"


def _part_inputs(
    reading: Reading, program: Program, sharing: tuple[tuple[ProgramPort, int], ...]
) -> tuple[Remedy, ...]:
    """First what makes a silent line of theirs arrive; then the next free channel for the later input."""
    remedies: list[Remedy] = []
    box = reading.found.device(program)
    filled: list[Remedy] = []
    if box and sum(len(each.legs) for each in program.inputs) <= box.capture:
        fill = FillChannels(items=tuple(each.id for each in program.inputs), first_channel=1)
        filled.append(Remedy(f"Fill all inputs of {program.name} ascending from channel 1", (fill,)))
    # Where many are on one channel, they were all made so at once.
    remedies += filled if len(sharing) > 2 else []
    for item, _ in sharing:
        for line in lines_through_input(reading, item.id):
            state = next(state for state in reading.lines if state.line.id == line)
            if state.headline in ("silent", "blocked"):
                remedies += joining_remedies(reading, state)
    used = {channel for item in program.inputs for channel in item.legs}
    free = [channel for channel in range(1, (box.capture if box else 128) + 1) if channel not in used]
    item, leg = sharing[-1]
    if free:
        edit = SetLeg(item=item.id, leg=leg, channel=free[0])
        remedies.append(Remedy(f"Set input {item.name}{leg_letter(leg, len(item.legs))} to channel {free[0]}", (edit,)))
    return distinct([*remedies, *filled])


@rule("inputs and outputs", symptoms=("nothing",), explains=("line-silent", "line-half-silent"))
def leg_without_channel(reading: Reading) -> list[Snag]:
    """An input that a track takes has a leg with no channel behind it, or one its device does not have."""
    snags = []
    for program in reading.found.programs():
        box = reading.found.device(program)
        if box is None:
            continue
        taken, has = {track.input for track in program.tracks}, box.capture
        for item in program.inputs:
            for leg, channel in enumerate(item.legs if item.returns is None else (), start=1):
                if (channel is not None and channel <= has) or item.id not in taken:
                    continue
                if _of_an_absent_member(reading, program, channel) or item.meant_by(leg) is not None:
                    continue
                name = f"{item.name}{leg_letter(leg, len(item.legs))}"
                missing = "no channel" if channel is None else f"channel {channel}, and {box.name} has {has}"
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


def _opened(found: Index, opened: Enabling | None) -> tuple[Remedy, ...]:
    return (Remedy(say(opened[1], found), opened[0]),) if opened is not None else ()


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
            opened = enabling(program, "input" if side == "input" else "output", tuple(off))
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
                    lines=_through(reading, side, [item.id for item in harmed]),
                    mend=partial(_opened, reading.found, opened),
                )
            )
    return snags


def _through(reading: Reading, side: str, items: list[str]) -> tuple[str, ...]:
    """The lines through these inputs or outputs."""
    lines = lines_through_input if side == "input" else lines_passing
    return tuple(dict.fromkeys(line for item in items for line in lines(reading, item)))


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
            if len({item.name.casefold() for item in items}) == len(items):
                continue
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
