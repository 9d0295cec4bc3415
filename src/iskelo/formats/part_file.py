"""A part as a JSON file, documented in ``docs/rig-format.md``."""

import json

from pydantic import ValidationError

from iskelo.core.edits.base import first_reason, path_of
from iskelo.core.rig.part import Part
from iskelo.formats.json_bounds import FILE_VALUES_MAX, too_much
from iskelo.formats.refusal import Unreadable

PART_FILE_MAX_BYTES = 16 * 1024 * 1024


def write_part(part: Part) -> bytes:
    """A part as UTF-8 JSON, indented, ending in a newline; ``read_part`` gives an equal one back."""
    return (json.dumps(part.model_dump(mode="json"), ensure_ascii=False, indent=2) + "\n").encode()


def read_part(data: bytes) -> Part:
    """Read a part file.

    Raises
    ------
    Unreadable
        With the place and the reason, if it is too large, no JSON, no part, or does not hold together.
    """
    if len(data) > PART_FILE_MAX_BYTES:
        raise Unreadable("", f"the file is larger than {PART_FILE_MAX_BYTES // 1024 // 1024} MiB; it is no part")
    reason = too_much(data, FILE_VALUES_MAX)
    if reason:
        raise Unreadable("the whole file", f"{reason}; it is no part")
    try:
        document = json.loads(data.decode("utf-8-sig"))
        if isinstance(document, dict) and document.get("format") == "iskelo rig":
            raise Unreadable("the whole file", "this is a whole rig, no part; read it from the list of rigs")
        return Part.model_validate(document)
    except UnicodeDecodeError as error:
        raise Unreadable(f"byte {error.start}", "this is no text in UTF-8, so it is no part") from None
    except (json.JSONDecodeError, RecursionError) as error:
        raise Unreadable("the whole file", f"this is no JSON: {error}") from None
    except ValidationError as error:
        place, reason = first_reason(error)
        raise Unreadable(path_of(place) or "the whole file", reason) from None
