"""Levels along a route: dBu in the leads, dBFS in the computer, and where it clips."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from iskelo.core.levels.headroom import TOLERANCE_DB
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.wiring.edge import Edge, input_gain_db, output_gain_db
from iskelo.core.wiring.hops import HOPS, HopKind, Unit


class LevelStep(NamedTuple):
    """The nominal level at one port, None where it has none; ``room_db`` is what this place can carry above it, None if
    anything. ``raised_db``: how much of the level is what goes round there without any delay.
    """

    port: Port
    level: float | None
    unit: Unit
    room_db: float | None = None
    raised_db: float = 0.0

    @property
    def over_db(self) -> float:
        """By how much it clips."""
        return max(0.0, -self.room_db) if self.room_db is not None else 0.0


Raised = Sequence[float | None]
"""By how much what goes round raises each port of a way (``lines.rings``); nothing at all where nothing does."""


def levels_along(edges: Sequence[Edge], found: Index, raised: Raised = ()) -> list[LevelStep]:
    """The level of a route's source at every port it passes.

    A jack is told in dBu; from the converter on it is dBFS; at an output jack dBu again: dBFS plus the
    box's output full-scale level and its trim.

    Raises
    ------
    KeyError
        If the edges are of another rig.
    """
    start = edges[0].start
    level = found.level(start)
    unit: Unit = "dBFS" if start.bank == "voice" else "dBu"
    steps = [LevelStep(start, level, unit)]
    for edge, by_db in zip(edges, raised[1:] or [0.0] * len(edges), strict=True):
        level, room_db = LEVELS[edge.kind](edge, level, found)
        after = HOPS[edge.kind].after
        unit = unit if after == "=" else after
        if by_db is None:
            steps.append(LevelStep(edge.end, None, unit))
        else:
            room = room_db - by_db if room_db is not None else None
            steps.append(LevelStep(edge.end, level + by_db, unit, room, by_db))
    return steps


INWARD = frozenset({"capture", "direct", "preamp", "analogue to computer"})
"""The hops at which a box's converters take sound in."""

OUTWARD = frozenset({"playback", "direct", "to jack", "analogue to jack"})
"""The hops by which sound leaves a box at its output jacks."""


def full_scale_dbu(edges: Sequence[Edge], found: Index) -> float:
    """What a level at the end of these hops is told against: nought dBFS, or the full scale of the box that they leave
    last, if they end in the leads behind it.

    Example: out of a box of +18 dBu full scale 0 dBu are -18 dBFS.
    """
    if HOPS[edges[-1].kind].after == "dBFS":
        return 0.0
    box = next((found.gear[edge.owner] for edge in reversed(edges) if edge.kind in OUTWARD), None)
    return box.output_full_scale_dbu if isinstance(box, Interface) else 0.0


def first_short(
    edges: Sequence[Edge], found: Index, needed_db: float, raised: Raised = ()
) -> tuple[Edge, float] | None:
    """The first hop behind which less than so much headroom is left, and how much is; None if there is enough.

    ``needed_db``: see ``levels.headroom``. Where there is no level nothing is short.
    """
    level = found.level(edges[0].start)
    for place, edge in enumerate(edges, start=1):
        behind = LEVELS[edge.kind]
        if behind is _turned:  # By far the most: nothing can clip there.
            level += edge.gain_db
            continue
        level, room_db = behind(edge, level, found)
        if raised and room_db is not None:
            by_db = raised[place]
            room_db = None if by_db is None else room_db - by_db
        if room_db is not None and room_db < needed_db - TOLERANCE_DB:
            return edge, room_db + 0.0
    return None


Behind = tuple[float, float | None]
"""The level behind a hop, from that before it, and what could be carried above it where it is tightest."""


def _turned(edge: Edge, level: float, found: Index) -> Behind:
    """A level only changes by the hop's gain, and nothing clips."""
    return level + edge.gain_db, None


def _captured(edge: Edge, level: float, found: Index) -> Behind:
    level += edge.gain_db
    return level, -level


def _arriving(edge: Edge, level: float, found: Index) -> Behind:
    level += edge.gain_db
    end = found.gear[edge.end.owner]
    highest = end.highest_dbu if isinstance(end, Destination | Outboard) else None
    return level, highest - level if highest is not None else None


