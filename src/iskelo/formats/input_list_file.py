"""Input lists as sheets: CSV (comma, semicolon or tab; UTF-8 or Latin-1), pasted cells, or XLSX (first sheet)."""

import csv
import io
import re
import zipfile
from dataclasses import dataclass

import openpyxl
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.worksheet import Worksheet

from iskelo.core.edits.input_list import InputRow
from iskelo.formats.refusal import Unreadable

LIST_MAX_BYTES = 1024 * 1024
SHEET_MAX_BYTES = 8 * 1024 * 1024
SHEET_MAX_UNPACKED_BYTES = 64 * 1024 * 1024
LIST_MAX_ROWS = 1000
COLUMNS_MAX = 64
CELL_MAX_CHARACTERS = 4000
HEADER_WITHIN_ROWS = 20

HEADERS: dict[str, tuple[str, ...]] = {
    "name": ("name", "line", "linename", "label", "what", "description"),
    "source": ("source", "from", "mic", "microphone", "instrument", "sourcename"),
    "box_input": ("boxinput", "boxin", "box", "input", "jack", "socket", "inputjack", "boxjack", "in"),
    "track": ("track", "to", "target", "trackname", "destination", "heardat", "headphones", "recordto"),
    "purpose": ("purpose", "use", "kind", "for", "recordorlisten"),
    "limit": ("limit", "limitms", "longestdelay", "longestdelayms", "delay", "delayms", "within", "maxdelay", "ms"),
}
"""Accepted header names, without case, spaces and punctuation; their order is that of a list without a header."""

Row = tuple[int, tuple[str, ...]]
"""A row's number in the file, and its cells."""


@dataclass(frozen=True, slots=True)
class ListFile:
    """A list as read: its cells, the titles of its columns, and which column was taken for which field.

    ``notes`` say what a person should know before anything is made: merged cells, a missing header row.
    """

    cells: tuple[Row, ...]
    titles: tuple[str, ...]
    mapping: dict[str, int]
    kind: str
    notes: tuple[str, ...]


def read_input_list(data: bytes) -> ListFile:
    """Read an input list: text or an XLSX workbook, told apart by how it begins.

    Raises
    ------
    Unreadable
        With the place and the reason, if it is too large, something else, or empty.
    """
    if data.startswith(b"%PDF"):
        raise Unreadable("", "this is a PDF, whatever its name says; export the list as XLSX or CSV")
    if data.startswith(b"\xd0\xcf\x11\xe0"):
        raise Unreadable("", "this is a workbook of the old binary kind; save it as XLSX or CSV")
    if data.startswith(b"PK\x03\x04"):
        rows, kind, notes = _read_workbook(data)
    else:
        rows, kind, notes = _read_text(data)
    if not rows:
        raise Unreadable("", "the list is empty")
    at, mapping = _header(rows)
    width = max(len(cells) for _, cells in rows)
    if at is None:
        titles = tuple(f"Column {get_column_letter(column + 1)}" for column in range(width))
        mapping = {field: column for column, field in enumerate(HEADERS) if column < width}
        notes = (*notes, "no header row was found: the columns are taken in the order shown; correct it above them")
        body = rows
    else:
        number, header = rows[at]
        titles = tuple(
            (header[column] if column < len(header) else "") or f"Column {get_column_letter(column + 1)}"
            for column in range(width)
        )
        if at:
            notes = (*notes, f"the header is row {number}; what stands above it is left out")
        body = rows[at + 1 :]
    if len(body) > LIST_MAX_ROWS:
        raise Unreadable("", f"the list has {len(body)} rows; at most {LIST_MAX_ROWS} are read at once")
    padded = tuple((number, (*cells, *[""] * (width - len(cells)))) for number, cells in body)
    return ListFile(padded, titles, mapping, kind, notes)


def mapped_rows(found: ListFile, mapping: dict[str, int]) -> tuple[InputRow, ...]:
    """The rows of a list with its columns taken as ``mapping`` says; a row without a source takes its name.

    Raises
    ------
    Unreadable
        If a column is named that the list does not have.
    """
    beyond = [field for field, column in mapping.items() if column >= len(found.titles)]
    if beyond:
        raise Unreadable(beyond[0], f"the list has {len(found.titles)} columns")
    rows = []
    for number, cells in found.cells:
        values = {field: cells[column] for field, column in mapping.items()}
        values.setdefault("source", values.get("name", ""))
        rows.append(InputRow(number=number, **values))
    return tuple(rows)


