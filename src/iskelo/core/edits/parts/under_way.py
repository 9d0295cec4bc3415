"""A part on its way into a rig: what is asked, what stands for what, and what was found and done so far."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Literal

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Refused, gear_of
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.part import Channelled, PartKind, PortMove
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import AnyGear, Rig

Fit = Mapping[int, int | None]
"""Which channel or jack here takes over from which of a part's; None: none does."""

Does = Literal["new", "set", "same", "stays", "left out", "removed", "not needed"]
"""What becomes of something: it is added; what is here takes its settings; both say the same; what is here stays as it
is; it finds no place; and of what the part does not have: it is removed, or nobody uses it.
"""


@dataclass(frozen=True, slots=True)
class PartRow:
    """One thing of a part, or of what is here: ``gear`` is the gear here, ``why`` told beside what becomes of it."""

    gear: str
    kind: PartKind
    name: str
    does: Does
    why: str = ""


@dataclass(frozen=True, slots=True)
class PortRow:
    """A channel or jack of a part's piece and the one here that takes over; ``of`` is what it stood for."""

    piece: str
    gear: str
    bank: Channelled
    number: int
    of: str
    to: int | None
    why: str


@dataclass(frozen=True, slots=True)
class PieceRow:
    """A piece of a part and the gear here that it is brought into; None: it comes as a new one. ``kind``: its own."""

    piece: str
    name: str
    kind: str
    into: str | None


@dataclass(slots=True)
class UnderWay:
    """The rig as it is so far; ``gear``, ``items`` and ``fits``: which here stands for which of the part."""

    asked: "e.BringIn"
    old: Index
    rig: Rig
    gear: dict[str, str] = field(default_factory=dict)
    items: dict[str, str] = field(default_factory=dict)
    pieces: list[PieceRow] = field(default_factory=list)
    rows: list[PartRow] = field(default_factory=list)
    ports: list[PortRow] = field(default_factory=list)
    new: set[str] = field(default_factory=set)
    fits: dict[tuple[str, str], Fit] = field(default_factory=dict)

    @property
    def found(self) -> Index:
        return index(self.rig)

    def wants(self, kind: PartKind) -> bool:
        """Whether this kind is to be brought in: it is in the part, and nobody has left it out."""
        part = self.asked.part
        return kind in part.kinds and (self.asked.kinds is None or kind in self.asked.kinds)

    def retell(self, gear: AnyGear, kind: PartKind, name: str, does: Does) -> None:
        """Say something else of what becomes of a thing."""
        self.rows = [
            replace(row, does=does) if (row.gear, row.kind, row.name) == (gear.name, kind, name) else row
            for row in self.rows
        ]

    def tell(self, gear: AnyGear, kind: PartKind, name: str, does: Does, why: str = "") -> None:
        self.rows.append(PartRow(gear.name, kind, name, does, why))

    def typed(self, piece: str, bank: Channelled, number: int) -> PortMove | None:
        """What somebody has said about a channel or a jack."""
        place = Port(piece, bank, number)
        return next((each for each in self.asked.ports if each.place == place), None)

    def fit(
        self,
        ends: tuple[AnyGear, AnyGear],
        bank: Channelled,
        size: int | None,
        used: dict[int, str],
        place: Callable[[int], tuple[int | None, str]],
        others: Mapping[int, str] = MappingProxyType({}),
    ) -> Fit:
        """Which channel or jack here takes over from which; no two of the part's share one.

        ``ends``: the part's piece, and the gear here, which has ``size`` of them (None: nobody knows). What somebody
        has said comes first, then what ``place`` finds for each that is ``used`` (with what it stood for). Of a channel
        that one of ``others`` here has in use it is told that they share it.
        """
        piece, here = ends
        taken: dict[int, int | None] = {}
        why: dict[int, str] = {}
        for number in used:
            typed = self.typed(piece.id, bank, number)
            if typed is not None:
                if typed.to is not None and size is not None and typed.to > size:
                    raise Refused(f"{here.name}, {bank.replace('_', ' ')} {typed.to}", f"there is none; it has {size}")
                taken[number], why[number] = typed.to, "as you say" if typed.to else "left out, as you say"
        for number in sorted(used):
            if number not in taken:
                to, said = place(number)
                clash = to is not None and to in taken.values()
                taken[number] = None if clash else to
                why[number] = f"{to} is taken by another" if clash else said
        for number, what in sorted(used.items()):
            shared = others.get(taken[number] or 0)
            told = f"{why[number]}; {shared} has it too" if shared is not None else why[number]
            self.ports.append(PortRow(piece.id, here.name, bank, number, what, taken[number], told))
        self.fits[piece.id, bank] = taken
        return taken


def target(at: UnderWay, piece: AnyGear) -> AnyGear | None:
    """The gear here that a piece is brought into: the one that was said, else the one of its kind and name."""
    if piece.id in at.asked.into:
        said = at.asked.into[piece.id]
        if said is None:
            return None
        return gear_of(at.rig, said, type(piece))
    return next(
        (gear for gear in at.rig.gear if gear.kind == piece.kind and gear.name.casefold() == piece.name.casefold()),
        None,
    )
