"""How far the clock of a take runs from the clock that the test signal was played by, and whether it slipped.

The test signal repeats. On a clock that is fast by d, a period is longer by d times its length, so every period lags
the one before it. Where nothing lags, the periods are the same but for noise, which is seen at once; only where they
are not, each is compared with the next. Unequal lags from period to period are a slip. Then the take is read at the
pace of each clock found, and each source's own lines tell which clock it is on, and what is left of its drift.
"""

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import finufft
import numpy as np
import scipy.fft
from numpy.typing import NDArray

from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb
from iskelo.core.signals.listen import Clear, Complex, Real, clear_lines

SAME = 2e-4
"""Periods whose difference has less than this share of their energy do not drift by more than 0.04 ppm; noise 40 dB
below the signal stays under it."""

MOST_PPM = 5000.0
"""USB 2.0 allows full-speed devices 2500 ppm either way, from memory, and two clocks are compared; beyond that it is
another rate, not a drift."""

REACH_SAMPLES = 6000
"""Jumps up to so far are looked for."""

SECOND = 0.12
"""A second clock in one channel must show this share of the first one's peak; a woven comb's own sidelobes stay below
0.16 where it has few lines, and are then found to be nobody's."""

ALIKE = 8.0
"""A peak so much above the rest is no accident: the highest of 12 000 lags of noise is about 4.5 times as high."""

JUMPED = 0.3
CLOCKS_AT_MOST = 4
APART_SAMPLES = 1.5
COHERENT = 0.5

EXACT = 1e-9
"""What is asked of a transform between bins: 180 dB below the sound."""

TOGETHER = 16
"""So many neighbouring lines are turned alike, but for a hundredth of a turn, by the few samples that may be left."""


@dataclass(frozen=True, slots=True)
class Pace:
    """How fast a channel's clock may be, and where it slipped.

    ``clocks_ppm`` are the speeds to be tried, the plainest first; ``jumps`` the samples of each slip; between the
    periods ``first`` and ``last``, counted from nought, nothing slipped.
    """

    clocks_ppm: tuple[float, ...]
    jumps: tuple[int, ...]
    first: int
    last: int


def unlike_share(channel: NDArray[np.float32] | Real, comb: WovenComb) -> float:
    """The energy by which the last analysed period differs from the first one, as a share of the first one's."""
    period = comb.period_samples
    first = channel[period : 2 * period].astype(np.float64)
    last = channel[(PERIODS_PLAYED - 1) * period : PERIODS_PLAYED * period]
    apart = last - first
    return float(apart @ apart) / max(float(first @ first), 1e-300)


def repeats(channel: NDArray[np.float32] | Real, comb: WovenComb, first: int = 1) -> bool:
    """Whether two neighbouring periods are alike at any lag; mere noise is not, and has no pace to be found."""
    early, late = periods_at(channel, comb, 0.0, first, first + 1)
    return alike(late * early.conj(), comb)


def alike(cross: Complex, comb: WovenComb) -> bool:
    """Whether a cross spectrum of two periods has a lag at which they are alike."""
    period = comb.period_samples
    cross[: int(comb.lines.min())] = 0
    cross[int(comb.lines.max()) + 1 :] = 0
    correlation = np.abs(scipy.fft.irfft(cross, n=period))
    near = max(float(correlation[:REACH_SAMPLES].max()), float(correlation[-REACH_SAMPLES:].max()))
    return near > ALIKE * float(np.sqrt(np.mean(correlation**2)))


def pace(
    channel: NDArray[np.float32] | Real,
    comb: WovenComb,
    begin: int = 1,
    end: int = PERIODS_PLAYED - 1,
    lying: list[Complex] | None = None,
) -> Pace:
    """Compare each period with the next: by how much it lags, in how many clocks, and where it jumped.

    Periods ``begin`` to ``end`` are compared, two at least; ``lying`` are their spectra as they lie, if known.
    """
    period = comb.period_samples
    spectra = lying or periods_at(channel, comb, 0.0, begin, end)
    lowest, highest = int(comb.lines.min()), int(comb.lines.max())
    steps = [_peaks(late * early.conj(), lowest, highest, period) for early, late in itertools.pairwise(spectra)]
    most = MOST_PPM * 1e-6 * period
    common = [
        lag
        for lag, share in steps[0] + steps[-1]
        if abs(lag) <= most and sum(_has(peaks, lag) for peaks in steps) >= min(2, len(steps)) and share >= SECOND
    ]
    usual: list[float] = []
    for lag in common:
        if all(abs(lag - other) > APART_SAMPLES for other in usual):
            usual.append(lag)
    # What is there in every step is another clock, or the distance of two copies: no jump.
    in_all = [lag for lag, _ in steps[0] if all(_has(peaks, lag) for peaks in steps)]
    main = next((lag for lag in usual if _has(steps[0], lag) and lag in in_all), (usual or [0.0])[0])
    strays = [
        [
            lag - main
            for lag, share in peaks
            if share > JUMPED
            and abs(lag - main) > APART_SAMPLES
            and not any(abs(lag - o) <= APART_SAMPLES for o in in_all)
        ]
        for peaks in steps
    ]
    first, last = _steady_run(strays)
    jumps: list[int] = []
    for before, here in zip([[], *strays], strays, strict=False):
        # A jump inside a period shows on both sides of it.
        jumps += [round(jump) for jump in here if not _shared([jump], before)]
    clocks = tuple(1e6 * lag / period for lag in usual[:CLOCKS_AT_MOST])
    return Pace(clocks or (0.0,), tuple(jumps), first + begin, last + begin)


