"""What is inside a mixer, by id: its strips, mixes and feeds, and how many ports each has."""

from collections.abc import Iterator
from typing import NamedTuple

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip
from iskelo.core.rig.units import say_figure

INSIDE_BANKS = {"preamp": "jack_in", "to_computer": "capture", "from_computer": "playback", "to_jack": "jack_out"}
"""What a mixer has as many of inside as of these banks outside."""


class InMixer(NamedTuple):
    """A strip, mix or feed of a mixer, with its box and its place there, from 1."""

    box: Interface
    mixer: Mixer
    item: Strip | Mix | Feed
    position: int

    @property
    def item_name(self) -> str:
        """The name of a strip or mix; a feed has none."""
        return "" if isinstance(self.item, Feed) else self.item.name


def inside_size(inside: InMixer, bank: str) -> int:
    match inside.item:
        case Strip(width=width) if bank in ("strip_direct", "strip_point", "strip_pre", "strip_post"):
            return width
        case Mix(width=width) if bank in ("mix", "mix_post"):
            return width
        case Feed() as feed if bank == "feed":
            return inside.mixer.feed_width(feed)
    return 0


def inside_of(box: Interface) -> Iterator[tuple[Strip | Mix | Feed, InMixer]]:
    """Strips, mixes and feeds of a box that is a mixer, each with its place."""
    if box.mixer is None:
        return
    several: tuple[tuple[Strip | Mix | Feed, ...], ...] = (box.mixer.strips, box.mixer.mixes, box.mixer.feeds)
    for items in several:
        for position, item in enumerate(items, start=1):
            yield item, InMixer(box, box.mixer, item, position)


def say_feed(mixer: Mixer, feed: Feed, *, how: bool = False) -> str:
    """A feed by what it joins: 'in 3 raw to channel 3', 'Main to channels 1–2'.

    ``how``: with its tap, if it is a strip's, and its gain: 'Alma before the fader to Aux 1, −6 dB'.
    """
    names = {each.id: each.name for each in mixer.strips} | {each.id: each.name for each in mixer.mixes}
    start = f"in {feed.jack} raw" if feed.item is None else names.get(feed.item, GONE)
    if feed.to is not None:
        end = names.get(feed.to, GONE)
    else:
        what = "channel" if feed.bank == "capture" else "jack out"
        many = "s" if len(feed.ends) > 1 and feed.bank == "capture" else ""
        end = f"{what}{many} {say_range(feed.ends)}"
    if not how:
        return f"{start} to {end}"
    of_strip = any(strip.id == feed.item for strip in mixer.strips)
    tap = f" {feed.tap}" if of_strip and feed.tap != "behind the fader" else ""
    return f"{start}{tap} to {end}{f', {say_figure(feed.gain_db)} dB' if feed.gain_db else ''}"


GONE = "what is gone"


def say_range(numbers: range) -> str:
    return str(numbers.start) if len(numbers) == 1 else f"{numbers.start}–{numbers.stop - 1}"
