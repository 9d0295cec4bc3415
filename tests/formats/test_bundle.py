"""Bundles and parts as files, input lists written and read again, change bars on paper; and what is no bundle."""

import io
import json
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import jsonschema_rs
import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PageObject, PdfReader

from drawn import drawn
from iskelo.command.check_file import check_file
from iskelo.core.edits.additions import AddLine, AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import SetTrim
from iskelo.core.edits.parts.keeping import keep
from iskelo.core.lines.context import read
from iskelo.core.paperwork.changes import with_changes
from iskelo.core.paperwork.input_rows import FIELDS, input_rows, input_table
from iskelo.core.paperwork.sheets import sheet_of
from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from iskelo.demo.orrin_point import orrin_point
from iskelo.formats.bundle import LIST, Bundle, BundledRevision, BundleList, Entry, write_bundle
from iskelo.formats.catalogue_file import write_catalogue
from iskelo.formats.input_list_file import mapped_rows, read_input_list, write_list_csv, write_list_xlsx
from iskelo.formats.part_file import read_part, write_part
from iskelo.formats.refusal import Unreadable
from iskelo.formats.rig_file import read_rig, write_rig
from iskelo.formats.sheet_files import SheetHead, write_csv, write_xlsx
from iskelo.formats.sheet_pdf import write_pdf
from rigs import Bench, any_rig, heard, programs_joined, two_voices

NOW = datetime(2026, 3, 1, 8, tzinfo=UTC)
RIGS = st.one_of(any_rig(busy=True, back=True), programs_joined(any_rig(cabled=True, busy=True)))
HEAD = SheetHead("Two voices", 3, "2026-11-29")


def listed(**more: object) -> BundleList:
    revision = BundledRevision(number=4, words="made", made_at=NOW, file="revisions/4.rig.json")
    return BundleList.model_validate({"revisions": (revision,), **more})


def packed(rig: Rig, whole: BundleList | None = None, **files: bytes) -> io.BytesIO:
    whole = whole or listed()
    entries = [Entry(LIST, [whole.model_dump_json().encode()]), Entry("revisions/4.rig.json", [write_rig(rig)])]
    entries += [Entry(name, [data], packed=False) for name, data in files.items()]
    return io.BytesIO(b"".join(write_bundle(entries, NOW)))


@given(RIGS)
@settings(max_examples=drawn(40))
def test_a_rig_in_a_bundle_is_surveyed_as_before(rig: Rig) -> None:
    bundle = Bundle(packed(rig))
    again = bundle.rig(bundle.list.revisions[0])
    assert again == rig
    assert survey(again).snags == survey(rig).snags


@given(RIGS)
@settings(max_examples=drawn(40))
def test_a_part_written_and_read_is_the_same_part(rig: Rig) -> None:
    part = keep(rig, tuple(gear.id for gear in rig.gear), "All")
    assert read_part(write_part(part)) == part


def test_a_bundle_is_written_part_by_part_and_any_zip_program_reads_it() -> None:
    asked = []

    def sound() -> Iterator[bytes]:
        for number in range(50):
            asked.append(number)
            yield bytes([number]) * 100_000

    written = write_bundle([Entry("takes/one.wav", sound(), packed=False), Entry("a/b.txt", [b"words"])], NOW)
    first = next(written)
    # Of the sound one part was asked for, and no more lies in memory.
    assert asked == [0]
    assert 100_000 <= len(first) < 101_000
    whole = io.BytesIO(first + b"".join(written))
    with zipfile.ZipFile(whole) as found:
        assert found.testzip() is None
        assert found.read("takes/one.wav") == b"".join(bytes([number]) * 100_000 for number in range(50))
        assert found.getinfo("a/b.txt").compress_type == zipfile.ZIP_DEFLATED
        assert found.getinfo("takes/one.wav").date_time == (2026, 3, 1, 8, 0, 0)


REVISION = {"number": 4, "words": "made", "made_at": "2026-03-01T08:00:00Z", "file": "revisions/4.rig.json"}
TAKE = {"rate_hz": 48_000, "channels": [0], "file": "takes/1.wav"}


def check(**more: object) -> dict[str, object]:
    day = "2026-03-01T08:00:00Z"
    return {"number": 1, "revision": 4, "made_at": day, "finished_at": day, "ledger": "checks/1.json", **more}


