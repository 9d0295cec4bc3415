"""Text that a person types into a rig: cleaned and checked once, here."""

import re
import unicodedata
from collections.abc import Iterable
from typing import Annotated

from pydantic import AfterValidator, Field, StringConstraints

NAME_MAX_CHARACTERS = 80
NOTES_MAX_CHARACTERS = 4000

# PostgreSQL's JSONB takes neither NUL nor lone surrogates, and no sheet can print the rest.
_ALLOWED_CONTROLS_IN_NOTES = {"\n", "\t"}

_JOINERS = "\u200c\u200d"
"""Two characters that some scripts and pictures need between letters."""

_BLANK = "\u00a0\u115f\u1160\u2800\u3164\uffa0"
"""Letters and spaces that show nothing."""


def _seen(text: str, kept: str) -> str:
    """The text without characters that are not seen, but for those to be kept.

    They come along with what is pasted from sheets and pages, make two names look alike, and turn round the direction
    in which what follows them is written.
    """
    if text.isascii():
        return text
    return "".join(each for each in text if each in kept or unicodedata.category(each) != "Cf")


def _refuse_unprintable(text: str, allowed: frozenset[str]) -> None:
    if text.isascii() and text.isprintable():
        return
    for character in text:
        if unicodedata.category(character) in ("Cc", "Cs") and character not in allowed:
            raise ValueError(f"holds a control character (U+{ord(character):04X}); type plain text")


def _is_blank(character: str) -> bool:
    """Whether a character shows nothing by itself: a space, a blank letter, or a mark without a letter under it."""
    return character.isspace() or character in _BLANK or unicodedata.category(character) in ("Mn", "Me")


def clean_name(text: str) -> str:
    """Return the name with its white space folded and without what is not seen; raise ValueError with the reason if it
    is no name.
    """
    text = _seen(text, _JOINERS)
    _refuse_unprintable(text, frozenset("\t\n\r"))
    folded = " ".join(text.split())
    if not folded:
        raise ValueError("a name needs at least one character")
    if not folded.isascii() and all(each in _JOINERS or _is_blank(each) for each in folded):
        raise ValueError("a name needs at least one character that can be seen")
    if len(folded) > NAME_MAX_CHARACTERS:
        raise ValueError(f"a name holds at most {NAME_MAX_CHARACTERS} characters; this one has {len(folded)}")
    return folded


def clean_notes(text: str) -> str:
    """Return the notes without what is not seen; raise ValueError if they hold what cannot be stored or printed."""
    text = _seen(text, _JOINERS + "\u200e\u200f")
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    _refuse_unprintable(text, frozenset(_ALLOWED_CONTROLS_IN_NOTES))
    if len(text) > NOTES_MAX_CHARACTERS:
        raise ValueError(f"notes hold at most {NOTES_MAX_CHARACTERS} characters; these have {len(text)}")
    return text


def clean_tag(text: str) -> str:
    """A tag: like a name, or nothing."""
    return clean_name(text) if text.strip() else ""


def number_behind(text: str, between: str = "") -> tuple[str, int] | None:
    """Part a text from the number of up to four digits that it ends with; None if it ends with none.

    Space and the characters ``between`` are left out of what stands before. Examples: 'Corvane 8 / 3' with between '/'
    gives ('Corvane 8', 3), '12' gives ('', 12).
    """
    match = re.search(r"\d{1,4}\Z", text[-4:])
    if match is None:
        return None
    before = " ".join(text[: len(text) - len(match[0])].split())
    return before.rstrip(f" {between}"), int(match[0])


def few(names: Iterable[str], shown: int = 3) -> str:
    """Names, each once, and of many only the first. Example: 'Alma, Bertil, Cassia and 4 more'."""
    several = list(dict.fromkeys(names))
    # One alone behind the others is as long as saying that there is one.
    if len(several) <= shown + 1:
        return ", ".join(several)
    return f"{', '.join(several[:shown])} and {len(several) - shown} more"


def fold_names(names: Iterable[str]) -> list[str]:
    """Names, each once, those that differ by their numbers alone as one. Example: ['Mic 1–3', 'Organ']."""
    stems: dict[str, list[int]] = {}
    for name in dict.fromkeys(names):
        stem, _, last = name.rpartition(" ")
        if stem and last.isascii() and last.isdecimal() and len(last) <= 4 and not last.startswith("0"):
            stems.setdefault(stem, []).append(int(last))
        else:
            stems.setdefault(name, [])
    return [f"{stem} {fold_numbers(numbers)}" if numbers else stem for stem, numbers in stems.items()]


Name = Annotated[str, AfterValidator(clean_name)]
Notes = Annotated[str, AfterValidator(clean_notes)]
Id = Annotated[str, StringConstraints(pattern=r"^[a-z]{1,8}[0-9]{1,9}$", max_length=17)]
"""An id is letters and a number, made by the rig's own counter; it never changes and is never used again."""

Ids = Annotated[tuple[Id, ...], Field(max_length=1024, fail_fast=True)]


def _keepable(text: str) -> str:
    if "\x00" in text:
        raise ValueError("holds a control character (U+0000); type plain text")
    return text


Typed = Annotated[str, Field(max_length=4000), AfterValidator(_keepable)]
"""What a person types to be taken apart, or one cell of a list."""

GainDb = Annotated[float, Field(ge=-144, le=60, allow_inf_nan=False)]
DelaySamples = Annotated[int, Field(ge=0, le=100_000)]


def fold_numbers(numbers: list[int]) -> str:
    """Numbers as ranges. Example: [1, 2, 3, 7] becomes '1–3, 7'."""
    if not numbers:
        return ""
    if len(numbers) == 1 or min(numbers) == max(numbers):
        return str(numbers[0])
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return ", ".join(f"{run[0]}–{run[-1]}" if len(run) > 1 else str(run[0]) for run in runs)
