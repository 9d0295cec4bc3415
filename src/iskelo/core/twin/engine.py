"""The twin's engine: one queue of events at exact times.

Time is counted in whole ticks, a common multiple of every clock's rate, so that no time is ever rounded. At
one instant events run in this order: devices finish blocks and hand them to rings (0), then programs run (1), then the
sound of all that has happened is worked (2).
"""

import heapq
import math
from collections.abc import Callable, Iterable
from fractions import Fraction

DEVICE_FINISHES, PROGRAM_RUNS, SOUND_TURNS = 0, 1, 2


class Engine:
    """Runs events in order of (time, priority, number)."""

    def __init__(self, rates: Iterable[int | Fraction]) -> None:
        """``rates`` of the clocks in samples a second, exactly: 48 000 * (1 + 50e-6) is a fraction."""
        self.ticks_per_second = math.lcm(*(Fraction(rate).numerator for rate in rates))
        self.now = 0
        self._queue: list[tuple[int, int, int, Callable[[], None]]] = []
        self._number = 0

    def ticks(self, samples: int, rate: int | Fraction) -> int:
        """So many samples of a clock, in ticks."""
        exact = Fraction(rate)
        return samples * (self.ticks_per_second // exact.numerator) * exact.denominator

    def at(self, time: int, priority: int, event: Callable[[], None]) -> None:
        """Put an event on the queue."""
        self._number += 1
        heapq.heappush(self._queue, (time, priority, self._number, event))

    def run(self, until: int) -> None:
        """Run every event before this time."""
        while self._queue and self._queue[0][0] <= until:
            self.now, _, _, event = heapq.heappop(self._queue)
            event()
        self.now = until
