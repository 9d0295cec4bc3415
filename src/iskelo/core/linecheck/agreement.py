"""Whether what was heard at a target is what was predicted, and what of it cannot be told."""

from dataclasses import dataclass

from iskelo.core.linecheck.drifting import Expected, expected_drift
from iskelo.core.linecheck.predicted import Prediction, hidden_at, loud_of, predicted_copies, rings_at
from iskelo.core.linecheck.rows import SoundRow
from iskelo.core.linecheck.slipping import moved_by, moves, slips_between, tellable
from iskelo.core.lines.context import Reading
from iskelo.core.rig.ports import Port
from iskelo.core.signals.comb import PERIOD_SECONDS
from iskelo.core.signals.listen import Heard
from iskelo.core.twin.told import Slipped


@dataclass(frozen=True, slots=True)
class TargetHeard:
    """A take's channel with what detection heard in it."""

    target: Port
    rate_hz: int
    noise_rms: float
    heard: tuple[Heard, ...]


def agreement(
    target: TargetHeard, sounds: list[SoundRow], sources: list[Port], reading: Reading, slips: tuple[Slipped, ...]
) -> tuple[bool, float | None, str]:
    """Whether every predicted copy was heard where it was predicted, and no other; and what cannot be told of that."""
    hidden = hidden_at(reading, target.target, sources)
    if hidden:
        return True, None, hidden
    worst: float | None = None
    agrees = True
    untold: list[str] = []
    by_source = {row.source: row for row in sounds}
    here = {source: predicted_copies(reading, source, target.target, target.rate_hz) for source in sources}
    clocks = {source: expected_drift(reading, source, target.target) for source in sources}
    met = {source: slips_between(reading, source, target.target, slips) for source in sources}
    slipping = [source for source in sources if here[source] and met[source]]
    apart = len({clocks[source].known_ppm for source in sources if here[source]}) > 1
    for source in sources:
        late = max((samples for samples, *_ in here[source]), default=0)
        if met[source] and not tellable(met[source], late / target.rate_hz):
            times = len(met[source])
            untold.append(f"{reading.found.say(source)} slips {times} times, too often for its delay to be told")
            continue
        rings = bool(rings_at(reading, source, target.target))
        fits, difference = _as_predicted(
            here[source], by_source.get(source), clocks[source], met[source], target, rings=rings
        )
        if not fits and slipping and apart:
            # Periods are compared to find clocks and slips; with both in one channel the one is taken for the other.
            names = ", ".join(map(reading.found.say, slipping))
            untold.append(f"{reading.found.say(source)} cannot be told beside {names}, slipping on another clock")
            continue
        agrees = agrees and fits
        if difference is not None and (worst is None or abs(difference) > abs(worst)):
            worst = difference
    return agrees, worst, "; ".join(untold)


def _as_predicted(
    predicted: list[Prediction],
    row: SoundRow | None,
    clock: Expected,
    met: tuple[Slipped, ...],
    target: TargetHeard,
    *,
    rings: bool,
) -> tuple[bool, float | None]:
    """Whether a sound was heard as it was predicted, and by how many samples it was not.

    Of what goes round (``rings``) every copy heard must be predicted, and the loud ones must all be heard.
    """
    if row is None:
        return not predicted, None
    measured = {round(copy.delay_samples) for copy in row.copies}
    if rings:
        all_there = all(any(abs(each.samples - there) <= 1 for there in measured) for each in loud_of(predicted))
    else:
        all_there = len(predicted) == len(measured)
    fits = all_there and clock.fits(row.drift_ppm, slips=bool(met))
    by = moves(met)
    worst: float | None = None
    for copy in row.copies:
        if copy.predicted_samples is None:
            continue
        within = clock.tolerance(copy.predicted_samples) + clock.worst_ppm * 1e-6 * max(by)
        # Of what cannot be known beforehand it is the nearest that is compared.
        nearest = copy.delay_samples - (copy.difference or 0.0) if copy.predicted_spread else copy.predicted_samples
        moved = moved_by(copy.delay_samples, nearest, by, within, int(PERIOD_SECONDS * target.rate_hz))
        fits = fits and moved is not None
        # What slipped before it was listened to is late, or early, by as much.
        difference = copy.delay_samples - nearest - (moved or 0)
        worst = difference if worst is None or abs(difference) > abs(worst) else worst
    return fits, worst
