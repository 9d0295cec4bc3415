"""What every edit shares: the refusal, ids from the rig's counter, and putting a changed piece back."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import ValidationError

from iskelo.core.edits.settable import SETTABLE
from iskelo.core.rig.check import check
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, Track, Voice
from iskelo.core.rig.rig import COMPUTER, AnyGear, Broken, Line, Patch, Rig
from iskelo.core.rig.value import Value

V = TypeVar("V", bound=Value)

IDS_AHEAD = 100_000
"""Ids that come from outside may run so far ahead of the counter; a greater one would use it up at one stroke."""
NUMBER_MAX = 999_999_999


class Refused(ValueError):
    """An edit that would break the rig: the place and the reason, in a technician's words."""

    def __init__(self, place: str, reason: str) -> None:
        super().__init__(f"{place}: {reason}")
        self.place = place
        self.reason = reason


@dataclass(frozen=True, slots=True)
class Applied:
    """The rig after an edit, and what was done, in words."""

    rig: Rig
    words: str


PLAINLY: dict[str, str] = {
    "greater_than_equal": "it must be {ge} or more",
    "greater_than": "it must be more than {gt}",
    "less_than_equal": "it must be {le} or less",
    "less_than": "it must be less than {lt}",
    **dict.fromkeys(("int_type", "int_parsing", "int_from_float"), "it must be a whole number"),
    **dict.fromkeys(("float_type", "float_parsing", "finite_number"), "it must be a number"),
    **dict.fromkeys(("bool_type", "bool_parsing"), "it must be on or off"),
    **dict.fromkeys(("dict_type", "model_type"), "it should be an object, with its fields by name"),
    "tuple_type": "it must be a list",
    "string_type": "it must be text",
    "too_long": "there can be {max_length} at most",
    "too_short": "there must be {min_length} at least",
}
"""What a technician is told, by the kind of complaint of the validating library and what it says of it."""


def plainly(kind: str, context: Mapping[str, Any], message: str) -> str:
    """A complaint of the validating library in plain words; what it has no plain words for keeps its own."""
    if kind in PLAINLY:
        figures = {name: f"{value:g}" if isinstance(value, float) else value for name, value in context.items()}
        return PLAINLY[kind].format_map(figures)
    said = message.removeprefix("Value error, ")
    return said[:1].lower() + said[1:]


def first_reason(error: ValidationError) -> tuple[tuple[str | int, ...], str]:
    """The first complaint of a validation: where in the document, and the reason in plain words."""
    complaint = error.errors(include_url=False)[0]
    return complaint["loc"], plainly(complaint["type"], complaint.get("ctx", {}), str(complaint["msg"]))


def path_of(place: tuple[str | int, ...]) -> str:
    """A place in a document, as a file's reader is told it: 'gear › 3 › capture'."""
    return " › ".join(map(str, place))


def _place(kind: type[Value], place: str, field: tuple[str | int, ...]) -> str:
    """A place in the rig with the field as the screens call it: 'Longhand, load meter, number 2, percent'."""
    if not field:
        return place
    label = SETTABLE.get(kind, {}).get(str(field[0]), str(field[0]).replace("_", " "))
    further = [f"number {part + 1}" if isinstance(part, int) else part.replace("_", " ") for part in field[1:]]
    return ", ".join([place, label, *further])


def changed(value: V, place: str, /, **changes: Any) -> V:
    """The value with these fields changed and validated again; raises Refused naming the field."""
    try:
        fields = {name: getattr(value, name) for name in type(value).model_fields}
        return type(value).model_validate({**fields, **changes})
    except ValidationError as error:
        field, reason = first_reason(error)
        raise Refused(_place(type(value), place, field), reason) from None


def made(kind: type[V], place: str, /, **fields: Any) -> V:
    """A new value of this kind; raises Refused naming the field."""
    try:
        return kind.model_validate(fields)
    except ValidationError as error:
        field, reason = first_reason(error)
        raise Refused(_place(kind, place, field), reason) from None


