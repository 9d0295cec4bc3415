"""Two copies of one sound at one place: where the sum is hollow and how deep the ripple goes."""

import cmath
import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

NOTCHES_TOLD = 3
HEARING_TOP_HZ = 20_000.0


Heard = Literal["hollow", "as a flam", "as an echo"]


@dataclass(frozen=True, slots=True)
class Comb:
    """The sum of two copies: notch frequencies in Hz, and peak-to-dip ripple in dB (None: endless)."""

    delay_samples: float
    delay_ms: float
    inverted: bool
    notches_hz: tuple[float, ...]
    ripple_db: float | None

    @property
    def heard(self) -> Heard | None:
        """How they sound together; None for two that come at once, which add up or cancel each other."""
        return heard_as(self.delay_ms) if self.delay_samples else None


HOLLOW_BELOW_MS, FLAM_BELOW_MS = 10.0, 40.0
"""Copies closer than the first sound hollow, than the second as a flam, beyond as an echo; common practice, no
published source.
"""


def heard_as(delay_ms: float) -> Heard:
    """How two copies so far apart sound."""
    if delay_ms < HOLLOW_BELOW_MS:
        return "hollow"
    return "as a flam" if delay_ms < FLAM_BELOW_MS else "as an echo"


def response_db(copies: Sequence[tuple[float, float]], frequencies_hz: Sequence[float]) -> list[float]:
    """The sum of copies over frequency, in dB against the loudest alone.

    Parameters
    ----------
    copies
        Each as its delay in seconds and its ratio, negative where its polarity is reversed.
    frequencies_hz
        Where to tell it.

    Returns
    -------
    list of float
        20 log10 of |sum of a exp(-2 pi i f t)| over the largest |a|, no lower than -60 dB.
    """
    loudest = max((abs(ratio) for _, ratio in copies), default=1.0)
    told = []
    for frequency in frequencies_hz:
        total = sum(ratio * cmath.exp(-2j * math.pi * frequency * delay) for delay, ratio in copies)
        told.append(20 * math.log10(max(abs(total) / loudest, 1e-3)))
    return told


def notches_hz(delay_seconds: float, *, inverted: bool = False, count: int = NOTCHES_TOLD) -> tuple[float, ...]:
    """The first notches of two equal copies ``delay_seconds`` apart, up to 20 kHz.

    Equal polarity: (2k + 1) / (2 Δt), k = 0, 1, … ; one turned over: k / Δt, k = 1, 2, …
    (and silence towards 0 Hz). Example: 1 ms apart, equal polarity: 500, 1500, 2500 Hz.

    Source: F. Alton Everest, *Master Handbook of Acoustics*, comb-filter table (from memory).
    """
    if delay_seconds <= 0:
        return ()
    numerators = range(2, 2 * count + 1, 2) if inverted else range(1, 2 * count, 2)
    found = (number / (2 * delay_seconds) for number in numerators)
    return tuple(frequency for frequency in found if frequency <= HEARING_TOP_HZ)


def ripple_db(level_difference_db: float) -> float | None:
    """Peak-to-dip ripple of two copies whose levels differ by so many dB: 20 log10((1 + g) / (1 - g)).

    Example: 10 dB apart (g = 0.316): 5.69 dB. Equal levels cancel wholly at the notches: None.
    """
    ratio = 10 ** (-abs(level_difference_db) / 20)
    if ratio > 1 - 1e-9:
        return None
    return 20 * math.log10((1 + ratio) / (1 - ratio))


def comb(apart_s: Fraction, rate_hz: int, *, inverted: bool, level_difference_db: float) -> Comb:
    """What two copies so far apart do to the sound; ``rate_hz``: what their samples are counted at."""
    samples, seconds = apart_s * rate_hz, float(apart_s)
    return Comb(
        samples.numerator if samples.denominator == 1 else round(float(samples), 2),
        1000 * seconds,
        inverted,
        notches_hz(seconds, inverted=inverted),
        ripple_db(level_difference_db),
    )
