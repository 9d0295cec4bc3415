"""What a driver that resamples does to sound: told at the box's rate, a band that both rates can carry, and later.

To the program's rate and back is the same as a filter that lets nothing through above the lower rate's half; its
impulse is as long as the driver waits, both ways.
"""

import numpy as np
import scipy.signal

from iskelo.core.twin.delay_line import DelayLine
from iskelo.core.twin.stream import Block

LONGEST_SAMPLES = 72
"""Half a filter of 145 taps: 90 dB down within a tenth of the band, by Kaiser's formula; from memory."""

PASSES = 0.95
"""The filter is 6 dB down at so much of the lower rate's half."""

KAISER_BETA = 8.96


class Converter:
    """Resamples every channel, ``delay_samples`` late."""

    def __init__(self, channels: int, delay_samples: int, box_rate_hz: int, program_rate_hz: int) -> None:
        half = min(delay_samples, LONGEST_SAMPLES)
        cut = PASSES * min(1.0, program_rate_hz / box_rate_hz)
        self._taps = scipy.signal.firwin(2 * half + 1, cut, window=("kaiser", KAISER_BETA)).astype(np.float32)
        self._before: Block = np.zeros((channels, 2 * half), np.float32)
        self._rest = DelayLine(channels, delay_samples - half)

    def push(self, sound: Block) -> Block:
        """Take a block of shape (channels, n) in, give n samples out."""
        if not len(sound):
            return sound
        whole = np.concatenate([self._before, sound], axis=1)
        self._before = whole[:, whole.shape[1] - self._before.shape[1] :]
        filtered = scipy.signal.oaconvolve(whole, self._taps[np.newaxis], mode="valid", axes=1)
        return self._rest.push(filtered.astype(np.float32))
