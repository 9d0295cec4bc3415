"""The sheets of a rig: which there are, and each of them whole."""

from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.check_report import check_notes, check_tables
from iskelo.core.paperwork.handover import handover_tables
from iskelo.core.paperwork.input_rows import input_notes, input_table
from iskelo.core.paperwork.labels import label_tables, labelled
from iskelo.core.paperwork.line_list import (
    clock_table,
    limit_table,
    line_table,
    program_table,
    troubles_table,
)
from iskelo.core.paperwork.patch_sheets import Sheeted, patch_tables
from iskelo.core.paperwork.set_up_sheet import set_up_tables
from iskelo.core.paperwork.sheet import Beside, Sheet, SheetName
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Program

NOTHING = Beside()

_KINDS = {"interface": "box", "aggregate": "joined", "outboard": "outboard"}


def sheet_names(reading: Reading, beside: Beside = NOTHING) -> tuple[SheetName, ...]:
    """Every sheet that there is, as they are listed: the lists, a patch sheet for each piece of gear, label strips."""
    take = f"take {beside.checked.number}" if beside.checked.number else "no check yet"
    still = f"{len(beside.snags)} open" if beside.snags else ""
    lines = len(reading.lines)
    programs = len(reading.found.programs())
    return (
        SheetName("set-up", "Lists", "Set-up list", ""),
        SheetName("lines", "Lists", "Line list", f"{lines} {'line' if lines == 1 else 'lines'}"),
        SheetName("inputs", "Lists", "Input list", "to be read again"),
        SheetName("timing", "Lists", "Timing and clocks", f"{programs} {'program' if programs == 1 else 'programs'}"),
        SheetName("check", "Lists", "Check report", take),
        SheetName("handover", "Lists", "For the next technician", still),
        *(SheetName(f"patch:{gear.id}", "Patch sheets", gear.name, _kind(gear)) for gear in _sheeted(reading)),
        *(SheetName(f"labels:{gear.id}", "Label strips", gear.name, _kind(gear)) for gear in labelled(reading)),
    )


def sheet_of(reading: Reading, key: str, beside: Beside = NOTHING) -> Sheet:
    """A whole sheet by its key; ``beside``: what it tells that is not in the rig.

    Raises
    ------
    KeyError
        If there is no such sheet in this rig.
    """
    name = next((each for each in sheet_names(reading, beside) if each.key == key), None)
    if name is None:
        raise KeyError(key)
    if key == "set-up":
        return Sheet(name, set_up_tables(reading, beside.ticked))
    if key == "lines":
        return Sheet(name, (line_table(reading), troubles_table(reading)), _notes(reading.rig.notes))
    if key == "timing":
        return Sheet(name, (clock_table(reading), program_table(reading), limit_table(reading)))
    if key == "inputs":
        return Sheet(name, (input_table(reading.found),), input_notes(reading.found))
    if key == "check":
        return Sheet(name, check_tables(beside.checked), check_notes(beside.checked, beside.revision))
    if key == "handover":
        return Sheet(name, handover_tables(reading, beside.snags), _notes(reading.rig.notes))
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
