"""Files in and out: rigs as JSON, input lists as CSV, takes as WAV."""

import io
import json
import wave

import numpy as np
import openpyxl
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.edits.input_list import InputRow
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from iskelo.demo.orrin_point import orrin_point, recording
from iskelo.formats.input_list_file import ListFile, mapped_rows, read_input_list
from iskelo.formats.refusal import Unreadable
from iskelo.formats.rig_file import read_rig, write_rig
from iskelo.formats.wav import peaks, read_wav, write_wav
from older_rigs import of_version_2, of_version_4, of_version_5, of_version_9
from rigs import any_rig, two_voices


@given(any_rig())
def test_any_rig_comes_back_from_its_file_equal_with_an_equal_survey(rig: Rig) -> None:
    back = read_rig(write_rig(rig))
    assert back == rig
    assert survey(back) == survey(rig)


def test_a_file_of_version_2_is_brought_up_and_means_what_it_did() -> None:
    """On the demo, whose tracks are monitored in mono and stereo, with a player's voices beside them."""
    rig = recording()
    old = of_version_2(json.loads(write_rig(rig)))
    assert "pan" not in json.dumps(old)
    back = read_rig(json.dumps(old).encode())
    assert back == rig
    assert survey(back) == survey(rig)


@given(any_rig(busy=True))
@settings(max_examples=drawn(20))
def test_a_file_of_version_5_is_brought_up_with_nothing_lost(rig: Rig) -> None:
    """Programs had no inserts, leads ended in no unbalanced input; all else is as it was."""
    old = of_version_5(json.loads(write_rig(rig)))
    assert "unbalanced" not in json.dumps(old)
    plain = rig.model_copy(
        update={
            "patches": tuple(each.model_copy(update={"unbalanced": False}) for each in rig.patches),
            "gear": tuple(
                each.model_copy(update={"drives_both_legs": False}) if isinstance(each, Interface) else each
                for each in rig.gear
            ),
        }
    )
    assert read_rig(json.dumps(old).encode()) == plain


@given(any_rig(busy=True))
@settings(max_examples=drawn(20))
def test_a_file_of_version_3_is_brought_up_with_nothing_lost(rig: Rig) -> None:
    """There was no outboard gear; all else is as it was."""
    old = {**json.loads(write_rig(rig)), "version": 3}
    assert read_rig(json.dumps(old).encode()) == rig


@given(any_rig(busy=True, back=True, cabled=True), st.integers(6, 9))
@settings(max_examples=drawn(30))
def test_a_file_of_version_6_to_9_is_brought_up_with_nothing_lost(rig: Rig, version: int) -> None:
    """Solo was in place, and lines had no colours; all else is as it was."""
    old = {**of_version_9(json.loads(write_rig(rig))), "version": version}
    assert "solo_output" not in json.dumps(old)
    plain = rig.model_copy(
        update={
            "gear": tuple(
                each.model_copy(update={"solo_output": None}) if isinstance(each, Program) else each
                for each in rig.gear
            )
        }
    )
    assert read_rig(json.dumps(old).encode()) == plain


def spoilt(**changes: object) -> bytes:
    return json.dumps({**json.loads(write_rig(two_voices().rig)), **changes}).encode()


@pytest.mark.parametrize(
    ("data", "place", "reason"),
    [
        (b"%PDF-1.7 \xff\xfe", "byte 9", "no text in UTF-8"),
        (b"{", "the whole file", "this is no JSON"),
        (b"[]", "the whole file", "should be an object"),
        (spoilt(version=14), "version", "input should be 13"),
        (spoilt(format="else"), "format", "iskelo rig"),
        (spoilt(colour="red"), "colour", "extra inputs are not permitted"),
        (spoilt(name="a\x00b"), "name", "control character"),
        (spoilt(next_number=2), "Alma", None),
        (spoilt(lines=[{"id": "l1", "name": "x", "purpose": "sing"}]), "lines › 0 › purpose", "'record' or 'listen'"),
        (spoilt(gear=[{"kind": "spoon"}]), "gear › 0", "does not match any of the expected tags"),
        (b" " * 17_000_000, "", "larger than 16 MiB"),
    ],
)
def test_a_file_that_is_no_rig_is_refused_with_place_and_reason(data: bytes, place: str, reason: str | None) -> None:
    with pytest.raises(Unreadable) as caught:
        read_rig(data)
    if reason is not None:
        assert caught.value.place == place
        assert reason.lower() in caught.value.reason.lower()


