"""What a take should show of clocks: how fast a sound's clock is against the test signal's, and how far a delay may be
off where it passes from one clock to another.
"""

from collections import Counter
from dataclasses import dataclass

from iskelo.core.lines.context import Reading
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import passing_routes
from iskelo.core.timing.clocks import apart, clock_of
from iskelo.core.timing.delays import way_of
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import DEVICE_HOPS

SAME_SAMPLE = 0.25
"""A measured delay this close to a whole number of samples is that number."""

ACROSS_CLOCKS = 1.0
"""Where a rate is matched, or a ring begins, a delay is held to a sample."""

SAME_PPM = 0.1
SAME_PPM_BETWEEN_SLIPS = 0.5
"""Between two slips there may be one period of the test signal, which is then compared with parts of others alone."""


@dataclass(frozen=True, slots=True)
class Expected:
    """The drift to be found, None if clocks are not measured; at most ``worst_ppm`` either way.

    A delay is held to ``samples``, and to ``per_sample`` more for each sample of it: it is counted by clocks that are
    so far apart, and told at the start of a take.
    """

    known_ppm: float | None
    worst_ppm: float
    samples: float
    per_sample: float = 0.0

    def fits(self, measured_ppm: float, *, slips: bool = False) -> bool:
        """Whether a measured drift is the expected one; between two ``slips`` it is told less finely."""
        within = SAME_PPM_BETWEEN_SLIPS if slips else SAME_PPM
        if self.known_ppm is not None:
            return abs(measured_ppm - self.known_ppm) < within
        return abs(measured_ppm) <= self.worst_ppm + within

    def tolerance(self, delay_samples: float) -> float:
        """How far a measured delay may be from the predicted one.

        Example: 8 435 samples counted by a clock that is 123.5 ppm fast begin 1.04 samples early at a take's start.
        """
        return self.samples + self.per_sample * delay_samples


def expected_drift(reading: Reading, source: Port, target: Port) -> Expected:
    """What the ways from a source to a target do to its clock.

    The test signal is played in the time of the clock that calls the rig's first program, by a voice in that of its own
    program's device, and so is a take on another clock. Where a rate is not matched, samples go over from one clock to
    the other as they are.
    """
    found = reading.found
    routes = passing_routes(reading.graph, source, target)
    if not routes:
        return Expected(0.0, 0.0, SAME_SAMPLE)
    edges = routes[0].edges
    turns = _turns(found, edges, source, target)
    known, worst = _together(found, turns)
    taken = [edge for route in routes for edge in route.edges if edge.kind in DEVICE_HOPS]
    ringed = any(way_of(found.opened[edge.owner], edge).rings for edge in taken)
    # Clocks that are the same in the end, as through a matched ring, count delays all the same.
    reference = _reference(found)
    clocks = {master for route in routes for master in _clocks(found, route.edges)}
    spread = max((apart(found, clock, reference).worst_ppm for clock in clocks), default=0.0) if reference else 0.0
    samples = ACROSS_CLOCKS if worst or ringed else SAME_SAMPLE
    return Expected(known, worst, samples, (2 * spread + worst) * 1e-6)


def _turns(found: Index, edges: tuple[Edge, ...], source: Port, target: Port) -> Counter[str]:
    """How often each clock, by its master, is counted for (or against) in the speed of a sound at its target."""
    turns: Counter[str] = Counter()

    def turn(faster: str | None, slower: str | None, times: int = 1) -> None:
        if faster is not None and slower is not None:
            turns[faster] += times
            turns[slower] -= times

    reference = _reference(found)
    turn(_caller(found, target), reference)
    turn(_caller(found, source), reference, -1)
    for edge in edges:
        if edge.kind not in DEVICE_HOPS:
            continue
        streams = found.opened[edge.owner]
        way, driving = way_of(streams, edge), streams.driving
        if driving is not None and way.slips:
            sign = 1 if edge.kind == "from device" else -1
            turn(found.paces[way.box.id].master, found.paces[driving.box.id].master, sign)
    return Counter({clock: times for clock, times in turns.items() if times})


def _together(found: Index, turns: Counter[str]) -> tuple[float | None, float]:
    """The speed that clocks make together, None if one of them was not measured, and the most it can be, in ppm."""
    speed: float | None = 1.0
    worst = 0.0
    for clock, times in turns.items():
        measured, within = clock_of(found, clock)
        speed = speed * (1 + measured * 1e-6) ** times if speed is not None and measured is not None else None
        worst += abs(times) * (abs(measured) if measured is not None else within)
    return (None, worst) if speed is None else ((speed - 1) * 1e6, abs(speed - 1) * 1e6)


def _caller(found: Index, port: Port) -> str | None:
    """The clock by which a program's tracks are taken, and its voices played; None for what is no program's."""
    placed = found.items.get(port.owner)
    streams = found.opened.get(placed.program.id) if placed is not None else None
    return None if streams is None or streams.driving is None else found.paces[streams.driving.box.id].master


def _reference(found: Index) -> str | None:
    """The clock by which the rig's first program is called."""
    first = next((streams.driving for streams in found.opened.values() if streams.driving is not None), None)
    return None if first is None else found.paces[first.box.id].master


def _clocks(found: Index, edges: tuple[Edge, ...]) -> set[str]:
    """The clocks of all boxes on a way."""
    boxes = {edge.owner for edge in edges if edge.owner in found.paces}
    for edge in edges:
        if edge.kind in DEVICE_HOPS:
            streams = found.opened[edge.owner]
            boxes.add(way_of(streams, edge).box.id)
            boxes |= {streams.driving.box.id} if streams.driving is not None else set()
    return {found.paces[box].master for box in boxes}
