"""A level check at both meters: what each meter on a line's way should read for one test tone, and what it says if two
of them do not.
"""

from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from iskelo.core.edits.base import Refused
from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.stages import STAGES, Stage
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Feed, Mix
from iskelo.core.rig.programs import Bus
from iskelo.core.rig.units import CONSUMER_BELOW_PROFESSIONAL_DB, say_figure
from iskelo.core.rig.value import Value
from iskelo.core.values import light
from iskelo.core.wiring.edge import Edge

METERED = ("preamp", "strip_pre", "strip_post", "mix_post", "capture", "track", "bus_out", "playback", "in")
"""Where meters are: at inputs, strips and mixes of a mixer, at channels, tracks and buses, and in the room."""

AS_READ_DB = 0.3
"""So near do two meters of one kind read alike; common practice, no published source."""

SINE_PEAK_OVER_RMS_DB = 3.01
PAD_DB = 20.0

Reads = Annotated[float, Field(ge=-200, le=60, allow_inf_nan=False)]


class MetersRequest(Value):
    """A tone at the source (None: at its nominal level), and what meters read, by their places among the points.

    Of more than two that are read the first and the last count.
    """

    tone: Reads | None = None
    reads: Annotated[dict[Annotated[int, Field(ge=0, le=255)], Reads], Field(max_length=256)] = Field(
        default_factory=dict
    )


@light
class MeterPoint:
    """A meter on the way, in words, and what it should read."""

    words: str
    level: float
    unit: Literal["dBu", "dBFS"]


@light
class MeterCheck:
    """Every meter on a line's way for a tone, and what two readings say."""

    tone: float
    tone_unit: Literal["dBu", "dBFS"]
    points: tuple[MeterPoint, ...]
    told: tuple[str, ...]


class _Kind(NamedTuple):
    """A difference that is known by its size."""

    by_db: float
    words: str


KINDS = (
    _Kind(SINE_PEAK_OVER_RMS_DB, "a pan law of −3 dB, or one meter reads a sine's peak and the other its RMS"),
    _Kind(4.5, "a pan law of −4.5 dB"),
    _Kind(6.02, "a pan law of −6 dB, both legs of a pair added up, or a driven leg lost in an unbalanced input"),
    _Kind(CONSUMER_BELOW_PROFESSIONAL_DB, "consumer gear against professional: −10 dBV against +4 dBu"),
    _Kind(PAD_DB, "a pad, or a trim that came up 20 dB off"),
)
"""Arithmetic (a sine's crest is 3.01 dB); which of them it is, is common practice, no published source."""


def meter_check(reading: Reading, state: LineState, wanted: MetersRequest) -> MeterCheck:
    """What the meters on a line's way should read for one tone, and what two that were read say.

    Raises
    ------
    Refused
        If nothing of the line arrives, or there is no such meter.
    """
    arrival = next((each for leg in state.legs for each in leg.arrivals), None)
    if arrival is None:
        raise Refused(f"line {state.line.name}, meters", "nothing of it arrives, so no tone does")
    found, edges = reading.found, arrival.route.edges
    if None in arrival.raised:
        raise Refused(f"line {state.line.name}, meters", "what goes round on its way does not die away: open it first")
    steps = levels_along(edges, found, arrival.raised)
    nominal = found.level(edges[0].start)
    tone = nominal if wanted.tone is None else wanted.tone
    places = [place for place, step in enumerate(steps) if step.port.bank in METERED]
    points = tuple(
        MeterPoint(found.say(step.port), step.level + tone - nominal, step.unit)
        for step in steps
        if step.port.bank in METERED and step.level is not None
    )
    if max(wanted.reads, default=0) >= len(points):
        raise Refused(f"line {state.line.name}, meters", f"there are {len(points)} meters on its way")
    read = [_Read(edges[: places[at]], points[at], wanted.reads[at]) for at in sorted(wanted.reads)]
    return MeterCheck(tone, steps[0].unit, points, _told(read[:1] + read[1:][-1:], found))


