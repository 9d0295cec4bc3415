"""Walks of edits over a rig: any edit there is, its fields drawn from the rig itself, or figures at their bounds."""

import random
import types
from collections.abc import Iterator
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import TypeAdapter, ValidationError

from iskelo.core.edits import edit as e
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.parts.keeping import keep
from iskelo.core.edits.settable import SETTABLE
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.value import Value
from iskelo.demo.catalogue import catalogue

KINDS: tuple[type[Value], ...] = get_args(get_args(e.Edit)[0])
ANY_EDIT: TypeAdapter[e.Edit] = TypeAdapter(e.Edit)
FIGURES = (0, 1, 1, 2, 2, 3, 4, 8, 16, 64, 127, 128, 129, 512, 44_100, 48_000, 96_000, 100_000, 1_000_000_000, -1, -38)
LIKELY = {
    **{"program": "p", "interface": "b", "aggregate": "g", "to": "uom", "mixer": "b", "strip": "k", "strips": "k"},
    **{"sender": "p", "receiver": "p", "cable": "b"},
}
"""By what the ids of things begin that a field is for; half the time something else is drawn."""
NAMES = ("Alma", "Bertil", "T Alma", "Box", "Ö", "x" * 80, "x" * 81, "\u202eamlA", "Corvane 8", "", "1")


class Drawing:
    """Draws edits and their fields for one rig."""

    def __init__(self, draw: random.Random, rig: Rig) -> None:
        self._draw = draw
        found = index(rig)
        self._rig = rig
        self.ids = [*found.gear, *found.items, *found.mixing, *found.drivers, *found.patches, *found.lines] or ["s1"]
        self._things: dict[str, Any] = {
            **found.gear,
            **{identity: placed.item for identity, placed in found.items.items()},
            **{identity: inside.item for identity, inside in found.mixing.items()},
            **{identity: driver for identity, (_, driver) in found.drivers.items()},
            **found.patches,
            **found.lines,
        }
        owners = [*found.gear, *found.items, *found.mixing]
        self.ports = [
            Port(owner, bank, number)
            for owner in owners
            for bank in get_args(Bank)
            for number in range(1, min(4, found.bank_size(owner, bank)) + 1)
        ]

    def edit(self) -> Value | None:
        """Any edit, or None if what was drawn is none."""
        kind = self._draw.choice(KINDS)
        fields: dict[str, Any] = {}
        for name, info in kind.model_fields.items():
            if name == "edit" or (not info.is_required() and self._draw.random() < 0.5):
                continue
            annotation = Annotated[(info.annotation, *info.metadata)] if info.metadata else info.annotation
            fields[name] = self._field(name, annotation)
        if kind is e.SetValues:
            fields |= self._values()
        try:
            return kind.model_validate(fields)
        except ValidationError:
            return None

    def _values(self) -> dict[str, Any]:
        item = self._draw.choice([*self._things, "rig"])
        thing = self._rig if item == "rig" else self._things[item]
        settable = SETTABLE.get(type(thing), {"name": "name"})
        field = self._draw.choice(list(settable))
        return {"item": item, "values": {field: self._field(field, type(thing).model_fields[field].annotation)}}

    def _field(self, name: str, annotation: Any) -> Any:
        if name in ("ids", "origins"):
            return () if name == "ids" else {}
        if name == "part":
            return self._part()
        if name == "gear":
            return self._draw.choice([*catalogue(), *self._rig.gear])
        sockets = {"from_port": ("out", "jack_out"), "to_port": ("jack_in", "in")}.get(name, ())
        plugs = [port for port in self.ports if port.bank in sockets]
        if plugs and self._draw.random() < 0.5:
            return self._draw.choice(plugs)
        fit = [each for each in self.ids if each[0] in LIKELY.get(name, "")]
        if fit and self._draw.random() < 0.5:
            return self._draw.choice(fit)
        return self._of(annotation)

    def _part(self) -> Any:
        """Some of the rig itself, as it would be kept."""
        gear = [each.id for each in self._rig.gear]
        if not gear:
            return None
        return keep(self._rig, tuple(self._draw.sample(gear, min(len(gear), self._draw.choice([1, 1, 2, 5])))), "Kept")

    def _of(self, annotation: Any) -> Any:
        origin, parts = get_origin(annotation), get_args(annotation)
        if origin is Annotated:
            text = any("pattern" in str(each) for each in parts[1:])
            return self._draw.choice(self.ids) if text else self._of(parts[0])
        if origin in (Union, types.UnionType):
            return self._of(self._draw.choice(parts))
        if origin is Literal:
            return self._draw.choice(parts)
        if origin is tuple:
            if Ellipsis in parts:
                return tuple(self._of(parts[0]) for _ in range(self._draw.choice([0, 1, 1, 2, 3])))
            return tuple(map(self._of, parts))
        if origin is dict:
            return {self._of(parts[0]): self._of(parts[1]) for _ in range(self._draw.choice([0, 1, 2]))}
        if annotation is Port:
            return self._draw.choice(self.ports) if self.ports else Port("s1", "out", 1)
        if isinstance(annotation, type) and issubclass(annotation, Value):
            return self._value(annotation)
        return self._plain(annotation)

    def _value(self, kind: type[Value]) -> Any:
        given = {name: self._field(name, info.annotation) for name, info in kind.model_fields.items()}
        try:
            return kind.model_validate(given)
        except ValidationError:
            return given

    def _plain(self, annotation: Any) -> Any:
        if annotation is bool:
            return self._draw.random() < 0.5
        if annotation is float:
            return self._draw.choice(FIGURES) + self._draw.choice([0.0, 0.5])
        if annotation is int:
            return self._draw.choice(FIGURES)
        if annotation is type(None):
            return None
        return self._draw.choice([*NAMES, *self.ids[:3]])


def walk(seed: int, rig: Rig, steps: int) -> Iterator[tuple[Rig, e.Edit, Rig]]:
    """Every acknowledged edit of a walk: the rig before, the edit, the rig after."""
    draw = random.Random(seed)
    drawing = Drawing(draw, rig)
    for _ in range(steps):
        edit = drawing.edit()
        if edit is None:
            continue
        try:
            after = apply(rig, (ANY_EDIT.validate_python(edit),)).rig
        except Refused:
            continue
        yield rig, edit, after
        rig, drawing = after, Drawing(draw, after)
