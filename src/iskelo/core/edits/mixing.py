"""The edits inside a mixer: strips, mixes, feeds, its settings, its stage box, its returns."""

from collections.abc import Sequence
from typing import Any

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, made, new_ids, with_gear
from iskelo.core.edits.settable import SETTABLE, say_value
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.inside import say_feed
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Never, Reason, Strip, StripSource
from iskelo.core.rig.rig import Rig

REASONS: dict[Reason, str] = {
    "return_joins_after_send": "the consumer return joins the main mix behind the send to the computer",
    "return_has_no_key": "the return has no key: only strips can be moved to the second pair",
    "send_hears_bus_only": "the channels for the computer hear the main mix alone",
    "not_offered": "this mixer has no such feed",
}
"""Why a mixer can never do something, in words."""


def mixer_of(rig: Rig, identity: str) -> tuple[Interface, Mixer]:
    """A box that is a mixer; raises Refused."""
    box = gear_of(rig, identity, Interface)
    if box.mixer is None:
        raise Refused(box.name, "it is no mixer: it has no strips and no mixes")
    return box, box.mixer


def strip_of(rig: Rig, identity: str) -> tuple[Interface, Mixer, Strip]:
    """A strip and the mixer it is in; raises Refused."""
    inside = index(rig).mixing.get(identity)
    if inside is None or not isinstance(inside.item, Strip):
        raise Refused(identity, "there is no strip with this id; it may have been removed")
    return inside.box, inside.mixer, inside.item


def with_mixer(rig: Rig, box: Interface, mixer: Mixer) -> Rig:
    """The rig with this inside of a box."""
    return with_gear(rig, box.model_copy(update={"mixer": mixer}))


def _free_names(wanted: Sequence[str], there: Sequence[Strip | Mix]) -> list[str]:
    """The names of new strips or mixes, each with a number behind it where it is taken."""
    taken = [each.name for each in there]
    for name in wanted:
        taken.append(free_name(name, taken))
    return taken[len(there) :]


