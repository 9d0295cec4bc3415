"""What each edit does to a rig: ``apply(rig, edits)`` gives the new rig and words, or raises Refused."""

from collections.abc import Callable
from functools import singledispatch
from typing import Any

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import (
    AnyGear,
    Applied,
    Refused,
    changed,
    checked,
    free_name,
    gear_of,
    made,
    new_ids,
    pruned,
    with_gear,
)
from iskelo.core.edits.settable import SETTABLE, say_value
from iskelo.core.rig.gear import (
    Destination,
    Driver,
    Interface,
    Program,
    ProgramPort,
    Source,
    Track,
    Value,
)
from iskelo.core.rig.rig import Line, Patch, Rig, index

DEFAULT_LEVEL_DBU = {"microphone": -38.0, "instrument": -20.0, "line player": 4.0}
"""Nominal levels a new source comes up with; common practice, no published source (line: +4 dBu)."""


WORDS_AT_MOST = 6
"""So many edits of one action are told one by one; the history stays readable."""


def apply(rig: Rig, edits: tuple[e.Edit, ...]) -> Applied:
    """Apply edits in order, all or none.

    Returns
    -------
    Applied
        The new rig, checked, and what was done in words.

    Raises
    ------
    Refused
        With the place and the reason, if any edit would break the rig.
    """
    words = []
    for each in edits:
        step = apply_one(each, rig)
        rig = step.rig
        words.append(step.words)
    if len(words) > WORDS_AT_MOST + 1:
        words = [*words[:WORDS_AT_MOST], f"and {len(words) - WORDS_AT_MOST} changes more"]
    return Applied(checked(rig), "; ".join(words))


@singledispatch
def apply_one(edit: Value, rig: Rig) -> Applied:
    """What one kind of edit does; one function below for each."""
    raise NotImplementedError(type(edit).__name__)


def _count(names: tuple[str, ...], one: str, many: str) -> str:
    if len(names) == 1:
        return f"{one} {names[0]}"
    return f"{len(names)} {many}: {names[0]} … {names[-1]}"


@apply_one.register
def _(edit: e.AddSources, rig: Rig) -> Applied:
    rig, ids = new_ids(rig, "s", len(edit.names), edit.ids)
    level = DEFAULT_LEVEL_DBU[edit.source_kind] if edit.level_dbu is None else edit.level_dbu
    names: list[str] = []
    for identity, wanted in zip(ids, edit.names, strict=True):
        name = free_name(wanted, (gear.name for gear in rig.gear))
        names.append(name)
        source = made(
            Source,
            name,
            id=identity,
            name=name,
            source_kind=edit.source_kind,
            width=edit.width,
            level_dbu=level,
            needs_phantom=edit.needs_phantom,
            needs_high_impedance=edit.needs_high_impedance,
        )
        rig = with_gear(rig, source)
    return Applied(rig, "added " + _count(tuple(names), edit.source_kind, f"{edit.source_kind}s"))


@apply_one.register
def _(edit: e.AddInterface, rig: Rig) -> Applied:
    rig, (identity, driver_id) = new_ids(rig, "b", 2)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    driver = made(
        Driver,
        f"{name}, driver",
        id=driver_id,
        buffer_samples=edit.buffer_samples,
        safety_in_samples=edit.safety_in_samples,
        safety_out_samples=edit.safety_out_samples,
    )
    box = made(
        Interface,
        name,
        id=identity,
        name=name,
        jack_in=edit.jack_in,
        jack_out=edit.jack_out,
        capture=edit.jack_in if edit.capture is None else edit.capture,
        playback=edit.jack_out if edit.playback is None else edit.playback,
        rate_hz=edit.rate_hz,
        driver=driver,
    )
    return Applied(with_gear(rig, box), f"added interface {name}")


@apply_one.register
def _(edit: e.AddProgram, rig: Rig) -> Applied:
    rig, (identity,) = new_ids(rig, "p", 1)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    boxes = index(rig).interfaces()
    device = edit.device or (boxes[0].id if len(boxes) == 1 else None)
    rig = with_gear(rig, made(Program, name, id=identity, name=name))
    if device is None:
        return Applied(rig, f"added recorder {name}")
    given = apply_one(e.SetDevice(program=identity, device=device), rig)
    return Applied(given.rig, f"added recorder {name} on {index(given.rig).name(device)}")


