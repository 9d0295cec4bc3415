"""What is at a port: its neighbours, what arrives there, where it goes, whether a line wants it or not."""

from collections.abc import Iterable
from dataclasses import dataclass

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.edits.mixing import REASONS
from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import Reading, touched_gear
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.possible import possible_routes, switches_of
from iskelo.core.routes.route import Ahead, Route, least_blocked, passing_routes, reached, reaching
from iskelo.core.timing.delays import delay_of
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph, compile_graph
from iskelo.core.words.say import say, say_unblock


@dataclass(frozen=True, slots=True)
class Step:
    """One port of a route, in order."""

    port: Port
    said: str


@dataclass(frozen=True, slots=True)
class Reach:
    """One sound that gets here, or one place that is reached from here; ``stopped`` says why it does not pass."""

    port: Port
    said: str
    steps: tuple[Step, ...]
    passes: bool
    stopped: str
    delay_ms: float | None
    delay_samples: float | None
    most_ms: float | None
    most_samples: float | None
    assumed: bool
    level: float | None
    unit: str
    wanted_by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Could:
    """A way that does not pass and would: from or to which place, by which ports, with what switched, and the edits."""

    port: Port
    said: str
    steps: tuple[Step, ...]
    switches: tuple[str, ...]
    edits: tuple[Edit, ...]


@dataclass(frozen=True, slots=True)
class Answer:
    """What arrives at a port and where it goes on to; what else could, and what the gear there can never do.

    ``missed`` and ``fails`` tell in words what lines want here and what they want of it elsewhere, and do not get.
    """

    port: Port
    said: str
    arrives: tuple[Reach, ...]
    missed: tuple[str, ...]
    goes: tuple[Reach, ...]
    fails: tuple[str, ...]
    could_arrive: tuple[Could, ...]
    could_go: tuple[Could, ...]
    never: tuple[str, ...]


REACHES_AT_MOST = 64
COULD_AT_MOST = 12
"""So many ways are told that there could be, on either side; of one place so many as ``WAYS_OF_ONE``."""
WAYS_OF_ONE = 4
SWITCHES_HIDDEN = 4
"""So often what one switch hid behind it is looked for."""


def answer_for(reading: Reading, port: Port) -> Answer:
    """Every source that is joined to a port, and every track and destination that the port is joined to.

    Raises
    ------
    KeyError
        If there is no such port.
    """
    found = reading.found
    if not found.exists(port):
        raise KeyError(port)
    behind = reaching(reading.graph, port, passing=False)
    ahead = reached(reading.graph, port, passing=False)
    starts = [start for start in found.starts() if start in behind and start != port]
    ends = sorted(each for each in ahead if each.bank in ("track", "in") and each != port)
    # A line wants what arrives here if it begins there and ends anywhere past here; and the other way round.
    before, after = {*starts, port}, {*ends, port}
    arrives = [
        reach
        for start in starts[:REACHES_AT_MOST]
        for reach in _reaches(reading, start, port, start, _wanting(reading, {start}, after))
    ]
    goes = [
        reach
        for end in ends[:REACHES_AT_MOST]
        for reach in _reaches(reading, port, end, end, _wanting(reading, before, {end}))
    ]
    missed, fails = _unmet(reading, port)
    known = reading.known
    could_arrive, could_go = (
        _enough(_could(reading, *ends_of, told, known) for ends_of, told in pairs)
        for pairs in (
            [((start, port), start) for start in starts[:REACHES_AT_MOST]],
            [((port, end), end) for end in ends[:REACHES_AT_MOST]],
        )
    )
    return Answer(
        port,
        found.say(port),
        _passing_first(arrives),
        missed,
        _passing_first(goes),
        fails,
        _fewest_first(could_arrive),
        _fewest_first(could_go),
        _never(found, port),
    )


def _unmet(reading: Reading, port: Port) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """What the lines that end or begin at a port want there and of it, as far as it does not pass, in words."""
    missed, fails, say_port = [], [], reading.found.say
    for line in reading.rig.lines:
        for start, end in line.pairs():
            if port not in (start, end) or passing_routes(reading.graph, start, end):
                continue
            if end == port:
                missed.append(f"line {line.name} wants {say_port(start)} here")
            else:
                fails.append(f"line {line.name} wants it at {say_port(end)}")
    return tuple(missed), tuple(fails)


def _enough(several: Iterable[list[Could]]) -> list[Could]:
    """As many ways as are told, and no more worked out."""
    found: list[Could] = []
    for ways in several:
        found += ways
        if len(found) >= COULD_AT_MOST:
            break
    return found


def _could(reading: Reading, start: Port, end: Port, told: Port, known: Ahead) -> list[Could]:
    """The ways between two ports that pass once some switches are set; each is tried."""
    found = []
    for route in possible_routes(reading.graph, start, end, WAYS_OF_ONE, known):
        opened = _opened(reading, route)
        if opened is not None:
            words, edits = opened
            steps = tuple(Step(port, reading.found.say(port)) for port in route.ports)
            found.append(Could(told, reading.found.say(told), steps, words, edits))
    return found


