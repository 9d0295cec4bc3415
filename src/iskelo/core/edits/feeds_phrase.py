"""Feeds typed as a phrase: 'main', 'in 1-4 raw', 'aux 3 post' at a channel; 'main, aux 1 -6 pre' at a strip.

What ``rig.feed_words`` prints of them is read here as just that.
"""

import re
from typing import Any, Literal, NamedTuple, cast, get_args

from iskelo.core.edits.base import Refused
from iskelo.core.edits.insert_options import JACKS, insert_options
from iskelo.core.edits.ports_phrase import split_numbers
from iskelo.core.rig.feed_words import INSERT_OF, JACKS_IN, LEVEL, MONO, OFF, RAW, SIDES, TAP_WORDS
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Key, Mix, Mixer, Strip, StripInsert, StripTap
from iskelo.core.rig.units import say_figure

Side = Literal["l", "r"]

_PART = re.compile(r'(?:"(?:[^"]|"")*+"|[^",·;])+')
"""What stands between commas, those in quotation marks apart."""
_TOKEN = re.compile(r'"(?:[^"]|"")*+"|\([^()]*\)|[^\s"]+')
_PIECE = re.compile(r'"(?:[^"]|"")*+"|[^"]')


class Typed(NamedTuple):
    """One feed as it was typed.

    ``name`` is what stands in quotation marks, ``rest`` what is no option; they say what gives or where it goes.
    ``tap`` and ``key`` are None where nobody says; ``raw``: straight from the input jack; ``mono``: of something
    stereo, to one channel.
    """

    part: str
    name: str | None
    rest: str
    tap: StripTap | None
    raw: bool
    mono: bool
    gain_db: float
    on: bool
    key: Key | None

    def split(self, field: str) -> tuple[list[str], list[int]]:
        """Its words in lower case and its numbers; raises Refused."""
        if self.name is not None:
            return [], []
        words, numbers = split_numbers(self.rest, field)
        if not words and not numbers:
            raise Refused(field, f"{self.part!r} says no place; for example main, in 1-4 raw, aux 3 post")
        return words, numbers


class Giver(NamedTuple):
    """A strip or a mix that is typed, and the side of it that is meant, if one is."""

    item: Strip | Mix
    side: Side | None


def typed_feeds(text: str, field: str) -> list[Typed]:
    """The feeds a phrase names, apart by commas or dots; raises Refused."""
    return [_typed(part, field) for part in _parts(text, field)]


def typed_channels(text: str, field: str) -> list[list[Typed]]:
    """What is to feed one channel after the other, apart by commas; what is added up on one has a plus between."""
    return [[_typed(each, field) for each in _added(part)] for part in _parts(text, field)]


def _added(part: str) -> list[str]:
    """What stands between plusses, those in quotation marks and those before a figure apart."""
    added = [""]
    for piece in _PIECE.findall(f"{part} "):
        added[-1] += piece
        if added[-1].endswith(" + "):
            added[-1] = added[-1][:-3]
            added.append("")
    return [each.strip() for each in added if each.strip()]


def _parts(text: str, field: str) -> list[str]:
    if text.count('"') % 2:
        raise Refused(field, "a quotation mark is not closed")
    return [part.strip() for part in _PART.findall(text) if part.strip()]


def _typed(part: str, field: str) -> Typed:
    gain_db, taps, raw, mono, names, rest = 0.0, [], False, False, [], []
    on, key = True, None
    for token in _TOKEN.findall(part):
        plain = token.casefold().replace("−", "-")
        if token.startswith('"'):
            names.append(token[1:-1].replace('""', '"'))
        elif LEVEL.fullmatch(plain):
            gain_db = float(plain.removesuffix("db"))
        elif plain in TAP_WORDS:
            taps.append(TAP_WORDS[plain])
        elif plain == RAW:
            raw = True
        elif plain == MONO:
            mono = True
        elif plain in (OFF, "(on)"):
            on = plain != OFF
        elif plain.strip("()") in get_args(Key) and plain.startswith("("):
            key = cast("Key", plain.strip("()"))
        elif plain != "db":
            rest.append(token)
    if len(taps) + raw > 1:
        raise Refused(field, f"{part!r} says two taps; raw, direct, pre and post are one or the other")
    beside = " ".join(rest).casefold()
    if len(names) > 1 or (names and beside not in ("", *SIDES, INSERT_OF)):
        raise Refused(field, f"{part!r} says more than one place; put a comma between them")
    name = names[0] if names else None
    return Typed(part, name, " ".join(rest), taps[0] if taps else None, raw, mono, gain_db, on, key)


