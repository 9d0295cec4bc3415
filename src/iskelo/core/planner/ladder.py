"""The ladder: what each buffer size of a program's driver would do to delay, and to the lines that pass it."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from iskelo.core.lines.context import Reading
from iskelo.core.planner.driver_ways import DriverWay, driver_ways
from iskelo.core.rig.device_streams import Device, OpenDevice, at_buffer
from iskelo.core.rig.links import BANKS, packet_samples
from iskelo.core.rig.programs import Program
from iskelo.core.timing.budgets import recording_bytes_per_s, seconds_to_limit
from iskelo.core.timing.delays import Trip, samples_to_ms, trip_of, way_of
from iskelo.core.timing.growth import Growth
from iskelo.core.timing.spare import MARGIN, Work, smallest_safe, to_spare, work_of
from iskelo.core.timing.terms import trip_terms
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import DEVICE_HOPS

Verdict = Literal["clicks", "tight", "late", "fits", "in time", "not known"]
"""*clicks*: the work does not fit in the buffer; *tight*: it fits, with less to spare than it should have.

Where nothing is known of the work, no buffer *fits*: with it every line is *in time*, or it is *not known*.
"""


KnownBy = Literal["measured", "described", ""]


@dataclass(frozen=True, slots=True)
class Nearest:
    """The line that comes nearest to its limit, or exceeds it most, at one buffer size."""

    line: str
    ms: float
    limit_ms: float


@dataclass(frozen=True, slots=True)
class Rung:
    """One buffer size: its time, the round trip, the time to spare in per cent, and how many lines would be late.

    ``nearest`` is the line nearest to its limit, None where none of those that wait here has one.

    The time to spare is a range where one reading of the program's meter is all there is; None without any.
    ``known``: how the safety offsets of a single box are known at just this buffer, if they are.
    """

    buffer_samples: int
    buffer_ms: float
    in_samples: int
    out_samples: int
    round_trip_samples: int
    round_trip_ms: float
    late_lines: int
    nearest: Nearest | None
    verdict: Verdict
    spare_percent: tuple[float, float] | None
    smallest_safe: bool
    assumed: bool
    known: KnownBy


@dataclass(frozen=True, slots=True)
class Ladder:
    """A program on its device: the present delays, and a rung for every buffer the driver offers.

    ``rate_hz`` is the device's rate, ``own_rate_hz`` what the program is set to; ``resampled``: its driver makes up
    for the difference.

    ``boxes`` are those behind the device, ``others`` by how much they are later than the one that calls.

    ``varies``: by how much a real box's delay differs from one start to the next, which nobody can tell before.
    ``overdub``: for a program that records, where what is played to its own playback lands, and what to do about it.
    ``touched``: for one that works ahead what only plays, how late a hand on that is heard.
    ``limit_ms`` is the tightest limit of the lines that wait in the driver's buffers, which the rungs count;
    ``late_lines`` are those of the program itself.
    """

    program: str
    name: str
    device: str
    device_id: str
    boxes: tuple[str, ...]
    others: str
    driver: str
    driver_kind: str
    rate_hz: int
    own_rate_hz: int
    resampled: bool
    buffer_samples: int
    in_ms: float
    out_ms: float
    round_trip_ms: float
    round_trip_samples: int
    assumed: bool
    assumed_in: bool
    assumed_out: bool
    limit_ms: float | None
    lines: int
    late_lines: int
    verdict: Verdict
    rungs: tuple[Rung, ...]
    ways: tuple[DriverWay, ...]
    varies: str
    overdub: str
    touched: str
    disk_bytes_per_s: int
    seconds_to_4_gib: float | None


@dataclass(frozen=True, slots=True)
class _Waiting:
    """A copy that waits in a driver's buffers: of which line, by which way, for which programs, and its limit."""

    line: str
    name: str
    programs: frozenset[str]
    edges: tuple[Edge, ...]
    seconds: Fraction
    limit_ms: float


@dataclass(frozen=True, slots=True)
class _AtSize:
    """What a buffer size does to the copies that wait in it: which lines are late, and the one nearest to its limit."""

    late: frozenset[str]
    nearest: Nearest | None


