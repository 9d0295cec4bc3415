"""Whose pace each box runs at: its own crystal's, another box's by a lead, or the computer's."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from iskelo.core.rig.gear import ClockSource, Interface
from iskelo.core.rig.ports import CLOCK_BANKS

if TYPE_CHECKING:
    from iskelo.core.rig.rig import Patch

COMPUTER = "computer"
"""The computer's timer, as a clock that boxes follow."""

COMPUTER_TOLERANCE_PPM = 100.0
"""How far a computer's timer may be off. Common practice, no published source."""

Unlocked = Literal["", "no lead", "loop", "other rate"]
"""Why a box cannot follow: nothing is plugged in, it follows itself in the end, or the rates differ."""

SOCKETS: dict[ClockSource, Literal["word_in", "optical_in"]] = {"word clock": "word_in", "optical": "optical_in"}
"""Where the clock of each source comes in by a lead."""


@dataclass(frozen=True, slots=True)
class Pace:
    """Where a box's clock comes from in the end.

    ``master`` is the box whose crystal it is (or ``COMPUTER``), ``leader`` the box it is led by straight, if any. A
    box that cannot follow runs on its own crystal, a cable on the computer's timer, and ``unlocked`` says why.
    """

    master: str
    leader: str | None = None
    unlocked: Unlocked = ""


def paces(boxes: Iterable[Interface], patches: Iterable["Patch"]) -> dict[str, Pace]:
    """The pace of every box, by id."""
    known = {box.id: box for box in boxes}
    leads: dict[tuple[str, str], str] = {}
    for patch in patches:
        if patch.to_port.bank in CLOCK_BANKS:
            leads[patch.to_port.owner, patch.to_port.bank] = patch.from_port.owner
    found: dict[str, Pace] = {}
    for box in known.values():
        _settle(box, known, leads, found)
    return found


def _settle(
    box: Interface, known: Mapping[str, Interface], leads: Mapping[tuple[str, str], str], found: dict[str, Pace]
) -> None:
    """Follow the leads from a box to where they end, and note the pace of every box on the way."""
    way: list[Interface] = []
    at = box
    while at.id not in found:
        if at in way:
            for each in way[way.index(at) :]:
                found[each.id] = Pace(_alone(each), _leader(each, leads), "loop")
            break
        way.append(at)
        if at.clock_source == "own":
            found[at.id] = Pace(at.id)
        elif at.clock_source == "computer":
            found[at.id] = Pace(COMPUTER)
        else:
            leader = known.get(_leader(at, leads) or "")
            if leader is None:
                found[at.id] = Pace(_alone(at), None, "no lead")
            elif leader.rate_hz != at.rate_hz:
                found[at.id] = Pace(_alone(at), leader.id, "other rate")
            else:
                at = leader
    for each in reversed(way):
        if each.id not in found:
            leader = known[_leader(each, leads) or ""]
            found[each.id] = Pace(found[leader.id].master, leader.id)


def _leader(box: Interface, leads: Mapping[tuple[str, str], str]) -> str | None:
    """The id of what a box is set to follow, by a lead or as a cable."""
    return box.follows if box.clock_source == "device" else leads.get((box.id, SOCKETS[box.clock_source]))


def _alone(box: Interface) -> str:
    """Whose pace a box runs at when it cannot follow."""
    return box.id if box.cable is None else COMPUTER
