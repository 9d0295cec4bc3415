"""A part's program brought into one that is here: its items one by one, what is in use left alone."""

from functools import partial
from typing import Any

from iskelo.core.edits.base import free_name, gear_of, new_ids, pruned, with_gear
from iskelo.core.edits.parts.under_way import Does, Fit, UnderWay
from iskelo.core.edits.parts.users import users
from iskelo.core.edits.renewing import DEVICE_FIELDS, OUTPUT_CHOICES
from iskelo.core.rig.device_streams import Bank
from iskelo.core.rig.index import index, leg_letter
from iskelo.core.rig.part import PartKind
from iskelo.core.rig.programs import Bus, Meant, Program, ProgramInsert, ProgramPort, Send, Track, Voice
from iskelo.core.rig.text import few

ITEMS: tuple[tuple[PartKind, str, str], ...] = (
    ("inputs", "inputs", "i"),
    ("outputs", "outputs", "o"),
    ("buses", "buses", "u"),
    ("voices", "voices", "v"),
    ("tracks", "tracks", "t"),
)
"""Kinds of a part, the field of a program that holds them, and what their ids begin with."""

ProgramItem = ProgramPort | Track | Voice | Bus
_LISTS = (*(field for _, field, _ in ITEMS), "sends", "syncs")
SETTINGS = tuple(
    name
    for name in Program.model_fields
    if name
    not in (*_LISTS, *DEVICE_FIELDS, *OUTPUT_CHOICES, "kind", "id", "name", "hosted", "enabled_in", "enabled_out")
)
"""The fields that say how a program works, whatever is in it and wherever it runs."""

REFERENCES = ("input", "output", "far_end")
BANKS: dict[str, Bank] = {"inputs": "capture", "outputs": "playback"}


def width_of(item: ProgramItem) -> int:
    return len(item.legs) if isinstance(item, ProgramPort) else item.width


def settle(at: UnderWay, piece: Program, here: str) -> None:
    """Bring a part's program into the one with the id ``here``, kind by kind."""
    program = gear_of(at.rig, here, Program)
    used = users(program, at.found)
    _settings(at, piece, program, used)
    wanted: list[tuple[str, PartKind, list[ProgramItem]]] = []
    taken: set[str] = set()
    for kind, field, prefix in ITEMS:
        if at.wants(kind):
            wanted.append((field, kind, _matched(at, piece, here, (kind, field, prefix), used, taken)))
        else:
            _by_name(at, getattr(piece, field), getattr(program, field))
    for field, kind, items in wanted:
        fit = _channels(at, piece, here, (field, BANKS[field]), items) if field in BANKS else {}
        _put(at, piece, here, (kind, field), items, fit)
    _choices(at, piece, here)
    _sends(at, piece, here, {item.id for _, _, items in wanted for item in items})
    _not_needed(at, here, taken)


def _settings(at: UnderWay, piece: Program, program: Program, used: dict[str, list[str]]) -> None:
    if not at.wants("settings"):
        return
    values = {name: getattr(piece, name) for name in SETTINGS}
    if all(getattr(program, name) == value for name, value in values.items()):
        at.tell(program, "settings", "how it works", "same")
    elif used and program.id not in at.new and not at.asked.over_used:
        at.tell(program, "settings", "how it works", "stays", "the program is in use")
    else:
        at.rig = with_gear(at.rig, program.model_copy(update=values))
        at.tell(program, "settings", "how it works", "set" if program.id not in at.new else "new")


def _choices(at: UnderWay, piece: Program, here: str) -> None:
    """Where what is added goes, solo is heard and files are auditioned: taken over where nobody has chosen yet."""
    program = gear_of(at.rig, here, Program)
    if not at.wants("settings"):
        return
    chosen = {
        choice: at.items[wanted]
        for choice in OUTPUT_CHOICES
        if (wanted := getattr(piece, choice)) in at.items
        and (getattr(program, choice) is None or at.asked.over_used)
        and getattr(program, choice) != at.items[wanted]
    }
    if chosen:
        at.rig = with_gear(at.rig, program.model_copy(update=chosen))
        at.tell(program, "settings", "its choices of outputs", "new" if here in at.new else "set")


