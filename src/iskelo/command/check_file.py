"""``./iskelo check-file FILE``: is this a rig, a part, a bundle or a catalogue that can be read, and what is in it?"""

import collections
import json
from pathlib import Path

from iskelo.core.rig.migrations import PRESENT
from iskelo.core.survey import survey
from iskelo.formats.bundle import Bundle
from iskelo.formats.catalogue_file import read_catalogue
from iskelo.formats.part_file import read_part
from iskelo.formats.refusal import Unreadable
from iskelo.formats.rig_file import read_rig

MOST_BYTES = 64 * 1024 * 1024


def check_file(path: Path) -> int:
    """Say what a file is and whether it holds together.

    Returns
    -------
    int
        0 if Iskelo can read it, 1 if not; why is said with the place in the file.
    """
    try:
        for words in told(path):
            print(words)
    except Unreadable as bad:
        print(f"{path.name}: {bad.place or 'the whole file'}: {bad.reason}")
        return 1
    except OSError as error:
        print(f"{path}: it cannot be opened: {error.strerror}")
        return 1
    return 0


def told(path: Path) -> list[str]:
    """What is in a file, in words; raises Unreadable or OSError."""
    with path.open("rb") as file:
        if file.read(2) == b"PK":
            return _bundle(path)
        file.seek(0)
        data = file.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise Unreadable("", f"it is larger than {MOST_BYTES // 1024 // 1024} MiB; it is none of ours")
    kind = _format_of(data)
    if kind == "iskelo part":
        part = read_part(data)
        names = ", ".join(gear.name for gear in part.rig.gear if gear.id in part.pieces)
        return [f"{path.name} is the part {part.name}: {names}; it holds {', '.join(part.kinds)}."]
    if kind == "iskelo catalogue":
        gear = read_catalogue(data)
        return [f"{path.name} is a catalogue of {len(gear)} piece{'' if len(gear) == 1 else 's'}."]
    rig = read_rig(data)
    vitals = survey(rig).vitals
    said = [
        f"{path.name} is the rig {rig.name}: {len(rig.gear)} pieces of gear, {len(rig.patches)} leads, "
        f"{vitals.arriving} of {vitals.wanted} lines arrive."
    ]
    version = json.loads(data.decode("utf-8-sig")).get("version")
    if version != PRESENT:
        said.append(f"It was written by version {version} of the format; saved again it is of version {PRESENT}.")
    return said


def _format_of(data: bytes) -> str:
    try:
        document = json.loads(data.decode("utf-8-sig"))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        # Whoever reads rigs says what is wrong with it.
        return ""
    return str(document.get("format", "")) if isinstance(document, dict) else ""


def _bundle(path: Path) -> list[str]:
    """Everything that a bundle names is read once."""
    with path.open("rb") as file:
        bundle = Bundle(file)
        rigs = [bundle.rig(revision) for revision in bundle.list.revisions]
        parts = bundle.parts()
        takes = 0
        for check in bundle.list.checks:
            bundle.ledger(check)
            for take in check.takes:
                collections.deque(bundle.take(take), maxlen=0)
                takes += 1
        return [
            f"{path.name} is a bundle of the rig {rigs[-1].name}: {len(rigs)} revision{'' if len(rigs) == 1 else 's'}, "
            f"{len(bundle.list.checks)} checks, {takes} takes, {len(parts)} parts, {len(bundle.list.sheets)} sheets."
        ]
