"""What can be measured of the computer that Iskelo runs on."""

import asyncio
import time

from anyio import CapacityLimiter, to_thread
from fastapi import APIRouter

from iskelo.api.problems import ANSWERS
from iskelo.core.timing.wakeups import Wakeups, wakeups_of

router = APIRouter(prefix="/api/computer", responses=ANSWERS)

COUNT, PERIOD_MS = 4000, 1.0
LONGEST_S = 8.0
"""On a computer that is very late the measurement stops here, with as many wake-ups as it has."""


_one_at_a_time = asyncio.Lock()


@router.post("/wakeups")
async def measure_wakeups() -> Wakeups:
    """How late this computer's timer woke Iskelo's server up, for some four seconds; no audio driver is asked."""
    async with _one_at_a_time:
        # A thread of its own: nobody waits for one meanwhile.
        return await to_thread.run_sync(_measured, limiter=CapacityLimiter(1))


def _measured() -> Wakeups:
    late_ms: list[float] = []
    due = time.perf_counter()
    began = due
    while len(late_ms) < COUNT and due - began < LONGEST_S:
        due = max(due, time.perf_counter()) + PERIOD_MS / 1000
        time.sleep(max(0.0, due - time.perf_counter()))
        late_ms.append(1000 * max(0.0, time.perf_counter() - due))
    return wakeups_of(late_ms, PERIOD_MS)