@apply_one.register
def _(edit: e.AddDestination, rig: Rig) -> Applied:
    rig, (identity,) = new_ids(rig, "x", 1)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    new = made(Destination, name, id=identity, name=name, destination_kind=edit.destination_kind, width=edit.width)
    return Applied(with_gear(rig, new), f"added {edit.destination_kind} {name}")


@apply_one.register
def _(edit: e.AddProgramPorts, rig: Rig) -> Applied:
    program = gear_of(index(rig), edit.program, Program)
    rig, ids = new_ids(rig, "i" if edit.side == "input" else "o", len(edit.names), edit.ids)
    channel = edit.first_channel
    ports = []
    for identity, name in zip(ids, edit.names, strict=True):
        legs = [None] * edit.width if channel is None else [channel + leg for leg in range(edit.width)]
        channel = None if channel is None else channel + edit.width
        ports.append(made(ProgramPort, f"{program.name}, {name}", id=identity, name=name, legs=legs))
    field = f"{edit.side}s"
    program = changed(program, program.name, **{field: (*getattr(program, field), *ports)})
    said = _count(edit.names, edit.side, field)
    return Applied(with_gear(rig, program), f"{program.name}: added {said}")


@apply_one.register
def _(edit: e.AddTracks, rig: Rig) -> Applied:
    program = gear_of(index(rig), edit.program, Program)
    rig, ids = new_ids(rig, "t", len(edit.names), edit.ids)
    inputs = (*edit.inputs, *[None] * len(edit.names))
    tracks = [
        made(
            Track,
            f"{program.name}, {name}",
            id=identity,
            name=name,
            width=edit.width,
            input=inputs[position],
            output=edit.output,
            armed=edit.armed,
            monitored=edit.monitored,
        )
        for position, (identity, name) in enumerate(zip(ids, edit.names, strict=True))
    ]
    program = changed(program, program.name, tracks=(*program.tracks, *tracks))
    return Applied(with_gear(rig, program), f"{program.name}: added {_count(edit.names, 'track', 'tracks')}")


@apply_one.register
def _(edit: e.SetValues, rig: Rig) -> Applied:
    if edit.item == "rig":
        _refuse_unknown(Rig, rig.name, edit.values)
        new = rig.model_copy(update={k: getattr(changed(rig, "rig", **{k: v}), k) for k, v in edit.values.items()})
        return Applied(new, _words_of(rig.name, rig, new, Rig))
    owner, value, put_back = _find(rig, edit.item)
    kind = type(value)
    place = _place(rig, owner, value)
    _refuse_unknown(kind, place, edit.values)
    values: dict[str, Any] = dict(edit.values)
    if isinstance(value, Interface):
        values = _shrunk_direct(value, values)
    if (
        isinstance(value, Line)
        and "purpose" in values
        and "to_ports" not in values
        and values["purpose"] != value.purpose
    ):
        values["to_ports"] = ()
    new_value = changed(value, place, **values)
    after = put_back(new_value)
    said = _words_of(place, value, new_value, kind)
    if isinstance(value, (Line, Patch, Driver)):
        return Applied(after, said)
    after, lost = pruned(after)
    return Applied(after, "; ".join([said, *lost]))


def _refuse_unknown(kind: type[Value], place: str, values: dict[str, Any]) -> None:
    for field in values:
        if field not in SETTABLE[kind]:
            raise Refused(place, f"it has nothing called {field!r} to set")


def _words_of(place: str, before: Value, after: Value, kind: type[Value]) -> str:
    said = []
    for field, label in SETTABLE[kind].items():
        old, new = getattr(before, field), getattr(after, field)
        if old != new and field == "name":
            said.append(f"renamed to {new}")
        elif old != new and field in ("notes", "from_ports", "to_ports", "input", "output"):
            said.append(f"{label} changed")
        elif old != new:
            said.append(f"{label} {say_value(old)} → {say_value(new)}")
    return f"{place}: {', '.join(said) or 'nothing changed'}"


def _shrunk_direct(box: Interface, values: dict[str, Any]) -> dict[str, Any]:
    ins, outs = values.get("jack_in", box.jack_in), values.get("jack_out", box.jack_out)
    if isinstance(ins, int) and isinstance(outs, int):
        kept = tuple(cross for cross in box.direct if cross.jack_in <= ins and cross.jack_out <= outs)
        return {**values, "direct": kept, "trims_db": box.trims_db}
    return values


