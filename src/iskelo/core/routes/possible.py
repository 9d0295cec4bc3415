"""Ways that there could be: those that pass once some switches are set, the fewest switches first."""

import heapq
import itertools

from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Ahead, Route, route
from iskelo.core.wiring.blocks import Block
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph

STEPS_AT_MOST = 3000
"""So many beginnings of ways are followed; in a large mixer there are more than anybody would read."""


def switches_of(edges: tuple[Edge, ...]) -> dict[tuple[str, str], Block]:
    """What stands in the way of these hops, each switch once."""
    return {(edge.block.code, edge.block.about): edge.block for edge in edges if edge.block is not None}


def possible_routes(graph: Graph, start: Port, end: Port, at_most: int, known: Ahead | None = None) -> list[Route]:
    """The ways that do not pass and would if something were switched, at most so many, fewest switches first.

    No way passes a port twice; what nobody can open leads nowhere.
    """
    known = known or Ahead(graph)
    whole = known.whole(start)
    if end not in whole.by or not known.sound(start).shut:
        return []
    useful = whole.back(end, graph)
    if not any(edge.block and edge.end in useful for port in useful for edge in graph.leaving.get(port, ())):
        return []
    found: list[Route] = []
    order = itertools.count()
    queue: list[tuple[int, int, int, Port, tuple[Edge, ...]]] = [(0, 0, next(order), start, ())]
    for _ in range(STEPS_AT_MOST):
        if not queue or len(found) >= at_most:
            break
        blocked, length, _, port, way = heapq.heappop(queue)
        if port == end:
            if blocked:
                found.append(route(way))
            continue
        passed = {start, *(edge.end for edge in way)}
        for edge in graph.leaving.get(port, ()):
            if edge.end in passed or edge.end not in useful:
                continue
            if edge.block is not None and not edge.block.unblock:
                continue
            longer = (*way, edge)
            heapq.heappush(queue, (len(switches_of(longer)), length + 1, next(order), edge.end, longer))
    return found
