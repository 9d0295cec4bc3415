"""The edits that are typed as phrases: what feeds a mixer's channels, where a strip goes, what hangs in it."""

from collections import Counter
from typing import Any, NamedTuple

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed
from iskelo.core.edits.feeds_phrase import (
    Typed,
    givers,
    insert_meant,
    raw_jacks,
    same_figure,
    typed_channels,
    typed_feeds,
    typed_insert,
)
from iskelo.core.edits.mixing import mixer_of, strip_of, with_mixer
from iskelo.core.edits.settable import say_value
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.feed_words import CHANNELS, JACKS_OUT, SIDES, fed_by, feeds_phrase
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.inside import say_feed
from iskelo.core.rig.mixers import Feed, Key, Mix, Mixer, Strip, StripTap
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import few


class _Wanted(NamedTuple):
    """A feed that is typed: where it begins, its first channel or jack, how wide, and how.

    ``tap``: None of what has none, a mix or a raw jack. ``key``: None, as it is.
    """

    item: str | None
    jack: int | None
    number: int
    width: int
    tap: StripTap | None
    gain_db: float
    on: bool
    key: Key | None

    def is_like(self, feed: Feed) -> bool:
        """Whether a feed joins the same two."""
        return (self.item, self.jack, self.number, self.width) == (feed.item, feed.jack, feed.number, feed.width)

    def taken_by(self, feed: Feed, place: str) -> Feed:
        """A feed that joins the same two, with what is typed of it."""
        how: dict[str, Any] = {"on": self.on, "gain_db": same_figure(self.gain_db, feed.gain_db)}
        how |= {"tap": self.tap} if self.tap is not None else {}
        how |= {"key": self.key} if self.key is not None else {}
        new = changed(feed, place, **how)
        if feed.fixed and new != feed:
            raise Refused(place, "what feeds it is the gear's own: nobody can change it")
        return new


@apply_one.register
def _(edit: e.TypeFeeds, rig: Rig) -> Applied:
    box, mixer = mixer_of(rig, edit.mixer)
    place = _place(box, edit)
    groups = typed_channels(edit.text, place)
    if not groups:
        return _unfed(rig, box, mixer, edit)
    if edit.text.strip() == fed_by(mixer, edit.bank, edit.number)[0]:
        return Applied(rig, f"{place}: {edit.text.strip()}, as it was")
    wanted, last = _wanted_at(box, mixer, edit, groups, place)
    has = box.capture if edit.bank == "capture" else box.jack_out
    if last > has:
        what = "channels for the computer" if edit.bank == "capture" else "output jacks"
        raise Refused(
            place, f"that takes {last - edit.number + 1} of its {what} from {edit.number} on, and it has {has}"
        )
    reached = {number for each in wanted for number in range(each.number, each.number + each.width)}
    left, kept, gone = list(wanted), [], []
    for feed in mixer.feeds:
        same = next((each for each in left if feed.bank == edit.bank and each.is_like(feed)), None)
        if same is not None:
            left.remove(same)
            kept.append(same.taken_by(feed, place))
        elif feed.fixed or feed.bank != edit.bank or not reached & set(feed.ends):
            kept.append(feed)
        else:
            gone.append(feed)
    rig = with_mixer(rig, box, mixer.model_copy(update={"feeds": tuple(kept)}))
    for each in left:
        fields = {name: value for name, value in each._asdict().items() if value is not None}
        rig = apply_one(a.AddFeed.model_validate({"mixer": box.id, "bank": edit.bank, **fields}), rig).rig
    _, after = mixer_of(rig, box.id)
    fresh = [feed for feed in after.feeds if feed not in mixer.feeds]
    instead = f", in place of {few([say_feed(mixer, feed, how=True) for feed in gone])}" if gone else ""
    return Applied(rig, f"{box.name}: {', '.join(_said_feeds(after, fresh)) or edit.text.strip()}{instead}")


def _wanted_at(
    box: Interface, mixer: Mixer, edit: e.TypeFeeds, groups: list[list[Typed]], place: str
) -> tuple[list[_Wanted], int]:
    """The feeds that are typed for one channel after the other, and the last channel that they reach."""
    number, last = edit.number, edit.number
    wanted: list[_Wanted] = []
    for group in groups:
        # The two sides of one feed are typed at one channel each.
        there, wide = Counter(wanted), 1
        for typed in group:
            end = number
            how = (typed.gain_db, typed.on, typed.key)
            if _is_insert(box, mixer, edit, typed, number):
                continue
            if typed.raw:
                for jack in raw_jacks(box, typed, place):
                    wanted.append(_Wanted(None, jack, end, 1, None, *how))
                    end += 1
            for item, side in givers(box, mixer, typed, place) if not typed.raw else ():
                first = end - 1 if side == "r" else end
                if first < 1:
                    raise Refused(place, f"{item.name} is stereo: its right side comes behind its left one")
                tap = (typed.tap or "behind the fader") if isinstance(item, Strip) else typed.tap
                width = 2 if side is not None else 1 if typed.mono else item.width
                each = _Wanted(item.id, None, first, width, tap, *how)
                if side is None or not there[each]:
                    wanted.append(each)
                there[each] -= 1
                last = max(last, first + width - 1)
                end += 1 if side is not None else width
            wide = max(wide, end - number)
        number += wide
        last = max(last, number - 1)
    return wanted, last


