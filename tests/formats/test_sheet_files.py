"""Sheets as files: read back by other people's programs, with every word and every number, and no formula."""

import csv
import io

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PdfReader
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.pdfbase.pdfmetrics import stringWidth

from drawn import drawn
from iskelo.core.lines.context import read
from iskelo.core.paperwork.sheet import Sheet, SheetName, table
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.demo.company import whole_company
from iskelo.formats.sheet_files import SheetHead, as_number, as_words, is_figure, write_csv, write_xlsx
from iskelo.formats.sheet_pdf import POINTS, REGULAR, Paper, write_pdf

NO_NUL = st.characters(exclude_characters="\x00", codec="utf-8")
"""No text of a rig has one."""
HEAD = SheetHead("Orrin Point", 41, "2026-11-28")


def made(*rows: tuple[str, ...], columns: str = "# 0.4 > | Name 2 | dB 1 >") -> Sheet:
    return Sheet(SheetName("lines", "Lists", "Line list", ""), (table("Lines", columns, rows),))


def words_of(data: bytes) -> list[str]:
    """All the words of a PDF, page by page, in the order they stand there."""
    return " ".join(page.extract_text() for page in PdfReader(io.BytesIO(data)).pages).split()


@pytest.mark.parametrize("paper", ["A4", "Letter"])
def test_every_word_and_number_of_the_demo_is_on_its_pages(paper: Paper) -> None:
    """Outside check: pypdf reads the text, and the size of every page, in points of 1/72 inch."""
    reading = read(whole_company())
    for name in sheet_names(reading):
        sheet = sheet_of(reading, name.key)
        data = write_pdf(sheet, HEAD, paper)
        pages = PdfReader(io.BytesIO(data)).pages
        size = {"A4": A4, "Letter": LETTER}[paper]
        for number, page in enumerate(pages, start=1):
            width, height = float(page.mediabox.width), float(page.mediabox.height)
            assert sorted((width, height)) == pytest.approx(sorted(size), abs=0.01)
            text = page.extract_text()
            assert HEAD.words(sheet) in text
            assert f"page {number} of {len(pages)}" in text
        there = set(words_of(data))
        wanted = {word for each in sheet.tables for row in each.rows for cell in row for word in cell.split()}
        assert wanted <= there


def test_a_long_list_repeats_its_titles_and_nothing_leaves_the_page() -> None:
    rows = tuple((str(number), f"Line {number} " + "x" * 90, "−18.0") for number in range(1, 201))
    pages = PdfReader(io.BytesIO(write_pdf(made(*rows), HEAD))).pages
    assert len(pages) > 3
    ends: list[tuple[float, float, float]] = []

    def seen(text: str, placed: list[float], at: list[float], *_: object) -> None:
        for line in text.splitlines():
            x, y = at[4] * placed[0] + placed[4], at[5] * placed[3] + placed[5]
            ends.append((x, y, x + stringWidth(line.rstrip(), REGULAR, POINTS)))

    for page in pages:
        assert "Name" in page.extract_text()
        page.extract_text(visitor_text=seen)
    assert len(ends) > 400
    assert all(x >= 0 and 0 <= y <= A4[1] and right <= A4[0] for x, y, right in ends)
    numbers = set(" ".join(page.extract_text() for page in pages).split())
    assert {str(number) for number in range(1, 201)} <= numbers


def test_names_in_other_scripts_are_printed() -> None:
    names = ("Zwölf", "Łódź", "Ήχος", "Звук", "→ × − ~")
    text = " ".join(words_of(write_pdf(made(*((str(n), name, "0") for n, name in enumerate(names))), HEAD)))
    assert all(name in text for name in names)


def test_a_workbook_has_figures_as_numbers_and_words_as_words() -> None:
    """Outside check: openpyxl reads it back."""
    rows = (("1", "Alma", "−18.0"), ("2", "=1+1", "~5"), ("3", "+49 30", "@x"))
    book = openpyxl.load_workbook(io.BytesIO(write_xlsx(made(*rows), HEAD)))
    page = book["Lines"]
    assert page["A1"].value == "Line list · Orrin Point · rev 41 · 2026-11-28"
    read_back = [[cell.value for cell in row] for row in page.iter_rows(min_row=4)]
    assert read_back == [[1, "Alma", -18], [2, "=1+1", "~5"], [3, "+49 30", "@x"]]
    assert {cell.data_type for row in page.iter_rows() for cell in row if cell.value is not None} <= {"n", "s"}


@given(st.lists(st.tuples(st.just("1"), st.text(NO_NUL, max_size=12), st.text(NO_NUL, max_size=6)), max_size=4))
@settings(max_examples=drawn(60))
def test_no_cell_of_a_csv_is_a_formula_and_no_word_is_lost(rows: list[tuple[str, str, str]]) -> None:
    data = write_csv(made(*rows), HEAD).decode("utf-8-sig")
    read_back = list(csv.reader(io.StringIO(data, newline="")))
    for cell in (cell for row in read_back for cell in row):
        assert not cell.startswith(("=", "+", "@", "\t", "\r"))
        assert not cell.startswith("-") or as_number(cell) is not None
    columns = made(*rows).tables[0].columns
    assert read_back[4:] == [
        [
            cell.replace("−", "-") if is_figure(column, cell) else as_words(cell)
            for column, cell in zip(columns, row, strict=True)
        ]
        for row in rows
    ]


@pytest.mark.parametrize(
    ("cell", "number"),
    [
        ("−18.0", -18),
        ("-3", -3),
        ("7", 7),
        ("~7", None),
        ("1–2", None),
        ("", None),
        ("1e5", None),
        ("007", None),
        ("0.5", 0.5),
    ],
)
def test_a_number_is_nothing_else(cell: str, number: float | None) -> None:
    assert as_number(cell) == number


def test_a_name_of_digits_stays_what_it_is_in_every_file() -> None:
    """'007' once became 7, and '1e5' would be 100000 in any spreadsheet, '3-4' a day in April."""
    names = ("007", "12", "1.50", "1e5", "3-4", "1/2/24", "TRUE")
    rows = tuple(("1", name, "0") for name in names)
    page = openpyxl.load_workbook(io.BytesIO(write_xlsx(made(*rows), HEAD)))["Lines"]
    assert [row[1].value for row in page.iter_rows(min_row=4)] == list(names)
    text = write_csv(made(*rows), HEAD).decode("utf-8-sig")
    cells = ["".join(row[1:2]) for row in csv.reader(io.StringIO(text, newline=""))][4:]
    assert [cell.removeprefix("'") for cell in cells] == list(names)
    assert [cell.startswith("'") for cell in cells] == [True, False, True, True, True, True, True]


def test_worksheets_have_names_that_programs_allow() -> None:
    name = SheetName("x", "Lists", "X", "")
    tables = tuple(table(each, "Name 1", [("a",)]) for each in ("In/out [1]: a*b?", "x" * 60, "x" * 60))
    book = openpyxl.load_workbook(io.BytesIO(write_xlsx(Sheet(name, tables), HEAD)))
    assert book.sheetnames == ["In-out -1-- a-b-", "x" * 31, f"{'x' * 27} 2"]
