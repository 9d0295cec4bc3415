"""The state of each line: what arrives, when, how loud, and everything that is wrong with it.

A line carries the set of its findings; the headline is the first that holds in the order of ``HEADLINES``. A line
whose sound arrives at the target of another instead of its own is crossed, not silent: it is heard, elsewhere.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from iskelo.core.levels.along import levels_along
from iskelo.core.levels.units import sum_of_copies_db
from iskelo.core.lines.gaps import Gap, Gaps
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Index, Line
from iskelo.core.rig.ways import Way
from iskelo.core.routes.route import Ahead, Route, least_blocked, passing_routes, reaching
from iskelo.core.timing.clocks import Drift, drift_of, say_drift
from iskelo.core.timing.copies import Comb, comb
from iskelo.core.timing.delays import Delay, Delays, way_of
from iskelo.core.timing.rates import say_speed, speed
from iskelo.core.wiring.graph import Block, Edge, Graph

Headline = Literal[
    "silent", "blocked", "crossed", "doubled", "crowded", "off speed", "drifting", "late", "hot", "low", "arrives"
]
HEADLINES: tuple[Headline, ...] = (
    "silent",
    "blocked",
    "crossed",
    "doubled",
    "crowded",
    "off speed",
    "drifting",
    "late",
    "hot",
    "low",
    "arrives",
)


class Arrival(NamedTuple):
    """One copy at a target: the route it took, its delay, its level in dBFS and its polarity."""

    route: Route
    delay: Delay
    level_dbfs: float

    @property
    def sign(self) -> int:
        return self.route.sign


@dataclass(frozen=True, slots=True)
class Leg:
    """One wanted pair of ports and what happens between them; arrivals are earliest first."""

    start: Port
    end: Port
    arrivals: tuple[Arrival, ...]
    way: Route | None
    gap: Gap | None
    comb: Comb | None

    @property
    def blocks(self) -> tuple[Block, ...]:
        if self.arrivals or self.way is None:
            return ()
        return tuple(edge.block for edge in self.way.edges if edge.block)

    @property
    def level_dbfs(self) -> float | None:
        """Level at the target of all copies together; None if nothing arrives or the copies cancel."""
        if len(self.arrivals) < 2:
            return self.arrivals[0].level_dbfs if self.arrivals else None
        return sum_of_copies_db(
            [each.level_dbfs for each in self.arrivals],
            [each.sign for each in self.arrivals],
            [each.delay.samples for each in self.arrivals],
        )


class Finding(NamedTuple):
    """One thing found about a line: its kind and what is told with it, in words."""

    kind: Headline
    words: str


@dataclass(frozen=True, slots=True)
class LineState:
    """A line with its legs and findings; ``others`` are the ports of sounds that arrive unwanted."""

    line: Line
    legs: tuple[Leg, ...]
    findings: tuple[Finding, ...]
    others: tuple[Port, ...]

    @property
    def headline(self) -> Headline:
        return self.findings[0].kind

    def delays(self) -> list[Delay]:
        """Delays of all copies at all legs, shortest first."""
        return sorted((a.delay for leg in self.legs for a in leg.arrivals), key=lambda delay: delay.ms)

    def has(self, kind: Headline) -> bool:
        return any(finding.kind == kind for finding in self.findings)


@dataclass(frozen=True, slots=True)
class Traced:
    """A line's state with all it was made from: the line, the strays of its sources, the gear it depends on."""

    state: LineState
    strays: tuple[tuple[Port, Line], ...]
    gear: frozenset[str]


def line_states(
    graph: Graph, found: Index, known: Ahead, before: dict[str, Traced], touched: frozenset[str]
) -> dict[str, Traced]:
    """The state of every line of a rig, by id, in the rig's order.

    Parameters
    ----------
    graph, found, known
        The rig, and what lies ahead of its sources.
    before, touched
        The states of the rig as it was, and the gear that has changed since: a line that depends on none
        of it keeps its state.
    """
    heard = _heard(known, found)
    wanted: dict[Port, set[Port]] = {}
    guarded: dict[Port, list[Line]] = {}
    for line in found.rig.lines:
        for end in line.to_ports:
            wanted.setdefault(end, set()).update(line.from_ports)
            if line.alone:
                guarded.setdefault(end, []).append(line)
    strays = _strays(heard, wanted, guarded)
    gaps, delays = Gaps(graph, found, known), Delays(found)
    owners_behind: dict[Port, frozenset[str]] = {}
    traced: dict[str, Traced] = {}
    for line in found.rig.lines:
        mine = tuple(stray for start in line.from_ports for stray in strays.get(start, ()))
        old = before.get(line.id)
        if (
            old is not None
            and old.state.line is line
            and not old.gear & touched
            and len(mine) == len(old.strays)
            and all(a[0] == b[0] and a[1] is b[1] for a, b in zip(mine, old.strays, strict=True))
        ):
            traced[line.id] = old
            continue
        legs = tuple(_leg(graph, found, known, delays, gaps, start, end) for start, end in line.pairs())
        state = _state(line, legs, found, heard, strays)
        gear: frozenset[str] = frozenset()
        for start in line.from_ports:
            gear |= known.owners(start, found.owners)
        for end in line.to_ports:
            if end not in owners_behind:
                owners_behind[end] = found.owners(reaching(graph, end, passing=False))
            gear |= owners_behind[end]
        traced[line.id] = Traced(state, mine, gear)
    return traced


