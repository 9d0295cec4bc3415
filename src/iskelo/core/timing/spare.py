"""Time to spare: the share of a buffer period that is left when a program's work is done.

A program's work in a buffer of B samples is taken as W(B) = a + b B. With scheduling jitter J it is safe if
J + a + b B leaves at least a share m of the period B / fs. Two readings of the program's own load meter give a
and b; a single one gives a range, from "all of it grows with the buffer" to "none of it does".

Several programs share the computer: if each fits on a core of its own, and all of them on a single one, they fit;
if they fit only on cores of their own, it depends on how the system spreads them. On one core the classic
response-time analysis answers: R = W + sum of ceil(R / T) W over those with shorter periods. Source: M. Joseph and
P. Pandya, "Finding response times in a real-time system", *The Computer Journal* 29(5), 1986 (from memory).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from iskelo.core.rig.programs import LoadReading

MARGIN = 0.2
"""The share of a period that must stay free, against what no reading shows. Common practice, no published source."""

Together = Literal["fits", "depends", "does not fit"]


@dataclass(frozen=True, slots=True)
class Work:
    """What a program does for each buffer: ``fixed_s`` whatever its size, and ``per_sample_s`` for every sample."""

    fixed_s: float
    per_sample_s: float

    def seconds(self, buffer_samples: int) -> float:
        return self.fixed_s + self.per_sample_s * buffer_samples


def work_of(readings: Sequence[LoadReading], rate_hz: int) -> tuple[Work, ...]:
    """The work that a meter's readings allow: none of them, one, or the two ends of a range.

    Example: 50 % at 128 and 40 % at 256, 48 kHz: a = 0.1 / (48000 (1/128 - 1/256)) = 0.533 ms, b fs = 0.3.
    Readings that contradict the model (more load in a larger buffer) are taken as all growing with the buffer.
    """
    if not readings:
        return ()
    first = readings[0]
    load = first.percent / 100
    if len(readings) == 1:
        return Work(0.0, load / rate_hz), Work(load * first.buffer_samples / rate_hz, 0.0)
    other = readings[1]
    apart = rate_hz * (1 / first.buffer_samples - 1 / other.buffer_samples)
    fixed_s = (load - other.percent / 100) / apart
    if fixed_s < 0:
        return (Work(0.0, max(load, other.percent / 100) / rate_hz),)
    per_sample_s = (load - fixed_s * rate_hz / first.buffer_samples) / rate_hz
    if per_sample_s < 0:
        return (Work(max(each.percent / 100 * each.buffer_samples / rate_hz for each in readings), 0.0),)
    return (Work(fixed_s, per_sample_s),)


def to_spare(work: Work, jitter_s: float, buffer_samples: int, rate_hz: int) -> float:
    """The share of the period left: 1 - (J + a + b B) fs / B; below nought the work does not fit."""
    return 1 - (jitter_s + work.seconds(buffer_samples)) * rate_hz / buffer_samples


def smallest_safe(works: Sequence[Work], jitter_s: float, rate_hz: int, allowed: Sequence[int]) -> int | None:
    """The smallest allowed buffer that leaves ``MARGIN`` whichever of the works is the true one; None if none does.

    That is the smallest B >= (J + a) / ((1 - m) / fs - b).
    """
    least = 0.0
    for work in works:
        room_s = (1 - MARGIN) / rate_hz - work.per_sample_s
        if room_s <= 0:
            return None
        least = max(least, (jitter_s + work.fixed_s) / room_s)
    # A quotient that is a whole buffer must not miss it by a rounding.
    return next((size for size in sorted(allowed) if size >= least * (1 - 1e-12)), None)


@dataclass(frozen=True, slots=True)
class Task:
    """One program's call: its work, jitter included, and the period in which it must be done.

    ``spread``: several cores did that work at a time; alone on one core it would take as many times as long.
    """

    work_s: float
    period_s: float
    spread: bool = False


def response_times_s(tasks: Sequence[Task]) -> list[float | None]:
    """When each task is done on one core where shorter periods go first; None if it is not before its period ends.

    Example (Burns and Wellings, from memory; recomputed): work 3, 3, 5 with periods 7, 12, 20 is done after
    3, 6 and 20.
    """
    order = sorted(range(len(tasks)), key=lambda place: tasks[place].period_s)
    done: list[float | None] = [None] * len(tasks)
    for rank, place in enumerate(order):
        before = [tasks[each] for each in order[:rank]]
        period_s = tasks[place].period_s
        response = tasks[place].work_s
        while response <= period_s * (1 + 1e-12):
            needed = tasks[place].work_s + sum(
                math.ceil(response / each.period_s * (1 - 1e-12)) * each.work_s for each in before
            )
            if needed <= response * (1 + 1e-12):
                done[place] = response
                break
            response = needed
    return done


def together(tasks: Sequence[Task], cores: int) -> Together:
    """Whether programs fit on one computer: on a single core, only on several, or not at all.

    Each must leave ``MARGIN`` of its period. With more work than all cores have time, they do not fit either. How well
    a program's work spreads nobody knows: at worst all cores were busy with it, at best one was.
    """
    tight = [Task(each.work_s, each.period_s * (1 - MARGIN), each.spread) for each in tasks]
    if any(each.work_s > each.period_s for each in tight):
        return "does not fit"
    if sum(each.work_s / each.period_s for each in tight) > cores:
        return "does not fit"
    alone = [Task(each.work_s * (cores if each.spread else 1), each.period_s) for each in tight]
    return "fits" if None not in response_times_s(alone) else "depends"