def test_a_lead_to_a_jack_that_is_not_there_is_named() -> None:
    document = json.loads(write_rig(two_voices().rig))
    document["patches"][0]["to_port"][2] = 77
    with pytest.raises(Unreadable) as caught:
        read_rig(json.dumps(document).encode())
    assert caught.value.place.startswith("lead from Alma to")
    assert "there is no jack in 77 on Box; it has 8" in caught.value.reason


def test_a_malformed_file_of_the_first_version_is_refused_with_its_place_too() -> None:
    odd = {"kind": "source", "id": [], "needs_phantom": True}
    patch = {"from_port": [{}, "out", 1], "to_port": ["b1", "jack_in", 1]}
    for gear, patches in (([odd, 7, {"kind": "interface", "driver": 3}], [patch, 5]), ("none", None)):
        with pytest.raises(Unreadable) as caught:
            read_rig(spoilt(version=1, gear=gear, patches=patches))
        assert caught.value.place.startswith("gear")


LIST = "Line;Mic;Jack;Track;For;Within\nVox;Älma;1;Vox;record;10\n\n;Bertil;2;;;\n"


def rows_of(found: ListFile) -> tuple[InputRow, ...]:
    return mapped_rows(found, found.mapping)


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "latin-1"])
@pytest.mark.parametrize("separator", [",", ";", "\t"])
def test_lists_are_read_in_every_encoding_and_with_every_separator(encoding: str, separator: str) -> None:
    found = read_input_list(LIST.replace(";", separator).encode(encoding))
    rows = rows_of(found)
    assert [row.number for row in rows] == [2, 4]
    assert rows[0].source == "Älma"
    assert rows[0].limit == "10"
    assert rows[1].name == ""
    assert found.titles[found.mapping["box_input"]] == "Jack"


def test_headers_are_matched_loosely_and_the_mapping_can_be_corrected() -> None:
    found = read_input_list(b"Channel name,SOURCE,Box-Input,Record to,Colour\nVox,Alma,3,1,red\n")
    assert found.mapping == {"source": 1, "box_input": 2, "track": 3}
    assert rows_of(found)[0].box_input == "3"
    (corrected,) = mapped_rows(found, {**found.mapping, "name": 0})
    assert (corrected.name, corrected.source) == ("Vox", "Alma")


def test_quoted_cells_may_hold_the_separator_and_line_breaks() -> None:
    (row,) = rows_of(read_input_list(b'name,source\n"Vox, close","Alma\nVane"\n'))
    assert row.name == "Vox, close"
    assert row.source == "Alma\nVane"


def test_pasted_cells_without_a_header_are_taken_in_order_and_that_is_told() -> None:
    found = read_input_list(b"Voice 1\tAlma\t1\nVoice 2\tBertil\t2\n")
    assert [(row.name, row.source, row.box_input) for row in rows_of(found)] == [
        ("Voice 1", "Alma", "1"),
        ("Voice 2", "Bertil", "2"),
    ]
    assert "no row with titles was found" in found.notes[0]
    assert found.asks


@pytest.mark.parametrize(
    "titles",
    [
        "Bezeichnung;Quelle;Eingang;Spur;Kopfhörer",
        "Nom;Micro;Entrée;Piste;Écoute",
        "Nombre;Fuente;Entrada;Pista;Auriculares",
        "Nome;Sorgente;Ingresso;Traccia;Cuffie",
        "Naam;Bron;Ingang;Spoor;Koptelefoon",
        "Nazwa;Źródło;Wejście;Ścieżka;Słuchawki",
    ],
)
def test_titles_of_several_languages_are_known(titles: str) -> None:
    found = read_input_list(f"{titles}\nVox;Alma;3;1;Phones\n".encode())
    assert found.mapping == {"name": 0, "source": 1, "box_input": 2, "track": 3, "heard_at": 4}
    assert not found.asks
    assert found.unused(found.mapping) == ()


def test_a_filled_column_that_stands_for_nothing_is_named() -> None:
    found = read_input_list(b"Name,Source,Colour,Notes\nVox,Alma,red,\n")
    assert found.unused(found.mapping) == ("Colour",)
    assert found.unused({**found.mapping, "track": 2}) == ()


