"""What a take says of itself, read back by libsndfile, by Python's own wave module, and chunk by chunk."""

import io
import struct
import wave
from datetime import UTC, datetime
from xml.etree import ElementTree

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from iskelo.api.downloads import attachment
from iskelo.formats.told_wav import TakeTold, told
from iskelo.formats.wav import read_wav, write_wav

MADE = datetime(2026, 11, 27, 20, 15, 30, tzinfo=UTC)


def about(*channels: str) -> TakeTold:
    return TakeTold("The Lamp at Orrin Point", 41, 7, MADE, channels)


def chunks(data: bytes) -> dict[bytes, bytes]:
    """Every chunk of a RIFF file, by an independent walk over it."""
    assert data[:4] == b"RIFF"
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    found, at = {}, 12
    while at < len(data):
        size = struct.unpack("<I", data[at + 4 : at + 8])[0]
        found[data[at : at + 4]] = data[at + 8 : at + 8 + size]
        at += 8 + size + size % 2
    return found


def sound(channels: int) -> list[np.ndarray]:
    random = np.random.default_rng(channels)
    return [(random.random(1001, np.float32) - 0.5) for _ in range(channels)]


@pytest.mark.parametrize("count", [1, 2, 3, 12, 33])
def test_the_sound_is_untouched_and_libsndfile_reads_it(count: int) -> None:
    plain = write_wav(sound(count), 48_000)
    data = told(plain, about(*(f"Track {n}" for n in range(count))))
    assert np.array_equal(read_wav(data)[0], read_wav(plain)[0])
    info = soundfile.info(io.BytesIO(data))
    assert (info.channels, info.samplerate, info.frames, info.subtype) == (count, 48_000, 1001, "PCM_24")
    found = chunks(data)
    assert list(found)[:2] == [b"bext", b"iXML"]
    assert len(found[b"bext"]) == 602


def test_pythons_own_reader_reads_a_stereo_take() -> None:
    with wave.open(io.BytesIO(told(write_wav(sound(2), 44_100), about("L", "R")))) as file:
        assert (file.getnchannels(), file.getframerate(), file.getsampwidth(), file.getnframes()) == (
            2,
            44_100,
            3,
            1001,
        )


def test_rig_revision_and_date_stand_in_the_bext_chunk() -> None:
    """EBU 3285 (from memory): description 256, originator 32, reference 32, date 10, time 8."""
    body = chunks(told(write_wav(sound(1), 48_000), about("Alma")))[b"bext"]
    description, originator, _, day, at = (
        body[a:b].rstrip(b"\0").decode() for a, b in ((0, 256), (256, 288), (288, 320), (320, 330), (330, 338))
    )
    assert description == "The Lamp at Orrin Point, revision 41, line check 7, from the twin"
    assert (originator, day, at) == ("Iskelo", "2026-11-27", "20:15:30")
    assert struct.unpack("<H", body[346:348]) == (1,)


@given(st.lists(st.text(min_size=1, max_size=80), min_size=1, max_size=5))
def test_any_channel_names_come_back_from_the_ixml_chunk_in_order(names: list[str]) -> None:
    data = told(write_wav(sound(len(names)), 48_000), about(*names))
    tree = ElementTree.fromstring(chunks(data)[b"iXML"])
    tracks = tree.findall("TRACK_LIST/TRACK")
    assert [int(track.findtext("INTERLEAVE_INDEX") or 0) for track in tracks] == list(range(1, len(names) + 1))
    # XML has no way to hold some characters, and reads every end of a line as one.
    plain = ["".join(c for c in name if ord(c) >= 32 and c not in "\ud800\ufffe\uffff") for name in names]
    read = [track.findtext("NAME") or "" for track in tracks]
    kept = ["".join(c for c in each if ord(c) >= 32) for each in read]
    assert kept == plain


def test_a_saved_files_name_holds_any_script_and_nothing_a_system_forbids() -> None:
    said = attachment('Zwölf "Räume"/Ost: rev 3.wav')
    assert said.startswith('attachment; filename="Zwlf -Rume--Ost- rev 3.wav"')
    assert said.endswith("filename*=UTF-8''Zw%C3%B6lf%20-R%C3%A4ume--Ost-%20rev%203.wav")
