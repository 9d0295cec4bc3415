"""What different sources add up to where sound is converted, becomes whole numbers or is mixed: by power, for they are
not alike.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from iskelo.core.levels.headroom import SUM_HEADROOM_DB, TOLERANCE_DB
from iskelo.core.lines.rings import Rings
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Ahead, passing_routes
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph
from iskelo.core.wiring.hops import HopKind, Unit

_MET: dict[HopKind, Literal["start", "end"]] = {
    "playback": "start",
    "to jack": "start",
    "to computer": "end",
    "analogue to computer": "end",
    "pan": "end",
    "solo": "end",
}
"""The hops where a sum is judged, and at which end it stands."""

MEETING: frozenset[HopKind] = frozenset(_MET)

_INTO_MIXES: frozenset[HopKind] = frozenset({"pan", "solo"})
"""Those that end in mixes, or elsewhere, where nothing is judged before it is converted."""

MET_BANKS = frozenset({"playback", "to_jack", "capture", "mix"})


def met_at(edge: Edge) -> Port | None:
    """The port of a hop where a sum is judged; None where none is."""
    side = _MET.get(edge.kind)
    port = None if side is None else edge.start if side == "start" else edge.end
    return port if port is not None and (port.bank == "mix" or edge.kind not in _INTO_MIXES) else None


class Sum(NamedTuple):
    """The nominal level of all that sounds at a port, whose it is, and the highest that this place carries, in the same
    unit: dBFS, or dBu in an analogue mix.
    """

    level: float
    starts: tuple[Port, ...]
    highest: float = 0.0
    unit: Unit = "dBFS"

    @property
    def over_db(self) -> float:
        """By how much it leaves less headroom than a sum needs; less than nought where it leaves more."""
        return self.level - (self.highest - SUM_HEADROOM_DB)

    @property
    def is_too_loud(self) -> bool:
        return self.over_db > TOLERANCE_DB


class Sums:
    """The sums of one rig, each worked out when it is asked for."""

    def __init__(
        self, graph: Graph, found: Index, known: Ahead, fed: Mapping[Port, Sequence[Port]], rings: Rings
    ) -> None:
        """``fed``: which sources sound at each port of ``MET_BANKS``."""
        self._graph, self._found, self._known, self._fed, self._rings = graph, found, known, fed, rings
        self._sums: dict[Port, Sum | None] = {}

    def at(self, port: Port) -> Sum | None:
        """What different sources add up to at such a port; None if there are not at least two, or it has no level."""
        if port not in self._sums:
            self._sums[port] = self._at(port)
        return self._sums[port]

    def _at(self, port: Port) -> Sum | None:
        starts = self._fed.get(port, ())
        if len({start.owner for start in starts}) < 2:
            return None
        carried = self._carried(port)
        if carried is None:
            return None
        power = 0.0
        for start in starts:
            for route in passing_routes(self._graph, start, port, self._known):
                raised = self._rings.raised_along(route.edges) if self._rings.all else ()
                by_db = raised[-1] if raised else 0.0
                if by_db is None:
                    return None
                power += 10 ** ((self._found.level(start) + route.gain_db + by_db) / 10)
        return Sum(10 * math.log10(power), tuple(starts), *carried)

    def _carried(self, port: Port) -> tuple[float, Unit] | None:
        """The highest level at a port; None where anything is carried."""
        if port.bank != "mix":
            return 0.0, "dBFS"
        mixer = self._found.mixing[port.owner].mixer
        highest = mixer.highest_dbu if mixer.analogue else mixer.headroom_db
        return (highest, "dBu" if mixer.analogue else "dBFS") if highest is not None else None
