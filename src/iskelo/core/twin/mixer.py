"""A mixer at work: what stands at its channels and output jacks, worked from its inputs and returns.

Points that hear one other point alone are folded into those that hear them; what is left are sums, each a few products
of a matrix with long stretches of sound. Where sound goes round inside, or by leads from its own outputs into its own
inputs, stretches are no longer than the shortest memory of which all shorter ones together make no circle. A circle
without any memory is solved if it is certain to be quiet, and refused else.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from iskelo.core.twin.couplings import Coupling, Point
from iskelo.core.twin.stream import STRETCH_SAMPLES, Block, Rows, Stream
from iskelo.core.twin.told import CannotFollow

Taken = dict[tuple[Point, int], float]
"""What a point hears: which others, how many samples later, as ratios."""


class _Products(NamedTuple):
    """Rows that are worked at once: for each delay a matrix from some rows; ``solve`` where they hear each other."""

    rows: list[int]
    by_delay: list[tuple[int, Rows, Block]]
    solve: Block | None
    ceilings: Block | None


class MixerAtWork:
    """Some outputs of a mixer, worked stretch by stretch from nought on."""

    def __init__(
        self, coupled: Sequence[Coupling], outputs: Sequence[Point], ceilings: Mapping[str, float], name: str
    ) -> None:
        """``ceilings``: what points of a kind clip at, where leads come in of its own outputs; ``name`` of the gear."""
        heard = _needed(coupled, outputs)
        clipped = {point for point in heard if heard[point] and point[0] == "in" and "in" in ceilings}
        folded = {point: _folded(taken, heard, clipped) for point, taken in heard.items()}
        sums = [point for point in heard if heard[point] and (len(heard[point]) > 1 or point in clipped)]
        # Inputs first, each kind in the order of its numbers.
        self.sources = sorted(point for point in heard if not heard[point] and point[0] in ("in", "return"))
        self._rows = {point: row for row, point in enumerate([*self.sources, *sums])}
        taken = {point: _known(folded[point], self._rows) for point in sums}
        self.step_samples = _step(taken)
        self._levels = [
            self._products(level, taken, {point: ceilings[point[0]] for point in clipped}, name)
            for level in _levels(taken, self.step_samples)
        ]
        ends = [_known(heard_at(point, folded, self._rows), self._rows) for point in outputs]
        self._straight, self._ends = self._outputs(ends)
        longest = max((late for each in (*taken.values(), *ends) for _, late in each), default=0)
        self._stream = Stream(len(self._rows), longest, 4 * STRETCH_SAMPLES)

    @property
    def at(self) -> int:
        """How many samples have been worked."""
        return self._stream.written

    def work(self, count: int, sound: Callable[[int, Block], None], out: Block) -> None:
        """The outputs for so many samples more, into ``out``.

        ``sound(start, rows)`` lays what comes in at ``sources`` from a sample on into so many rows.
        """
        done = 0
        while done < count:
            some = min(self.step_samples or STRETCH_SAMPLES, STRETCH_SAMPLES, count - done)
            start = self._stream.written
            fresh = self._stream.behind(some)
            sound(start, fresh[: len(self.sources)])
            for level in self._levels:
                fresh[level.rows] = self._worked(level, start, some)
            part = out[:, done : done + some]
            part[:] = 0
            for late, ends, rows, ratios in self._straight:
                heard = self._stream.read(start - late, some)[rows]
                part[ends] = heard if ratios is None else heard * ratios
            for late, rows, matrix in self._ends:
                part += matrix @ self._stream.read(start - late, some)[rows]
            done += some

    def _outputs(
        self, ends: Sequence[Taken]
    ) -> tuple[list[tuple[int, Rows, Rows, Block | None]], list[tuple[int, Rows, Block]]]:
        """Outputs that hear one row each, by their delays; and matrices for those that hear more."""
        straight: dict[int, list[tuple[int, int, float]]] = {}
        sums: list[Taken] = []
        for end, each in enumerate(ends):
            if len(each) == 1:
                ((point, late), ratio) = next(iter(each.items()))
                straight.setdefault(late, []).append((end, self._rows[point], ratio))
            sums.append(each if len(each) > 1 else {})
        told: list[tuple[int, Rows, Rows, Block | None]] = []
        for late, some in sorted(straight.items()):
            numbers, rows, ratios = zip(*some, strict=True)
            turned = None if set(ratios) == {1.0} else np.array(ratios, np.float32)[:, np.newaxis]
            told.append((late, as_run(numbers), as_run(rows), turned))
        return told, self._matrices(list(range(len(ends))), sums)

    def _worked(self, level: _Products, start: int, count: int) -> Block:
        total: Block = np.zeros((len(level.rows), count), np.float32)
        for late, rows, matrix in level.by_delay:
            total += matrix @ self._stream.read(start - late, count)[rows]
        if level.solve is not None:
            total = level.solve @ total
        if level.ceilings is not None:
            np.clip(total, -level.ceilings, level.ceilings, out=total)
        return total

    def _matrices(self, ends: list[int], taken: Sequence[Taken]) -> list[tuple[int, Rows, Block]]:
        """For every delay the rows that are heard and how loud each end hears each of them."""
        by_delay: dict[int, dict[int, dict[int, float]]] = {}
        for end, each in zip(ends, taken, strict=True):
            for (point, late), ratio in each.items():
                by_delay.setdefault(late, {}).setdefault(self._rows[point], {})[end] = ratio
        made = []
        for late, heard in sorted(by_delay.items()):
            rows = sorted(heard)
            matrix = np.zeros((len(ends), len(rows)), np.float32)
            for column, row in enumerate(rows):
                for end, ratio in heard[row].items():
                    matrix[end, column] += ratio
            made.append((late, as_run(rows), matrix))
        return made

    def _products(
        self, level: list[Point], taken: Mapping[Point, Taken], ceilings: Mapping[Point, float], name: str
    ) -> _Products:
        """One point, or several that hear each other without any memory."""
        members = set(level)
        at_once = np.zeros((len(level), len(level)))
        outside: list[Taken] = []
        for row, point in enumerate(level):
            rest: Taken = {}
            for (start, late), ratio in taken[point].items():
                if late == 0 and start in members:
                    at_once[row, level.index(start)] += ratio
                else:
                    rest[start, late] = ratio
            outside.append(rest)
        solve = None
        if at_once.any():
            if max(abs(np.linalg.eigvals(np.abs(at_once)))) >= 1:
                raise CannotFollow(
                    f"Sound goes round inside {name} at once, without any delay, and does not grow softer: "
                    "open the circle, or turn it down."
                )
            solve = np.linalg.inv(np.eye(len(level)) - at_once).astype(np.float32)
        tops = [[ceilings.get(point, np.inf)] for point in level]
        limits = np.array(tops, np.float32) if any(point in ceilings for point in level) else None
        rows = [self._rows[point] for point in level]
        return _Products(rows, self._matrices(list(range(len(level))), outside), solve, limits)


def as_run(rows: Sequence[int]) -> Rows:
    """Rows as a slice where they follow each other: what is read so is not copied."""
    first = rows[0]
    return slice(first, first + len(rows)) if list(rows) == list(range(first, first + len(rows))) else list(rows)


def heard_at(point: Point, folded: Mapping[Point, Taken], rows: Mapping[Point, int]) -> Taken:
    """What is heard at a point: itself if it is worked, else what it is folded into."""
    return {(point, 0): 1.0} if point in rows else folded.get(point, {})


def _needed(coupled: Sequence[Coupling], outputs: Sequence[Point]) -> dict[Point, Taken]:
    """What each point hears, of those that the outputs hear."""
    into: dict[Point, Taken] = {}
    for each in coupled:
        taken = into.setdefault(each.to, {})
        key = (each.start, each.samples)
        taken[key] = taken.get(key, 0.0) + each.ratio
    heard: dict[Point, Taken] = {}
    ahead = list(outputs)
    while ahead:
        point = ahead.pop()
        if point not in heard:
            heard[point] = into.get(point, {})
            ahead += [start for start, _ in heard[point]]
    return heard


def _folded(taken: Taken, heard: Mapping[Point, Taken], clipped: set[Point]) -> Taken:
    """The same, told of points that are sums or where sound comes in."""
    folded: Taken = {}
    for (first, wait), turn in taken.items():
        point, late, ratio = first, wait, turn
        met = {point}
        while len(heard[point]) == 1 and point not in clipped:
            ((before, more), turned) = next(iter(heard[point].items()))
            if before in met:
                break  # A circle of its own that nothing feeds is silent.
            met.add(before)
            point, late, ratio = before, late + more, ratio * turned
        folded[point, late] = folded.get((point, late), 0.0) + ratio
    return folded


def _known(taken: Taken, rows: Mapping[Point, int]) -> Taken:
    """Without what is silent for good."""
    return {key: ratio for key, ratio in taken.items() if key[0] in rows}


def _components(taken: Mapping[Point, Taken], below: int | None) -> list[list[Point]]:
    """Sums that hear each other within fewer samples than these, in an order in which each comes after what it hears.

    Tarjan's strongly connected components, without recursion.
    """
    onward = {
        point: [start for start, late in each if start in taken and (below is None or late < below)]
        for point, each in taken.items()
    }
    order: dict[Point, int] = {}
    low: dict[Point, int] = {}
    stack: list[Point] = []
    inside: set[Point] = set()
    found: list[list[Point]] = []
    for first in taken:
        if first in order:
            continue
        work = [(first, iter(onward[first]))]
        order[first] = low[first] = len(order)
        stack.append(first)
        inside.add(first)
        while work:
            point, rest = work[-1]
            after = next(rest, None)
            if after is None:
                work.pop()
                if work:
                    low[work[-1][0]] = min(low[work[-1][0]], low[point])
                if low[point] == order[point]:
                    group = []
                    while True:
                        member = stack.pop()
                        inside.discard(member)
                        group.append(member)
                        if member == point:
                            break
                    found.append(group[::-1])
            elif after not in order:
                order[after] = low[after] = len(order)
                stack.append(after)
                inside.add(after)
                work.append((after, iter(onward[after])))
            elif after in inside:
                low[point] = min(low[point], order[after])
    return found


def _makes_a_circle(taken: Mapping[Point, Taken], below: int | None) -> bool:
    alone = any(
        start == point and (below is None or late < below) for point, each in taken.items() for start, late in each
    )
    return alone or any(len(group) > 1 for group in _components(taken, below))


def _step(taken: Mapping[Point, Taken]) -> int | None:
    """How many samples may be worked at once; None: any number, for nothing goes round."""
    if not _makes_a_circle(taken, None):
        return None
    delays = sorted({late for each in taken.values() for _, late in each if late})
    fit = [late for late in delays if not _makes_a_circle(taken, late)]
    if fit:
        return max(fit)
    # Only circles that take no time are left: solved, and all that takes some is memory.
    return delays[0] if delays else None


def _levels(taken: Mapping[Point, Taken], step: int | None) -> list[list[Point]]:
    """What can be worked at once, in order: sums that hear only what has been worked, or each other at once."""
    groups = _components(taken, step)
    depth: dict[Point, int] = {}
    by_depth: dict[int, list[Point]] = {}
    for group in groups:
        members = set(group)
        before = [
            depth[start] + 1
            for point in group
            for start, late in taken[point]
            if start in depth and start not in members and (step is None or late < step)
        ]
        here = max(before, default=0)
        depth |= dict.fromkeys(group, here)
        by_depth.setdefault(here, []).extend(group)
    return [by_depth[at] for at in sorted(by_depth)]


def hears_inputs(coupled: Sequence[Coupling], points: Sequence[Point]) -> bool:
    """Whether something that comes in at a jack is heard at these points."""
    return any(point[0] == "in" for point in _needed(coupled, points))
