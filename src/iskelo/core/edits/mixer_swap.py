"""What of a mixer's inside goes over into another mixer that takes its place."""

from collections.abc import Mapping

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Mixer, Strip, StripSource

Jacks = Mapping[int, int]


def carried_over(old: Interface, new: Interface, jacks_in: Jacks, jacks_out: Jacks) -> Mixer | None:
    """The new box's inside: its own, or with the old one's strips, mixes and feeds where feeds are made freely in both.

    Jacks move as said; strips whose jacks, and feeds whose ends, the new one does not have are left behind.
    """
    if old.mixer is None or new.mixer is None or not (old.mixer.open_feeds and new.mixer.open_feeds):
        return new.mixer
    strips = tuple(kept for strip in old.mixer.strips if (kept := _strip(strip, new, jacks_in, jacks_out)) is not None)
    items = {each.id for each in strips} | {each.id for each in old.mixer.mixes}
    moved = [_feed(feed, new, items, jacks_in, jacks_out) for feed in old.mixer.feeds]
    feeds = tuple(feed for feed in moved if feed is not None)
    return new.mixer.model_copy(update={"strips": strips, "mixes": old.mixer.mixes, "feeds": feeds})


def channels_of(old: Interface, new: Interface, jacks_in: Jacks) -> dict[int, int | None]:
    """Which channel of a box without a mixer takes over from one of a mixer: that of the jack that was raw on it; for
    a mix there is none. Empty where channels keep their numbers.
    """
    if old.mixer is None or new.mixer is not None:
        return {}
    raw = {feed.number: feed.jack for feed in old.mixer.feeds if feed.jack is not None}
    return {
        channel: jacks_in.get(jack, jack) if (jack := raw.get(channel)) is not None else None
        for channel in range(1, old.capture + 1)
    }


def left_behind(old: Interface, mixer: Mixer | None) -> list[str]:
    """What did not find a place, in words."""
    if old.mixer is None:
        return []
    if mixer is None:
        return ["its strips and feeds are left behind"]
    kept = {each.id for each in mixer.items()}
    strips = [strip.name for strip in old.mixer.strips if strip.id not in kept]
    if len(strips) == len(old.mixer.strips):
        return ["its strips and feeds are left behind"]
    said = [f"strips {', '.join(strips[:4])}{' and more' if len(strips) > 4 else ''} left behind"] if strips else []
    gone = sum(feed.id not in kept for feed in old.mixer.feeds)
    return [*said, f"{gone} feed{'s' if gone > 1 else ''} left behind"] if gone else said


def _strip(strip: Strip, new: Interface, jacks_in: Jacks, jacks_out: Jacks) -> Strip | None:
    live = tuple(_source(source, jacks_in) for source in strip.live)
    if any(source.bank == "jack_in" and source.number > new.jack_in for source in live):
        return None
    if any(source.bank == "playback" and source.number > new.playback for source in live):
        return None
    fits = all(source.bank != "playback" or source.number <= new.playback for source in strip.back)
    back = tuple(_source(source, jacks_in) for source in strip.back) if fits else ()
    insert = strip.insert
    if insert is not None:
        send, taken = jacks_out.get(insert.send, insert.send), jacks_in.get(insert.back, insert.back)
        there = send + strip.width - 1 <= new.jack_out and taken + strip.width - 1 <= new.jack_in
        insert = insert.model_copy(update={"send": send, "back": taken}) if there else None
    plays_back = strip.plays_back and bool(back)
    return strip.model_copy(update={"live": live, "back": back, "plays_back": plays_back, "insert": insert})


def _source(source: StripSource, jacks_in: Jacks) -> StripSource:
    if source.bank != "jack_in":
        return source
    return source.model_copy(update={"number": jacks_in.get(source.number, source.number)})


def _feed(feed: Feed, new: Interface, items: set[str], jacks_in: Jacks, jacks_out: Jacks) -> Feed | None:
    if feed.item is not None and feed.item not in items:
        return None
    update: dict[str, int] = {}
    if feed.jack is not None:
        update["jack"] = jacks_in.get(feed.jack, feed.jack)
        if update["jack"] > new.jack_in:
            return None
    if feed.bank == "jack_out":
        update["number"] = jacks_out.get(feed.number, feed.number)
    has = {"capture": new.capture, "jack_out": new.jack_out}.get(feed.bank)
    moved = feed.model_copy(update=update)
    return None if has is not None and moved.ends.stop - 1 > has else moved
