"""Everything computed from a rig, as screens, sheets and the API read it.

    Rig ──index──▶ Index ──compile_graph──▶ Graph ──LineStates──▶ Reading ──find_snags──▶ snags
                                                                      │
                                                                      └──▶ Survey (values and words only)

A survey is a pure function of the rig: two equal rigs have equal surveys, and no rig makes it raise.
"""

from collections.abc import Mapping
from types import MappingProxyType

from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.findings import Headline
from iskelo.core.lines.proof import Proof, proofs
from iskelo.core.lines.state import LineState
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Colour, Purpose, Rig, WantedTap
from iskelo.core.snags.registry import find_snags, symptoms_of
from iskelo.core.snags.rule import SEVERITIES, Severity, Snag, Symptom
from iskelo.core.stations import Station, stations
from iskelo.core.timing.clocks import master_name
from iskelo.core.timing.delays import latest
from iskelo.core.timing.terms import Term
from iskelo.core.values import light
from iskelo.core.wiring.edge import Edge
from iskelo.core.words.rings import say_ringing
from iskelo.core.words.say import say


@light
class HopView:
    """One port of a route with the level there; ``over_db``: by so much it clips.

    ``raised_db``: what of the level goes round there without any delay. ``level`` None: what goes round does not die
    away.
    """

    port: Port
    said: str
    level: float | None
    unit: str
    over_db: float
    raised_db: float = 0.0


@light
class ArrivalView:
    """One copy: where it comes from and arrives, its delay with its terms, level and polarity.

    The delay is the least it can be; ``most_...`` the most, which is another only where it cannot be known beforehand.
    ``wet``: it comes through effects and is no copy.
    """

    from_port: Port
    to_port: Port
    from_words: str
    to_words: str
    way: str
    hops: tuple[HopView, ...]
    terms: tuple[Term, ...]
    delay_samples: float
    delay_ms: float
    most_samples: float
    most_ms: float
    assumed: bool
    rate_hz: int | None
    level_dbfs: float | None
    level_assumed: bool
    inverted: bool
    wet: bool


@light
class FindingView:
    """A finding for screens: its kind, its code, its words."""

    kind: Headline
    code: str
    words: str


@light
class LineView:
    """A line with its state and stations; its arrivals, which only the chosen line shows, are in ``line_ways``."""

    id: str
    position: int
    name: str
    notes: str
    purpose: Purpose
    from_ports: tuple[Port, ...]
    to_ports: tuple[Port, ...]
    longest_delay_ms: float | None
    lowest_dbfs: float | None
    highest_dbfs: float | None
    alone: bool
    tap: WantedTap
    through: str
    never_by: str
    tag: str
    colour: Colour
    headline: Headline
    more_findings: int
    findings: tuple[FindingView, ...]
    severity: Severity | None
    stations: tuple[Station, ...]
    earliest_samples: float | None
    latest_samples: float | None
    earliest_ms: float | None
    latest_ms: float | None
    delay_assumed: bool
    delay_open: bool
    level_dbfs: float | None
    level_assumed: bool
    apart_samples: float | None
    told: str


@light
class SnagView:
    """A snag without its remedies, which are worked out when asked for; ``symptoms``: how it may sound."""

    key: str
    rule: str
    severity: Severity
    title: str
    evidence: str
    consequence: str
    items: tuple[str, ...]
    lines: tuple[str, ...]
    follows: tuple[str, ...]
    symptoms: tuple[Symptom, ...]


@light
class Vitals:
    """The few figures that stand on every screen."""

    rates_hz: tuple[int, ...]
    clock_masters: tuple[str, ...]
    slowest_heard_ms: float | None
    slowest_heard_line: str | None
    slowest_heard_limit_ms: float | None
    slowest_heard_assumed: bool
    arriving: int
    wanted: int
    proved: int
    stale: int
    snags: dict[str, int]


@light
class Survey:
    """What happens in a rig as it is patched, beside what is wanted; ``proofs`` by line id."""

    vitals: Vitals
    lines: tuple[LineView, ...]
    snags: tuple[SnagView, ...]
    proofs: dict[str, Proof]


