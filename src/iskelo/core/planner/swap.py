"""Which jack of another interface takes over from which of the present one's, when the two are swapped."""

import itertools
from dataclasses import dataclass
from typing import Literal

from iskelo.core.edits.edit import SwapGear
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.ports import Port

Side = Literal["in", "out"]
SIDES: tuple[Side, Side] = ("in", "out")


@dataclass(frozen=True, slots=True)
class JackMove:
    """A used jack and where what is in it goes; ``to`` None: there is no jack for it."""

    side: Side
    number: int
    used_by: str
    to: int | None
    why: str


@dataclass(frozen=True, slots=True)
class Swap:
    """The edit that swaps, and every used jack, those without a new place first."""

    edit: SwapGear
    jacks: tuple[JackMove, ...]


def plan_swap(reading: Reading, old: Interface, new: Interface) -> Swap:
    """Map every used jack to one of the new box: by its number, else by what it must be able to do.

    A jack keeps its number where the new box has that jack and it can supply or load what is plugged there;
    otherwise what is plugged there moves to the lowest free jack that can. What is heard or recorded through
    the jack follows it. What finds no jack is unplugged.
    """
    moves: list[JackMove] = []
    for side in SIDES:
        size = new.jack_in if side == "in" else new.jack_out
        used = _used(reading, old, side)
        places = _places(reading, used, side, new, size)
        for number, other in sorted(used.items()):
            to = places.get(number)
            why = "same number" if to == number else "moved" if to else f"{new.name} has no free jack {side}"
            moves.append(JackMove(side, number, reading.found.say(other), to, why))
    edit = SwapGear(
        item=old.id,
        gear=new,
        jacks_in=_targets(moves, "in", max(old.jack_in, new.jack_in)),
        jacks_out=_targets(moves, "out", max(old.jack_out, new.jack_out)),
    )
    return Swap(edit, tuple(sorted(moves, key=lambda move: (move.to is not None, move.to == move.number))))


def _used(reading: Reading, box: Interface, side: Side) -> dict[int, Port]:
    """The other end of the lead in each used jack."""
    found: dict[int, Port] = {}
    for patch in reading.rig.patches:
        mine, other = (patch.to_port, patch.from_port) if side == "in" else (patch.from_port, patch.to_port)
        if mine.owner == box.id:
            found.setdefault(mine.number, other)
    return found


def _places(reading: Reading, used: dict[int, Port], side: Side, new: Interface, size: int) -> dict[int, int]:
    """By old number the new one: first all that keep theirs, then the others in order."""
    places = {
        number: number for number, other in used.items() if number <= size and _able(reading, other, side, new, number)
    }
    for number, other in sorted(used.items()):
        if number not in places:
            free = [jack for jack in range(1, size + 1) if jack not in places.values()]
            fit = [jack for jack in free if _able(reading, other, side, new, jack)] or free
            if fit:
                places[number] = fit[0]
    return places


def _able(reading: Reading, other: Port, side: Side, new: Interface, jack: int) -> bool:
    """Whether a jack can supply or load what is to be plugged there."""
    source = reading.found.gear.get(other.owner)
    if side == "out" or not isinstance(source, Source):
        return True
    return not (
        (source.needs_phantom and jack > new.able_jacks("phantom"))
        or (source.needs_high_impedance and jack > new.able_jacks("instrument"))
    )


def _targets(moves: list[JackMove], side: Side, size: int) -> dict[int, int]:
    """The edit's mapping; what has no place goes beyond the last jack, where it is unplugged."""
    beyond = itertools.count(size + 1)
    return {
        move.number: move.to if move.to is not None else min(128, next(beyond))
        for move in moves
        if move.side == side and move.to != move.number
    }
