"""Several boxes at work as one device: an aggregate, or one box for input and another for output.

The box whose clock calls does so once a block. Members that started with it on its clock have just finished a block
too, and theirs is taken as it is. Others hand their sound over through rings, one each way.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from iskelo.core.fractional_delay import TAPS
from iskelo.core.twin.delay_line import DelayLine
from iskelo.core.twin.driver import Called, DriverAtWork
from iskelo.core.twin.ring import Ring
from iskelo.core.twin.stream import Block, Rows

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

    def turn_rings(self, now: int) -> None:
        """The box makes a call at this stream time of its own."""
        if self._part.ring_in is not None:
            self._part.ring_in.wrote(now)
        if self._part.ring_out is not None:
            self._part.ring_out.wants(now)

    def hand_in(self) -> None:
        """What the box has captured goes into the ring."""
        part = self._part
        if part.ring_in is not None and part.session is not None:
            part.ring_in.write(part.session.captured[: part.rows_in])

    def hand_out(self) -> None:
        """What the ring gave goes to the box."""
        part = self._part
        if part.ring_out is not None and part.session is not None:
            part.session.play(part.ring_out.read(), slice(part.rows_out))


class JoinedAtWork:
    """A joined device, as its programs see it and as the box that calls sees it."""

    def __init__(self, driving: DriverAtWork, parts: Sequence[Part], *, pad: bool) -> None:
        self.caller = driving
        self.parts = parts
        self.block_samples = driving.block_samples
        self.rate_hz = driving.rate_hz
        self.capture = sum(part.capture for part in parts)
        self.playback = sum(part.playback for part in parts)
        self.captured: Block = np.zeros((self.capture, 0), np.float32)
        self._mix: Block = np.zeros((self.playback, 0), np.float32)
        self.programs: list[Called] = []
        if pad:
            self._pad()

    def _pad(self) -> None:
        """Let early members wait for the latest one, by what each takes from its jacks and to them."""
        taken = [self._takes(part, inward=True) for part in self.parts]
        given = [self._takes(part, inward=False) for part in self.parts]
        for part, into, out in zip(self.parts, taken, given, strict=True):
            part.pad_in = DelayLine(part.rows_in, max(taken) - into)
            part.pad_out = DelayLine(part.rows_out, max(given) - out)

    @staticmethod
    def _takes(part: Part, *, inward: bool) -> int:
        if part.session is None:
            return 0
        return part.session.fixed_samples(inward=inward) + part.session.block_samples + part.ring_samples

    @property
    def calls(self) -> range:
        """The calling box's, since the last turn."""
        return self.caller.calls

    @property
    def began(self) -> int:
        """Stream time of the first of them."""
        return self.caller.began

    def called_s(self, call: int) -> float:
        """The moment of a call."""
        return self.caller.called_s(call)

    def due_s(self, call: int) -> float:
        """The moment at which its block must have been handed over."""
        return self.caller.due_s(call)

    @property
    def has_rings(self) -> bool:
        """Whether any of its boxes hands its sound over through a ring."""
        return any(part.ring_in is not None or part.ring_out is not None for part in self.parts)

    def turn_rings(self, now: int) -> None:
        """The calling box makes a call: a block of every ring inwards is needed, one is put into each outwards."""
        for part in self.parts:
            if part.ring_in is not None:
                part.ring_in.wants(now)
            if part.ring_out is not None:
                part.ring_out.wrote(now)

    def call(self) -> None:
        """Gather what the boxes have captured, let the programs work, hand out what they play."""
        count = len(self.calls) * self.block_samples
        self.captured = np.zeros((self.capture, count), np.float32)
        at = 0
        for part in self.parts:
            rows = slice(at, at + part.rows_in)
            at += part.capture
            if part.session is None or not part.rows_in:
                continue
            taken = part.session.captured[: part.rows_in] if part.ring_in is None else part.ring_in.read()
            self.captured[rows] = taken if part.pad_in is None else part.pad_in.push(taken)
        self._mix = np.zeros((self.playback, count), np.float32)
        for program in self.programs:
            program.call()
        at = 0
        for part in self.parts:
            rows = slice(at, at + part.rows_out)
            at += part.playback
            if part.session is None or not part.rows_out:
                continue
            given = self._mix[rows] if part.pad_out is None else part.pad_out.push(self._mix[rows])
            if part.ring_out is not None:
                part.ring_out.write(given)
            else:
                part.session.play(given, slice(part.rows_out))

    def takes(self) -> set[int]:
        """The channels of the whole device, from nought, that its programs hear anything of."""
        return set().union(*(program.takes() for program in self.programs))

    def plays(self) -> set[int]:
        """The channels of the whole device, from nought, that its programs give anything to."""
        return set().union(*(program.plays() for program in self.programs))

    def play(self, blocks: Block, rows: Rows) -> None:
        """A program hands over what these channels of the joined device are to play."""
        self._mix[rows] += blocks
