"""A ring between two devices: what one writes in its blocks the other reads in its own.

The reader's place is set once by stream time, a fixed delay behind the writer. On one clock it stays there. On two
clocks it does not: unmatched, one day a block is missing, or there is no room for one; the reader slips by a block.
Matched, the reader moves on at the writer's pace and takes the sound between its samples.

What is read from where is settled at every call, in the order in which they come; the sound follows later, the blocks
of many calls at once.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from iskelo.core.fractional_delay import BEFORE, TAPS, between
from iskelo.core.twin.stream import STRETCH_SAMPLES, Block, Stream

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
        keep = room_samples + delay_samples + 2 * (self._in_samples + self._out_samples + STRETCH_SAMPLES + TAPS)
        self._sound = Stream(channels, keep)
        self._apart_s = float(self._reader.start_s - self._writer.start_s)
        self._reader_rate, self._writer_rate = float(self._reader.rate), float(self._writer.rate)
        self._first = self._written = self._written_now = 0
        self._at: int | None = None
        self._plan: list[int | None] = []
        """Where the blocks begin that are yet to be read; None is silence."""
        self._place: float | None = None
        self._places: list[tuple[float, float]] = []
        """Likewise between samples, if matched: the place of a block's first sample, and how far apart they are."""
        # A whole millionth's hundredth is all that a measured clock is known to.
        self._preset = round(float(self._writer.rate / self._reader.rate), 8)
        self._late = 0.0

    def wrote(self, now: int) -> None:
        """The writer has a block of stream time ``now``; if there is no room for it, the reader loses a block."""
        if self._written == 0:
            # The writer's stream begins here; all before it is silence.
            self._first = now
        self._written += self._in_samples
        self._written_now = now
        if self._at is not None and self._written - self._at > self._room:
            self._slipped(self._out_samples)
            self._at += self._out_samples

    def wants(self, now: int) -> None:
        """The reader needs a block at stream time ``now``; silence while nothing has come yet, or if too little has."""
        if self._written == 0:
            self._plan.append(None)
        elif self._matched:
            self._want_between(now)
        else:
            self._want_straight(now)

    def _want_straight(self, now: int) -> None:
        if self._at is None:
            behind = self._reader.at(now - self._delay) - self._writer.at(self._first)
            self._at = round(behind * self._writer.rate)
        if self._at + self._out_samples > self._written:
            self._slipped(self._out_samples)
            self._plan.append(None)
            return
        self._plan.append(self._at)
        self._at += self._out_samples

    def _want_between(self, now: int) -> None:
        # By the timestamp of the newest block: where in the writer's sound the reader should be. Seconds of a run are
        # told finely enough by a float, to a thousand millionth of a sample.
        since_s = self._apart_s + now / self._reader_rate - self._written_now / self._writer_rate
        wanted = self._written_now - self._first + since_s * self._writer_rate
        wanted -= (self._delay + TAPS // 2) * self._preset
        place = wanted if self._place is None else self._place
        self._late += (wanted - place - self._late) * LOOP_SMOOTHING
        ratio = self._preset + self._late * LOOP_GAIN
        self._place = place + ratio * self._out_samples
        if int(place + ratio * (self._out_samples - 1) // 1) - BEFORE + TAPS > self._written:
            self._slipped(self._out_samples)
            self._plan.append(None)
            return
        self._plan.append(len(self._places))
        self._places.append((place, ratio))

    def write(self, sound: Block) -> None:
        """The sound of the blocks written since the last time."""
        self._sound.write(sound)

    def read(self) -> Block:
        """The sound of the blocks wanted since the last time."""
        size = self._out_samples
        out: Block = np.zeros((self._channels, len(self._plan) * size), np.float32)
        for first, count, at in _runs(self._plan, 1 if self._matched else size):
            piece = slice(first * size, (first + count) * size)
            out[:, piece] = self._between(at, count) if self._matched else self._sound.read(at, count * size)
        self._plan, self._places = [], []
        return out

    def _between(self, first: int, count: int) -> Block:
        places: NDArray[np.float64] = np.array(self._places[first : first + count])
        positions = (places[:, :1] + places[:, 1:] * np.arange(self._out_samples)).reshape(-1)
        start = int(np.floor(positions[0])) - BEFORE
        stop = int(np.floor(positions[-1])) - BEFORE + TAPS
        return between(self._sound.read(start, stop - start), positions - start)


def _runs(plan: list[int | None], step: int) -> list[tuple[int, int, int]]:
    """Blocks that follow one another without a gap: the first one's number, how many, and where the first begins."""
    runs: list[tuple[int, int, int]] = []
    for number, at in enumerate(plan):
        if at is None:
            continue
        if runs:
            first, count, begin = runs[-1]
            if first + count == number and begin + count * step == at:
                runs[-1] = (first, count + 1, begin)
                continue
        runs.append((number, 1, at))
    return runs
