"""What should be heard: every copy of a source at a target, by its ways and by what goes round."""

from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from typing import NamedTuple

from iskelo.core.levels.along import full_scale_dbu
from iskelo.core.levels.units import db_to_ratio, ratio_to_db
from iskelo.core.lines.context import Reading
from iskelo.core.lines.rings import Ringing
from iskelo.core.lines.wet import effects_mixes, is_wet
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Route, passing_routes
from iskelo.core.timing.delays import delay_of

CANCELLED = 1e-4
"""What is left of copies that cancel is so small a share of one of them: gains are typed in tenths of a decibel."""

ONE_WITHIN = Fraction(1, 2)
"""Of a sample: copies closer to each other are heard as one."""

ROUNDS_AT_MOST = 24
"""So many copies of what goes round are looked for in a take."""

LOUD_DB = 40.0
"""Copies of what goes round down to so much below the loudest are heard for sure."""

COUNTED_AT_HZ = 192_000
"""Fine enough that no two copies are counted as one."""


class Prediction(NamedTuple):
    """A copy's delay in samples, its level, its polarity; ``dry_dbfs``: without what effects mixes add to it at once.

    A copy that is all wet, or that has gone round, has no dry level. It may be up to ``spread`` samples later.
    """

    samples: float
    level_dbfs: float
    polarity: int
    dry_dbfs: float | None
    spread: float

    def off_by(self, samples: float) -> float:
        """How far a measured delay is from the nearest of those that it may have; below nought: it is early."""
        return min(0.0, samples - self.samples) + max(0.0, samples - self.samples - self.spread)


def predicted_copies(reading: Reading, source: Port, target: Port, rate_hz: int) -> list[Prediction]:
    """Delay, level and polarity of every copy that should arrive, earliest first.

    In samples of the take: a box that runs at another rate than the rig says (a fault) counts others. Copies that come
    at once are heard as one, or cancel each other.
    """
    routes = passing_routes(reading.graph, source, target, reading.known)
    effects = effects_mixes(reading.found)
    all_wet = all(is_wet(route.edges, effects) for route in routes)
    at_once: dict[Fraction, list[tuple[float, bool]]] = {}
    spreads: dict[Fraction, Fraction] = {}
    for seconds, spread, ratio, wet in _parts(reading, routes, effects, rings_at(reading, source, target)):
        at = seconds * rate_hz
        at_once.setdefault(at, []).append((ratio, wet and not all_wet))
        spreads[at] = max(spreads.get(at, Fraction(0)), spread * rate_hz)
    level = reading.found.level(source)
    copies = []
    for at, parts in _heard_as_one(at_once):
        samples = at.numerator if at.denominator == 1 else float(at)
        loudest = CANCELLED * max(abs(ratio) for ratio, _ in parts)
        together = sum(ratio for ratio, _ in parts)
        dry = sum(ratio for ratio, wet in parts if not wet)
        if abs(together) > loudest:
            dry_dbfs = level + ratio_to_db(abs(dry)) if abs(dry) > loudest else None
            later = float(spreads[at])
            polarity = 1 if together > 0 else -1
            copies.append(Prediction(samples, level + ratio_to_db(abs(together)), polarity, dry_dbfs, later))
    return copies


def _heard_as_one(
    at_once: Mapping[Fraction, list[tuple[float, bool]]],
) -> list[tuple[Fraction, list[tuple[float, bool]]]]:
    """Copies in order of time; those less than half a sample apart, as between clocks, are one."""
    found: list[tuple[Fraction, list[tuple[float, bool]]]] = []
    for at, parts in sorted(at_once.items()):
        if found and at - found[-1][0] < ONE_WITHIN:
            found[-1][1].extend(parts)
        else:
            found.append((at, list(parts)))
    return found


def _parts(
    reading: Reading, routes: list[Route], effects: frozenset[str], rings: tuple[Ringing, ...]
) -> Iterable[tuple[Fraction, Fraction, float, bool]]:
    """Delays in seconds, how much more they may be, and ratios of what arrives; whether it is wet or has gone round."""
    found = reading.found
    ways = [
        (
            *((delay := delay_of(route.edges, found)).seconds, delay.spread),
            route.sign * db_to_ratio(route.gain_db - full_scale_dbu(route.edges, found)),
            is_wet(route.edges, effects),
        )
        for route in routes
    ]
    yield from ways
    straight: dict[Fraction, float] = {}
    for seconds, _, ratio, _ in ways if rings else ():
        straight[seconds] = straight.get(seconds, 0.0) + ratio
    for seconds, ratio in reading.rings.copies(routes, rings) if rings else ():
        rest = ratio - straight.get(seconds, 0.0)
        if abs(rest) > CANCELLED * abs(ratio):
            yield seconds, max((spread for _, spread, *_ in ways), default=Fraction(0)), rest, True


def rings_at(reading: Reading, source: Port, target: Port) -> tuple[Ringing, ...]:
    """What goes round between a source and a target."""
    return reading.rings.between(source, target, reading.known)


def loud_of(predicted: Sequence[Prediction]) -> list[Prediction]:
    """The copies that are heard for sure."""
    loudest = max((each.level_dbfs for each in predicted), default=0.0)
    return [each for each in predicted if each.level_dbfs > loudest - LOUD_DB]


def hidden_at(reading: Reading, target: Port, sources: Iterable[Port]) -> str:
    """Why nothing can be told apart at a target where sound goes round, in words; empty if it can."""
    rings = [each for each in reading.rings.all if target in each.ahead]
    worst = next((each for each in rings if each.verdict != "rings"), None)
    if worst is not None:
        what = "it may howl there" if worst.verdict == "may howl" else "it howls there"
        return f"{what}, and nothing else can be told apart"
    if any(each.more for each in rings) or (rings and _loudest_rounds(reading, target, sources) > ROUNDS_AT_MOST):
        return "it rings there for so long that its copies cannot be told apart"
    return ""


def rounds_at(reading: Reading, target: Port, sources: Sequence[Port]) -> int:
    """How many copies of what goes round are to be looked for at a target."""
    if not any(target in each.ahead for each in reading.rings.all) or hidden_at(reading, target, sources):
        return 0
    return ROUNDS_AT_MOST


def _loudest_rounds(reading: Reading, target: Port, sources: Iterable[Port]) -> int:
    """How many loud copies of one source there are at most."""
    return max((len(loud_of(predicted_copies(reading, each, target, COUNTED_AT_HZ))) for each in sources), default=0)
