"""Does a rig hold together? Every reference leads somewhere, every name is its own, every lead fits."""

from collections.abc import Iterable, Iterator, Mapping
from string import ascii_lowercase

from iskelo.core.rig.check_mixer import Faulty, check_mixer
from iskelo.core.rig.check_programs import check_driver, check_program
from iskelo.core.rig.device_streams import CHANNELS_AT_MOST
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import BANK_WORDS, CLOCK_BANKS, Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import COMPUTER, Broken, Item, Line, Patch, Rig

LEADS = {
    ("out", "jack_in"),
    ("out", "outboard_in"),
    ("jack_out", "in"),
    ("jack_out", "jack_in"),
    ("jack_out", "outboard_in"),
    ("outboard_out", "in"),
    ("outboard_out", "jack_in"),
    ("outboard_out", "outboard_in"),
    ("word_out", "word_in"),
    ("optical_out", "optical_in"),
}
"""Which banks a lead may join."""

LINE_STARTS = ("out", "voice")
LINE_ENDS = {"record": ("track",), "listen": ("in", "track")}
"""Of a program's tracks those that are ears are listened at, all others record."""


def check(rig: Rig, before: Rig | None = None) -> Index:
    """Return the rig's look-ups if it holds together.

    ``before``: a rig that does; what a box has inside is not asked again where it is the same box.

    Raises
    ------
    Broken
        With the place and the reason, in a technician's words.
    """
    found = index(rig)
    _ids(rig)
    _names(rig)
    _sized(rig, found)
    known = {id(gear) for gear in before.gear} if before is not None else set()
    for box in found.boxes:
        if id(box) not in known:
            _mixer(box)
        _follows(box, found)
    for aggregate in found.aggregates:
        _aggregate(aggregate, found)
    for program in found.programs():
        check_program(program, found)
    _patches(rig, found)
    _lines(rig, found)
    return found


def lead_refusal(found: Index, start: Port, end: Port) -> str | None:
    """Why no lead can join these two ports, with what would work instead; None if one can."""
    for port in (start, end):
        if port.owner not in found.gear and port.owner not in found.items:
            return f"there is no gear {port.owner!r} in this rig"
        if not found.exists(port):
            size = found.bank_size(port.owner, port.bank)
            if port.bank in CLOCK_BANKS:
                return f"{found.name(port.owner)} has no {_bank_words(port)}"
            return f"there is no {_bank_words(port)} {port.number} on {found.name(port.owner)}; it has {size}"
    if (start.bank, end.bank) not in LEADS:
        return (
            f"a lead cannot join {found.say(start)} to {found.say(end)}; plug a source into an input jack or outboard "
            "gear, and an output jack into a destination, outboard gear or an input jack"
        )
    if start.bank in CLOCK_BANKS and start.owner == end.owner:
        return f"{found.name(start.owner)} cannot lead itself"
    return None


def _bank_words(port: Port) -> str:
    return BANK_WORDS[port.bank] or port.bank.replace("_", " ")


def _unique(entries: Iterable[tuple[str, str]], what: str, many: str) -> None:
    seen: dict[str, str] = {}
    for name, place in entries:
        key = name.casefold()
        if key in seen:
            raise Broken(place, f"the name {name!r} is taken by another {what}; names of {many} must differ")
        seen[key] = place


ITEMS_MAX = 20_000
NOTES_MAX = 1_000_000
LARGE = 1_500_000
DOCUMENT_MAX_BYTES, DOCUMENT_MAX_VALUES = 6_000_000, 900_000


def _sized(rig: Rig, found: Index) -> None:
    """What each part may hold is bounded by the model; here all of them together, so that a file holds any rig.

    The document is only written, to be measured, where it could be too large at all: a piece of gear takes some 700
    characters, an item 250, a lead 200, a line 400, what a box has many of 60.
    """
    if len(found.items) > ITEMS_MAX:
        raise Broken(
            rig.name,
            f"its programs hold {len(found.items)} inputs, tracks, voices, buses, outputs and sends together; "
            f"there can be {ITEMS_MAX} at most",
        )
    notes = sum(len(each.notes) for each in (*rig.gear, *rig.lines))
    if notes > NOTES_MAX:
        raise Broken(rig.name, f"all its notes together hold {notes} characters; there can be {NOTES_MAX} at most")
    many = sum(sum(1 for _ in box.mixer.items()) * 5 if box.mixer is not None else 0 for box in found.boxes) + sum(
        len(box.direct) + len(box.trims_db) + len(box.output_trims_db) + sum(len(each.offsets) for each in box.drivers)
        for box in found.boxes
    )
    rough = 700 * len(rig.gear) + 250 * len(found.items) + 200 * len(rig.patches) + 400 * len(rig.lines)
    if rough + 60 * many + 4 * notes < LARGE:
        return
    document = rig.model_dump_json()
    values = sum(document.count(each) for each in ",{[")
    if len(document.encode()) > DOCUMENT_MAX_BYTES or values > DOCUMENT_MAX_VALUES:
        raise Broken(rig.name, f"the rig has grown too large to be kept ({len(document) / 1e6:.1f} million characters)")


