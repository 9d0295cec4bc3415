"""Which sources arrive in a recorded channel, when, how loud, with which polarity and how many copies.

The recorded channel is read one period at a time; every source's lines are its own, so a source is found in
the presence of all the others by looking at its lines only. Delays come from the phase slope along the lines.
"""

import math
from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb

FALSE_ALARM = 1e-6
COPIES_AT_MOST = 6
_NOISE_FLOOR_RMS = 10 ** (-150 / 20)
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
    """A source found in a channel, with its copies, earliest first."""

    channel: int
    source: int
    copies: tuple[Copy, ...]


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
    spectra = (
        np.stack([_mean_spectrum(channel, period) for channel in take]) if len(take) else np.zeros((0, 1), complex)
    )
    tests = max(1, comb.sources * len(take) * period)
    lines_per_slot = comb.lines.shape[1]
    threshold = 1 - (FALSE_ALARM / tests) ** (1 / max(1, lines_per_slot - 1))
    heard: list[Heard] = []
    noise_rms = np.zeros(len(take))
    for channel, spectrum in enumerate(spectra):
        noise = _noise_power(spectrum, comb)
        # The mean of the periods holds the noise's power divided by their number.
        noise_rms[channel] = math.sqrt(float(noise.mean()) * period * (PERIODS_PLAYED - 1)) / period
        for source in _gate(spectrum, comb, noise):
            seen = spectrum[comb.lines[source]] / comb.line_amplitude
            copies = _copies(seen * comb.phasors[source].conj(), comb.lines[source], period, threshold)
            if copies:
                heard.append(Heard(channel, int(source), copies))
    return Detection(tuple(heard), noise_rms)


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