def _matched(
    at: UnderWay,
    piece: Program,
    here: str,
    what: tuple[PartKind, str, str],
    used: dict[str, list[str]],
    taken: set[str],
) -> list[ProgramItem]:
    """Match one kind of items by name and width; gives those of the part that are to be put, under their new ids."""
    kind, field, prefix = what
    program = gear_of(at.rig, here, Program)
    items: tuple[ProgramItem, ...] = getattr(program, field)
    put: list[ProgramItem] = []
    for number, item in enumerate(getattr(piece, field), start=1):
        alike = [each for each in items if each.id not in taken and each.name.casefold() == item.name.casefold()]
        same = next((each for each in alike if width_of(each) == width_of(item)), None)
        if same is None:
            names = [each.name for each in (*items, *put)]
            name = free_name(item.name, names) if alike else item.name
            at.rig, (identity,) = new_ids(at.rig, prefix, 1)
            width = "mono" if alike and width_of(alike[0]) == 1 else "stereo"
            at.tell(program, kind, name, "new", f"{alike[0].name} is {width} here" if alike else "")
            at.items[item.id] = identity
            put.append(item.model_copy(update={"name": name}))
            continue
        taken.add(same.id)
        at.items[item.id] = same.id
        by = used.get(same.id, [])
        where = items.index(same) + 1
        told = f"number {where} here, {number} in the part" if where != number else ""
        if by and not at.asked.over_used:
            at.tell(program, kind, same.name, "stays", "; ".join(each for each in (f"in use: {few(by)}", told) if each))
        else:
            at.tell(program, kind, same.name, "set", told)
            put.append(item.model_copy(update={"name": same.name}))
    return put


def _by_name(at: UnderWay, old: tuple[ProgramItem, ...], here: tuple[ProgramItem, ...]) -> None:
    """What is not brought in stands for what has its name and width here, so that others can refer to it."""
    for item in old:
        same = (each for each in here if each.name.casefold() == item.name.casefold())
        found = next((each for each in same if width_of(each) == width_of(item)), None)
        if found is not None:
            at.items[item.id] = found.id


def _channels(at: UnderWay, piece: Program, here: str, side: tuple[str, Bank], items: list[ProgramItem]) -> Fit:
    """Fit the channels of the inputs or outputs to be put to the device here."""
    field, bank = side
    used: dict[int, str] = {}
    for item in items:
        if isinstance(item, ProgramPort) and item.returns is None:
            for leg, channel in enumerate(item.legs, start=1):
                if channel is not None:
                    used.setdefault(channel, f"{item.name}{leg_letter(leg, len(item.legs))}")
    program = gear_of(at.rig, here, Program)
    device = at.found.device(program)
    size = device.channels(bank) if device is not None else None
    put, in_use = {at.items[item.id] for item in items}, users(program, at.found)
    others: dict[int, str] = {}
    for other in getattr(program, field):
        if other.id in in_use and other.id not in put:
            others |= {leg: other.name for leg in other.legs if leg is not None}
    return at.fit((piece, program), bank, size, used, partial(_place, at, piece, program, bank), others)


def _place(at: UnderWay, piece: Program, here: Program, bank: Bank, channel: int) -> tuple[int | None, str]:
    """The channel of the device here for one of the part's: that of the same box, else the same number."""
    before, now = at.old.opened.get(piece.id), at.found.opened.get(here.id)
    if now is None:
        return channel, "no device here yet"
    there = before.at(bank, channel) if before is not None else None
    if before is not None and there is None:
        return channel, f"beyond the last of {before.device.name}, as it was"
    if before is not None and there is not None:
        reached = [way for way in before.ways if now.to(bank, at.gear.get(way.box.id, "")) is not None]
        if reached:
            box = at.gear.get(there[0].box.id)
            to = now.channel(bank, box, there[1]) if box is not None else None
            told = "the same box and number" if to is not None else f"{there[0].box.name} is not among what it opens"
            return to, told
    size = now.device.channels(bank)
    if channel <= size:
        return channel, "the same number"
    return None, f"{now.device.name} has {size} {bank} channels"


def _put(
    at: UnderWay, piece: Program, here: str, what: tuple[PartKind, str], items: list[ProgramItem], fit: Fit
) -> None:
    """Put items, each under its id here, with what they refer to by what stands for it."""
    kind, field = what
    program = gear_of(at.rig, here, Program)
    there: dict[str, ProgramItem] = {item.id: item for item in getattr(program, field)}
    enabled: set[int] = set()
    same_box = piece.device is not None and program.device == at.gear.get(piece.device)
    for item in items:
        identity = at.items[item.id]
        now = there.get(identity)
        update: dict[str, Any] = {"id": identity}
        if isinstance(item, ProgramPort):
            legs = tuple(fit.get(leg) if leg is not None else None for leg in item.legs)
            enabled |= {leg for leg in legs if leg is not None}
            meant = now.meant if isinstance(now, ProgramPort) and now.legs == legs else ()
            if now is None and same_box:
                meant = _meant(at, item)
            update |= {"legs": legs, "meant": meant, "returns": at.items.get(item.returns or "")}
        else:
            # What the part does not say, or what has no place here, takes nothing away.
            update |= {
                name: at.items.get(getattr(item, name) or "") or getattr(now, name, None)
                for name in REFERENCES
                if name in type(item).model_fields
            }
        if isinstance(item, Track):
            update["straight"] = now.straight if isinstance(now, Track) and now.output == update["output"] else None
        if isinstance(item, Track | Bus) and item.insert is not None:
            update["insert"] = _insert(
                at, item, now.insert if isinstance(now, Track | Bus) else None, same_box=same_box
            )
        new = item.model_copy(update=update)
        if now == new:
            at.retell(program, kind, item.name, "same")
        there[identity] = new
    fields: dict[str, Any] = {field: tuple(there.values())}
    if field in BANKS:
        side = "enabled_in" if field == "inputs" else "enabled_out"
        if here in at.new:
            placed = (_place(at, piece, program, BANKS[field], channel)[0] for channel in getattr(piece, side))
            enabled |= {channel for channel in placed if channel is not None}
        on: tuple[int, ...] = getattr(program, side)
        more = sorted(enabled - set(on))
        room = len(more) if program.channels_at_most is None else max(0, program.channels_at_most - len(on))
        fields[side] = tuple(sorted((*on, *more[:room])))
    at.rig = with_gear(at.rig, program.model_copy(update=fields))


