"""Routes: the ways a signal really takes from one port to another, hop by hop."""

from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property

from iskelo.core.rig.ports import STAGE, Port
from iskelo.core.wiring.graph import Edge, Graph

ROUTES_AT_MOST = 24
"""More copies than these at one port are counted, not listed."""


@dataclass(frozen=True)
class Route:
    """One way from a source to a target."""

    edges: tuple[Edge, ...]

    @cached_property
    def ports(self) -> tuple[Port, ...]:
        return (self.edges[0].start, *(edge.end for edge in self.edges))

    @cached_property
    def gain_db(self) -> float:
        """Sum of the gains on the way, in dB (from dBu at the source to dBFS, where it passes a converter)."""
        return sum(edge.gain_db for edge in self.edges)

    @cached_property
    def sign(self) -> int:
        """+1, or -1 when an odd number of leads on the way turn the signal over."""
        sign = 1
        for edge in self.edges:
            sign *= edge.sign
        return sign


def reaching(graph: Graph, end: Port, *, passing: bool) -> set[Port]:
    """All ports from which ``end`` can be reached (itself included)."""
    seen, queue = {end}, [end]
    while queue:
        for edge in graph.entering.get(queue.pop(), ()):
            if edge.start not in seen and not (passing and edge.block):
                seen.add(edge.start)
                queue.append(edge.start)
    return seen


def reached(graph: Graph, start: Port, *, passing: bool) -> set[Port]:
    """All ports that ``start`` reaches (itself included)."""
    seen, queue = {start}, [start]
    while queue:
        for edge in graph.leaving.get(queue.pop(), ()):
            if edge.end not in seen and not (passing and edge.block):
                seen.add(edge.end)
                queue.append(edge.end)
    return seen


class Ahead:
    """What lies ahead of each source of one graph, found once and then remembered by whoever holds this."""

    def __init__(self, graph: Graph) -> None:
        self._graph = graph
        self._found: dict[tuple[Port, bool], set[Port]] = {}
        self._edges: dict[Port, list[Edge]] = {}
        self._owners: dict[Port, frozenset[str]] = {}
        self._back: dict[tuple[Port, bool], dict[Port, list[Port]]] = {}

    def of(self, start: Port, *, passing: bool) -> set[Port]:
        """All ports that a source reaches (itself included), on any way or on those that pass."""
        found = self._found.get((start, passing))
        if found is not None:
            return found
        if not passing:
            return self._look(start)
        shut = any(edge.block for edge in self._edges_of(start))
        found = reached(self._graph, start, passing=True) if shut else self.of(start, passing=False)
        self._found[start, True] = found
        return found

    def _look(self, start: Port) -> set[Port]:
        leaving = self._graph.leaving
        seen, queue = {start}, [start]
        edges: list[Edge] = []
        while queue:
            out = leaving.get(queue.pop())
            if out is None:
                continue
            edges += out
            for edge in out:
                end = edge.end
                if end not in seen:
                    seen.add(end)
                    queue.append(end)
        self._found[start, False] = seen
        self._edges[start] = edges
        return seen

    def _edges_of(self, start: Port) -> list[Edge]:
        if start not in self._edges:
            self._look(start)
        return self._edges[start]

    def back(self, start: Port, end: Port, *, passing: bool) -> set[Port]:
        """Those of them from which ``end`` can be reached (itself included).

        Few ports lie ahead of one source, but everything may lie behind one pair of headphones.
        """
        before = self._back.get((start, passing))
        if before is None:
            before = {}
            for edge in self._edges_of(start):
                if not (passing and edge.block):
                    before.setdefault(edge.end, []).append(edge.start)
            self._back[start, passing] = before
        seen, queue = {end}, [end]
        while queue:
            for port in before.get(queue.pop(), ()):
                if port not in seen:
                    seen.add(port)
                    queue.append(port)
        return seen

    def owners(self, start: Port, gear: Callable[[Iterable[Port]], frozenset[str]]) -> frozenset[str]:
        """The gear that a source's sound could reach, its own included; ``gear`` tells that of ports."""
        if start not in self._owners:
            self._owners[start] = gear(self.of(start, passing=False))
        return self._owners[start]

    def take_over(self, before: "Ahead", touched: frozenset[str]) -> None:
        """Keep what an earlier graph's search found where none of the gear in it has changed."""
        for start, owners in before._owners.items():
            if not owners & touched:
                self._owners[start] = owners
                for passing in (True, False):
                    if (start, passing) in before._found:
                        self._found[start, passing] = before._found[start, passing]


def passing_routes(graph: Graph, start: Port, end: Port, known: Ahead | None = None) -> list[Route]:
    """Every way on which sound passes now, at most ``ROUTES_AT_MOST`` of them.

    The graph has no circles, so every way is finite. The search goes forward first, and back only over what it found.
    """
    known = known or Ahead(graph)
    if end not in known.of(start, passing=True):
        return []
    useful = known.back(start, end, passing=True)
    routes: list[Route] = []
    stack: list[tuple[Port, tuple[Edge, ...]]] = [(start, ())] if start in useful else []
    while stack and len(routes) < ROUTES_AT_MOST:
        port, way = stack.pop()
        if port == end:
            routes.append(Route(way))
            continue
        for edge in reversed(graph.leaving.get(port, ())):
            if edge.end in useful and not edge.block:
                stack.append((edge.end, (*way, edge)))
    return routes


def least_blocked(graph: Graph, start: Port, end: Port, known: Ahead | None = None) -> Route | None:
    """The way with the fewest blocked edges, whether sound passes or not; None if there is no way at all."""
    best: dict[Port, tuple[int, tuple[Edge, ...]]] = {start: (0, ())}
    queue: deque[Port] = deque([start])
    known = known or Ahead(graph)
    if end not in known.of(start, passing=False):
        return None
    useful = known.back(start, end, passing=False)
    while queue:
        port = queue.popleft()
        cost, way = best[port]
        for edge in graph.leaving.get(port, ()):
            if edge.end not in useful:
                continue
            step = cost + (1 if edge.block else 0)
            if edge.end not in best or step < best[edge.end][0]:
                best[edge.end] = (step, (*way, edge))
                (queue.append if edge.block else queue.appendleft)(edge.end)
    return Route(best[end][1]) if end in best else None


def furthest(ports: Iterable[Port]) -> Port:
    """The port furthest along the way from source to destination."""
    return max(ports, key=lambda port: (STAGE[port.bank], port))


def nearest(ports: Iterable[Port]) -> Port:
    """The port closest to the sources."""
    return min(ports, key=lambda port: (STAGE[port.bank], port))
