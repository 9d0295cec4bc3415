"""Loops: the ways on which sound comes round to where it was, inside one knot of ports."""

from collections.abc import Sequence
from typing import NamedTuple

from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph
from iskelo.core.wiring.knots import Knot

LOOPS_AT_MOST = 40
"""More loops than these in one knot are not listed."""


class Loop(NamedTuple):
    """One way round, no port passed twice: its hops in order, the sum of their gains, its polarity."""

    edges: tuple[Edge, ...]
    gain_db: float
    sign: int


def inner_edges(graph: Graph, knot: Knot) -> list[Edge]:
    """The hops that pass between the ports of a knot."""
    ports = set(knot.ports)
    return [
        edge for port in knot.ports for edge in graph.leaving.get(port, ()) if edge.block is None and edge.end in ports
    ]


def loops_of(edges: Sequence[Edge], at_most: int = LOOPS_AT_MOST) -> tuple[tuple[Loop, ...], bool]:
    """The loops that these hops make, each once, and whether there are more than are listed.

    Each begins at its first port in order, so that none is found twice.
    """
    leaving: dict[tuple[str, str, int], list[Edge]] = {}
    for edge in edges:
        leaving.setdefault(edge.start, []).append(edge)
    found: list[Loop] = []
    for first in sorted(leaving):
        stack: list[tuple[Edge, ...]] = [(edge,) for edge in reversed(leaving[first]) if edge.end >= first]
        while stack:
            way = stack.pop()
            end = way[-1].end
            if end == first:
                if len(found) == at_most:
                    return tuple(found), True
                found.append(_loop(way))
                continue
            met = {edge.start for edge in way}
            stack += [
                (*way, edge)
                for edge in reversed(leaving.get(end, ()))
                if edge.end == first or (edge.end > first and edge.end not in met)
            ]
    return tuple(found), False


def _loop(edges: tuple[Edge, ...]) -> Loop:
    gain_db, sign = 0.0, 1
    for edge in edges:
        gain_db += edge.gain_db
        sign *= edge.sign
    return Loop(edges, gain_db, sign)
