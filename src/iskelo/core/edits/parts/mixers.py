"""The inside of a part's mixer brought into one that is here: strips, mixes, and what they feed."""

from typing import Any, Literal

from iskelo.core.edits.base import free_name, gear_of, new_ids, with_gear
from iskelo.core.edits.mixer_moves import Moves, feed_moved, strip_moved
from iskelo.core.edits.parts.under_way import Fit, UnderWay
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip

Ends = tuple[Fit, Fit]
FREE = ("trim_db", "inverted", "effect_delay_samples", "muted", "soloed", "gain_db", "pan")
"""What of a strip can be set whatever it takes."""


def mixer_jacks(mixer: Mixer, bank: Literal["jack_in", "jack_out"], at: UnderWay) -> dict[int, str]:
    """The jacks that the strips and feeds to be brought in speak of, by what they stood for."""
    used: dict[int, str] = {}
    for strip in mixer.strips if at.wants("strips") else ():
        if bank == "jack_in":
            for source in (*strip.live, *strip.back):
                if source.bank == "jack_in":
                    used.setdefault(source.number, f"strip {strip.name}")
        if strip.insert is not None:
            first = strip.insert.back if bank == "jack_in" else strip.insert.send
            for leg in range(strip.width):
                used.setdefault(first + leg, f"the insert of {strip.name}")
    for feed in mixer.feeds if at.wants("mixes and feeds") else ():
        if bank == "jack_in" and feed.jack is not None:
            used.setdefault(feed.jack, f"raw on channel {feed.number}")
        elif bank == "jack_out" and feed.bank == "jack_out":
            for number in feed.ends:
                used.setdefault(number, "a feed")
    return used


def settle_mixer(at: UnderWay, piece: Interface, here: str, fits: Ends, plugged: set[int]) -> None:
    """Bring the strips, mixes and feeds of a part's mixer into the one of the box ``here``.

    They are matched by name and width, else by number where what is here is not in use. A strip is in use while
    something is plugged into a jack that it takes, a mix while something feeds it.
    """
    old = piece.mixer
    box = gear_of(at.rig, here, Interface)
    assert old is not None
    assert box.mixer is not None
    in_use = {strip.id for strip in box.mixer.strips if _is_used(strip, box.mixer, plugged, _played(at, here))}
    _how(at, old, here, in_use)
    put: set[str] = set()
    if at.wants("mixes and feeds"):
        put |= _mixes(at, old, here)
    else:
        _names(at, old.mixes, box.mixer.mixes)
    if at.wants("strips"):
        put |= _strips(at, old, here, fits, in_use)
    else:
        _names(at, old.strips, box.mixer.strips)
    if at.wants("mixes and feeds"):
        _feeds(at, old, here, fits, put)


def _names(at: UnderWay, old: tuple[Strip | Mix, ...], here: tuple[Strip | Mix, ...]) -> None:
    for item in old:
        same = next((e for e in here if (e.name.casefold(), e.width) == (item.name.casefold(), item.width)), None)
        if same is not None:
            at.items[item.id] = same.id


def _with(at: UnderWay, here: str, **update: Any) -> None:
    box = gear_of(at.rig, here, Interface)
    assert box.mixer is not None
    at.rig = with_gear(at.rig, box.model_copy(update={"mixer": box.mixer.model_copy(update=update)}))


def _how(at: UnderWay, old: Mixer, here: str, in_use: set[str]) -> None:
    """How it mixes, where nothing comes in yet; both must be of a make that lets one choose."""
    box = gear_of(at.rig, here, Interface)
    mixer = box.mixer
    assert mixer is not None
    values = {name: getattr(old, name) for name in ("solo", "pan_law", "mute_kills_pre")}
    if not at.wants("settings") or not (old.open_feeds and mixer.open_feeds):
        return
    if all(getattr(mixer, name) == value for name, value in values.items()):
        return
    if in_use and not at.asked.over_used:
        at.tell(box, "settings", "how it mixes", "stays", "the mixer is in use")
        return
    _with(at, here, **values)
    at.tell(box, "settings", "how it mixes", "set")


