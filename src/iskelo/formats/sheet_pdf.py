"""Sheets as PDF, A4 or US Letter, in black alone, with their head on every page (reportlab)."""

import io
from functools import cache, partial
from pathlib import Path
from typing import Any, Literal
from xml.sax.saxutils import escape

from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4, LETTER, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import CondPageBreak, LongTable, Paragraph, SimpleDocTemplate, Spacer, TableStyle

from iskelo.core.paperwork.sheet import Sheet, SheetTable
from iskelo.formats.sheet_files import SheetHead

Paper = Literal["A4", "Letter"]
SIZES = {"A4": A4, "Letter": LETTER}
"""ISO 216: 210 × 297 mm; ANSI A: 8½ × 11 inches (both from memory; reportlab agrees)."""
UPRIGHT_COLUMNS = 7
"""With more columns than that a sheet lies on its side."""
MARGIN = 12 * mm
NUMBER = 8 * mm
"""How wide a column of places is."""
FONTS = Path(__file__).parent / "fonts"
REGULAR, BOLD = "Sheet", "Sheet bold"
POINTS = 7.5
LEADING = 1.25
GREY = 0.55
BAR_POINTS = 2.5
"""How thick a change bar is."""
FRAME = 6
"""By so much the library insets paragraphs, and no tables."""


@cache
def register_fonts() -> None:
    """The fonts of all paper, made known to the library once."""
    pdfmetrics.registerFont(TTFont(REGULAR, FONTS / "DejaVuSansCondensed.ttf"))
    pdfmetrics.registerFont(TTFont(BOLD, FONTS / "DejaVuSansCondensed-Bold.ttf"))


@cache
def _styles() -> dict[str, ParagraphStyle]:
    """What is written in them."""
    register_fonts()
    plain = ParagraphStyle("plain", fontName=REGULAR, fontSize=POINTS, leading=POINTS * LEADING)
    beside = ParagraphStyle("beside", plain, leftIndent=-FRAME)
    return {
        "plain": plain,
        "figures": ParagraphStyle("figures", plain, alignment=TA_RIGHT),
        "head": ParagraphStyle("head", plain, fontName=BOLD),
        "figures head": ParagraphStyle("figures head", plain, fontName=BOLD, alignment=TA_RIGHT),
        "note": beside,
        "table": ParagraphStyle("table", beside, fontName=BOLD, fontSize=10, leading=13, spaceBefore=6, spaceAfter=2),
    }


def write_pdf(sheet: Sheet, head: SheetHead, paper: Paper = "A4") -> bytes:
    """A sheet as PDF. Tables break between rows, and repeat their titles on every page; no word is cut off.

    Returns
    -------
    bytes
        A PDF file; its title is the sheet's head.
    """
    styles = _styles()
    wide = any(len(table.columns) > UPRIGHT_COLUMNS for table in sheet.tables)
    size = landscape(SIZES[paper]) if wide else SIZES[paper]
    data = io.BytesIO()
    document = SimpleDocTemplate(
        data,
        pagesize=size,
        title=head.words(sheet),
        author="Iskelo",
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN + 8 * mm,
        bottomMargin=MARGIN + 4 * mm,
    )
    story: list[Any] = [Paragraph(escape(note), styles["note"]) for note in sheet.notes]
    for table in sheet.tables:
        story.append(CondPageBreak(30 * mm))
        story.append(Paragraph(escape(table.title), styles["table"]))
        if table.rows:
            story.append(_table(table, size[0] - 2 * MARGIN))
        else:
            story.append(Paragraph(escape(table.empty), styles["note"]))
        story.append(Spacer(1, 3 * mm))
    document.build(story, canvasmaker=partial(Pages, words=head.words(sheet)))
    return data.getvalue()


def _table(table: SheetTable, width: float) -> LongTable:
    styles = _styles()
    numbers = [column.title == "#" for column in table.columns]
    shares = [0 if is_number else column.share for is_number, column in zip(numbers, table.columns, strict=True)]
    rest = width - NUMBER * sum(numbers)
    widths = [rest * share / sum(shares) if share else NUMBER for share in shares]
    kinds = [styles["figures" if column.figures else "plain"] for column in table.columns]
    cells = [
        [Paragraph(escape(cell), kind) if cell else "" for cell, kind in zip(row, kinds, strict=True)]
        for row in table.rows
    ]
    titles = [
        Paragraph(escape(column.title), styles["figures head" if column.figures else "head"])
        for column in table.columns
    ]
    made = LongTable([titles, *cells], colWidths=widths, repeatRows=1)
    bars = [
        ("LINEBEFORE", (0, at), (0, at), BAR_POINTS, (0, 0, 0))
        for at, changed in enumerate(table.changed, 1)
        if changed
    ]
    made.setStyle(
        TableStyle(
            [
                # Of empty cells, which have no paragraph that says so.
                ("FONTSIZE", (0, 0), (-1, -1), POINTS),
                ("LEADING", (0, 0), (-1, -1), POINTS * LEADING),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LINEBELOW", (0, 0), (-1, 0), 0.8, (0, 0, 0)),
                ("LINEBELOW", (0, 1), (-1, -1), 0.25, (GREY, GREY, GREY)),
                ("LEFTPADDING", (0, 0), (-1, -1), 2),
                ("RIGHTPADDING", (0, 0), (-1, -1), 2),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
                *bars,
            ]
        )
    )
    return made


class Pages(Canvas):  # type: ignore[misc]
    """Pages that know how many they are: the head and the number are written when the last one is done."""

    def __init__(self, *args: Any, words: str, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._words = words
        self._done: list[dict[str, Any]] = []

    def showPage(self) -> None:  # noqa: N802 - the library's name
        self._done.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        for number, page in enumerate(self._done, start=1):
            self.__dict__.update(page)
            self._frame(number, len(self._done))
            super().showPage()
        super().save()

    def _frame(self, number: int, count: int) -> None:
        width, height = self._pagesize
        points = 10.0
        while pdfmetrics.stringWidth(self._words, BOLD, points) > width - 2 * MARGIN and points > 5:
            points -= 0.5
        self.setFont(BOLD, points)
        self.drawString(MARGIN, height - MARGIN - 3 * mm, self._words)
        self.setFont(REGULAR, POINTS)
        self.drawRightString(width - MARGIN, MARGIN, f"page {number} of {count}")
