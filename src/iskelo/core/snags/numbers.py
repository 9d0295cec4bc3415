"""Channel numbers that moved: names of a program stand at other boxes' channels than they were put at."""

from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetDevice, SetLeg, SetMembers, SetValues
from iskelo.core.edits.moved import SIDES, say_channel, whole
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import Bank, OpenDevice, driver_of
from iskelo.core.rig.gear import Aggregate, Interface, Member
from iskelo.core.rig.index import Index, index, leg_letter
from iskelo.core.rig.programs import Meant, Program, ProgramPort
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.reach import lines_passing, lines_through_input
from iskelo.core.snags.rule import Remedy, Snag, distinct, rule

NAMES_TOLD = 6


class Strayed(NamedTuple):
    """One leg of a name, what it stood for and what it has now."""

    item: ProgramPort
    leg: int
    bank: Bank
    meant: Meant
    now: str


def strayed(found: Index, program: Program) -> list[Strayed]:
    """The legs of a program's names that do not stand at what they were put at."""
    streams = whole(found, program.device) or found.opened.get(program.id)
    legs = []
    for field, bank, _ in SIDES if streams is not None else ():
        items: tuple[ProgramPort, ...] = getattr(program, field)
        for item in items:
            for leg, number in enumerate(item.legs, start=1):
                meant = item.meant_by(leg)
                if meant is not None and isinstance(found.gear.get(meant.box), Interface):
                    legs.append(Strayed(item, leg, bank, meant, say_channel(streams, bank, number)))
    return legs


@rule(
    "aggregate",
    symptoms=("misplaced", "nothing", "one side"),
    explains=(
        "line-silent",
        "line-half-silent",
        "line-blocked",
        "line-crossed",
        "line-crowded",
        "leg-without-channel",
        "channel-not-enabled",
        "output-nowhere",
        "driver-shows-too-few",
    ),
)
def numbers_moved(reading: Reading) -> list[Snag]:
    """Names of a program have other boxes' channels than they were put at: a member went, or shows fewer or more."""
    found = reading.found
    snags = []
    for program in found.programs():
        legs = strayed(found, program)
        device = found.gear.get(program.device or "")
        if not legs or not isinstance(device, Aggregate | Interface):
            continue
        items = list(dict.fromkeys(each.item.id for each in legs))
        if isinstance(device, Aggregate):
            why, mend = _cause(found, device, legs), partial(_restored, found, program, device, legs)
        else:
            boxes = list(dict.fromkeys(each.meant.box for each in legs))
            why = f"{program.name} is on {device.name}, without {' and '.join(map(found.name, boxes))}"
            mend = partial(_on_their_device, found, program, boxes)
        count = f"{len(items)} name{'s' if len(items) > 1 else ''} of {program.name}"
        snags.append(
            Snag(
                key=f"numbers-moved:{program.id}",
                rule="numbers-moved",
                severity="stop",
                title=f"{why}: {count} moved",
                evidence=_told(found, legs),
                consequence="Tracks hold other sounds than their names say, or none.",
                items=(device.id, program.id, *items),
                lines=tuple(dict.fromkeys(line for item in items for line in _lines(reading, item))),
                mend=mend,
            )
        )
    return snags


def _on_their_device(found: Index, program: Program, boxes: list[str]) -> tuple[Remedy, ...]:
    """The devices that have all the boxes which names of a program stood for."""
    devices: tuple[Aggregate | Interface, ...] = (*found.aggregates, *found.boxes)
    having = [
        each
        for each in devices
        if set(boxes) <= ({member.device for member in each.members} if isinstance(each, Aggregate) else {each.id})
    ]
    return distinct(
        [
            Remedy(
                f"Give {program.name} the device {each.name}; its names get their channels back",
                (SetDevice(program=program.id, device=each.id),),
            )
            for each in having
        ]
    )


def _lines(reading: Reading, item: str) -> tuple[str, ...]:
    """The lines that pass a name, or would."""
    if reading.found.items[item].side == "input":
        return lines_through_input(reading, item)
    return lines_passing(reading, item)


def _told(found: Index, legs: list[Strayed]) -> str:
    said = [
        f"{each.item.name}{leg_letter(each.leg, len(each.item.legs))} has {each.now} instead of "
        f"{found.name(each.meant.box)} channel {each.meant.channel}"
        for each in legs
    ]
    more = f"; and {len(said) - NAMES_TOLD} more" if len(said) > NAMES_TOLD else ""
    return "; ".join(said[:NAMES_TOLD]) + more + "."