def _ids(rig: Rig) -> None:
    every = list(_ids_of(rig))
    if len(set(every)) < len(every) or max(map(_number, every), default=0) >= rig.next_number:
        _bad_id(rig)


def _number(identity: str) -> int:
    return int(identity.lstrip(ascii_lowercase))


def _ids_of(rig: Rig) -> Iterator[str]:
    for gear in rig.gear:
        yield gear.id
        if isinstance(gear, Program):
            for items in (gear.inputs, gear.tracks, gear.voices, gear.buses, gear.outputs, gear.sends, gear.syncs):
                yield from (item.id for item in items)
        if isinstance(gear, Interface):
            yield from (driver.id for driver in gear.drivers)
            if gear.mixer is not None:
                yield from (item.id for item in gear.mixer.items())
    yield from (patch.id for patch in rig.patches)
    yield from (line.id for line in rig.lines)


def _bad_id(rig: Rig) -> None:
    seen: set[str] = set()
    found = [(gear.id, gear.name) for gear in rig.gear]
    for gear in rig.gear:
        if isinstance(gear, Program):
            items: tuple[Item, ...] = (
                *gear.inputs,
                *gear.tracks,
                *gear.voices,
                *gear.buses,
                *gear.outputs,
                *gear.sends,
                *gear.syncs,
            )
            found += [(item.id, f"{gear.name}, {item.name}") for item in items]
        if isinstance(gear, Interface):
            found += [(driver.id, f"{gear.name}, driver") for driver in gear.drivers]
            if gear.mixer is not None:
                found += [(each.id, f"{gear.name}, {getattr(each, 'name', 'feed')}") for each in gear.mixer.items()]
    found += [(patch.id, f"lead {patch.id}") for patch in rig.patches]
    found += [(line.id, f"line {line.name}") for line in rig.lines]
    for identity, place in found:
        if identity in seen:
            raise Broken(place, f"the id {identity!r} is used twice")
        seen.add(identity)
        if _number(identity) >= rig.next_number:
            raise Broken(place, f"the id {identity!r} is not below next_number, {rig.next_number}")


def _names(rig: Rig) -> None:
    _unique(((gear.name, gear.name) for gear in rig.gear), "piece of gear", "gear")
    _unique(((line.name, f"line {line.name}") for line in rig.lines), "line", "lines")


def _mixer(box: Interface) -> None:
    try:
        check_mixer(box)
    except Faulty as fault:
        raise Broken(f"{box.name}, {fault.what}", fault.reason) from fault


def _follows(box: Interface, found: Index) -> None:
    if box.follows is None:
        return
    leader = found.gear.get(box.follows)
    if not isinstance(leader, Interface):
        raise Broken(box.name, f"{box.follows!r}, which it follows, is no interface of this rig")
    if leader is box:
        raise Broken(box.name, "it cannot follow itself")


def _aggregate(aggregate: Aggregate, found: Index) -> None:
    total = {"capture": 0, "playback": 0}
    if aggregate.master is not None and not isinstance(found.gear.get(aggregate.master), Interface):
        raise Broken(aggregate.name, f"its clock master {aggregate.master!r} is no interface of this rig")
    for member in aggregate.members:
        box = found.gear.get(member.device)
        if not isinstance(box, Interface):
            raise Broken(aggregate.name, f"its member {member.device!r} is no interface of this rig")
        check_driver(f"{aggregate.name}, {box.name}", member.driver, box)
        total = {"capture": total["capture"] + box.capture, "playback": total["playback"] + box.playback}
    for bank, channels in total.items():
        if channels > CHANNELS_AT_MOST:
            raise Broken(aggregate.name, f"its members have {channels} {bank} channels; {CHANNELS_AT_MOST} is the most")


def _patch_place(found: Index, patch: Patch) -> str:
    ends = [found.say(p) if found.exists(p) else str(list(p)) for p in (patch.from_port, patch.to_port)]
    return f"lead from {ends[0]} to {ends[1]}"


