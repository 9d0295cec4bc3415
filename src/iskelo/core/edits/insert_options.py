"""How something is to hang in a strip, a track or a bus, as it is typed behind what it is: 'dry -6, bypassed'."""

import re
from typing import NamedTuple

from iskelo.core.edits.base import Refused

JACKS = r"(?:out\s*)?(\d{1,3})\s*(?:[,›>/\s]|in|to)+(\d{1,3})"
"""Two numbers, out and back: 'out 3 in 5', '3 5', '3 › 5'."""


class TypedInsert(NamedTuple):
    """An insert as it was typed: ``what`` hangs there, and how; ``on`` is False for *bypassed*, None: nobody says."""

    what: str
    on: bool | None
    dry_db: float | None
    parallel: bool


def insert_options(text: str, field: str) -> TypedInsert:
    """What a phrase says; the options stand behind: 'dry -6', 'parallel', 'bypassed'. Raises Refused."""
    what = text.replace("−", "-").strip()
    on, parallel, dry_db = None, False, None
    options = re.compile(r"\b(?:(bypass(?:ed)?)|(parallel)|dry(?:\s*([+-]?\d{1,3}(?:\.\d{1,2})?)(?:\s*db)?)?)$", re.I)
    while (match := options.search(what)) is not None:
        if match[1]:
            on = False
        elif match[2]:
            parallel = True
        else:
            dry_db = float(match[3] or 0)
        what = what[: match.start()].strip(" ,")
    if parallel and dry_db is None:
        raise Refused(field, "parallel is said of a dry path: dry -6 parallel")
    return TypedInsert(what, on, dry_db, parallel)
