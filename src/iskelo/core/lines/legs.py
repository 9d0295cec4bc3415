"""The legs of a line: each wanted pair of ports, and what happens between them."""

import math
from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

from iskelo.core.levels.along import converters_assumed, drives_assumed, full_scale_dbu, source_assumed
from iskelo.core.levels.units import sum_of_copies_db
from iskelo.core.lines.gaps import Gap, Gaps
from iskelo.core.lines.rings import Ringing, Rings
from iskelo.core.lines.wet import effects_mixes, is_wet
from iskelo.core.rig.device_streams import DeviceStream
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Ahead, Route, least_blocked, passing_routes
from iskelo.core.timing.clocks import Drift, drift_of
from iskelo.core.timing.compensation import waits
from iskelo.core.timing.copies import Comb, comb
from iskelo.core.timing.delays import Delay, delay_of, way_of
from iskelo.core.timing.rounds import sum_of_powers
from iskelo.core.values import Fact, fact, light
from iskelo.core.wiring.blocks import Block
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph
from iskelo.core.wiring.hops import DEVICE_HOPS, HOPS, HopKind


class Passage(NamedTuple):
    """What the gear on a route does to its sound; ``drift`` says where its clocks part, if they do."""

    delay: Delay
    drift: Fact | None
    level_assumed: bool


class Arrival(NamedTuple):
    """One copy at a target: the route it took, its delay, its level in dBFS; ``drift`` says if it will slip.

    ``raised``: by how much what goes round without delay raises each port of the route, see ``Rings.raised_along``.
    """

    route: Route
    delay: Delay
    level_dbfs: float
    level_assumed: bool
    drift: Fact | None
    raised: tuple[float | None, ...] = ()

    @property
    def sign(self) -> int:
        return self.route.sign


@light
class Leg:
    """One wanted pair of ports and what happens between them; arrivals are earliest first.

    ``wet`` are the ways through effects mixes beside them: told, but no copies. ``rings``: what goes round on the way;
    ``rung_dbfs``: the level of all copies that it makes, with those of the ways, if it is known to die away.
    """

    start: Port
    end: Port
    arrivals: tuple[Arrival, ...]
    way: Route | None
    gap: Gap | None
    comb: Comb | None
    wet: tuple[Arrival, ...] = ()
    rings: tuple[Ringing, ...] = ()
    rung_dbfs: float | None = None

    @property
    def blocks(self) -> tuple[Block, ...]:
        if self.arrivals or self.way is None:
            return ()
        # One switch may shut a way in two places.
        return tuple(
            {(edge.block.code, edge.block.about): edge.block for edge in self.way.edges if edge.block}.values()
        )

    @property
    def sounds(self) -> bool:
        """Whether anything is heard: not where all copies cancel each other."""
        return bool(self.arrivals) and (len(self.arrivals) == 1 or self.level_dbfs is not None)

    @property
    def level_dbfs(self) -> float | None:
        """Level at the target of all copies together; None if nothing arrives or the copies cancel."""
        if self.rung_dbfs is not None:
            return self.rung_dbfs
        if len(self.arrivals) < 2:
            return self.arrivals[0].level_dbfs if self.arrivals else None
        return sum_of_copies_db(
            [each.level_dbfs for each in self.arrivals],
            [each.sign for each in self.arrivals],
            [each.delay.seconds for each in self.arrivals],
        )

    @property
    def shown_dbfs(self) -> float | None:
        """The level that can be told: none where what goes round on the way does not die away."""
        if self.rings and any(ring.verdict != "rings" for ring in self.rings):
            return None
        return self.level_dbfs


def late_items(found: Index) -> frozenset[str]:
    """Tracks and buses with effects that take time, feeds that wait for them, and voices from far away."""
    late: set[str] = set()
    for program in found.programs():
        late |= {voice.id for voice in program.voices if voice.far is not None}
        late |= {track.id for track in program.tracks if track.effect_delay_samples}
        late |= {bus.id for bus in program.buses if bus.effect_delay_samples}
        late |= {feed for feed, wait in waits(program, found).items() if wait}
    return frozenset(late)


