"""Routes against plain search: every way there is, one after the other, and scipy's graphs."""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_array
from scipy.sparse.csgraph import breadth_first_order, dijkstra

from drawn import drawn
from iskelo.core.lines.context import Reading, read
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import (
    ROUTES_AT_MOST,
    Ahead,
    Around,
    least_blocked,
    passing_routes,
    reached,
    reaching,
)
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph
from rigs import any_rig

RIGS = st.one_of(any_rig(), any_rig(busy=True))


def every_way(graph: Graph, start: Port, end: Port) -> Iterator[tuple[Edge, ...]]:
    """All ways on which sound passes, without anything remembered."""
    if start == end:
        yield ()
        return
    for edge in graph.leaving.get(start, ()):
        if edge.block is None:
            for way in every_way(graph, edge.end, end):
                yield (edge, *way)


SHUT = 1000
"""What an edge that does not pass weighs; one that does weighs one, and no way has so many."""


class Matrix:
    """A graph as scipy keeps one: a sparse matrix of weights, of several edges between two ports the lightest."""

    def __init__(self, graph: Graph, *, passing: bool = False) -> None:
        self.ports = sorted(graph.ports())
        self.place = {port: place for place, port in enumerate(self.ports)}
        weights: dict[tuple[int, int], int] = {}
        for edge in graph.edges():
            if edge.block is None or not passing:
                key = (self.place[edge.start], self.place[edge.end])
                weights[key] = min(weights.get(key, SHUT), 1 if edge.block is None else SHUT)
        rows, columns = zip(*weights, strict=True) if weights else ((), ())
        size = (len(self.ports), len(self.ports))
        self.weights = csr_array((np.array(list(weights.values()), float), (rows, columns)), shape=size)

    def reached(self, port: Port, *, back: bool = False) -> set[Port]:
        weights = csr_array(self.weights.T) if back else self.weights
        order = breadth_first_order(weights, self.place[port], return_predecessors=False)
        return {self.ports[place] for place in order}


def pairs(reading: Reading) -> list[tuple[Port, Port]]:
    ends = [port for port in reading.graph.ports() if port.bank in ("track", "in")]
    return [(start, end) for start in reading.found.starts() for end in sorted(ends)]


@given(RIGS)
@settings(max_examples=drawn(40))
def test_the_routes_are_all_the_ways_on_which_sound_passes(rig: Rig) -> None:
    reading = read(rig)
    for start, end in pairs(reading):
        ways = list(every_way(reading.graph, start, end))
        routes = passing_routes(reading.graph, start, end, reading.known)
        assert len(routes) == min(len(ways), ROUTES_AT_MOST)
        assert {route.edges for route in routes} <= set(ways)
        assert len({route.edges for route in routes}) == len(routes)
        for route in routes:
            assert route.gain_db == sum(edge.gain_db for edge in route.edges)
            assert route.sign == (-1) ** sum(edge.sign < 0 for edge in route.edges)
            assert (route.ports[0], route.ports[-1]) == (start, end)


@given(RIGS)
@settings(max_examples=drawn(40))
def test_the_least_blocked_way_is_the_shortest_where_what_is_shut_counts_one(rig: Rig) -> None:
    """Outside check: scipy.sparse.csgraph.dijkstra."""
    reading = read(rig)
    matrix = Matrix(reading.graph)
    far = dijkstra(matrix.weights) if matrix.ports else np.zeros((0, 0))
    for start, end in pairs(reading):
        way = least_blocked(reading.graph, start, end, reading.known)
        length = far[matrix.place[start], matrix.place[end]] if start in matrix.place else np.inf
        if np.isinf(length):
            assert way is None
            continue
        assert way is not None
        assert all(before.end == after.start for before, after in pairwise(way.edges))
        assert sum(edge.block is not None for edge in way.edges) == length // SHUT


@given(RIGS)
@settings(max_examples=drawn(40))
def test_what_lies_ahead_and_behind_is_what_scipy_finds(rig: Rig) -> None:
    """Outside check: scipy.sparse.csgraph.breadth_first_order, over all edges and over those that pass."""
    reading = read(rig)
    graph, known = reading.graph, Ahead(reading.graph)
    whole, sound = Matrix(graph), Matrix(graph, passing=True)
    around = Around(graph, known, reading.found.owners)
    for port in whole.ports:
        ahead, behind = whole.reached(port), whole.reached(port, back=True)
        assert set(known.whole(port).by) == reached(graph, port, passing=False) == ahead
        assert set(known.sound(port).by) == reached(graph, port, passing=True) == sound.reached(port)
        assert reaching(graph, port, passing=False) == behind
        assert around.ahead(port) == reading.found.owners(ahead)
        assert around.behind(port) == reading.found.owners(behind)
        joins = sum(edge.end in ahead for start in ahead for edge in graph.leaving.get(start, ()))
        assert known.whole(port).tree == (joins == len(ahead) - 1)


@given(RIGS)
@settings(max_examples=drawn(25))
def test_every_edge_that_ends_at_a_port_is_found_there(rig: Rig) -> None:
    graph = read(rig).graph
    assert sorted(map(repr, graph.edges())) == sorted(repr(edge) for port in graph.ports() for edge in graph.into(port))


@given(RIGS)
@settings(max_examples=drawn(25))
def test_the_way_back_from_a_port_leads_from_the_source_to_it(rig: Rig) -> None:
    reading = read(rig)
    for start in reading.found.starts():
        spread = reading.known.whole(start)
        for end in spread.by:
            way = spread.way(end)
            assert [edge.start for edge in way] == [start, *(edge.end for edge in way)][:-1]
            assert (way[-1].end if way else start) == end
            on_it = {start, *(edge.end for edge in way)}
            assert on_it <= spread.back(end, reading.graph)