class _Read(NamedTuple):
    """A meter that was read, and the hops that lead to it."""

    edges: tuple[Edge, ...]
    point: MeterPoint
    reads: float

    @property
    def off_db(self) -> float:
        return self.reads - self.point.level


def _told(read: list[_Read], found: Index) -> tuple[str, ...]:
    """What one reading says, or two."""
    if not read:
        return ()
    first, last = read[0], read[-1]
    before = [_off(first.off_db, first.point), *_reasons(first.off_db, first.edges, found)]
    if len(read) == 1:
        return tuple(before)
    told = [f"Before the first meter: {before[0]}", *before[1:]] if abs(first.off_db) > AS_READ_DB else []
    between = last.off_db - first.off_db
    if abs(between) > AS_READ_DB:
        much = f"{say_figure(abs(round(between, 1)))} dB {'louder' if between > 0 else 'softer'}"
        told += [f"Between the two: {last.point.words} reads {much} than it should beside {first.point.words}"]
        told += _reasons(between, last.edges[len(first.edges) :], found)
    return tuple(told) or ("Both meters read what they should",)


def _off(off_db: float, point: MeterPoint) -> str:
    if abs(off_db) <= AS_READ_DB:
        return f"{point.words} reads what it should"
    return (
        f"{point.words} reads {say_figure(abs(round(off_db, 1)))} dB {'more' if off_db > 0 else 'less'} than it should"
    )


def _reasons(off_db: float, edges: tuple[Edge, ...], found: Index) -> list[str]:
    """What a difference of this size comes from, and the stages that could stand so far off."""
    if abs(off_db) <= AS_READ_DB:
        return []
    kinds = [kind.words for kind in KINDS if abs(abs(off_db) - kind.by_db) <= AS_READ_DB]
    said = [f"About {say_figure(round(abs(off_db), 1))} dB is typical of {kinds[0]}"] if kinds else []
    stages = _stages(edges, found)
    alone = [stage for stage in stages if not _shared(stage, found)]
    panned = ["its pan"] if any(edge.kind in ("pan", "mix", "send") and edge.gain_db for edge in edges) else []
    if alone or panned:
        several = "; ".join([*([_standing(alone, off_db)] if alone else []), *panned])
        said.append(f"If this line alone is off: {several}")
    shared = [stage for stage in stages if _shared(stage, found)]
    scales = _full_scales(edges, found)
    if shared or scales:
        together = "; ".join([*([_standing(shared, off_db)] if shared else []), *scales])
        said.append(f"If all are off alike: {together}")
    return said or ["Nothing can be turned there: see that the leads are whole"]


def _stages(edges: tuple[Edge, ...], found: Index) -> list[Stage]:
    return [stage for edge in edges for stage in STAGES[edge.kind](edge, 0.0, found, 0.0)]


def _shared(stage: Stage, found: Index) -> bool:
    """Whether other sounds pass a stage as well: the fader of a mix or a bus, and what a mix feeds."""
    owner = stage.key[0]
    inside, placed = found.mixing.get(owner), found.items.get(owner)
    if inside is not None:
        giver = found.mixing.get(inside.item.item or "") if isinstance(inside.item, Feed) else inside
        return giver is not None and isinstance(giver.item, Mix)
    return placed is not None and isinstance(placed.item, Bus)


def _standing(stages: list[Stage], off_db: float) -> str:
    """Where stages would stand if one of them were that far off."""
    return "; ".join(
        f"{stage.words} at {say_figure(round(stage.now_db + off_db, 1))} instead of "
        f"{say_figure(round(stage.now_db, 1))} dB"
        for stage in stages[:4]
    )


def _full_scales(edges: tuple[Edge, ...], found: Index) -> list[str]:
    """The full scales between, which nobody turns and somebody may have typed wrongly."""
    said = []
    for edge in edges:
        if edge.kind in ("capture", "preamp", "analogue to computer"):
            said.append(f"the input full scale of {found.name(edge.owner)}")
        elif edge.kind in ("playback", "to jack", "analogue from computer"):
            said.append(f"the output full scale of {found.name(edge.owner)}")
    return list(dict.fromkeys(said))