def _heard(known: Ahead, found: Index) -> dict[Port, list[Port]]:
    """Which source ports sound at each target port now."""
    heard: dict[Port, list[Port]] = {}
    for start in found.starts():
        for port in known.of(start, passing=True):
            if port.bank in ("track", "in"):
                heard.setdefault(port, []).append(start)
    return heard


def _leg(graph: Graph, found: Index, known: Ahead, delays: Delays, gaps: Gaps, start: Port, end: Port) -> Leg:
    level = found.level(start)
    arrivals = sorted(
        (
            Arrival(route, delays.along(route.edges), level + route.gain_db)
            for route in passing_routes(graph, start, end, known)
        ),
        key=lambda arrival: arrival.delay.samples,
    )
    if arrivals:
        longest = max(arrivals, key=lambda arrival: len(arrival.route.edges))
        return Leg(start, end, tuple(arrivals), longest.route, None, _comb(arrivals))
    way = least_blocked(graph, start, end, known)
    if way is not None:
        return Leg(start, end, (), way, None, None)
    return Leg(start, end, (), None, gaps.between(start, end), None)


def _comb(arrivals: list[Arrival]) -> Comb | None:
    if len(arrivals) < 2:
        return None
    first, second = arrivals[0], arrivals[1]
    rate_hz = second.delay.rate_hz or first.delay.rate_hz
    if rate_hz is None:
        return None
    return comb(
        second.delay.samples - first.delay.samples,
        rate_hz,
        inverted=first.sign != second.sign,
        level_difference_db=first.level_dbfs - second.level_dbfs,
    )


def _state(
    line: Line,
    legs: tuple[Leg, ...],
    found: Index,
    heard: dict[Port, list[Port]],
    strays: dict[Port, list[tuple[Port, Line]]],
) -> LineState:
    others = tuple(
        dict.fromkeys(
            start for end in line.to_ports if line.alone for start in heard.get(end, ()) if start not in line.from_ports
        )
    )
    findings = [
        *(_crossed(line, legs, found, heard, strays) or _silent_or_blocked(line, legs, found)),
        *_doubled(legs, found),
    ]
    if others:
        findings.append(Finding("crowded", f"{', '.join(map(found.say, others))} arrives there too, though alone"))
    findings += [*_off_speed(legs, found), *_drifting(legs, found), *_late(line, legs)]
    findings += [*_hot(line, legs, found), *_low(line, legs)]
    findings.sort(key=lambda finding: HEADLINES.index(finding.kind))
    if not findings:
        findings = [Finding("arrives", "arrives once, within its limits")]
    return LineState(line, legs, tuple(findings), others)


def _swapped(line: Line, heard: dict[Port, list[Port]]) -> bool:
    """Whether both legs arrive, but left at right and right at left."""
    if len(line.from_ports) != 2 or len(line.to_ports) != 2:
        return False
    (left, right), (left_end, right_end) = line.from_ports, line.to_ports
    at_left, at_right = heard.get(left_end, ()), heard.get(right_end, ())
    return right in at_left and left in at_right and left not in at_left and right not in at_right


