"""The test signal: a woven comb, one set of spectral lines for each source, so that all can play at once.

One period is two seconds, so spectral lines stand 0.5 Hz apart at every rate. For K sources there are
K + 2 slots; in each run of K + 2 neighbouring lines between 80 Hz and 20 kHz a seeded permutation gives every
slot one line. Two slots stay silent: they measure noise, hum and distortion in every take.
"""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy.fft
from numpy.typing import NDArray

PERIOD_SECONDS = 2
LOWEST_HZ, HIGHEST_HZ = 80, 20_000
SILENT_SLOTS = 2
PERIODS_PLAYED = 5
TAIL_SECONDS = 0.25
_CREST_ROUNDS = 20


@dataclass(frozen=True)
class WovenComb:
    """The lines and phases of every slot.

    Attributes
    ----------
    rate_hz
        Sampling rate the period is laid out for.
    sources
        Number of sources K; slots 0 … K-1 are theirs, the two last stay silent.
    lines
        Shape (K + 2, L): index of each slot's spectral lines in a real FFT of one period.
    phasors
        Shape (K, L): unit complex phases, chosen for a low crest factor.
    """

    rate_hz: int
    sources: int
    seed: int
    lines: NDArray[np.int64]
    phasors: NDArray[np.complex128]

    @property
    def period_samples(self) -> int:
        return PERIOD_SECONDS * self.rate_hz

    @cached_property
    def waveforms(self) -> NDArray[np.float64]:
        """One period of every source, shape (K, period), each with an RMS of 1."""
        return np.stack([self.waveform(source) for source in range(self.sources)])

    def waveform(self, source: int) -> NDArray[np.float64]:
        """One period of one source, RMS 1."""
        return _period(self.lines[source], self.phasors[source], self.period_samples)

    @property
    def line_amplitude(self) -> float:
        """Magnitude of each of a source's lines in a real FFT of one period at RMS 1."""
        return float(self.period_samples / np.sqrt(2 * self.lines.shape[1]))


def woven_comb(
    sources: int, rate_hz: int, seed: int = 1, told: Callable[[float], None] = lambda share: None
) -> WovenComb:
    """Lay out a comb for so many sources.

    Parameters
    ----------
    sources
        1 … 256.
    rate_hz
        Sampling rate; the band ends at 20 kHz or 0.45 of the rate, whichever is lower.
    seed
        The same seed gives the same lines and phases; they do not depend on the rate as far as the band
        is the same.
    told
        Told the share done after each source; what it raises stops the weaving.

    Raises
    ------
    ValueError
        If there are no sources, or too many for the band.
    """
    if not 1 <= sources <= 256:
        raise ValueError(f"a comb is woven for 1 to 256 sources, not {sources}")
    slots = sources + SILENT_SLOTS
    lowest = LOWEST_HZ * PERIOD_SECONDS
    highest = min(HIGHEST_HZ, int(0.45 * rate_hz)) * PERIOD_SECONDS
    runs = (highest - lowest) // slots
    random = np.random.default_rng(seed)
    lines = np.empty((slots, runs), np.int64)
    for run in range(runs):
        lines[:, run] = lowest + run * slots + random.permutation(slots)
    phases = random.uniform(0, 2 * np.pi, (sources, runs))
    period = PERIOD_SECONDS * rate_hz
    phasors = np.empty((sources, runs), complex)

    def weave(source: int) -> NDArray[np.complex128]:
        return _low_crest(lines[source], np.exp(1j * phases[source]), period)

    # The transforms let other threads run, so sources are woven side by side.
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        try:
            for source, woven in enumerate(threads.map(weave, range(sources))):
                told(source / sources)
                phasors[source] = woven
        except BaseException:
            threads.shutdown(cancel_futures=True)
            raise
    return WovenComb(rate_hz, sources, seed, lines, phasors)


def _period(lines: NDArray[np.int64], phasors: NDArray[np.complex128], period: int) -> NDArray[np.float64]:
    spectrum = np.zeros(period // 2 + 1, complex)
    spectrum[lines] = phasors * period / np.sqrt(2 * len(lines))
    wave: NDArray[np.float64] = scipy.fft.irfft(spectrum, n=period)
    return wave


def _low_crest(lines: NDArray[np.int64], phasors: NDArray[np.complex128], period: int) -> NDArray[np.complex128]:
    """Phases with a lower peak: clip the wave, keep the phases of what is left, again and again.

    Schroeder's closed form (IEEE Trans. Inf. Theory 16, 1970, from memory) supposes evenly spaced lines;
    a woven comb's are not, and clipping finds about the same crest for it.
    """
    best, best_crest = phasors, np.inf
    for step in range(_CREST_ROUNDS):
        wave = _period(lines, phasors, period)
        crest = float(np.abs(wave).max())
        if crest < best_crest:
            best, best_crest = phasors, crest
        limit = crest * (0.8 + 0.15 * step / _CREST_ROUNDS)
        spectrum = scipy.fft.rfft(np.clip(wave, -limit, limit))
        phasors = np.exp(1j * np.angle(spectrum[lines]))
    return best
