"""What a take says of itself: a bext chunk (EBU 3285) and an iXML one (version 1.61), both from memory."""

import struct
from dataclasses import dataclass
from datetime import datetime
from xml.sax.saxutils import escape

ORIGINATOR = "Iskelo"
NOT_WRITTEN = {code: None for code in range(32) if code not in (9, 10, 13)}
"""Characters that XML 1.0 has no way to hold."""


@dataclass(frozen=True, slots=True)
class TakeTold:
    """Where a take is from, and what each of its channels holds."""

    rig: str
    revision: int
    take: int
    made_at: datetime
    channels: tuple[str, ...]


def told(wav: bytes, about: TakeTold) -> bytes:
    """A WAV file with what it is said inside; its sound is untouched.

    The chunks stand before the format, as broadcast WAV wants them before the sound.
    """
    chunks = _chunk(b"bext", _bext(about)) + _chunk(b"iXML", _ixml(about))
    return wav[:4] + struct.pack("<I", len(wav) + len(chunks) - 8) + wav[8:12] + chunks + wav[12:]


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def _text(words: str, size: int) -> bytes:
    """A text of at most so many bytes, in ASCII, as EBU 3285 asks for."""
    return words.encode("ascii", "replace")[:size].ljust(size, b"\0")


def _bext(about: TakeTold) -> bytes:
    day, at = about.made_at.strftime("%Y-%m-%d"), about.made_at.strftime("%H:%M:%S")
    said = f"{about.rig}, revision {about.revision}, line check {about.take}, from the twin"
    return b"".join(
        (
            _text(said, 256),
            _text(ORIGINATOR, 32),
            _text(f"rev {about.revision} take {about.take}", 32),
            _text(day, 10),
            _text(at, 8),
            struct.pack("<II", 0, 0),
            struct.pack("<H", 1),
            b"\0" * 64,
            b"\0" * 190,
        )
    )


def _ixml(about: TakeTold) -> bytes:
    def of(text: str) -> str:
        return escape(text.translate(NOT_WRITTEN))

    tracks = "".join(
        f"<TRACK><CHANNEL_INDEX>{place}</CHANNEL_INDEX><INTERLEAVE_INDEX>{place}</INTERLEAVE_INDEX>"
        f"<NAME>{of(name)}</NAME></TRACK>"
        for place, name in enumerate(about.channels, start=1)
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<BWFXML><IXML_VERSION>1.61</IXML_VERSION>'
        f"<PROJECT>{of(about.rig)}</PROJECT><TAKE>{about.take}</TAKE>"
        f"<NOTE>revision {about.revision}, line check on the twin</NOTE>"
        f"<TRACK_LIST><TRACK_COUNT>{len(about.channels)}</TRACK_COUNT>{tracks}</TRACK_LIST></BWFXML>"
    ).encode()
