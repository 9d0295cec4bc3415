"""Sound between samples: a windowed-sinc filter of 64 taps, its coefficients from a table of phases.

A converter on another clock samples what is played at other moments; a matching filter gives one clock's samples at
the other's. Both ask here. Up to 0.45 of the rate the error stays below -90 dB (``tests/core/test_twin_clocks.py``).
"""

import numpy as np
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

AT_ONCE = 256
"""At most so many positions share one set of coefficients."""

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


def _taps(phase: float) -> NDArray[np.float32]:
    row, part = divmod(phase * PHASES + OVER, 1)
    first = int(row)
    blended: NDArray[np.float32] = (1 - np.float32(part)) * _TABLE[first] + np.float32(part) * _TABLE[first + 1]
    return blended


def between(sound: Block, positions: NDArray[np.float64]) -> Block:
    """Sound at positions between its samples.

    Parameters
    ----------
    sound
        Shape (channels, m); positions ``BEFORE`` to ``m - TAPS + BEFORE`` can be asked for.
    positions
        In samples from the first, evenly apart; the coefficients are worked out once for all channels.

    Returns
    -------
    Block
        Shape (channels, len(positions)).
    """
    count = len(positions)
    if not count:
        return np.zeros((len(sound), 0), np.float32)
    step = (positions[-1] - positions[0]) / (count - 1) if count > 1 else 1.0
    stretch = AT_ONCE if step == 1 else max(1, min(AT_ONCE, int(SMOOTH / abs(step - 1))))
    out: Block = np.empty((len(sound), count), np.float32)
    for start in range(0, count, stretch):
        some = min(stretch, count - start)
        whole = int(positions[start])
        first, last = positions[start] - whole, positions[start + some - 1] - (whole + some - 1)
        heard = sound[:, whole - BEFORE : whole - BEFORE + some + TAPS - 1]
        if heard.shape[1] < some + TAPS - 1:
            # A stretch that falls back behind a whole sample does not reach the last one, whose coefficient is nought.
            heard = np.pad(heard, ((0, 0), (0, some + TAPS - 1 - heard.shape[1])))
        # One column of coefficients for each position: those of the first, going over to those of the last.
        columns = _band(_taps(first), some)
        if last != first:
            blend = np.linspace(0, 1, some, dtype=np.float32)
            columns = columns + blend * (_band(_taps(last), some) - columns)
        np.matmul(heard, columns, out=out[:, start : start + some])
    return out


def _band(taps: NDArray[np.float32], columns: int) -> NDArray[np.float32]:
    """Shape (columns + TAPS - 1, columns): the taps in every column, one row lower from each to the next."""
    spread = np.zeros((columns, columns + TAPS), np.float32)
    spread[:, :TAPS] = taps
    return spread.reshape(-1)[: columns * (columns + TAPS - 1)].reshape(columns, columns + TAPS - 1).T
