"""Routes: the ways a signal really takes from one port to another, hop by hop."""

from collections import deque
from collections.abc import Callable, Iterable

from iskelo.core.rig.ports import STAGE, Port
from iskelo.core.values import light
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph

ROUTES_AT_MOST = 24
"""More copies than these at one port are counted, not listed."""


@light
class Route:
    """One way from a source to a target.

    ``gain_db`` is the sum of the gains on the way: from dBu at the source to dBFS behind a converter, and to dBu again
    behind one that leads out; ``sign`` is +1, or -1 when an odd number of leads on the way turn the signal over.
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
        for edge in graph.into(queue.pop()):
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


class Spread:
    """Where sound gets to from one port, by any way or only by those that pass.

    ``by`` has every port that is reached, with the edge by which it was found first (None at the start), each after the
    one that leads to it. Where every port is reached in one way only (``tree``), a route is the way back from its end.
    ``shut``: edges that do not pass were left out.
    """

    __slots__ = ("_before", "_passing", "by", "shut", "start", "tree")

    def __init__(self, graph: Graph, start: Port, *, passing: bool) -> None:
        leaving = graph.leaving
        by: dict[Port, Edge | None] = {start: None}
        queue = [start]
        tree, shut = True, False
        while queue:
            for edge in leaving.get(queue.pop(), ()):
                if passing and edge.block is not None:
                    shut = True
                    continue
                end = edge.end
                if by.setdefault(end, edge) is edge:
                    queue.append(end)
                else:
                    tree = False
        self.start, self.by, self.tree, self.shut = start, by, tree, shut
        self._passing = passing
        self._before: dict[Port, list[Port]] | None = None

    def way(self, end: Port) -> tuple[Edge, ...]:
        """The hops by which a port was found first."""
        hops: list[Edge] = []
        edge = self.by[end]
        while edge is not None:
            hops.append(edge)
            edge = self.by[edge.start]
        hops.reverse()
        return tuple(hops)

    def back(self, end: Port, graph: Graph) -> set[Port]:
        """Those of the ports from which ``end`` is reached (itself included).

        Few ports lie ahead of one source, but everything may lie behind one pair of headphones. ``graph`` is the one
        of the start, or a later one with the same edges there: a spread outlives its graph, and must not keep it.
        """
        if self._before is None:
            self._before = {}
            for port in self.by:
                for edge in graph.leaving.get(port, ()):
                    if not (self._passing and edge.block):
                        self._before.setdefault(edge.end, []).append(port)
        seen, queue = {end}, [end]
        while queue:
            for port in self._before.get(queue.pop(), ()):
                if port not in seen:
                    seen.add(port)
                    queue.append(port)
        return seen


class Ahead:
    """What lies ahead of each source of one graph, found once and then remembered by whoever holds this."""

    def __init__(self, graph: Graph) -> None:
        self._graph = graph
        self._sound: dict[Port, Spread] = {}
        self._whole: dict[Port, Spread] = {}

    def sound(self, start: Port) -> Spread:
        """Where a source's sound gets to now."""
        found = self._sound.get(start)
        if found is None:
            found = self._sound[start] = Spread(self._graph, start, passing=True)
        return found

    def whole(self, start: Port) -> Spread:
        """Where it could get to, if everything passed."""
        sound = self.sound(start)
        if not sound.shut:
            return sound
        found = self._whole.get(start)
        if found is None:
            found = self._whole[start] = Spread(self._graph, start, passing=False)
        return found

    def take_over(self, before: "Ahead", around: "Around", touched: frozenset[str]) -> None:
        """Keep what an earlier graph's search found where none of the gear around it has changed."""
        for start, sound in before._sound.items():
            if touched.isdisjoint(around.ahead(start)):
                self._sound[start] = sound
                if start in before._whole:
                    self._whole[start] = before._whole[start]


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
            self._ahead[start] = self._gear(self._known.whole(start).by)
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

    No way passes a port twice. The search goes forward first, and back only over what it found.
    """
    sound = (known or Ahead(graph)).sound(start)
    if end not in sound.by:
        return []
    if sound.tree:
        return [route(sound.way(end))]
    useful = sound.back(end, graph)
    routes: list[Route] = []
    knotted = graph.knotted
    stack: list[tuple[Port, tuple[Edge, ...]]] = [(start, ())] if start in useful else []
    while stack and len(routes) < ROUTES_AT_MOST:
        port, way = stack.pop()
        if port == end:
            routes.append(route(way))
            continue
        for edge in reversed(graph.leaving.get(port, ())):
            if edge.end in useful and not edge.block and not (knotted and _met(edge.end, way, start, knotted)):
                stack.append((edge.end, (*way, edge)))
    return routes


def _met(port: Port, way: tuple[Edge, ...], start: Port, knotted: frozenset[Port]) -> bool:
    """Whether a way has been there: only in knots can it be."""
    return port in knotted and (port == start or any(edge.end == port for edge in way))


def least_blocked(graph: Graph, start: Port, end: Port, known: Ahead | None = None) -> Route | None:
    """The way with the fewest blocked edges, whether sound passes or not; None if there is no way at all."""
    whole = (known or Ahead(graph)).whole(start)
    if end not in whole.by:
        return None
    if whole.tree:
        return route(whole.way(end))
    best: dict[Port, tuple[int, tuple[Edge, ...]]] = {start: (0, ())}
    queue: deque[Port] = deque([start])
    useful = whole.back(end, graph)
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


def nearest(ports: Iterable[Port]) -> Port:
    """The port closest to the sources."""
    return min(ports, key=lambda port: (STAGE[port.bank], port))
