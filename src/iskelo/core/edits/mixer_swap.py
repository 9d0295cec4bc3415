"""What of a mixer's inside goes over into another mixer that takes its place."""

from collections.abc import Mapping

from iskelo.core.edits.mixer_moves import Moves, feed_moved, strip_moved
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.text import few

Jacks = Mapping[int, int]


def carried_over(old: Interface, new: Interface, jacks_in: Jacks, jacks_out: Jacks) -> Mixer | None:
    """The new box's inside: its own, or with the old one's strips, mixes and feeds where feeds are made freely in both.

    Jacks move as said; strips whose jacks, and feeds whose ends, the new one does not have are left behind.
    """
    if old.mixer is None or new.mixer is None or not (old.mixer.open_feeds and new.mixer.open_feeds):
        return new.mixer
    mixes = {mix.id for mix in old.mixer.mixes}

    def moves(there: set[str]) -> Moves:
        """A jack that is not named keeps its number; strips and mixes keep their ids."""
        return Moves(
            lambda jack: jacks_in.get(jack, jack),
            lambda jack: jacks_out.get(jack, jack),
            lambda each: each if each in there else None,
        )

    moved = [strip_moved(strip, new, moves(mixes)) for strip in old.mixer.strips]
    strips = tuple(strip for strip in moved if strip is not None)
    by = moves(mixes | {strip.id for strip in strips})
    feeds = tuple(kept for feed in old.mixer.feeds if (kept := feed_moved(feed, new, by)) is not None)
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
    said = [f"strips {few(strips, 4)} left behind"] if strips else []
    gone = sum(feed.id not in kept for feed in old.mixer.feeds)
    return [*said, f"{gone} feed{'s' if gone > 1 else ''} left behind"] if gone else said
