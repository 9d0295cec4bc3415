"""Where sound goes round in a rig, and what that does to what is heard: it rings, it howls, or it may howl."""

import math
from collections.abc import Sequence
from fractions import Fraction
from typing import Literal, NamedTuple

from iskelo.core.levels.along import full_scale_dbu
from iskelo.core.lines.wet import effects_mixes, is_wet
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.loops import Loop, inner_edges, loops_of
from iskelo.core.routes.route import Ahead, Route, reached
from iskelo.core.timing.delays import delay_of
from iskelo.core.timing.rounds import COPIES_DOWN_TO_DB, Copies, Hopped, Passed, copies, determinant, growth_db_per_s
from iskelo.core.values import light
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph
from iskelo.core.wiring.knots import Knot

Verdict = Literal["rings", "howls", "may howl"]

LEFT_DB = -60.0
"""A sound that has died away so far is gone."""

BESIDE_DB = -20.0
"""A loop that loses so much at every turn is no finding of a line; common practice, no published source."""


class Round(NamedTuple):
    """One loop with its delay; ``rate_db_per_s`` is its gain by its delay, None for one without delay."""

    loop: Loop
    seconds: Fraction

    @property
    def rate_db_per_s(self) -> float:
        """How fast it would grow by itself; below nought it dies away."""
        if self.seconds:
            return self.loop.gain_db / float(self.seconds)
        return math.inf if self.loop.gain_db >= 0 else -math.inf


@light
class Ringing:
    """A knot with what goes round in it.

    ``rounds``: its loops, the one that grows fastest first; ``more``: there are others that are not listed.
    ``growth_db_per_s``: what cannot be exceeded. ``ahead``: all ports that are reached from it. ``wet``: all of it goes
    round through effects, as in an echo.
    """

    knot: Knot
    edges: tuple[Edge, ...]
    rounds: tuple[Round, ...]
    more: bool
    growth_db_per_s: float
    verdict: Verdict
    ahead: frozenset[Port]
    wet: bool

    @property
    def worst(self) -> Round:
        """The loop that grows fastest, or dies away slowest."""
        return self.rounds[0]

    @property
    def is_at_once(self) -> bool:
        """Whether all of it goes round without any delay: then nothing rings, all of it is only louder or softer."""
        return not self.more and all(not each.seconds for each in self.rounds)

    @property
    def is_heard(self) -> bool:
        """Whether it is a finding: it howls, or it rings for a while."""
        if self.verdict != "rings":
            return True
        return not self.wet and any(each.loop.gain_db > BESIDE_DB for each in self.rounds)


class Rings:
    """The knots of one rig's graph with what goes round in them, worked out once."""

    def __init__(self, graph: Graph, found: Index) -> None:
        self._found = found
        effects = effects_mixes(found) if graph.knots else frozenset()
        self.all: tuple[Ringing, ...] = tuple(_ringing(knot, graph, found, effects) for knot in graph.knots)
        self._at_once = [(ring, _at_once(ring, found)) for ring in self.all]

    def raised_along(self, edges: Sequence[Edge]) -> tuple[float | None, ...]:
        """By how many dB what goes round without any delay raises each port of a way, from its first on.

        None from where on it has no level: where what goes round does not die away, or cannot be reckoned. Nothing at
        all for a way that meets no such ring. By Mason's rule, as ``timing.rounds``.
        """
        met = [
            (ring, loops, ports)
            for ring, loops in self._at_once
            if not (ports := frozenset(ring.knot.ports)).isdisjoint(edge.end for edge in edges)
        ]
        if not met:
            return ()
        raised: list[float | None] = [0.0]
        passed = {edges[0].start}
        for edge in edges:
            passed.add(edge.end)
            by: float | None = 0.0
            for ring, loops, ports in met:
                if by is None or ports.isdisjoint(passed):
                    continue
                if ring.verdict != "rings" or ring.more:
                    by = None
                elif loops:
                    beside = determinant([loop for loop in loops if loop.ports.isdisjoint(passed)])
                    by += 20 * math.log10(abs(sum(beside.values()) / sum(determinant(loops).values())))
            raised.append(by)
        return tuple(raised)

    def between(self, start: Port, end: Port, known: Ahead) -> tuple[Ringing, ...]:
        """Those that a source reaches and that reach a target."""
        if not self.all:
            return ()
        sound = known.sound(start).by
        return tuple(each for each in self.all if end in each.ahead and each.knot.ports[0] in sound)

    def copies(
        self, routes: Sequence[Route], rings: Sequence[Ringing], down_to_db: float = COPIES_DOWN_TO_DB
    ) -> Copies:
        """Every copy that arrives by these ways and all that goes round; none where it is not known to die away.

        Ratios are to the source's level, in dBFS at a converter and behind one.
        """
        if any(each.verdict != "rings" or each.more for each in rings):
            return ()
        found = self._found
        ways = [
            _passed(route.edges, route.gain_db - full_scale_dbu(route.edges, found), route.sign, found)
            for route in routes
        ]
        loops = [
            _passed(each.loop.edges, each.loop.gain_db, each.loop.sign, self._found)
            for ring in rings
            for each in ring.rounds
        ]
        return copies(ways, loops, down_to_db)


def _at_once(ring: Ringing, found: Index) -> list[Passed]:
    """The loops of a knot that take no time."""
    return [
        _passed(each.loop.edges, each.loop.gain_db, each.loop.sign, found) for each in ring.rounds if not each.seconds
    ]


def _passed(edges: tuple[Edge, ...], gain_db: float, sign: int, found: Index) -> Passed:
    ports = frozenset((edges[0].start, *[edge.end for edge in edges]))
    return Passed(ports, sign * 10 ** (gain_db / 20), delay_of(edges, found).seconds)


def _ringing(knot: Knot, graph: Graph, found: Index, effects: frozenset[str]) -> Ringing:
    edges = inner_edges(graph, knot)
    loops, more = loops_of(edges)
    rounds = sorted(
        (Round(loop, delay_of(loop.edges, found).seconds) for loop in loops), key=lambda each: -each.rate_db_per_s
    )
    if len(rounds) == 1 and rounds[0].seconds:
        growth = rounds[0].rate_db_per_s
    else:
        hops = [Hopped(edge.start, edge.end, edge.gain_db, delay_of((edge,), found).seconds) for edge in edges]
        growth = growth_db_per_s(hops)
    verdict: Verdict = "rings"
    if growth >= 0:
        # One loop with its polarity reversed grows as well; only several can hold each other.
        if more:
            certain = all(edge.sign > 0 for edge in edges)
        else:
            certain = len(rounds) == 1 or all(each.loop.sign > 0 for each in rounds)
        verdict = "howls" if certain else "may howl"
    ahead = frozenset(reached(graph, knot.ports[0], passing=True))
    wet = not more and all(is_wet(each.loop.edges, effects) for each in rounds)
    return Ringing(knot, tuple(edges), tuple(rounds), more, growth, verdict, ahead, wet)
