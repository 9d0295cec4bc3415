"""A ring between two devices: what one writes in its blocks the other reads in its own.

The reader's place is set once by stream time, a fixed delay behind the writer. On one clock it stays there. On two
clocks it does not: unmatched, one day a block is missing, or there is no room for one; the reader slips by a block.
Matched, the reader moves on at the writer's pace and takes the sound between its samples.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from iskelo.core.between import BEFORE, TAPS, between
from iskelo.core.twin.stream import Block, Stream

LOOP_SMOOTHING = 1 / 64
LOOP_GAIN = 1 / 4096
"""How fast a matching loop believes a new timestamp, and how fast it moves after it."""


@dataclass(frozen=True, slots=True)
class Clock:
    """One end's time: its sample n stands at ``start_s`` + n / ``rate`` on the common clock, exactly."""

    start_s: Fraction
    rate: Fraction

    def at(self, sample: int) -> Fraction:
        return self.start_s + sample / self.rate


class Ring:
    """One writer, one reader. Blocks are of fixed sizes; ``delay_samples`` is how far the reader stays behind."""

    def __init__(
        self,
        channels: int,
        writer: tuple[Clock, int],
        reader: tuple[Clock, int],
        delay_samples: int,
        room_samples: int,
        *,
        matched: bool,
        slipped: Callable[[int], None] = lambda samples: None,
    ) -> None:
        """``writer`` and ``reader``: each one's clock and block. ``slipped`` is told of every block that slips."""
        (self._writer, self._in_samples), (self._reader, self._out_samples) = writer, reader
        self._delay = delay_samples
        self._matched = matched
        self._slipped = slipped
        self._room = room_samples
        self._channels = channels
        keep = room_samples + delay_samples + 2 * (self._in_samples + self._out_samples) + 2 * TAPS
        self._sound = Stream(channels, keep)
        self._apart_s = float(self._reader.start_s - self._writer.start_s)
        self._reader_rate, self._writer_rate = float(self._reader.rate), float(self._writer.rate)
        self._at: int | None = None
        self._place = 0.0
        # A whole millionth's hundredth is all that a measured clock is known to.
        self._ratio = self._preset = round(float(self._writer.rate / self._reader.rate), 8)
        self._late = 0.0
        self._written_now = 0

    def write(self, now: int, block: Block) -> None:
        """The writer's block of stream time ``now``; if there is no room for it, the reader loses a block."""
        if self._sound.written == 0:
            # The writer's stream begins here; all before it is silence.
            self._first = now
        full = self._at is not None and self._sound.written + block.shape[1] - self._at > self._room
        if full and not self._matched and self._at is not None:
            self._slipped(self._out_samples)
            self._at += self._out_samples
        self._sound.write(block)
        self._written_now = now

    def read(self, now: int) -> Block:
        """The reader's block of stream time ``now``; silence while nothing has come yet, or if too little is there."""
        if self._sound.written == 0:
            return np.zeros((self._channels, self._out_samples), np.float32)
        return self._between(now) if self._matched else self._straight(now)

    def _straight(self, now: int) -> Block:
        if self._at is None:
            behind = self._reader.at(now - self._delay) - self._writer.at(self._first)
            self._at = round(behind * self._writer.rate)
        if self._at + self._out_samples > self._sound.written:
            self._slipped(self._out_samples)
            return np.zeros((self._channels, self._out_samples), np.float32)
        block = self._sound.read(self._at, self._out_samples)
        self._at += self._out_samples
        return block

    def _between(self, now: int) -> Block:
        # By the timestamp of the newest block: where in the writer's sound the reader should be. Seconds of a run are
        # told finely enough by a float, to a thousand millionth of a sample.
        since_s = self._apart_s + now / self._reader_rate - self._written_now / self._writer_rate
        wanted = self._written_now - self._first + since_s * self._writer_rate
        wanted -= (self._delay + TAPS // 2) * self._preset
        if self._at is None:
            self._at, self._place = 0, wanted
        self._late += (wanted - self._place - self._late) * LOOP_SMOOTHING
        self._ratio = self._preset + self._late * LOOP_GAIN
        positions = self._place + self._ratio * np.arange(self._out_samples, dtype=np.float64)
        start = int(np.floor(positions[0])) - BEFORE
        stop = int(np.floor(positions[-1])) - BEFORE + TAPS
        self._place += self._ratio * self._out_samples
        if stop > self._sound.written:
            self._slipped(self._out_samples)
            return np.zeros((self._channels, self._out_samples), np.float32)
        return between(self._sound.read(start, stop - start), positions - start)
