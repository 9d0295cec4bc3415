"""The ladder: what each buffer size of a program's driver would do to delay, and to the lines that pass it."""

from dataclasses import dataclass
from typing import Literal

from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import Arrival
from iskelo.core.rig.gear import Driver, Interface, Program
from iskelo.core.timing.delays import hardware_samples, samples_to_ms

Verdict = Literal["now", "fits", "late"]


@dataclass(frozen=True, slots=True)
class Rung:
    """One buffer size: its time, the round trip, and how many lines would be late."""

    buffer_samples: int
    buffer_ms: float
    in_samples: int
    out_samples: int
    round_trip_samples: int
    round_trip_ms: float
    late_lines: int
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Ladder:
    """A program on its device: the present delays, and a rung for every buffer the driver offers.

    ``limit_ms`` is the tightest limit of the lines that wait in the driver's buffers, which the rungs count;
    ``late_lines`` are those of the program itself.
    """

    program: str
    name: str
    device: str
    driver: str
    driver_kind: str
    rate_hz: int
    buffer_samples: int
    in_ms: float
    out_ms: float
    round_trip_ms: float
    round_trip_samples: int
    assumed: bool
    limit_ms: float | None
    lines: int
    late_lines: int
    rungs: tuple[Rung, ...]


@dataclass(frozen=True, slots=True)
class _Waiting:
    """A copy that waits in the driver's buffers: how often, how late it is, and how late it may be.

    ``own``: it waits there for the program itself, not for another one on the same driver.
    """

    line: str
    own: bool
    times: int
    samples: int
    rate_hz: int
    limit_ms: float


def ladders(reading: Reading) -> tuple[Ladder, ...]:
    """A ladder for every program that has a device; those with late lines first."""
    found = []
    for program in reading.found.programs():
        box, driver = reading.found.device(program), reading.found.driver(program)
        if box is not None and driver is not None:
            found.append(_ladder(reading, program, box, driver))
    return tuple(sorted(found, key=lambda each: -each.late_lines))


def _ladder(reading: Reading, program: Program, box: Interface, driver: Driver) -> Ladder:
    fixed_in, fixed_out, assumed = hardware_samples(box, driver)
    waiting = _waiting(reading, program, driver)
    rungs = tuple(_rung(size, fixed_in, fixed_out, box.rate_hz, driver, waiting) for size in driver.buffers_samples)
    own = [each for each in waiting if each.own]
    now = next(rung for rung in rungs if rung.buffer_samples == driver.buffer_samples)
    return Ladder(
        program=program.id,
        name=program.name,
        device=box.name,
        driver=driver.id,
        driver_kind=driver.kind,
        rate_hz=box.rate_hz,
        buffer_samples=driver.buffer_samples,
        in_ms=float(samples_to_ms(now.in_samples, box.rate_hz)),
        out_ms=float(samples_to_ms(now.out_samples, box.rate_hz)),
        round_trip_ms=now.round_trip_ms,
        round_trip_samples=now.round_trip_samples,
        assumed=assumed,
        limit_ms=min((each.limit_ms for each in waiting), default=None),
        lines=len({each.line for each in waiting}),
        late_lines=len(_late(own, 0)),
        rungs=rungs,
    )


def _rung(size: int, fixed_in: int, fixed_out: int, rate_hz: int, driver: Driver, waiting: list[_Waiting]) -> Rung:
    change = size - driver.buffer_samples
    late = _late(waiting, change)
    verdict: Verdict = "now" if change == 0 else "late" if late else "fits"
    total = fixed_in + fixed_out + 2 * size
    return Rung(
        buffer_samples=size,
        buffer_ms=float(samples_to_ms(size, rate_hz)),
        in_samples=fixed_in + size,
        out_samples=fixed_out + size,
        round_trip_samples=total,
        round_trip_ms=float(samples_to_ms(total, rate_hz)),
        late_lines=len(late),
        verdict=verdict,
    )


def _late(waiting: list[_Waiting], change: int) -> set[str]:
    """The lines that are late when the buffer is so many samples longer."""
    return {
        each.line
        for each in waiting
        if float(samples_to_ms(each.samples + each.times * change, each.rate_hz)) > each.limit_ms
    }


def _waiting(reading: Reading, program: Program, driver: Driver) -> list[_Waiting]:
    """Every copy of a line with a limit that waits in this driver's buffers."""
    found = []
    for state in reading.lines:
        limit_ms = state.line.longest_delay_ms
        if limit_ms is None:
            continue
        for leg in state.legs:
            for arrival in leg.arrivals:
                times = _times(reading, arrival, driver)
                if times and arrival.delay.rate_hz:
                    delay = arrival.delay
                    own = any(edge.owner == program.id for edge in arrival.route.edges)
                    found.append(_Waiting(state.line.id, own, times, delay.samples, arrival.delay.rate_hz, limit_ms))
    return found


def _times(reading: Reading, arrival: Arrival, driver: Driver) -> int:
    count = 0
    for edge in arrival.route.edges:
        if edge.kind in ("take", "send"):
            program = reading.found.gear[edge.owner]
            assert isinstance(program, Program)
            count += reading.found.driver(program) is driver
    return count
