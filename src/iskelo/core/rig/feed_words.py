"""Where a strip goes and what feeds a channel, in words that can be typed again: ``edits.feeds_phrase`` reads them."""

import re

from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip, StripTap
from iskelo.core.rig.units import say_figure

TAP_WORDS: dict[str, StripTap] = {
    "direct": "direct",
    "pre": "before the fader",
    "post": "behind the fader",
}
RAW, MONO, OFF, INSERT_OF = "raw", "mono", "(off)", "insert of"
JACKS_IN = ("in", "jack", "jacks", "input")
CHANNELS = ("usb", "channel", "channels", "computer")
JACKS_OUT = ("out", "jack", "jacks", "output")
SIDES = ("l", "r")
LEVEL = re.compile(r"[+-]\d{1,3}(?:\.\d+)?(?:e[+-]?\d+)?(?:db)?", re.IGNORECASE)

_RESERVED = {*TAP_WORDS, RAW, MONO, "db", "+"}
_BEGINNINGS = {*JACKS_IN, *CHANNELS, *JACKS_OUT, "insert"}
_SHORT = {"direct": " direct", "before the fader": " pre", "behind the fader": ""}


def said_name(name: str) -> str:
    """A name as it stands in a phrase; in quotation marks, inner ones doubled, where it could be taken for more."""
    tokens = name.casefold().replace("−", "-").split()
    plain = (
        not re.search(r'[,·;"()]', name)
        and not _RESERVED & set(tokens)
        and not any(LEVEL.fullmatch(token) for token in tokens)
        and tokens[0] not in _BEGINNINGS
        and tokens[-1] not in SIDES
    )
    return name if plain else '"' + name.replace('"', '""') + '"'


def feeds_phrase(mixer: Mixer, item: Strip | Mix) -> str:
    """Where a strip or mix goes, as it could be typed: 'Main · Aux 1 −6 pre · usb 3 raw'."""
    jacks = [source.number for source in item.live if source.bank == "jack_in"] if isinstance(item, Strip) else []
    names = {mix.id: said_name(mix.name) for mix in mixer.mixes}
    wide = len(item.live) if isinstance(item, Strip) else item.width
    said = []
    for feed in mixer.feeds:
        if feed.item != item.id and feed.jack not in jacks:
            continue
        if feed.to is not None:
            where = names[feed.to]
        else:
            where = f"{'usb' if feed.bank == 'capture' else 'out'} {_range(feed)}{_mono(feed, wide)}"
        tap = "" if feed.is_raw or isinstance(item, Mix) else _SHORT[feed.tap]
        leg = f" {'LR'[jacks.index(feed.jack)]}" if feed.jack is not None and len(jacks) > 1 else ""
        raw = f" {RAW}{leg}" if feed.is_raw else ""
        said.append(f"{where}{_gain(feed)}{tap}{raw}{_how(mixer, feed)}")
    return " · ".join(said)


def fed_by(mixer: Mixer, bank: str, number: int) -> tuple[str, bool]:
    """What feeds a channel or jack, as it could be typed there, and whether that is the gear's own."""
    items: list[Strip | Mix] = [*mixer.strips, *mixer.mixes]
    names = {each.id: said_name(each.name) for each in items}
    wide = {each.id: each.width for each in items}
    strips = {strip.id for strip in mixer.strips}
    said, fixed = [], False
    for feed in mixer.feeds:
        if feed.bank != bank or number not in feed.ends:
            continue
        fixed = fixed or feed.fixed
        if feed.is_raw:
            said.append(f"in {feed.jack}{_gain(feed)} {RAW}{_how(mixer, feed)}")
            continue
        side = f" {'LR'[number - feed.number]}" if feed.width == 2 else _mono(feed, wide[feed.item or ""])
        tap = _SHORT[feed.tap] if feed.item in strips else ""
        said.append(f"{names[feed.item or '']}{side}{_gain(feed)}{tap}{_how(mixer, feed)}")
    for strip in mixer.strips if bank == "jack_out" else ():
        insert = strip.insert
        if insert is not None and insert.send <= number < insert.send + strip.width:
            said.append(f"{INSERT_OF} {said_name(strip.name)}")
    return " + ".join(said), fixed


def _mono(feed: Feed, wide: int) -> str:
    return f" {MONO}" if feed.width < wide and not feed.is_raw else ""


def _gain(feed: Feed) -> str:
    return f" {'+' if feed.gain_db > 0 else ''}{say_figure(feed.gain_db)}" if feed.gain_db else ""


def _how(mixer: Mixer, feed: Feed) -> str:
    key = f" ({feed.key})" if feed.key != "always" and mixer.mute_key == "moves" else ""
    return f"{'' if feed.on else f' {OFF}'}{key}"


def _range(feed: Feed) -> str:
    return str(feed.number) if feed.width == 1 else f"{feed.number}–{feed.ends.stop - 1}"