def _is_insert(box: Interface, mixer: Mixer, edit: e.TypeFeeds, typed: Typed, number: int) -> bool:
    """Whether a phrase names what an insert sends there, as it is shown: that is said at its strip."""
    strip = insert_meant(mixer, typed)
    if strip is None or strip.insert is None:
        return False
    if edit.bank != "jack_out" or number not in range(strip.insert.send, strip.insert.send + strip.width):
        raise Refused(_place(box, edit), f"the insert of {strip.name} is said at its strip")
    return True


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
    if edit.text.strip() == feeds_phrase(mixer, strip):
        return Applied(rig, f"{place}: {edit.text.strip() or 'none'}, as it was")
    wanted = [_strip_feed(box, mixer, strip, each, place) for each in typed_feeds(edit.text, place)]
    jacks = {source.number for source in strip.live if source.bank == "jack_in"}
    kept = []
    for feed in mixer.feeds:
        mine = feed.item == strip.id or (feed.jack in jacks)
        same = next((each for each in wanted if mine and _goes_alike(each, feed)), None)
        if same is not None:
            wanted.remove(same)
            kept.append(_as_typed(same, feed, place))
        elif not mine or feed.fixed:
            kept.append(feed)
    # What it goes to from now on is its own: other strips' feeds there give way, its own beside it do not.
    reached = {
        (each["bank"], each["number"] + leg) for each in wanted if "bank" in each for leg in range(each["width"])
    }
    gone = [
        feed
        for feed in kept
        if not feed.fixed
        and feed.item != strip.id
        and feed.jack not in jacks
        and reached & {(feed.bank, number) for number in feed.ends}
    ]
    kept = [feed for feed in kept if feed not in gone]
    rig = with_mixer(rig, box, mixer.model_copy(update={"feeds": tuple(kept)}))
    for each in wanted:
        rig = apply_one(a.AddFeed.model_validate({"mixer": box.id, **each}), rig).rig
    instead = f", in place of {few([say_feed(mixer, feed, how=True) for feed in gone])}" if gone else ""
    return Applied(rig, f"{place}: {edit.text.strip() or 'none'}{instead}")


def _as_typed(typed: dict[str, Any], feed: Feed, place: str) -> Feed:
    """A feed that goes where a typed one goes, with what is typed of it."""
    how = {name: typed[name] for name in ("tap", "on", "key") if name in typed}
    new = changed(feed, place, **how, gain_db=same_figure(typed["gain_db"], feed.gain_db))
    if feed.fixed and new != feed:
        raise Refused(place, "that feed is the gear's own: nobody can change it")
    return new


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
    width = wanted.get("width", feed.width)
    return (*ends, width) == (feed.to, feed.bank, feed.number, feed.jack, feed.width)


def _strip_feed(box: Interface, mixer: Mixer, strip: Strip, typed: Typed, place: str) -> dict[str, Any]:
    """Where a strip is to go: a mix by name, 'usb 3', 'out 5-6', 'usb 3 raw'."""
    how: dict[str, Any] = {"gain_db": typed.gain_db, "on": typed.on}
    how |= {"key": typed.key} if typed.key is not None else {}
    first = typed.rest.split()[0].casefold() if typed.name is None and typed.rest else ""
    if first in CHANNELS or first in JACKS_OUT:
        return _to_channel(strip, typed, "capture" if first in CHANNELS else "jack_out", how, place)
    if typed.raw:
        raise Refused(place, "a raw input goes to a channel for the computer: usb 3 raw")
    for item, _ in givers(box, mixer, typed, place):
        if isinstance(item, Mix):
            return {"item": strip.id, "to": item.id, "tap": typed.tap or "behind the fader", **how}
    raise Refused(place, "a strip feeds mixes, usb channels and output jacks, not another strip")


def _to_channel(strip: Strip, typed: Typed, bank: str, how: dict[str, Any], place: str) -> dict[str, Any]:
    (first, *more), numbers = typed.split(place)
    side = SIDES.index(more[0]) if typed.raw and more in ([SIDES[0]], [SIDES[1]]) else 0
    in_a_row = numbers == list(range(numbers[0], numbers[0] + len(numbers))) if numbers else False
    if not in_a_row or len(numbers) > MIX_LEGS or (more and not (typed.raw and more[0] in SIDES)):
        raise Refused(place, f"say one number, or two that follow each other; for example {first} 3")
    where: dict[str, Any] = {"bank": bank, "number": numbers[0], **how}
    if not typed.raw:
        width = len(numbers) if len(numbers) > 1 else 1 if typed.mono else strip.width
        return {**where, "item": strip.id, "width": width, "tap": typed.tap or "behind the fader"}
    jacks = [source.number for source in strip.live if source.bank == "jack_in"]
    if bank != "capture" or len(numbers) > 1 or side >= len(jacks) or (len(jacks) > 1 and not more):
        raise Refused(place, "raw is one input jack straight to one channel: usb 3 raw, of a stereo strip usb 3 raw L")
    return {**where, "jack": jacks[side], "width": 1}


MIX_LEGS = 2
"""As many channels as a feed has at most."""
