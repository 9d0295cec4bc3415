"""A part: some of a rig's gear with its settings, kept to be brought into another rig."""

from typing import Annotated, Any, Literal, get_args

from pydantic import Field, model_validator

from iskelo.core.rig.check import check
from iskelo.core.rig.migrations import brought_up
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Broken, Rig
from iskelo.core.rig.text import Id, Ids, Name, Notes
from iskelo.core.rig.value import ChannelNumber, Value

PartKind = Literal[
    "settings", "inputs", "outputs", "buses", "tracks", "voices", "strips", "mixes and feeds", "leads", "lines"
]
KINDS: tuple[PartKind, ...] = get_args(PartKind)
"""What a part may hold, in the order in which it is brought in."""


class Part(Value):
    """Some of a rig: its ``pieces`` with what of them counts (``kinds``).

    ``rig`` is what was kept: the pieces, and beside them the gear that only tells what the pieces' channel numbers
    stood for. It holds together by itself, and is brought up to the present version like every rig.
    """

    format: Literal["iskelo part"] = "iskelo part"
    version: Literal[1] = 1
    name: Name
    notes: Notes = ""
    kinds: Annotated[tuple[PartKind, ...], Field(min_length=1, max_length=len(KINDS))]
    pieces: Annotated[Ids, Field(min_length=1, max_length=4096)]
    rig: Rig

    @model_validator(mode="before")
    @classmethod
    def _of_today(cls, data: Any) -> Any:
        """A rig of an earlier version inside it is brought up first."""
        if isinstance(data, dict) and isinstance(data.get("rig"), dict):
            return {**data, "rig": brought_up(data["rig"])}
        return data

    @model_validator(mode="after")
    def _whole(self) -> "Part":
        there = {gear.id for gear in self.rig.gear}
        absent = next((each for each in self.pieces if each not in there), None)
        if absent is not None:
            raise ValueError(f"its piece {absent!r} is not in it")
        try:
            check(self.rig)
        except Broken as broken:
            raise ValueError(f"{broken.place}: {broken.reason}") from None
        return self


Channelled = Literal["capture", "playback", "jack_in", "jack_out"]


class PortMove(Value):
    """Which channel or jack of what is here takes over from which of a part's piece; ``to`` None: none does."""

    piece: Id
    bank: Channelled
    number: ChannelNumber
    to: ChannelNumber | None = None

    @property
    def place(self) -> Port:
        return Port(self.piece, self.bank, self.number)


class Bringing(Value):
    """How a part is brought in: each piece into the gear that ``into`` says (None: as a new one), else into that of its
    name.

    ``kinds``: of what it holds only these (None: all). ``ports``: where channels and jacks go that somebody has placed.
    What is in use stays as it is, unless ``over_used``; ``remove_unused`` takes away what the part does not have and
    nobody uses.
    """

    into: Annotated[dict[Id, Id | None], Field(max_length=256)] = Field(default_factory=dict)
    kinds: Annotated[tuple[PartKind, ...], Field(max_length=16)] | None = None
    ports: Annotated[tuple[PortMove, ...], Field(max_length=1024)] = ()
    over_used: bool = False
    remove_unused: bool = False
