"""A part brought into a rig: its pieces into what is here or as new ones, then the leads and lines between them."""

from collections import Counter
from dataclasses import dataclass

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, free_name, gear_of, new_ids, with_gear
from iskelo.core.edits.moved import names_followed, rehung
from iskelo.core.edits.parts import boxes, programs
from iskelo.core.edits.parts.under_way import Does, PartRow, PieceRow, PortRow, UnderWay, target
from iskelo.core.edits.renewing import ID_PREFIX, renewed
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.check import patch_trouble
from iskelo.core.rig.gear import Aggregate, Interface, Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import COMPUTER, AnyGear, Patch, Rig
from iskelo.core.rig.syncs import SyncLink

SAID: dict[Does, str] = {
    "new": "new",
    "set": "set",
    "stays": "left as they are",
    "left out": "left out",
    "removed": "removed",
}
"""What the history says of each, in this order."""


@dataclass(frozen=True, slots=True)
class Brought:
    """What bringing a part in does: the rig after it, what becomes of everything, and where every channel goes.

    Ports without a place come first, then those that move.
    """

    rig: Rig
    pieces: tuple[PieceRow, ...]
    rows: tuple[PartRow, ...]
    ports: tuple[PortRow, ...]


def bring(rig: Rig, edit: "e.BringIn") -> Brought:
    """Bring a part into a rig as the edit says; raises Refused where it asks for what is not there."""
    part = edit.part
    at = UnderWay(edit, index(part.rig), rig)
    _refuse_unknown(at)
    for gear in part.rig.gear:
        here = target(at, gear)
        if here is not None:
            at.gear[gear.id] = here.id
    pieces = [gear for gear in part.rig.gear if gear.id in part.pieces]
    for piece in pieces:
        at.pieces.append(PieceRow(piece.id, piece.name, piece.kind, at.gear.get(piece.id)))
    into = [at.gear[piece.id] for piece in pieces if piece.id in at.gear]
    twice = next((each for each in into if into.count(each) > 1), None)
    if twice is not None:
        raise Refused(at.found.name(twice), "two pieces of the part cannot both be brought into it")
    for piece in pieces:
        if piece.id not in at.gear:
            _come_new(at, piece)
    for piece in pieces:
        if isinstance(piece, Interface) and piece.follows is not None and at.gear[piece.id] in at.new:
            _follow(at, piece, piece.follows)
    _settle(at, pieces)
    if at.wants("leads"):
        _leads(at)
    if at.wants("lines"):
        _lines(at)
    ports = sorted(at.ports, key=lambda row: (row.to is not None, row.to == row.number))
    return Brought(at.rig, tuple(at.pieces), tuple(at.rows), tuple(ports))


def _refuse_unknown(at: UnderWay) -> None:
    there = {gear.id for gear in at.old.rig.gear}
    for asked in (*at.asked.into, *(move.piece for move in at.asked.ports)):
        if asked not in there:
            raise Refused(at.asked.part.name, f"there is no piece {asked!r} in this part")


def _settle(at: UnderWay, pieces: list[AnyGear]) -> None:
    """What comes into gear that is here; hosted programs before those that take their outputs."""
    for piece in pieces:
        if isinstance(piece, Interface) and at.gear[piece.id] not in at.new:
            boxes.settle(at, piece, at.gear[piece.id])
        elif isinstance(piece, Aggregate):
            _members(at, piece)
        elif not isinstance(piece, Program) and at.gear[piece.id] not in at.new:
            here = at.found.gear[at.gear[piece.id]]
            own = {"id": here.id, "name": here.name}
            at.tell(here, "settings", here.name, "same" if piece.model_copy(update=own) == here else "stays")
    hosted = [piece for piece in pieces if isinstance(piece, Program)]
    for piece in hosted:
        _device(at, piece)
    for piece in sorted(hosted, key=lambda each: each.hosted is None):
        programs.settle(at, piece, at.gear[piece.id])
        _syncs(at, piece)


def _come_new(at: UnderWay, piece: AnyGear) -> None:
    """A piece that is not here: added under a free name; a program as an empty one, which is filled afterwards."""
    name = free_name(piece.name, (gear.name for gear in at.rig.gear))
    new: AnyGear
    if isinstance(piece, Program):
        at.rig, (identity,) = new_ids(at.rig, ID_PREFIX["program"], 1)
        new = programs.bare(piece, identity, name)
    else:
        at.rig, new = renewed(at.rig, piece)
        new = new.model_copy(update={"name": name})
    at.rig = with_gear(at.rig, new)
    at.gear[piece.id] = new.id
    at.new.add(new.id)
    at.tell(new, "settings", name, "new")


