"""What slips between clocks do to what is heard: a sound that jumps in time is one sound, not copies of itself.

A block that slips makes all that follows it come earlier, or later, by its samples. In a take with slips a sound is
heard where it should be and so many blocks beside that, each for a part of the time. Between two slips it can be
measured; where no two whole periods of the test signal lie between two, it cannot, and that is said.
"""

import itertools
from collections.abc import Iterable, Sequence

from iskelo.core.lines.context import Reading
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Route, passing_routes
from iskelo.core.signals.comb import PERIOD_SECONDS, PERIODS_PLAYED
from iskelo.core.timing.delays import way_of
from iskelo.core.twin.told import Slipped
from iskelo.core.wiring.hops import DEVICE_HOPS

RINGS_AT_MOST = 4
GUARD_S = 0.01
"""A slip is noted when a block is called for; the sound it cuts is a few blocks around that."""
PLACES_AT_MOST = 4096


def slips_between(reading: Reading, source: Port, target: Port, slips: Iterable[Slipped]) -> tuple[Slipped, ...]:
    """The slips that a sound met on its ways from a source to a target."""
    met = {place for route in passing_routes(reading.graph, source, target) for place in _rings(reading, route)}
    return tuple(slip for slip in slips if (slip.device, slip.box, slip.inward) in met)


def _rings(reading: Reading, route: Route) -> Iterable[tuple[str, str, bool]]:
    """Where on a route something may slip, as the twin names it: device, box, and whether inwards."""
    for edge in route.edges:
        if edge.kind in DEVICE_HOPS:
            streams = reading.found.opened[edge.owner]
            yield streams.device.name, way_of(streams, edge).box.name, edge.kind == "from device"


def tellable(slips: Sequence[Slipped], late_s: float) -> bool:
    """Whether two periods that are listened to, one after the other, have no slip in them: so clocks are compared.

    ``late_s``: the sound arrives so late; the first period is not listened to.
    """
    quiet = [
        not any(
            period * PERIOD_SECONDS <= slip.time_s <= (period + 1) * PERIOD_SECONDS + late_s + GUARD_S for slip in slips
        )
        for period in range(1, PERIODS_PLAYED)
    ]
    return any(both == (True, True) for both in itertools.pairwise(quiet))


def moves(slips: Sequence[Slipped]) -> tuple[int, ...]:
    """By how many samples a sound may be moved by the slips it met: none, or some blocks of each ring, either way.

    A ring slips one way only in a run, for one of its clocks is the faster one.
    """
    rings: dict[tuple[str, str, bool], list[int]] = {}
    for slip in slips:
        rings.setdefault((slip.device, slip.box, slip.inward), []).append(slip.samples)
    steps = []
    for samples in itertools.islice(rings.values(), RINGS_AT_MOST):
        sums = [0, *itertools.accumulate(samples)]
        steps.append(sorted({*sums, *(-each for each in sums)}))
    places = (sum(some) for some in itertools.product(*steps))
    return tuple(sorted(set(itertools.islice(places, PLACES_AT_MOST)), key=abs))


def moved_by(delay: float, predicted: float, by: Iterable[int], within: float, period_samples: int) -> int | None:
    """By how much a copy heard at ``delay`` was moved from where it was predicted; None if no slip explains it.

    Delays go round with the period of the test signal.
    """
    for each in by:
        apart = (delay - predicted - each + period_samples / 2) % period_samples - period_samples / 2
        if abs(apart) <= within:
            return each
    return None
