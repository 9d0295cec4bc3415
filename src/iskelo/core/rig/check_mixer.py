"""Does a mixer hold together? Its strips take what is there, its feeds lead where they can."""

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.inside import say_feed
from iskelo.core.rig.mixers import Feed, Mixer, Strip, StripSource
from iskelo.core.rig.value import Value


class Faulty(ValueError):
    """Part of a mixer does not fit: ``what`` says which, the text why."""

    def __init__(self, what: str, reason: str) -> None:
        super().__init__(reason)
        self.what = what
        self.reason = reason


def check_mixer(box: Interface) -> None:
    """Raise ``Faulty`` if something in a box's mixer does not fit together."""
    mixer = box.mixer
    if mixer is None:
        return
    if mixer.stage_jacks > box.jack_in:
        raise Faulty("stage box", f"it has {mixer.stage_jacks} jacks, and {box.name} {box.jack_in} in all")
    _names(mixer)
    items = {*(strip.id for strip in mixer.strips), *(mix.id for mix in mixer.mixes)}
    for never in mixer.never:
        lost = next((each for each in (never.start, never.end) if each is not None and each not in items), None)
        if lost is not None:
            raise Faulty("what it can never do", f"{lost!r} is no strip and no mix of {box.name}")
    mixes = {mix.id: mix.width for mix in mixer.mixes}
    for strip in mixer.strips:
        _strip(strip, box, mixes)
    seen: set[tuple[object, ...]] = set()
    for feed in mixer.feeds:
        _feed(feed, box, mixer, mixes)
        key = (feed.item, feed.jack, feed.to, feed.bank, feed.number, feed.tap, feed.key)
        if key in seen:
            raise Faulty(f"feed of {say_feed(mixer, feed)}", "there is one of the same tap to the same place already")
        seen.add(key)


def _names(mixer: Mixer) -> None:
    for what, items in (("strip", mixer.strips), ("mix", mixer.mixes)):
        seen: set[str] = set()
        for item in items:
            key = item.name.casefold()
            if key in seen:
                raise Faulty(f"{what} {item.name}", f"the name {item.name!r} is taken by another {what} of this mixer")
            seen.add(key)


def _strip(strip: Strip, box: Interface, mixes: dict[str, int]) -> None:
    place = f"strip {strip.name}"
    for source in (*strip.live, *strip.back):
        _source(source, place, box, mixes)
    insert = strip.insert
    if insert is not None:
        for number, has, what in (
            (insert.send + strip.width - 1, box.jack_out, "jack out"),
            (insert.back + strip.width - 1, box.jack_in, "jack in"),
        ):
            if number > has:
                raise Faulty(place, f"its insert needs {what} {number}, and {box.name} has {has}")


def _source(source: StripSource, place: str, box: Interface, mixes: dict[str, int]) -> None:
    if source.mix is not None:
        if source.mix not in mixes:
            raise Faulty(place, f"the mix {source.mix!r} that it takes is none of {box.name}")
        if source.number > mixes[source.mix]:
            raise Faulty(place, f"the mix that it takes has no leg {source.number}")
        return
    has = box.jack_in if source.bank == "jack_in" else box.playback
    if source.number > has:
        what = "jack in" if source.bank == "jack_in" else "channel from the computer"
        raise Faulty(place, f"there is no {what} {source.number} on {box.name}; it has {has}")


def _feed(feed: Feed, box: Interface, mixer: Mixer, mixes: dict[str, int]) -> None:
    place = f"feed of {say_feed(mixer, feed)}"
    givers: dict[str, Value] = {each.id: each for each in mixer.strips} | {each.id: each for each in mixer.mixes}
    if feed.item is not None and feed.item not in givers:
        raise Faulty(place, f"{feed.item!r}, where it begins, is no strip and no mix of {box.name}")
    if feed.jack is not None and feed.jack > box.jack_in:
        raise Faulty(place, f"there is no jack in {feed.jack} on {box.name}; it has {box.jack_in}")
    if feed.to is not None:
        if feed.to not in mixes:
            raise Faulty(place, f"{feed.to!r}, where it leads, is no mix of {box.name}")
        if feed.to == feed.item:
            raise Faulty(place, "a mix cannot feed itself")
        return
    has = box.capture if feed.bank == "capture" else box.jack_out
    if feed.ends.stop - 1 > has:
        what = "channel for the computer" if feed.bank == "capture" else "jack out"
        raise Faulty(place, f"there is no {what} {feed.ends.stop - 1} on {box.name}; it has {has}")