def _place(rig: Rig, owner: str, value: Value) -> str:
    match value:
        case Driver():
            return f"{owner}, driver"
        case Patch():
            found = index(rig)
            return f"lead from {found.say(value.from_port)} to {found.say(value.to_port)}"
        case Line():
            return f"line {value.name}"
        case Track() | ProgramPort():
            return f"{owner}, {value.name}"
    return owner


def _find(rig: Rig, identity: str) -> tuple[str, Value, Callable[[Any], Rig]]:
    """The thing with this id, its owner's name, and how to put a changed one back."""
    found = index(rig)
    if identity in found.gear:
        gear = found.gear[identity]
        return gear.name, gear, lambda new: with_gear(rig, new)
    if identity in found.items:
        program, item, side, _ = found.items[identity]
        field = f"{side}s"

        def put_item(new: Any) -> Rig:
            members = tuple(new if each.id == item.id else each for each in getattr(program, field))
            return with_gear(rig, program.model_copy(update={field: members}))

        return program.name, item, put_item
    for box in found.interfaces():
        if box.driver.id == identity:
            return (
                box.name,
                box.driver,
                lambda new, box=box: with_gear(rig, box.model_copy(update={"driver": new})),
            )
    for field in ("patches", "lines"):
        for value in getattr(rig, field):
            if value.id == identity:
                members = getattr(rig, field)
                return (
                    "",
                    value,
                    lambda new, field=field, members=members: rig.model_copy(
                        update={field: tuple(new if each.id == identity else each for each in members)}
                    ),
                )
    raise Refused(identity, "there is nothing with this id in the rig; it may have been removed")


@apply_one.register
def _(edit: e.SetLeg, rig: Rig) -> Applied:
    owner, item, put_back = _find(rig, edit.item)
    if not isinstance(item, ProgramPort):
        raise Refused(owner, "only a program's inputs and outputs have legs")
    if edit.leg > len(item.legs):
        raise Refused(f"{owner}, {item.name}", f"it has no leg {edit.leg}")
    legs = tuple(edit.channel if leg == edit.leg else old for leg, old in enumerate(item.legs, start=1))
    new = changed(item, f"{owner}, {item.name}", legs=legs)
    old = say_value(item.legs[edit.leg - 1])
    return Applied(put_back(new), f"{owner}, {item.name}: channel {old} → {say_value(edit.channel)}")


@apply_one.register
def _(edit: e.FillChannels, rig: Rig) -> Applied:
    channel = edit.first_channel
    last = channel
    owner = ""
    for identity in edit.items:
        owner, item, put_back = _find(rig, identity)
        if not isinstance(item, ProgramPort):
            raise Refused(owner, "only a program's inputs and outputs have channels to fill")
        legs = tuple(channel + leg for leg in range(len(item.legs)))
        last, channel = legs[-1], channel + len(legs)
        rig = put_back(changed(item, f"{owner}, {item.name}", legs=legs))
    return Applied(rig, f"{owner}: filled channels {edit.first_channel}–{last} ascending")


@apply_one.register
def _(edit: e.EnableChannels, rig: Rig) -> Applied:
    program = gear_of(index(rig), edit.program, Program)
    field = "enabled_in" if edit.side == "input" else "enabled_out"
    before = set(getattr(program, field))
    after = before | set(edit.channels) if edit.on else before - set(edit.channels)
    program = changed(program, program.name, **{field: tuple(after)})
    verb = "enabled" if edit.on else "disabled"
    return Applied(with_gear(rig, program), f"{program.name}: {verb} {edit.side} {say_value(edit.channels)}")


@apply_one.register
def _(edit: e.SetDevice, rig: Rig) -> Applied:
    found = index(rig)
    program = gear_of(found, edit.program, Program)
    if edit.device is None:
        bare = program.model_copy(update={"device": None})
        return Applied(with_gear(rig, bare), f"{program.name}: no device")
    box = gear_of(found, edit.device, Interface)
    new = changed(
        program,
        program.name,
        device=box.id,
        enabled_in=program.enabled_in or tuple(range(1, box.capture + 1)),
        enabled_out=program.enabled_out or tuple(range(1, box.playback + 1)),
    )
    return Applied(with_gear(rig, new), f"{program.name}: device {box.name}")