class Legs:
    """The legs of one rig's lines; what routes through the same gear share is worked out once."""

    def __init__(self, graph: Graph, found: Index, known: Ahead, rings: Rings) -> None:
        self._graph, self._found, self._known = graph, found, known
        self._gaps = Gaps(graph, found, known)
        self._passages: dict[tuple[str, ...], Passage] = {}
        self._effects = effects_mixes(found)
        self._late = late_items(found)
        self._unbalanced = any(patch.unbalanced for patch in found.rig.patches)
        self._rings = rings

    def between(self, start: Port, end: Port) -> Leg:
        """What happens between a source port and a target port."""
        routes = passing_routes(self._graph, start, end, self._known)
        if not routes:
            way = least_blocked(self._graph, start, end, self._known)
            return Leg(start, end, (), way, None if way else self._gaps.between(start, end), None)
        wet: tuple[Arrival, ...] = ()
        rings = self._rings.between(start, end, self._known) if self._rings.all else ()
        rung = self._rung_dbfs(start, routes, rings) if rings else None
        if len(routes) > 1 and self._effects:
            routes, wet = self._dry_and_wet(start, routes)
        if len(routes) == 1:
            return Leg(start, end, (self._arrival(start, routes[0]),), routes[0], None, None, wet, rings, rung)
        arrivals = sorted((self._arrival(start, each) for each in routes), key=lambda each: each.delay.seconds)
        longest = max(arrivals, key=lambda arrival: len(arrival.route.edges))
        return Leg(start, end, tuple(arrivals), longest.route, None, _comb(arrivals), wet, rings, rung)

    def _rung_dbfs(self, start: Port, routes: list[Route], rings: tuple[Ringing, ...]) -> float | None:
        power = sum_of_powers(self._rings.copies(routes, rings))
        return self._found.level(start) + 10 * math.log10(power) if power else None

    def _dry_and_wet(self, start: Port, routes: list[Route]) -> tuple[list[Route], tuple[Arrival, ...]]:
        """The ways that are copies, and those through effects mixes; where all are wet, these are what arrives."""
        wet = [each for each in routes if is_wet(each.edges, self._effects)]
        dry = [each for each in routes if each not in wet]
        return (dry, tuple(self._arrival(start, each) for each in wet)) if dry else (routes, ())

    def _arrival(self, start: Port, route: Route) -> Arrival:
        found = self._found
        delay, drift, assumed = self._passage(route.edges)
        level = found.level(start) + route.gain_db - full_scale_dbu(route.edges, found)
        assumed = assumed or source_assumed(start, found)
        assumed = assumed or (self._unbalanced and drives_assumed(route.edges, found))
        raised = self._rings.raised_along(route.edges) if self._rings.all else ()
        if raised:
            level += raised[-1] or 0.0
        return Arrival(route, delay, level, assumed, drift, raised)

    def _passage(self, edges: tuple[Edge, ...]) -> Passage:
        passed: list[str] = []
        late = self._late
        for edge in edges:
            kind = edge.kind
            match _TAKES.get(kind):
                case "box":
                    passed += (kind, edge.owner)
                case "from":
                    passed += (kind, edge.owner, edge.start.owner)
                case "to":
                    passed += (kind, edge.owner, edge.end.owner)
                case "item" if late and (edge.owner in late or edge.end.owner in late or edge.start.owner in late):
                    passed += (kind, edge.owner)
                case "mixer":
                    passed += (kind, edge.owner, edge.start.bank)
        key = tuple(passed)
        known = self._passages.get(key)
        if known is None:
            found = self._found
            drift = next(
                (fact("runs free", box=way.box.id, drift=drift) for drift, way in drifts_along(edges, found)), None
            )
            known = self._passages[key] = Passage(delay_of(edges, found), drift, converters_assumed(edges, found))
        return known


_TAKES: dict[HopKind, Literal["box", "from", "to", "item", "mixer"]] = {
    **{kind: "mixer" for kind, row in HOPS.items() if row.delay != "nothing" and row.whose in ("interface", "mixer")},
    **dict.fromkeys(("monitor", "mix", "send"), "item"),
    **dict.fromkeys(("capture", "playback", "direct", "outboard", "cable", "to far end"), "box"),
    "from device": "from",
    "to device": "to",
    "return": "to",
}
"""The hops that may take time, and by what: a box, a program with a box, an item of a mix, a place in a mixer."""


def drifts_along(edges: Sequence[Edge], found: Index) -> Iterator[tuple[Drift, DeviceStream]]:
    """Where a route passes between clocks that are not matched, and what they do."""
    for edge in edges:
        if edge.kind in DEVICE_HOPS:
            streams = found.opened[edge.owner]
            way = way_of(streams, edge)
            drift = drift_of(found, streams, way, "capture" if edge.kind == "from device" else "playback")
            if drift is not None:
                yield drift, way


def _comb(arrivals: list[Arrival]) -> Comb | None:
    if len(arrivals) < 2:
        return None
    first, second = arrivals[0], arrivals[1]
    rate_hz = second.delay.rate_hz or first.delay.rate_hz
    if rate_hz is None or first.delay.spread != second.delay.spread:
        return None
    return comb(
        second.delay.seconds - first.delay.seconds,
        rate_hz,
        inverted=first.sign != second.sign,
        level_difference_db=first.level_dbfs - second.level_dbfs,
    )
