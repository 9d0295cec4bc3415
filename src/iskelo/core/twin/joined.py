"""Several boxes at work as one device: an aggregate, or one box for input and another for output.

The box whose clock calls does so once a block. Members that started with it on its clock have just finished a block
too, and theirs is taken as it is. Others hand their sound over through rings, one each way.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from iskelo.core.between import TAPS
from iskelo.core.twin.box import Called, DriverAtWork
from iskelo.core.twin.delay_line import DelayLine
from iskelo.core.twin.ring import Ring
from iskelo.core.twin.stream import Block

MATCHING_DELAY_SAMPLES = TAPS // 2
"""A matching filter looks so far ahead."""


@dataclass(slots=True)
class Part:
    """One box of a joined device: ``session`` None if it cannot be opened, which leaves its channels silent.

    ``capture`` and ``playback``: how many of the device's channels are its; its driver may show fewer.
    """

    session: DriverAtWork | None
    capture: int
    playback: int
    ring_in: Ring | None = None
    ring_out: Ring | None = None
    ring_samples: int = 0
    pad_in: DelayLine | None = None
    pad_out: DelayLine | None = None

    @property
    def rows_in(self) -> int:
        return min(self.capture, self.session.capture) if self.session is not None else 0

    @property
    def rows_out(self) -> int:
        return min(self.playback, self.session.playback) if self.session is not None else 0


class Feeder:
    """Stands for a joined device at a box that it does not call: fills one ring and empties the other."""

    def __init__(self, part: Part) -> None:
        self._part = part

    def call(self) -> None:
        part = self._part
        assert part.session is not None
        if part.ring_in is not None:
            part.ring_in.write(part.session.now, part.session.captured[: part.rows_in])
        if part.ring_out is not None:
            part.session.play_first(part.ring_out.read(part.session.now))


class JoinedAtWork:
    """A joined device, as its programs see it and as the box that calls sees it."""

    def __init__(self, caller: DriverAtWork, parts: Sequence[Part], *, pad: bool) -> None:
        self._caller = caller
        self._parts = parts
        self.block_samples = caller.block_samples
        self.rate_hz = caller.rate_hz
        self.capture = sum(part.capture for part in parts)
        self.playback = sum(part.playback for part in parts)
        self.captured: Block = np.zeros((self.capture, self.block_samples), np.float32)
        self._mix: Block = np.zeros((self.playback, self.block_samples), np.float32)
        self.programs: list[Called] = []
        if pad:
            self._pad()

    def _pad(self) -> None:
        """Let early members wait for the latest one, by what each takes from its jacks and to them."""
        taken = [self._takes(part, inward=True) for part in self._parts]
        given = [self._takes(part, inward=False) for part in self._parts]
        for part, into, out in zip(self._parts, taken, given, strict=True):
            part.pad_in = DelayLine(part.rows_in, max(taken) - into)
            part.pad_out = DelayLine(part.rows_out, max(given) - out)

    @staticmethod
    def _takes(part: Part, *, inward: bool) -> int:
        if part.session is None:
            return 0
        return part.session.fixed_samples(inward=inward) + part.session.block_samples + part.ring_samples

    @property
    def now(self) -> int:
        return self._caller.now

    @property
    def called_s(self) -> float:
        return self._caller.called_s

    @property
    def due_s(self) -> float:
        return self._caller.due_s

    def call(self) -> None:
        """The calling box has a block: gather the others', let the programs work, hand out what they play."""
        at = 0
        for part in self._parts:
            rows = slice(at, at + part.rows_in)
            at += part.capture
            if part.session is None or not part.rows_in:
                continue
            taken = part.session.captured[: part.rows_in] if part.ring_in is None else part.ring_in.read(self.now)
            self.captured[rows] = taken if part.pad_in is None else part.pad_in.push(taken)
        self._mix[:] = 0
        for program in self.programs:
            program.call()
        at = 0
        for part in self._parts:
            rows = slice(at, at + part.rows_out)
            at += part.playback
            if part.session is None or not part.rows_out:
                continue
            given = self._mix[rows] if part.pad_out is None else part.pad_out.push(self._mix[rows])
            if part.ring_out is not None:
                part.ring_out.write(self.now, given)
            else:
                part.session.play_first(given)

    def play(self, blocks: Block) -> None:
        """A program hands over what is to be played, for all members."""
        self._mix += blocks