def _patches(rig: Rig, found: Index) -> None:
    plugged: dict[Port, Patch] = {}
    for patch in rig.patches:
        refusal = lead_refusal(found, patch.from_port, patch.to_port)
        if refusal:
            raise Broken(_patch_place(found, patch), refusal)
        if patch.to_port in plugged:
            raise Broken(_patch_place(found, patch), _taken(found, patch, plugged[patch.to_port]))
        plugged[patch.to_port] = patch
    for patch in rig.patches:
        if patch.from_port.bank == "outboard_out":
            _fed_by_a_box(found, patch, plugged)


def _fed_by_a_box(found: Index, patch: Patch, plugged: Mapping[Port, Patch]) -> None:
    """What leaves outboard gear comes from somewhere else, and has met the computer before anybody hears it."""
    at: Port | None = patch.from_port
    met: set[Port] = set()
    while at is not None and at.bank == "outboard_out":
        if at in met:
            raise Broken(_patch_place(found, patch), "these leads go in a circle of their own that nothing feeds")
        met.add(at)
        before = plugged.get(Port(at.owner, "outboard_in", at.number))
        at = before.from_port if before is not None else None
    if at is not None and at.bank == "out" and patch.to_port.bank == "in":
        raise Broken(
            _patch_place(found, patch),
            f"{found.say(at)} would be heard without meeting the computer, which is not worked out here; "
            "plug one end into a box",
        )


def patch_trouble(found: Index, patch: Patch, plugged: Mapping[Port, Patch]) -> Broken | None:
    """Why a lead cannot be added to those that are ``plugged``, by where they end; None if it can."""
    reason = lead_refusal(found, patch.from_port, patch.to_port)
    other = plugged.get(patch.to_port)
    if reason is None and other is not None:
        reason = _taken(found, patch, other)
    return Broken(_patch_place(found, patch), reason) if reason else None


def _taken(found: Index, patch: Patch, other: Patch) -> str:
    if other.from_port == patch.from_port:
        return "the two are joined already"
    return f"{found.say(patch.to_port)} already takes {found.say(other.from_port)}; unplug that first"


def _lines(rig: Rig, found: Index) -> None:
    for line in rig.lines:
        place = f"line {line.name}"
        sides = (("from", line.from_ports, LINE_STARTS), ("to", line.to_ports, LINE_ENDS[line.purpose]))
        for side, ports, banks in sides:
            if len(set(ports)) != len(ports):
                raise Broken(place, f"it names the same port twice on its {side} side")
            for port in ports:
                if not found.exists(port):
                    raise Broken(place, f"its {side} port {list(port)} is not in this rig")
                if port.bank not in banks or (
                    port.bank == "track" and found.is_ear(port) != (line.purpose == "listen")
                ):
                    raise Broken(place, _wrong_end(line.purpose, side, found.say(port)))
        if len(line.from_ports) > 2 or line.mixed:
            _mixed(line, found)
        if line.through or line.never_by:
            _way(line, found)


def _mixed(line: Line, found: Index) -> None:
    """Of several sources each has one sound or its two sides, and the line says that they are mixed."""
    place = f"line {line.name}"
    if not line.mixed:
        raise Broken(place, f"it begins at {len(line.from_ports)} ports; several sources are wanted mixed, say so")
    wide = next((sound for sound in line.sounds() if len(sound) > 2), None)
    if wide is not None:
        raise Broken(place, f"it takes {len(wide)} ports of {found.name(wide[0].owner)}; a sound has two sides at most")


def _way(line: Line, found: Index) -> None:
    """What a line names on its way is there, is none of its ends, and can be done."""
    place = f"line {line.name}"
    named = (*line.through, *line.never_by)
    ends = {port.owner for port in (*line.from_ports, *line.to_ports)}
    for each in named:
        if each == COMPUTER:
            continue
        if not found.holds(each):
            raise Broken(place, f"it names {each!r} on its way, which is not in this rig")
        if named.count(each) > 1:
            raise Broken(place, f"it names {found.whole_name(each)} twice on its way")
        if each in ends or not found.passable(each):
            raise Broken(place, f"{found.whole_name(each)} is where lines begin or end; say what lies between")
    if COMPUTER in line.never_by:
        inside = [end for end in ends if end in found.items]
        inside += [each for each in line.through if isinstance(found.gear.get(each), Program) or each in found.items]
        if inside:
            raise Broken(place, f"{found.whole_name(inside[0])} is in the computer, which it should never pass")


def _wrong_end(purpose: str, side: str, said: str) -> str:
    if side == "from":
        return f"a line begins at a source or a program's voice; {said} is none"
    if purpose == "record":
        return f"a record line ends at a track; {said} is none"
    return f"a listen line ends at headphones, at another destination or at a far end's ear; {said} is none"