def _has(peaks: list[tuple[float, float]], lag: float) -> bool:
    return any(abs(other - lag) <= APART_SAMPLES for other, _ in peaks)


def _peaks(cross: Complex, lowest: int, highest: int, period: int) -> list[tuple[float, float]]:
    """The lags at which two periods are alike, each with its share of the strongest; at most a few."""
    band = np.zeros_like(cross)
    band[lowest : highest + 1] = cross[lowest : highest + 1]
    alike = np.abs(scipy.fft.irfft(band, n=period))
    alike[REACH_SAMPLES:-REACH_SAMPLES] = 0
    found: list[tuple[float, float]] = []
    strongest = float(alike.max())
    while strongest > 0 and len(found) < CLOCKS_AT_MOST:
        at = int(np.argmax(alike))
        height = float(alike[at])
        if height < SECOND * strongest:
            break
        lag = _finely(cross, lowest, highest, period, at - (period if at > period / 2 else 0))
        found.append((lag, height / strongest))
        around = np.arange(at - 3, at + 4) % period
        alike[around] = 0
    return found


def _finely(cross: Complex, lowest: int, highest: int, period: int, lag: float) -> float:
    """A peak's place between samples: parabolas through three ever closer values of the correlation."""
    lines = np.arange(lowest, highest + 1)
    cycles, sums = _together(cross[lowest : highest + 1] * _turns(lag / period, highest + 1)[lowest:], lines / period)
    off = 0.0
    for step in (0.4, 0.1, 0.02):
        before, here, after = np.abs(np.exp(2j * np.pi * np.outer((off - step, off, off + step), cycles)) @ sums)
        bend = before - 2 * here + after
        off += float(np.clip(0.5 * step * (before - after) / bend, -step, step)) if bend < 0 else 0.0
    return lag + off


def _together(cross: Complex, cycles: Real) -> tuple[Real, Complex]:
    """Neighbouring lines of a cross spectrum summed: what their turns by a few samples are asked of."""
    firsts = np.arange(0, len(cross), TOGETHER)
    counts = np.diff(np.append(firsts, len(cross)))
    return np.add.reduceat(cycles, firsts) / counts, np.add.reduceat(cross, firsts)


