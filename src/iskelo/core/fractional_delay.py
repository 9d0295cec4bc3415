"""Sound between samples: a windowed-sinc filter of 64 taps, its coefficients from a table of phases.

A converter on another clock samples what is played at other moments; a matching filter gives one clock's samples at
the other's. Both ask here. Up to 0.45 of the rate the error stays below -90 dB (``tests/core/test_twin_clocks.py``).
"""

from functools import lru_cache

import numpy as np
from numpy.lib.stride_tricks import as_strided
from numpy.typing import NDArray

from iskelo.core.twin.stream import Block

TAPS = 64
BEFORE = TAPS // 2 - 1
"""So many samples before the one at or just before a position are used, and one more than that behind it."""

PHASES = 512
KAISER_BETA = 10.06
"""100 dB by Kaiser's formula, 0.1102 (A - 8.7); from memory."""


OVER = 8
"""So many phases more at either end of a sample, for stretches that run past it."""

BAND = 32
"""At most so many positions are worked with one matrix of coefficients."""

AT_ONCE = 128
"""So many bands are worked at a time; more would not stay in the processor's near memory."""

SMOOTH = 1 / 160
"""Over so small a part of a sample coefficients change evenly; between two phases they are blended."""


def _table() -> NDArray[np.float32]:
    """Coefficients by phase, some more than a whole sample; each row sums to 1."""
    offsets = np.arange(TAPS) - BEFORE
    phases = np.arange(-OVER, PHASES + OVER + 1)[:, np.newaxis] / PHASES
    at = offsets - phases
    width = TAPS / 2
    window = np.i0(KAISER_BETA * np.sqrt(np.clip(1 - (at / width) ** 2, 0, 1))) / np.i0(KAISER_BETA)
    rows = np.sinc(at) * window
    scaled: NDArray[np.float32] = (rows / rows.sum(axis=1, keepdims=True)).astype(np.float32)
    return scaled


_TABLE = _table()


def _taps(phases: NDArray[np.float64]) -> NDArray[np.float32]:
    """Shape (n, TAPS): the coefficients at these phases of a sample."""
    rows = phases * PHASES + OVER
    first = rows.astype(np.int64)
    part = (rows - first).astype(np.float32)[:, np.newaxis]
    blended: NDArray[np.float32] = _TABLE[first] + part * (_TABLE[first + 1] - _TABLE[first])
    return blended


def between(sound: Block, positions: NDArray[np.float64]) -> Block:
    """Sound at positions between its samples.

    Parameters
    ----------
    sound
        Shape (channels, m); positions ``BEFORE`` to ``m - TAPS + BEFORE`` can be asked for.
    positions
        In samples from the first, about a sample apart and evenly over any short stretch; the coefficients are worked
        out once for all channels.

    Returns
    -------
    Block
        Shape (channels, len(positions)).
    """
    count = len(positions)
    if not count:
        return np.zeros((len(sound), 0), np.float32)
    step = (positions[-1] - positions[0]) / (count - 1) if count > 1 else 1.0
    band = BAND if step == 1 else max(1, min(BAND, int(SMOOTH / abs(step - 1))))
    columns = np.ascontiguousarray(sound.T)
    out: Block = np.empty((count, len(sound)), np.float32)
    whole_bands = count // band * band
    for start in range(0, whole_bands, band * AT_ONCE):
        stop = min(whole_bands, start + band * AT_ONCE)
        out[start:stop] = _by_bands(columns, positions[start:stop], band)
    if whole_bands < count:
        out[whole_bands:] = _by_bands(columns, positions[whole_bands:], count - whole_bands)
    return np.ascontiguousarray(out.T)


def _by_bands(sound: Block, positions: NDArray[np.float64], band: int) -> Block:
    """The same for whole bands of positions; ``sound`` and what is given with one column for each channel."""
    firsts, lasts = positions[::band], positions[band - 1 :: band]
    wholes = firsts.astype(np.int64)
    count, wide = len(wholes), band + TAPS - 1
    # Coefficients of the first position of each band, going over evenly to those of its last: by a product, which is
    # several times sooner than adding them up. One row for each position, each a column further right than the last.
    ends = np.zeros((count, 2, band + TAPS), np.float32)
    ends[:, :, :TAPS] = _taps(np.stack([firsts - wholes, lasts - (wholes + band - 1)], axis=1).reshape(-1)).reshape(
        count, 2, TAPS
    )
    rows: Block = np.matmul(_going_over(band), ends)
    shifted = rows.reshape(count, -1)[:, : band * wide].reshape(count, band, wide)
    starts = wholes - BEFORE
    if starts[-1] + wide > len(sound):
        # A band that falls back behind a whole sample does not reach the last one, whose coefficient is nought.
        sound = np.pad(sound, ((0, starts[-1] + wide - len(sound)), (0, 0)))
    down, across = sound.strides
    windows = as_strided(sound, (len(sound) - wide + 1, wide, sound.shape[1]), (down, down, across), writeable=False)
    heard: Block = shifted @ windows[starts]
    return heard.reshape(-1, sound.shape[1])


@lru_cache(maxsize=BAND)
def _going_over(band: int) -> Block:
    """Shape (band, 2): how much of a band's first coefficients each position has, and how much of its last."""
    share = np.linspace(0, 1, band, dtype=np.float32)
    return np.stack([1 - share, share], axis=1)
