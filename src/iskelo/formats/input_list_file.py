"""Input lists as CSV: comma, semicolon or tab; UTF-8 with or without mark, else Latin-1; loose headers."""

import csv
import io
import re
from dataclasses import dataclass

from iskelo.core.edits.input_list import InputRow
from iskelo.formats.refusal import Unreadable

LIST_MAX_BYTES = 1024 * 1024
LIST_MAX_ROWS = 1000
CELL_MAX_CHARACTERS = 4000

HEADERS: dict[str, tuple[str, ...]] = {
    "name": ("name", "line", "linename", "label", "what", "description"),
    "source": ("source", "from", "mic", "microphone", "instrument", "sourcename"),
    "box_input": ("boxinput", "boxin", "box", "input", "jack", "socket", "inputjack", "boxjack", "in"),
    "track": ("track", "to", "target", "trackname", "destination", "heardat", "headphones", "recordto"),
    "purpose": ("purpose", "use", "kind", "for", "recordorlisten"),
    "limit": ("limit", "limitms", "longestdelay", "longestdelayms", "delay", "delayms", "within", "maxdelay", "ms"),
}
"""Accepted header names, without case, spaces and punctuation."""


@dataclass(frozen=True, slots=True)
class ListFile:
    """A list as read: rows by field, which column went where, and the columns that were left out."""

    rows: tuple[InputRow, ...]
    mapping: dict[str, str]
    left_out: tuple[str, ...]
    separator: str
    encoding: str


def read_input_list(data: bytes) -> ListFile:
    """Read a CSV input list.

    Raises
    ------
    Unreadable
        With the row and the reason, if it is too large, no text, or has no header row with a name or source.
    """
    if len(data) > LIST_MAX_BYTES:
        raise Unreadable("", f"the list is larger than {LIST_MAX_BYTES // 1024} KiB")
    text, encoding = _decode(data)
    if "\0" in text:
        raise Unreadable("", "the file holds binary data; save the list as CSV text")
    lines = text.splitlines()
    first = next((line for line in lines if line.strip()), "")
    separator = max(",;\t", key=first.count)
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    except csv.Error as error:
        raise Unreadable("", f"the list cannot be split into cells: {error}") from None
    filled = [(number, row) for number, row in enumerate(rows, start=1) if any(cell.strip() for cell in row)]
    if not filled:
        raise Unreadable("", "the list is empty")
    header_row, header = filled[0]
    fields, left_out = _match(header)
    if "source" not in fields.values() and "name" not in fields.values():
        raise Unreadable(
            f"row {header_row}",
            "no header row found: the first row must name its columns (name, source, box input, track, purpose, limit)",
        )
    if len(filled) - 1 > LIST_MAX_ROWS:
        raise Unreadable("", f"the list has {len(filled) - 1} rows; at most {LIST_MAX_ROWS} are read at once")
    return ListFile(
        rows=tuple(_row(number, row, fields) for number, row in filled[1:]),
        mapping={field: header[column].strip() for column, field in fields.items()},
        left_out=left_out,
        separator={",": "comma", ";": "semicolon", "\t": "tab"}[separator],
        encoding=encoding,
    )


def _decode(data: bytes) -> tuple[str, str]:
    try:
        return data.decode("utf-8-sig"), "UTF-8"
    except UnicodeDecodeError:
        return data.decode("latin-1"), "Latin-1"


def _match(header: list[str]) -> tuple[dict[int, str], tuple[str, ...]]:
    fields: dict[int, str] = {}
    left_out = []
    for column, title in enumerate(header):
        bare = re.sub(r"[^a-z0-9]", "", title.casefold())
        field = next((field for field, names in HEADERS.items() if bare in names), None)
        if field is not None and field not in fields.values():
            fields[column] = field
        elif title.strip():
            left_out.append(title.strip())
    return fields, tuple(left_out)


def _row(number: int, cells: list[str], fields: dict[int, str]) -> InputRow:
    values = {
        field: cells[column].strip()[:CELL_MAX_CHARACTERS] for column, field in fields.items() if column < len(cells)
    }
    values.setdefault("source", values.get("name", ""))
    return InputRow(number=number, **values)
