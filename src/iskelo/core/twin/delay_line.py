"""A row of memory cells that sound walks through: what a converter, a link or a safety offset does to it."""

import numpy as np
from numpy.typing import NDArray

Block = NDArray[np.float64]


class DelayLine:
    """Delays every channel by the same whole number of samples; starts filled with silence."""

    def __init__(self, channels: int, samples: int) -> None:
        self._held: Block = np.zeros((channels, samples))
        self._samples = samples

    def push(self, block: Block) -> Block:
        """Take a block of shape (channels, n) in, give the n samples that fall out at the other end."""
        if self._samples == 0:
            return block
        width = block.shape[1]
        if width <= self._samples:
            out = self._held[:, :width].copy()
            self._held[:, : self._samples - width] = self._held[:, width:]
            self._held[:, self._samples - width :] = block
            return out
        out = np.concatenate([self._held, block[:, : width - self._samples]], axis=1)
        self._held = block[:, width - self._samples :].copy()
        return out
