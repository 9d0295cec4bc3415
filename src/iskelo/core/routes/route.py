"""Routes: the ways a signal really takes from one port to another, hop by hop."""

from collections import deque
from collections.abc import Callable, Iterable
from collections.abc import Set as AbstractSet

from iskelo.core.light import light
from iskelo.core.rig.ports import STAGE, Port
from iskelo.core.wiring.graph import Edge, Graph

ROUTES_AT_MOST = 24
"""More copies than these at one port are counted, not listed."""


@light
class Route:
    """One way from a source to a target.

    ``gain_db`` is the sum of the gains on the way (from dBu at the source to dBFS, where it passes a converter);
    ``sign`` is +1, or -1 when an odd number of leads on the way turn the signal over.
    """

    edges: tuple[Edge, ...]
    gain_db: float
    sign: int

    @property
    def ports(self) -> tuple[Port, ...]:
        return (self.edges[0].start, *[edge.end for edge in self.edges])


def route(edges: tuple[Edge, ...]) -> Route:
    """The route that these hops make, in order."""
    gain_db, sign = 0.0, 1
    for edge in edges:
        gain_db += edge.gain_db
        sign *= edge.sign
    return Route(edges, gain_db, sign)


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


class Reach:
    """What lies ahead of one source.

    ``by`` has every port that it reaches, with the edge by which it was found first (None at the source itself), each
    after the one that leads to it; ``passing`` are the ports its sound gets to now. Where every port is reached in one
    way only (``tree``), a route is the way back from its end.
    """

    __slots__ = ("_before", "_edges", "by", "passing", "start", "tree")

    def __init__(self, graph: Graph, start: Port) -> None:
        leaving = graph.leaving
        by: dict[Port, Edge | None] = {start: None}
        queue = [start]
        edges: list[Edge] = []
        while queue:
            out = leaving.get(queue.pop())
            if out is None:
                continue
            edges += out
            for edge in out:
                end = edge.end
                if end not in by:
                    by[end] = edge
                    queue.append(end)
        self.start, self.by = start, by
        self.tree = len(edges) < len(by)
        self.passing: AbstractSet[Port] = by.keys() if all(edge.block is None for edge in edges) else self._sound(graph)
        self._edges = edges
        self._before: dict[bool, dict[Port, list[Port]]] = {}

    def _sound(self, graph: Graph) -> set[Port]:
        """The ports that sound gets to, where something is shut."""
        if not self.tree:
            return reached(graph, self.start, passing=True)
        found: set[Port] = set()
        for port, edge in self.by.items():
            if edge is None or (edge.block is None and edge.start in found):
                found.add(port)
        return found

    def way(self, end: Port) -> tuple[Edge, ...]:
        """The hops by which a port was found first."""
        hops: list[Edge] = []
        edge = self.by[end]
        while edge is not None:
            hops.append(edge)
            edge = self.by[edge.start]
        hops.reverse()
        return tuple(hops)

    def back(self, end: Port, *, passing: bool) -> set[Port]:
        """Those of the ports from which ``end`` can be reached (itself included).

        Few ports lie ahead of one source, but everything may lie behind one pair of headphones.
        """
        before = self._before.get(passing)
        if before is None:
            before = self._before[passing] = {}
            for edge in self._edges:
                if not (passing and edge.block):
                    before.setdefault(edge.end, []).append(edge.start)
        seen, queue = {end}, [end]
        while queue:
            for port in before.get(queue.pop(), ()):
                if port not in seen:
                    seen.add(port)
                    queue.append(port)
        return seen


class Ahead:
    """What lies ahead of each source of one graph, found once and then remembered by whoever holds this."""

    def __init__(self, graph: Graph) -> None:
        self._graph = graph
        self._found: dict[Port, Reach] = {}

    def of(self, start: Port) -> Reach:
        """What a source reaches."""
        found = self._found.get(start)
        if found is None:
            found = self._found[start] = Reach(self._graph, start)
        return found

    def take_over(self, before: "Ahead", around: "Around", touched: frozenset[str]) -> None:
        """Keep what an earlier graph's search found where none of the gear around it has changed."""
        for start, reach in before._found.items():
            if touched.isdisjoint(around.ahead(start)):
                self._found[start] = reach


class Around:
    """The gear that could have to do with what leaves a source or arrives at a target of one graph.

    ``gear`` tells that of ports. It is looked up when it is asked for, which is when the rig has changed.
    """

    def __init__(self, graph: Graph, known: Ahead, gear: Callable[[Iterable[Port]], frozenset[str]]) -> None:
        self._graph, self._known, self._gear = graph, known, gear
        self._ahead: dict[Port, frozenset[str]] = {}
        self._behind: dict[Port, frozenset[str]] = {}

    def ahead(self, start: Port) -> frozenset[str]:
        """The gear that a source's sound could reach, its own included."""
        if start not in self._ahead:
            self._ahead[start] = self._gear(self._known.of(start).by)
        return self._ahead[start]

    def behind(self, end: Port) -> frozenset[str]:
        """The gear that a target's sound could come from, its own included."""
        if end not in self._behind:
            self._behind[end] = self._gear(reaching(self._graph, end, passing=False))
        return self._behind[end]

    def untouched(self, starts: Iterable[Port], ends: Iterable[Port], touched: frozenset[str]) -> bool:
        """Whether nothing of this gear has to do with what leaves there or arrives there."""
        return all(touched.isdisjoint(self.ahead(start)) for start in starts) and all(
            touched.isdisjoint(self.behind(end)) for end in ends
        )

    def take_over(self, before: "Around", touched: frozenset[str]) -> None:
        """Keep what is known of an earlier graph where none of the gear has changed."""
        for own, known in ((self._ahead, before._ahead), (self._behind, before._behind)):
            own.update({port: gear for port, gear in known.items() if touched.isdisjoint(gear)})


def passing_routes(graph: Graph, start: Port, end: Port, known: Ahead | None = None) -> list[Route]:
    """Every way on which sound passes now, at most ``ROUTES_AT_MOST`` of them.

    The graph has no circles, so every way is finite. The search goes forward first, and back only over what it found.
    """
    reach = (known or Ahead(graph)).of(start)
    if end not in reach.passing:
        return []
    if reach.tree:
        return [route(reach.way(end))]
    useful = reach.back(end, passing=True)
    routes: list[Route] = []
    stack: list[tuple[Port, tuple[Edge, ...]]] = [(start, ())] if start in useful else []
    while stack and len(routes) < ROUTES_AT_MOST:
        port, way = stack.pop()
        if port == end:
            routes.append(route(way))
            continue
        for edge in reversed(graph.leaving.get(port, ())):
            if edge.end in useful and not edge.block:
                stack.append((edge.end, (*way, edge)))
    return routes


def least_blocked(graph: Graph, start: Port, end: Port, known: Ahead | None = None) -> Route | None:
    """The way with the fewest blocked edges, whether sound passes or not; None if there is no way at all."""
    reach = (known or Ahead(graph)).of(start)
    if end not in reach.by:
        return None
    if reach.tree:
        return route(reach.way(end))
    best: dict[Port, tuple[int, tuple[Edge, ...]]] = {start: (0, ())}
    queue: deque[Port] = deque([start])
    useful = reach.back(end, passing=False)
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
    return route(best[end][1]) if end in best else None


def furthest(ports: Iterable[Port]) -> Port:
    """The port furthest along the way from source to destination."""
    return max(ports, key=lambda port: (STAGE[port.bank], port))


def nearest(ports: Iterable[Port]) -> Port:
    """The port closest to the sources."""
    return min(ports, key=lambda port: (STAGE[port.bank], port))
