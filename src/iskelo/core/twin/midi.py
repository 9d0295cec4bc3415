"""Messages between programs: a song begins in one, and another that follows begins when it gets to know of it.

Messages are sent in the calls of the program that leads, or at the time that they are stamped with; they are read in
the calls of the one that follows, or acted upon a block after their stamp. Every moment is one of the devices' clocks.
"""

from collections.abc import Iterator
from fractions import Fraction

import numpy as np

from iskelo.core.rig.syncs import SyncLink
from iskelo.core.twin.aggregates import JoinedAtWork
from iskelo.core.twin.driver import DriverAtWork
from iskelo.core.twin.program import DeviceAtWork

CALLS_BEFORE = 24
"""So many calls, at least, has a program been at work when a song begins."""


class Caller:
    """Who calls a program, as its messages meet it: the moments of calls, and of samples of its stream."""

    def __init__(self, device: DeviceAtWork) -> None:
        session = device.caller if isinstance(device, JoinedAtWork) else device
        assert isinstance(session, DriverAtWork)
        self._session = session
        self.block_samples = device.block_samples
        self.rate: Fraction = session.box.clock.rate
        self._nominal = Fraction(session.rate_hz)

    def called(self, call: int) -> Fraction:
        """The moment of a call, in seconds."""
        samples = Fraction(self._session.called_s(call)).limit_denominator(10**9) * self._nominal
        return self._session.box.clock.start_s + round(samples) / self.rate

    def sample(self, stream_time: int) -> Fraction:
        """The moment of a sample of its stream."""
        return self._session.box.clock.start_s + stream_time / self.rate

    def now(self, call: int) -> int:
        """Stream time of a call."""
        return self._session.now(call)

    def calls_later(self, moment: Fraction) -> Iterator[int]:
        """Its calls after a moment, in order."""
        near = int((moment - self._session.box.clock.start_s) * self.rate) // self.block_samples - 4
        call = max(0, near)
        while True:
            if self.called(call) > moment:
                yield call
            call += 1


def begins_after_s(link: SyncLink, leader: DeviceAtWork, follower: DeviceAtWork, seed: int) -> Fraction:
    """A song that begins in the leader: so many seconds later does the follower's begin, by the samples of both."""
    random = np.random.default_rng(seed)
    sends, reads = Caller(leader), Caller(follower)
    call = CALLS_BEFORE + int(random.integers(CALLS_BEFORE))
    inside = 0 if link.begins_at_call else int(random.integers(sends.block_samples))
    begins = sends.sample(sends.now(call) + inside)
    # With the block that it lies in, or in time.
    sent = sends.called(call) if link.sent == "at block edges" else begins
    if link.read == "stamped":
        return sent + reads.block_samples / reads.rate - begins
    return reads.sample(reads.now(next(reads.calls_later(sent)))) - begins
