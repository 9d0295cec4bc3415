"""Drivers side by side: what a program would get if its box, or one of its boxes, were opened by another one."""

from dataclasses import dataclass

from iskelo.core.edits.edit import Edit, SetDevice, SetMembers, SetOutputDevice
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice, driver_of, open_aggregate, opened_by
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.programs import Program
from iskelo.core.timing.delays import samples_to_ms
from iskelo.core.timing.terms import trip_terms


@dataclass(frozen=True, slots=True)
class DriverWay:
    """One driver by which a box could be opened for the program, and what it would give.

    ``box`` names it where the device is made of several. ``bars``: why it cannot be opened that way, in words; empty if
    it can. ``edits`` make it so.
    """

    driver: str
    box: str
    kind: str
    now: bool
    capture: int
    playback: int
    buffer_samples: int
    round_trip_ms: float
    round_trip_samples: int
    bars: str
    edits: tuple[Edit, ...]


def driver_ways(reading: Reading, program: Program, streams: OpenDevice) -> tuple[DriverWay, ...]:
    """Every driver of the program's box; of joined boxes, those of each that has more than one."""
    found = reading.found
    device = found.gear.get(streams.device.id)
    if isinstance(device, Aggregate):
        return tuple(
            _of_member(reading, program, device, streams, place, driver)
            for place, member in enumerate(device.members)
            if isinstance(box := found.gear[member.device], Interface) and box.connected and len(box.drivers) > 1
            for driver in box.drivers
        )
    if streams.joined:
        return ()
    return tuple(_of_box(reading, program, streams, driver) for driver in streams.ways[0].box.drivers)


def _of_box(reading: Reading, program: Program, streams: OpenDevice, driver: Driver) -> DriverWay:
    now = driver is streams.device.driver
    then = streams if now else opened_by(streams, driver)
    # One that only plays has its box as an output device.
    edits = SetDevice if program.device == streams.device.id else SetOutputDevice
    edit = edits(program=program.id, device=streams.device.id, driver=driver.id)
    return _told(reading, then, then.ways[0], _bars(reading, program, driver, now=now), edit, now=now)


def _of_member(
    reading: Reading, program: Program, aggregate: Aggregate, streams: OpenDevice, place: int, driver: Driver
) -> DriverWay:
    found, member = reading.found, aggregate.members[place]
    box = found.gear[member.device]
    assert isinstance(box, Interface)
    now = driver is driver_of(box, member.driver)
    members = list(aggregate.members)
    members[place] = member.model_copy(update={"driver": driver.id})
    after = aggregate.model_copy(update={"members": tuple(members)})
    then = streams if now else open_aggregate(after, {each.id: each for each in found.boxes}, found.paces)
    way = next(each for each in then.ways if each.box is box)
    bars = _bars(reading, program, driver, now=now)
    if not bars and driver.engine is not None:
        bars = "works in periods of its own"
    elif not bars and aggregate.buffer_samples not in driver.buffers_samples:
        bars = f"no buffer of {aggregate.buffer_samples}"
    return _told(reading, then, way, bars, SetMembers(aggregate=aggregate.id, members=tuple(members)), now=now)


def _bars(reading: Reading, program: Program, driver: Driver, *, now: bool) -> str:
    if not driver.installed:
        return "not installed"
    other = None if now else reading.found.in_the_way(driver, program)
    return f"{other.name} has it" if other is not None else ""


def _told(reading: Reading, streams: OpenDevice, way: DeviceStream, bars: str, edit: Edit, *, now: bool) -> DriverWay:
    box, driver = way.box, way.driver
    total = sum(
        term.samples
        for bank in ("capture", "playback")
        for term in trip_terms(streams, way, bank, reading.found)
        if way.channels(bank) or not streams.joined
    )
    return DriverWay(
        driver=driver.id,
        box=box.name if streams.joined else "",
        kind=driver.kind,
        now=now,
        capture=box.shown(driver, "capture"),
        playback=box.shown(driver, "playback"),
        buffer_samples=way.buffer_samples,
        round_trip_ms=float(samples_to_ms(total, box.rate_hz)),
        round_trip_samples=total,
        bars=bars,
        edits=(edit,),
    )
