"""Which fields of which thing a user may set, and what the screens and the history call them."""

from typing import Any

from annotated_types import Ge, Le

from iskelo.core.rig.cables import Cable
from iskelo.core.rig.drivers import Driver, Offsets
from iskelo.core.rig.gear import Aggregate, Destination, Interface, Member, Source
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip, StripInsert, StripSource
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import (
    Bus,
    FarEnd,
    Hosted,
    LoadReading,
    Program,
    ProgramInsert,
    ProgramPort,
    Send,
    Track,
    Voice,
)
from iskelo.core.rig.rig import Line, Patch, Rig
from iskelo.core.rig.syncs import SongMarker, SyncLink, TempoChange
from iskelo.core.rig.value import Settable, Value

KINDS: tuple[type[Value], ...] = (
    *(Rig, Source, Interface, Outboard, Aggregate, Driver, Program),
    *(Mixer, Strip, Mix, Feed, Cable),
    *(ProgramPort, Track, Bus, Send, SyncLink, Voice, Destination, Patch, Line),
)
"""What has fields that may be set."""


def settable_of(kind: type[Value]) -> dict[str, Settable]:
    """The fields of a kind that may be set, as its model says."""
    said = {
        name: next((each for each in field.metadata if isinstance(each, Settable)), None)
        for name, field in kind.model_fields.items()
    }
    return {name: each for name, each in said.items() if each is not None}


SETTABLE: dict[type[Value], dict[str, str]] = {
    kind: {name: each.label for name, each in settable_of(kind).items()} for kind in KINDS
}
"""Labels by field."""

FIGURES: dict[type[Value], tuple[str, ...]] = {
    kind: tuple(name for name, each in settable_of(kind).items() if each.figure) for kind in KINDS
}
"""The figures whose origin is kept."""


def fields_of(kind: type[Value]) -> dict[str, dict[str, Any]]:
    """What a screen must know to draw a kind's fields: label, unit, range, and whether a figure's origin is kept."""
    told = {}
    for name, said in settable_of(kind).items():
        bounds = kind.model_fields[name].metadata
        told[name] = {
            "label": said.name,
            "unit": said.unit,
            "lowest": next((each.ge for each in bounds if isinstance(each, Ge)), None),
            "highest": next((each.le for each in bounds if isinstance(each, Le)), None),
            "figure": said.figure,
        }
    return told


def say_value(value: Any) -> str:
    """A field's value as the history shows it."""
    match value:
        case None:
            return "none"
        case bool():
            return "on" if value else "off"
        case float():
            return f"{value:g}"
        case Member():
            return f"{value.device}{' matched' if value.matched else ''}"
        case Offsets():
            place = f"at {value.buffer_samples}, {value.rate_hz / 1000:g} kHz"
            return f"{value.in_samples} in and {value.out_samples} out {place} ({value.origin})"
        case StripSource():
            return f"{'mix leg' if value.mix else 'jack' if value.bank == 'jack_in' else 'return'} {value.number}"
        case StripInsert():
            return f"jack out {value.send} to jack in {value.back}{'' if value.on else ', bypassed'}"
        case ProgramInsert():
            held = f", counts with {value.held.samples} samples ({value.held.origin})" if value.held else ""
            return (
                f"{'in' if value.on else 'bypassed'}{'' if value.dry_db is None else f', dry {value.dry_db:g}'}{held}"
            )
        case Hosted():
            told = "" if value.compensated else ", not told earlier"
            return f"{value.leader}, {value.ahead} buffer of {value.ahead_samples}{told}"
        case TempoChange():
            return f"{value.bpm:g} from {value.at_quarters:g}"
        case SongMarker():
            return f"{value.name} at {value.at_quarters:g}"
        case FarEnd():
            low_high = (f"{value.from_low_ms:g}–{value.from_high_ms:g}", f"{value.to_low_ms:g}–{value.to_high_ms:g}")
            return f"{low_high[0]} ms from it, {low_high[1]} ms to it"
        case LoadReading():
            return f"{value.percent:g} % at {value.buffer_samples}"
        case tuple() | list():
            return ", ".join(say_value(each) for each in value) or "none"
    return str(value)
