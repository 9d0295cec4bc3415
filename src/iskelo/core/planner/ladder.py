"""The ladder: what each buffer size of a program's driver would do to delay, and to the lines that pass it."""

from dataclasses import dataclass
from typing import Literal

from iskelo.core.lines.context import Reading
from iskelo.core.planner.driver_ways import DriverWay, driver_ways
from iskelo.core.rig.gear import Driver, Interface
from iskelo.core.rig.programs import Program
from iskelo.core.rig.ways import Opening
from iskelo.core.timing.budgets import recording_bytes_per_s, seconds_to_limit
from iskelo.core.timing.delays import BANKS, Trip, Waits, samples_to_ms, trip_of, trip_terms, waits, waits_of, way_of
from iskelo.core.timing.spare import MARGIN, Work, smallest_safe, to_spare, work_of

Verdict = Literal["clicks", "tight", "late", "fits"]
"""*clicks*: the work does not fit in the buffer; *tight*: it fits, with less to spare than it should have."""


@dataclass(frozen=True, slots=True)
class Rung:
    """One buffer size: its time, the round trip, the time to spare in per cent, and how many lines would be late.

    The time to spare is a range where one reading of the program's meter is all there is; None without any.
    """

    buffer_samples: int
    buffer_ms: float
    in_samples: int
    out_samples: int
    round_trip_samples: int
    round_trip_ms: float
    late_lines: int
    verdict: Verdict
    spare_percent: tuple[float, float] | None
    smallest_safe: bool


@dataclass(frozen=True, slots=True)
class Ladder:
    """A program on its device: the present delays, and a rung for every buffer the driver offers.

    ``rate_hz`` is the device's rate, ``own_rate_hz`` what the program is set to; ``resampled``: its driver makes up
    for the difference.

    ``boxes`` are those behind the device, ``others`` by how much they are later than the one that calls.

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
    limit_ms: float | None
    lines: int
    late_lines: int
    verdict: Verdict
    rungs: tuple[Rung, ...]
    ways: tuple[DriverWay, ...]
    overdub: str
    touched: str
    disk_bytes_per_s: int
    seconds_to_4_gib: float | None


@dataclass(frozen=True, slots=True)
class _Waiting:
    """A copy that waits in a driver's buffers: for which programs, how often each way, and how late it may be."""

    line: str
    programs: frozenset[str]
    takes: int
    sends: int
    samples: int
    rate_hz: int
    limit_ms: float

    def late(self, more_in: int, more_out: int) -> bool:
        """Whether it is late when every take waits so many samples more, and every send."""
        samples = self.samples + self.takes * more_in + self.sends * more_out
        return 1000 * samples > self.limit_ms * self.rate_hz


def ladders(reading: Reading) -> tuple[Ladder, ...]:
    """A ladder for every program that has a device; those that click first, then those with late lines."""
    waiting = _waiting(reading)
    late: dict[str, dict[int, int]] = {}
    found = []
    for program in reading.found.programs():
        opening = reading.found.opened.get(program.id)
        if opening is not None and opening.ways:
            driver = opening.driver
            mine = waiting.get(driver.id, [])
            if driver.id not in late:
                # Programs on one driver share its buffer, and so its late lines.
                late[driver.id] = {size: len(_late(mine, driver, size)) for size in driver.buffers_samples}
            found.append(_ladder(reading, program, opening, mine, late[driver.id]))
    return tuple(sorted(found, key=lambda each: (each.verdict != "clicks", -each.late_lines)))


def _ladder(
    reading: Reading,
    program: Program,
    opening: Opening,
    waiting: list[_Waiting],
    late: dict[int, int],
) -> Ladder:
    box, driver = opening.device, opening.driver
    trip = trip_of(opening, reading.found)
    load = _load(reading, program, box, driver)
    rungs = tuple(_rung(size, trip, box.rate_hz, driver, late[size], load) for size in driver.buffers_samples)
    own = [each for each in waiting if program.id in each.programs]
    armed = [track.width for track in program.tracks if track.armed]
    now = next(rung for rung in rungs if rung.buffer_samples == driver.buffer_samples)
    return Ladder(
        program=program.id,
        name=program.name,
        device=box.name,
        device_id=box.id,
        boxes=tuple(way.box.name for way in opening.ways),
        others=_others(reading, opening, trip),
        driver=driver.id,
        driver_kind="joined" if driver.id == box.id else driver.kind,
        rate_hz=box.rate_hz,
        own_rate_hz=program.rate_hz or box.rate_hz,
        resampled=opening.converts,
        buffer_samples=driver.buffer_samples,
        in_ms=float(samples_to_ms(now.in_samples, box.rate_hz)),
        out_ms=float(samples_to_ms(now.out_samples, box.rate_hz)),
        round_trip_ms=now.round_trip_ms,
        round_trip_samples=now.round_trip_samples,
        assumed=trip.assumed,
        limit_ms=min((each.limit_ms for each in waiting), default=None),
        lines=len({each.line for each in waiting}),
        late_lines=len(_late(own, driver, driver.buffer_samples)),
        verdict=now.verdict,
        rungs=rungs,
        ways=driver_ways(reading, program, opening),
        overdub=say_overdub(now.round_trip_samples - program.compensates_samples, box.rate_hz) if armed else "",
        touched=say_touched(program, now.out_samples, box.rate_hz),
        disk_bytes_per_s=recording_bytes_per_s(sum(armed), box.rate_hz),
        seconds_to_4_gib=seconds_to_limit(sum(armed) if program.one_file else max(armed), box.rate_hz)
        if armed
        else None,
    )


