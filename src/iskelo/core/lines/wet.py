"""Which ways are wet: through effects mixes and effects in the leads."""

from collections.abc import Sequence

from iskelo.core.rig.index import Index
from iskelo.core.wiring.edge import Edge


def effects_mixes(found: Index) -> frozenset[str]:
    """The buses and the outboard gear whose sound is wet."""
    buses = [bus.id for program in found.programs() for bus in program.buses if bus.effects]
    return frozenset([*buses, *(outboard.id for outboard in found.outboards if outboard.effects)])


def is_wet(edges: Sequence[Edge], effects: frozenset[str]) -> bool:
    """Whether a way passes effects."""
    return bool(effects) and any(edge.end.owner in effects for edge in edges)
