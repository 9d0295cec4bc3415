"""New things named inside a list of edits: ``new1`` in the ``ids`` of one edit, and in those after it.

Whoever plans edits need not know which ids a rig gives next, and what was planned on one revision can be made on a
later one. A name that is given again stands for the newer thing from there on, so lists can be joined end to end.
"""

import re
from collections.abc import Mapping
from typing import Any

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.renewing import ID_PREFIX
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.value import Value

_NEW = re.compile(r"new[1-9][0-9]{0,8}")

PREFIXES: dict[type[Value], str] = {
    a.AddSources: "s",
    a.AddProgram: "p",
    a.AddTracks: "t",
    a.AddVoices: "v",
    a.AddBuses: "u",
    a.AddSync: "y",
    a.AddReturns: "i",
    e.JoinDevices: "g",
    a.AddStrips: "k",
    a.AddMixes: "m",
    a.AddFeed: "f",
}
"""What ids begin with, by the edit that makes them."""


def new(number: int) -> str:
    """The name of a thing that is yet to be made. Example: 'new1'."""
    return f"new{number}"


def is_new(identity: str) -> bool:
    """Whether this names a thing that is yet to be made."""
    return _NEW.fullmatch(identity) is not None


def with_ids(edit: Value, rig: Rig, known: dict[str, str]) -> Value:
    """An edit with real ids in place of the names of new things; those that it makes itself are added to ``known``."""
    own: dict[str, str] = {}
    ids: tuple[str, ...] = getattr(edit, "ids", ())
    if any(map(is_new, ids)):
        prefix = _prefix(edit)
        numbers = iter(range(rig.next_number, rig.next_number + len(ids)))
        own = {name: f"{prefix}{number}" for name, number in zip(ids, numbers, strict=True) if is_new(name)}
    if not own and not known:
        return edit
    # Of names that are given anew the old things may still be meant beside them.
    changed = {}
    for field in type(edit).model_fields:
        value = getattr(edit, field)
        put = _replaced(value, own if field == "ids" else known)
        if put is not value:
            changed[field] = put
    known |= own
    return edit.model_copy(update=changed) if changed else edit


def _prefix(edit: Value) -> str:
    if isinstance(edit, a.AddProgramPorts):
        return "i" if edit.side == "input" else "o"
    if isinstance(edit, a.AddGear):
        return ID_PREFIX[edit.gear.kind]
    return PREFIXES[type(edit)]


def _replaced(value: Any, ids: Mapping[str, str]) -> Any:
    """The value with these ids in it replaced; the very same if there are none."""
    if isinstance(value, str):
        return ids.get(value, value)
    if isinstance(value, Port):
        return value._replace(owner=ids[value.owner]) if value.owner in ids else value
    if isinstance(value, (tuple, list)):
        put = [_replaced(each, ids) for each in value]
        return type(value)(put) if any(a is not b for a, b in zip(put, value, strict=True)) else value
    if isinstance(value, dict):
        new_values = {name: _replaced(each, ids) for name, each in value.items()}
        return new_values if any(new_values[name] is not value[name] for name in value) else value
    if isinstance(value, Value):
        fields = {name: getattr(value, name) for name in type(value).model_fields}
        update = {name: put for name, each in fields.items() if (put := _replaced(each, ids)) is not each}
        return value.model_copy(update=update) if update else value
    return value