def typed_insert(text: str, now: StripInsert | None, field: str) -> dict[str, Any] | None:
    """An insert as typed: 'out 3 in 3, dry -6', 'out 3 in 3 bypassed', 'bypassed', 'in', 'none'; raises Refused.

    What hangs there already stays in or bypassed where nothing is said of it.
    """
    words = text.casefold().replace("−", "-").replace("›", " ").strip()
    if words in ("", "none", "-", "—"):
        return None
    if words in ("in", "bypassed", "bypass"):
        if now is None:
            raise Refused(field, "nothing hangs in it yet; say by which jacks: out 3 in 3")
        return now.model_dump() | {"on": words == "in"}
    typed = insert_options(words, field)
    how = {"on": typed.on is not False, "dry_db": typed.dry_db, "parallel": typed.parallel}
    if not typed.what and now is not None:
        return now.model_dump() | how
    match = re.fullmatch(JACKS, typed.what)
    if match is None:
        raise Refused(field, f"{text.strip()!r} is no insert; type for example out 3 in 3, or out 3 in 3 dry 0")
    ends = {"send": int(match[1]), "back": int(match[2])}
    if now is not None and (now.send, now.back) == (ends["send"], ends["back"]):
        how["on"] = now.on if typed.on is None else typed.on
        how["dry_db"] = same_figure(typed.dry_db, now.dry_db)
        # Of a dry path that is shut nothing is said.
        how["parallel"] = typed.parallel if typed.dry_db is not None else now.parallel
    return {**ends, **how}


def same_figure(typed: float | None, now: float | None) -> float | None:
    """The figure that was typed; the one that stands there already, where that is shown as what was typed."""
    if typed is None or now is None:
        return typed
    return now if say_figure(typed) == say_figure(now) else typed


def givers(box: Interface, mixer: Mixer, typed: Typed, field: str) -> list[Giver]:
    """The strips or mixes that are typed: 'main', 'main L', 'aux 3', 'strip 1-4', 'alma'; raises Refused."""
    items: list[Strip | Mix] = [*mixer.mixes, *mixer.strips]
    text = typed.rest if typed.name is None else typed.name
    before, _, last = typed.rest.rpartition(" ")
    side = cast("Side", last.casefold()) if last.casefold() in SIDES else None
    if side is not None and (typed.name is not None or before):
        whole = _called(items, text if typed.name is not None else before)
        if whole:
            return [Giver(_one(whole, text, field), side)]
    exact = _called(items, text)
    if exact:
        return [Giver(_one(exact, text, field), None)]
    if typed.name is not None:
        raise Refused(field, f"nothing in {box.name} is called {text!r}: say a mix, a strip, or in 1 raw")
    words, numbers = typed.split(field)
    found = []
    for wanted in [f"{' '.join(words)} {number}".strip() for number in numbers] or [" ".join(words)]:
        fitting = _called(items, wanted) or [item for item in items if item.name.casefold().startswith(wanted)]
        if not fitting:
            raise Refused(field, f"nothing in {box.name} is called {wanted!r}: say a mix, a strip, or in 1 raw")
        found.append(Giver(_one(fitting, wanted, field), None))
    return found


def _called(items: list[Strip | Mix], name: str) -> list[Strip | Mix]:
    """Those of a name, whatever its case, if none is written like that."""
    return [item for item in items if item.name == name] or [
        item for item in items if item.name.casefold() == name.casefold()
    ]


def _one(fitting: list[Strip | Mix], wanted: str, field: str) -> Strip | Mix:
    if len(fitting) > 1:
        names = ", ".join(item.name for item in fitting[:4])
        raise Refused(field, f"{wanted!r} could be {names}; say which")
    return fitting[0]


def insert_meant(mixer: Mixer, typed: Typed) -> Strip | None:
    """The strip whose insert a channel's phrase names: 'insert of Alma'; None where it names none."""
    text = typed.rest if typed.name is None else f"{typed.rest} {typed.name}".strip()
    if not text.casefold().startswith(f"{INSERT_OF} "):
        return None
    name = text[len(INSERT_OF) + 1 :]
    return next((strip for strip in mixer.strips if strip.name == name and strip.insert is not None), None)


def raw_jacks(box: Interface, typed: Typed, field: str) -> list[int]:
    """The input jacks that are typed raw."""
    words, numbers = typed.split(field)
    if typed.name is not None or (words and (len(words) > 1 or words[0] not in JACKS_IN)):
        raise Refused(field, f"raw is said of inputs: in {numbers[0] if numbers else 1} raw")
    if typed.tap is not None:
        raise Refused(field, "a raw channel has no tap: it stands before any strip")
    for number in numbers:
        if number > box.jack_in:
            raise Refused(field, f"there is no jack in {number} on {box.name}; it has {box.jack_in}")
    if not numbers:
        raise Refused(field, "say which inputs; for example in 1-4 raw")
    return numbers
