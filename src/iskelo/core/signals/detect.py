"""Which sources arrive in a recorded channel, when, how loud, with which polarity and how many copies.

The recorded channel is read one period at a time; every source's lines are its own, so a source is found in
the presence of all the others by looking at its lines only. Delays come from the phase slope along the lines.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb
from iskelo.core.signals.drift import COHERENT, left_over, pace, periods_at, repeats, steady

FALSE_ALARM = 1e-6
COPIES_AT_MOST = 6
_NOISE_FLOOR_RMS = 10 ** (-150 / 20)
LEAST_PPM = 0.02
SAME_CLOCK_PPM = 0.03
_ENOUGH = 1e-7
"""What is left of a source's energy once all copies are found, relative to all of it."""

Complex = NDArray[np.complex128]
Real = NDArray[np.float64]


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


@dataclass(frozen=True, slots=True)
class Detection:
    """All sources found in all channels, and each channel's noise as an RMS ratio."""

    heard: tuple[Heard, ...]
    noise_rms: Real


def detect(take: NDArray[np.float32] | Real, comb: WovenComb) -> Detection:
    """Find the comb's sources in recorded channels.

    Parameters
    ----------
    take
        Shape (channels, samples), starting when the sources start; at least five periods long.
    comb
        The comb that was played.

    Returns
    -------
    Detection
        Delays lie between nought and one period (two seconds).

    Raises
    ------
    ValueError
        If the take is shorter than five periods.

    Notes
    -----
    Gate: the mean over a source's lines of min(|Y|² / N, 10), N from the silent slots, must exceed
    1 + 6.5 √(1/L + 2/(S L)). Survivors are declared when ρ = |Σ Y X* e^{jωτ}|² / (L Σ|Y|²) exceeds
    1 - (Pfa / (N M period))^{1/(L-1)}. Copies are subtracted one by one, then fitted together
    (Gauss-Newton on the delays). Knapp and Carter, IEEE Trans. ASSP 24(4), 1976 (from memory) for the
    correlation estimator.
    """
    period = comb.period_samples
    if take.shape[1] < PERIODS_PLAYED * period:
        short = take.shape[1] / comb.rate_hz
        raise ValueError(
            f"the take is {short:.2f} s long; the test signal needs {PERIODS_PLAYED * period / comb.rate_hz:g} s"
        )
    tests = max(1, comb.sources * len(take) * period)
    lines_per_slot = comb.lines.shape[1]
    threshold = 1 - (FALSE_ALARM / tests) ** (1 / max(1, lines_per_slot - 1))
    heard: list[Heard] = []
    noise_rms = np.zeros(len(take))
    for channel, recorded in enumerate(take):
        if steady(recorded, comb) or not repeats(recorded, comb):
            spectrum = _mean_spectrum(recorded, period)
            noise = _noise_power(spectrum, comb)
            noise_rms[channel] = _noise_rms(spectrum, comb)
            heard += _heard(channel, spectrum, comb, _gate(spectrum, comb, noise), threshold)
        else:
            noise_rms[channel], found = _unsteady(channel, recorded, comb, threshold)
            heard += found
    return Detection(tuple(heard), noise_rms)


def _heard(
    channel: int,
    spectrum: Complex,
    comb: WovenComb,
    sources: Iterable[int],
    threshold: float,
    clock: tuple[float, tuple[int, ...]] = (0.0, ()),
) -> list[Heard]:
    """What is heard of these sources in a spectrum."""
    found = []
    for source in sources:
        seen = spectrum[comb.lines[source]] / comb.line_amplitude
        lines = comb.lines[source]
        copies = _copies(seen * comb.phasors[source].conj(), lines, comb.period_samples, threshold)
        if copies:
            found.append(Heard(channel, int(source), copies, *clock))
    return found


def _unsteady(
    channel: int, recorded: NDArray[np.float32] | Real, comb: WovenComb, threshold: float
) -> tuple[float, list[Heard]]:
    """A channel that is not the same from period to period: noise, drift, or a slip; and all of them by source.

    Every clock found is tried: the take is read at its pace, and a source is on the clock where its lines are most
    alike from period to period. Then each is listened to at its own pace, in the periods between which nothing slipped.
    """
    found = pace(recorded, comb)
    best: dict[int, tuple[float, float]] = {}
    noise_rms = _noise_rms(_mean_spectrum(recorded, comb.period_samples), comb)
    # Channels on one clock are read at one pace, though each finds a slightly other one: ``left_over`` tells the rest.
    for ppm in (round(each, 1) for each in found.clocks_ppm):
        spectra = periods_at(recorded, comb, ppm, found.first, found.last)
        spectrum = np.mean(spectra, axis=0)
        there = _gate(spectrum, comb, _noise_power(spectrum, comb))
        for source, left in left_over(spectra, comb, there).items():
            energy = float(np.sum(np.abs(spectrum[comb.lines[source]]) ** 2)) * left.coherence
            if energy > best.get(source, (0.0, 0.0))[0]:
                best[source] = (energy, ppm + left.ppm if left.coherence > COHERENT else ppm)
    heard: list[Heard] = []
    for sources, rough_ppm in _on_one_clock({source: ppm for source, (_, ppm) in best.items()}):
        ppm = rough_ppm if abs(rough_ppm) > LEAST_PPM else 0.0
        spectrum = np.mean(periods_at(recorded, comb, round(ppm, 2), found.first, found.last), axis=0)
        noise = _noise_power(spectrum, comb)
        noise_rms = min(noise_rms, _noise_rms(spectrum, comb))
        audible = set(map(int, _gate(spectrum, comb, noise)))
        heard += _heard(channel, spectrum, comb, sorted(audible & set(sources)), threshold, (ppm, found.jumps))
    return noise_rms, sorted(heard, key=lambda each: each.source)


