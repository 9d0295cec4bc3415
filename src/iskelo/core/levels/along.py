"""Levels along a route: dBu in the leads, dBFS in the computer, and where it clips."""

from collections.abc import Sequence
from typing import Literal, NamedTuple

from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Index
from iskelo.core.wiring.graph import Edge, input_gain_db


class LevelStep(NamedTuple):
    """The nominal level at one port; ``over_db`` is by how much it is above what this place can carry."""

    port: Port
    level: float
    unit: Literal["dBu", "dBFS"]
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
    unit: Literal["dBu", "dBFS"] = "dBFS" if start.bank == "voice" else "dBu"
    steps = [LevelStep(start, level, unit)]
    for edge in edges:
        over_db = 0.0
        match edge.kind:
            case "capture":
                level, unit = level + edge.gain_db, "dBFS"
                over_db = max(0.0, level)
            case "direct":
                box = found.gear[edge.owner]
                assert isinstance(box, Interface)
                converted = level + input_gain_db(box, edge.start.number)
                trim_db = box.output_trims_db[edge.end.number - 1]
                sent = level + edge.gain_db - trim_db
                over_db = max(0.0, converted, sent)
                level, unit = sent + trim_db + box.output_full_scale_dbu, "dBu"
            case "playback":
                box = found.gear[edge.owner]
                assert isinstance(box, Interface)
                over_db = max(0.0, level)
                level, unit = level + edge.gain_db + box.output_full_scale_dbu, "dBu"
            case "lead out":
                level += edge.gain_db
                end = found.gear[edge.end.owner]
                if isinstance(end, Destination) and end.highest_dbu is not None:
                    over_db = max(0.0, level - end.highest_dbu)
            case _:
                level += edge.gain_db
        steps.append(LevelStep(edge.end, level, unit, over_db))
    return steps


def level_assumed(edges: Sequence[Edge], found: Index) -> bool:
    """Whether one of the figures a route's level is made from is from nobody."""
    source = found.gear.get(edges[0].start.owner)
    if isinstance(source, Source) and source.origins.get("level_dbu", "assumed") == "assumed":
        return True
    for edge in edges:
        if edge.kind in ("capture", "direct"):
            box = found.gear[edge.owner]
            assert isinstance(box, Interface)
            if box.origins.get("input_full_scale_dbu", "assumed") == "assumed":
                return True
    return False
