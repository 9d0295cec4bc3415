"""Strips and feeds of a mixer brought onto another box: the jacks, channels, strips and mixes that stand for theirs."""

from collections.abc import Callable
from typing import Any, NamedTuple

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Strip, StripSource


class Moves(NamedTuple):
    """What stands for what on the other box: for jacks by their numbers, for strips and mixes by their ids; None where
    nothing does.
    """

    jack_in: Callable[[int], int | None]
    jack_out: Callable[[int], int | None]
    item: Callable[[str], str | None]


def strip_moved(strip: Strip, box: Interface, moves: Moves) -> Strip | None:
    """A strip on another box; None if what it takes live is not there. A return or an insert without its ends goes."""
    live = [_source(source, box, moves) for source in strip.live]
    back = [_source(source, box, moves) for source in strip.back]
    if None in live:
        return None
    kept = () if None in back else tuple(back)
    insert = strip.insert
    if insert is not None:
        send, taken = moves.jack_out(insert.send), moves.jack_in(insert.back)
        more = strip.width - 1
        if send is None or taken is None or send + more > box.jack_out or taken + more > box.jack_in:
            insert = None
        else:
            insert = insert.model_copy(update={"send": send, "back": taken})
    update = {"live": tuple(live), "back": kept, "plays_back": strip.plays_back and bool(kept), "insert": insert}
    return strip.model_copy(update=update)


def _source(source: StripSource, box: Interface, moves: Moves) -> StripSource | None:
    if source.mix is not None:
        mix = moves.item(source.mix)
        return source.model_copy(update={"mix": mix}) if mix is not None else None
    number = moves.jack_in(source.number) if source.bank == "jack_in" else source.number
    has = box.jack_in if source.bank == "jack_in" else box.playback
    return source.model_copy(update={"number": number}) if number is not None and number <= has else None


def feed_moved(feed: Feed, box: Interface, moves: Moves) -> Feed | None:
    """A feed on another box; None if one of its ends is not there."""
    update: dict[str, Any] = {}
    if feed.item is not None:
        update["item"] = moves.item(feed.item)
    if feed.jack is not None:
        update["jack"] = moves.jack_in(feed.jack)
    if feed.to is not None:
        update["to"] = moves.item(feed.to)
    if feed.bank == "jack_out":
        update["number"] = moves.jack_out(feed.number)
    if None in update.values():
        return None
    moved = feed.model_copy(update=update)
    has = {"capture": box.capture, "jack_out": box.jack_out}.get(feed.bank)
    beyond = (has is not None and moved.ends.stop - 1 > has) or (moved.jack or 0) > box.jack_in
    return None if beyond else moved
