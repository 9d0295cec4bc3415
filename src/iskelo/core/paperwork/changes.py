"""Change bars: which rows of a sheet are not what they were at an earlier revision, and what is not there any more."""

from dataclasses import replace

from iskelo.core.paperwork.sheet import Sheet, SheetTable
from iskelo.core.rig.text import few

GONE_SHOWN = 8


def with_changes(sheet: Sheet, earlier: Sheet | None, since: str) -> Sheet:
    """The sheet with a bar at every row that is new, or says something else, since an earlier one.

    ``earlier`` None: the whole sheet is new. What is gone is told in a note; ``since`` says since when.
    """
    before = {table.title: table for table in earlier.tables} if earlier is not None else {}
    tables = tuple(_barred(table, before.get(table.title)) for table in sheet.tables)
    count = sum(map(sum, (table.changed for table in tables)))
    note = f"Bars mark what changed since {since}: {count} row{'' if count == 1 else 's'}."
    gone = [name for table in tables for name in _gone(table, before.get(table.title))]
    if gone:
        note += f" Not there any more: {few(gone, GONE_SHOWN)}."
    return replace(sheet, tables=tables, notes=(*sheet.notes, note))


def _named(table: SheetTable, row: tuple[str, ...]) -> str:
    """What a row is about: its first cell that is no place in the list."""
    first = next((place for place, column in enumerate(table.columns) if column.title != "#"), 0)
    return row[first]


def _said(table: SheetTable, row: tuple[str, ...]) -> tuple[str, ...]:
    """What a row says, wherever it stands in a list; of ports the place is what it is about."""
    listed = table.columns[0].title == "#" and table.title in ("Lines", "Not as wanted")
    return row[1:] if listed else row


def _barred(table: SheetTable, before: SheetTable | None) -> SheetTable:
    old = {_said(before, row) for row in before.rows} if before is not None else set()
    return replace(table, changed=tuple(_said(table, row) not in old for row in table.rows))


def _gone(table: SheetTable, before: SheetTable | None) -> list[str]:
    if before is None or not before.columns or (before.columns[0].title == "#" and table.title != "Lines"):
        return []
    there = {_named(table, row) for row in table.rows}
    return [name for row in before.rows if (name := _named(before, row)) and name not in there]
