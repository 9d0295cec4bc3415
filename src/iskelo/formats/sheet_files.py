"""Sheets for spreadsheets: CSV (RFC 4180, UTF-8 with a byte order mark) and XLSX, a table a worksheet.

No cell is a formula: what begins like one is told as the words it is. Figures are numbers, to be reckoned with.
"""

import csv
import io
import re
from dataclasses import dataclass, replace

from openpyxl import Workbook
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.properties import PageSetupProperties
from openpyxl.worksheet.worksheet import Worksheet

from iskelo.core.paperwork.sheet import Sheet, SheetColumn, SheetTable

_NUMBER = re.compile(r"[-−]?(0|[1-9]\d{0,14})(\.\d+)?")
_BECOMES = re.compile(
    r"0\d+|\d{16,}|\d+\.\d*0|\d+([.,]\d+)?e[-+]?\d+|\d{1,2}([-/]\d{1,4}){1,2}|\d{1,2}(\.\d{1,4}){2}|true|false",
    re.IGNORECASE,
)
"""What spreadsheets turn into something else where they are not told that it is text: without noughts at its beginning
or its end, a power of ten, a date (one as ISO 8601 has it is one); common practice, no published source.
"""
_BEGINS_A_FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What spreadsheets take for a formula at the beginning of a cell; common practice, no published source."""
WIDEST_CHARACTERS = 60
TITLE_MAX_CHARACTERS = 31
"""Of a worksheet's name; ``_NOT_IN_TITLES`` may not stand in it (as programs keep ECMA-376, from memory)."""
_NOT_IN_TITLES = re.compile(r"[\\/*?:\[\]]")


@dataclass(frozen=True, slots=True)
class SheetHead:
    """What every sheet carries: of which rig, of which revision, and the date (ISO 8601) it was made on."""

    rig: str
    revision: int
    date: str

    def words(self, sheet: Sheet) -> str:
        """One line for the head of a page. Example: 'Line list · Orrin Point · rev 3 · 2026-11-28'."""
        return f"{sheet.name.title} · {self.rig} · rev {self.revision} · {self.date}"


def as_number(cell: str) -> float | None:
    """The number that a cell of figures is, if it is nothing else. Example: '−18.0' is -18.0, '~5' and '007' none."""
    return float(cell.replace("−", "-")) if _NUMBER.fullmatch(cell) else None


def as_words(cell: str) -> str:
    """A cell that no program takes for a formula, a date or another number than is written there."""
    bare = cell.lstrip("'")
    return f"'{cell}" if bare.startswith(_BEGINS_A_FORMULA) or _BECOMES.fullmatch(bare) else cell


def is_figure(column: SheetColumn, cell: str) -> bool:
    """Whether a cell is a number to be reckoned with: a name that is made of digits is none."""
    return column.figures and as_number(cell) is not None


def with_bars(table: SheetTable) -> SheetTable:
    """A table whose change bars are a column of their own, for files that have no bars."""
    if not table.changed:
        return table
    rows = tuple((*row, "changed" if bar else "") for row, bar in zip(table.rows, table.changed, strict=True))
    return replace(table, columns=(*table.columns, SheetColumn("Changed")), rows=rows, changed=())


def write_csv(sheet: Sheet, head: SheetHead) -> bytes:
    """A sheet as CSV: its head, then its tables one below the other, an empty row between them."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([as_words(head.words(sheet))])
    for note in sheet.notes:
        writer.writerow([as_words(note)])
    for table in map(with_bars, sheet.tables):
        writer.writerow([])
        writer.writerow([as_words(table.title)])
        writer.writerow([as_words(column.title) for column in table.columns])
        for row in table.rows:
            cells = zip(table.columns, row, strict=True)
            writer.writerow([cell.replace("−", "-") if is_figure(at, cell) else as_words(cell) for at, cell in cells])
    return b"\xef\xbb\xbf" + text.getvalue().encode()


def write_xlsx(sheet: Sheet, head: SheetHead) -> bytes:
    """A sheet as a workbook, a worksheet a table; the head stands above each and prints on every page."""
    book = Workbook()
    first = book.active
    assert isinstance(first, Worksheet)
    book.remove(first)
    taken: list[str] = []
    for table in map(with_bars, sheet.tables):
        title = _title(table.title, taken)
        taken.append(title)
        _fill(book.create_sheet(title), table, (head.words(sheet), *sheet.notes))
    data = io.BytesIO()
    book.save(data)
    return data.getvalue()


def _title(wanted: str, taken: list[str]) -> str:
    plain = _NOT_IN_TITLES.sub("-", wanted)[:TITLE_MAX_CHARACTERS]
    number, title = 2, plain
    while title.casefold() in [each.casefold() for each in taken]:
        title = f"{plain[: TITLE_MAX_CHARACTERS - 4]} {number}"
        number += 1
    return title


def _fill(page: Worksheet, table: SheetTable, heads: tuple[str, ...]) -> None:
    bold = Font(bold=True)
    for at, words in enumerate(heads, start=1):
        put_words(page, at, 1, words)
    page.cell(1, 1).font = bold
    top = len(heads) + 2
    for place, column in enumerate(table.columns, start=1):
        put_words(page, top, place, column.title)
        page.cell(top, place).font = bold
        widest = max([len(column.title), *(len(row[place - 1]) for row in table.rows)])
        page.column_dimensions[get_column_letter(place)].width = min(WIDEST_CHARACTERS, widest) + 2
    for at, row in enumerate(table.rows, start=top + 1):
        for place, cell in enumerate(row, start=1):
            if is_figure(table.columns[place - 1], cell):
                page.cell(at, place, as_number(cell))
            else:
                put_words(page, at, place, cell)
            if table.columns[place - 1].figures:
                page.cell(at, place).alignment = Alignment(horizontal="right")
    page.freeze_panes = f"A{top + 1}"
    page.print_title_rows = f"1:{top}"
    page.page_setup.orientation = "landscape"
    page.page_setup.fitToWidth, page.page_setup.fitToHeight = 1, 0
    page.sheet_properties.pageSetUpPr = PageSetupProperties(fitToPage=True)


def put_words(page: Worksheet, at: int, place: int, words: str) -> None:
    """Words as such: a workbook says of every cell what it is, and this one is no formula."""
    cell = page.cell(at, place, words)
    cell.data_type = "s"
