"""How a sound's legs go over into those of a mix: pan laws, balance, and what a width makes of another."""

import math
from functools import lru_cache

from iskelo.core.rig.programs import PanLaw


def say_pan(pan: float) -> str:
    """A pan in words: 'centre', '60 left', '100 right'."""
    if not pan:
        return "centre"
    return f"{abs(round(100 * pan))} {'left' if pan < 0 else 'right'}"


def pan_gains(law: PanLaw, pan: float) -> tuple[float, float]:
    """What a mono sound is turned to on the left and the right of a stereo mix, as ratios.

    Parameters
    ----------
    law
        What it loses in the centre: nothing (balance), 3 dB (constant power: the squares add up to 1), 6 dB (linear:
        they add up to 1), or 4.5 dB, the geometric mean of both (4.515). Handbook figures, from memory.
    pan
        -1 (left) to 1 (right).
    """
    angle = (pan + 1) * math.pi / 4
    power = (math.cos(angle), math.sin(angle))
    linear = ((1 - pan) / 2, (1 + pan) / 2)
    match law:
        case "0 dB":
            return min(1.0, 1 - pan), min(1.0, 1 + pan)
        case "-3 dB":
            return power if abs(pan) < 1 else linear
        case "-6 dB":
            return linear
    return math.sqrt(power[0] * linear[0]), math.sqrt(power[1] * linear[1])


@lru_cache(maxsize=1024)
def legs_into(width: int, into: int, law: PanLaw = "0 dB", pan: float = 0.0) -> tuple[tuple[int, int, float], ...]:
    """Which leg goes to which leg of a mix, and with what gain in dB; a leg that is turned off altogether is left out.

    Equal widths go straight, stereo into stereo by balance: the side that is turned to stays as it is. A mono sound
    goes to both legs of a stereo mix by the pan law, both legs of a stereo sound to a mono mix, each at its own level.
    Common practice, no published source.
    """
    if width == 1 and into == 2:
        gains = [(1, leg, gain) for leg, gain in enumerate(pan_gains(law, pan), start=1)]
    elif width == into == 2:
        gains = [(leg, leg, gain) for leg, gain in enumerate(pan_gains("0 dB", pan), start=1)]
    else:
        gains = [(leg, min(leg, into), 1.0) for leg in range(1, width + 1)]
    return tuple((leg, end, 20 * math.log10(gain) + 0.0) for leg, end, gain in gains if gain > 1e-9)
