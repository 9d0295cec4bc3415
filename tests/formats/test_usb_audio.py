"""USB descriptions, built here byte by byte as the specifications lay them out (from memory), and read.

Universal Serial Bus Specification 2.0, 9.6 (device, configuration, interface, endpoint); Device Class Definition for
Audio Devices 1.0, 4.5 and 4.6, and Audio Data Formats 1.0, 2.2.5; the same of 2.0, 4.9, and Audio Data Formats 2.0.
"""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.rig.gear import Interface
from iskelo.formats.catalogue_file import read_catalogue
from iskelo.formats.refusal import Unreadable
from iskelo.formats.usb_audio import descriptors, read_box

ASYNCHRONOUS, ADAPTIVE, SYNCHRONOUS = 0x05, 0x09, 0x0D
FEEDBACK = 0x11


def device(vendor: int = 0x1D6B, product: int = 0x0101) -> bytes:
    return struct.pack("<BBHBBBBHHHBBBB", 18, 1, 0x0200, 0, 0, 0, 64, vendor, product, 0x0100, 1, 2, 0, 1)


def configuration(*parts: bytes) -> bytes:
    body = b"".join(parts)
    return struct.pack("<BBHBBBBB", 9, 2, 9 + len(body), 3, 1, 0, 0x80, 250) + body


def control(second: bool = False) -> bytes:
    """An audio control interface with one descriptor of its own, which Iskelo passes over."""
    head = struct.pack("<BBBBBBBBB", 9, 4, 0, 0, 0, 1, 1, 0x20 if second else 0, 0)
    return head + (bytes([8, 0x24, 0x0A, 1, 3, 7, 0, 0]) if second else bytes([9, 0x24, 1, 0, 1, 9, 0, 1, 1]))


def idle(number: int, second: bool = False) -> bytes:
    return struct.pack("<BBBBBBBBB", 9, 4, number, 0, 0, 1, 2, 0x20 if second else 0, 0)


def stream_1(number: int, channels: int, rates: list[int], pace: int, *, inward: bool, delay: int = 1) -> bytes:
    """One setting of Audio Class 1.0 with three bytes a sample; its endpoint has nine bytes there."""
    alternate = struct.pack("<BBBBBBBBB", 9, 4, number, 1, 1, 1, 2, 0, 0)
    general = struct.pack("<BBBBBH", 7, 0x24, 1, 2, delay, 1)
    listed = b"".join(struct.pack("<I", rate)[:3] for rate in rates)
    form = bytes([8 + len(listed), 0x24, 2, 1, channels, 3, 24, len(rates)]) + listed
    address = (0x80 if inward else 0) | number
    endpoint = struct.pack("<BBBBHBBB", 9, 5, address, pace, channels * 3 * 49, 1, 0, 0)
    return alternate + general + form + endpoint + bytes([7, 0x25, 1, 1, 0, 0, 0])


def stream_2(number: int, channels: int, pace: int, *, inward: bool) -> bytes:
    """One setting of Audio Class 2.0 with four bytes a sample; rates are not told there."""
    alternate = struct.pack("<BBBBBBBBB", 9, 4, number, 1, 1, 1, 2, 0x20, 0)
    general = struct.pack("<BBBBBBIBIB", 16, 0x24, 1, 2, 0, 1, 1, channels, 0, 0)
    form = bytes([6, 0x24, 2, 1, 4, 24])
    address = (0x80 if inward else 0) | number
    endpoint = struct.pack("<BBBBHB", 7, 5, address, pace, min(1024, channels * 4 * 7), 1)
    return alternate + general + form + endpoint + bytes([8, 0x25, 1, 0, 0, 0, 0, 0])


def small_box() -> bytes:
    """2 in and 2 out, 44.1 and 48 kHz, full speed, with a clock of its own."""
    rates = [44_100, 48_000]
    out, into = (stream_1(number, 2, rates, ASYNCHRONOUS, inward=number == 2) for number in (1, 2))
    feedback = struct.pack("<BBBBHBBB", 9, 5, 0x81, FEEDBACK, 3, 1, 4, 0)
    return device() + configuration(control(), idle(1), out, feedback, idle(2), into)


def large_box() -> bytes:
    streams = stream_2(1, 18, ASYNCHRONOUS, inward=False), stream_2(2, 16, ASYNCHRONOUS, inward=True)
    return device(0x0A0B, 0x0C0D) + configuration(control(second=True), idle(1, second=True), *streams)


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
