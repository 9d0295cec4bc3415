"""The first sheet of an XLSX workbook (ECMA-376), read cell by cell and bounded before anything is loaded.

A small file can hold a great deal: its parts are packed, one merged area can span a million rows, and one cell can
stand in the last of them. The parts are measured as they are unpacked; rows without anything in them cost nothing.
"""

import bisect
import io
import re
import zipfile
from collections.abc import Iterator
from typing import Any

import openpyxl
from openpyxl.utils.cell import range_boundaries

from iskelo.formats.refusal import Unreadable

WORKBOOK_MAX_BYTES = 8 * 1024 * 1024
UNPACKED_MAX_BYTES = 64 * 1024 * 1024
PARTS_MAX = 2000
CELLS_MAX = 250_000
TEXTS_MAX = 250_000
MERGES_MAX = 2000
LOOKED_AT_BYTES = 1024 * 1024

_CELL = re.compile(rb"<(?:\w{1,20}:)?c[ />]")
_TEXT = re.compile(rb"<(?:\w{1,20}:)?si[ />]")
_MERGE = re.compile(rb"<(?:\w{1,20}:)?mergeCell\s[^>]{0,200}?ref=[\"']([A-Za-z0-9:$]{1,40})[\"']")
_ROW = re.compile(rb"<(?:\w{1,20}:)?row\s[^>]{0,200}?\br=[\"']([^\"'>]{0,40})[\"']")
_TAG_MAX_BYTES = 300
LAST_ROW = 1_048_576
"""A sheet has no row behind this one (ECMA-376 as programs keep it, from memory)."""

Rows = dict[int, list[str]]
"""The rows that hold anything, by their number in the sheet."""


def read_sheet(data: bytes, rows_max: int, above: int, columns_max: int) -> tuple[Rows, str, tuple[str, ...]]:
    """The first sheet's filled rows, its name, and what a person should know: merged cells, other sheets.

    At most ``rows_max`` of them, and ``above`` for what stands over a list.

    What stands in a merged area counts for each of its rows that holds something else too, in its first column.

    Raises
    ------
    Unreadable
        With the reason, if it is too large, holds too much, or is no workbook.
    """
    if len(data) > WORKBOOK_MAX_BYTES:
        raise Unreadable("", f"the workbook is larger than {WORKBOOK_MAX_BYTES // 1024 // 1024} MiB")
    try:
        merges = _bounded(data)
        workbook = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        try:
            return _read(workbook, merges, (rows_max, above), columns_max)
        finally:
            workbook.close()
    except (Unreadable, MemoryError):
        raise
    except Exception as error:  # the reader raises whatever its parts raise; all mean that this is no workbook
        raise Unreadable("", f"this is no XLSX workbook that can be read ({type(error).__name__})") from None


def _read(
    workbook: Any, merges: dict[str, list[str]], most: tuple[int, int], columns_max: int
) -> tuple[Rows, str, tuple[str, ...]]:
    sheets = [sheet for sheet in workbook.worksheets if hasattr(sheet, "iter_rows")]
    if not sheets:
        raise Unreadable("", "the workbook has no sheet with cells")
    sheet = sheets[0]
    rows: Rows = {}
    for number, cells in enumerate(sheet.iter_rows(values_only=True, max_col=columns_max), start=1):
        if number > LAST_ROW:
            raise _beyond(str(number))
        if cells.count(None) == len(cells):
            continue
        texts = [cell_text(value) for value in cells]
        while texts and not texts[-1]:
            texts.pop()
        if texts:
            rows[number] = texts
            if len(rows) > sum(most):
                raise Unreadable("", f"the sheet has more than {most[0]} rows; at most {most[0]} are read at once")
    notes = _spread(rows, merges.get(_part_of(sheet), []), columns_max)
    if len(workbook.sheetnames) > 1:
        others = ", ".join(workbook.sheetnames[1:4])
        notes = (*notes, f"the first sheet, {sheet.title}, is read; {others} left out")
    return rows, str(sheet.title), notes


