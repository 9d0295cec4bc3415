"""A row of memory cells that sound walks through: what an effect that only delays does to it."""

import numpy as np

from iskelo.core.twin.stream import Block

ROOM_SAMPLES = 16_384
"""So far the sound walks on in memory before it is moved back to the beginning."""


class DelayLine:
    """Delays every channel by the same whole number of samples; starts filled with silence."""

    def __init__(self, channels: int, samples: int) -> None:
        self._samples = samples
        self._memory: Block = np.zeros((channels, samples + ROOM_SAMPLES), np.float32)
        self._at = 0

    def push(self, block: Block) -> Block:
        """Take a block of shape (channels, n) in, give the n samples that fall out at the other end.

        What is given is a view of the line's memory: good until the next push.
        """
        width = block.shape[1]
        write = self._at + self._samples
        if write + width > self._memory.shape[1]:
            held = self._memory[:, self._at : write].copy()
            if self._samples + width > self._memory.shape[1]:
                self._memory = np.zeros((self._memory.shape[0], self._samples + 2 * width), np.float32)
            self._memory[:, : self._samples] = held
            self._at, write = 0, self._samples
        self._memory[:, write : write + width] = block
        out: Block = self._memory[:, self._at : self._at + width]
        self._at += width
        return out