def _played(edge: Edge, level: float, found: Index) -> Behind:
    # A trim above nought turns up what the converter gives, which has no more to give than full scale.
    return level + edge.gain_db, -level


def _direct(edge: Edge, level: float, found: Index) -> Behind:
    box = _box(edge, found)
    converted = level + input_gain_db(box, edge.start.number)
    sent = level + edge.gain_db - output_gain_db(box, edge.end.number)
    return level + edge.gain_db, -max(converted, sent)


def _box(edge: Edge, found: Index) -> Interface:
    box = found.gear[edge.owner]
    assert isinstance(box, Interface)
    return box


def _in_gear(edge: Edge, level: float, found: Index) -> Behind:
    """At a jack of an analogue mixer, which carries so much and no more."""
    level += edge.gain_db
    mixer = _box(edge, found).mixer
    highest = mixer.highest_dbu if mixer is not None else None
    return level, highest - level if highest is not None else None


def _inside(edge: Edge, level: float, found: Index) -> Behind:
    """Inside a mixer: an analogue one carries so much, a digital one clips where its numbers end, if they do."""
    level += edge.gain_db
    mixer = found.mixing[edge.owner].mixer
    if mixer.analogue:
        return level, mixer.highest_dbu - level if mixer.highest_dbu is not None else None
    return level, mixer.headroom_db - level if mixer.headroom_db is not None else None


def _for_the_computer(edge: Edge, level: float, found: Index) -> Behind:
    """A channel is a whole number: whatever a mixer can carry, there it ends at full scale."""
    level += edge.gain_db
    return level, -level


LEVELS: dict[HopKind, Callable[[Edge, float, Index], Behind]] = {
    "lead in": _turned,
    "lead back": _turned,
    "lead to outboard": _arriving,
    "outboard": _turned,
    "capture": _captured,
    "direct": _direct,
    "preamp": _captured,
    "analogue preamp": _in_gear,
    "raw": _turned,
    "source": _inside,
    "effects": _turned,
    "past": _inside,
    "dry": _inside,
    "insert send": _turned,
    "insert return": _inside,
    "strip fader": _inside,
    "crosspoint": _turned,
    "pan": _turned,
    "solo": _turned,
    "mix fader": _inside,
    "to jack": _played,
    "analogue to jack": _in_gear,
    "to computer": _for_the_computer,
    "analogue to computer": _captured,
    "from computer": _turned,
    "analogue from computer": _turned,
    "from device": _turned,
    "cable": _turned,
    "return": _turned,
    "record": _turned,
    "to far end": _turned,
    "monitor": _turned,
    "track past": _turned,
    "track solo": _turned,
    "track dry": _turned,
    "track send": _turned,
    "track return": _turned,
    "fader": _turned,
    "mix": _turned,
    "send": _turned,
    "to device": _turned,
    "playback": _played,
    "lead out": _arriving,
}
"""What each kind of hop does to a level."""


def source_assumed(start: Port, found: Index) -> bool:
    """Whether nobody says how loud a source is."""
    source = found.gear.get(start.owner)
    return isinstance(source, Source) and source.origins.get("level_dbu", "assumed") == "assumed"


def converters_assumed(edges: Sequence[Edge], found: Index) -> bool:
    """Whether nobody says what the full-scale level of a converter on the way is.

    The last one that leads out does not count: what is heard there is told against it.
    """
    out: Edge | None = None
    for edge in edges:
        if edge.kind in INWARD:
            if _assumed(edge, "input_full_scale_dbu", found) or (
                out is not None and _assumed(out, "output_full_scale_dbu", found)
            ):
                return True
            out = None
        if edge.kind in OUTWARD:
            out = edge
    return False


def drives_assumed(edges: Sequence[Edge], found: Index) -> bool:
    """Whether a lead on the way ends in an unbalanced input, and nobody says what the output before it drives."""
    return any(
        HOPS[edge.kind].whose == "lead"
        and found.patches[edge.owner].unbalanced
        and isinstance(gear := found.gear[edge.start.owner], Interface | Outboard)
        and gear.origins.get("drives_both_legs", "assumed") == "assumed"
        for edge in edges
    )


def _assumed(edge: Edge, field: str, found: Index) -> bool:
    return _box(edge, found).origins.get(field, "assumed") == "assumed"