def _beyond(number: str) -> Unreadable:
    return Unreadable("", f"the sheet says that it has a row {number}; the last one of a sheet is {LAST_ROW}")


def _part_of(sheet: Any) -> str:
    """The name of a sheet's part in the packed workbook; the library has it under a name of its own."""
    return str(getattr(sheet, "_worksheet_path", "")).lstrip("/")


def _bounded(data: bytes) -> dict[str, list[str]]:
    """Measure the parts while they are unpacked, keeping none; the merged areas of every sheet."""
    merges: dict[str, list[str]] = {}
    unpacked = 0
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        parts = packed.infolist()
        if len(parts) > PARTS_MAX:
            raise Unreadable("", f"the workbook has more than {PARTS_MAX} parts")
        for part in parts:
            is_sheet, is_texts = "worksheets/" in part.filename, "sharedStrings" in part.filename
            cells = texts = 0
            for piece, new in _pieces(packed, part):
                unpacked += new
                if unpacked > UNPACKED_MAX_BYTES:
                    raise Unreadable("", f"the workbook unpacks to more than {UNPACKED_MAX_BYTES // 1024 // 1024} MiB")
                if is_sheet:
                    odd = next((match[1] for match in _ROW.finditer(piece) if not _is_row(match[1])), None)
                    if odd is not None:
                        raise _beyond(odd.decode(errors="replace"))
                    cells += sum(1 for _ in _CELL.finditer(piece))
                    merges.setdefault(part.filename, []).extend(match[1].decode() for match in _MERGE.finditer(piece))
                if is_texts:
                    texts += sum(1 for _ in _TEXT.finditer(piece))
                if cells > CELLS_MAX or texts > TEXTS_MAX:
                    raise Unreadable("", f"a sheet has more than {CELLS_MAX} cells; copy the list into one of its own")
                if len(merges.get(part.filename, ())) > MERGES_MAX:
                    raise Unreadable("", f"a sheet has more than {MERGES_MAX} merged areas; part them first")
    return merges


def _is_row(number: bytes) -> bool:
    return number.isdigit() and 1 <= int(number) <= LAST_ROW


def _pieces(packed: zipfile.ZipFile, part: zipfile.ZipInfo) -> Iterator[tuple[bytes, int]]:
    """A part in pieces, cut between tags, with how many bytes are new in each."""
    left = b""
    with packed.open(part) as file:
        while new := file.read(LOOKED_AT_BYTES):
            piece = left + new
            cut = piece.rfind(b"<", max(0, len(piece) - _TAG_MAX_BYTES))
            left = piece[cut:] if cut > 0 else b""
            yield piece[: cut if cut > 0 else None], len(new)
    if left:
        yield left, 0


def _spread(rows: Rows, areas: list[str], columns_max: int) -> tuple[str, ...]:
    """Give each filled row of a merged area the value of its first cell; says which areas."""
    numbers = sorted(rows)
    spread = []
    for area in areas:
        first_column, first_row, _, last_row = range_boundaries(area)
        if first_column is None or first_row is None or last_row is None or first_column > columns_max:
            continue
        spread.append(area)
        value = _at(rows.get(first_row), first_column - 1)
        if not value:
            continue
        for number in numbers[bisect.bisect_left(numbers, first_row) : bisect.bisect_right(numbers, last_row)]:
            cells = rows[number]
            cells += [""] * (first_column - len(cells))
            cells[first_column - 1] = value
    if not spread:
        return ()
    shown = ", ".join(spread[:6]) + (f" and {len(spread) - 6} more" if len(spread) > 6 else "")
    return (f"merged cells ({shown}): what they hold counts for each of their rows, in the first column",)


def _at(cells: list[str] | None, column: int) -> str:
    return cells[column] if cells is not None and column < len(cells) else ""


def cell_text(value: object) -> str:
    """A cell as a person reads it: 3.0 is 3."""
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)
