"""The sheets of a rig: which there are, and each of them whole."""

from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.labels import label_tables, labelled
from iskelo.core.paperwork.line_list import (
    clock_table,
    limit_table,
    line_table,
    program_table,
    troubles_table,
)
from iskelo.core.paperwork.patch_sheets import Sheeted, patch_tables
from iskelo.core.paperwork.sheet import Sheet, SheetName
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Program

_KINDS = {"interface": "box", "aggregate": "joined", "outboard": "outboard"}


def sheet_names(reading: Reading) -> tuple[SheetName, ...]:
    """Every sheet that there is, as they are listed: the lists, a patch sheet for each piece of gear, label strips."""
    lines = len(reading.lines)
    programs = len(reading.found.programs())
    return (
        SheetName("lines", "Lists", "Line list", f"{lines} {'line' if lines == 1 else 'lines'}"),
        SheetName("timing", "Lists", "Timing and clocks", f"{programs} {'program' if programs == 1 else 'programs'}"),
        *(SheetName(f"patch:{gear.id}", "Patch sheets", gear.name, _kind(gear)) for gear in _sheeted(reading)),
        *(SheetName(f"labels:{gear.id}", "Label strips", gear.name, _kind(gear)) for gear in labelled(reading)),
    )


def sheet_of(reading: Reading, key: str) -> Sheet:
    """A whole sheet by its key.

    Raises
    ------
    KeyError
        If there is no such sheet in this rig.
    """
    name = next((each for each in sheet_names(reading) if each.key == key), None)
    if name is None:
        raise KeyError(key)
    if key == "lines":
        return Sheet(name, (line_table(reading), troubles_table(reading)), _notes(reading.rig.notes))
    if key == "timing":
        return Sheet(name, (clock_table(reading), program_table(reading), limit_table(reading)))
    if name.group == "Label strips":
        labels = next(each for each in labelled(reading) if f"labels:{each.id}" == key)
        return Sheet(name, label_tables(reading, labels))
    gear = next(each for each in _sheeted(reading) if f"patch:{each.id}" == key)
    return Sheet(name, patch_tables(reading, gear), _notes(gear.notes))


def _sheeted(reading: Reading) -> list[Sheeted]:
    """What has a patch sheet: boxes, then outboard gear, devices of several boxes, programs."""
    found = reading.found
    kinds: tuple[type[Sheeted], ...] = (Interface, Outboard, Aggregate, Program)
    return [gear for kind in kinds for gear in found.gear.values() if isinstance(gear, kind)]


def _kind(gear: Sheeted) -> str:
    if isinstance(gear, Program):
        return gear.program_kind
    if isinstance(gear, Interface):
        return "cable" if gear.cable is not None else "mixer" if gear.mixer is not None else "box"
    return _KINDS[gear.kind]


def _notes(text: str) -> tuple[str, ...]:
    return tuple(line for line in text.splitlines() if line.strip())
