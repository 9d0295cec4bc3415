"""The edits that are typed as phrases: what feeds a mixer's channels, where a strip goes, what hangs in it."""

from typing import Any

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed
from iskelo.core.edits.feeds_phrase import (
    CHANNELS,
    JACKS_OUT,
    Typed,
    givers,
    raw_jacks,
    typed_feeds,
    typed_insert,
)
from iskelo.core.edits.mixing import mixer_of, strip_of, with_mixer
from iskelo.core.edits.settable import say_value
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.inside import say_feed
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import few


@apply_one.register
def _(edit: e.TypeFeeds, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    place = _place(box, edit)
    typed = typed_feeds(edit.text, place)
    if not typed:
        return _unfed(rig, box, mixer, edit)
    number = edit.number
    adds: list[dict[str, Any]] = []
    for each in typed:
        if each.raw:
            adds += [{"jack": jack, "width": 1, "gain_db": each.gain_db} for jack in raw_jacks(box, each, place)]
            continue
        for item in givers(box, mixer, each, place):
            tap = each.tap or "behind the fader"
            adds.append({"item": item.id, "width": item.width, "tap": tap, "gain_db": each.gain_db})
    has = box.capture if edit.bank == "capture" else box.jack_out
    last = number - 1 + sum(each["width"] for each in adds)
    if last > has:
        what = "channels for the computer" if edit.bank == "capture" else "output jacks"
        raise Refused(place, f"that takes {last - number + 1} of its {what} from {number} on, and it has {has}")
    before = {feed.id for feed in mixer.feeds}
    for fields in adds:
        add = a.AddFeed.model_validate(
            {"mixer": box.id, "bank": edit.bank, "number": number, "replace": True, **fields}
        )
        rig, number = apply_one(add, rig).rig, number + add.width
    _, after = mixer_of(rig, box.id)
    gone = [say_feed(mixer, feed, how=True) for feed in mixer.feeds if feed.id not in {each.id for each in after.feeds}]
    fresh = [feed for feed in after.feeds if feed.id not in before]
    instead = f", in place of {few(gone)}" if gone else ""
    return Applied(rig, f"{box.name}: {', '.join(_said_feeds(after, fresh))}{instead}")


def _place(box: Interface, edit: e.TypeFeeds) -> str:
    return f"{box.name}, {'channel' if edit.bank == 'capture' else 'jack out'} {edit.number}"


def _said_feeds(mixer: Mixer, fresh: list[Feed]) -> list[str]:
    """Feeds in words, raw inputs that follow each other as one."""
    said: list[str] = []
    run: list[Feed] = []
    for feed in [*fresh, None]:
        follows = feed is not None and feed.jack is not None and run and feed.jack == (run[-1].jack or 0) + 1
        if run and not follows:
            first, last = run[0], run[-1]
            many = f"in {first.jack}–{last.jack} raw to channels {first.number}–{last.number}"
            said.append(many if len(run) > 1 else say_feed(mixer, first, how=True))
            run = []
        if feed is not None and feed.is_raw:
            run.append(feed)
        elif feed is not None:
            said.append(say_feed(mixer, feed, how=True))
    return said


def _unfed(rig: Rig, box: Interface, mixer: Mixer, edit: e.TypeFeeds) -> Applied:
    """What feeds a channel or a jack is taken away."""
    here = [each for each in mixer.feeds if each.bank == edit.bank and edit.number in each.ends]
    place = _place(box, edit)
    if any(each.fixed for each in here):
        raise Refused(place, "what feeds it is the gear's own: nobody can take it away")
    if not here:
        raise Refused(place, "nothing feeds it")
    left = tuple(each for each in mixer.feeds if each not in here)
    return Applied(with_mixer(rig, box, mixer.model_copy(update={"feeds": left})), f"{place}: fed by nothing")


@apply_one.register
def _(edit: e.TypeStripFeeds, rig: Rig) -> Applied:
    box, mixer, strip = strip_of(rig, edit.strip)
    place = f"{box.name}, strip {strip.name}, feeds"
    wanted = [_strip_feed(box, mixer, strip, each, place) for each in typed_feeds(edit.text, place)]
    jacks = {source.number for source in strip.live if source.bank == "jack_in"}
    kept = []
    for feed in mixer.feeds:
        mine = feed.item == strip.id or (feed.jack in jacks)
        same = next((each for each in wanted if _goes_alike(each, feed)), None)
        if not mine or feed.fixed:
            kept.append(feed)
        elif same is not None:
            wanted.remove(same)
            changes = {name: same[name] for name in ("tap", "gain_db") if name in same}
            kept.append(changed(feed, place, **changes, on=True))
    rig = with_mixer(rig, box, mixer.model_copy(update={"feeds": tuple(kept)}))
    for each in wanted:
        rig = apply_one(a.AddFeed.model_validate({"mixer": box.id, **each}), rig).rig
    return Applied(rig, f"{place}: {edit.text.strip() or 'none'}")


@apply_one.register
def _(edit: e.TypeInsert, rig: Rig) -> Applied:
    box, mixer, before = strip_of(rig, edit.strip)
    place = f"{box.name}, strip {before.name}, insert"
    strip = changed(before, place, insert=typed_insert(edit.text, before.insert, place))
    strips = tuple(strip if each.id == strip.id else each for each in mixer.strips)
    rig = with_mixer(rig, box, mixer.model_copy(update={"strips": strips}))
    return Applied(rig, f"{place}: {say_value(strip.insert)}")


def _goes_alike(wanted: dict[str, Any], feed: Feed) -> bool:
    """Whether a feed goes where a typed one goes."""
    ends = (wanted.get("to"), wanted.get("bank", "mix"), wanted.get("number", 1), wanted.get("jack"))
    return ends == (feed.to, feed.bank, feed.number, feed.jack)


def _strip_feed(box: Interface, mixer: Mixer, strip: Strip, typed: Typed, place: str) -> dict[str, Any]:
    """Where a strip is to go: a mix by name, 'usb 3', 'out 5', 'usb 3 raw'."""
    first = typed.words[0] if typed.words else ""
    level: dict[str, Any] = {"gain_db": typed.gain_db}
    if first in CHANNELS or first in JACKS_OUT:
        if len(typed.numbers) != 1 or len(typed.words) > 1:
            raise Refused(place, f"say one number; for example {first} 3")
        bank = "capture" if first in CHANNELS else "jack_out"
        where: dict[str, Any] = {"replace": True, "bank": bank, "number": typed.numbers[0], **level}
        if typed.raw:
            sources = [source for source in strip.live if source.bank == "jack_in"]
            if bank != "capture" or len(sources) != 1 or strip.width != 1:
                raise Refused(place, "raw is the one input jack of a mono strip, straight to a channel")
            return {**where, "jack": sources[0].number}
        return {**where, "item": strip.id, "width": strip.width, "tap": typed.tap or "behind the fader"}
    if typed.raw:
        raise Refused(place, "a raw input goes to a channel for the computer: usb 3 raw")
    for item in givers(box, mixer, typed, place):
        if isinstance(item, Mix):
            return {"item": strip.id, "to": item.id, "tap": typed.tap or "behind the fader", **level}
    raise Refused(place, "a strip feeds mixes, usb channels and output jacks, not another strip")
