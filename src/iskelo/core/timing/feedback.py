"""What a USB box asks for: samples in each frame of its link, which is its clock against the computer's.

USB 2.0, 5.12.4.2 (from memory): at full speed the word has three bytes, samples a frame of 1 ms as 10.14; at high speed
four bytes, samples a microframe of 125 us as 16.16. Example: 48 kHz is 0x0C0000 at full and 0x00060000 at high speed.
"""

from fractions import Fraction

from iskelo.core.rig.gear import LinkKind
from iskelo.core.rig.links import LINK_LIMITS

FRACTION_BITS: dict[LinkKind, int] = {"USB full speed": 14, "USB high speed": 16}


def feedback_word(rate_hz: Fraction | int, link: LinkKind) -> int:
    """The nearest word for a rate. Raises KeyError for a link without frames."""
    return round(Fraction(rate_hz) / LINK_LIMITS[link].frames_per_s * (1 << FRACTION_BITS[link]))


def rate_of(word: int, link: LinkKind) -> Fraction:
    """The rate a word asks for, in Hz as the computer counts them. Raises KeyError for a link without frames."""
    return Fraction(word, 1 << FRACTION_BITS[link]) * LINK_LIMITS[link].frames_per_s


def ppm_of(word: int, rate_hz: int, link: LinkKind) -> float:
    """By how much the box's clock is fast, as the computer counts. Example: 0x00060027 at 48 kHz is 99.2 ppm."""
    return float((rate_of(word, link) / rate_hz - 1) * 1_000_000)
