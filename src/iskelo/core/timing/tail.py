"""What a run of late wake-ups lets one say about later ones: a fit of its tail, or why there is none.

Peaks over a threshold: wake-ups above it that follow each other closely are one cluster and count by their worst; the
excesses are fitted by a generalised Pareto distribution. The level that one in m exceeds is

    x = u + s / xi ((m z)^xi - 1),    z the share of clusters among all

Source: S. Coles, *An Introduction to Statistical Modeling of Extreme Values*, Springer 2001, chapter 4 (from memory).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

THRESHOLD_SHARE = 0.92
SEPARATE = 1
"""So many values below the threshold end a cluster. Common practice, no published source."""

LEAST_CLUSTERS = 200
FURTHEST = 10
"""A fit is asked no further than ten times what was seen."""

HEAVIEST = 0.5
LOST = 3.841 / 2

Real = NDArray[np.float64]


class NoFit(ValueError):
    """The tail is not fitted; the text says why."""


@dataclass(frozen=True, slots=True)
class Tail:
    """A fitted tail, and the level that one in ``once_in`` exceeds, with its range."""

    threshold: float
    scale: float
    shape: float
    clusters: int
    once_in: int
    level: float
    level_from: float
    level_to: float


def fit_tail(values: Sequence[float]) -> Tail:
    """Fit the tail of values that were measured one after the other.

    Raises
    ------
    NoFit
        With fewer than 200 separate clusters, a tail heavier than xi = 0.5, or halves that disagree.
    """
    told = np.asarray(values, np.float64)
    threshold = float(np.quantile(told, THRESHOLD_SHARE)) if len(told) else 0.0
    peaks = cluster_peaks(told, threshold)
    if len(peaks) < LEAST_CLUSTERS:
        raise NoFit(f"{len(peaks)} separate clusters above {threshold:.3g}; {LEAST_CLUSTERS} are needed")
    excess = peaks - threshold
    scale, shape = pareto_fit(excess)
    if shape > HEAVIEST:
        raise NoFit(f"its tail is too heavy (shape {shape:.2f}; {HEAVIEST} at most)")
    once_in = FURTHEST * len(told)
    share = len(peaks) / len(told)
    level = return_level(threshold, scale, shape, share, once_in)
    low, high = _range(excess, threshold, share, once_in)
    half = len(excess) // 2
    ranges = [_range(part, threshold, share, once_in) for part in (excess[:half], excess[half:])]
    if ranges[0][1] < ranges[1][0] or ranges[1][1] < ranges[0][0]:
        raise NoFit("its first half and its second say different things")
    return Tail(threshold, scale, shape, len(peaks), once_in, level, low, high)


def cluster_peaks(values: Real, threshold: float) -> Real:
    """The worst of each cluster of values above a threshold."""
    peaks: list[float] = []
    last = -SEPARATE - 1
    for place in np.flatnonzero(values > threshold):
        if place - last > SEPARATE:
            peaks.append(float(values[place]))
        else:
            peaks[-1] = max(peaks[-1], float(values[place]))
        last = int(place)
    return np.array(peaks)


def return_level(threshold: float, scale: float, shape: float, share: float, once_in: float) -> float:
    """The level that one value in so many exceeds; ``share``: of clusters among all values."""
    reach = once_in * share
    if abs(shape) < 1e-6:
        return threshold + scale * math.log(reach)
    return threshold + scale / shape * (math.pow(reach, shape) - 1)


def pareto_fit(excess: Real) -> tuple[float, float]:
    """Scale and shape of a generalised Pareto distribution, by maximum likelihood."""
    mean = float(excess.mean())

    def unlikely(point: Real) -> float:
        return -_log_likelihood(excess, math.exp(point[0]), float(point[1]))

    # Only who measures needs it; the server starts a second sooner without it.
    import scipy.optimize  # noqa: PLC0415

    found = scipy.optimize.minimize(unlikely, [math.log(max(mean, 1e-12)), 0.05], method="Nelder-Mead")
    return math.exp(found.x[0]), float(found.x[1])


def _log_likelihood(excess: Real, scale: float, shape: float) -> float:
    inside = 1 + shape * excess / scale
    if shape < -0.9 or bool((inside <= 0).any()):
        return -1e12
    if abs(shape) < 1e-6:
        return -float(len(excess) * math.log(scale) + excess.sum() / scale)
    return -float(len(excess) * math.log(scale) + (1 + 1 / shape) * np.log(inside).sum())


def _range(excess: Real, threshold: float, share: float, once_in: int) -> tuple[float, float]:
    """Where the level lies, 95 %: its range over all scales and shapes that are not much less likely than the best.

    That is the profile likelihood's interval; half of the chi-square quantile 3.84 is the most that may be lost.
    """
    best_scale, best_shape = pareto_fit(excess)
    shapes = np.arange(-0.5, 1.0, 0.01)[:, np.newaxis]
    scales = best_scale * np.geomspace(0.4, 2.5, 121)[np.newaxis, :]
    shapes, scales = (each.reshape(-1, 1) for each in np.broadcast_arrays(shapes, scales))
    shapes = np.where(np.abs(shapes) < 1e-6, 1e-6, shapes)
    inside = 1 + shapes * excess / scales
    possible = (inside > 0).all(axis=1)
    likely = -len(excess) * np.log(scales[:, 0]) - (1 + 1 / shapes[:, 0]) * np.log(np.maximum(inside, 1e-300)).sum(
        axis=1
    )
    best = _log_likelihood(excess, best_scale, best_shape)
    kept = possible & (likely > best - LOST)
    shapes, scales = shapes[kept, 0], scales[kept, 0]
    levels = threshold + scales / shapes * ((once_in * share) ** shapes - 1)
    if not len(levels):
        level = return_level(threshold, best_scale, best_shape, share, once_in)
        return level, level
    return float(levels.min()), float(levels.max())