def _mixes(at: UnderWay, old: Mixer, here: str) -> set[str]:
    """Mixes by name and width, else by number; gives those that take what the part says."""
    box = gear_of(at.rig, here, Interface)
    mixer = box.mixer
    assert mixer is not None
    fed = {feed.to for feed in mixer.feeds if feed.to is not None and not feed.fixed}
    mixes = list(mixer.mixes)
    pairs = _paired(old.mixes, mixer.mixes, fed)
    put: set[str] = set()
    for mix in old.mixes:
        same = pairs.get(mix.id)
        if same is None:
            if not mixer.open_feeds:
                at.tell(box, "mixes and feeds", mix.name, "left out", f"{box.name} has no such mix")
                continue
            at.rig, (identity,) = new_ids(at.rig, "m", 1)
            name = free_name(mix.name, (each.name for each in mixes))
            mixes.append(mix.model_copy(update={"id": identity, "name": name}))
            at.items[mix.id] = identity
            put.add(mix.id)
            at.tell(box, "mixes and feeds", name, "new")
            continue
        at.items[mix.id] = same.id
        new = mix.model_copy(update={"id": same.id, "name": _free(mix.name, same.name, [e.name for e in mixes])})
        if new == same:
            put |= {mix.id} if same.id not in fed or at.asked.over_used else set()
            at.tell(box, "mixes and feeds", same.name, "same")
        elif same.id in fed and not at.asked.over_used:
            at.tell(box, "mixes and feeds", same.name, "stays", "in use: something feeds it")
        else:
            put.add(mix.id)
            mixes = [new if each.id == same.id else each for each in mixes]
            at.tell(box, "mixes and feeds", new.name, "set")
    _with(at, here, mixes=tuple(mixes))
    return put


def _free(wanted: str, now: str, names: list[str]) -> str:
    """The part's name, or a free one like it; a thing's own name is free for it."""
    return free_name(wanted, (name for name in names if name != now))


def _paired(old: tuple[Any, ...], here: tuple[Any, ...], used: set[str]) -> dict[str, Any]:
    """What here stands for which of the part: by name and width; the others by number, where nobody uses that."""
    pairs: dict[str, Any] = {}
    for item in old:
        same = next((e for e in here if (e.name.casefold(), e.width) == (item.name.casefold(), item.width)), None)
        if same is not None:
            pairs[item.id] = same
    taken = {each.id for each in pairs.values()}
    for number, item in enumerate(old):
        if item.id not in pairs and number < len(here):
            there = here[number]
            if there.id not in taken and there.id not in used and there.width == item.width:
                pairs[item.id] = there
                taken.add(there.id)
    return pairs


def _strips(at: UnderWay, old: Mixer, here: str, fits: Ends, used: set[str]) -> set[str]:
    box = gear_of(at.rig, here, Interface)
    mixer = box.mixer
    assert mixer is not None
    strips = list(mixer.strips)
    pairs = _paired(old.strips, mixer.strips, used)
    by = Moves(fits[0].get, fits[1].get, at.items.get)
    put: set[str] = set()
    for strip in old.strips:
        same: Strip | None = pairs.get(strip.id)
        fitted = strip_moved(strip, box, by)
        if same is not None:
            at.items[strip.id] = same.id
            name = _free(strip.name, same.name, [each.name for each in strips])
            whole = fitted if mixer.open_feeds and old.open_feeds and fitted is not None else same
            new = whole.model_copy(update={"id": same.id, "name": name, **{f: getattr(strip, f) for f in FREE}})
            if new == same:
                put |= {strip.id} if same.id not in used or at.asked.over_used else set()
                at.tell(box, "strips", same.name, "same")
            elif same.id in used and not at.asked.over_used:
                at.tell(box, "strips", same.name, "stays", "in use: something is plugged into it")
            else:
                put.add(strip.id)
                strips = [new if each.id == same.id else each for each in strips]
                at.tell(box, "strips", name, "set", "" if fitted is not None else "what it took is not here")
        elif fitted is None or not mixer.open_feeds:
            why = "what it takes is not here" if fitted is None else f"{box.name} has no strip for it"
            at.tell(box, "strips", strip.name, "left out", why)
        else:
            at.rig, (identity,) = new_ids(at.rig, "k", 1)
            name = free_name(strip.name, (each.name for each in strips))
            strips.append(fitted.model_copy(update={"id": identity, "name": name}))
            at.items[strip.id] = identity
            put.add(strip.id)
            at.tell(box, "strips", name, "new")
    _with(at, here, strips=tuple(strips))
    return put