def _header(rows: list[Row]) -> tuple[int | None, dict[str, int]]:
    """The first row that names a source or a name column; None if there is none near the top."""
    for place, (_, cells) in enumerate(rows[:HEADER_WITHIN_ROWS]):
        mapping: dict[str, int] = {}
        for column, title in enumerate(cells):
            bare = re.sub(r"[^a-z0-9]", "", title.casefold())
            field = next((field for field, names in HEADERS.items() if bare in names), None)
            if field is not None and field not in mapping:
                mapping[field] = column
        if {"source", "name"} & set(mapping) and (len(mapping) > 1 or sum(map(bool, cells)) == 1):
            return place, mapping
    return None, {}


def _read_text(data: bytes) -> tuple[list[Row], str, tuple[str, ...]]:
    if len(data) > LIST_MAX_BYTES:
        raise Unreadable("", f"the list is larger than {LIST_MAX_BYTES // 1024} KiB")
    text, encoding = _decode(data)
    if "\0" in text:
        raise Unreadable("", "the file holds binary data; save the list as CSV or XLSX")
    first = next((line for line in text.splitlines() if line.strip()), "")
    separator = max(",;\t", key=first.count)
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    except csv.Error as error:
        raise Unreadable("", f"the list cannot be split into cells: {error}") from None
    named = {",": "comma", ";": "semicolon", "\t": "tab"}[separator]
    return _filled(enumerate(rows, start=1)), f"{named}, {encoding}", ()


def _decode(data: bytes) -> tuple[str, str]:
    try:
        return data.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        return data.decode("latin-1"), "Latin-1"


def _filled(rows: "enumerate[list[str]] | list[tuple[int, list[str]]]") -> list[Row]:
    """The rows that hold anything, their cells cut to size."""
    return [
        (number, tuple(cell.strip()[:CELL_MAX_CHARACTERS] for cell in cells[:COLUMNS_MAX]))
        for number, cells in rows
        if any(cell.strip() for cell in cells)
    ]


def _read_workbook(data: bytes) -> tuple[list[Row], str, tuple[str, ...]]:
    if len(data) > SHEET_MAX_BYTES:
        raise Unreadable("", f"the workbook is larger than {SHEET_MAX_BYTES // 1024 // 1024} MiB")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if sum(entry.file_size for entry in packed.infolist()) > SHEET_MAX_UNPACKED_BYTES:
                raise Unreadable(
                    "", f"the workbook unpacks to more than {SHEET_MAX_UNPACKED_BYTES // 1024 // 1024} MiB"
                )
        _refuse_long(data)
        workbook = openpyxl.load_workbook(io.BytesIO(data), data_only=True)
    except Unreadable:
        raise
    except Exception as error:  # the reader raises whatever its parts raise; all mean that this is no workbook
        raise Unreadable("", f"this is no XLSX workbook that can be read ({type(error).__name__})") from None
    sheets = [sheet for sheet in workbook.worksheets if isinstance(sheet, Worksheet)]
    if not sheets:
        raise Unreadable("", "the workbook has no sheet with cells")
    sheet = sheets[0]
    notes = _spread_merged(sheet)
    if len(workbook.sheetnames) > 1:
        others = ", ".join(workbook.sheetnames[1:4])
        notes = (*notes, f"the first sheet, {sheet.title}, is read; {others} left out")
    rows = [
        (number, [_cell_text(value) for value in cells])
        for number, cells in enumerate(sheet.iter_rows(values_only=True, max_col=COLUMNS_MAX), start=1)
    ]
    return _filled(rows), f"XLSX, sheet {sheet.title}", notes


def _refuse_long(data: bytes) -> None:
    """Count the first sheet's rows without keeping them; a sheet of 100 000 rows is refused before it is loaded."""
    counting = openpyxl.load_workbook(io.BytesIO(data), read_only=True)
    try:
        if not counting.worksheets:
            return
        limit = LIST_MAX_ROWS + HEADER_WITHIN_ROWS
        filled = 0
        for cells in counting.worksheets[0].iter_rows(values_only=True, max_col=COLUMNS_MAX):
            filled += any(value is not None for value in cells)
            if filled > limit:
                rows = counting.worksheets[0].max_row
                raise Unreadable("", f"the sheet has {rows} rows; at most {LIST_MAX_ROWS} are read at once")
    finally:
        counting.close()


def _spread_merged(sheet: Worksheet) -> tuple[str, ...]:
    """Part merged cells, giving each the value of the first; says which."""
    spread = []
    for area in list(sheet.merged_cells.ranges):
        value = sheet.cell(area.min_row, area.min_col).value
        sheet.unmerge_cells(str(area))
        for row in range(area.min_row, area.max_row + 1):
            sheet.cell(row, area.min_col).value = value
        spread.append(str(area))
    if not spread:
        return ()
    shown = ", ".join(spread[:6]) + (f" and {len(spread) - 6} more" if len(spread) > 6 else "")
    return (f"merged cells ({shown}): what they hold counts for each of their rows, in the first column",)


def _cell_text(value: object) -> str:
    """A cell as a person reads it: 3.0 is 3."""
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)