@apply_one.register
def _(edit: a.AddStrips, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    rig, ids = new_ids(rig, "k", len(edit.names), edit.ids)
    jack, strips = edit.first_jack, []
    for identity, name in zip(ids, _free_names(edit.names, mixer.strips), strict=True):
        live = tuple(StripSource(number=jack + leg) for leg in range(edit.width))
        strips.append(made(Strip, f"{box.name}, strip {name}", id=identity, name=name, live=live))
        jack += edit.width
    mixer = mixer.model_copy(update={"strips": (*mixer.strips, *strips)})
    many = f"strip {strips[0].name}" if len(strips) == 1 else f"{len(strips)} strips"
    return Applied(with_mixer(rig, box, mixer), f"{box.name}: added {many}")


@apply_one.register
def _(edit: a.AddMixes, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    if not mixer.open_feeds:
        raise Refused(box.name, REASONS["not_offered"])
    rig, ids = new_ids(rig, "m", len(edit.names), edit.ids)
    mixes = [
        made(Mix, f"{box.name}, mix {name}", id=identity, name=name, width=edit.width)
        for identity, name in zip(ids, _free_names(edit.names, mixer.mixes), strict=True)
    ]
    mixer = mixer.model_copy(update={"mixes": (*mixer.mixes, *mixes)})
    many = f"mix {mixes[0].name}" if len(mixes) == 1 else f"{len(mixes)} mixes"
    return Applied(with_mixer(rig, box, mixer), f"{box.name}: added {many}")


@apply_one.register
def _(edit: a.AddFeed, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    rig, (identity,) = new_ids(rig, "f", 1, edit.ids)
    fields = {name: getattr(edit, name) for name in Feed.model_fields if name not in ("id", "fixed")}
    feed = made(Feed, f"{box.name}, feed", id=identity, **fields)
    refusal = never_allows(mixer, feed)
    if refusal is not None:
        raise Refused(f"{box.name}, {say_feed(mixer, feed, how=True)}", refusal)
    others = mixer.feeds
    if edit.replace:
        others = tuple(each for each in others if each.fixed or not _meets(each, feed))
    mixer = mixer.model_copy(update={"feeds": (*others, feed)})
    gone = len(box.mixer.feeds) + 1 - len(mixer.feeds) if box.mixer is not None else 0
    instead = f", in place of {gone} other feed{'s' if gone > 1 else ''}" if gone else ""
    return Applied(with_mixer(rig, box, mixer), f"{box.name}: {say_feed(mixer, feed, how=True)}{instead}")


def _meets(other: Feed, feed: Feed) -> bool:
    """Whether two feeds lead to the same channel or jack."""
    return feed.bank != "mix" and other.bank == feed.bank and bool(set(other.ends) & set(feed.ends))


def never_allows(mixer: Mixer, feed: Feed) -> str | None:
    """Why a mixer cannot have a feed, in words; None if it can."""
    for never in mixer.never:
        if _is_meant(never, mixer, feed):
            return REASONS[never.reason]
    return None if mixer.open_feeds else REASONS["not_offered"]


def _is_meant(never: Never, mixer: Mixer, feed: Feed) -> bool:
    if never.ends != feed.bank or (never.end is not None and never.end != feed.to):
        return False
    match never.starts:
        case "jack_in":
            return feed.is_raw
        case "mix":
            return feed.item in {mix.id for mix in mixer.mixes} and never.start in (None, feed.item)
    strip = next((each for each in mixer.strips if each.id == feed.item), None)
    if strip is None:
        return False
    if never.starts == "strip":
        return never.start in (None, strip.id)
    return any(source.bank == "playback" for source in (*strip.live, *strip.back))


@apply_one.register
def _(edit: e.SetMixer, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    offered = SETTABLE[Mixer]
    unknown = next((name for name in edit.values if name not in offered), None)
    if unknown is not None:
        raise Refused(f"{box.name}, mixer", f"it has no field {unknown!r} that can be set")
    new = changed(mixer, f"{box.name}, mixer", **edit.values)
    said = ", ".join(
        f"{offered[name]} {say_value(getattr(mixer, name))} → {say_value(getattr(new, name))}" for name in edit.values
    )
    return Applied(with_mixer(rig, box, new), f"{box.name}: {said}")


@apply_one.register
def _(edit: e.UseStageBox, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    local = box.jack_in - mixer.stage_jacks
    if not mixer.stage_jacks:
        raise Refused(box.name, "it has no stage box")
    wanted = set(edit.strips)
    moved: list[str] = []

    def other(source: StripSource, name: str) -> StripSource:
        if source.bank != "jack_in" or (source.number > local) is edit.on:
            return source
        number = source.number + local if edit.on else source.number - local
        if not 1 <= number <= box.jack_in or (number > local) is not edit.on:
            raise Refused(f"{box.name}, strip {name}", f"jack {source.number} has no fellow on the other side")
        moved.append(f"{source.number} → {number}")
        return source.model_copy(update={"number": number})

    strips = tuple(
        strip.model_copy(update={"live": tuple(other(source, strip.name) for source in strip.live)})
        if strip.id in wanted
        else strip
        for strip in mixer.strips
    )
    if not moved:
        raise Refused(box.name, f"these strips take jacks {'of the stage box' if edit.on else 'of its own'} already")
    where = "the stage box" if edit.on else "its own jacks"
    said = f"{box.name}: {len(moved)} strip legs on {where}, jacks {', '.join(moved)}"
    return Applied(with_mixer(rig, box, mixer.model_copy(update={"strips": strips})), said)


@apply_one.register
def _(edit: e.SwitchReturns, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    able = [strip for strip in mixer.strips if strip.back]
    if not able:
        raise Refused(box.name, "none of its strips has a return to be switched to")
    strips: tuple[Any, ...] = tuple(
        strip.model_copy(update={"plays_back": edit.on}) if strip.back and strip.plays_back is not edit.on else strip
        for strip in mixer.strips
    )
    said = f"{box.name}: {len(able)} strips {'play their returns' if edit.on else 'are live'}"
    return Applied(with_mixer(rig, box, mixer.model_copy(update={"strips": strips})), said)
