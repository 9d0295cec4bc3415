"""USB descriptions, built byte by byte as the specifications lay them out (from memory), and by none of ours.

Universal Serial Bus Specification 2.0, 9.6 (device, configuration, interface, endpoint); Device Class Definition for
Audio Devices 1.0, 4.5 and 4.6, and Audio Data Formats 1.0, 2.2.5; the same of 2.0, 4.9, and Audio Data Formats 2.0.
"""

import struct

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