def new_ids(rig: Rig, prefix: str, count: int, wanted: tuple[str, ...] = ()) -> tuple[Rig, list[str]]:
    """Ids for new things, and the rig with its counter moved past them; raises Refused if too few are given."""
    if wanted and len(wanted) != count:
        raise Refused("ids", f"{len(wanted)} ids for {count} new things")
    ids = list(wanted) if wanted else [f"{prefix}{rig.next_number + step}" for step in range(count)]
    numbers = [int("".join(filter(str.isdigit, each))) for each in ids]
    beyond = 1 + max(numbers, default=0)
    if beyond > rig.next_number + IDS_AHEAD:
        raise Refused("ids", f"{ids[numbers.index(beyond - 1)]} is far beyond the next free number, {rig.next_number}")
    if beyond > NUMBER_MAX:
        raise Refused("ids", "this rig has used up its numbers; export it, and number what it holds anew")
    return rig.model_copy(update={"next_number": max(rig.next_number, beyond)}), ids


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """The wanted name, or the same with the next free number behind it."""
    names = {name.casefold() for name in taken}
    if wanted.casefold() not in names:
        return wanted
    number = 2
    while f"{wanted} {number}".casefold() in names:
        number += 1
    return f"{wanted} {number}"


def with_gear(rig: Rig, gear: AnyGear) -> Rig:
    """The rig with this piece in place of the one with its id, or added behind the others."""
    if any(each.id == gear.id for each in rig.gear):
        return rig.model_copy(update={"gear": tuple(gear if each.id == gear.id else each for each in rig.gear)})
    return rig.model_copy(update={"gear": (*rig.gear, gear)})


def checked(before: Rig, after: Rig) -> Rig:
    """The rig after edits, if it keeps every limit of the model and holds together; raises Refused.

    Edits put values together out of others without asking the model, for that is quick. Here all that is not the same
    object as before is held against it, so that whatever is acknowledged can be read again.
    """
    kept = _within_limits(before, after)
    try:
        check(kept, before)
    except Broken as broken:
        raise Refused(broken.place, broken.reason) from None
    return kept


def _within_limits(before: Rig, after: Rig) -> Rig:
    known = {id(each) for field in _LISTS for each in getattr(before, field)}
    fields = {name: getattr(after, name) for name in Rig.model_fields}
    for field in _LISTS:
        fields[field] = tuple(each if id(each) in known else _again(each) for each in fields[field])
    try:
        kept = Rig.model_validate(fields)
    except ValidationError as error:
        where, reason = first_reason(error)
        raise Refused(_place(Rig, after.name, where), reason) from None
    return after if all(getattr(kept, name) is getattr(after, name) for name in _LISTS) else kept


_LISTS = ("gear", "patches", "lines")


def _again(value: V) -> V:
    """A value held against its model from the ground up; the same object if that changes nothing."""
    try:
        new = type(value).model_validate(value.model_dump())
    except ValidationError as error:
        field, reason = first_reason(error)
        raise Refused(_place(type(value), getattr(value, "name", value.__class__.__name__), field), reason) from None
    return value if new == value else new


def gear_of(rig: Rig, identity: str, kind: type[V]) -> V:
    """The piece of gear with this id and kind; raises Refused."""
    gear = next((each for each in rig.gear if each.id == identity), None)
    if not isinstance(gear, kind):
        raise Refused(identity, f"there is no {kind.__name__.lower()} with this id; it may have been removed")
    return gear


