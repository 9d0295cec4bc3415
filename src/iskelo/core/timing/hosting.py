"""What a hosted program takes for notes that are played by hand; what it replays is in time, if it is told earlier.

It works ahead of its leader, so a note that is seen at a call sounds as much later; and it is seen at the first call
after it was played, 1 to B samples later (B: the leader's block), or placed B later by the time that is written on it.
"""

import math
from typing import NamedTuple

from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program


class ByHand(NamedTuple):
    """From a note to its sound in the stream, in samples, at least and at most, at the leader's rate.

    ``replayed_samples``: how late what is replayed lies.
    """

    least_samples: int
    most_samples: int
    replayed_samples: int
    rate_hz: int

    @property
    def least_ms(self) -> float:
        return 1000 * self.least_samples / self.rate_hz

    @property
    def most_ms(self) -> float:
        return 1000 * self.most_samples / self.rate_hz


def by_hand(found: Index, program: Program) -> ByHand | None:
    """How late notes sound that are played by hand; None if the program is not hosted, or nothing calls its leader.

    Example: a block of 64, 1024 samples ahead: 1025 to 1088 samples; with the time written on them 1088.
    """
    streams, hosted = found.runs_in(program), program.hosted
    if hosted is None or streams is None or streams.driving is None:
        return None
    way = streams.driving
    engine = way.driver.engine
    uneven = engine - math.gcd(way.buffer_samples, engine) if engine is not None else 0
    block, ahead = way.buffer_samples, hosted.ahead_samples
    gap = block if engine is None else -(-block // engine) * engine
    most = block if hosted.stamped else gap + uneven
    least = block if hosted.stamped else 1
    late = 0 if hosted.compensated else ahead
    return ByHand(ahead + least, ahead + most, late, streams.device.rate_hz)
