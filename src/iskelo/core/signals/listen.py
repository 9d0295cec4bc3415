"""What one source's own lines tell in a spectrum: whether it is there, and its copies' delays, levels and polarities.

A source is found in the presence of all the others by looking at its lines only. Delays come from the phase slope along
the lines.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb

COPIES_AT_MOST = 6
_NOISE_FLOOR_RMS = 10 ** (-150 / 20)
_ENOUGH = 1e-7
"""What is left of a source's energy once all copies are found, relative to all of it."""

FALSE_ALARM = 1e-6
ENOUGH_CLEAR = 0.2

Complex = NDArray[np.complex128]
Real = NDArray[np.float64]
Clear = NDArray[np.bool_]
"""For each line of a period's spectrum, whether no other clock's sound falls on it."""


@dataclass(frozen=True, slots=True)
class Copy:
    """One arrival: delay in samples (fractional), gain as a ratio to the source at RMS 1, polarity.

    ``polarity`` is +1, -1 when turned over, 0 when the phase is far from both.
    """

    delay_samples: float
    gain: float
    polarity: int


@dataclass(frozen=True, slots=True)
class Heard:
    """A source found in a channel, with its copies, earliest first.

    ``drift_ppm``: by so much the channel's clock is faster than the source's; delays are then those at the take's
    start. ``jumps``: samples by which it slipped while it was listened to.
    """

    channel: int
    source: int
    copies: tuple[Copy, ...]
    drift_ppm: float = 0.0
    jumps: tuple[int, ...] = ()


HALF_A_SAMPLE = 0.5


def _in_period(delay: float, period_samples: int) -> float:
    """A delay within one period; what comes at once may be found a trifle before the last one's end."""
    within = float(delay % period_samples)
    return within - period_samples if within > period_samples - HALF_A_SAMPLE else within


def sources_heard(
    channel: int,
    spectrum: Complex,
    comb: WovenComb,
    sources: Iterable[int],
    tests: int,
    clock: tuple[float, tuple[int, ...]] = (0.0, ()),
    clear: Clear | None = None,
    copies_at_most: int = COPIES_AT_MOST,
) -> list[Heard]:
    """What is heard of these sources in a spectrum; ``tests`` is in how many places a false one could be found."""
    found = []
    for source in sources:
        copies = tuple(
            sorted(
                (
                    Copy(_in_period(delay, comb.period_samples), float(abs(gain)), _polarity(complex(gain)))
                    for delay, gain in zip(*arrivals(spectrum, comb, source, tests, clear, copies_at_most), strict=True)
                ),
                key=lambda copy: copy.delay_samples,
            )
        )
        if copies:
            found.append(Heard(channel, int(source), copies, *clock))
    return found


def arrivals(
    spectrum: Complex,
    comb: WovenComb,
    source: int,
    tests: int,
    clear: Clear | None = None,
    copies_at_most: int = COPIES_AT_MOST,
) -> tuple[Real, Complex]:
    """Delays and complex gains of a source's copies: peak by peak in its lines, fitted together after each."""
    own = clear_lines(comb, source, clear)
    lines = comb.lines[source][own]
    seen = spectrum[lines] / comb.line_amplitude * comb.phasors[source][own].conj()
    delays, gains = _fitted(seen, lines, comb.period_samples, tests, copies_at_most)
    kept = np.abs(gains) > 1e-3 * np.abs(gains).max(initial=0.0)
    return delays[kept], gains[kept]


def arriving(comb: WovenComb, source: int, delays: Real, gains: Complex) -> Complex:
    """What a source's lines are when its copies arrive so: the converse of ``arrivals``."""
    seen: Complex = _model(comb.lines[source] / comb.period_samples, delays) @ gains
    lines: Complex = seen * comb.phasors[source] * comb.line_amplitude
    return lines


def clear_lines(comb: WovenComb, source: int, clear: Clear | None) -> Clear:
    """Which of a source's lines are to be looked at: those on which nothing else falls, if these are enough."""
    own = np.ones(comb.lines.shape[1], bool) if clear is None else clear[comb.lines[source]]
    return own if np.count_nonzero(own) > ENOUGH_CLEAR * len(own) else np.ones_like(own)


def mean_spectrum(channel: NDArray[np.float32] | Real, period: int) -> Complex:
    """Spectrum of the mean of the second to the fifth period (the first may begin before the sound)."""
    periods = channel[period : PERIODS_PLAYED * period].reshape(PERIODS_PLAYED - 1, period)
    spectrum: Complex = scipy.fft.rfft(periods.mean(axis=0, dtype=np.float64))
    return spectrum


