"""Which stage on a route is wrong when a level is, and by how much it is to be turned.

A fader, an output trim or a lead's loss belongs at 0 dB, a preamplifier where its source stands at alignment. What is
off that place comes first, the furthest off before the others; only what is left over moves a stage that stands right.
"""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from iskelo.core.edits.edit import Edit, SetDirect, SetOutputTrim, SetTrim, SetValues
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Feed
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Send
from iskelo.core.rig.units import say_figure
from iskelo.core.wiring.edge import Edge, input_gain_db, output_gain_db
from iskelo.core.wiring.hops import HopKind

LOWEST_DB, HIGHEST_DB = -144.0, 60.0

LEAST_TURN_DB = 0.051
"""Stages are set in tenths: what is left of half a tenth, or a rounding more, no other stage is turned for."""


class Stage(NamedTuple):
    """One place on a route where a level is turned.

    ``off_db``: by how much it is above (below: negative) where it belongs. ``make`` gives the edit that sets it.
    """

    key: tuple[str, ...]
    words: str
    now_db: float
    off_db: float
    highest_db: float
    make: Callable[[float], Edit]


class Turn(NamedTuple):
    """A stage set to another value."""

    stage: Stage
    to_db: float

    @property
    def by_db(self) -> float:
        return self.to_db - self.stage.now_db

    @property
    def words(self) -> str:
        """In words, with by how much. Example: 'the trim of Box jack out 1 to 0 dB, 20 dB up'."""
        way = "up" if self.by_db > 0 else "down"
        return f"{self.stage.words} to {plain(self.to_db)} dB, {plain(abs(self.by_db))} dB {way}"


def plain(value: float) -> str:
    """A figure in tenths, without a nought behind the point: '7.8', '-20', '0'."""
    return say_figure(round(value, 1))


def stages_along(edges: Sequence[Edge], found: Index, aim_dbfs: float) -> list[Stage]:
    """The stages of a route, in order; ``aim_dbfs`` is where its source should stand behind its preamplifier."""
    stages: list[Stage] = []
    level = found.level(edges[0].start)
    for edge in edges:
        stages += STAGES[edge.kind](edge, level, found, aim_dbfs)
        level += edge.gain_db
    start = edges[0].start
    if start.bank == "voice":
        now = found.level(start)
        words = f"the level of {found.name(start.owner)}"
        stages.insert(0, Stage((start.owner, "level"), words, now, now - aim_dbfs, 0.0, _field(start, "level_dbfs")))
    return stages


def _field(port: Port, field: str) -> Callable[[float], Edit]:
    return lambda to_db: SetValues(item=port.owner, values={field: to_db})


