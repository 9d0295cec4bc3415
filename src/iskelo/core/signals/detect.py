"""Which sources arrive in a recorded channel, when, how loud, with which polarity and how many copies.

The recorded channel is read one period at a time; every source's lines are its own (see ``listen``). Sounds whose
clocks run apart are told from each other in ``layers``.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb
from iskelo.core.signals.drift import SAME, alike, periods_at, unlike_share
from iskelo.core.signals.layers import UNHEARD, heard_by_clock, restless
from iskelo.core.signals.listen import (
    COPIES_AT_MOST,
    Heard,
    Real,
    gate,
    mean_spectrum,
    noise_power,
    rms_of_noise,
    sources_heard,
)


@dataclass(frozen=True, slots=True)
class Detection:
    """All sources found in all channels, and each channel's noise as an RMS ratio."""

    heard: tuple[Heard, ...]
    noise_rms: Real


def detect(take: NDArray[np.float32] | Real, comb: WovenComb, copies_at_most: int = COPIES_AT_MOST) -> Detection:
    """Find the comb's sources in recorded channels.

    Parameters
    ----------
    take
        Shape (channels, samples), starting when the sources start; at least five periods long.
    comb
        The comb that was played.
    copies_at_most
        So many copies of one source are looked for; there are many where sound goes round.

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
    heard: list[Heard] = []
    noise_rms = np.zeros(len(take))
    for channel, recorded in enumerate(take):
        unlike = unlike_share(recorded, comb)
        # What lies in the take period by period is transformed once, and only where it is not nearly the same.
        lying = periods_at(recorded, comb, 0.0, 1, PERIODS_PLAYED - 1) if unlike >= UNHEARD else None
        # The last period is the first one again: nothing loud drifts.
        steady = unlike <= SAME
        if steady or lying is None or not alike(lying[1] * lying[0].conj(), comb):
            spectrum = mean_spectrum(recorded, period) if lying is None else np.mean(lying, axis=0)
            there = gate(spectrum, comb, noise_power(spectrum, comb))
            found = sources_heard(channel, spectrum, comb, there, tests, copies_at_most=copies_at_most)
            if not (steady and lying is not None and restless(lying, comb, there, found)):
                noise_rms[channel] = rms_of_noise(spectrum, comb)
                heard += found
                continue
        noise_rms[channel], found = heard_by_clock(channel, recorded, comb, tests, lying)
        heard += found
    return Detection(tuple(heard), noise_rms)
