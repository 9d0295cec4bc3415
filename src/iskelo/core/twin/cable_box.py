"""A cable at work: what programs play into it walks through a memory and is captured from it."""

from typing import TYPE_CHECKING, Any

import numpy as np

from iskelo.core.twin.box import Box
from iskelo.core.twin.stream import Block

if TYPE_CHECKING:
    from iskelo.core.twin.driver import DriverAtWork


class CableBox(Box):
    """A box without jacks: its capture channels hear its playback channels, all that its programs play together.

    Each program has an end of its own, two halves of memory each way in blocks of its own; between the ends lies the
    memory. What is captured has been played before: the programs that play come first.
    """

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.players: list[DriverAtWork] = []

    def digital(self, start: int, count: int) -> Block:
        """What comes out of the memory in these samples."""
        cable = self.gear.cable
        assert cable is not None
        total: Block = np.zeros((self.gear.capture, count), np.float32)
        for session in self.players:
            # What is not there yet is of programs that are worked later: they give nothing to the channels that are
            # taken now.
            there = min(count, session.played.written - (start - cable.margin_samples))
            if there > 0:
                total[: session.playback, :there] += session.played.read(start - cable.margin_samples, there)
        return total

    @property
    def grace_samples(self) -> int:
        """What is late is still put where it belongs, as long as it has not come out."""
        return self.margin_samples

    @property
    def margin_samples(self) -> int:
        """How long its memory is."""
        assert self.gear.cable is not None
        return self.gear.cable.margin_samples