@apply_one.register
def _(edit: e.SetDirect, rig: Rig) -> Applied:
    box = gear_of(index(rig), edit.interface, Interface)
    place = f"{box.name}, direct monitoring from jack in {edit.jack_in} to jack out {edit.jack_out}"
    others = [c for c in box.direct if (c.jack_in, c.jack_out) != (edit.jack_in, edit.jack_out)]
    if edit.gain_db is None:
        return Applied(with_gear(rig, box.model_copy(update={"direct": tuple(others)})), f"{place}: off")
    cross = {"jack_in": edit.jack_in, "jack_out": edit.jack_out, "gain_db": edit.gain_db, "muted": edit.muted}
    direct = sorted(
        [*(c.model_dump() for c in others), cross],
        key=lambda c: (int(c["jack_in"] or 0), int(c["jack_out"] or 0)),
    )
    new = changed(box, place, direct=tuple(direct))
    return Applied(with_gear(rig, new), f"{place}: {'muted' if edit.muted else f'{edit.gain_db:g} dB'}")


@apply_one.register
def _(edit: e.SetTrim, rig: Rig) -> Applied:
    box = gear_of(index(rig), edit.interface, Interface)
    if edit.jack_in > box.jack_in:
        raise Refused(box.name, f"there is no jack in {edit.jack_in}; it has {box.jack_in}")
    trims = tuple(edit.trim_db if jack == edit.jack_in else t for jack, t in enumerate(box.trims_db, start=1))
    return Applied(
        with_gear(rig, changed(box, box.name, trims_db=trims)),
        f"{box.name}, jack in {edit.jack_in}: trim {edit.trim_db:g} dB",
    )


@apply_one.register
def _(edit: e.Plug, rig: Rig) -> Applied:
    found = index(rig)
    said = ""
    if edit.replace:
        for patch in rig.patches:
            if patch.to_port == edit.to_port and found.exists(patch.from_port):
                said = f" in place of {found.say(patch.from_port)}"
        rig = rig.model_copy(update={"patches": tuple(p for p in rig.patches if p.to_port != edit.to_port)})
    rig, (identity,) = new_ids(rig, "w", 1)
    patch = Patch(
        id=identity,
        from_port=edit.from_port,
        to_port=edit.to_port,
        gain_db=edit.gain_db,
        inverted=edit.inverted,
    )
    rig = checked(rig.model_copy(update={"patches": (*rig.patches, patch)}))
    found = index(rig)
    return Applied(rig, f"plugged {found.say(edit.from_port)} into {found.say(edit.to_port)}{said}")


@apply_one.register
def _(edit: e.Remove, rig: Rig) -> Applied:
    found = index(rig)
    gone = set(edit.items)
    known = {*found.gear, *found.items, *found.patches, *found.lines}
    for identity in edit.items:
        if identity not in known:
            raise Refused(identity, "there is nothing with this id to remove; it may have been removed already")
    said = [f"removed {_removed(rig, identity)}" for identity in edit.items]
    gear: list[AnyGear] = []
    for each in rig.gear:
        if each.id in gone:
            continue
        if isinstance(each, Program):
            left = {
                field: tuple(item for item in getattr(each, field) if item.id not in gone)
                for field in ("inputs", "tracks", "outputs")
            }
            gear.append(each.model_copy(update=left))
        else:
            gear.append(each)
    update = {
        "gear": tuple(gear),
        "patches": tuple(patch for patch in rig.patches if patch.id not in gone),
        "lines": tuple(line for line in rig.lines if line.id not in gone),
    }
    rig, lost = pruned(rig.model_copy(update=update))
    return Applied(rig, "; ".join([*said, *lost]))


def _removed(rig: Rig, identity: str) -> str:
    owner, value, _ = _find(rig, identity)
    return _place(rig, owner, value)


@apply_one.register
def _(edit: e.AddLine, rig: Rig) -> Applied:
    rig, (identity,) = new_ids(rig, "l", 1)
    line = made(
        Line,
        f"line {edit.name}",
        id=identity,
        name=free_name(edit.name, (line.name for line in rig.lines)),
        purpose=edit.purpose,
        from_ports=edit.from_ports,
        to_ports=edit.to_ports,
        longest_delay_ms=edit.longest_delay_ms,
        alone=edit.purpose == "record" if edit.alone is None else edit.alone,
    )
    return Applied(rig.model_copy(update={"lines": (*rig.lines, line)}), f"added line {line.name}")
