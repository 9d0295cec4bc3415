"""What a line says about its way: what every copy of it must pass, and what none of them may."""

from collections.abc import Sequence

from iskelo.core.lines.legs import Leg
from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import COMPUTER, Line
from iskelo.core.values import Fact, fact
from iskelo.core.wiring.edge import Edge


def belongs_to(owner: str, found: Index) -> frozenset[str]:
    """Give what a port's owner belongs to: itself, its gear, and of a program also its device and the computer."""
    if not found.holds(owner):
        return frozenset()
    gear = found.gear_of(owner)
    if not isinstance(found.gear[gear], Program):
        return frozenset((owner, gear))
    opened = found.opened.get(gear)
    return frozenset((owner, gear, COMPUTER, *((opened.device.id,) if opened is not None else ())))


def passes(edges: Sequence[Edge], what: str, found: Index) -> bool:
    """Tell whether a way passes a piece of gear, what is in one, or the computer."""
    owners = {edges[0].start.owner, *(edge.end.owner for edge in edges)}
    return any(what in belongs_to(owner, found) for owner in owners)


def goes_as_said(edges: Sequence[Edge], line: Line, found: Index) -> bool:
    """Tell whether a way passes all that a line names, and nothing that it never should."""
    return all(passes(edges, each, found) for each in line.through) and not any(
        passes(edges, each, found) for each in line.never_by
    )


def goes_otherwise(line: Line, legs: Sequence[Leg], found: Index) -> Fact | None:
    """Say what some copy of a line does not pass, or passes though it never should; None if all go as it says."""
    if not line.through and not line.never_by:
        return None
    ways = [arrival.route.edges for leg in legs for arrival in leg.arrivals]
    # What goes through effects is no copy: it is what somebody who names them wants beside the dry sound.
    wet = [arrival.route.edges for leg in legs for arrival in leg.wet]
    missed = tuple(
        each
        for each in line.through
        if not all(passes(way, each, found) for way in ways) and not any(passes(way, each, found) for way in wet)
    )
    met = tuple(each for each in line.never_by if any(passes(way, each, found) for way in (*ways, *wet)))
    if missed and met:
        return fact("passes not this but that", missed=missed, met=met)
    if missed:
        return fact("passes not", missed=missed)
    return fact("passes", met=met) if met else None