_SEVERITY: dict[Headline, Severity | None] = {
    "silent": "stop",
    "half silent": "stop",
    "blocked": "stop",
    "crossed": "trouble",
    "howls": "stop",
    "doubled": "trouble",
    "crowded": "trouble",
    "other way": "trouble",
    "off speed": "trouble",
    "drifting": "trouble",
    "inverted": "trouble",
    "other tap": "trouble",
    "skewed": "trouble",
    "rings": "trouble",
    "late": "trouble",
    "hot": "trouble",
    "low": "risk",
    "arrives": None,
}


@light
class Surveyed:
    """A survey with the reading it was made from, which the next one can begin with."""

    reading: Reading
    survey: Survey
    snags: list[Snag]


NOTHING: Mapping[str, tuple[str, bool]] = MappingProxyType({})


def survey(rig: Rig, checked: Mapping[str, tuple[str, bool]] = NOTHING) -> Survey:
    """Compute everything about a rig that holds together (see ``rig.check``).

    Parameters
    ----------
    checked
        What the newest line checks found, by line id (see ``lines.proof``).
    """
    return survey_again(rig, None, checked).survey


def survey_again(rig: Rig, before: Surveyed | None, checked: Mapping[str, tuple[str, bool]] = NOTHING) -> Surveyed:
    """The same, beginning with what is known of the rig as it was: only what has changed is computed anew."""
    reading = read(rig, before.reading if before is not None else None)
    # The rules look at nothing but the reading: who only reads the rig again runs none of them.
    snags = before.snags if before is not None and reading is before.reading else find_snags(reading)
    proved = proofs(reading.lines, reading.found, checked)
    old: dict[str, tuple[LineState, LineView]] = {}
    if before is not None:
        views = zip(before.reading.lines, before.survey.lines, strict=True)
        old = {state.line.id: (state, view) for state, view in views}
    lines = []
    for position, state in enumerate(reading.lines, start=1):
        was = old.get(state.line.id)
        same = was is not None and was[0] is state and was[1].position == position
        lines.append(was[1] if was is not None and same else _line(position, state, reading))
    told = Survey(_vitals(reading, tuple(lines), snags, proved), tuple(lines), tuple(map(_snag, snags)), proved)
    return Surveyed(reading, told, snags)


def _snag(snag: Snag) -> SnagView:
    return SnagView(
        snag.key,
        snag.rule,
        snag.severity,
        snag.title,
        snag.evidence,
        snag.consequence,
        snag.items,
        snag.lines,
        snag.follows,
        symptoms_of(snag),
    )


def line_ways(reading: Reading, state: LineState) -> tuple[ArrivalView, ...]:
    """Every copy of a line that arrives, with its delay term by term and its level port by port; then what is wet."""
    found = reading.found
    return tuple(
        ArrivalView(
            from_port=leg.start,
            to_port=leg.end,
            from_words=found.say(leg.start),
            to_words=found.say(leg.end),
            way="Wet, through effects" if wet else _way(arrival.route.edges),
            hops=tuple(
                HopView(step.port, found.say(step.port), step.level, step.unit, step.over_db, step.raised_db)
                for step in levels_along(arrival.route.edges, found, arrival.raised)
            ),
            terms=arrival.delay.terms,
            delay_samples=arrival.delay.samples,
            delay_ms=arrival.delay.ms,
            most_samples=arrival.delay.most_samples,
            most_ms=arrival.delay.most_ms,
            assumed=arrival.delay.assumed,
            rate_hz=arrival.delay.rate_hz,
            level_dbfs=None if None in arrival.raised else arrival.level_dbfs,
            level_assumed=arrival.level_assumed,
            inverted=arrival.sign < 0,
            wet=wet,
        )
        for leg in state.legs
        for arrival, wet in (*((each, False) for each in leg.arrivals), *((each, True) for each in leg.wet))
    )