def _follow(at: UnderWay, piece: Interface, leader: str) -> None:
    """A cable that came new follows what stands here for the device that it followed."""
    here = gear_of(at.rig, at.gear[piece.id], Interface)
    if leader in at.gear:
        update = {"follows": at.gear[leader], "clock_source": piece.clock_source}
        at.rig = with_gear(at.rig, here.model_copy(update=update))


def _members(at: UnderWay, piece: Aggregate) -> None:
    """The boxes of a device of several: those that stand here for the part's, in its order."""
    here = gear_of(at.rig, at.gear[piece.id], Aggregate)
    if not at.wants("settings"):
        return
    members: list[Member] = []
    absent: list[str] = []
    for member in piece.members:
        box = at.gear.get(member.device)
        if box is None:
            absent.append(at.old.name(member.device))
        elif box not in {each.device for each in members}:
            driver = _driver(at, box, member.driver)
            members.append(Member(device=box, driver=driver, matched=member.matched))
    fields = ("buffer_samples", "margin_samples", "align", "matches")
    update = {"members": tuple(members), **{name: getattr(piece, name) for name in fields}}
    update["master"] = at.gear.get(piece.master or "")
    new = here.model_copy(update=update)
    opened = [program.name for program in at.found.programs() if program.device == here.id]
    why = f"{', '.join(absent)} not here" if absent else ""
    if here.id in at.new:
        at.rig = with_gear(at.rig, new)
        if why:
            at.tell(here, "settings", "its boxes", "left out", why)
    elif new == here:
        at.tell(here, "settings", "its boxes", "same")
    elif opened and not at.asked.over_used:
        at.tell(here, "settings", "its boxes", "stays", f"{opened[0]} opens it")
    else:
        # The names of programs on it follow their boxes, as after any change of its members.
        at.rig = names_followed(at.rig, with_gear(at.rig, new))
        at.tell(here, "settings", "its boxes", "set", why)


def _device(at: UnderWay, piece: Program) -> None:
    """Give a program that has no device the one that stands here for the part's, or its place in its leader."""
    here = gear_of(at.rig, at.gear[piece.id], Program)
    if not at.wants("settings") or here.device is not None or here.hosted is not None:
        return
    leader = at.gear.get(piece.hosted.leader) if piece.hosted is not None else None
    if piece.hosted is not None and leader is not None:
        hosted = piece.hosted.model_copy(update={"leader": leader})
        at.rig = with_gear(at.rig, here.model_copy(update={"hosted": hosted}))
        return
    device, out = (at.gear.get(each or "") for each in (piece.device, piece.output_device))
    if device is None:
        if piece.device is not None:
            at.tell(here, "settings", "its device", "left out", f"{at.old.name(piece.device)} is not here")
        return
    update = {
        "device": device,
        "driver": _driver(at, device, piece.driver),
        "output_device": out,
        "output_driver": _driver(at, out, piece.output_driver),
    }
    new = here.model_copy(update=update)
    before = at.found.opened.get(here.id)
    rig = with_gear(at.rig, new)
    # Its channels are enabled as its inputs and outputs come in.
    at.rig = with_gear(rig, rehung(new, before, index(rig).opened.get(new.id))) if here.id not in at.new else rig
    if here.id not in at.new:
        at.tell(new, "settings", "its device", "set", at.found.name(device))


def _driver(at: UnderWay, device: str | None, driver: str | None) -> str | None:
    """The driver of the same kind that the box here has."""
    box = at.found.gear.get(device or "")
    if driver is None or not isinstance(box, Interface):
        return None
    kind = at.old.drivers[driver][1].kind
    return next((each.id for each in box.drivers if each.kind == kind), None)


def _syncs(at: UnderWay, piece: Program) -> None:
    """The links by which it hears programs that are here, if it hears them by none yet."""
    here = gear_of(at.rig, at.gear[piece.id], Program)
    if not at.wants("settings"):
        return
    heard = {link.sender for link in here.syncs}
    links: list[SyncLink] = []
    for link in piece.syncs:
        sender = at.gear.get(link.sender)
        if sender is not None and sender not in heard and sender != here.id:
            at.rig, (identity,) = new_ids(at.rig, "y", 1)
            links.append(link.model_copy(update={"id": identity, "sender": sender}))
            heard.add(sender)
    if links:
        here = gear_of(at.rig, here.id, Program)
        at.rig = with_gear(at.rig, here.model_copy(update={"syncs": (*here.syncs, *links)}))


