"""How programs reach boxes: one box by a driver, one for input and another for output, or several joined as one."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from iskelo.core.rig.clocks import Pace
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Aggregate, Interface, Member
from iskelo.core.rig.programs import Program

Bank = Literal["capture", "playback"]

CHANNELS_AT_MOST = 128

RATE_OF_NOTHING_HZ = 48_000
"""What joined boxes count at of which none is there."""


@dataclass(frozen=True, slots=True)
class DeviceStream:
    """One box of those a program reaches, and which of its device's channels are this box's.

    ``client`` is who opens the driver: the program itself, or the aggregate it is on. Channel ``capture_before`` + 1
    of the device is the box's capture channel 1, and so on for ``capture`` channels; likewise playback.
    ``calls``: the program is called at this box's pace. A box that is neither that one nor started together with it
    on one clock hands its sound over through a ring (``rings``), where it waits ``margin_samples`` and as long as the
    other needs. ``own_rate_hz``: what a program that opens one box says its rate is.
    """

    box: Interface
    driver: Driver
    client: str
    buffer_samples: int
    capture_before: int
    capture: int
    playback_before: int
    playback: int
    calls: bool
    same_clock: bool
    matched: bool
    rings: bool
    margin_samples: int
    own_rate_hz: int | None = None

    @property
    def converts(self) -> bool:
        """Its driver brings the program's rate to the box's and back."""
        return self.driver.resamples and self.own_rate_hz not in (None, self.box.rate_hz)

    def channels(self, bank: Bank) -> range:
        """The device's channels that are this box's."""
        first, count = (
            (self.capture_before, self.capture) if bank == "capture" else (self.playback_before, self.playback)
        )
        return range(first + 1, first + count + 1)

    def shown(self, bank: Bank) -> int:
        """How many of the box's channels its driver shows to whom opens it."""
        return self.box.shown(self.driver, bank)

    @property
    def slips(self) -> bool:
        """It runs on another clock, and nothing makes up for it."""
        return not self.same_clock and not self.matched


@dataclass(frozen=True, slots=True)
class Device:
    """What a program opens, whatever stands behind it: a box by a driver, two boxes, or several joined.

    ``id``: the gear a program names for it. ``buffer_id``: the driver, the aggregate or the program whose buffer it
    works at, with the sizes it offers; ``driver``: that driver, None for boxes that are joined.
    """

    id: str
    name: str
    rate_hz: int
    rates_hz: tuple[int, ...]
    capture: int
    playback: int
    buffer_id: str
    buffer_samples: int
    buffers_samples: tuple[int, ...]
    driver: Driver | None

    def channels(self, bank: Bank) -> int:
        """How many channels it has."""
        return self.capture if bank == "capture" else self.playback


@dataclass(frozen=True, slots=True)
class OpenDevice:
    """A program's device as the program sees it, and the ways to the boxes behind it."""

    device: Device
    ways: tuple[DeviceStream, ...]

    @property
    def driving(self) -> DeviceStream | None:
        """The box at whose pace the program is called; None if no box of its device is there."""
        return next((way for way in self.ways if way.calls), None)

    @property
    def converts(self) -> bool:
        """A program at another rate than its box is heard and plays at the right speed all the same."""
        return any(way.converts for way in self.ways)

    def at(self, bank: Bank, channel: int) -> tuple[DeviceStream, int] | None:
        """The box behind a channel of the device, and its own number there; None beyond the last."""
        for way in self.ways:
            numbers = way.channels(bank)
            if channel in numbers:
                return way, channel - numbers.start + 1
        return None

    def to(self, bank: Bank, box: str) -> DeviceStream | None:
        """The way to a box, in or out."""
        return next((way for way in self.ways if way.box.id == box and way.channels(bank)), None)

    def channel(self, bank: Bank, box: str, number: int) -> int | None:
        """The device's number of a box's own channel."""
        way = self.to(bank, box)
        if way is None or not 1 <= number <= len(way.channels(bank)):
            return None
        return way.channels(bank).start + number - 1

    @property
    def joined(self) -> bool:
        """Whether there is more than one box behind the device, or could be."""
        return len(self.ways) != 1 or self.device.driver is None