def _played(at: UnderWay, here: str) -> set[int]:
    """The box's channels that some program plays to."""
    played = set()
    for program in at.found.programs():
        streams = at.found.opened.get(program.id)
        for item in program.outputs if streams is not None else ():
            for leg in item.legs:
                there = streams.at("playback", leg) if streams is not None and leg is not None else None
                if there is not None and there[0].box.id == here:
                    played.add(there[1])
    return played


def _is_used(strip: Strip, mixer: Mixer, plugged: set[int], played: set[int]) -> bool:
    """Whether anything comes in at a strip: by a lead, from a program, or from a mix that is fed."""
    fed = {feed.to for feed in mixer.feeds if feed.on}
    return any(
        (source.bank == "jack_in" and source.number in plugged)
        or (source.bank == "playback" and source.number in played)
        or (source.mix is not None and source.mix in fed)
        for source in (*strip.live, *strip.back)
    )


def _feeds(at: UnderWay, old: Mixer, here: str, fits: Ends, put: set[str]) -> None:
    """The feeds of what was put, in place of those that it has here; a channel or jack that another feeds stays."""
    box = gear_of(at.rig, here, Interface)
    mixer = box.mixer
    assert mixer is not None
    if not (mixer.open_feeds and old.open_feeds):
        at.tell(box, "mixes and feeds", "feeds", "left out", "feeds cannot be made freely on both")
        return
    by = Moves(fits[0].get, fits[1].get, at.items.get)
    wanted = [
        moved
        for feed in old.feeds
        if not feed.fixed
        and (feed.item is None or feed.item in put)
        and (moved := feed_moved(feed, box, by)) is not None
    ]
    mine = {at.items[each] for each in put}
    said = {_key(feed): feed for feed in wanted}
    feeds = [feed for feed in mixer.feeds if feed.fixed or feed.item not in mine or _same(feed, said.get(_key(feed)))]
    known = {_key(feed) for feed in feeds}
    held = {(feed.bank, number) for feed in feeds if feed.to is None for number in feed.ends}
    blocked: set[str] = set()
    for feed in wanted:
        ends = {(feed.bank, number) for number in feed.ends} if feed.to is None else set()
        if _key(feed) in known:
            continue
        if ends & held and not at.asked.over_used:
            blocked.add(f"{'channel' if feed.bank == 'capture' else 'jack out'} {feed.number}")
            continue
        feeds = [f for f in feeds if f.fixed or f.to is not None or not ends & {(f.bank, n) for n in f.ends}]
        at.rig, (identity,) = new_ids(at.rig, "f", 1)
        feeds.append(feed.model_copy(update={"id": identity}))
    for each in sorted(blocked):
        at.tell(box, "mixes and feeds", each, "stays", "something else feeds it")
    _with(at, here, feeds=tuple(feeds))


def _same(feed: Feed, other: Feed | None) -> bool:
    """Whether two feeds say the same, whatever they are called."""
    return other is not None and feed.model_copy(update={"id": other.id}) == other


def _key(feed: Feed) -> tuple[object, ...]:
    """What makes a feed this one and no other."""
    return feed.item, feed.jack, feed.to, feed.bank, feed.number, feed.tap, feed.key