def _port(at: UnderWay, port: Port) -> Port | None:
    """The port here that stands for one of the part's; None if there is none."""
    fit = at.fits.get((port.owner, port.bank), {})
    if port.number in fit:
        to = fit[port.number]
        return Port(at.gear[port.owner], port.bank, to) if to is not None else None
    owner = at.items.get(port.owner) or at.gear.get(port.owner)
    moved = Port(owner, port.bank, port.number) if owner is not None else None
    return moved if moved is not None and at.found.exists(moved) else None


def _leads(at: UnderWay) -> None:
    """Leads between pieces, as far as both ends are here and the socket is free."""
    plugged = {patch.to_port: patch for patch in at.rig.patches}
    patches: list[Patch] = []
    for patch in at.old.rig.patches:
        start, end = _port(at, patch.from_port), _port(at, patch.to_port)
        owner = at.old.owner(patch.to_port)
        here = at.found.gear[at.gear[owner.id]] if owner.id in at.gear else owner
        name = f"{at.old.say(patch.from_port)} → {at.old.say(patch.to_port)}"
        if start is None or end is None:
            at.tell(here, "leads", name, "left out", "one of its ends has no place here")
            continue
        if end in plugged and plugged[end].from_port == start:
            at.tell(here, "leads", name, "same")
            continue
        new = patch.model_copy(update={"from_port": start, "to_port": end})
        trouble = patch_trouble(at.found, new, plugged)
        if trouble is not None:
            taken = f"{at.found.say(plugged[end].from_port)} is plugged in there" if end in plugged else trouble.reason
            at.tell(here, "leads", name, "stays" if end in plugged else "left out", taken)
            continue
        at.rig, (identity,) = new_ids(at.rig, "w", 1)
        new = new.model_copy(update={"id": identity})
        plugged[end] = new
        patches.append(new)
        at.tell(here, "leads", name, "new")
    if patches:
        at.rig = at.rig.model_copy(update={"patches": (*at.rig.patches, *patches)})


def _named(at: UnderWay, named: tuple[str, ...]) -> tuple[str, ...]:
    """Find in this rig what a line of the part names on its way; what is not here is left out."""
    here = (each if each == COMPUTER else at.items.get(each) or at.gear.get(each) for each in named)
    return tuple(each for each in here if each is not None and (each == COMPUTER or at.found.holds(each)))


def _lines(at: UnderWay) -> None:
    """Lines whose ends are all here and that nobody has asked for yet."""
    asked = {(line.from_ports, line.to_ports) for line in at.rig.lines}
    names = [line.name for line in at.rig.lines]
    lines = []
    for line in at.old.rig.lines:
        starts = tuple(_port(at, port) for port in line.from_ports)
        ends = tuple(_port(at, port) for port in line.to_ports)
        gear = at.found.gear[at.gear[at.old.gear_of(line.from_ports[0].owner)]] if line.from_ports else None
        place = gear or at.found.gear[at.gear[at.asked.part.pieces[0]]]
        if None in starts or None in ends:
            at.tell(place, "lines", line.name, "left out", "one of its ends is not here")
        elif (starts, ends) in asked:
            at.tell(place, "lines", line.name, "same")
        else:
            at.rig, (identity,) = new_ids(at.rig, "l", 1)
            name = free_name(line.name, names)
            names.append(name)
            update = {
                **{"id": identity, "name": name, "from_ports": starts, "to_ports": ends},
                **{"through": _named(at, line.through), "never_by": _named(at, line.never_by)},
            }
            lines.append(line.model_copy(update=update))
            at.tell(place, "lines", name, "new")
    at.rig = at.rig.model_copy(update={"lines": (*at.rig.lines, *lines)})


@apply_one.register
def _(edit: e.BringIn, rig: Rig) -> Applied:
    brought = bring(rig, edit)
    counts = Counter(row.does for row in brought.rows)
    said = [f"{counts[does]} {words}" for does, words in SAID.items() if counts[does]]
    # Nothing to be done is no mistake: everything is here already.
    return Applied(brought.rig, f"brought in {edit.part.name}: {', '.join(said) or 'all of it was here'}")