def _silent_or_blocked(line: Line, legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    if not line.from_ports:
        return [Finding("silent", "no source is said yet")]
    if not line.to_ports:
        return [Finding("silent", "no target is said yet")]
    quiet = [leg for leg in legs if not leg.arrivals]
    findings = []
    for gap in (leg.gap for leg in quiet if leg.gap):
        findings.append(Finding("silent", gap.words))
        break
    for leg in quiet:
        if leg.blocks:
            said = " and ".join(block.words for block in leg.blocks)
            findings.append(Finding("blocked", f"{found.say(leg.start)} → {found.say(leg.end)}: {said}"))
            break
    return findings


def _strays(
    heard: dict[Port, list[Port]], wanted: dict[Port, set[Port]], guarded: dict[Port, list[Line]]
) -> dict[Port, list[tuple[Port, Line]]]:
    """For each source port the guarded targets where it sounds although no line wants it there."""
    strays: dict[Port, list[tuple[Port, Line]]] = {}
    for end, owners in guarded.items():
        for start in heard.get(end, ()):
            if start not in wanted[end]:
                strays.setdefault(start, []).append((end, owners[0]))
    return strays


def _crossed(
    line: Line,
    legs: tuple[Leg, ...],
    found: Index,
    heard: dict[Port, list[Port]],
    strays: dict[Port, list[tuple[Port, Line]]],
) -> list[Finding]:
    if _swapped(line, heard):
        return [Finding("crossed", "left and right are swapped")]
    if not legs or any(leg.arrivals for leg in legs):
        return []
    for start in line.from_ports:
        for end, owner in strays.get(start, ()):
            if owner.purpose == line.purpose:
                said = f"{found.say(start)} arrives at {found.say(end)}, where {owner.name} belongs"
                return [Finding("crossed", said)]
    return []


def _doubled(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    for leg in legs:
        if len(leg.arrivals) < 2:
            continue
        said = f"{len(leg.arrivals)} arrivals at {found.say(leg.end)}"
        if leg.comb is None:
            return [Finding("doubled", said)]
        return [Finding("doubled", f"{said}, {say_comb(leg.comb)}")]
    return []


def say_comb(found: Comb) -> str:
    """Two copies in words: how far apart, which notches."""
    if found.delay_samples == 0:
        return "both at the same time" + (", cancelling each other" if found.inverted else "")
    apart = f"{found.delay_samples} samples = {found.delay_ms:.2f} ms apart"
    if not found.notches_hz:
        return apart
    turned = ", one turned over" if found.inverted else ""
    return f"{apart}{turned}; notches {', '.join(f'{hz:.0f}' for hz in found.notches_hz)} Hz"


def _off_speed(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    """What a program sounds itself runs at its device's rate, whatever it was made for."""
    for leg in legs:
        if not leg.arrivals or leg.start.bank != "voice":
            continue
        program = found.items[leg.start.owner].program
        ratio = speed(found, program)
        if ratio != 1:
            return [Finding("off speed", f"{found.say(leg.start)} plays {say_speed(ratio)}")]
    return []


def _drifting(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    """Sound that passes between two clocks with nothing to make up for it."""
    for leg in legs:
        for arrival in leg.arrivals:
            for drift, way in drifts_along(arrival.route.edges, found):
                return [Finding("drifting", f"{way.box.name} runs free, {say_drift(drift)}")]
    return []


def drifts_along(edges: Sequence[Edge], found: Index) -> Iterator[tuple[Drift, Way]]:
    """Where a route passes between clocks that are not matched, and what they do."""
    for edge in edges:
        if edge.kind in ("take", "send"):
            opening = found.opened[edge.owner]
            way = way_of(opening, edge)
            drift = drift_of(found, opening, way, "capture" if edge.kind == "take" else "playback")
            if drift is not None:
                yield drift, way


def _late(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    if line.longest_delay_ms is None:
        return []
    worst = max((a.delay for leg in legs for a in leg.arrivals), key=lambda delay: delay.ms, default=None)
    if worst is None or worst.ms <= line.longest_delay_ms:
        return []
    over = worst.ms - line.longest_delay_ms
    return [Finding("late", f"{worst.ms:.2f} ms, {over:.2f} ms over its limit of {line.longest_delay_ms:g} ms")]


def _hot(line: Line, legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    for leg in legs:
        for arrival in leg.arrivals:
            over = next((step for step in levels_along(arrival.route.edges, found) if step.over_db > 0), None)
            if over is not None:
                said = f"{found.say(leg.start)} is {over.over_db:.1f} dB above full scale at {found.say(over.port)}"
                return [Finding("hot", f"{said}: it clips")]
    loudest = max((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
    if line.highest_dbfs is not None and loudest is not None and loudest > line.highest_dbfs:
        return [Finding("hot", f"{loudest:.1f} dBFS, above its highest of {line.highest_dbfs:g} dBFS")]
    return []


def _low(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    softest = min((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
    if line.lowest_dbfs is not None and softest is not None and softest < line.lowest_dbfs:
        return [Finding("low", f"{softest:.1f} dBFS, under its lowest of {line.lowest_dbfs:g} dBFS")]
    return []