def _opened(reading: Reading, route: Route) -> tuple[tuple[str, ...], tuple[Edit, ...]] | None:
    """What opens a way, in words and as edits; None if it does not pass then.

    One switch may hide another: what still stands in the way once the first are set is opened as well.
    """
    edits: tuple[Edit, ...] = ()
    words: list[str] = []
    found, graph, edges = reading.found, reading.graph, route.edges
    for _ in range(SWITCHES_HIDDEN):
        blocks = switches_of(edges).values()
        if not blocks:
            return tuple(dict.fromkeys(words)), edits
        if not all(block.unblock for block in blocks):
            return None
        edits += tuple(edit for block in blocks for edit in block.unblock)
        words += [say_unblock(block, found) for block in blocks]
        try:
            found = index(apply(reading.rig, edits).rig)
        except Refused:
            return None
        graph = compile_graph(found, reading.graph, touched_gear(reading.found, found))
        again = [_hop(graph, edge) for edge in route.edges]
        if None in again:
            return None
        edges = tuple(edge for edge in again if edge is not None)
    return None


def _hop(graph: Graph, edge: Edge) -> Edge | None:
    """The same hop in another graph, that which passes if there are several; None if there is none."""
    same = [
        each
        for each in graph.leaving.get(edge.start, ())
        if (each.end, each.kind, each.owner) == (edge.end, edge.kind, edge.owner)
    ]
    return min(same, key=lambda each: each.block is not None, default=None)


def _fewest_first(could: list[Could]) -> tuple[Could, ...]:
    return tuple(sorted(could, key=lambda each: len(each.switches))[:COULD_AT_MOST])


def _never(found: Index, port: Port) -> tuple[str, ...]:
    """What the mixer that a port is in can never do with what is there, in words."""
    box = found.gear.get(port.owner)
    if not isinstance(box, Interface) or box.mixer is None:
        return ()
    taken = "jack_in" if port.bank == "jack_in" else "playback" if port.bank == "playback" else None
    strips = {
        strip.id
        for strip in box.mixer.strips
        if any(source.bank == taken and source.number == port.number for source in (*strip.live, *strip.back))
    }
    ends = {"capture": "capture", "jack_out": "jack_out"}.get(port.bank)
    return tuple(
        dict.fromkeys(
            REASONS[never.reason]
            for never in box.mixer.never
            if (never.starts == "strip" and never.start in strips) or (ends is not None and never.ends == ends)
        )
    )


def _passing_first(reaches: list[Reach]) -> tuple[Reach, ...]:
    return tuple(sorted(reaches, key=lambda reach: (not reach.passes, reach.delay_samples or 0)))


def _wanting(reading: Reading, starts: set[Port], ends: set[Port]) -> tuple[str, ...]:
    """The lines that want any of these sounds at any of these places."""
    return tuple(
        line.name for line in reading.rig.lines if any(start in starts and end in ends for start, end in line.pairs())
    )


def _reaches(reading: Reading, start: Port, end: Port, told: Port, wanted: tuple[str, ...]) -> list[Reach]:
    routes = passing_routes(reading.graph, start, end)
    if routes:
        return [_reach(reading, route, told, "", wanted) for route in routes]
    route = least_blocked(reading.graph, start, end)
    if route is None or not route.edges:
        return []
    stopped = "; ".join(say(edge.block, reading.found) for edge in route.edges if edge.block)
    return [_reach(reading, route, told, stopped, wanted)]


def _reach(reading: Reading, route: Route, told: Port, stopped: str, wanted: tuple[str, ...]) -> Reach:
    found = reading.found
    delay = delay_of(route.edges, found)
    level, unit = None, ""
    if route.edges[0].start.bank in ("out", "voice"):
        last = levels_along(route.edges, found, reading.rings.raised_along(route.edges))[-1]
        level, unit = last.level, last.unit
    return Reach(
        port=told,
        said=found.say(told),
        steps=tuple(Step(port, found.say(port)) for port in route.ports),
        passes=not stopped,
        stopped=stopped,
        delay_ms=delay.ms if delay.rate_hz else None,
        delay_samples=delay.samples if delay.rate_hz else None,
        most_ms=delay.most_ms if delay.rate_hz else None,
        most_samples=delay.most_samples if delay.rate_hz else None,
        assumed=delay.assumed,
        level=level,
        unit=unit,
        wanted_by=wanted,
    )


@dataclass(frozen=True, slots=True)
class PortUse:
    """What is at one port: who feeds it, whom it feeds, in words; ``lines`` are those that pass it.

    ``used`` is False for a port that is wired inside the box but leads nowhere, such as an empty output jack.
    """

    port: Port
    said: str
    used: bool
    fed_by: tuple[str, ...]
    feeds: tuple[str, ...]
    lines: tuple[str, ...]


def port_uses(reading: Reading) -> tuple[PortUse, ...]:
    """Every port that is joined to anything, with what is on either side of it."""
    passing: dict[Port, list[str]] = {}
    for state in reading.lines:
        ports = {port for leg in state.legs for arrival in leg.arrivals for port in arrival.route.ports}
        for port in ports:
            passing.setdefault(port, []).append(state.line.id)
    graph = reading.graph
    said = {port: reading.found.say(port) for port in graph.ports()}
    return tuple(
        PortUse(
            port,
            words,
            _used(port, bool(graph.into(port)), bool(graph.leaving.get(port))),
            tuple(said[edge.start] for edge in graph.into(port)),
            tuple(said[edge.end] for edge in graph.leaving.get(port, ())),
            tuple(passing.get(port, ())),
        )
        for port, words in said.items()
    )


def _used(port: Port, fed: bool, feeds: bool) -> bool:
    match port.bank:
        case "jack_in" | "in" | "outboard_in":
            return fed
        case "jack_out" | "outboard_out":
            return feeds
        case "capture" | "playback":
            return fed and feeds
    return True
