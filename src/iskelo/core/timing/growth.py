"""What another buffer would do to routes."""

from collections.abc import Iterator, Sequence
from fractions import Fraction

from iskelo.core.rig.device_streams import OpenDevice, at_buffer
from iskelo.core.rig.index import Index
from iskelo.core.timing.delays import NOTHING, way_of
from iskelo.core.timing.terms import falling_term, send_terms, take_terms
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import DEVICE_HOPS

Buffers = tuple[tuple[str, int], ...]
"""Drivers or aggregates by id, each with a size of its buffer."""


class Growth:
    """By how many seconds routes grow (or shrink, if negative) when a buffer becomes another; each way once."""

    def __init__(self, found: Index) -> None:
        self._found = found
        self._known: dict[tuple[str, str, str, Buffers], Fraction] = {}

    def along(self, edges: Sequence[Edge], driver: str, buffer_samples: int) -> Fraction:
        """That of a route, when this driver's or this aggregate's buffer is so large."""
        return self.with_buffers(edges, ((driver, buffer_samples),))

    def with_buffers(self, edges: Sequence[Edge], buffers: Buffers) -> Fraction:
        """That of a route, when each of these drivers or aggregates has so large a buffer."""
        grown = [each for edge in edges if edge.kind in DEVICE_HOPS and (each := self._at(edge, buffers))]
        grown += self._fallen(edges, buffers)
        return sum(grown[1:], grown[0]) if grown else NOTHING

    def _fallen(self, edges: Sequence[Edge], buffers: Buffers) -> Iterator[Fraction]:
        """By how much later a sound may be at most by cables that start as it falls."""
        sent: Edge | None = None
        for edge in edges:
            if edge.kind == "to device":
                sent = edge
            if edge.kind != "from device" or sent is None:
                continue
            cable = way_of(self._found.opened[edge.owner], edge).box.cable
            if cable is not None and cable.start != "aligned":
                now, then = (self._at_most(sent, edge, some) for some in ((), buffers))
                yield then - now

    def _at_most(self, sent: Edge, taken: Edge, buffers: Buffers) -> Fraction:
        ways = []
        for edge in (sent, taken):
            streams = self._found.opened[edge.owner]
            for driver, size in buffers:
                streams = at_buffer(streams, driver, size)
            ways.append(way_of(streams, edge))
        term = falling_term(ways[1].box, ways[0].buffer_samples, ways[1].buffer_samples)
        return Fraction(term.samples + term.spread, term.rate_hz)

    def _at(self, edge: Edge, buffers: Buffers) -> Fraction:
        box = edge.start.owner if edge.kind == "from device" else edge.end.owner
        key = (edge.owner, edge.kind, box, buffers)
        if key not in self._known:
            now = self._found.opened[edge.owner]
            then = now
            for driver, size in buffers:
                then = at_buffer(then, driver, size)
            more = self._waited(then, edge) - self._waited(now, edge)
            self._known[key] = Fraction(more, now.device.rate_hz)
        return self._known[key]

    def _waited(self, streams: OpenDevice, edge: Edge) -> int:
        terms = take_terms if edge.kind == "from device" else send_terms
        return sum(term.samples for term in terms(streams, way_of(streams, edge), self._found))
