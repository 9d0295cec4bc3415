"""Sound between samples: a windowed-sinc filter of 64 taps, its coefficients from a table of phases.

A converter on another clock samples what is played at other moments; a matching filter gives one clock's samples at
the other's. Both ask here. Up to 0.45 of the rate the error stays below -90 dB (``tests/core/test_twin_clocks.py``).
"""

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from iskelo.core.twin.stream import Block

TAPS = 64
BEFORE = TAPS // 2 - 1
"""So many samples before the one at or just before a position are used, and one more than that behind it."""

PHASES = 512
KAISER_BETA = 10.06
"""100 dB by Kaiser's formula, 0.1102 (A - 8.7); from memory."""


def _table() -> NDArray[np.float64]:
    """Coefficients by phase, one phase more than a whole sample; each row sums to 1."""
    offsets = np.arange(TAPS) - BEFORE
    phases = np.arange(PHASES + 1)[:, np.newaxis] / PHASES
    at = offsets - phases
    width = TAPS / 2
    window = np.i0(KAISER_BETA * np.sqrt(np.clip(1 - (at / width) ** 2, 0, 1))) / np.i0(KAISER_BETA)
    rows = np.sinc(at) * window
    scaled: NDArray[np.float64] = rows / rows.sum(axis=1, keepdims=True)
    return scaled


_TABLE = _table()


def between(sound: Block, positions: NDArray[np.float64]) -> Block:
    """Sound at positions between its samples.

    Parameters
    ----------
    sound
        Shape (channels, m); positions ``BEFORE`` to ``m - TAPS + BEFORE`` can be asked for.
    positions
        In samples from the first, ascending; the coefficients are worked out once for all channels.

    Returns
    -------
    Block
        Shape (channels, len(positions)).
    """
    whole = np.floor(positions).astype(np.intp)
    phase = (positions - whole) * PHASES
    row = phase.astype(np.intp)
    part = (phase - row)[:, np.newaxis]
    taps = ((1 - part) * _TABLE[row] + part * _TABLE[row + 1]).astype(np.float32)
    windows = sliding_window_view(sound, TAPS, axis=1)[:, whole - BEFORE]
    out: Block = np.einsum("cnk,nk->cn", windows, taps, optimize=False)
    return out
