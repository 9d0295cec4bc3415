"""Levels along a route: dBu in the leads, dBFS in the computer, and where it clips."""

from collections.abc import Sequence
from typing import Literal, NamedTuple

from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Index
from iskelo.core.wiring.graph import Edge, input_gain_db

Unit = Literal["dBu", "dBFS"]


class LevelStep(NamedTuple):
    """The nominal level at one port; ``over_db`` is by how much it is above what this place can carry."""

    port: Port
    level: float
    unit: Unit
    over_db: float = 0.0


def levels_along(edges: Sequence[Edge], found: Index) -> list[LevelStep]:
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
    for edge in edges:
        level, over_db = _behind(edge, level, found)
        unit = _UNIT_BEHIND.get(edge.kind, unit)
        steps.append(LevelStep(edge.end, level, unit, over_db))
    return steps


def first_clip(edges: Sequence[Edge], found: Index) -> tuple[Port, float] | None:
    """Where a route's source is first above what the place can carry, and by how many dB; None if nowhere."""
    level = found.level(edges[0].start)
    for edge in edges:
        level, over_db = _behind(edge, level, found)
        if over_db > 0:
            return edge.end, over_db
    return None


_IN_THE_COMPUTER = frozenset({"take", "record", "monitor", "mix", "send"})
"""Where a level only changes by the hop's gain, and nothing clips."""

_UNIT_BEHIND: dict[str, Unit] = {"capture": "dBFS", "direct": "dBu", "playback": "dBu"}


def _behind(edge: Edge, level: float, found: Index) -> tuple[float, float]:
    """The level behind a hop, from that before it, and by how much it clips on the way."""
    kind = edge.kind
    if kind == "lead in" or kind in _IN_THE_COMPUTER:
        return level + edge.gain_db, 0.0
    if kind == "capture":
        level += edge.gain_db
        return level, max(0.0, level)
    if kind == "lead out":
        level += edge.gain_db
        end = found.gear[edge.end.owner]
        highest = end.highest_dbu if isinstance(end, Destination) else None
        return level, max(0.0, level - highest) if highest is not None else 0.0
    box = found.gear[edge.owner]
    assert isinstance(box, Interface)
    if kind == "playback":
        return level + edge.gain_db + box.output_full_scale_dbu, max(0.0, level)
    converted = level + input_gain_db(box, edge.start.number)
    trim_db = box.output_trims_db[edge.end.number - 1]
    sent = level + edge.gain_db - trim_db
    return sent + trim_db + box.output_full_scale_dbu, max(0.0, converted, sent)


def source_assumed(start: Port, found: Index) -> bool:
    """Whether nobody says how loud a source is."""
    source = found.gear.get(start.owner)
    return isinstance(source, Source) and source.origins.get("level_dbu", "assumed") == "assumed"


def converters_assumed(edges: Sequence[Edge], found: Index) -> bool:
    """Whether nobody says what the full-scale level of a converter on the way is."""
    for edge in edges:
        if edge.kind in ("capture", "direct"):
            box = found.gear[edge.owner]
            assert isinstance(box, Interface)
            if box.origins.get("input_full_scale_dbu", "assumed") == "assumed":
                return True
    return False