def _line(position: int, state: LineState, reading: Reading) -> LineView:
    line, findings, found = state.line, state.findings, reading.found
    views = tuple([FindingView(each.kind, each.fact.code, say(each, found)) for each in findings])
    arrivals = [arrival for leg in state.legs for arrival in leg.arrivals]
    delays = state.delays() if arrivals else []
    levels = [level for leg in state.legs if (level := leg.shown_dbfs) is not None] if arrivals else []
    comb = next((leg.comb for leg in state.legs if leg.comb), None) if len(arrivals) > 1 else None
    last = latest(delays) if len(delays) > 1 else delays[0] if delays else None
    return LineView(
        id=line.id,
        position=position,
        name=line.name,
        notes=line.notes,
        purpose=line.purpose,
        from_ports=line.from_ports,
        to_ports=line.to_ports,
        longest_delay_ms=line.longest_delay_ms,
        lowest_dbfs=line.lowest_dbfs,
        highest_dbfs=line.highest_dbfs,
        alone=line.alone,
        tap=line.tap,
        through=found.say_passed(line.through),
        never_by=found.say_passed(line.never_by),
        tag=line.tag,
        colour=line.colour,
        headline=findings[0].kind,
        more_findings=len(findings) - 1,
        findings=views,
        severity=_SEVERITY[findings[0].kind],
        stations=stations(state, found),
        earliest_samples=delays[0].samples if delays else None,
        latest_samples=last.most_samples if last else None,
        earliest_ms=delays[0].ms if delays else None,
        latest_ms=last.most_ms if last else None,
        delay_assumed=True in [delay.assumed for delay in delays],
        delay_open=True in [delay.spread != 0 for delay in delays],
        level_dbfs=max(levels) if levels else None,
        level_assumed=True in [arrival.level_assumed for arrival in arrivals],
        apart_samples=comb.delay_samples if comb else None,
        told=_told(views[0].words, state, found) if reading.rings.all else views[0].words,
    )


def _told(words: str, state: LineState, found: Index) -> str:
    """The headline's words, and what goes round on the line's ways and is no finding."""
    rings = dict.fromkeys([ring for leg in state.legs for ring in leg.rings if not ring.is_heard])
    if not rings:
        return words
    beside = [f"{say_ringing(ring, found)}{', through effects' if ring.wet else ''}" for ring in rings]
    return "; ".join([words, *beside])


def _way(edges: tuple[Edge, ...]) -> str:
    kinds = {edge.kind for edge in edges}
    way = "Direct, in the box" if "direct" in kinds else "Through the computer"
    out = next((at for at, edge in enumerate(edges) if edge.end.bank == "jack_out"), len(edges))
    return f"{way}, and back in by leads" if any(edge.kind == "lead back" for edge in edges[out:]) else way


def _clock_masters(found: Index) -> tuple[str, ...]:
    """Whose clocks the boxes that programs open run on, the one that calls the first program first."""
    driving_streams = [streams.driving.box for streams in found.opened.values() if streams.driving is not None]
    opened = [way.box for streams in found.opened.values() for way in streams.ways]
    boxes = [*driving_streams, *opened] or found.boxes
    return tuple(dict.fromkeys(master_name(found, found.paces[box.id].master) for box in boxes))


def _vitals(reading: Reading, lines: tuple[LineView, ...], snags: list[Snag], proved: dict[str, Proof]) -> Vitals:
    heard = [line for line in lines if line.purpose == "listen" and line.latest_ms is not None]
    slowest = max(heard, key=lambda line: line.latest_ms or 0.0, default=None)
    return Vitals(
        rates_hz=tuple(sorted({box.rate_hz for box in reading.found.interfaces()})),
        clock_masters=_clock_masters(reading.found),
        slowest_heard_ms=slowest.latest_ms if slowest else None,
        slowest_heard_line=slowest.id if slowest else None,
        slowest_heard_limit_ms=slowest.longest_delay_ms if slowest else None,
        slowest_heard_assumed=bool(slowest and slowest.delay_assumed),
        arriving=sum(1 for line in lines if line.headline == "arrives"),
        wanted=len(lines),
        proved=sum(1 for proof in proved.values() if proof == "proved"),
        stale=sum(1 for proof in proved.values() if proof == "stale"),
        snags={severity: sum(1 for snag in snags if snag.severity == severity) for severity in SEVERITIES},
    )
