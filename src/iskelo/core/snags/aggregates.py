"""Rules about boxes joined as one: members that are not there, numbers that moved, what joining costs."""

import itertools
from collections.abc import Iterator
from functools import partial

from iskelo.core.edits.edit import Edit, SetMembers, SetValues
from iskelo.core.edits.moved import moved_by_absence
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice, open_aggregate
from iskelo.core.rig.gear import Aggregate, Interface, Member
from iskelo.core.rig.index import Hindrance, Index
from iskelo.core.rig.programs import Program, Track
from iskelo.core.snags.reach import lines_of_program, stopping_at
from iskelo.core.snags.rule import Remedy, Snag, distinct, if_so, rule
from iskelo.core.timing.rates import cents
from iskelo.core.wiring.blocks import not_offered
from iskelo.core.words.say import say_unblock

ORDERS_AT_MOST = 120
"""So many orders of members are tried: those of five."""

SKEW_TOLD_SAMPLES = 2
NAMES_TOLD = 6


def _programs_on(found: Index, aggregate: Aggregate) -> list[Program]:
    return [program for program in found.programs() if program.device == aggregate.id]


@rule("driver", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def box_not_connected(reading: Reading) -> list[Snag]:
    """A program's device is not connected to the computer."""
    snags = []
    for program in reading.found.programs():
        streams = reading.found.opened.get(program.id)
        for way in streams.ways if streams is not None else ():
            if way.box.connected:
                continue
            connect = SetValues(item=way.box.id, values={"connected": True})
            snags.append(
                Snag(
                    key=f"box-not-connected:{way.box.id}:{program.id}",
                    rule="box-not-connected",
                    severity="stop",
                    title=f"{way.box.name} is not connected",
                    evidence=f"{program.name} opens {way.box.name}, which is not connected to the computer.",
                    consequence=f"{program.name} finds no device and neither records nor plays.",
                    items=(way.box.id, program.id),
                    lines=lines_of_program(reading, program),
                    root=f"box:{way.box.id}",
                    mend=partial(distinct, [Remedy(f"Connect {way.box.name}", (connect,))]),
                )
            )
    return snags


@rule(
    "aggregate",
    symptoms=("nothing", "misplaced"),
    explains=("line-silent", "line-half-silent", "line-crossed", "line-crowded"),
)
def member_absent(reading: Reading) -> list[Snag]:
    """A member of an aggregate is not there, so the numbers behind it move and names have other boxes' channels."""
    found = reading.found
    snags = []
    for aggregate in found.aggregates:
        gone = [member for member in aggregate.members if not _box(found, member).connected]
        if not gone:
            continue
        moved = moved_by_absence(found, aggregate)
        names = ", ".join(_box(found, member).name for member in gone)
        strays = "; ".join(moved[:NAMES_TOLD]) + (f"; and {len(moved) - NAMES_TOLD} more" if len(moved) > 6 else "")
        programs = _programs_on(found, aggregate)
        snags.append(
            Snag(
                key=f"member-absent:{aggregate.id}",
                rule="member-absent",
                severity="stop" if moved else "risk",
                title=f"{names} is not in {aggregate.name}" + (f": {len(moved)} names moved" if moved else ""),
                evidence=f"{names} is not connected to the computer. " + (f"{strays}." if moved else ""),
                consequence="The channels after it have moved down: names stand at other boxes' channels, or at none."
                if moved
                else "Nothing is mapped to its channels, nor to those after them.",
                items=(aggregate.id, *(member.device for member in gone)),
                lines=tuple(
                    dict.fromkeys(
                        (
                            *(line for each in programs for line in lines_of_program(reading, each)),
                            *(line for member in gone for line in stopping_at(reading, member.device)),
                        )
                    )
                )
                if moved
                else (),
                mend=partial(_bring_back, found, aggregate, gone),
            )
        )
    return snags


def _box(found: Index, member: Member) -> Interface:
    box = found.gear[member.device]
    assert isinstance(box, Interface)
    return box


def _bring_back(found: Index, aggregate: Aggregate, gone: list[Member]) -> tuple[Remedy, ...]:
    connect: list[Edit] = [SetValues(item=member.device, values={"connected": True}) for member in gone]
    names = " and ".join(_box(found, member).name for member in gone)
    left = tuple(member for member in aggregate.members if member not in gone)
    remedies = [Remedy(f"Connect {names}", tuple(connect))]
    if left:
        without = SetMembers(aggregate=aggregate.id, members=left)
        remedies.append(
            Remedy(f"Take {names} out of {aggregate.name}; names keep the other boxes' channels", (without,))
        )
        last = SetMembers(aggregate=aggregate.id, members=(*left, *gone))
        remedies.append(Remedy(f"Put {names} last in {aggregate.name}; nothing stands behind it then", (last,)))
    return distinct(remedies)


@rule("aggregate")
def master_not_a_member(reading: Reading) -> list[Snag]:
    """The clock master chosen for an aggregate is no member of it, or is not there; another box calls instead."""
    found = reading.found
    snags = []
    for aggregate in found.aggregates:
        there = [_box(found, member) for member in aggregate.members if _box(found, member).connected]
        if aggregate.master is None or not there or any(box.id == aggregate.master for box in there):
            continue
        steady = sorted(there, key=lambda box: box.tolerance_ppm)
        member = any(each.device == aggregate.master for each in aggregate.members)
        what = "is not connected" if member else "is not a member"
        snags.append(
            Snag(
                key=f"master-not-a-member:{aggregate.id}",
                rule="master-not-a-member",
                severity="trouble",
                title=f"{found.name(aggregate.master)} is clock master of {aggregate.name}, and {what}",
                evidence=f"The clock master of {aggregate.name} is {found.name(aggregate.master)}, which {what}; "
                f"{there[0].name} is it instead.",
                consequence="Another clock drives it than was chosen: other members are rate matched, or slip.",
                items=(aggregate.id, aggregate.master),
                mend=partial(
                    distinct,
                    [
                        Remedy(
                            f"Make {box.name} (±{box.tolerance_ppm:g} ppm) clock master of {aggregate.name}",
                            (SetValues(item=aggregate.id, values={"master": box.id}),),
                        )
                        for box in steady
                    ],
                ),
            )
        )
    return snags


@rule(
    "aggregate",
    symptoms=("misplaced", "nothing", "one side"),
    explains=("line-silent", "line-half-silent", "line-crossed", "line-crowded"),
)
def member_order(reading: Reading) -> list[Snag]:
    """The members stand in another order than the names of a program on the aggregate assume."""
    found = reading.found
    snags = []
    for aggregate in found.aggregates:
        for program in _programs_on(found, aggregate):
            wanted = _wanted_channels(reading, program)
            # Where it is known what names stood for, nothing need be guessed.
            if any(item.meant for item in program.inputs):
                continue
            if not wanted or _fit(found, aggregate, aggregate.members, wanted) == len(wanted):
                continue
            orders = itertools.islice(itertools.permutations(aggregate.members), ORDERS_AT_MOST)
            best = next((order for order in orders if _fit(found, aggregate, order, wanted) == len(wanted)), None)
            if best is None or len(wanted) < 2:
                continue
            names = " › ".join(_box(found, member).name for member in best)
            numbers_stay = SetMembers(aggregate=aggregate.id, members=tuple(best), keep_names=False)
            snags.append(
                Snag(
                    key=f"member-order:{aggregate.id}:{program.id}",
                    rule="member-order",
                    severity="trouble",
                    title=f"The names of {program.name} assume another order of {aggregate.name}",
                    evidence=f"With {names} all {len(wanted)} mapped inputs have the channel their line asks for; "
                    f"now {_fit(found, aggregate, aggregate.members, wanted)} have.",
                    consequence="Tracks hold other sounds than their names say.",
                    items=(aggregate.id, program.id),
                    lines=lines_of_program(reading, program),
                    mend=partial(distinct, [Remedy(f"Order {aggregate.name} as {names}", (numbers_stay,))]),
                )
            )
    return snags


def _wanted_channels(reading: Reading, program: Program) -> list[tuple[int, str, int]]:
    """For each leg of an input that a record line ends behind: its number, and the box's channel the source is on."""
    found = reading.found
    jacks = {patch.from_port: patch.to_port for patch in reading.rig.patches}
    inputs = {item.id: item for item in program.inputs}
    wanted = []
    for line in reading.rig.lines:
        for start, end in line.pairs():
            placed, jack = found.items.get(end.owner), jacks.get(start)
            if placed is None or placed.program.id != program.id or jack is None:
                continue
            track = placed.item
            item = inputs.get(track.input or "") if isinstance(track, Track) else None
            channel = item.legs[end.number - 1] if item is not None and end.number <= len(item.legs) else None
            if channel is not None:
                wanted.append((channel, jack.owner, jack.number))
    return wanted


def _fit(found: Index, aggregate: Aggregate, order: tuple[Member, ...], wanted: list[tuple[int, str, int]]) -> int:
    boxes = {box.id: box for box in found.boxes}
    streams = open_aggregate(aggregate.model_copy(update={"members": order}), boxes, found.paces)
    return sum(streams.channel("capture", box, number) == channel for channel, box, number in wanted)


@rule("rate", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def boxes_at_different_rates(reading: Reading) -> list[Snag]:
    """A box of a device runs at another rate than the one that calls, so it is left out of it."""
    return [
        _another_rate(reading, program, streams, way) for program, streams, way in _hindered(reading, ("other rate",))
    ]


def _hindered(reading: Reading, why: tuple[Hindrance, ...]) -> Iterator[tuple[Program, OpenDevice, DeviceStream]]:
    for program in reading.found.programs():
        streams = reading.found.opened.get(program.id)
        for way in streams.ways if streams is not None and streams.joined else ():
            assert streams is not None
            if reading.found.hindrance(streams, way) in why:
                yield program, streams, way


@rule("aggregate", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def member_cannot_join(reading: Reading) -> list[Snag]:
    """A member of an aggregate does not offer its buffer, or works in periods of its own: it is left out."""
    snags = []
    for program, streams, way in _hindered(reading, ("buffer", "own period")):
        what = (
            "works in periods of its own"
            if way.driver.engine is not None
            else f"does not offer a buffer of {way.buffer_samples}"
        )
        snags.append(
            Snag(
                key=f"member-cannot-join:{program.id}:{way.box.id}",
                rule="member-cannot-join",
                severity="stop",
                title=f"{way.box.name} cannot run in {streams.device.name}",
                evidence=f"The {way.driver.kind} driver of {way.box.name} {what}.",
                consequence="Its channels stay silent.",
                items=(way.box.id, streams.device.id),
                lines=lines_of_program(reading, program),
                root=f"cannot-join:{way.client}:{way.box.id}",
                mend=partial(_let_join, reading.found, streams, way),
            )
        )
    return snags


def _let_join(found: Index, streams: OpenDevice, way: DeviceStream) -> tuple[Remedy, ...]:
    aggregate = found.gear[way.client]
    assert isinstance(aggregate, Aggregate)
    remedies = []
    for driver in way.box.drivers:
        if driver is not way.driver and driver.installed and driver.engine is None:
            members = tuple(
                member.model_copy(update={"driver": driver.id}) if member.device == way.box.id else member
                for member in aggregate.members
            )
            edit = SetMembers(aggregate=aggregate.id, members=members)
            remedies.append(Remedy(f"Join {way.box.name} by its {driver.kind} driver", (edit,)))
    block = not_offered(way, found) if way.driver.engine is None else None
    if block is not None and block.unblock:
        remedies.insert(0, Remedy(say_unblock(block, found), block.unblock))
    left = tuple(member for member in aggregate.members if member.device != way.box.id)
    if left:
        out = SetMembers(aggregate=aggregate.id, members=left)
        remedies.append(Remedy(f"Take {way.box.name} out of {aggregate.name}", (out,)))
    if way.driver.engine is not None:
        without = SetValues(item=way.driver.id, values={"engine_samples": None})
        remedies.append(if_so(f"The driver of {way.box.name} has no period of its own", without))
    return distinct(remedies)


def _another_rate(reading: Reading, program: Program, streams: OpenDevice, way: DeviceStream) -> Snag:
    rate_hz, driving = streams.device.rate_hz, streams.driving
    assert driving is not None
    ratio = rate_hz / way.box.rate_hz
    remedies = []
    if rate_hz in way.box.rates_hz:
        edit = SetValues(item=way.box.id, values={"rate_hz": rate_hz})
        remedies.append(Remedy(f"Run {way.box.name} at {rate_hz / 1000:g} kHz", (edit,)))
    if way.box.rate_hz in driving.box.rates_hz:
        edit = SetValues(item=driving.box.id, values={"rate_hz": way.box.rate_hz})
        remedies.append(Remedy(f"Run {driving.box.name} at {way.box.rate_hz / 1000:g} kHz", (edit,)))
    return Snag(
        key=f"boxes-at-different-rates:{program.id}:{way.box.id}",
        rule="boxes-at-different-rates",
        severity="stop",
        title=f"{way.box.name} runs at {way.box.rate_hz / 1000:g} kHz, {driving.box.name} at {rate_hz / 1000:g}",
        evidence=f"{rate_hz} / {way.box.rate_hz} = {ratio:.4f}, {abs(cents(ratio)):.1f} cents: "
        f"they cannot be one device of {program.name}.",
        consequence=f"{way.box.name} is left out: its channels stay silent.",
        items=(way.box.id, driving.box.id, program.id),
        lines=lines_of_program(reading, program),
        root=f"rates:{way.client}:{way.box.id}",
        mend=partial(distinct, remedies),
    )
