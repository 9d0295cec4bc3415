"""What hangs in strips, tracks and buses, as it could be typed again."""

import re

from iskelo.core.rig.inside import GONE
from iskelo.core.rig.mixers import Strip, StripInsert
from iskelo.core.rig.programs import Program, ProgramInsert
from iskelo.core.rig.units import say_figure


def insert_phrase(program: Program, insert: ProgramInsert | None) -> str:
    """What hangs in a track or a bus, with how: 'To Anvil press › From Anvil press, dry −6'; empty if nothing does."""
    if insert is None:
        return ""
    names = {item.id: said_end(item.name) for item in (*program.outputs, *program.inputs)}
    ends = f"{names.get(insert.send, GONE)} › {names.get(insert.back, GONE)}"
    return f"{ends}{_dry(insert)}{'' if insert.on else ', bypassed'}"


def said_end(name: str) -> str:
    """A name as it stands in a phrase; in quotation marks, inner ones doubled, where it could be taken for more."""
    plain = not re.search(r'[›>,"−]', name) and not re.search(
        r"(?:\b(?:bypass(?:ed)?|parallel|dry)\b|^(?:out\s*|in\s*)?\d)", name, re.IGNORECASE
    )
    return name if plain else '"' + name.replace('"', '""') + '"'


def strip_insert_words(strip: Strip) -> str:
    """What hangs in a strip: 'out 3 › in 3, dry −6'; empty if nothing does."""
    insert = strip.insert
    return f"out {insert.send} › in {insert.back}{_dry(insert)}" if insert is not None else ""


def _dry(insert: ProgramInsert | StripInsert) -> str:
    if insert.dry_db is None:
        return ""
    return f", dry {say_figure(insert.dry_db)}{', parallel' if insert.parallel else ''}"


def counted(insert: ProgramInsert) -> str:
    """What a program knows of a round trip: 'counts with 328 samples, measured'."""
    held = insert.held
    return f"counts with {held.samples} samples, {held.origin}" if held is not None else "counts with nothing"