def _cause(found: Index, aggregate: Aggregate, legs: list[Strayed]) -> str:
    """Why the numbers are others, from what the members are and show now."""
    members = {member.device: member for member in aggregate.members}
    gone = list(dict.fromkeys(each.meant.box for each in legs if each.meant.box not in members))
    if gone:
        are = "is" if len(gone) == 1 else "are"
        return f"{' and '.join(map(found.name, gone))} {are} not in {aggregate.name} any more"
    for box, member in ((found.gear[member.device], member) for member in aggregate.members):
        assert isinstance(box, Interface)
        driver = driver_of(box, member.driver)
        for bank in ("capture", "playback"):
            has, whole_box = box.shown(driver, bank), getattr(box, bank)
            if has < box.channels_at(bank, box.rate_hz):
                return f"The {driver.kind} driver of {box.name} shows {has} of {whole_box} {bank} channels"
            if has < whole_box:
                return f"At {box.rate_hz / 1000:g} kHz {box.name} has {has} of {whole_box} {bank} channels"
    return f"The numbers of {aggregate.name} have changed"


def _restored(found: Index, program: Program, aggregate: Aggregate, legs: list[Strayed]) -> tuple[Remedy, ...]:
    """What undoes the cause, and what gives the names their channels as things are."""
    remedies: list[Remedy] = []
    named = list(dict.fromkeys(each.item.name for each in legs))
    names = ", ".join(named[:4])
    back = "gets its channels back" if len(named) == 1 else "get their channels back"
    for words, edits in _undone(found, aggregate, legs):
        mended = _with_channels(found.rig, program.id, edits)
        if mended is not None:
            remedies.append(Remedy(f"{words}; {names} {back}", mended))
    here = _with_channels(found.rig, program.id, ())
    if here:
        remedies.append(Remedy(f"Give {names} the numbers that their channels have now", here))
    return distinct(remedies)


def _own_clock(found: Index, aggregate: Aggregate, box: str) -> bool:
    """Whether a box runs on another clock than the device that it is to be joined to: there it is matched."""
    leader = aggregate.master or next((member.device for member in aggregate.members), box)
    return aggregate.matches and found.paces[box].master != found.paces[leader].master


def _undone(found: Index, aggregate: Aggregate, legs: list[Strayed]) -> Iterator[tuple[str, tuple[Edit, ...]]]:
    """What makes the channels there again that the names stood for."""
    members = {member.device: member for member in aggregate.members}
    gone = [box for box in dict.fromkeys(each.meant.box for each in legs) if box not in members]
    if gone:
        joined = tuple(Member(device=box, matched=_own_clock(found, aggregate, box)) for box in gone)
        edit = SetMembers(aggregate=aggregate.id, members=(*aggregate.members, *joined))
        yield f"Join {' and '.join(map(found.name, gone))} to {aggregate.name} again, last", (edit,)
    for member in aggregate.members:
        box = found.gear[member.device]
        assert isinstance(box, Interface)
        wanted = {bank: max((e.meant.channel for e in legs if e.bank == bank), default=0) for bank in _BANKS}
        driver = driver_of(box, member.driver)
        if all(box.shown(driver, bank) >= box.channels_at(bank, box.rate_hz) for bank in _BANKS):
            slower = [rate for rate in box.rates_hz if all(box.channels_at(b, rate) == getattr(box, b) for b in _BANKS)]
            if slower and box.channels_at("capture", box.rate_hz) < box.capture:
                run = SetValues(item=box.id, values={"rate_hz": slower[-1]})
                yield f"Run {box.name} at {slower[-1] / 1000:g} kHz", (run,)
            continue
        for other in box.drivers:
            if other is driver or any(box.shown(other, bank) < wanted[bank] for bank in _BANKS):
                continue
            by = tuple(
                each.model_copy(update={"driver": other.id}) if each is member else each for each in aggregate.members
            )
            install = () if other.installed else (SetValues(item=other.id, values={"installed": True}),)
            words = f"Open {box.name} in {aggregate.name} by its {other.kind} driver"
            edit = SetMembers(aggregate=aggregate.id, members=by)
            yield (
                (words if other.installed else f"Install the {other.kind} driver of {box.name} and open it by that"),
                (
                    *install,
                    edit,
                ),
            )


_BANKS: tuple[Bank, ...] = ("capture", "playback")


def _with_channels(rig: Rig, program: str, edits: tuple[Edit, ...]) -> tuple[Edit, ...] | None:
    """Edits, and behind them what gives every strayed leg its channel; None if there is none, or nothing to give."""
    try:
        after = apply(rig, edits).rig if edits else rig
    except Refused:
        return None
    found = index(after)
    gear = found.gear[program]
    assert isinstance(gear, Program)
    streams: OpenDevice | None = found.opened.get(program)
    legs: list[Edit] = []
    for each in strayed(found, gear):
        channel = streams.channel(each.bank, each.meant.box, each.meant.channel) if streams is not None else None
        if channel is None:
            return None
        legs.append(SetLeg(item=each.item.id, leg=each.leg, channel=channel))
    return (*edits, *legs) or None
