"""One step of a way, what is asked for, and what steps cost.

Costs are edits, with penalties for what is taken from another use; among equals the lower number wins. A cost of nought
is a hop that passes already.
"""

from dataclasses import dataclass

from iskelo.core.edits.edit import Edit
from iskelo.core.rig.ports import Port

TAKEN_AWAY = 0.5
"""What is set up and used by no line is set otherwise."""

IN_USE = 4.0
"""What some line arrives by is set otherwise: any way beside it is better."""

BESIDE = 0.6
"""A send beside an output: a little dearer than the output itself, far less than taking away what is in use."""

MOVED = 1.0
"""A lead that no line needs is moved: a key in a program is less work."""

SPLITTER = 2.5
"""One source in two jacks: dearer than a lead that is moved, for it needs a splitter."""

SOCKET = 4.0
"""Two leads out of one output jack, which has one socket: an output of its own is better."""

OTHER_LEG = 1.5
"""One jack into both legs of a destination: dearer than a second jack, for it makes stereo mono."""

TIE = 1e-4


@dataclass(frozen=True, slots=True)
class Move:
    """One step to ``end``, with the edits it needs and what they do, as commands."""

    end: Port
    cost: float
    edits: tuple[Edit, ...] = ()
    words: tuple[str, ...] = ()
    passes: tuple[str, ...] = ()
    """Gear that is passed on the way to the end, and does not own it."""


@dataclass(frozen=True, slots=True)
class Ask:
    """What is to be joined: from a source port to a target port, and which detours are allowed.

    ``through``: what the way must pass; ``never_by``: what it may not, and ``avoid``: ports where others would be met.
    ``named``: what an input that is made for it is called, if not as its source.
    """

    start: Port
    end: Port
    direct: bool = True
    through_computer: bool = True
    through: tuple[str, ...] = ()
    never_by: tuple[str, ...] = ()
    named: str = ""
    avoid: frozenset[Port] = frozenset()


def otherwise(there: bool, in_use: bool) -> float:
    """How much dearer it is to set otherwise what is set already."""
    return IN_USE if in_use else TAKEN_AWAY if there else 0.0
