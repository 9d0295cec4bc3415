"""Levels and the steps between them."""

import math
from fractions import Fraction

from iskelo.core.rig.units import DBU_REFERENCE_VOLTS


def dbu_to_volts(level_dbu: float) -> float:
    """RMS volts of a level in dBu. Example: +4 dBu = 1.228 V."""
    return DBU_REFERENCE_VOLTS * db_to_ratio(level_dbu)


def db_to_ratio(level_db: float) -> float:
    """Amplitude ratio of a gain in dB. Example: -6.02 dB = 0.5."""
    return float(10 ** (level_db / 20))


def ratio_to_db(ratio: float) -> float:
    """Gain in dB of an amplitude ratio above nought."""
    return 20 * math.log10(ratio)


def sum_of_copies_db(levels_db: list[float], signs: list[int], delays: list[Fraction]) -> float | None:
    """Level of several copies of one broadband sound at one port.

    Copies that arrive together add as amplitudes (and cancel when turned over: None); copies apart in time
    add as powers, over a band wide against 1/Δt. Example: two at -18 dBFS together: -11.98 dBFS; apart:
    -14.99 dBFS.
    """
    if len(levels_db) == 1:
        return levels_db[0]
    together: dict[Fraction, float] = {}
    for level, sign, delay in zip(levels_db, signs, delays, strict=True):
        together[delay] = together.get(delay, 0.0) + sign * db_to_ratio(level)
    power = sum(amplitude**2 for amplitude in together.values())
    return None if power < 1e-15 else 10 * math.log10(power)