def _meant(at: UnderWay, item: ProgramPort) -> tuple[Meant | None, ...]:
    """What its legs stood for before numbers moved, by the boxes here."""
    meant = tuple(
        Meant(box=at.gear[each.box], channel=each.channel) if each is not None and each.box in at.gear else None
        for each in item.meant
    )
    return meant if any(meant) else ()


def _insert(at: UnderWay, item: Track | Bus, now: ProgramInsert | None, *, same_box: bool) -> ProgramInsert | None:
    """What hangs in it, if both its ends have come along.

    A round trip is true of the box where it was measured: what is known here is kept, and what the part knows comes
    along with that box alone.
    """
    insert = item.insert
    if insert is None or not {insert.send, insert.back} <= at.items.keys():
        return None
    ends = (at.items[insert.send], at.items[insert.back])
    held = insert.held if same_box else None
    if now is not None and (now.send, now.back) == ends:
        held = now.held
    return insert.model_copy(update={"send": ends[0], "back": ends[1], "held": held})


def _sends(at: UnderWay, piece: Program, here: str, put: set[str]) -> None:
    """The sends of what was put, as far as they lead somewhere here and are not there already."""
    program = gear_of(at.rig, here, Program)
    known = {(send.item, send.to, send.tap) for send in program.sends}
    sends: list[Send] = []
    for send in piece.sends:
        ends = (at.items.get(send.item), at.items.get(send.to))
        if send.item in put and None not in ends and (*ends, send.tap) not in known and ends[0] != ends[1]:
            at.rig, (identity,) = new_ids(at.rig, "e", 1)
            sends.append(send.model_copy(update={"id": identity, "item": ends[0], "to": ends[1]}))
            known.add((str(ends[0]), str(ends[1]), send.tap))
    if sends:
        program = gear_of(at.rig, here, Program)
        at.rig = with_gear(at.rig, program.model_copy(update={"sends": (*program.sends, *sends)}))


def _not_needed(at: UnderWay, here: str, taken: set[str]) -> None:
    """What the part does not have and nobody uses: told, and removed if that is asked for.

    Tracks first, inputs last: what only an idle track takes is idle too.
    """
    brought = taken | set(at.items.values())
    rig = at.rig
    for kind, field, _ in reversed(ITEMS):
        program = gear_of(rig, here, Program)
        used = users(program, index(rig))
        items: tuple[ProgramItem, ...] = getattr(program, field)
        idle = {item.id for item in items if item.id not in brought and item.id not in used and not _returned(item)}
        if not at.wants(kind) or not idle:
            continue
        for item in items:
            if item.id in idle:
                does: Does = "removed" if at.asked.remove_unused else "not needed"
                at.tell(program, kind, item.name, does, "nobody uses it")
        kept = tuple(item for item in items if item.id not in idle)
        sends = tuple(send for send in program.sends if send.item not in idle)
        rig, _ = pruned(with_gear(rig, program.model_copy(update={field: kept, "sends": sends})), rig)
    if at.asked.remove_unused:
        at.rig = rig


def _returned(item: ProgramItem) -> bool:
    return isinstance(item, ProgramPort) and item.returns is not None


def bare(piece: Program, identity: str, name: str) -> Program:
    """A new program of the same make with nothing in it yet; what it holds is brought in afterwards."""
    empty = dict.fromkeys((*_LISTS, "enabled_in", "enabled_out"), ())
    alone = dict.fromkeys((*DEVICE_FIELDS, *OUTPUT_CHOICES, "hosted"))
    return piece.model_copy(update={**empty, **alone, "id": identity, "name": name})
