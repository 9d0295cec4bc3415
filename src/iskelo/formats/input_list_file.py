"""Input lists as sheets: CSV (comma, semicolon or tab; UTF-8 or Latin-1), pasted cells, or XLSX (first sheet)."""

import csv
import io
import re
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass

from openpyxl import Workbook
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.worksheet import Worksheet

from iskelo.core.edits.input_list import InputRow
from iskelo.core.paperwork.sheet import SheetTable
from iskelo.formats.refusal import Unreadable
from iskelo.formats.sheet_files import as_words, is_figure, put_words
from iskelo.formats.workbook import read_sheet

LIST_MAX_BYTES = 1024 * 1024
LIST_MAX_ROWS = 1000
COLUMNS_MAX = 64
CELL_MAX_CHARACTERS = 4000
HEADER_WITHIN_ROWS = 20

HEADERS: dict[str, tuple[str, ...]] = {
    "name": (
        *("name", "line", "linename", "label", "what", "description"),
        *("bezeichnung", "beschreibung", "was", "nom", "libelle", "nombre", "nome", "naam", "omschrijving", "nazwa"),
        *("namn", "navn"),
    ),
    "source": (
        *("source", "from", "mic", "microphone", "instrument", "sourcename"),
        *("quelle", "mikrofon", "mikro", "von", "micro", "microfono", "origine", "fuente", "origen", "fonte"),
        *("sorgente", "bron", "microfoon", "zrodlo", "kalla", "kilde"),
    ),
    "box_input": (
        *("boxinput", "boxin", "box", "input", "jack", "socket", "inputjack", "boxjack", "in", "channel", "ch"),
        *("eingang", "kanal", "buchse", "entree", "canal", "voie", "entrada", "ingresso", "canale", "ingang"),
        *("kanaal", "wejscie", "ingang", "inngang"),
    ),
    "track": (
        *("track", "to", "target", "trackname", "destination", "recordto"),
        *("spur", "ziel", "piste", "pista", "traccia", "spoor", "sciezka", "spar", "spor"),
    ),
    "heard_at": (
        *("heardat", "headphones", "phones", "heard", "monitor", "listenat", "hears"),
        *("kopfhorer", "zuhoren", "casque", "ecoute", "auriculares", "cascos", "cuffie", "koptelefoon", "sluchawki"),
        *("horlurar", "horetelefoner"),
    ),
    "purpose": (
        *("purpose", "use", "kind", "for", "recordorlisten"),
        *("zweck", "art", "usage", "uso", "scopo", "doel", "cel"),
    ),
    "limit": (
        *("limit", "limitms", "longestdelay", "longestdelayms", "delay", "delayms", "within", "maxdelay", "ms"),
        *("grenze", "verzogerung", "latenz", "retard", "limite", "retardo", "ritardo", "vertraging", "opoznienie"),
    ),
    "phantom": (
        *("phantom", "phantompower", "phantomsupply", "48v", "p48", "phantom48v", "needsphantom", "supply"),
        *("phantomspeisung", "speisung", "alimentationfantome", "fantome", "alimentacionphantom", "fantasma"),
        *("alimentazionephantom", "phantomvoeding", "zasilaniephantom", "fantommatning", "fantom"),
    ),
    "through": (
        *("through", "via", "passes", "insert", "inserts", "outboard"),
        *("durch", "uber", "par", "atravesde", "por", "attraverso", "tramite", "door", "przez", "genom", "gjennom"),
    ),
}
"""Accepted titles in several languages, without case, accents, spaces and punctuation."""

ORDER = ("name", "source", "box_input", "track", "purpose", "limit")
"""The columns of a list without titles."""

Row = tuple[int, tuple[str, ...]]
"""A row's number in the file, and its cells."""


@dataclass(frozen=True, slots=True)
class ListFile:
    """A list as read: its cells, the titles of its columns, and which column was taken for which field.

    ``notes`` say what a person should know before anything is made: merged cells, a missing header row. ``asks``: no
    header row was found, so nobody knows which column is what.
    """

    cells: tuple[Row, ...]
    titles: tuple[str, ...]
    mapping: dict[str, int]
    kind: str
    notes: tuple[str, ...]
    asks: bool = False

    def unused(self, mapping: dict[str, int]) -> tuple[str, ...]:
        """The titles of columns that hold something and stand for nothing."""
        filled = {column for _, cells in self.cells for column, cell in enumerate(cells) if cell}
        return tuple(self.titles[column] for column in sorted(filled - set(mapping.values())))


