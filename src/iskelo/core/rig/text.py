"""Text that a person types into a rig: cleaned and checked once, here."""

import unicodedata
from typing import Annotated

from pydantic import AfterValidator, Field, StringConstraints

NAME_MAX_CHARACTERS = 80
NOTES_MAX_CHARACTERS = 4000

# PostgreSQL's JSONB takes neither NUL nor lone surrogates, and no sheet can print the rest.
_ALLOWED_CONTROLS_IN_NOTES = {"\n", "\t"}


def _refuse_unprintable(text: str, allowed: frozenset[str]) -> None:
    for character in text:
        if unicodedata.category(character) in ("Cc", "Cs") and character not in allowed:
            raise ValueError(f"holds a control character (U+{ord(character):04X}); type plain text")


def clean_name(text: str) -> str:
    """Return the name with its white space folded; raise ValueError with the reason if it is no name."""
    _refuse_unprintable(text, frozenset("\t\n\r"))
    folded = " ".join(text.split())
    if not folded:
        raise ValueError("a name needs at least one character")
    if len(folded) > NAME_MAX_CHARACTERS:
        raise ValueError(f"a name holds at most {NAME_MAX_CHARACTERS} characters; this one has {len(folded)}")
    return folded


def clean_notes(text: str) -> str:
    """Return the notes unchanged; raise ValueError if they hold what cannot be stored or printed."""
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    _refuse_unprintable(text, frozenset(_ALLOWED_CONTROLS_IN_NOTES))
    if len(text) > NOTES_MAX_CHARACTERS:
        raise ValueError(f"notes hold at most {NOTES_MAX_CHARACTERS} characters; these have {len(text)}")
    return text


def clean_tag(text: str) -> str:
    """A tag: like a name, or nothing."""
    return clean_name(text) if text.strip() else ""


Name = Annotated[str, AfterValidator(clean_name)]
Notes = Annotated[str, AfterValidator(clean_notes)]
Id = Annotated[str, StringConstraints(pattern=r"^[a-z]{1,8}[0-9]{1,9}$", max_length=17)]
"""An id is letters and a number, made by the rig's own counter; it never changes and is never used again."""

GainDb = Annotated[float, Field(ge=-144, le=60, allow_inf_nan=False)]
DelaySamples = Annotated[int, Field(ge=0, le=100_000)]