def pruned(rig: Rig, before: Rig) -> tuple[Rig, list[str]]:
    """The rig without references to what is no longer there, and what that took away, in words.

    What is gone is called what it was called in the rig ``before``: a jack that the new box never had is none of its.
    """
    words: list[str] = []
    known = index(before)
    rig = _without_idle_returns(rig, words)
    found = index(rig)
    gear: list[AnyGear] = []
    for each in rig.gear:
        if isinstance(each, Program):
            fields = {**_kept_devices(each, found, words), **_kept_ends(each, words), **_kept_syncs(each, found, words)}
            # What has not changed stays the same object: a later reading takes over what it made of it.
            update = {field: value for field, value in fields.items() if value is not getattr(each, field)}
            gear.append(each.model_copy(update=update) if update else each)
        elif isinstance(each, Aggregate):
            gear.append(_kept_members(each, found, words))
        elif isinstance(each, Interface) and each.follows is not None and each.follows not in found.gear:
            words.append(f"{each.name} runs on the computer's timer now")
            gear.append(each.model_copy(update={"follows": None, "clock_source": "computer"}))
        else:
            gear.append(each)
    patches = []
    for patch in rig.patches:
        if found.exists(patch.from_port) and found.exists(patch.to_port):
            patches.append(patch)
        else:
            words.append(say_unplugged(patch, known))
    lines = []
    for line in rig.lines:
        kept, gone = _kept_ports(found, line)
        if gone:
            words.append(f"line {line.name} loses {gone} of its ports")
        if any(each != COMPUTER and not found.holds(each) for each in (*kept.through, *kept.never_by)):
            kept = _kept_way(found, kept)
            words.append(f"line {line.name} no longer says all that it passes")
        lines.append(kept)
    update = {"gear": tuple(gear), "patches": tuple(patches), "lines": tuple(lines)}
    if all(_same(kept, getattr(rig, field)) for field, kept in update.items()):
        return rig, words
    return rig.model_copy(update=update), words


def _same(kept: tuple[object, ...], was: tuple[object, ...]) -> bool:
    return len(kept) == len(was) and all(one is other for one, other in zip(kept, was, strict=True))


def _without_idle_returns(rig: Rig, words: list[str]) -> Rig:
    """The rig without programs hosted by what is gone, and without returns of what is gone, or hosted no more."""
    programs = {gear.id: gear for gear in rig.gear if isinstance(gear, Program)}
    if not any(p.hosted or any(item.returns for item in p.inputs) for p in programs.values()):
        return rig
    update: dict[str, Program] = {}
    for program in programs.values():
        if program.hosted is not None and program.hosted.leader not in programs:
            words.append(f"{program.name} runs in nothing now")
            update[program.id] = program.model_copy(update={"hosted": None})
    hosted_by = {
        item.id: each.hosted.leader
        for each in (update.get(program.id, program) for program in programs.values())
        if each.hosted is not None
        for item in each.outputs
    }
    for program in programs.values():
        idle = [i for i in program.inputs if i.returns is not None and hosted_by.get(i.returns) != program.id]
        if idle:
            words += [f"the return {item.name} of {program.name} goes with it" for item in idle]
            kept = tuple(item for item in program.inputs if item not in idle)
            update[program.id] = update.get(program.id, program).model_copy(update={"inputs": kept})
    if not update:
        return rig
    return rig.model_copy(update={"gear": tuple(update.get(gear.id, gear) for gear in rig.gear)})


def _kept_driver(device: str | None, driver: str | None, found: Index) -> str | None:
    box = found.gear.get(device or "")
    return driver if isinstance(box, Interface) and driver in {each.id for each in box.drivers} else None


def _kept_devices(program: Program, found: Index, words: list[str]) -> dict[str, Any]:
    """A program's devices and drivers without those that are gone; adds what was lost."""
    fields: dict[str, Any] = {}
    for field, by, what in (("device", "driver", "device"), ("output_device", "output_driver", "output device")):
        was, was_by = getattr(program, field), getattr(program, by)
        device = was if was is None or isinstance(found.gear.get(was), Interface | Aggregate) else None
        if device != was:
            words.append(f"{program.name} has no {what} now")
        driver = _kept_driver(device, was_by, found)
        if driver != was_by and device is not None:
            words.append(f"{program.name} opens {found.name(device)} by its first driver now")
        fields |= {field: device, by: driver}
    return fields


