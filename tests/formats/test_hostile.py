"""Small files that hold a great deal: bounded before anything is loaded; what is merely odd simply works."""

import io
import json
import subprocess
import sys
import zipfile

import numpy as np
import openpyxl
import pytest

from iskelo.command.places import ROOT
from iskelo.formats.catalogue_file import read_catalogue
from iskelo.formats.input_list_file import mapped_rows, read_input_list
from iskelo.formats.json_bounds import too_much
from iskelo.formats.refusal import Unreadable
from iskelo.formats.rig_file import read_rig
from iskelo.formats.wav import read_channel, read_wav, write_wav
from iskelo.formats.workbook import CELLS_MAX, MERGES_MAX

HEAD = (
    '<?xml version="1.0" encoding="UTF-8"?>'
    '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
)


def book(*rows: tuple[str, ...], merges: tuple[str, ...] = (), last: str = "") -> bytes:
    made = openpyxl.Workbook()
    sheet = made.active
    assert sheet is not None
    for row in rows:
        sheet.append(row)
    if last:
        sheet[last] = "stray"
    for area in merges:
        sheet.merge_cells(area)
    file = io.BytesIO()
    made.save(file)
    return file.getvalue()


def with_sheet(content: str) -> bytes:
    """A workbook whose first sheet is this XML."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(book(("x",)))) as packed, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for part in packed.infolist():
            text = content if part.filename == "xl/worksheets/sheet1.xml" else packed.read(part.filename)
            made.writestr(part.filename, text)
    return out.getvalue()


LIST = (("Name", "Source", "Input"), ("Alma", "Alma", "1"), ("Bertil", "Bertil", "2"))


@pytest.mark.parametrize("last", ["A1048576", "XFD1048576", "C70000"])
def test_a_stray_cell_in_the_last_row_is_an_everyday_accident_and_works(last: str) -> None:
    found = read_input_list(book(*LIST, last=last))
    rows = mapped_rows(found, found.mapping)
    assert [(row.number, row.name, row.box_input) for row in rows[:2]] == [(2, "Alma", "1"), (3, "Bertil", "2")]
    # What stands beyond the columns that are read is not there; a stray name is a row to be refused in place.
    assert len(rows) == (2 if last.startswith("XFD") else 3)


@pytest.mark.parametrize("area", ["A1:XFD1048576", "A2:A1048576", "A2:XFD1048576", "B2:B900000"])
def test_a_merge_over_a_whole_sheet_counts_for_the_rows_that_hold_something(area: str) -> None:
    rows = "".join(
        f'<row r="{number}"><c r="A{number}" t="inlineStr"><is><t>{name}</t></is></c>'
        f'<c r="B{number}" t="inlineStr"><is><t>{source}</t></is></c></row>'
        for number, name, source in ((1, "Name", "Source"), (2, "Choir", "Left"), (3, "", "Right"))
    )
    data = with_sheet(
        f'{HEAD}{rows}</sheetData><mergeCells count="1"><mergeCell ref="{area}"/></mergeCells></worksheet>'
    )
    found = read_input_list(data)
    rows_read = [cells[:2] for _, cells in found.cells]
    expected = {
        "A1:XFD1048576": [("Name", "Left"), ("Name", "Right")],
        "A2:A1048576": [("Choir", "Left"), ("Choir", "Right")],
        "A2:XFD1048576": [("Choir", "Left"), ("Choir", "Right")],
        "B2:B900000": [("Choir", "Left"), ("", "Left")],
    }[area]
    assert rows_read == expected
    assert any("merged cells" in note for note in found.notes)


def cells(count: int, tag: str = "c") -> str:
    each = f'<{tag} r="A1" t="n"><v>1</v></{tag}>'
    per_row = 10_000
    return "".join(f'<row r="{n + 1}">{each * per_row}</row>' for n in range(count // per_row + 1))


@pytest.mark.parametrize(
    ("content", "reason"),
    [
        (f"{HEAD}{cells(1_000_000)}</sheetData></worksheet>", f"more than {CELLS_MAX} cells"),
        (
            f"{HEAD}</sheetData><mergeCells>" + '<mergeCell ref="A1:B2"/>' * 20_000 + "</mergeCells></worksheet>",
            f"more than {MERGES_MAX} merged areas",
        ),
        (f"{HEAD}{' ' * 70_000_000}</sheetData></worksheet>", "unpacks to more than 64 MiB"),
        (f"{HEAD}<row", "no XLSX workbook that can be read"),
        (
            '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">'
            + "".join(f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefgh", "bcdefghi", strict=True))
            + f']>{HEAD.split("?>")[1]}<row r="1"><c r="A1" t="inlineStr"><is><t>&i;</t></is></c></row>'
            "</sheetData></worksheet>",
            "no XLSX workbook that can be read",
        ),
    ],
)
def test_a_workbook_that_holds_too_much_is_refused_before_it_is_loaded(content: str, reason: str) -> None:
    data = with_sheet(content)
    assert len(data) < 8_000_000
    with pytest.raises(Unreadable) as refused:
        read_input_list(data)
    assert reason in refused.value.reason


def test_a_workbook_of_too_many_parts_or_texts_is_refused() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        for number in range(3000):
            made.writestr(f"xl/part{number}.xml", "")
    with pytest.raises(Unreadable, match="more than 2000 parts"):
        read_input_list(out.getvalue())
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("xl/sharedStrings.xml", "<sst>" + "<si><t/></si>" * 400_000 + "</sst>")
    with pytest.raises(Unreadable, match="more than"):
        read_input_list(out.getvalue())


def apart(data: bytes) -> dict:
    """What the process of its own answers."""
    done = subprocess.run(
        [sys.executable, "-m", "iskelo.formats.apart"],
        input=data,
        capture_output=True,
        check=False,
        env={"PYTHONPATH": str(ROOT / "src")},
    )
    return json.loads(done.stdout)


def test_a_process_of_its_own_reads_the_same_and_refuses_in_the_same_words() -> None:
    answer = apart(book(*LIST))
    assert answer["list"]["titles"] == ["Name", "Source", "Input"]
    assert len(answer["list"]["cells"]) == 2
    assert apart(with_sheet(f"{HEAD}<row"))["reason"].startswith("this is no XLSX workbook")


@pytest.mark.parametrize(
    "data",
    [
        b"\n" * 1_000_000,
        b"," * 1_000_000,
        b'"' * 999_999,
        b'"' + b"a" * 900_000,
        b"a;b\n" * 200_000,
        b"\xff\xfe" * 10_000,
    ],
)
def test_text_of_any_make_is_read_or_refused(data: bytes) -> None:
    try:
        read = len(read_input_list(data).cells)
    except Unreadable as refused:
        read = 0 if refused.reason else -1
    assert 0 <= read <= 1020


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"[" * 70 + b"]" * 70, "nested more than 64 deep"),
        (b'{"a":' * 100 + b"1" + b"}" * 100, "nested more than 64 deep"),
        (b"[" + b"1," * 300_000 + b"1]", "more than 200000 values"),
        (b'{"a":' + b"7" * 65 + b"}", "a number of more than 64 digits"),
        (b'{"a":-1.' + b"7" * 65 + b"}", "a number of more than 64 digits"),
    ],
)
def test_json_is_bounded_in_depth_count_and_digits(data: bytes, reason: str) -> None:
    said = too_much(data)
    assert said is not None
    assert reason in said


@pytest.mark.parametrize(
    "data",
    [
        b'{"a":"' + b"[" * 500 + b"," * 300_000 + b"1" * 100 + b'"}',
        b'{"a":"\\"' + b"[" * 500 + b'"}',
        b"[[1],[2]]" * 3,
        b"",
        b"not json at all",
    ],
)
def test_what_stands_in_text_does_not_count(data: bytes) -> None:
    assert too_much(data) is None


def test_files_of_rubbish_are_refused_at_their_first_fault() -> None:
    for field in ("gear", "patches", "lines"):
        with pytest.raises(Unreadable) as refused:
            read_rig(json.dumps({"format": "iskelo rig", "version": 2, field: [1] * 300_000}).encode())
        assert refused.value.place.startswith(field)
    with pytest.raises(Unreadable, match="more than 200000 values"):
        read_catalogue(b'{"gear":[' + b"1," * 250_000 + b"1]}")
    with pytest.raises(Unreadable, match="digits"):
        read_rig(b'{"next_number":' + b"9" * 5000 + b"}")


def test_one_channel_of_a_take_is_read_in_parts() -> None:
    random = np.random.default_rng(1)
    channels = [random.uniform(-0.5, 0.5, 200_000).astype(np.float32) for _ in range(5)]
    data = write_wav(channels, 48_000)
    asked: list[int] = []

    def part(start: int, count: int) -> bytes:
        asked.append(count)
        return data[start : start + count]

    whole, _ = read_wav(data)
    for place in (0, 4):
        assert np.array_equal(read_channel(part, len(data), place), whole[place])
    assert len(asked) > 1
    assert max(asked) <= 4 * 1024 * 1024
