"""Label strips as PDF, to the millimetre: a cell a channel, to be cut out and laid over the jacks."""

import io
from collections.abc import Iterator
from typing import Annotated

from pydantic import Field
from reportlab.lib.units import mm
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase.pdfmetrics import stringWidth

from iskelo.core.paperwork.sheet import Sheet, SheetTable
from iskelo.formats.sheet_files import SheetHead
from iskelo.formats.sheet_pdf import BOLD, MARGIN, REGULAR, SIZES, Pages, Paper, register_fonts

WidthMm = Annotated[float, Field(ge=5, le=100, allow_inf_nan=False)]
HeightMm = Annotated[float, Field(ge=5, le=60, allow_inf_nan=False)]
USUAL_WIDTH_MM, USUAL_HEIGHT_MM = 25.0, 12.0
LARGEST, SMALLEST, STEP = 11.0, 4.0, 0.5
"""Sizes of letters in points that are tried for a label, the largest that fits being taken."""
LEADING = 1.1
BASELINE = 0.85
"""How far under its top a line stands, of its size."""
NUMBER_POINTS = 5.0
PADDING = 0.6 * mm
GAP = 8 * mm
"""Between two strips: room for the scissors and for the strip's title."""


def write_labels(
    sheet: Sheet,
    head: SheetHead,
    paper: Paper = "A4",
    width_mm: float = USUAL_WIDTH_MM,
    height_mm: float = USUAL_HEIGHT_MM,
) -> bytes:
    """Every table of a sheet of labels as strips, as many cells side by side as the page has room for.

    Parameters
    ----------
    width_mm, height_mm
        Of a cell; printed at full size, it measures just that. A cell that is wider than the page is made as wide as
        the page.
    """
    register_fonts()
    page_width, page_height = SIZES[paper]
    data = io.BytesIO()
    canvas = Pages(data, pagesize=(page_width, page_height), words=f"{head.words(sheet)} · print at 100 %")
    width, height = min(width_mm * mm, page_width - 2 * MARGIN), height_mm * mm
    across = max(1, int((page_width - 2 * MARGIN) / width + 1e-9))
    top = page_height - MARGIN - 10 * mm
    at = top
    for title, cells in _strips(sheet.tables, across):
        if at - GAP - height < MARGIN + 6 * mm:
            canvas.showPage()
            at = top
        canvas.setFont(REGULAR, 6)
        canvas.drawString(MARGIN, at - GAP + 1 * mm, title)
        at -= GAP + height
        for place, (number, label) in enumerate(cells):
            _cell(canvas, (MARGIN + place * width, at, width, height), number, label)
    canvas.showPage()
    canvas.setTitle(head.words(sheet))
    canvas.save()
    return data.getvalue()


def _strips(tables: tuple[SheetTable, ...], across: int) -> Iterator[tuple[str, tuple[tuple[str, ...], ...]]]:
    """Rows of cells that fit beside each other, each with its title."""
    for table in tables:
        for first in range(0, len(table.rows), across):
            some = table.rows[first : first + across]
            yield f"{table.title} {some[0][0]}–{some[-1][0]}", some


def _cell(canvas: Pages, place: tuple[float, float, float, float], number: str, label: str) -> None:
    """One cell: its outline to cut along, its number small in the corner, its label as large as fits."""
    x, y, width, height = place
    canvas.setLineWidth(0.4)
    canvas.rect(x, y, width, height)
    canvas.setFont(REGULAR, NUMBER_POINTS)
    canvas.drawString(x + PADDING, y + height - NUMBER_POINTS, number)
    room = height - NUMBER_POINTS - PADDING
    points, lines = fitted(label, width - 2 * PADDING, room)
    canvas.setFont(BOLD, points)
    below = y + (room + len(lines) * points * LEADING) / 2 - BASELINE * points
    for line in lines:
        canvas.drawCentredString(x + width / 2, below, line)
        below -= points * LEADING


def fitted(label: str, width: float, height: float) -> tuple[float, list[str]]:
    """The largest letters in which a label fits into a cell, and its lines; in the smallest a word may be parted.

    Returns
    -------
    points, lines
        Nothing of the label is left out, and no line is wider than the cell.
    """
    points = LARGEST
    while points > SMALLEST:
        lines = simpleSplit(label, BOLD, points, width)
        fits = all(stringWidth(line, BOLD, points) <= width for line in lines)
        if fits and len(lines) * points * LEADING <= height:
            return points, lines
        points -= STEP
    lines = [part for line in simpleSplit(label, BOLD, SMALLEST, width) for part in _parted(line, width)]
    return min(SMALLEST, height / (LEADING * max(1, len(lines)))), lines


def _parted(line: str, width: float) -> Iterator[str]:
    """A line in pieces that fit."""
    piece = ""
    for letter in line:
        if piece and stringWidth(piece + letter, BOLD, SMALLEST) > width:
            yield piece
            piece = ""
        piece += letter
    yield piece
