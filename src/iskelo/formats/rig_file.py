"""The rig as a JSON file, documented in ``docs/rig-format.md``."""

import json

from pydantic import ValidationError

from iskelo.core.edits.base import first_reason, path_of
from iskelo.core.rig.check import check
from iskelo.core.rig.migrations import brought_up
from iskelo.core.rig.rig import Broken, Rig
from iskelo.formats.json_bounds import FILE_VALUES_MAX, too_much
from iskelo.formats.refusal import Unreadable

RIG_FILE_MAX_BYTES = 16 * 1024 * 1024


def write_rig(rig: Rig) -> bytes:
    """A rig as UTF-8 JSON, indented, ending in a newline; ``read_rig`` gives an equal rig back."""
    return (json.dumps(rig.model_dump(mode="json"), ensure_ascii=False, indent=2) + "\n").encode()


def read_rig(data: bytes) -> Rig:
    """Read a rig file.

    Raises
    ------
    Unreadable
        With the place ('gear › 3 › capture') and the reason, if it is too large, no JSON, no rig, or does not
        hold together.
    """
    if len(data) > RIG_FILE_MAX_BYTES:
        raise Unreadable("", f"the file is larger than {RIG_FILE_MAX_BYTES // 1024 // 1024} MiB; it is no rig file")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Unreadable(f"byte {error.start}", "this is no text in UTF-8, so it is no rig file") from None
    reason = too_much(data, FILE_VALUES_MAX)
    if reason:
        raise Unreadable("the whole file", f"{reason}; it is no rig file")
    try:
        document = json.loads(text)
        if isinstance(document, dict) and "format" not in document:
            raise Unreadable("format", "it does not say that it is a rig; a rig file begins with its format")
        rig = Rig.model_validate(brought_up(document))
        check(rig)
    except (json.JSONDecodeError, RecursionError) as error:
        raise Unreadable("the whole file", f"this is no JSON: {error}") from None
    except ValidationError as error:
        place, reason = first_reason(error)
        raise Unreadable(path_of(place) or "the whole file", reason) from None
    except Broken as broken:
        raise Unreadable(broken.place, broken.reason) from None
    return rig
