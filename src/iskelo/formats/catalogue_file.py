"""The catalogue of gear as a JSON file, documented in ``docs/rig-format.md``: pieces to add to any rig."""

import json
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from iskelo.core.edits.base import first_reason, path_of
from iskelo.core.rig.gear import Gear
from iskelo.core.rig.value import Value
from iskelo.formats.json_bounds import too_much
from iskelo.formats.refusal import Unreadable
from iskelo.formats.usb_audio import read_box

CATALOGUE_MAX_BYTES = 4 * 1024 * 1024
ENTRIES_MAX = 500


class CatalogueFile(Value):
    """Pieces of gear, each complete; their ids mean nothing outside the file."""

    format: Literal["iskelo catalogue"] = "iskelo catalogue"
    version: Literal[1] = 1
    gear: Annotated[tuple[Gear, ...], Field(max_length=ENTRIES_MAX, fail_fast=True)] = ()


def write_catalogue(gear: tuple[Gear, ...]) -> bytes:
    """A catalogue as UTF-8 JSON; ``read_catalogue`` gives equal pieces back."""
    document = CatalogueFile(gear=gear).model_dump(mode="json")
    return (json.dumps(document, ensure_ascii=False, indent=2) + "\n").encode()


def read_catalogue(data: bytes) -> tuple[Gear, ...]:
    """Read a catalogue file, or the USB description of a box, told apart by how they begin.

    Raises
    ------
    Unreadable
        With the place and the reason.
    """
    # The length and type of a device's descriptor, or of a configuration's; no JSON begins so.
    if data[:2] in (b"\x12\x01", b"\x09\x02"):
        return (read_box(data),)
    if len(data) > CATALOGUE_MAX_BYTES:
        raise Unreadable("", f"the file is larger than {CATALOGUE_MAX_BYTES // 1024 // 1024} MiB; it is no catalogue")
    too = too_much(data)
    if too:
        raise Unreadable("the whole file", f"{too}; it is no catalogue")
    try:
        return CatalogueFile.model_validate_json(data).gear
    except ValidationError as error:
        if error.errors()[0]["type"] == "json_invalid":
            raise Unreadable("", "it is neither a catalogue file nor the USB description of a box") from None
        place, reason = first_reason(error)
        raise Unreadable(path_of(place) or "the whole file", reason) from None