def workbook(rows: list[list[object]], *, merge: str = "", sheets: tuple[str, ...] = ()) -> bytes:
    made = openpyxl.Workbook()
    sheet = made.active
    for cells in rows:
        sheet.append(cells)
    if merge:
        sheet.merge_cells(merge)
    for name in sheets:
        made.create_sheet(name)
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def test_a_workbook_is_read_from_its_first_sheet_below_its_header() -> None:
    """Outside check: openpyxl writes the workbook; a number comes as it is read, 3 not 3.0."""
    data = workbook([["The Lamp"], [], ["Line", "Mic", "Jack"], ["Vox", "Alma", 3.0]], sheets=("Old",))
    found = read_input_list(data)
    (row,) = rows_of(found)
    assert (row.number, row.name, row.source, row.box_input) == (4, "Vox", "Alma", "3")
    assert any("header is row 3" in note for note in found.notes)
    assert any("Old left out" in note for note in found.notes)


def test_merged_cells_count_for_each_of_their_rows_and_are_named() -> None:
    data = workbook([["Line", "Mic", "Track"], ["A", "Alma", "Voices"], ["B", "Bertil", None]], merge="C2:C3")
    found = read_input_list(data)
    assert [row.track for row in rows_of(found)] == ["Voices", "Voices"]
    assert "C2:C3" in found.notes[0]


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "the list is empty"),
        (b"\n \n", "the list is empty"),
        (b"name\0,source\n", "binary data"),
        (b"PK\x03\x04\x00\x00", "no XLSX workbook"),
        (b"%PDF-1.7 anything", "this is a PDF"),
        (b"\xd0\xcf\x11\xe0 anything", "old binary kind"),
        (b"source\n" + b"x\n" * 1001, "at most 1000 are read"),
        (b"source\n" + b"x\n" * 100_000, "the list has more than 1000 rows; at most 1000 are read"),
        (b"x" * 1_100_000, "larger than 1024 KiB"),
        (workbook([["source"], *[["x"]] * 1100]), "the sheet has more than 1000 rows; at most 1000"),
        (workbook([]), "the list is empty"),
    ],
)
def test_what_is_no_list_is_refused_with_its_reason(data: bytes, reason: str) -> None:
    with pytest.raises(Unreadable, match=reason):
        read_input_list(data)


@pytest.mark.parametrize("channels", [1, 2, 10, 32])
def test_a_take_reads_back_bit_for_bit_through_libsndfile(channels: int) -> None:
    """Outside check: libsndfile (soundfile) reads what was written; 24-bit steps are exact."""
    random = np.random.default_rng(channels)
    steps = random.integers(-(2**23), 2**23, (channels, 500))
    data = write_wav([(row / 2**23).astype(np.float32) for row in steps], 96_000)
    got, rate_hz = soundfile.read(io.BytesIO(data), dtype="int32", always_2d=True)
    assert rate_hz == 96_000
    assert np.array_equal(got.T >> 8, steps)
    info = soundfile.info(io.BytesIO(data))
    assert (info.subtype, info.format) == ("PCM_24", "WAVEX" if channels > 2 else "WAV")
    again, _ = read_wav(data)
    assert again.shape == (channels, 500)


def test_a_stereo_wav_is_read_by_the_standard_library() -> None:
    """Outside check: Python's own wave module."""
    with wave.open(io.BytesIO(write_wav([np.zeros(10, np.float32)] * 2, 44_100))) as file:
        assert (file.getnchannels(), file.getframerate(), file.getsampwidth(), file.getnframes()) == (2, 44_100, 3, 10)


def test_peaks_are_the_extremes_of_each_stretch() -> None:
    wave_form = np.array([0, 1, -1, 0.5, 0.25, -0.25], np.float32)
    assert peaks(wave_form, 3) == [(0, 1), (-1, 0.5), (-0.25, 0.25)]
    assert peaks(wave_form[:1], 3)[:2] == [(0.0, 0.0), (0.0, 0.0)]


def test_the_demo_is_the_same_every_time() -> None:
    assert orrin_point() == orrin_point()
    assert write_rig(orrin_point()).endswith(b"}\n")


@given(any_rig(back=True))
@settings(max_examples=drawn(25))
def test_a_file_of_the_version_before_mixers_is_read_with_nothing_lost(rig: Rig) -> None:
    document = of_version_4(json.loads(write_rig(rig)))
    assert document["version"] == 4
    assert read_rig(json.dumps(document).encode()) == rig
