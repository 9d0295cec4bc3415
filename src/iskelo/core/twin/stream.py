"""Sound in memory by its place in time: written at the end, read anywhere not too far back."""

import numpy as np
from numpy.typing import NDArray

Block = NDArray[np.float32]

Rows = slice | list[int]
"""Some of a block's channels."""

STRETCH_SAMPLES = 8192
"""About so many samples of sound are worked at once."""


class Stream:
    """A row of memory cells that sound walks through. Before its first sample there is silence."""

    def __init__(self, channels: int, keep_samples: int, room_samples: int = 0) -> None:
        """``keep_samples``: at least so much of what was written can still be read, before what is written last.
        ``room_samples``: at least so much is written before what is kept is moved.
        """
        self._keep = keep_samples
        self._memory: Block = np.zeros((channels, max(4 * keep_samples, keep_samples + room_samples) + 1), np.float32)
        # The memory's first cell holds this sample; all cells before nought are silent.
        self._first = -keep_samples
        self.written = 0

    def write(self, block: Block) -> None:
        """Put a block of shape (channels, n) behind what is there."""
        self.behind(block.shape[1])[:] = block

    def extend(self, count: int) -> Block:
        """Put so many silent samples behind what is there; a view to fill them by, good until there are more."""
        fresh = self.behind(count)
        fresh[:] = 0
        return fresh

    def behind(self, count: int) -> Block:
        """The same with whatever is there: all of it must be written."""
        at = self.written - self._first
        if at + count > self._memory.shape[1]:
            held = self._memory[:, at - self._keep : at].copy()
            if self._keep + count > self._memory.shape[1]:
                self._memory = np.zeros((self._memory.shape[0], self._keep + 4 * count), np.float32)
            self._memory[:, : self._keep] = held
            self._first, at = self.written - self._keep, self._keep
        self.written += count
        fresh: Block = self._memory[:, at : at + count]
        return fresh

    def read(self, start: int, count: int) -> Block:
        """Samples ``start`` … ``start + count`` as a view, good until the next write."""
        at = start - self._first
        found: Block = self._memory[:, at : at + count]
        return found
