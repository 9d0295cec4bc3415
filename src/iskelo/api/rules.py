"""What the rules know that screens offer: kinds, rates, laws, what a lead may join, what may be set, with its range.

``web/src/api/rules.ts`` is made from it by ``./iskelo types``, so that none of it is told a second time.
"""

import json
from typing import Any, get_args

from iskelo.core.edits.settable import fields_of
from iskelo.core.rig.check import LEADS
from iskelo.core.rig.drivers import DriverKind
from iskelo.core.rig.gear import Destination, Interface, LinkKind, Source
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import CLOCK_BANKS
from iskelo.core.rig.programs import PanLaw, Program, ProgramKind, Tap
from iskelo.core.rig.rig import WantedTap
from iskelo.core.rig.value import RATES_HZ, Origin, Value

SHOWN: dict[str, type[Value]] = {
    "source": Source,
    "interface": Interface,
    "outboard": Outboard,
    "program": Program,
    "destination": Destination,
}
"""Gear whose fields screens draw."""


def rules_file() -> str:
    """The file, as TypeScript."""
    audio = sorted(f"{start} {end}" for start, end in LEADS if start not in CLOCK_BANKS)
    constants: dict[str, Any] = {
        "RATES_HZ": RATES_HZ,
        "SOURCE_KINDS": _said(Source, "source_kind"),
        "DESTINATION_KINDS": _said(Destination, "destination_kind"),
        "PROGRAM_KINDS": get_args(ProgramKind),
        "DRIVER_KINDS": get_args(DriverKind),
        "LINK_KINDS": get_args(LinkKind),
        "PAN_LAWS": get_args(PanLaw),
        "TAPS": get_args(Tap),
        "MUTE_KEYS": _said(Mixer, "mute_key"),
        "SOLOS": _said(Mixer, "solo"),
        "WANTED_TAPS": get_args(WantedTap),
        "ORIGINS": get_args(Origin),
        "LEADS": audio,
        "FIELDS": {kind: fields_of(gear) for kind, gear in SHOWN.items()},
    }
    lines = ["// Made from the rules by `./iskelo types`; what is changed here is written over.", ""]
    lines += [
        f"export const {name} = {json.dumps(value, ensure_ascii=False)} as const" for name, value in constants.items()
    ]
    return "\n".join([*lines, ""])


def _said(kind: type[Value], field: str) -> tuple[str, ...]:
    return get_args(kind.model_fields[field].annotation)
