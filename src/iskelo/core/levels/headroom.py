"""How loud a sound may stand: its nominal level against alignment, and what a sum needs above it.

A nominal level is what a meter shows in an ordinary moment; louder ones come. So at every place that can clip there
must be headroom above it: as much as alignment leaves, or as its source is said to need. A line whose window takes in a
higher level is wanted louder, and has less.
"""

from iskelo.core.rig.gear import Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Voice
from iskelo.core.rig.rig import Line

TOLERANCE_DB = 0.05 + 1e-6
"""Gains are typed and shown in tenths of a decibel."""

FAR_OFF_DB = 9.0
"""A level this far under alignment is told; common practice, no published source."""

SUM_HEADROOM_DB = 12.0
"""What a sum of different sources needs above its nominal level; common practice, no published source."""


def own_headroom_db(start: Port, found: Index) -> float | None:
    """What somebody says that a source needs above its nominal level; None where nobody says."""
    gear = found.gear.get(start.owner)
    if isinstance(gear, Source):
        return gear.headroom_db
    placed = found.items.get(start.owner)
    return placed.item.headroom_db if placed is not None and isinstance(placed.item, Voice) else None


def nominal_dbfs(start: Port, found: Index) -> float:
    """Where a source's nominal level stands at most: alignment, or as far down as it is said to need."""
    own = own_headroom_db(start, found)
    return found.rig.alignment_dbfs if own is None else -own


def aim_dbfs(line: Line, start: Port, found: Index) -> float:
    """Where a line's nominal level is set to, in dBFS: alignment, or its source's own figure, inside its window.

    Inside the window is a decibel from its nearer end, or its middle where it is narrower than two.
    """
    low, high, aim = line.lowest_dbfs, line.highest_dbfs, nominal_dbfs(start, found)
    inside = 1.0 if low is None or high is None else min(1.0, (high - low) / 2)
    aim = aim if low is None else max(aim, low + inside)
    return aim if high is None else min(aim, high - inside)


def needed_db(line: Line, start: Port, found: Index) -> float:
    """The headroom that a line's source needs at every place that can clip, in dB.

    Example: at an alignment of -18 dBFS 18 dB; 12 dB if the line's window reaches up to -12 dBFS.
    """
    top = nominal_dbfs(start, found)
    wanted = line.highest_dbfs if line.highest_dbfs is not None else aim_dbfs(line, start, found)
    return max(0.0, -max(top, wanted))
