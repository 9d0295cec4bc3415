"""What a USB box says of itself: the descriptors of the Audio Device Classes 1.0 and 2.0, read and written.

The layouts are those of the Universal Serial Bus Specification 2.0 (chapter 9) and of the Device Class Definitions for
Audio Devices 1.0 and 2.0 with their Audio Data Formats (from memory). They stand once, as a table; reading and writing
both go by it. A description begins with the device's own descriptor, as operating systems keep it, or with a
configuration's.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field

from pydantic import ValidationError

from iskelo.core.edits.base import first_reason, path_of
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.value import RATES_HZ
from iskelo.core.values import light
from iskelo.formats.refusal import Unreadable

DESCRIPTION_MAX_BYTES = 64 * 1024

Layout = tuple[tuple[str, int], ...]

DEVICE, CONFIGURATION, ALTERNATE, ENDPOINT, CLASS_INTERFACE = 0x01, 0x02, 0x04, 0x05, 0x24
"""Types of descriptors; ``ALTERNATE`` is one setting of an interface."""
GENERAL, FORMAT = 0x01, 0x02
"""Subtypes of those that an audio class adds to a streaming interface."""

AUDIO, CONTROL, STREAMING = 0x01, 0x01, 0x02
"""The class of audio interfaces, and two of its subclasses."""
CLASS_2 = 0x20
"""The protocol that Audio Class 2.0 names itself by; 1.0 has none."""

CLASS_WORDS = {False: "Audio Class 1.0", True: "Audio Class 2.0, whose rates are not told there"}

_STANDARD: dict[int, Layout] = {
    DEVICE: (
        ("usb_version", 2),
        ("class", 1),
        ("subclass", 1),
        ("protocol", 1),
        ("packet_bytes", 1),
        ("vendor", 2),
        ("product", 2),
        ("release", 2),
        ("vendor_text", 1),
        ("product_text", 1),
        ("serial_text", 1),
        ("configurations", 1),
    ),
    CONFIGURATION: (
        ("total_bytes", 2),
        ("interfaces", 1),
        ("value", 1),
        ("text", 1),
        ("attributes", 1),
        ("power", 1),
    ),
    ALTERNATE: (
        ("number", 1),
        ("setting", 1),
        ("endpoints", 1),
        ("class", 1),
        ("subclass", 1),
        ("protocol", 1),
        ("text", 1),
    ),
    ENDPOINT: (("address", 1), ("attributes", 1), ("packet_bytes", 2), ("interval", 1)),
}
_STREAMING: dict[tuple[bool, int], Layout] = {
    (False, GENERAL): (("subtype", 1), ("terminal", 1), ("delay_frames", 1), ("format", 2)),
    (False, FORMAT): (
        ("subtype", 1),
        ("format_type", 1),
        ("channels", 1),
        ("sample_bytes", 1),
        ("bits", 1),
        ("rates", 1),
    ),
    (True, GENERAL): (
        ("subtype", 1),
        ("terminal", 1),
        ("controls", 1),
        ("format_type", 1),
        ("formats", 4),
        ("channels", 1),
        ("places", 4),
        ("names_text", 1),
    ),
    (True, FORMAT): (("subtype", 1), ("format_type", 1), ("sample_bytes", 1), ("bits", 1)),
}
"""By whether it is Audio Class 2.0, and the subtype."""


@light
class Descriptor:
    """One descriptor: its type, the fields its layout names, and the bytes behind them as they are."""

    type: int
    layout: Layout
    fields: dict[str, int]
    rest: bytes
    at: int = field(default=0, compare=False)

    def to_bytes(self) -> bytes:
        """As it stands in a description: length, type, fields with their lowest byte first, the rest."""
        named = b"".join(self.fields[name].to_bytes(size, "little") for name, size in self.layout)
        return bytes([2 + len(named) + len(self.rest), self.type]) + named + self.rest


def descriptors(data: bytes) -> list[Descriptor]:
    """Take a description apart; ``to_bytes`` of all of them together gives the same bytes again.

    Raises
    ------
    Unreadable
        With the byte where it breaks off or does not fit its layout.
    """
    found: list[Descriptor] = []
    at, streaming, second = 0, False, False
    while at < len(data):
        size = data[at]
        if size < 2 or at + size > len(data):
            raise Unreadable(f"byte {at}", f"a descriptor of {size} bytes does not fit; the description is cut off")
        kind, body = data[at + 1], data[at + 2 : at + size]
        layout = _STANDARD.get(kind, ())
        if kind == CLASS_INTERFACE and streaming and body:
            layout = _STREAMING.get((second, body[0]), ())
        named = sum(width for _, width in layout)
        if len(body) < named:
            raise Unreadable(f"byte {at}", f"a descriptor of type {kind} has {named + 2} bytes at least, not {size}")
        fields, place = {}, 0
        for name, width in layout:
            fields[name] = int.from_bytes(body[place : place + width], "little")
            place += width
        found.append(Descriptor(kind, layout, fields, body[named:], at))
        if kind == ALTERNATE:
            streaming = (fields["class"], fields["subclass"]) == (AUDIO, STREAMING)
            second = fields["protocol"] == CLASS_2
        at += size
    return found


@dataclass(slots=True)
class _Stream:
    """One setting of a streaming interface: a direction with its channels, sample size and rates."""

    interface: int
    second: bool
    channels: int = 0
    sample_bytes: int = 0
    delay_frames: int = 0
    inward: bool | None = None
    free: bool = False
    rates_hz: tuple[int, ...] = ()
    fast: bool = False


def read_box(data: bytes) -> Interface:
    """The box that a description describes; what it does not tell keeps its assumed figures.

    Channels are those of the widest setting each way. A box whose data comes at its own pace (asynchronous) has a clock
    of its own, any other follows the computer. The delay that Audio Class 1.0 tells in frames of 1 ms counts as the
    link's. Audio Class 2.0 keeps its rates out of the description, so those are assumed.

    Raises
    ------
    Unreadable
        With the place and the reason.
    """
    if len(data) > DESCRIPTION_MAX_BYTES:
        raise Unreadable("", f"the file is larger than {DESCRIPTION_MAX_BYTES // 1024} KiB; it is no USB description")
    found = descriptors(data)
    _whole(found, len(data))
    streams = [each for each in _streams(found) if each.channels and each.inward is not None]
    if not streams:
        raise Unreadable("", "this device has no audio channels; is it the description of another one?")
    into, out = (_channels(streams, inward=inward) for inward in (True, False))
    if max(into, out) > 128:
        raise Unreadable("", f"{max(into, out)} channels one way; Iskelo goes to 128")
    rates_hz = tuple(sorted({rate for each in streams for rate in each.rates_hz}))[:16]
    rate_hz = 48_000 if not rates_hz or 48_000 in rates_hz else rates_hz[0]
    fast = any(each.fast or each.second for each in streams)
    second = any(each.second for each in streams)
    delays = {f"link_{way}_samples": _delay(streams, rate_hz, inward=way == "in") for way in ("in", "out")}
    told = {name: samples for name, samples in delays.items() if samples is not None}
    device = next((each.fields for each in found if each.type == DEVICE), None)
    link = "USB high speed" if fast else "USB full speed"
    try:
        return Interface(
            id="b1",
            name=f"USB box {device['vendor']:04x}:{device['product']:04x}" if device else "USB box",
            notes=f"From its USB description: {CLASS_WORDS[second]}.",
            jack_in=into,
            jack_out=out,
            capture=into,
            playback=out,
            rates_hz=rates_hz or RATES_HZ,
            rate_hz=rate_hz,
            clock_source="own" if any(each.free for each in streams) else "computer",
            link_kind=link,
            link_sample_bytes=max(each.sample_bytes for each in streams) or 3,
            **told,
            origins=dict.fromkeys(told, "described"),
            drivers=(Driver(id="d1"),),
        )
    except ValidationError as error:
        place, reason = first_reason(error)
        raise Unreadable(path_of(place), reason) from None


def _whole(found: list[Descriptor], size: int) -> None:
    """A configuration says how long it is with all that belongs to it."""
    starts = [each for each in found if each.type == CONFIGURATION]
    if not starts:
        raise Unreadable("", "this is no USB description: no configuration is in it")
    if starts[0].at + starts[0].fields["total_bytes"] > size:
        missing = starts[0].at + starts[0].fields["total_bytes"] - size
        raise Unreadable(f"byte {size}", f"the description is cut off: {missing} bytes are missing")


def _streams(found: list[Descriptor]) -> Iterator[_Stream]:
    now: _Stream | None = None
    for each in found:
        fields = each.fields
        if each.type == ALTERNATE:
            if now is not None:
                yield now
            audio = (fields["class"], fields["subclass"]) == (AUDIO, STREAMING)
            now = _Stream(fields["number"], fields["protocol"] == CLASS_2) if audio else None
        elif now is not None and each.type == CLASS_INTERFACE and fields:
            now.channels = fields.get("channels", now.channels)
            now.sample_bytes = fields.get("sample_bytes", now.sample_bytes)
            now.delay_frames = fields.get("delay_frames", now.delay_frames)
            if "rates" in fields:
                now.rates_hz = _rates(each)
        elif now is not None and each.type == ENDPOINT:
            _endpoint(now, fields)
    if now is not None:
        yield now


def _endpoint(stream: _Stream, fields: dict[str, int]) -> None:
    """An endpoint of data gives the direction and the pace; one of feedback only tells the link's speed."""
    pace, use = fields["attributes"] >> 2 & 3, fields["attributes"] >> 4 & 3
    if use == 1:
        stream.fast = stream.fast or fields["packet_bytes"] == 4
        return
    stream.inward = bool(fields["address"] & 0x80)
    stream.free = pace == 1
    # More than a frame of full speed holds, or more than one packet a microframe.
    stream.fast = stream.fast or fields["packet_bytes"] > 1023


def _rates(described: Descriptor) -> tuple[int, ...]:
    """The rates of Audio Class 1.0: so many of three bytes each, or, for nought, all from the first to the second."""
    count = described.fields["rates"]
    wanted = 3 * (count or 2)
    if len(described.rest) < wanted:
        raise Unreadable(f"byte {described.at}", f"{count or 2} rates take {wanted} bytes, not {len(described.rest)}")
    told = [int.from_bytes(described.rest[place : place + 3], "little") for place in range(0, wanted, 3)]
    if count == 0:
        return tuple(rate for rate in RATES_HZ if told[0] <= rate <= told[1])
    return tuple(rate for rate in told if 8_000 <= rate <= 384_000)


def _channels(streams: list[_Stream], *, inward: bool) -> int:
    """All interfaces of a direction together, each at its widest."""
    widest: dict[int, int] = {}
    for each in streams:
        if each.inward is inward:
            widest[each.interface] = max(each.channels, widest.get(each.interface, 0))
    return sum(widest.values())


def _delay(streams: list[_Stream], rate_hz: int, *, inward: bool) -> int | None:
    told = [each.delay_frames for each in streams if each.inward is inward and not each.second]
    return max(told) * rate_hz // 1000 if told else None
