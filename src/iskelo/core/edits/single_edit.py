"""The one function that every kind of edit registers itself with, and how it finds what it is about."""

from collections.abc import Callable, Sequence
from functools import singledispatch
from typing import Any

from iskelo.core.edits.base import Applied, Refused, with_gear
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.index import index
from iskelo.core.rig.mixers import Feed, Mix, Strip
from iskelo.core.rig.programs import Bus, ProgramPort, Send, Track, Voice
from iskelo.core.rig.rig import FIELDS_OF, Line, Patch, Rig
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.rig.value import Value


@singledispatch
def apply_one(edit: Value, rig: Rig) -> Applied:
    """What one kind of edit does; a function in ``adding``, ``changing`` or ``plugging`` for each."""
    raise NotImplementedError(type(edit).__name__)


Stroke = Callable[[Rig, Sequence[Any]], tuple[Rig, list[str]]]
"""What many edits of one kind, one behind the other, do; and each in words."""

STROKES: dict[type[Value], tuple[Stroke, str]] = {}
"""By kind of edit: what makes many of them, and what they are called when they are only counted."""


def at_one_stroke(kind: type[Value], counted: str) -> Callable[[Stroke], Stroke]:
    """Say how many edits of a kind are made at once, where that is far sooner done than one after the other.

    ``counted``: what many of them are told as, behind their number. Example: 'leads plugged'.
    """

    def register(stroke: Stroke) -> Stroke:
        STROKES[kind] = (stroke, counted)
        return stroke

    return register


def place_of(rig: Rig, owner: str, value: Value) -> str:
    match value:
        case Driver():
            return f"{owner}, driver"
        case Patch():
            found = index(rig)
            return f"lead from {found.say(value.from_port)} to {found.say(value.to_port)}"
        case Line():
            return f"line {value.name}"
        case Send():
            return f"{owner}, {index(rig).say_send(value)}"
        case SyncLink():
            return index(rig).say_sync(value)
        case Strip() | Mix():
            return f"{owner}, {'strip' if isinstance(value, Strip) else 'mix'} {value.name}"
        case Feed():
            return f"{owner}, feed of {index(rig).say_in_mixer(value.id)}"
        case Track() | ProgramPort() | Voice() | Bus():
            return f"{owner}, {value.name}"
    return owner


def find(rig: Rig, identity: str) -> tuple[str, Value, Callable[[Any], Rig]]:
    """The thing with this id, its owner's name, and how to put a changed one back."""
    found = index(rig)
    if identity in found.gear:
        gear = found.gear[identity]
        return gear.name, gear, lambda new: with_gear(rig, new)
    if identity in found.items:
        program, item, side, _ = found.items[identity]
        field = FIELDS_OF[side]

        def put_item(new: Any) -> Rig:
            members = tuple(new if each.id == item.id else each for each in getattr(program, field))
            return with_gear(rig, program.model_copy(update={field: members}))

        return program.name, item, put_item
    if identity in found.mixing:
        inside = found.mixing[identity]
        several = {Strip: "strips", Mix: "mixes", Feed: "feeds"}[type(inside.item)]

        def put_inside(new: Any) -> Rig:
            members = tuple(new if each.id == identity else each for each in getattr(inside.mixer, several))
            mixer = inside.mixer.model_copy(update={several: members})
            return with_gear(rig, inside.box.model_copy(update={"mixer": mixer}))

        return inside.box.name, inside.item, put_inside
    if identity in found.drivers:
        box, driver = found.drivers[identity]

        def put_driver(new: Any) -> Rig:
            drivers = tuple(new if each.id == identity else each for each in box.drivers)
            return with_gear(rig, box.model_copy(update={"drivers": drivers}))

        return box.name, driver, put_driver
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
