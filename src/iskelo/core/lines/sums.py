"""What different sources add up to where sound is converted or becomes whole numbers: by power, they are not alike."""

import math
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Ahead, passing_routes
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph
from iskelo.core.wiring.hops import HopKind

_MET: dict[HopKind, Literal["start", "end"]] = {
    "playback": "start",
    "to jack": "start",
    "to computer": "end",
    "analogue to computer": "end",
}
"""The hops where a sum is judged, and at which end it stands in dBFS."""

MET_BANKS = frozenset({"playback", "to_jack", "capture"})


def met_at(edge: Edge) -> Port | None:
    """The port of a hop where a sum is judged; None where none is."""
    side = _MET.get(edge.kind)
    return None if side is None else edge.start if side == "start" else edge.end


class Sum(NamedTuple):
    """The nominal level of all that sounds at a port, in dBFS, and whose it is."""

    level_dbfs: float
    starts: tuple[Port, ...]


class Sums:
    """The sums of one rig, each worked out when it is asked for."""

    def __init__(self, graph: Graph, found: Index, known: Ahead, fed: Mapping[Port, Sequence[Port]]) -> None:
        """``fed``: which sources sound at each port of ``MET_BANKS``."""
        self._graph, self._found, self._known, self._fed = graph, found, known, fed
        self._sums: dict[Port, Sum | None] = {}

    def at(self, port: Port) -> Sum | None:
        """What different sources add up to at such a port; None if there are not at least two."""
        if port not in self._sums:
            self._sums[port] = self._at(port)
        return self._sums[port]

    def _at(self, port: Port) -> Sum | None:
        starts = self._fed.get(port, ())
        if len({start.owner for start in starts}) < 2:
            return None
        power = sum(
            10 ** ((self._found.level(start) + route.gain_db) / 10)
            for start in starts
            for route in passing_routes(self._graph, start, port, self._known)
        )
        return Sum(10 * math.log10(power), tuple(starts))
