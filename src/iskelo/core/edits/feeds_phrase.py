"""Feeds typed as a phrase: 'main', 'in 1-4 raw', 'aux 3 post' at a channel; 'main, aux 1 -6 pre' at a strip."""

import re
from typing import Any, NamedTuple

from iskelo.core.edits.base import Refused
from iskelo.core.edits.insert_options import JACKS, insert_options
from iskelo.core.edits.ports_phrase import split_numbers
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Mix, Mixer, Strip, StripInsert, StripTap

TAP_WORDS: dict[str, StripTap] = {
    "direct": "direct",
    "pre": "before the fader",
    "post": "behind the fader",
}
RAW = "raw"
JACKS_IN = ("in", "jack", "jacks", "input")
CHANNELS = ("usb", "channel", "channels", "computer")
JACKS_OUT = ("out", "jack", "jacks", "output")


class Typed(NamedTuple):
    """One feed as it was typed: what gives or where it goes, at which tap (None: nobody says), how loud."""

    words: tuple[str, ...]
    numbers: tuple[int, ...]
    tap: StripTap | None
    raw: bool
    gain_db: float


def typed_feeds(text: str, field: str) -> list[Typed]:
    """The feeds a phrase names, apart by commas or dots; raises Refused."""
    parts = [part.strip() for part in re.split(r"[,·;]", text) if part.strip()]
    return [_typed(part, field) for part in parts]


def _typed(part: str, field: str) -> Typed:
    gain_db, taps, raw, rest = 0.0, [], False, []
    for token in part.casefold().replace("−", "-").split():
        level = re.fullmatch(r"([+-]\d{1,3}(?:\.\d)?)(?:db)?", token)
        if level:
            gain_db = float(level[1])
        elif token in TAP_WORDS:
            taps.append(TAP_WORDS[token])
        elif token == RAW:
            raw = True
        elif token != "db":
            rest.append(token)
    if len(taps) + raw > 1:
        raise Refused(field, f"{part!r} says two taps; raw, direct, pre and post are one or the other")
    words, numbers = split_numbers(" ".join(rest), field)
    if not words and not numbers:
        raise Refused(field, f"{part!r} says no place; for example main, in 1-4 raw, aux 3 post")
    return Typed(tuple(words), tuple(numbers), taps[0] if taps else None, raw, gain_db)


def typed_insert(text: str, now: StripInsert | None, field: str) -> dict[str, Any] | None:
    """An insert as typed: 'out 3 in 3, dry -6', 'out 3 in 3 bypassed', 'bypassed', 'in', 'none'; raises Refused."""
    words = text.casefold().replace("−", "-").replace("›", " ").strip()
    if words in ("", "none", "-", "—"):
        return None
    if words in ("in", "bypassed", "bypass"):
        if now is None:
            raise Refused(field, "nothing hangs in it yet; say by which jacks: out 3 in 3")
        return now.model_dump() | {"on": words == "in"}
    typed = insert_options(words, field)
    how = {"on": typed.on, "dry_db": typed.dry_db, "parallel": typed.parallel}
    if not typed.what and now is not None:
        return now.model_dump() | how
    match = re.fullmatch(JACKS, typed.what)
    if match is None:
        raise Refused(field, f"{text.strip()!r} is no insert; type for example out 3 in 3, or out 3 in 3 dry 0")
    return {"send": int(match[1]), "back": int(match[2]), **how}


def givers(box: Interface, mixer: Mixer, typed: Typed, field: str) -> list[Strip | Mix]:
    """The strips or mixes that are typed: 'main', 'aux 3', 'strip 1-4', 'alma'."""
    items: list[Strip | Mix] = [*mixer.mixes, *mixer.strips]
    found: list[Strip | Mix] = []
    for wanted in [f"{' '.join(typed.words)} {number}".strip() for number in typed.numbers] or [" ".join(typed.words)]:
        fitting = [item for item in items if item.name.casefold() == wanted]
        fitting = fitting or [item for item in items if item.name.casefold().startswith(wanted)]
        if not fitting:
            raise Refused(field, f"nothing in {box.name} is called {wanted!r}: say a mix, a strip, or in 1 raw")
        if len(fitting) > 1:
            names = ", ".join(item.name for item in fitting[:4])
            raise Refused(field, f"{wanted!r} could be {names}; say which")
        found.append(fitting[0])
    return found


def raw_jacks(box: Interface, typed: Typed, field: str) -> list[int]:
    """The input jacks that are typed raw."""
    if typed.words and (len(typed.words) > 1 or typed.words[0] not in JACKS_IN):
        raise Refused(field, f"raw is said of inputs: in {typed.numbers[0] if typed.numbers else 1} raw")
    if typed.tap is not None:
        raise Refused(field, "a raw channel has no tap: it stands before any strip")
    for number in typed.numbers:
        if number > box.jack_in:
            raise Refused(field, f"there is no jack in {number} on {box.name}; it has {box.jack_in}")
    if not typed.numbers:
        raise Refused(field, "say which inputs; for example in 1-4 raw")
    return list(typed.numbers)