def ladders(reading: Reading) -> tuple[Ladder, ...]:
    """A ladder for every program that has a device; those that click first, then those with late lines."""
    waiting, growth = _waiting(reading), Growth(reading.found)
    at_sizes: dict[str, dict[int, _AtSize]] = {}
    found = []
    for program in reading.found.programs():
        streams = reading.found.opened.get(program.id)
        if streams is not None and streams.ways:
            device = streams.device
            buffer = device.buffer_id
            mine = waiting.get(buffer, [])
            if buffer not in at_sizes:
                # Programs on one driver share its buffer, and so its late lines.
                at_sizes[buffer] = {size: _at(mine, growth, buffer, size) for size in device.buffers_samples}
            found.append(_ladder(reading, program, streams, mine, at_sizes[buffer]))
    return tuple(sorted(found, key=lambda each: (each.verdict != "clicks", -each.late_lines)))


def _ladder(
    reading: Reading,
    program: Program,
    streams: OpenDevice,
    waiting: list[_Waiting],
    at_sizes: dict[int, _AtSize],
) -> Ladder:
    device, driver = streams.device, streams.device.driver
    trip = trip_of(streams, reading.found)
    load = _load(reading, program, device)
    rungs = tuple(
        _rung(
            size,
            trip_of(at_buffer(streams, device.buffer_id, size), reading.found),
            device.rate_hz,
            at_sizes[size],
            load,
            known.origin if driver and (known := driver.known_offsets(device.rate_hz, size)) else "",
        )
        for size in device.buffers_samples
    )
    own = {each.line for each in waiting if program.id in each.programs}
    armed = [track.width for track in program.tracks if track.armed and track.far_end is None]
    now = next(rung for rung in rungs if rung.buffer_samples == device.buffer_samples)
    return Ladder(
        program=program.id,
        name=program.name,
        device=device.name,
        device_id=device.id,
        boxes=tuple(way.box.name for way in streams.ways),
        others=_others(reading, streams, trip),
        driver=device.buffer_id,
        driver_kind="joined" if driver is None else "cable" if driver.own_blocks else driver.kind,
        rate_hz=device.rate_hz,
        own_rate_hz=program.rate_hz or device.rate_hz,
        resampled=streams.converts,
        buffer_samples=device.buffer_samples,
        in_ms=float(samples_to_ms(now.in_samples, device.rate_hz)),
        out_ms=float(samples_to_ms(now.out_samples, device.rate_hz)),
        round_trip_ms=now.round_trip_ms,
        round_trip_samples=now.round_trip_samples,
        assumed=trip.assumed,
        assumed_in=trip.assumed_in,
        assumed_out=trip.assumed_out,
        limit_ms=min((each.limit_ms for each in waiting), default=None),
        lines=len({each.line for each in waiting}),
        late_lines=len(own & at_sizes[device.buffer_samples].late),
        verdict=now.verdict,
        rungs=rungs,
        ways=driver_ways(reading, program, streams),
        varies=say_varies(streams),
        overdub=say_overdub(now.round_trip_samples - program.compensates_samples, device.rate_hz) if armed else "",
        touched=say_touched(program, now.out_samples, device.rate_hz),
        disk_bytes_per_s=recording_bytes_per_s(sum(armed), device.rate_hz),
        seconds_to_4_gib=seconds_to_limit(sum(armed) if program.one_file else max(armed), device.rate_hz)
        if armed
        else None,
    )


def _others(reading: Reading, streams: OpenDevice, trip: Trip) -> str:
    """By how much the other boxes of a device are later than the one its round trip is told of, in words."""
    if len(streams.ways) < 2:
        return ""
    said = []
    for way in streams.ways:
        more = [
            sum(term.samples for term in trip_terms(streams, way, bank, reading.found)) - main
            for bank, main in zip(BANKS, (trip.in_samples, trip.out_samples), strict=True)
            if way.channels(bank)
        ]
        if any(more):
            figures = ", ".join(f"{each:+d}" for each in more).replace("-", "−")
            said.append(f"{way.box.name} {figures} samples")
    driving = streams.driving
    name = driving.box.name if driving is not None else streams.device.name
    return f"By {name}; {'; '.join(said)}" if said else f"By {name}"


def say_varies(streams: OpenDevice) -> str:
    """By how much delays by USB differ from one start to the next: about a packet. The twin's never do.

    Common practice, no published source. Example: 'about 6 samples (0.125 ms) from one start to the next'.
    """
    packets = [(size, way.box.rate_hz) for way in streams.ways if (size := packet_samples(way.box)) is not None]
    if not packets:
        return ""
    size, rate_hz = max(packets, key=lambda each: each[0] / each[1])
    return f"about {size} samples ({float(samples_to_ms(size, rate_hz)):.3g} ms) from one start to the next"


