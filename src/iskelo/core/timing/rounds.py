"""What comes round: the copies that loops make of a sound, and how fast what goes round may grow.

A loop of gain g and delay T alone makes copies at d + kT, each g times the one before: 1 / (1 - g z^-T). Several are
taken together by Mason's rule (S. J. Mason, Proc. IRE 44, 1956, from memory): H = sum P_k D_k / D, where D = 1 less the
sum of all loops plus the products of two that share no port, and so on, and D_k is D of those that do not touch way k.
"""

import heapq
import math
from collections.abc import Iterable, Sequence
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.ports import Port

COPIES_DOWN_TO_DB = -66.0
"""Copies so far below the loudest are not told."""

COPIES_AT_MOST = 400
_ALL_GONE = 1e-12
FASTEST_DB_PER_S = 1e9


class Passed(NamedTuple):
    """A way or a loop as it is counted with: its ports, its gain as a ratio with a sign, its delay."""

    ports: frozenset[Port]
    ratio: float
    seconds: Fraction


class Hopped(NamedTuple):
    """A hop inside a knot as it is counted with."""

    start: Port
    end: Port
    gain_db: float
    seconds: Fraction


Copies = tuple[tuple[Fraction, float], ...]
"""Delays in seconds with ratios, earliest first."""


def determinant(loops: Sequence[Passed]) -> dict[Fraction, float]:
    """Mason's determinant: gains by delay."""
    total: dict[Fraction, float] = {}

    def add(first: int, taken: frozenset[Port], ratio: float, seconds: Fraction) -> None:
        total[seconds] = total.get(seconds, 0.0) + ratio
        for number in range(first, len(loops)):
            loop = loops[number]
            if taken.isdisjoint(loop.ports):
                add(number + 1, taken | loop.ports, -ratio * loop.ratio, seconds + loop.seconds)

    add(0, frozenset(), 1.0, Fraction(0))
    return total


def copies(ways: Sequence[Passed], loops: Sequence[Passed], down_to_db: float = COPIES_DOWN_TO_DB) -> Copies:
    """What arrives by these ways and all loops, down to so much below the loudest; none if it never ends.

    Loops that a way's source does not reach, or that do not reach its end, must be left out by the caller.
    """
    waiting: dict[Fraction, float] = {}
    for way in ways:
        for seconds, ratio in determinant([each for each in loops if each.ports.isdisjoint(way.ports)]).items():
            at = way.seconds + seconds
            waiting[at] = waiting.get(at, 0.0) + way.ratio * ratio
    later = determinant(loops)
    first = later.pop(Fraction(0), 0.0)
    if abs(first) < _ALL_GONE:
        return ()
    queue = list(waiting)
    heapq.heapify(queue)
    made: list[tuple[Fraction, float]] = []
    loudest, down = 0.0, 10 ** (down_to_db / 20)
    while queue and len(made) < COPIES_AT_MOST:
        at = heapq.heappop(queue)
        ratio = waiting.pop(at) / first
        if abs(ratio) <= down * loudest or ratio == 0.0:
            continue
        loudest = max(loudest, abs(ratio))
        made.append((at, ratio))
        for seconds, gain in later.items():
            then = at + seconds
            if then not in waiting:
                waiting[then] = 0.0
                heapq.heappush(queue, then)
            waiting[then] -= gain * ratio
    return tuple((at, ratio) for at, ratio in made if abs(ratio) > down * loudest)


def growth_db_per_s(hops: Sequence[Hopped]) -> float:
    """The growth that cannot be exceeded, in dB per second; below nought all dies away.

    It is where the spectral radius of the matrix |g| 10^(-s T / 20) is 1. Without inversions it is exactly the growth
    (Perron and Frobenius), with them the bound of the small-gain theorem; both from memory. Infinite where sound goes
    round without any delay, at a gain of 1 or more.
    """
    hops = _folded(hops)
    number = {port: at for at, port in enumerate(sorted({port for hop in hops for port in (hop.start, hop.end)}))}
    places = [(number[hop.end], number[hop.start]) for hop in hops]
    gains, times = np.array([hop.gain_db for hop in hops]), np.array([float(hop.seconds) for hop in hops])

    def grows(rate: float) -> bool:
        matrix: NDArray[np.float64] = np.zeros((len(number), len(number)))
        for (end, start), ratio in zip(places, 10 ** np.clip((gains - rate * times) / 20, -150, 150), strict=True):
            matrix[end, start] += ratio
        return bool(np.abs(np.linalg.eigvals(matrix)).max() > 1)

    low, high, step = 0.0, 0.0, 100.0
    while grows(high):
        high, step = high + step, step * 4
        if high > FASTEST_DB_PER_S:
            return math.inf
    step = 100.0
    while not grows(low):
        low, step = low - step, step * 4
        if low < -FASTEST_DB_PER_S:
            return -math.inf
    while high - low > 1e-9 * max(1.0, abs(high), abs(low)):
        middle = (low + high) / 2
        low, high = (middle, high) if grows(middle) else (low, middle)
    # A loop of just nought dB sustains: the search ends a hair beside nought.
    return 0.0 if abs(low) < 1e-6 else low


def _folded(hops: Sequence[Hopped]) -> list[Hopped]:
    """The same loops over fewer ports: one that only one hop leads to is passed over."""
    left = list(hops)
    while True:
        into: dict[Port, list[Hopped]] = {}
        for hop in left:
            into.setdefault(hop.end, []).append(hop)
        single = next((some[0] for some in into.values() if len(some) == 1 and some[0].start != some[0].end), None)
        if single is None:
            return left
        left = [
            Hopped(single.start, hop.end, single.gain_db + hop.gain_db, single.seconds + hop.seconds)
            if hop.start == single.end
            else hop
            for hop in left
            if hop is not single
        ]


def sum_of_powers(found: Iterable[tuple[Fraction, float]]) -> float:
    """The power of copies apart in time, as that of one at ratio 1."""
    return sum(ratio * ratio for _, ratio in found)