def driver_of(box: Interface, driver: str | None) -> Driver:
    """The driver of a box with this id; None is its first."""
    return next((each for each in box.drivers if each.id == driver), box.drivers[0])


def present(aggregate: Aggregate, boxes: Mapping[str, Interface]) -> list[tuple[Member, Interface]]:
    """The members that are there: boxes of the rig that are connected to the computer."""
    found = [(member, boxes[member.device]) for member in aggregate.members if member.device in boxes]
    return [(member, box) for member, box in found if box.connected]


def open_program(
    program: Program, boxes: Mapping[str, Interface], aggregates: Mapping[str, Aggregate], paces: Mapping[str, Pace]
) -> OpenDevice | None:
    """How a program reaches its device; None if it has none."""
    aggregate = aggregates.get(program.device or "")
    if aggregate is not None:
        return open_aggregate(aggregate, boxes, paces)
    into = boxes.get(program.device or "")
    out = boxes.get(program.output_device or "")
    if into is None or out is None:
        box, by = (into, program.driver) if into is not None else (out, program.output_driver)
        return open_box(box, driver_of(box, by), program) if box is not None else None
    return _two(program, into, out, paces)


def buffer_of(program: Program | None, driver: Driver) -> int:
    """The buffer that a program has at a driver."""
    own = program.buffer_samples if program is not None and driver.own_blocks else None
    return driver.buffer_samples if own is None else own


def open_box(box: Interface, driver: Driver, program: Program | None = None) -> OpenDevice:
    """One box by one of its drivers; ``program``: who opens it."""
    way = DeviceStream(
        box=box,
        driver=driver,
        client=program.id if program is not None else "",
        buffer_samples=buffer_of(program, driver),
        capture_before=0,
        capture=box.capture,
        playback_before=0,
        playback=box.playback,
        calls=True,
        same_clock=True,
        matched=False,
        rings=False,
        margin_samples=0,
        own_rate_hz=program.rate_hz if program is not None else None,
    )
    return OpenDevice(_device(box, driver, program), (way,))


def _device(
    box: Interface, driver: Driver, program: Program | None, name: str = "", capture: int | None = None
) -> Device:
    """A device that works at the buffer of one box's driver, or at that of the program that opens it."""
    return Device(
        id=box.id,
        name=name or box.name,
        rate_hz=box.rate_hz,
        rates_hz=box.rates_hz,
        capture=box.capture if capture is None else capture,
        playback=box.playback,
        buffer_id=program.id if program is not None and driver.own_blocks else driver.id,
        buffer_samples=buffer_of(program, driver),
        buffers_samples=tuple(sorted({*driver.buffers_samples, buffer_of(program, driver)})),
        driver=driver,
    )


def opened_by(streams: OpenDevice, driver: Driver) -> OpenDevice:
    """The same single box by another of its drivers."""
    (way,) = streams.ways
    other = replace(way, driver=driver, buffer_samples=driver.buffer_samples)
    return OpenDevice(_device(way.box, driver, None), (other,))


def at_buffer(streams: OpenDevice, driver: str, size: int) -> OpenDevice:
    """The same device when a driver's buffer, or that of the aggregate or the program with this id, is another."""

    device = streams.device

    def changed(way: DeviceStream) -> DeviceStream:
        if way.client == device.id:
            return replace(way, buffer_samples=size) if driver == device.id else way
        if way.driver.own_blocks:
            # Served in the calls of a program, at the buffer of its device.
            return replace(way, buffer_samples=size) if driver == device.buffer_id else way
        if way.driver.id != driver:
            return way
        return replace(way, driver=_sized(way.driver, size), buffer_samples=size)

    if device.buffer_id == driver:
        own = device.driver
        own = _sized(own, size) if own is not None and not own.own_blocks else own
        device = replace(device, buffer_samples=size, driver=own)
    return OpenDevice(device, tuple(map(changed, streams.ways)))


