"""A cable at work: what programs play into it walks through a memory and is captured from it."""

import math
from typing import Any

import numpy as np

from iskelo.core.rig.drivers import Driver
from iskelo.core.twin.box import Box
from iskelo.core.twin.driver import DriverAtWork
from iskelo.core.twin.stream import Block


class CableEnd(DriverAtWork):
    """A program's end of a cable; ``phase_samples``: so late within a block of its own it began."""

    def __init__(self, box: "CableBox", driver: Driver, block_samples: int, phase_samples: int) -> None:
        super().__init__(box, driver, block_samples)
        self._cable = box
        self.phase_samples = phase_samples

    def take_in(self, start: int, count: int) -> Block:
        """What has come through the cable for this end."""
        return self._cable.heard_by(self, start, count)


class CableBox(Box):
    """A box without jacks: its capture channels hear its playback channels, all that its programs play together.

    Each program has an end of its own, two halves of memory each way in blocks of its own; between the ends lies the
    memory. What is captured has been played before: the programs that play come first.
    """

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        assert self.gear.cable is not None
        self.cable = self.gear.cable
        self.players: list[DriverAtWork] = []

    def session(self, driver: Driver, block_samples: int) -> DriverAtWork:
        aligned = self.cable.start == "aligned"
        end = CableEnd(self, driver, block_samples, 0 if aligned else int(self._random.integers(block_samples)))
        self.sessions.append(end)
        return end

    def heard_by(self, end: CableEnd, start: int, count: int) -> Block:
        """What comes out of the memory for one of its ends in these samples."""
        total: Block = np.zeros((self.gear.capture, count), np.float32)
        for session in self.players:
            # What is not there yet is of programs that are worked later: they give nothing to the channels that are
            # taken now.
            late = self.between_samples(session, end)
            there = min(count, max(0, session.played.written - (start - late)))
            if there > 0:
                total[: session.playback, :there] += session.played.read(start - late, there)
        return total

    def between_samples(self, player: DriverAtWork, taker: DriverAtWork) -> int:
        """How long the memory between two ends is: aligned, what is kept waiting; else what a queue makes of it that
        began with enough silence, by when either end began.
        """
        margin = self.cable.margin_samples
        if self.cable.start == "aligned":
            return margin
        assert isinstance(player, CableEnd)
        assert isinstance(taker, CableEnd)
        blocks = (player.block_samples, taker.block_samples)
        queued = rehearsed_queue_samples(*blocks) + margin
        return queued + taker.phase_samples - player.phase_samples - sum(blocks)

    @property
    def grace_samples(self) -> int:
        """What is late is still put where it belongs, as long as it has not come out."""
        return self.cable.margin_samples


def rehearsed_queue_samples(played: int, taken: int) -> int:
    """With how much silence a queue between two programs must begin so that it is never dry, whenever they begin.

    Goes through every moment at which one may begin after the other, and one common round of both: what has been taken,
    less what has been handed over whole by then.
    """
    begins = np.arange(-(played - 1), taken)[:, np.newaxis]
    calls = np.arange(math.lcm(played, taken) // taken + -(-played // taken) + 1)[np.newaxis]
    handed_over = np.maximum(0, (begins + calls * taken) // played) * played
    return int(np.max((calls + 1) * taken - handed_over))
