"""Which ways are wet: through effects mixes, effects in the leads, and dry paths that are meant to be parallel."""

from collections.abc import Sequence

from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import StripInsert
from iskelo.core.rig.programs import ProgramInsert
from iskelo.core.wiring.edge import Edge


def effects_mixes(found: Index) -> frozenset[str]:
    """The buses and the outboard gear whose sound is wet, and the strips and tracks whose dry path is parallel."""
    buses = [bus.id for program in found.programs() for bus in program.buses if bus.effects]
    hung: list[tuple[str, StripInsert | ProgramInsert]] = [
        (item.id, insert) for program in found.programs() for item, insert in program.hung()
    ]
    for box in found.boxes:
        hung += [(strip.id, insert) for strip, insert in (box.mixer.hung() if box.mixer is not None else ())]
    parallel = [_dry_path_of(item) for item, insert in hung if insert.dry_db is not None and insert.parallel]
    return frozenset([*parallel, *buses, *(outboard.id for outboard in found.outboards if outboard.effects)])


def is_wet(edges: Sequence[Edge], effects: frozenset[str]) -> bool:
    """Whether a way passes effects, or a dry path beside them."""
    return bool(effects) and any(
        edge.end.owner in effects or (edge.kind in DRY_PATHS and _dry_path_of(edge.owner) in effects) for edge in edges
    )


DRY_PATHS = ("dry", "track dry")


def _dry_path_of(identity: str) -> str:
    """What a dry path is called among what is wet: the strip's other ways are not."""
    return f"{identity}/dry"