def _noise_rms(spectrum: Complex, comb: WovenComb) -> float:
    """The mean of the periods holds the noise's power divided by their number."""
    period = comb.period_samples
    return math.sqrt(float(_noise_power(spectrum, comb).mean()) * period * (PERIODS_PLAYED - 1)) / period


def _on_one_clock(drifts_ppm: dict[int, float]) -> list[tuple[list[int], float]]:
    """Sources whose drifts are one clock's, with the mean of them."""
    groups: list[list[int]] = []
    for source in sorted(drifts_ppm, key=lambda each: drifts_ppm[each]):
        if groups and drifts_ppm[source] - drifts_ppm[groups[-1][-1]] < SAME_CLOCK_PPM:
            groups[-1].append(source)
        else:
            groups.append([source])
    return [(group, float(np.mean([drifts_ppm[source] for source in group]))) for group in groups]


def _mean_spectrum(channel: NDArray[np.float32] | Real, period: int) -> Complex:
    """Spectrum of the mean of the second to the fifth period (the first may begin before the sound)."""
    periods = channel[period : PERIODS_PLAYED * period].reshape(PERIODS_PLAYED - 1, period)
    spectrum: Complex = scipy.fft.rfft(periods.mean(axis=0, dtype=np.float64))
    return spectrum


def _noise_power(spectrum: Complex, comb: WovenComb) -> Real:
    """Noise power per line, for each of a slot's lines: local mean of the silent slots."""
    silent = np.abs(spectrum[comb.lines[comb.sources :]]) ** 2
    group = 16
    runs = silent.shape[1]
    edges = np.arange(0, runs, group)
    local = np.add.reduceat(silent, edges, axis=1).sum(axis=0)
    counts = np.diff(np.append(edges, runs)) * silent.shape[0]
    floor = (_NOISE_FLOOR_RMS * comb.period_samples) ** 2 / comb.period_samples
    return np.repeat(np.maximum(local / counts, floor), np.diff(np.append(edges, runs)))


def _gate(spectrum: Complex, comb: WovenComb, noise: Real) -> NDArray[np.int64]:
    lines_per_slot = comb.lines.shape[1]
    power = np.abs(spectrum[comb.lines[: comb.sources]]) ** 2
    excess = np.minimum(power / noise, 10).mean(axis=1)
    silent = comb.lines.shape[0] - comb.sources
    limit = 1 + 6.5 * math.sqrt(1 / lines_per_slot + 2 / (silent * lines_per_slot))
    return np.flatnonzero(excess > limit)


def _copies(seen: Complex, lines: NDArray[np.int64], period: int, threshold: float) -> tuple[Copy, ...]:
    """All copies in one source's lines: peak by peak, fitted together after each."""
    rest = seen
    energy = float(np.sum(np.abs(seen) ** 2))
    cycles = lines / period
    delays: Real = np.zeros(0)
    gains: Complex = np.zeros(0, complex)
    while len(delays) < COPIES_AT_MOST:
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
    kept = [
        Copy(float(delay % period), float(abs(gain)), _polarity(complex(gain)))
        for delay, gain in zip(delays, gains, strict=True)
        if abs(gain) > 1e-3 * np.abs(gains).max()
    ]
    return tuple(sorted(kept, key=lambda copy: copy.delay_samples))


def _model(cycles: Real, delays: Real) -> Complex:
    steering: Complex = np.exp(-2j * np.pi * np.outer(cycles, delays))
    return steering


def _fit(seen: Complex, cycles: Real, delays: Real) -> tuple[Real, Complex]:
    """Joint least squares of gains, Gauss-Newton on delays; never more than a sample a step."""
    for _ in range(8):
        steering = _model(cycles, delays)
        gains: Complex = np.linalg.lstsq(steering, seen, rcond=None)[0].astype(np.complex128)
        slope = steering * (-2j * np.pi * cycles[:, None]) * gains[None]
        columns = np.concatenate([steering, 1j * steering, slope], axis=1)
        rest = seen - steering @ gains
        step = np.linalg.lstsq(
            np.vstack([columns.real, columns.imag]), np.concatenate([rest.real, rest.imag]), rcond=None
        )[0][2 * len(delays) :]
        step = np.clip(step, -1, 1)
        delays = delays + step
        if np.max(np.abs(step)) < 1e-6:
            break
    return delays, np.linalg.lstsq(_model(cycles, delays), seen, rcond=None)[0].astype(np.complex128)


def _polarity(gain: complex) -> int:
    angle = abs(math.atan2(gain.imag, gain.real))
    if angle < math.pi / 4:
        return 1
    return -1 if angle > 3 * math.pi / 4 else 0