def is_workbook(data: bytes) -> bool:
    """Whether a file is packed as XLSX workbooks are."""
    return data.startswith(b"PK\x03\x04")


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
    if is_workbook(data):
        rows, kind, notes = _read_workbook(data)
    else:
        rows, kind, notes = _read_text(data)
    if not rows:
        raise Unreadable("", "the list is empty")
    at, mapping = _header(rows)
    width = max(len(cells) for _, cells in rows)
    if at is None:
        titles = tuple(f"Column {get_column_letter(column + 1)}" for column in range(width))
        mapping = {field: column for column, field in enumerate(ORDER) if column < width}
        notes = (*notes, "no row with titles was found: say which column is what")
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
    return ListFile(padded, titles, mapping, kind, notes, at is None)


def write_list_csv(table: SheetTable) -> bytes:
    """An input list as CSV with nothing but its titles and rows; ``read_input_list`` gives the same rows back."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([column.title for column in table.columns])
    for row in table.rows:
        cells = zip(table.columns, row, strict=True)
        writer.writerow([cell if is_figure(column, cell) else as_words(cell) for column, cell in cells])
    return b"\xef\xbb\xbf" + text.getvalue().encode()


def write_list_xlsx(table: SheetTable) -> bytes:
    """The same as a workbook of one sheet."""
    book = Workbook()
    page = book.active
    assert isinstance(page, Worksheet)
    page.title = table.title
    for at, row in enumerate(([column.title for column in table.columns], *table.rows), start=1):
        for place, cell in enumerate(row, start=1):
            put_words(page, at, place, cell)
    page.freeze_panes = "A2"
    data = io.BytesIO()
    book.save(data)
    return data.getvalue()


def _meant(cell: str) -> str:
    """A cell without the apostrophe that keeps other programs from taking it for a formula."""
    return cell[1:] if cell.startswith("'") and as_words(cell[1:]) == cell else cell


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
    # A workbook says of every cell that it is text, and needs no apostrophe for it.
    meant = _meant if not found.kind.startswith("XLSX") else str
    for number, cells in found.cells:
        values = {field: meant(cells[column]) for field, column in mapping.items()}
        values.setdefault("source", values.get("name", ""))
        rows.append(InputRow(number=number, **values))
    return tuple(rows)


def _header(rows: list[Row]) -> tuple[int | None, dict[str, int]]:
    """The first row that names a source or a name column; None if there is none near the top."""
    for place, (_, cells) in enumerate(rows[:HEADER_WITHIN_ROWS]):
        mapping: dict[str, int] = {}
        for column, title in enumerate(cells):
            bare = _bare(title)
            field = next((field for field, names in HEADERS.items() if bare in names), None)
            if field is not None and field not in mapping:
                mapping[field] = column
        if {"source", "name"} & set(mapping) and (len(mapping) > 1 or sum(map(bool, cells)) == 1):
            return place, mapping
    return None, {}


def _bare(title: str) -> str:
    """A title without case, accents, spaces and punctuation. Example: 'Zu hören' becomes 'zuhoren'."""
    plain = unicodedata.normalize("NFKD", title.casefold().replace("ł", "l").replace("ø", "o"))
    return re.sub(r"[^a-z0-9]", "", plain)


def _read_text(data: bytes) -> tuple[list[Row], str, tuple[str, ...]]:
    if len(data) > LIST_MAX_BYTES:
        raise Unreadable("", f"the list is larger than {LIST_MAX_BYTES // 1024} KiB")
    text, encoding = _decode(data)
    if "\0" in text:
        raise Unreadable("", "the file holds binary data; save the list as CSV or XLSX")
    first = next((line for line in text.splitlines() if line.strip()), "")
    separator = max(",;\t", key=first.count)
    try:
        rows = _filled(enumerate(csv.reader(io.StringIO(text, newline=""), delimiter=separator), start=1))
    except csv.Error as error:
        raise Unreadable("", f"the list cannot be split into cells: {error}") from None
    named = {",": "comma", ";": "semicolon", "\t": "tab"}[separator]
    return rows, f"{named}, {encoding}", ()


def _decode(data: bytes) -> tuple[str, str]:
    try:
        return data.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        return data.decode("latin-1"), "Latin-1"


def _filled(rows: Iterator[tuple[int, list[str]]]) -> list[Row]:
    """The rows that hold anything, their cells cut to size."""
    filled: list[Row] = []
    for number, cells in rows:
        if any(cell.strip() for cell in cells):
            filled.append((number, tuple(cell.strip()[:CELL_MAX_CHARACTERS] for cell in cells[:COLUMNS_MAX])))
        if len(filled) > LIST_MAX_ROWS + HEADER_WITHIN_ROWS:
            raise Unreadable(
                "", f"the list has more than {LIST_MAX_ROWS} rows; at most {LIST_MAX_ROWS} are read at once"
            )
    return filled


def _read_workbook(data: bytes) -> tuple[list[Row], str, tuple[str, ...]]:
    rows, sheet, notes = read_sheet(data, LIST_MAX_ROWS, HEADER_WITHIN_ROWS, COLUMNS_MAX)
    return _filled(iter(rows.items())), f"XLSX, sheet {sheet}", notes