def _kept_members(aggregate: Aggregate, found: Index, words: list[str]) -> Aggregate:
    """An aggregate without members that are gone; adds what was lost and which names move with it."""
    kept = []
    for member in aggregate.members:
        if not isinstance(found.gear.get(member.device), Interface):
            words.append(f"{aggregate.name} loses a member")
        elif member.driver is not None and _kept_driver(member.device, member.driver, found) is None:
            kept.append(member.model_copy(update={"driver": None}))
        else:
            kept.append(member)
    master = aggregate.master if aggregate.master is None or aggregate.master in found.gear else None
    if (
        master == aggregate.master
        and len(kept) == len(aggregate.members)
        and all(new is old for new, old in zip(kept, aggregate.members, strict=True))
    ):
        return aggregate
    return aggregate.model_copy(update={"members": tuple(kept), "master": master})


def _kept_ends(program: Program, words: list[str]) -> dict[str, Any]:
    """A program's tracks, voices and buses without the inputs and outputs that are gone; adds what was lost."""
    inputs = {item.id for item in program.inputs}
    outputs = {item.id for item in program.outputs}
    sinks = outputs | {bus.id for bus in program.buses}

    def kept(what: str, item: Track | Voice | Bus) -> Value:
        update: dict[str, None] = {}
        insert = item.insert if not isinstance(item, Voice) else None
        if insert is not None and (insert.send not in outputs or insert.back not in inputs):
            words.append(f"{what} {item.name} loses its insert")
            update["insert"] = None
        if isinstance(item, Track) and item.input is not None and item.input not in inputs and item.input not in sinks:
            words.append(f"{what} {item.name} has no input now")
            update["input"] = None
        straight = item.straight if isinstance(item, Track) else None
        if straight is not None and not {straight.output, straight.back_to} <= sinks:
            update["straight"] = None
        if item.output is not None and item.output not in sinks:
            words.append(f"{what} {item.name} has no output now")
            update["output"] = None
        return item.model_copy(update=update) if update else item

    ends: dict[str, Any] = {}
    for choice, able in (("default_output", sinks), ("solo_output", outputs), ("audition_output", outputs)):
        if getattr(program, choice) is not None and getattr(program, choice) not in able:
            words.append(f"{program.name} has no {choice.replace('_', ' ')} now")
            ends[choice] = None
    for what, field in (("track", "tracks"), ("voice", "voices"), ("bus", "buses")):
        items = getattr(program, field)
        after = tuple(kept(what, item) for item in items)
        ends[field] = items if all(new is old for new, old in zip(after, items, strict=True)) else after
    givers = {track.id for track in program.tracks} | {voice.id for voice in program.voices}
    givers |= {bus.id for bus in program.buses}
    sends = tuple(send for send in program.sends if send.item in givers and send.to in sinks)
    if len(sends) < len(program.sends):
        gone = len(program.sends) - len(sends)
        words.append(f"{program.name} loses {gone} send{'s' if gone > 1 else ''}")
        ends["sends"] = sends
    return ends


def _kept_syncs(program: Program, found: Index, words: list[str]) -> dict[str, Any]:
    """The links from programs that are still there."""
    kept = tuple(link for link in program.syncs if isinstance(found.gear.get(link.sender), Program))
    if len(kept) == len(program.syncs):
        return {}
    words.append(f"{program.name} loses a sync link")
    return {"syncs": kept}


def say_unplugged(patch: Patch, known: Index) -> str:
    """What a lead that is pulled led from and to, by the names of the rig that it was in."""
    return f"unplugs {_end(known, patch.from_port)} from {_end(known, patch.to_port)}"


def _end(known: Index, port: Port) -> str:
    return known.say(port) if known.exists(port) else "what is gone"


def _kept_way(found: Index, line: Line) -> Line:
    """Take what no longer exists out of what a line names on its way."""
    return line.model_copy(
        update={
            "through": tuple(each for each in line.through if found.holds(each)),
            "never_by": tuple(each for each in line.never_by if each == COMPUTER or found.holds(each)),
        }
    )


def _kept_ports(found: Index, line: Line) -> tuple[Line, int]:
    starts = tuple(port for port in line.from_ports if found.exists(port))
    ends = tuple(port for port in line.to_ports if found.exists(port))
    gone = len(line.from_ports) + len(line.to_ports) - len(starts) - len(ends)
    return (line.model_copy(update={"from_ports": starts, "to_ports": ends}) if gone else line), gone
