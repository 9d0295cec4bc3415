"""Whether a delay rests on a figure that is from nobody, although the whole that it is part of may be known.

A driver that reports what each way takes settles each way, whatever its parts are; a measured round trip settles both
ways together, and neither by itself.
"""

from collections.abc import Mapping
from typing import Literal

from iskelo.core.rig.drivers import Offsets

Side = tuple[str, Literal["in", "out", "elsewhere"]]
"""A box, and which way through it; *elsewhere* is what no total of its driver covers."""


def in_doubt(assumed: Mapping[Side, bool], known: Mapping[Side, Offsets]) -> bool:
    """Whether something that is passed is assumed and no known total makes up for it.

    Parameters
    ----------
    assumed
        The sides that are passed, and whether one of their figures is assumed.
    known
        What is known of the drivers by which they are passed, at just their rate and buffer.
    """
    return any(doubt and not _settled(side, known) for side, doubt in assumed.items())


def _settled(side: Side, known: Mapping[Side, Offsets]) -> bool:
    offsets = known.get(side)
    if offsets is None:
        return False
    if offsets.origin == "described":
        return True
    box, way = side
    return known.get((box, "out" if way == "in" else "in")) == offsets
