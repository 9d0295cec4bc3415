"""What a take should show of clocks: how fast a sound's clock is against the test signal's, and how far a delay may be
off where it passes from one clock to another.
"""

from dataclasses import dataclass

from iskelo.core.lines.context import Reading
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Index
from iskelo.core.routes.route import passing_routes
from iskelo.core.timing.clocks import apart
from iskelo.core.timing.delays import way_of
from iskelo.core.wiring.graph import Edge

SAME_SAMPLE = 0.25
"""A measured delay this close to a whole number of samples is that number."""

ACROSS_CLOCKS = 1.0
"""Where a rate is matched, or a ring begins, a delay is held to a sample."""

SAME_PPM = 0.1


@dataclass(frozen=True, slots=True)
class Expected:
    """The drift to be found, None if clocks are not measured; at most ``worst_ppm`` either way; a delay's tolerance."""

    known_ppm: float | None
    worst_ppm: float
    samples: float

    def fits(self, measured_ppm: float) -> bool:
        if self.known_ppm is not None:
            return abs(measured_ppm - self.known_ppm) < SAME_PPM
        return abs(measured_ppm) <= self.worst_ppm + SAME_PPM


def expected_drift(reading: Reading, source: Port, target: Port) -> Expected:
    """What the ways from a source to a target do to its clock.

    The test signal is played by the clock that calls the rig's first program, so a take on another clock drifts against
    it as a whole.
    """
    found = reading.found
    routes = passing_routes(reading.graph, source, target)
    if not routes:
        return Expected(0.0, 0.0, SAME_SAMPLE)
    known: float | None = 0.0
    worst, samples = 0.0, SAME_SAMPLE
    for ppm, most in _steps(found, routes[0].edges, target):
        known = known + ppm if known is not None and ppm is not None else None
        worst += most
    edges = [edge for route in routes for edge in route.edges if edge.kind in ("take", "send")]
    if worst or any(way_of(found.opened[edge.owner], edge).rings for edge in edges):
        samples = ACROSS_CLOCKS
    return Expected(known, worst, samples)


def _steps(found: Index, edges: tuple[Edge, ...], target: Port) -> list[tuple[float | None, float]]:
    steps: list[tuple[float | None, float]] = []
    for edge in edges:
        if edge.kind not in ("take", "send"):
            continue
        opening = found.opened[edge.owner]
        way, caller = way_of(opening, edge), opening.caller
        if caller is None or not way.slips:
            continue
        off = apart(found, found.paces[way.box.id].master, found.paces[caller.box.id].master)
        sign = 1 if edge.kind == "take" else -1
        steps.append((None if off.known_ppm is None else sign * off.known_ppm, off.worst_ppm))
    placed = found.items.get(target.owner)
    own = found.opened.get(placed.program.id) if placed is not None else None
    first = next((opening.caller for opening in found.opened.values() if opening.caller is not None), None)
    if own is not None and own.caller is not None and first is not None:
        off = apart(found, found.paces[own.caller.box.id].master, found.paces[first.box.id].master)
        steps.append((off.known_ppm, off.worst_ppm))
    return steps