def _turns(cycles: float, count: int) -> Complex:
    """exp(2 pi i cycles k) for k from nought on: a product of few exponentials, far sooner than all of them."""
    width = 256
    fine = np.exp(2j * np.pi * cycles * np.arange(width))
    coarse = np.exp(2j * np.pi * cycles * width * np.arange(-(-count // width)))
    turned: Complex = np.outer(coarse, fine).reshape(-1)[:count]
    return turned


def _shared(some: list[float], others: list[float]) -> bool:
    return any(abs(one - other) <= APART_SAMPLES for one in some for other in others)


def _steady_run(strays: list[list[float]]) -> tuple[int, int]:
    """The longest run of periods in which and between which nothing jumped, from the jumps of each step.

    A jump inside a period shows in the step before and in the one after it; at the ends there is one step only.
    """
    periods = len(strays) + 1
    clean = [True] * periods
    for step, jumps in enumerate(strays):
        if jumps and step + 1 < len(strays) and _shared(jumps, strays[step + 1]):
            clean[step + 1] = False
    if strays[0] and not any(_shared(strays[0], others) for others in strays[1:2]):
        clean[0] = False
    if strays[-1] and not any(_shared(strays[-1], others) for others in strays[-2:-1]):
        clean[-1] = False
    best, start = (0, periods - 1) if not any(clean) else (0, -1), None
    for period in range(periods):
        if start is not None and not (clean[period] and not strays[period - 1]):
            start = None
        if start is None and clean[period]:
            start = period
        if start is not None and clean[period] and period - start > best[1] - best[0]:
            best = (start, period)
    return best


@dataclass(frozen=True, slots=True)
class Left:
    """What is left of a source's drift in a take that was brought to a pace, and how coherent its lines are there."""

    ppm: float
    coherence: float


def periods_at(
    channel: NDArray[np.float32] | Real, comb: WovenComb, ppm: float, first: int, last: int
) -> list[Complex]:
    """Spectra of the signal's periods from ``first`` to ``last``, on a clock that is fast by so much.

    Such a period is no whole number of samples, and its lines stand between the bins of any transform of the take; a
    non-uniform transform is asked for just these lines (Dutt and Rokhlin, "Fast Fourier transforms for nonequispaced
    data", *SIAM J. Sci. Comput.* 14(6), 1993, from memory; done by finufft). Beside the comb's band they are nought.
    """
    if ppm == 0:
        whole = comb.period_samples
        return [scipy.fft.rfft(channel[n * whole : (n + 1) * whole].astype(float)) for n in range(first, last + 1)]
    period = comb.period_samples * (1 + ppm * 1e-6)
    count = round(period)
    lowest, highest = int(comb.lines.min()), int(comb.lines.max())
    starts = [each * period for each in range(first, last + 1)]
    # Two real periods are one complex one; their spectra come apart by their symmetry.
    pairs = np.zeros(((len(starts) + 1) // 2, count), complex)
    for at, start in enumerate(starts):
        taken = channel[round(start) : round(start) + count]
        half = pairs[at // 2].imag if at % 2 else pairs[at // 2].real
        half[: len(taken)] = taken
    turns = 2 * np.pi / period * np.arange(lowest, highest + 1)
    both = finufft.nufft1d2(np.concatenate([turns, -turns]), pairs, isign=-1, eps=EXACT, nthreads=1)
    ahead, behind = both[:, : len(turns)], both[:, len(turns) :].conj()
    spectra: list[Complex] = []
    for at, start in enumerate(starts):
        half = -1j * (ahead - behind)[at // 2] if at % 2 else (ahead + behind)[at // 2]
        spectrum: Complex = np.zeros(comb.period_samples // 2 + 1, complex)
        # Such a transform counts from the middle of what it is given.
        turned = _turns((start - round(start) - count // 2) / period, highest + 1)[lowest:]
        spectrum[lowest : highest + 1] = half / 2 * turned
        spectra.append(spectrum)
    return spectra


def sound_at(spectrum: Complex, comb: WovenComb, ppm: float, first: int, last: int, samples: int) -> Real:
    """What a period's spectrum on a clock sounds like: the converse of ``periods_at``, in a take of so many samples.

    It is silent but for the periods from ``first`` to ``last`` and a little around them.
    """
    period = comb.period_samples * (1 + ppm * 1e-6)
    # Five periods on the fastest clock are so much longer than on the slowest.
    around = round(2 * MOST_PPM * 1e-6 * PERIODS_PLAYED * comb.period_samples)
    begin = max(0, round(first * period) - around)
    end = min(samples, round((last + 1) * period) + around)
    sound = np.zeros(samples)
    if ppm == 0:
        whole = comb.period_samples
        wave = scipy.fft.irfft(spectrum, n=whole)
        sound[begin:end] = np.resize(np.roll(wave, -begin), end - begin)
        return sound
    count = round(period)
    lines = np.flatnonzero(spectrum[: int(comb.lines.max()) + 1])
    starts = list(range(begin, end, count))
    # Two real stretches are the halves of one complex one; each is counted from its middle.
    middles = [start + count // 2 for start in starts]
    own = np.array([spectrum[lines] * _turns(middle % period / period, len(spectrum))[lines] for middle in middles])
    own = np.concatenate([own, np.zeros((len(own) % 2, len(lines)))]) / count
    pairs = np.concatenate([own[::2] + 1j * own[1::2], own[::2].conj() + 1j * own[1::2].conj()], axis=1)
    turns = 2 * np.pi / period * lines
    waves = finufft.nufft1d1(np.concatenate([turns, -turns]), pairs, count, isign=1, eps=EXACT, nthreads=1)
    for at, start in enumerate(starts):
        stop = min(end, start + count)
        sound[start:stop] = (waves[at // 2].imag if at % 2 else waves[at // 2].real)[: stop - start]
    return sound


def left_over(
    spectra: Sequence[Complex], comb: WovenComb, sources: Iterable[int], clear: Clear | None = None
) -> dict[int, Left]:
    """The drift that each source's own lines have beside the pace of these periods: from the first to the last."""
    period = comb.period_samples
    drifts = {}
    for source in map(int, sources):
        lines = comb.lines[source][clear_lines(comb, source, clear)]
        lag, coherence = _slope(spectra[-1][lines] * spectra[0][lines].conj(), lines / period)
        drifts[source] = Left(1e6 * lag / (max(1, len(spectra) - 1) * period), coherence)
    return drifts


def _slope(cross: Complex, cycles: Real) -> tuple[float, float]:
    """The lag, of less than a few samples, that lines' phases tell, and how much of their energy agrees on it."""
    strength = float(np.abs(cross).sum())
    if strength == 0:
        return 0.0, 0.0
    near, sums = _together(cross, cycles)
    tried = np.arange(-4, 4.01, 0.25)
    lag = float(tried[np.argmax(np.abs(np.exp(2j * np.pi * np.outer(tried, near)) @ sums))])
    near, sums = _together(cross * np.exp(2j * np.pi * cycles * lag), cycles)
    off, weight = 0.0, np.abs(sums)
    for _ in range(6):
        phase = np.angle(sums * np.exp(2j * np.pi * near * off))
        step = -float((weight * near * phase).sum() / (2 * np.pi * (weight * near**2).sum()))
        off += step
        if abs(step) < 1e-7:
            break
    coherence = float(np.abs((cross * np.exp(2j * np.pi * cycles * (lag + off))).sum())) / strength
    return lag + off, coherence
