"""A bundle: a rig with its named and checked revisions, parts, sheets and takes as one zip; see ``docs/rig-format.md``.

It is written part by part, so that large takes never lie in memory whole. Of one that is read nothing is unpacked: only
what its list names is opened, each bounded before it is read.
"""

import zipfile
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import IO, Annotated, Any, Literal

import soundfile
from pydantic import Field, TypeAdapter, ValidationError, model_validator

from iskelo.core.edits.base import first_reason, path_of
from iskelo.core.linecheck.rows import Ledger
from iskelo.core.rig.part import Part
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import Name, Typed
from iskelo.core.rig.value import Value
from iskelo.formats.keepable import When, refuse_unkeepable
from iskelo.formats.part_file import read_part
from iskelo.formats.refusal import Unreadable
from iskelo.formats.rig_file import read_rig

LIST = "bundle.json"
LIST_MAX_BYTES = 1024 * 1024
LEDGER_MAX_BYTES = 64 * 1024 * 1024
DOCUMENT_MAX_BYTES = 16 * 1024 * 1024
TAKE_MAX_BYTES = 512 * 1024 * 1024
FILES_MAX = 2000
PART_BYTES = 1024 * 1024
EARLIEST = (1980, 1, 1, 0, 0, 0)
"""A zip knows no time before (PKWARE's APPNOTE, 4.4.6, from memory)."""

UNPACKING = (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, ValueError)
"""What unpacking a file that is spoiled, encrypted or packed by other means ends with."""

FileName = Annotated[str, Field(max_length=200, pattern=r"^[a-z]+/[A-Za-z0-9 ._-]+$")]
Number = Annotated[int, Field(ge=1, le=2_000_000_000)]


class BundledRevision(Value):
    """A revision: the file with the rig, what was done in words, when, and the name it is kept under."""

    number: Number
    words: Typed
    made_at: When
    kept_as: Name | None = None
    file: FileName


class BundledTake(Value):
    """A WAV file of a take: its rate, and the places of its channels in the ledger."""

    rate_hz: Annotated[int, Field(ge=1, le=1_000_000)]
    channels: Annotated[tuple[Annotated[int, Field(ge=0, le=100_000)], ...], Field(max_length=1024)]
    file: FileName


class BundledCheck(Value):
    """A line check that is done: of which revision and lines, with which faults, its ledger and its take."""

    number: Number
    revision: Number
    only: Annotated[tuple[str, ...], Field(max_length=1024)] | None = None
    faults: Annotated[tuple[tuple[str, str], ...], Field(max_length=64)] = ()
    made_at: When
    finished_at: When
    ledger: FileName
    takes: Annotated[tuple[BundledTake, ...], Field(max_length=16)] = ()


class BundleList(Value):
    """What is in a bundle. The last of the revisions is the rig as it was when the bundle was made."""

    format: Literal["iskelo bundle"] = "iskelo bundle"
    version: Literal[1] = 1
    revisions: Annotated[tuple[BundledRevision, ...], Field(min_length=1, max_length=500)]
    checks: Annotated[tuple[BundledCheck, ...], Field(max_length=64)] = ()
    parts: Annotated[tuple[FileName, ...], Field(max_length=500)] = ()
    sheets: Annotated[tuple[FileName, ...], Field(max_length=1000)] = ()

    @model_validator(mode="after")
    def _holds_together(self) -> "BundleList":
        numbers = {revision.number for revision in self.revisions}
        if len(numbers) < len(self.revisions):
            raise ValueError("two of its revisions have one number")
        if len({check.number for check in self.checks}) < len(self.checks):
            raise ValueError("two of its checks have one number")
        astray = next((check.number for check in self.checks if check.revision not in numbers), None)
        if astray is not None:
            raise ValueError(f"the revision that check {astray} is of is not in it")
        for check in self.checks:
            if len({take.rate_hz for take in check.takes}) < len(check.takes):
                raise ValueError(f"two files of check {check.number} are at one rate")
        return self


@dataclass(frozen=True, slots=True)
class Entry:
    """A file of a bundle that is written; sound is stored as it is, everything else packed."""

    name: str
    parts: Iterable[bytes]
    packed: bool = True


class _Out:
    """Takes what a zip writes until it is fetched."""

    def __init__(self) -> None:
        self.waiting: list[bytes] = []

    def write(self, data: Any) -> int:
        self.waiting.append(bytes(data))
        return len(data)

    def flush(self) -> None:
        """There is nothing behind it."""

    def close(self) -> None:
        """Nor is anything open."""

    def fetched(self) -> bytes:
        data, self.waiting = b"".join(self.waiting), []
        return data


def write_bundle(entries: Iterable[Entry], made_at: datetime) -> Iterator[bytes]:
    """A zip, as it grows; of each entry only one part is in memory at a time."""
    out = _Out()
    stamp = max(EARLIEST, made_at.timetuple()[:6])
    with zipfile.ZipFile(out, "w") as packed:
        for entry in entries:
            info = zipfile.ZipInfo(entry.name, (stamp[0], stamp[1], stamp[2], stamp[3], stamp[4], stamp[5]))
            info.compress_type = zipfile.ZIP_DEFLATED if entry.packed else zipfile.ZIP_STORED
            with packed.open(info, "w", force_zip64=True) as file:
                for part in entry.parts:
                    file.write(part)
                    yield out.fetched()
    yield out.fetched()


