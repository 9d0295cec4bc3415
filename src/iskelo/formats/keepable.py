"""What comes in from outside and cannot be kept is refused before anything is: it would not be read back."""

import math
from datetime import UTC, datetime
from typing import Annotated, Any

from pydantic import AfterValidator

from iskelo.formats.refusal import Unreadable

EARLIEST, LATEST = datetime(1990, 1, 1, tzinfo=UTC), datetime(2200, 1, 1, tzinfo=UTC)


def _sensible(when: datetime) -> datetime:
    known = when if when.tzinfo is not None else when.replace(tzinfo=UTC)
    try:
        sensible = EARLIEST <= known.astimezone(UTC) <= LATEST
    except OverflowError:
        sensible = False
    if not sensible:
        raise ValueError(f"a time lies between {EARLIEST.year} and {LATEST.year}")
    return known


When = Annotated[datetime, AfterValidator(_sensible)]
"""A moment that any database, file and screen can tell; without a zone it is UTC."""


def refuse_unkeepable(document: Any, place: str) -> None:
    """Look through a document for what JSON in the database cannot hold.

    Raises
    ------
    Unreadable
        With the place, if a text holds NUL or half a character, or a number is none.
    """
    waiting = [document]
    while waiting:
        value = waiting.pop()
        if isinstance(value, str):
            if "\x00" in value or not _is_whole(value):
                raise Unreadable(place, "a text in it holds a control character that cannot be kept")
        elif isinstance(value, float):
            if not math.isfinite(value):
                raise Unreadable(place, "a number in it is none")
        elif isinstance(value, dict):
            waiting += [*value, *value.values()]
        elif isinstance(value, list | tuple):
            waiting += value


def _is_whole(text: str) -> bool:
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True