def _no_stage(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return []


def _of_lead(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    owner, gain = edge.owner, found.patches[edge.owner].gain_db
    if not gain:
        return []
    words = f"the gain of the lead {found.say(edge.start)} → {found.say(edge.end)}"
    return [Stage((owner,), words, gain, gain, HIGHEST_DB, lambda db: _values(owner, "gain_db", db))]


def _of_input(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return [_preamplifier(edge.start, level, found, aim_dbfs)]


def _of_output(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return [_output_trim(edge.end, found)]


def _of_crosspoint(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    owner = edge.owner
    first = _preamplifier(edge.start, level, found, aim_dbfs)
    last = _output_trim(edge.end, found)
    box = _box(owner, found)
    cross = edge.gain_db - input_gain_db(box, edge.start.number) - output_gain_db(box, edge.end.number)
    start, end = edge.start.number, edge.end.number
    words = f"direct monitoring of jack in {start} at jack out {end} of {found.name(owner)}"

    def crossing(db: float) -> Edit:
        return SetDirect(interface=owner, jack_in=start, jack_out=end, gain_db=db)

    return [first, Stage((owner, str(start), str(end)), words, cross, cross, HIGHEST_DB, crossing), last]


def _of_fader(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    owner, gain = edge.owner, edge.gain_db
    words = f"the gain of {'bus' if edge.end.bank == 'bus_out' else 'track'} {found.name(owner)}"
    return [Stage((owner,), words, gain, gain, HIGHEST_DB, lambda db: _values(owner, "gain_db", db))]


def _of_outboard(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    owner, gain = edge.owner, edge.gain_db
    words = f"the gain of {found.name(owner)}"
    return [Stage((owner,), words, gain, gain, HIGHEST_DB, lambda db: _values(owner, "gain_db", db))]


def _of_send(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    send = found.items[edge.owner].item
    assert isinstance(send, Send)
    gain = send.gain_db
    words = f"the gain of the {found.say_send(send)}"
    return [Stage((send.id,), words, gain, gain, HIGHEST_DB, lambda db: _values(send.id, "gain_db", db))]


def _of_mixer_input(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return [_preamplifier(edge.start, level, found, aim_dbfs)]


def _of_strip(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return [_of_item(edge, "trim_db", f"the trim of strip {found.name(edge.owner)}")]


def _of_strip_fader(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return [_of_item(edge, "gain_db", f"the fader of strip {found.name(edge.owner)}")]


def _of_mix_fader(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    return [_of_item(edge, "gain_db", f"the fader of mix {found.name(edge.owner)}")]


def _of_feed(edge: Edge, level: float, found: Index, aim_dbfs: float) -> list[Stage]:
    feed = found.mixing[edge.owner].item
    assert isinstance(feed, Feed)
    return [] if feed.fixed else [_of_item(edge, "gain_db", f"the gain of the feed {found.name(feed.id)}")]


def _of_item(edge: Edge, field: str, words: str) -> Stage:
    owner, gain = edge.owner, edge.gain_db
    return Stage((owner, field), words, gain, gain, HIGHEST_DB, lambda db: _values(owner, field, db))


STAGES: dict[HopKind, Callable[[Edge, float, Index, float], list[Stage]]] = {
    "lead in": _of_lead,
    "lead back": _of_lead,
    "lead to outboard": _of_lead,
    "outboard": _of_outboard,
    "capture": _of_input,
    "direct": _of_crosspoint,
    "preamp": _of_mixer_input,
    "analogue preamp": _of_mixer_input,
    "raw": _of_feed,
    "source": _of_strip,
    "effects": _no_stage,
    "past": _no_stage,
    "dry": _no_stage,
    "insert send": _no_stage,
    "insert return": _no_stage,
    "strip fader": _of_strip_fader,
    "crosspoint": _of_feed,
    "pan": _no_stage,
    "solo": _no_stage,
    "mix fader": _of_mix_fader,
    "to jack": _of_output,
    "analogue to jack": _of_output,
    "to computer": _no_stage,
    "analogue to computer": _no_stage,
    "from computer": _no_stage,
    "analogue from computer": _no_stage,
    "from device": _no_stage,
    "return": _no_stage,
    "record": _no_stage,
    "to far end": _no_stage,
    "monitor": _no_stage,
    "track past": _no_stage,
    "track solo": _no_stage,
    "track dry": _no_stage,
    "track send": _no_stage,
    "track return": _no_stage,
    "fader": _of_fader,
    "mix": _no_stage,
    "send": _of_send,
    "to device": _no_stage,
    "cable": _no_stage,
    "playback": _of_output,
    "lead out": _of_lead,
}
"""What can be turned at each kind of hop: each gain that is folded into one stands here by itself."""


def _values(owner: str, field: str, to_db: float) -> Edit:
    return SetValues(item=owner, values={field: to_db})


def _box(owner: str, found: Index) -> Interface:
    box = found.gear[owner]
    assert isinstance(box, Interface)
    return box


def _preamplifier(jack: Port, level: float, found: Index, aim_dbfs: float) -> Stage:
    box = _box(jack.owner, found)
    # Where its converters are is the same for the mark: behind the trim, against their full scale.
    now, behind = box.trims_db[jack.number - 1], level + input_gain_db(box, jack.number)
    words = f"the trim of {found.say(jack)}"

    def trim(to_db: float) -> Edit:
        return SetTrim(interface=box.id, jack_in=jack.number, trim_db=to_db)

    return Stage((box.id, "in", str(jack.number)), words, now, behind - aim_dbfs, HIGHEST_DB, trim)


def _output_trim(jack: Port, found: Index) -> Stage:
    now = _box(jack.owner, found).output_trims_db[jack.number - 1]

    def trim(to_db: float) -> Edit:
        return SetOutputTrim(interface=jack.owner, jack_out=jack.number, trim_db=to_db)

    return Stage((jack.owner, "out", str(jack.number)), f"the trim of {found.say(jack)}", now, now, HIGHEST_DB, trim)


def turned(stages: Sequence[Stage], by_db: float) -> list[Turn]:
    """The stages to turn so that a level changes by so much; what stands wrong first, the furthest off before others.

    What is left when all stand right is turned at the last of them that has the room.
    """
    left = by_db
    turns: dict[tuple[str, ...], Turn] = {}
    for stage in sorted(stages, key=lambda each: -abs(each.off_db)):
        wrong = -stage.off_db if stage.off_db * by_db < 0 else 0.0
        step = max(wrong, left) if by_db < 0 else min(wrong, left)
        if abs(step) >= LEAST_TURN_DB:
            turns[stage.key] = Turn(stage, _within(stage, stage.now_db + step))
            left -= turns[stage.key].by_db
    for stage in reversed(stages):
        if abs(left) < LEAST_TURN_DB:
            break
        now = turns[stage.key].to_db if stage.key in turns else stage.now_db
        to = _within(stage, now + left)
        if to != now:
            turns[stage.key] = Turn(stage, to)
            left -= to - now
    return list(turns.values())


def _within(stage: Stage, to_db: float) -> float:
    return round(max(LOWEST_DB, min(stage.highest_db, to_db)), 1) + 0.0
