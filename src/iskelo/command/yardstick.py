"""How fast this machine is just now: figures of two runs, or of two machines, compare by it."""

import time


def yardstick_ms(times: int = 7) -> float:
    """What a million steps of a plain Python loop take, the best of so many: what is above it is others at work."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        total = 0
        for number in range(1_000_000):
            total += number
        found.append(1000 * (time.perf_counter() - began))
    return min(found)