class Bundle:
    """A bundle that is read: its list is checked; everything else is read when it is asked for."""

    def __init__(self, file: IO[bytes]) -> None:
        """Open a bundle.

        Raises
        ------
        Unreadable
            If it is no zip, no bundle, or names what is not in it.
        """
        try:
            self._zip = zipfile.ZipFile(file)
        except UNPACKING as error:
            raise Unreadable("the whole file", f"this is no zip that can be read: {error}") from None
        names = self._zip.namelist()
        if len(names) > FILES_MAX:
            raise Unreadable("the whole file", f"it holds more than {FILES_MAX} files; it is no bundle")
        if LIST not in names:
            raise Unreadable("the whole file", f"there is no {LIST} in it; it is no bundle")
        try:
            self.list = BundleList.model_validate_json(self._read(LIST, LIST_MAX_BYTES))
        except ValidationError as error:
            place, reason = first_reason(error)
            raise Unreadable(f"{LIST}, {path_of(place)}" if place else LIST, reason) from None
        refuse_unkeepable(self.list.model_dump(mode="json"), LIST)
        wanted = [revision.file for revision in self.list.revisions]
        wanted += [name for check in self.list.checks for name in (check.ledger, *(take.file for take in check.takes))]
        absent = next((name for name in (*wanted, *self.list.parts) if name not in names), None)
        if absent is not None:
            raise Unreadable(absent, "the bundle names it, and does not hold it")

    def _read(self, name: str, most_bytes: int) -> bytes:
        try:
            with self._zip.open(name) as file:
                data = file.read(most_bytes + 1)
        except UNPACKING as error:
            raise Unreadable(name, f"it cannot be unpacked: {error}") from None
        if len(data) > most_bytes:
            raise Unreadable(name, f"it is larger than {most_bytes // 1024 // 1024} MiB")
        return data

    def rig(self, revision: BundledRevision) -> Rig:
        """The rig of a revision; raises Unreadable with its file."""
        try:
            return read_rig(self._read(revision.file, DOCUMENT_MAX_BYTES))
        except Unreadable as bad:
            raise Unreadable(f"{revision.file}, {bad.place}" if bad.place else revision.file, bad.reason) from None

    def parts(self) -> list[Part]:
        """Its parts; raises Unreadable with the file of one that is none."""
        found = []
        for name in self.list.parts:
            try:
                found.append(read_part(self._read(name, DOCUMENT_MAX_BYTES)))
            except Unreadable as bad:
                raise Unreadable(f"{name}, {bad.place}" if bad.place else name, bad.reason) from None
        return found

    def ledger(self, check: BundledCheck) -> dict[str, Any]:
        """A check's ledger, as it is kept; raises Unreadable if it is none."""
        try:
            ledger = _ledger.validate_json(self._read(check.ledger, LEDGER_MAX_BYTES))
        except ValidationError as error:
            place, reason = first_reason(error)
            raise Unreadable(f"{check.ledger}, {path_of(place)}", reason) from None
        kept: dict[str, Any] = _ledger.dump_python(ledger, mode="json")
        refuse_unkeepable(kept, check.ledger)
        astray = next((place for take in check.takes for place in take.channels if place >= len(ledger.targets)), None)
        if astray is not None:
            words = f"it has {len(ledger.targets)} targets, and a take has sound of number {astray + 1}"
            raise Unreadable(check.ledger, words)
        return kept

    def _sound(self, take: BundledTake) -> None:
        """Refuse what is no sound as the list says, before any of it is kept."""
        try:
            with self._zip.open(take.file) as file, soundfile.SoundFile(file) as sound:
                said = (sound.samplerate, sound.channels)
                plain = sound.format in ("WAV", "WAVEX", "RF64") and sound.subtype in ("PCM_16", "PCM_24", "PCM_32")
                frames = sound.frames
        except (*UNPACKING, soundfile.SoundFileError):
            raise Unreadable(take.file, "it is no WAV file that can be read") from None
        if not plain or not frames:
            raise Unreadable(take.file, "it is no WAV file with whole samples (PCM) in it")
        if said != (take.rate_hz, len(take.channels)):
            raise Unreadable(take.file, f"it has {said[1]} channels at {said[0]} Hz, and the list says something else")

    def take(self, take: BundledTake) -> Iterator[bytes]:
        """A take's WAV file, part by part; raises Unreadable if it is none."""
        size = 0
        self._sound(take)
        try:
            with self._zip.open(take.file) as file:
                while data := file.read(PART_BYTES):
                    if size == 0 and (data[:4] not in (b"RIFF", b"RF64") or data[8:12] != b"WAVE"):
                        raise Unreadable(take.file, "it is no WAV file")
                    size += len(data)
                    if size > TAKE_MAX_BYTES:
                        raise Unreadable(take.file, f"it is larger than {TAKE_MAX_BYTES // 1024 // 1024} MiB")
                    yield data
        except Unreadable:
            raise
        except UNPACKING as error:
            raise Unreadable(take.file, f"it cannot be unpacked: {error}") from None
        if size == 0:
            raise Unreadable(take.file, "it is empty")


_ledger: TypeAdapter[Ledger] = TypeAdapter(Ledger)


def write_ledger(ledger: Any) -> bytes:
    """A ledger as JSON."""
    return _ledger.dump_json(_ledger.validate_python(ledger))
