"""What is at a port: its neighbours, what arrives there, where it goes, whether a line wants it or not."""

from dataclasses import dataclass

from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import Reading
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import Route, least_blocked, passing_routes, reached, reaching
from iskelo.core.timing.delays import delay_of
from iskelo.core.words.say import say


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
    assumed: bool
    level: float | None
    unit: str
    wanted_by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Answer:
    """What arrives at a port and where it goes on to."""

    port: Port
    said: str
    arrives: tuple[Reach, ...]
    goes: tuple[Reach, ...]


REACHES_AT_MOST = 64


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
    return Answer(port, found.say(port), _passing_first(arrives), _passing_first(goes))


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
        last = levels_along(route.edges, found)[-1]
        level, unit = last.level, last.unit
    return Reach(
        port=told,
        said=found.say(told),
        steps=tuple(Step(port, found.say(port)) for port in route.ports),
        passes=not stopped,
        stopped=stopped,
        delay_ms=delay.ms if delay.rate_hz else None,
        delay_samples=delay.samples if delay.rate_hz else None,
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
