"""USB descriptions, built as ``usb`` does, and read."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.rig.gear import Interface
from iskelo.formats.catalogue_file import read_catalogue
from iskelo.formats.refusal import Unreadable
from iskelo.formats.usb_audio import descriptors, read_box
from usb import (
    ADAPTIVE,
    ASYNCHRONOUS,
    FEEDBACK,
    SYNCHRONOUS,
    configuration,
    control,
    device,
    idle,
    large_box,
    small_box,
    stream_1,
    stream_2,
)


def spoilt(whole: bytes, changes: dict[int, int]) -> bytes:
    data = bytearray(whole)
    for place, value in changes.items():
        data[place % len(data)] = value
    return bytes(data)


def test_a_box_of_audio_class_1_is_what_its_description_says() -> None:
    box = read_box(small_box())
    assert (box.capture, box.playback, box.jack_in, box.jack_out) == (2, 2, 2, 2)
    assert (box.rates_hz, box.rate_hz) == ((44_100, 48_000), 48_000)
    assert (box.link_kind, box.link_sample_bytes, box.clock_source) == ("USB full speed", 3, "own")
    assert box.name == "USB box 1d6b:0101"
    # One frame of 1 ms each way, at 48 kHz; nothing else is said of delays.
    assert (box.link_in_samples, box.link_out_samples) == (48, 48)
    assert box.origins == {"link_in_samples": "described", "link_out_samples": "described"}


def test_a_box_of_audio_class_2_is_at_high_speed_and_keeps_its_rates_to_itself() -> None:
    box = read_box(large_box())
    assert (box.capture, box.playback, box.link_sample_bytes) == (16, 18, 4)
    assert (box.link_kind, box.clock_source) == ("USB high speed", "own")
    assert box.origins == {}
    assert "rates are not told" in box.notes
    assert len(box.rates_hz) == 6


@pytest.mark.parametrize(("pace", "clock"), [(ASYNCHRONOUS, "own"), (ADAPTIVE, "computer"), (SYNCHRONOUS, "computer")])
def test_whose_pace_the_data_comes_at_says_whose_clock_the_box_is_on(pace: int, clock: str) -> None:
    """USB 2.0, table 9-13: asynchronous, adaptive and synchronous isochronous endpoints."""
    box = read_box(device() + configuration(control(), stream_1(1, 2, [48_000], pace, inward=False)))
    assert box.clock_source == clock
    assert (box.capture, box.playback) == (0, 2)


@pytest.mark.parametrize(
    ("rates", "offered"),
    [([96_000, 48_000], (48_000, 96_000)), ([32_000], (32_000,)), ([44_100], (44_100,))],
)
def test_rates_of_class_1_stand_in_its_format(rates: list[int], offered: tuple[int, ...]) -> None:
    box = read_box(configuration(stream_1(1, 2, rates, ADAPTIVE, inward=True)))
    assert box.rates_hz == offered
    assert box.rate_hz in offered


def test_a_range_of_rates_offers_the_usual_ones_in_it() -> None:
    """A count of nought stands for all rates from the first to the second."""
    whole = bytearray(configuration(stream_1(1, 2, [44_100, 96_000], ADAPTIVE, inward=True)))
    whole[whole.index(bytes([14, 0x24, 2])) + 7] = 0
    assert read_box(bytes(whole)).rates_hz == (44_100, 48_000, 88_200, 96_000)


def test_the_widest_setting_of_each_interface_counts_and_interfaces_add_up() -> None:
    settings = [stream_1(1, wide, [48_000], ADAPTIVE, inward=True) for wide in (2, 8, 4)]
    box = read_box(configuration(*settings, stream_1(2, 2, [48_000], ADAPTIVE, inward=True)))
    assert box.capture == 10


def test_feedback_of_four_bytes_is_of_high_speed() -> None:
    """USB 2.0, 5.12.4.2: 10.14 in three bytes at full speed, 16.16 in four at high speed."""
    for size, link in ((3, "USB full speed"), (4, "USB high speed")):
        feedback = struct.pack("<BBBBHBBB", 9, 5, 0x81, FEEDBACK, size, 1, 4, 0)
        box = read_box(configuration(stream_1(1, 2, [48_000], ASYNCHRONOUS, inward=False), feedback))
        assert (box.link_kind, box.capture) == (link, 0)


@given(
    st.lists(
        st.one_of(
            st.sampled_from([small_box(), large_box(), control(), idle(3), device()]),
            st.builds(
                stream_1,
                st.integers(1, 255),
                st.integers(0, 255),
                st.lists(st.integers(0, 2**24 - 1), max_size=12),
                st.integers(0, 255),
                inward=st.booleans(),
                delay=st.integers(0, 255),
            ),
            st.builds(stream_2, st.integers(1, 255), st.integers(0, 255), st.integers(0, 255), inward=st.booleans()),
            st.binary(max_size=40).map(lambda rest: bytes([2 + len(rest), 0x30]) + rest),
        ),
        max_size=8,
    ).map(b"".join)
)
def test_what_is_read_can_be_written_again_byte_for_byte(data: bytes) -> None:
    assert b"".join(each.to_bytes() for each in descriptors(data)) == data


CHANGES = st.dictionaries(st.integers(0, 400), st.integers(0, 255), max_size=4)


@given(
    st.one_of(
        st.binary(max_size=300),
        st.integers(0, 200).map(lambda size: small_box()[:size]),
        st.builds(spoilt, st.sampled_from([small_box(), large_box()]), CHANGES),
    )
)
def test_any_bytes_are_a_box_or_are_refused_with_a_reason(data: bytes) -> None:
    try:
        box = read_box(data)
    except Unreadable:
        return
    assert 0 < box.capture + box.playback <= 256
    assert box.rate_hz in box.rates_hz


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (small_box()[:-1], "does not fit; the description is cut off"),
        (small_box()[: -len(bytes([7, 0x25, 1, 1, 0, 0, 0]))], "7 bytes are missing"),
        (device(), "no configuration is in it"),
        (device() + configuration(control()), "no audio channels"),
        (configuration(stream_1(1, 200, [48_000], ADAPTIVE, inward=True)), "200 channels one way"),
        (spoilt(small_box(), {small_box().index(bytes([2, 3, 24, 2])) + 1: 64}), "4 or less"),
        (bytes([4, 5, 1, 1]), "a descriptor of type 5 has 7 bytes at least, not 4"),
        (bytes(70_000), "larger than 64 KiB"),
    ],
)
def test_what_is_no_description_of_a_box_says_why(data: bytes, reason: str) -> None:
    with pytest.raises(Unreadable) as refused:
        read_box(data)
    assert reason in str(refused.value)


def test_the_catalogue_reads_a_description_as_one_piece() -> None:
    (box,) = read_catalogue(small_box())
    assert isinstance(box, Interface)
    assert box.capture == 2


@pytest.mark.parametrize("data", [b"", b"hello", bytes(range(60)), b"\x12\x00\x00"])
def test_what_is_neither_a_catalogue_nor_a_description_says_so(data: bytes) -> None:
    with pytest.raises(Unreadable, match="neither a catalogue file nor the USB description of a box"):
        read_catalogue(data)