def _others(reading: Reading, opening: Opening, trip: Trip) -> str:
    """By how much the other boxes of a device are later than the one its round trip is told of, in words."""
    if len(opening.ways) < 2:
        return ""
    said = []
    for way in opening.ways:
        more = [
            sum(term.samples for term in trip_terms(opening, way, bank, reading.found)) - main
            for bank, main in zip(BANKS, (trip.in_samples, trip.out_samples), strict=True)
            if way.channels(bank)
        ]
        if any(more):
            said.append(f"{way.box.name} {', '.join(f'{each:+d}' for each in more)} samples")
    caller = opening.caller
    name = caller.box.name if caller is not None else opening.device.name
    return f"By {name}; {'; '.join(said)}" if said else f"By {name}"


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


def _load(reading: Reading, program: Program, box: Interface, driver: Driver) -> _Load:
    works = work_of(program.load_readings, box.rate_hz)
    jitter_s = reading.rig.jitter_ms / 1000
    safe = smallest_safe(works, jitter_s, box.rate_hz, driver.buffers_samples) if works else None
    return _Load(works, jitter_s, safe)


def _rung(size: int, trip: Trip, rate_hz: int, driver: Driver, late: int, load: _Load) -> Rung:
    into, out = trip.at(driver, size)
    total = into + out
    spare = [to_spare(work, load.jitter_s, size, rate_hz) for work in load.works]
    verdict: Verdict = "late" if late else "fits"
    if spare and max(spare) < 0:
        verdict = "clicks"
    elif spare and min(spare) < MARGIN and not late:
        verdict = "tight"
    return Rung(
        buffer_samples=size,
        buffer_ms=float(samples_to_ms(size, rate_hz)),
        in_samples=into,
        out_samples=out,
        round_trip_samples=total,
        round_trip_ms=float(samples_to_ms(total, rate_hz)),
        late_lines=late,
        verdict=verdict,
        spare_percent=(100 * min(spare), 100 * max(spare)) if spare else None,
        smallest_safe=size == load.smallest_safe,
    )


def _late(waiting: list[_Waiting], driver: Driver, buffer_samples: int) -> set[str]:
    """The lines that are late with this buffer."""
    then, now = waits(driver, buffer_samples), waits(driver, driver.buffer_samples)
    more_in, more_out = then[0] - now[0], then[1] - now[1]
    return {each.line for each in waiting if each.late(more_in, more_out)}


def _waiting(reading: Reading) -> dict[str, list[_Waiting]]:
    """Every copy of a line with a limit, by the drivers in whose buffers it waits."""
    waiting: dict[str, list[_Waiting]] = {}
    for state in reading.lines:
        limit_ms = state.line.longest_delay_ms
        for arrival in (a for leg in state.legs for a in leg.arrivals) if limit_ms is not None else ():
            passed: dict[str, list[tuple[str, Waits]]] = {}
            for edge in arrival.route.edges:
                if edge.kind in ("take", "send"):
                    opening = reading.found.opened[edge.owner]
                    way = way_of(opening, edge)
                    for wait in waits_of(opening, way, "capture" if edge.kind == "take" else "playback"):
                        passed.setdefault(wait.driver, []).append((edge.owner, wait))
            for identity, met in passed.items():
                assert limit_ms is not None
                assert arrival.delay.rate_hz is not None
                copy = _Waiting(
                    state.line.id,
                    frozenset(owner for owner, _ in met),
                    sum(wait.takes for _, wait in met),
                    sum(wait.sends for _, wait in met),
                    arrival.delay.samples,
                    arrival.delay.rate_hz,
                    limit_ms,
                )
                waiting.setdefault(identity, []).append(copy)
    return waiting
