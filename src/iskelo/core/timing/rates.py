"""A program set to another rate than its device runs at: how fast its sound plays, and how high."""

import math
from fractions import Fraction

from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program

PLAIN = Fraction(1)
"""The speed of what plays as it was recorded."""


def speed(found: Index, program: Program) -> Fraction:
    """How many times too fast a program's own sound plays: the device's rate over the program's; 1 if they agree.

    A driver that resamples makes them agree.

    Example: made for 44 100 Hz and played at 48 000 it is 160/147 = 1.0884 times too fast.
    """
    streams = found.opened.get(program.id)
    if streams is None or program.rate_hz is None or streams.converts or streams.device.rate_hz == program.rate_hz:
        return PLAIN
    return Fraction(streams.device.rate_hz, program.rate_hz)


STOPS_DB = 100.0
"""By so much is what a conversion cannot carry kept out."""


def passband_hz(taps: int, rate_hz: int, other_hz: int) -> float:
    """Up to which frequency a filter of linear phase passes what both rates can carry, ``STOPS_DB`` above.

    By Kaiser's formula (1974, from memory): the slope is (A - 7.95) / (14.36 (N - 1)) of the rate wide.

    Example: 128 taps at 48 000 Hz, to or from 44 100: 19 626 Hz.
    """
    slope = (STOPS_DB - 7.95) / (14.36 * (taps - 1)) * rate_hz
    return max(0.0, min(rate_hz, other_hz) / 2 - slope)


def cents(ratio: Fraction | float) -> float:
    """The interval of a speed in cents, 1200 to the octave: 1200 log2(ratio). Example: 48/44.1 is 146.7 cents."""
    return 1200 * math.log2(ratio)


def say_speed(ratio: Fraction) -> str:
    """Example: '8.8 % fast and 146.7 cents high'."""
    faster = 100 * (float(ratio) - 1)
    way, pitch = ("fast", "high") if faster > 0 else ("slow", "low")
    return f"{abs(faster):.1f} % {way} and {abs(cents(ratio)):.1f} cents {pitch}"