def _sized(driver: Driver, size: int) -> Driver:
    return driver.model_copy(update={"buffer_samples": size})


def _two(program: Program, into: Interface, out: Interface, paces: Mapping[str, Pace]) -> OpenDevice:
    """Input from one device and output to another, which calls: the input waits a block more of the one that calls."""
    driver_in, driver_out = driver_of(into, program.driver), driver_of(out, program.output_driver)
    same = paces[into.id].master == paces[out.id].master
    # A cable has no blocks of its own: each program is served in the program's own calls.
    size = buffer_of(program, driver_out)
    own = into.cable is not None and driver_in.own_blocks
    ways = (
        DeviceStream(
            box=into,
            driver=driver_in,
            client=program.id,
            buffer_samples=size if own else driver_in.buffer_samples,
            capture_before=0,
            capture=into.capture,
            playback_before=0,
            playback=0,
            calls=False,
            same_clock=same,
            matched=program.matched and not same,
            # An engine's stream time runs ahead of its calls, and a cable's does not.
            rings=not (own and same and driver_out.engine is None),
            margin_samples=program.margin_samples,
        ),
        DeviceStream(
            box=out,
            driver=driver_out,
            client=program.id,
            buffer_samples=size,
            capture_before=0,
            capture=0,
            playback_before=0,
            playback=out.playback,
            calls=True,
            same_clock=True,
            matched=False,
            rings=False,
            margin_samples=0,
        ),
    )
    return OpenDevice(_device(out, driver_out, program, f"{into.name} in, {out.name} out", into.capture), ways)


def open_aggregate(
    aggregate: Aggregate, boxes: Mapping[str, Interface], paces: Mapping[str, Pace], *, whole: bool = False
) -> OpenDevice:
    """The device that an aggregate's present members make up; ``whole``: as if all of them were there."""
    if whole:
        boxes = {identity: box.model_copy(update={"connected": True}) for identity, box in boxes.items()}
    there = present(aggregate, boxes)
    master = next((box for _, box in there if box.id == aggregate.master), there[0][1] if there else None)
    ways: list[DeviceStream] = []
    captured = played = 0
    for member, box in there:
        assert master is not None
        driver = driver_of(box, member.driver)
        same = paces[box.id].master == paces[master.id].master
        capture, playback = box.shown(driver, "capture"), box.shown(driver, "playback")
        ways.append(
            DeviceStream(
                box=box,
                driver=driver,
                client=aggregate.id,
                buffer_samples=aggregate.buffer_samples,
                capture_before=captured,
                capture=capture,
                playback_before=played,
                playback=playback,
                calls=box is master,
                same_clock=same,
                matched=member.matched and aggregate.matches and not same,
                rings=not same,
                margin_samples=aggregate.margin_samples,
            )
        )
        captured, played = captured + capture, played + playback
    rate_hz = master.rate_hz if master is not None else RATE_OF_NOTHING_HZ
    device = Device(
        id=aggregate.id,
        name=aggregate.name,
        rate_hz=rate_hz,
        rates_hz=master.rates_hz if master is not None else (rate_hz,),
        capture=min(captured, CHANNELS_AT_MOST),
        playback=min(played, CHANNELS_AT_MOST),
        buffer_id=aggregate.id,
        buffer_samples=aggregate.buffer_samples,
        buffers_samples=buffers_of([way.driver for way in ways], aggregate.buffer_samples),
        driver=None,
    )
    return OpenDevice(device, tuple(ways))


def buffers_of(drivers: list[Driver], now: int) -> tuple[int, ...]:
    """The buffers that all these drivers offer, and the present one in any case."""
    fixed = [set(each.buffers_samples) for each in drivers if not each.own_blocks]
    shared = set.intersection(*fixed) if fixed else {size for each in drivers for size in each.buffers_samples}
    return tuple(sorted({*shared, now}))