def listing(**more: object) -> bytes:
    """A zip with a list that says this, and nothing else."""
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as found:
        found.writestr(LIST, json.dumps({"format": "iskelo bundle", "version": 1, "revisions": [REVISION], **more}))
    return data.getvalue()


def damaged() -> dict[str, tuple[bytes, str]]:
    rig = two_voices().rig
    good = packed(rig).getvalue()
    other = io.BytesIO()
    with zipfile.ZipFile(other, "w") as found:
        found.writestr("readme.txt", "nothing")
    bad_list = io.BytesIO()
    with zipfile.ZipFile(bad_list, "w") as found:
        found.writestr(LIST, json.dumps({"format": "iskelo bundle", "version": 1, "revisions": []}))
    outside = io.BytesIO()
    with zipfile.ZipFile(outside, "w") as found:
        away = {"number": 1, "words": "", "made_at": "2026-01-01T00:00:00Z", "file": "../../etc/passwd"}
        found.writestr(LIST, json.dumps({"format": "iskelo bundle", "version": 1, "revisions": [away]}))
    absent = io.BytesIO()
    with zipfile.ZipFile(absent, "w") as found:
        found.writestr(LIST, listed().model_dump_json())
    return {
        "no zip": (b"PK\x03\x04 and then nothing", "this is no zip"),
        "cut off": (good[: len(good) // 2], "this is no zip"),
        "another zip": (other.getvalue(), "there is no bundle.json in it"),
        "an empty list": (bad_list.getvalue(), "there must be 1 at least"),
        "names outside": (outside.getvalue(), "string should match pattern"),
        "names what is not there": (absent.getvalue(), "does not hold it"),
        "a check of nothing": (listing(checks=[check(revision=5)]), "the revision that check 1 is of is not in it"),
        "two checks of one number": (listing(checks=[check(), check()]), "two of its checks have one number"),
        "two revisions of one number": (listing(revisions=[REVISION, REVISION]), "two of its revisions"),
        "two takes at one rate": (listing(checks=[check(takes=[TAKE, TAKE])]), "two files of check 1 are at one rate"),
    }


@pytest.mark.parametrize("name", damaged())
def test_what_is_no_bundle_is_refused_with_the_reason(name: str) -> None:
    data, words = damaged()[name]
    with pytest.raises(Unreadable, match=words):
        Bundle(io.BytesIO(data))


def test_what_a_bundle_says_is_a_rig_a_part_or_sound_is_looked_at() -> None:
    rig = two_voices().rig
    broken = listed(parts=("parts/1.part.json",))
    bundle = Bundle(packed(rig, broken, **{"parts/1.part.json": write_rig(rig)}))
    with pytest.raises(Unreadable, match=r"parts/1\.part\.json.*this is a whole rig"):
        bundle.parts()
    flipped = bytearray(packed(rig).getvalue())
    place = flipped.index(b"revisions/4.rig.json") + 60
    flipped[place] ^= 0xFF
    spoiled = Bundle(io.BytesIO(bytes(flipped)))
    with pytest.raises(Unreadable, match="cannot be unpacked"):
        spoiled.rig(spoiled.list.revisions[0])


def test_a_file_that_swells_is_not_unpacked_beyond_its_bound() -> None:
    """A zip bomb: 40 MB of spaces packed into 40 kB."""
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as found:
        found.writestr(LIST, listed().model_dump_json())
        found.writestr("revisions/4.rig.json", b" " * 40_000_000)
    bundle = Bundle(data)
    with pytest.raises(Unreadable, match="larger than 16 MiB"):
        bundle.rig(bundle.list.revisions[0])


def rig_with_names(*names: str) -> Rig:

    bench = Bench(two_voices().rig)
    for name in names:
        bench.do(AddSources(names=(name,)))
        bench.do(AddLine(name=name, from_ports=(bench.out(name),)))
    return bench.rig


@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_an_input_list_written_is_read_as_the_same_rows(form: str) -> None:
    rig = rig_with_names(
        "=1+1", "+48 V", "@home", "-20", "'quoted", "007", "'007", "1e5", "3-4", 'A, "B"; C', "Zwölf – ž"
    )
    rig = heard(Bench(rig), "Alma", within_ms=10).rig
    table = input_table(index(rig))
    data = write_list_csv(table) if form == "csv" else write_list_xlsx(table)
    found = read_input_list(data)
    assert not found.asks
    rows = mapped_rows(found, found.mapping)
    told = [tuple(getattr(row, field) for field in FIELDS) for row in rows]
    assert told == [tuple(getattr(row, field) for field in FIELDS) for row in input_rows(index(rig))]
    if form == "csv":
        assert not [line for line in data.decode().splitlines() if line.startswith(("=", "+", "@", "-"))]
    else:
        page = openpyxl.load_workbook(io.BytesIO(data)).active
        assert page is not None
        assert {cell.data_type for row in page.iter_rows() for cell in row if cell.value is not None} == {"s"}


def test_change_bars_stand_on_paper_and_in_files() -> None:

    rig = two_voices().rig
    box = Bench(rig).box().id
    later = apply(rig, (SetTrim(interface=box, jack_in=2, trim_db=20),)).rig
    whole, earlier = (sheet_of(read(each), f"patch:{box}") for each in (later, rig))
    barred = with_changes(whole, earlier, "revision 2")
    plain, marked = (PdfReader(io.BytesIO(write_pdf(each, HEAD))).pages[0] for each in (whole, barred))
    assert "Bars mark what changed since revision 2: 1 row." in marked.extract_text()

    def thick(page: PageObject) -> int:
        content = page.get_contents()
        assert content is not None
        return content.get_data().count(b"2.5 w")

    assert thick(plain) == 0
    assert thick(marked) >= 1
    rows = write_csv(barred, HEAD).decode("utf-8-sig").splitlines()
    assert next(row for row in rows if row.endswith(",changed")).startswith("2,Bertil")
    book = openpyxl.load_workbook(io.BytesIO(write_xlsx(barred, HEAD)))
    page = book.worksheets[0]
    assert "changed" in [cell.value for row in page.iter_rows() for cell in row]


def test_a_file_is_checked_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rig = orrin_point()
    box = next(gear for gear in rig.gear if gear.kind == "interface")
    old = json.loads(write_rig(two_voices().rig))
    old["version"] = 7
    files = {
        "rig.json": (write_rig(rig), 0, "is the rig Orrin Point"),
        "part.json": (
            write_part(keep(rig, (box.id,), "A box")),
            0,
            f"is the part A box: {box.name}; it holds settings",
        ),
        "bundle.zip": (packed(rig).getvalue(), 0, "is a bundle of the rig Orrin Point"),
        "catalogue.json": (write_catalogue((box,)), 0, "is a catalogue of 1 piece."),
        "old.json": (
            json.dumps(old).encode(),
            0,
            "written by version 7 of the format; saved again it is of version 13",
        ),
        "bad.json": (b'{"format": "iskelo rig", "version": 13, "gear": [{}]}', 1, "bad.json: gear › 0"),
        "none.json": (b"words", 1, "this is no JSON"),
        "bad.zip": (b"PK", 1, "this is no zip"),
    }
    for name, (data, code, words) in files.items():
        (tmp_path / name).write_bytes(data)
        assert check_file(tmp_path / name) == code
        assert words in capsys.readouterr().out
    assert check_file(tmp_path / "nowhere.json") == 1
    assert "cannot be opened" in capsys.readouterr().out


def test_the_schema_that_is_published_accepts_what_is_written() -> None:
    """JSON Schema draft 2020-12 (json-schema.org), read by the library jsonschema-rs."""
    docs = Path(__file__).parents[2] / "docs" / "schema"
    rig = orrin_point()
    for name, data in (
        ("rig", write_rig(rig)),
        ("part", write_part(keep(rig, tuple(gear.id for gear in rig.gear), "All"))),
        ("bundle", listed().model_dump_json().encode()),
    ):
        schema = json.loads((docs / f"{name}.schema.json").read_text())
        jsonschema_rs.meta.validate(schema)
        validator = jsonschema_rs.Draft202012Validator(schema)
        validator.validate(json.loads(data))
        assert not validator.is_valid({**json.loads(data), "format": "something else"})
    assert read_rig(write_rig(rig)) == rig
