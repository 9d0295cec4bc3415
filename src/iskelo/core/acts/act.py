"""What a person does in one go: an act."""

from dataclasses import dataclass
from typing import Literal

from iskelo.core.edits.edit import Edit
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port

ActKind = Literal[
    "names",
    "names put right",
    "leads",
    "order of members",
    "switches",
    "pans",
    "monitoring",
    "supply",
    "outputs",
    "devices",
    "effects",
]

IN_A_PROGRAM, ON_A_BOX, A_LEAD, A_NEW_LEAD, A_SPLITTER, NEW_GEAR = 1.0, 2.0, 3.0, 4.0, 6.0, 8.0
"""What a key or a setting in a program, a setting of a box, a lead moved, a new one, a splitter and new gear cost."""


@dataclass(frozen=True, slots=True)
class Near:
    """What acts are looked for about: the ids of gear and of things in it, and ports."""

    ids: frozenset[str]
    ports: frozenset[Port]

    def __or__(self, other: "Near") -> "Near":
        return Near(self.ids | other.ids, self.ports | other.ports)


@dataclass(frozen=True, slots=True)
class Act:
    """One act in words and as edits; ``touches``: the ids of the gear and the things in it that it is about.

    ``mends`` is False for what goes wrong in rooms and is never a remedy: a mute, a track that is disarmed.
    """

    kind: ActKind
    words: str
    edits: tuple[Edit, ...]
    touches: frozenset[str]
    cost: float
    mends: bool = True

    def then(self, other: "Act") -> "Act":
        """This act and another one behind it, as one."""
        words = f"{self.words}, then {other.words[:1].lower()}{other.words[1:]}"
        touches = self.touches | other.touches
        return Act(self.kind, words, (*self.edits, *other.edits), touches, self.cost + other.cost)

    def place(self, found: Index) -> str:
        """The gear at which it is done."""
        return next((found.gear[each].name for each in sorted(self.touches) if each in found.gear), "Leads")
