"""How far the clock of a take runs from the clock that the test signal was played by, and whether it slipped.

The test signal repeats. On a clock that is fast by d, a period is longer by d times its length, so every period lags
the one before it. Where nothing lags, the periods are the same but for noise, which is seen at once; only where they
are not, each is compared with the next. Unequal lags from period to period are a slip. Then the take is read at the
pace of each clock found, and each source's own lines tell which clock it is on, and what is left of its drift.
"""

import functools
import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
import scipy.fft
import scipy.signal
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


def steady(channel: NDArray[np.float32] | Real, comb: WovenComb) -> bool:
    """Whether the last analysed period is the first one again, so that nothing loud drifts."""
    return unlike_share(channel, comb) <= SAME


def unlike_share(channel: NDArray[np.float32] | Real, comb: WovenComb) -> float:
    """The energy by which the last analysed period differs from the first one, as a share of the first one's."""
    period = comb.period_samples
    first = channel[period : 2 * period].astype(np.float64)
    last = channel[(PERIODS_PLAYED - 1) * period : PERIODS_PLAYED * period]
    apart = last - first
    return float(apart @ apart) / max(float(first @ first), 1e-300)


def repeats(channel: NDArray[np.float32] | Real, comb: WovenComb, first: int = 1) -> bool:
    """Whether two neighbouring periods are alike at any lag; mere noise is not, and has no pace to be found."""
    early, late = _periods(channel, comb, first, first + 1)
    return alike(late * early.conj(), comb)


def alike(cross: Complex, comb: WovenComb) -> bool:
    """Whether a cross spectrum of two periods has a lag at which they are alike."""
    period = comb.period_samples
    cross[: int(comb.lines.min())] = 0
    cross[int(comb.lines.max()) + 1 :] = 0
    correlation = np.abs(scipy.fft.irfft(cross, n=period))
    near = max(float(correlation[:REACH_SAMPLES].max()), float(correlation[-REACH_SAMPLES:].max()))
    return near > ALIKE * float(np.sqrt(np.mean(correlation**2)))


def _periods(channel: NDArray[np.float32] | Real, comb: WovenComb, first: int, last: int) -> list[Complex]:
    """Spectra of the periods from ``first`` to ``last`` as they lie in the take."""
    period = comb.period_samples
    return [scipy.fft.rfft(channel[n * period : (n + 1) * period].astype(np.float64)) for n in range(first, last + 1)]


def pace(channel: NDArray[np.float32] | Real, comb: WovenComb, begin: int = 1, end: int = PERIODS_PLAYED - 1) -> Pace:
    """Compare each period with the next: by how much it lags, in how many clocks, and where it jumped.

    Periods ``begin`` to ``end`` are compared, two at least.
    """
    period = comb.period_samples
    spectra = _periods(channel, comb, begin, end)
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
    band = cross[lowest : highest + 1]
    for step in (0.4, 0.1, 0.02):
        before, here, after = (
            # Where it begins turns all of it alike, which its size does not show.
            abs(complex(_turns(at / period, len(band)) @ band))
            for at in (lag - step, lag, lag + step)
        )
        bend = before - 2 * here + after
        lag += float(np.clip(0.5 * step * (before - after) / bend, -step, step)) if bend < 0 else 0.0
    return lag


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
    chirp-z transform is asked for just these lines (Rabiner, Schafer and Rader, "The chirp z-transform algorithm",
    *IEEE Trans. Audio Electroacoust.* 17(2), 1969, from memory; done by scipy.signal).
    """
    if ppm == 0:
        return _periods(channel, comb, first, last)
    period = comb.period_samples * (1 + ppm * 1e-6)
    count = round(period)
    most = int(comb.lines.max())
    transform = _transform(count, most, period)
    spectra: list[Complex] = []
    starts = [each * period for each in range(first, last + 1)]
    for pair in (starts[n : n + 2] for n in range(0, len(starts), 2)):
        # Two real periods are one complex one; their spectra come apart by their symmetry.
        both = np.zeros(count, complex)
        for start, unit in zip(pair, (1, 1j), strict=False):
            taken = channel[round(start) : round(start) + count]
            both[: len(taken)] += unit * taken
        lines = transform(both)
        ahead, behind = lines[most:], lines[most::-1].conj()
        for start, halves in zip(pair, (ahead + behind, -1j * (ahead - behind)), strict=False):
            spectrum: Complex = np.zeros(comb.period_samples // 2 + 1, complex)
            spectrum[: most + 1] = halves / 2 * _turns((start - round(start)) / period, most + 1)
            spectra.append(spectrum)
    return spectra


@functools.lru_cache(maxsize=4)
def _transform(count: int, most: int, period: float) -> scipy.signal.CZT:
    """Lines from minus ``most`` to ``most``. It is dear to build, and the channels of one box share it."""
    step = np.exp(-2j * np.pi / period)
    return scipy.signal.CZT(count, m=2 * most + 1, w=step, a=np.exp(-2j * np.pi * most / period))


def sound_at(spectrum: Complex, comb: WovenComb, ppm: float, first: int, last: int, samples: int) -> Real:
    """What a period's spectrum on a clock sounds like: the converse of ``periods_at``, in a take of so many samples.

    It is silent but for the periods from ``first`` to ``last`` and a little around them.
    """
    most = int(comb.lines.max())
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
    both = np.concatenate([spectrum[most:0:-1].conj(), [0], spectrum[1 : most + 1]]) / count
    lines = np.arange(-most, most + 1)
    transform = _back(count, most, period)
    starts = list(range(begin, end, count))
    for pair in (starts[n : n + 2] for n in range(0, len(starts), 2)):
        # Two real stretches are the halves of one complex one.
        turned = sum(
            unit * both * np.exp(2j * np.pi * (start % period) / period * lines)
            for start, unit in zip(pair, (1, 1j), strict=False)
        )
        waves = transform(turned)
        for start, wave in zip(pair, (waves.real, waves.imag), strict=False):
            stop = min(end, start + count)
            sound[start:stop] = wave[: stop - start]
    return sound


@functools.lru_cache(maxsize=4)
def _back(count: int, most: int, period: float) -> Callable[[Complex], Complex]:
    """From lines from minus ``most`` to ``most`` to ``count`` samples."""
    transform = scipy.signal.CZT(2 * most + 1, m=count, w=np.exp(2j * np.pi / period))
    # The first line is not nought but minus ``most``.
    lowest = np.exp(-2j * np.pi * most / period * np.arange(count))
    return lambda lines: transform(lines) * lowest


def left_over(
    spectra: list[Complex], comb: WovenComb, sources: Iterable[int], clear: Clear | None = None
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
    tried = np.arange(-4, 4.01, 0.25)
    turned = np.abs(np.exp(2j * np.pi * np.outer(tried, cycles)) @ cross)
    lag = float(tried[np.argmax(turned)])
    weight = np.abs(cross)
    for _ in range(6):
        phase = np.angle(cross * np.exp(2j * np.pi * cycles * lag))
        step = -float((weight * cycles * phase).sum() / (2 * np.pi * (weight * cycles**2).sum()))
        lag += step
        if abs(step) < 1e-7:
            break
    coherence = float(np.abs((cross * np.exp(2j * np.pi * cycles * lag)).sum())) / strength
    return lag, coherence