def rms_of_noise(spectrum: Complex, comb: WovenComb) -> float:
    """The mean of the periods holds the noise's power divided by their number."""
    period = comb.period_samples
    return math.sqrt(float(noise_power(spectrum, comb).mean()) * period * (PERIODS_PLAYED - 1)) / period


def noise_power(spectrum: Complex, comb: WovenComb) -> Real:
    """Noise power per line, for each of a slot's lines: local mean of the silent slots."""
    silent = np.abs(spectrum[comb.lines[comb.sources :]]) ** 2
    group = 16
    runs = silent.shape[1]
    edges = np.arange(0, runs, group)
    local = np.add.reduceat(silent, edges, axis=1).sum(axis=0)
    counts = np.diff(np.append(edges, runs)) * silent.shape[0]
    floor = (_NOISE_FLOOR_RMS * comb.period_samples) ** 2 / comb.period_samples
    return np.repeat(np.maximum(local / counts, floor), np.diff(np.append(edges, runs)))


def gate(spectrum: Complex, comb: WovenComb, noise: Real) -> NDArray[np.int64]:
    lines_per_slot = comb.lines.shape[1]
    power = np.abs(spectrum[comb.lines[: comb.sources]]) ** 2
    excess = np.minimum(power / noise, 10).mean(axis=1)
    silent = comb.lines.shape[0] - comb.sources
    limit = 1 + 6.5 * math.sqrt(1 / lines_per_slot + 2 / (silent * lines_per_slot))
    return np.flatnonzero(excess > limit)


def _fitted(seen: Complex, lines: NDArray[np.int64], period: int, tests: int, at_most: int) -> tuple[Real, Complex]:
    """Delays and gains of all copies in one source's lines."""
    threshold = 1 - (FALSE_ALARM / tests) ** (1 / max(1, len(lines) - 1))
    rest = seen
    energy = float(np.sum(np.abs(seen) ** 2))
    cycles = lines / period
    delays: Real = np.zeros(0)
    gains: Complex = np.zeros(0, complex)
    while len(delays) < at_most:
        rest_energy = float(np.sum(np.abs(rest) ** 2))
        if rest_energy <= _ENOUGH * energy and len(delays):
            break
        spread = np.zeros(period, complex)
        spread[lines] = rest
        peak_power = np.abs(scipy.fft.ifft(spread) * period) ** 2
        peak = int(np.argmax(peak_power))
        if peak_power[peak] / (len(lines) * rest_energy) < threshold:
            break
        delays, gains = _fit(seen, cycles, np.append(delays, float(peak)))
        rest = seen - _model(cycles, delays) @ gains
    return delays, gains


def _model(cycles: Real, delays: Real) -> Complex:
    steering: Complex = np.exp(-2j * np.pi * np.outer(cycles, delays))
    return steering


def _fit(seen: Complex, cycles: Real, delays: Real) -> tuple[Real, Complex]:
    """Joint least squares of gains, Gauss-Newton on delays; never more than a sample a step."""
    for _ in range(8):
        steering = _model(cycles, delays)
        gains = _solved(steering, seen)
        slope = steering * (-2j * np.pi * cycles[:, None]) * gains[None]
        columns = np.concatenate([steering, 1j * steering, slope], axis=1)
        step = _solved(columns, seen - steering @ gains, real=True)[2 * len(delays) :].real
        step = np.clip(step, -1, 1)
        delays = delays + step
        if np.max(np.abs(step)) < 1e-6:
            break
    return delays, _solved(_model(cycles, delays), seen)


def _solved(columns: Complex, seen: Complex, *, real: bool = False) -> Complex:
    """Least squares by the normal equations: few columns of some thousand rows each, brought to one size first."""
    sizes = np.sqrt(np.sum(columns.real**2 + columns.imag**2, axis=0))
    even = columns / np.maximum(sizes, 1e-300)
    alike, right = even.conj().T @ even, even.conj().T @ seen
    if real:
        alike, right = alike.real, right.real
    solved: Complex = np.linalg.lstsq(alike, right, rcond=None)[0] / np.maximum(sizes, 1e-300)
    return solved


def _polarity(gain: complex) -> int:
    angle = abs(math.atan2(gain.imag, gain.real))
    if angle < math.pi / 4:
        return 1
    return -1 if angle > 3 * math.pi / 4 else 0
