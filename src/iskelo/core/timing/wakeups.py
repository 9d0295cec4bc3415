"""How late a computer's own timer wakes somebody up: what a run of wake-ups says, and what it does not."""

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from iskelo.core.timing.tail import NoFit, fit_tail


@dataclass(frozen=True, slots=True)
class Wakeups:
    """A run of wake-ups: how many, how far apart, how late; and what may be said of those that were not seen.

    ``tail``: what a fit of the late ones says of still later ones, or why there is none.
    """

    count: int
    period_ms: float
    median_ms: float
    percentile_99_ms: float
    worst_ms: float
    statement: str
    tail: str = ""


def highest_rate(count: int) -> float:
    """With no miss in so many, misses are rarer than this, at 95 % confidence: 3 / n, the rule of three.

    The exact bound is 1 - 0.05^(1/n), which is a little smaller. Source: J. A. Hanley and A. Lippman-Hand, "If nothing
    goes wrong, is everything all right?", *JAMA* 249(13), 1983 (from memory).
    """
    return min(1.0, 3 / count)


def wakeups_of(late_ms: Sequence[float], period_ms: float) -> Wakeups:
    """What a run of wake-ups says.

    Parameters
    ----------
    late_ms
        How late each was, in the order in which they came; at least one.
    period_ms
        How far apart they were asked for.
    """
    in_order = sorted(late_ms)
    count, worst_ms = len(in_order), in_order[-1]
    return Wakeups(
        count=count,
        period_ms=period_ms,
        median_ms=statistics.median(in_order),
        percentile_99_ms=in_order[min(count - 1, int(0.99 * count))],
        worst_ms=worst_ms,
        statement=f"None of {count} wake-ups was more than {worst_ms:.2f} ms late: later ones are rarer than "
        f"{100 * highest_rate(count):.2g} % (95 %).",
        tail=say_tail(late_ms),
    )


def say_tail(late_ms: Sequence[float]) -> str:
    """The fit of a run's tail in words."""
    try:
        tail = fit_tail(late_ms)
    except NoFit as reason:
        return f"No tail is fitted: {reason}."
    return (
        f"By a fit of its tail one in {tail.once_in} is more than {tail.level:.2f} ms late "
        f"({tail.level_from:.2f} to {tail.level_to:.2f} ms, 95 %; {tail.clusters} separate late ones)."
    )