def say_overdub(late_samples: int, rate_hz: int) -> str:
    """Where an overdub lands, and how to mend it, in words: never a bare sign.

    The whole round trip less what the program compensates. Example: 'lands 768 samples, 16.00 ms late; move it
    earlier by as much'.
    """
    if late_samples == 0:
        return "lands where it was played"
    apart = f"{abs(late_samples)} samples, {abs(float(samples_to_ms(late_samples, rate_hz))):.2f} ms"
    if late_samples > 0:
        return f"lands {apart} late; move it earlier by as much"
    return f"lands {apart} early; move it later by as much"


def say_touched(program: Program, out_samples: int, rate_hz: int) -> str:
    """How late a fader is heard on what a program works ahead; sound itself is as late as without.

    Example: '2048 samples ahead: a fader there is heard after 47.92 ms'.
    """
    ahead = program.read_ahead_samples
    if ahead is None or not (program.voices or any(not track.armed for track in program.tracks)):
        return ""
    late_ms = float(samples_to_ms(ahead + out_samples, rate_hz))
    return f"{ahead} samples ahead: a fader there is heard after {late_ms:.2f} ms"


@dataclass(frozen=True, slots=True)
class _Load:
    works: tuple[Work, ...]
    jitter_s: float
    smallest_safe: int | None


def _load(reading: Reading, program: Program, box: Device) -> _Load:
    works = work_of(program.load_readings, box.rate_hz)
    jitter_s = reading.rig.jitter_ms / 1000
    safe = smallest_safe(works, jitter_s, box.rate_hz, box.buffers_samples) if works else None
    return _Load(works, jitter_s, safe)


def _verdict(waits: _AtSize, spare: list[float]) -> Verdict:
    if spare and max(spare) < 0:
        return "clicks"
    if waits.late:
        return "late"
    if not spare:
        return "in time" if waits.nearest else "not known"
    return "tight" if min(spare) < MARGIN else "fits"


def _rung(size: int, trip: Trip, rate_hz: int, waits: _AtSize, load: _Load, known: KnownBy) -> Rung:
    total = trip.in_samples + trip.out_samples
    spare = [to_spare(work, load.jitter_s, size, rate_hz) for work in load.works]
    return Rung(
        buffer_samples=size,
        buffer_ms=float(samples_to_ms(size, rate_hz)),
        in_samples=trip.in_samples,
        out_samples=trip.out_samples,
        round_trip_samples=total,
        round_trip_ms=float(samples_to_ms(total, rate_hz)),
        late_lines=len(waits.late),
        nearest=waits.nearest,
        verdict=_verdict(waits, spare),
        spare_percent=(100 * min(spare), 100 * max(spare)) if spare else None,
        smallest_safe=size == load.smallest_safe,
        assumed=trip.assumed,
        known=known,
    )


def _at(waiting: list[_Waiting], growth: Growth, buffer: str, size: int) -> _AtSize:
    """What every copy that waits here comes to with this buffer."""
    come = [
        (each, Nearest(each.name, float(1000 * (each.seconds + growth.along(each.edges, buffer, size))), each.limit_ms))
        for each in waiting
    ]
    return _AtSize(
        frozenset(each.line for each, now in come if now.ms > now.limit_ms),
        max((now for _, now in come), key=lambda now: (now.ms / now.limit_ms, now.line), default=None),
    )


def _waiting(reading: Reading) -> dict[str, list[_Waiting]]:
    """Every copy of a line with a limit, by the drivers in whose buffers it waits."""
    waiting: dict[str, list[_Waiting]] = {}
    for state in reading.lines:
        limit_ms = state.line.longest_delay_ms
        if limit_ms is None:
            continue
        for arrival in (a for leg in state.legs for a in leg.arrivals):
            passed: dict[str, set[str]] = {}
            for edge in arrival.route.edges:
                if edge.kind in DEVICE_HOPS:
                    streams = reading.found.opened[edge.owner]
                    way = way_of(streams, edge)
                    # Boxes that are joined work at the buffer of the device, not of their drivers; so do cables.
                    by_device = way.client == streams.device.id or way.driver.own_blocks
                    own = streams.device.buffer_id if by_device else way.driver.id
                    for buffer in (own, streams.device.buffer_id) if way.rings else (own,):
                        passed.setdefault(buffer, set()).add(edge.owner)
            for driver_id, programs in passed.items():
                copy = _Waiting(
                    state.line.id,
                    state.line.name,
                    frozenset(programs),
                    arrival.route.edges,
                    arrival.delay.seconds + arrival.delay.spread,
                    limit_ms,
                )
                waiting.setdefault(driver_id, []).append(copy)
    return waiting
