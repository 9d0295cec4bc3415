"""Label strips, measured in the PDF: every cell just as wide and as high as it was asked for, nothing cut off."""

import io

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PdfReader
from pypdf.generic import ContentStream
from reportlab.lib.pagesizes import A4
from reportlab.pdfbase.pdfmetrics import stringWidth

from drawn import drawn
from iskelo.core.lines.context import read
from iskelo.core.paperwork.sheet import Sheet, SheetName, table
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.demo.company import whole_company
from iskelo.formats.label_pdf import BOLD, LEADING, PADDING, fitted, write_labels
from iskelo.formats.sheet_files import SheetHead
from iskelo.formats.sheet_pdf import register_fonts

HEAD = SheetHead("Orrin Point", 3, "2026-11-28")
POINTS_A_MM = 72 / 25.4


def labels(*names: str) -> Sheet:
    rows = [(str(number), name) for number, name in enumerate(names, start=1)]
    return Sheet(SheetName("labels:b1", "Label strips", "Box", ""), (table("Input jacks", "# 0.4 > | Label 2", rows),))


def cells(data: bytes) -> list[tuple[float, float, float, float]]:
    """The rectangles of a PDF in points: x, y, width, height. Outside check: pypdf reads the operators."""
    found = []
    reader = PdfReader(io.BytesIO(data))
    for page in reader.pages:
        for operands, operator in ContentStream(page.get_contents(), reader).operations:
            if operator == b"re":
                found.append(tuple(float(each) for each in operands))
    return found


@pytest.mark.parametrize(("width_mm", "height_mm"), [(25, 12), (17.78, 9.5), (31.5, 20), (5, 5), (100, 60)])
def test_cells_measure_what_was_asked_for(width_mm: float, height_mm: float) -> None:
    measured = cells(write_labels(labels(*(f"Voice {n}" for n in range(1, 41))), HEAD, "A4", width_mm, height_mm))
    assert len(measured) == 40
    for x, y, width, height in measured:
        assert width / POINTS_A_MM == pytest.approx(width_mm, abs=0.01)
        assert height / POINTS_A_MM == pytest.approx(height_mm, abs=0.01)
        assert x >= 0
        assert y >= 0
        assert x + width <= A4[0] + 0.01
        assert y + height <= A4[1]
    # Beside each other without a gap, so that one cut serves two.
    first, second = measured[:2]
    if width_mm < 90:
        assert second[0] == pytest.approx(first[0] + first[2], abs=0.01)


def test_every_label_of_the_demo_is_on_its_strip() -> None:
    reading = read(whole_company())
    names = [each for each in sheet_names(reading) if each.group == "Label strips"]
    assert [each.title for each in names] == ["Corvane 8", "Pellow Duo", "Havra 16", "Wherry", "Longhand", "Gangway"]
    for name in names:
        sheet = sheet_of(reading, name.key)
        data = write_labels(sheet, HEAD)
        text = " ".join(" ".join(page.extract_text() for page in PdfReader(io.BytesIO(data)).pages).split())
        assert len(cells(data)) == sum(len(each.rows) for each in sheet.tables)
        for row in (row for each in sheet.tables for row in each.rows):
            assert set(row[1].split()) <= set(text.split())
    corvane = sheet_of(reading, names[0].key)
    assert [each.title for each in corvane.tables] == ["Input jacks", "Output jacks"]
    assert corvane.tables[1].rows[:3] == (
        ("1", "Director's phones L"),
        ("2", "Director's phones R"),
        ("3", "Havra 16 in 1"),
    )


@given(st.text(st.characters(codec="latin-1", exclude_categories=["C"]), max_size=60), st.integers(5, 60))
@settings(max_examples=drawn(150))
def test_a_label_fits_whatever_it_says(label: str, width_mm: int) -> None:
    register_fonts()
    width = width_mm * POINTS_A_MM - 2 * PADDING
    height = 18.0
    points, lines = fitted(label, width, height)
    assert "".join("".join(lines).split()) == "".join(label.split())
    assert all(stringWidth(line, BOLD, points) <= width + 0.01 for line in lines)
    assert len(lines) * points * LEADING <= height + 0.01
