"""Channel numbers that move: names that follow their box's channel, or remember it, and what moved, in words.

The numbers of a device of several boxes are its members' one after the other. Whatever changes how many a member has
before another, or their order, gives every name behind it another box's channel.
"""

from collections.abc import Iterable
from functools import cache, partial
from typing import Literal

from iskelo.core.edits.base import changed, with_gear
from iskelo.core.rig.device_streams import Bank, OpenDevice, open_aggregate
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.programs import Meant, Program, ProgramPort
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.value import Value

SIDES: tuple[tuple[Literal["inputs", "outputs"], Bank, Literal["enabled_in", "enabled_out"]], ...] = (
    ("inputs", "capture", "enabled_in"),
    ("outputs", "playback", "enabled_out"),
)


def rehung(
    program: Program, before: OpenDevice | None, after: OpenDevice | None, *, keep_names: bool = True
) -> Program:
    """The program on another device, or on a changed one.

    Where the two have boxes in common, and ``keep_names``, every name keeps the box's channel it had, whatever number
    that has now; a name whose box is gone has no channel. Channels of boxes that are new are enabled, and all of them
    if none was.
    """
    if after is None:
        return program
    fields: dict[str, object] = {}
    common = before is not None and any(before.to(bank, way.box.id) for way in after.ways for _, bank, _ in SIDES)
    for field, bank, enabled in SIDES:
        size = after.device.capture if bank == "capture" else after.device.playback
        on: set[int] = set(getattr(program, enabled))
        if before is None or not common:
            fields[enabled] = _within(program, on or range(1, size + 1), ())
            continue
        new = {n for way in after.ways if before.to(bank, way.box.id) is None for n in way.channels(bank)}
        if keep_names:
            items: tuple[ProgramPort, ...] = getattr(program, field)
            fields[field] = tuple(_followed(item, bank, before, after) for item in items)
            on = {moved for channel in on if (moved := _follow(channel, bank, before, after)) is not None}
        fields[enabled] = _within(program, on, new - on)
    return changed(program, program.name, **fields)


def _within(program: Program, on: Iterable[int], new: Iterable[int]) -> tuple[int, ...]:
    """What is enabled of these: what was, then what is new, as far as the program opens so many."""
    return tuple(sorted([*sorted(on), *sorted(new)][: program.channels_at_most]))


def _follow(channel: int | None, bank: Bank, before: OpenDevice, after: OpenDevice) -> int | None:
    there = before.at(bank, channel) if channel is not None else None
    return after.channel(bank, there[0].box.id, there[1]) if there is not None else None


def _followed(item: ProgramPort, bank: Bank, before: OpenDevice, after: OpenDevice) -> ProgramPort:
    """A name at its box's channel by the numbers of now; one whose box is away keeps in mind what it stood for, and
    finds it again with the box.
    """
    legs: list[int | None] = []
    meant: list[Meant | None] = []
    for place, leg in enumerate(item.legs, start=1):
        stood = item.meant_by(place) if leg is None else _stands(before, bank, leg)
        here = _returned(stood, bank, after) if leg is None else _follow(leg, bank, before, after)
        legs.append(here)
        meant.append(stood if here is None else item.meant_by(place) if leg is not None else None)
    if tuple(legs) == item.legs:
        return item
    return item.model_copy(update={"legs": tuple(legs), "meant": tuple(meant) if any(meant) else ()})


def _returned(stood: Meant | None, bank: Bank, after: OpenDevice) -> int | None:
    return after.channel(bank, stood.box, stood.channel) if stood is not None else None


def _boxes(found: Index) -> dict[str, Interface]:
    return {box.id: box for box in found.boxes}


def whole(found: Index, device: str | None) -> OpenDevice | None:
    """An aggregate as if all its members were there: an absent one comes back to its names. None for other devices."""
    aggregate = found.gear.get(device or "")
    if not isinstance(aggregate, Aggregate):
        return None
    return open_aggregate(aggregate, _boxes(found), found.paces, whole=True)


def names_followed(before: Rig, after: Rig, *, keep_names: bool = True) -> Rig:
    """The rig after a change of an aggregate's members, with the names of programs on it following their boxes."""
    was, now = index(before), index(after)
    for program in now.programs():
        old, new = whole(was, program.device), whole(now, program.device)
        if old is not None and new is not None and _laid_out(old) != _laid_out(new):
            after = with_gear(after, rehung(program, old, new, keep_names=keep_names))
    return after


def _laid_out(streams: OpenDevice) -> list[tuple[str, range, range]]:
    """Which numbers of a device are whose."""
    return [(way.box.id, way.channels("capture"), way.channels("playback")) for way in streams.ways]


def _devices_alike(before: Rig, after: Rig) -> bool:
    """Whether no box and no aggregate has changed, so that no number can have moved by itself."""
    one, other = ([gear for gear in rig.gear if isinstance(gear, Interface | Aggregate)] for rig in (before, after))
    return len(one) == len(other) and all(a is b for a, b in zip(one, other, strict=True))


def _minds(rig: Rig) -> bool:
    """Whether any name stands elsewhere than it was put."""
    programs = (gear for gear in rig.gear if isinstance(gear, Program))
    return any(item.meant for program in programs for item in (*program.inputs, *program.outputs))


def remembered(before: Rig, after: Rig) -> Rig:
    """The rig after edits, in which names that stand at another box's channel now keep in mind what they stood for."""
    alike = _devices_alike(before, after)
    if alike and not _minds(before):
        return after
    was, now = index(before), index(after)
    opened, streams = cache(partial(whole, was)), cache(partial(whole, now))
    for program in now.programs():
        old = was.gear.get(program.id)
        # Where no box has changed, a program that is as it was has names that have not moved.
        if isinstance(old, Program) and not (alike and old is program):
            kept = _remembering(old, program, opened(old.device), streams(program.device), now)
            after = after if kept is program else with_gear(after, kept)
    return after


def _remembering(
    old: Program, program: Program, opened: OpenDevice | None, streams: OpenDevice | None, now: Index
) -> Program:
    """A program with what its names stood for; ``opened`` and ``streams``: its device before and now, all there."""
    if old.device != program.device:
        # On another device names were hung, with what they stood for.
        return program
    moved = opened is not None and streams is not None and _laid_out(opened) != _laid_out(streams)
    if program is old and not moved:
        return program
    update: dict[str, tuple[ProgramPort, ...]] = {}
    for field, bank, _ in SIDES:
        earlier: dict[str, ProgramPort] = {item.id: item for item in getattr(old, field)}
        items: tuple[ProgramPort, ...] = getattr(program, field)
        kept = tuple(
            _minding(earlier.get(item.id), item, bank, opened if moved else None, streams, now) for item in items
        )
        if any(new is not item for new, item in zip(kept, items, strict=True)):
            update[field] = kept
    return program.model_copy(update=update) if update else program


def _minding(
    old: ProgramPort | None, item: ProgramPort, bank: Bank, was: OpenDevice | None, now: OpenDevice | None, found: Index
) -> ProgramPort:
    """A name with what each leg stood for, where that is not what it has now; ``was`` None: no number has moved."""
    if old is None or (old is item and was is None):
        return item
    meant: list[Meant | None] = []
    for place, leg in enumerate(item.legs):
        before = old.legs[place] if place < len(old.legs) else None
        stood = old.meant_by(place + 1) or (_stands(was, bank, before) if was is not None else None)
        typed = leg != before and leg is not None
        here = _stands(now, bank, leg) if now is not None else None
        gone = stood is None or stood.box not in found.gear or now is None
        if gone or here == stood or (typed and was is None) or (was is None and old.meant_by(place + 1) is None):
            meant.append(None)
        else:
            meant.append(stood)
    new = tuple(meant) if any(meant) else ()
    return item if new == item.meant else item.model_copy(update={"meant": new})


def _stands(streams: OpenDevice, bank: Bank, channel: int | None) -> Meant | None:
    there = streams.at(bank, channel) if channel is not None else None
    return Meant(box=there[0].box.id, channel=there[1]) if there is not None else None


class Moved(Value):
    """A name of a program that hears, or feeds, another box's channel than before, or another number's.

    ``joined``: its device was, or is, several boxes.
    """

    program: str
    name: str
    channel: int | None
    channel_before: int | None
    was: str
    now: str
    joined: bool

    @property
    def lost(self) -> bool:
        """Whether there is nothing behind it any more."""
        return self.was != "nothing" and self.now == "nothing"

    @property
    def strays(self) -> bool:
        """Whether it is joined to another box's channel now, or to none: not only to another number."""
        return self.was != self.now


def moved_names(before: Index, after: Index) -> tuple[Moved, ...]:
    """Every name of a program whose device number changed, or what stands behind it, between two rigs."""
    moved = []
    for program in after.programs():
        old = before.gear.get(program.id)
        if not isinstance(old, Program) or program.id not in before.opened:
            continue
        was, now = before.opened[program.id], after.opened.get(program.id)
        if program is old and now is not None and _laid_out(was) == _laid_out(now):
            continue
        for field, bank, _ in SIDES:
            earlier: dict[str, ProgramPort] = {item.id: item for item in getattr(old, field)}
            items: tuple[ProgramPort, ...] = getattr(program, field)
            for item in items:
                if item.id not in earlier:
                    continue
                legs = earlier[item.id].legs
                for leg, (old_leg, new_leg) in enumerate(zip(legs, item.legs, strict=False), start=1):
                    there = say_channel(was, bank, old_leg)
                    here = say_channel(now, bank, new_leg)
                    if (old_leg, there) != (new_leg, here):
                        name = f"{item.name}{(' L', ' R')[leg - 1] if len(legs) == 2 else ''}"
                        moved.append(
                            Moved(
                                program=program.name,
                                name=name,
                                channel=new_leg,
                                channel_before=old_leg,
                                was=there,
                                now=here,
                                joined=was.joined or (now is not None and now.joined),
                            )
                        )
    return tuple(moved)


def say_channel(streams: OpenDevice | None, bank: Bank, channel: int | None) -> str:
    """What stands behind a channel of a device: 'Corvane 8 channel 3'; 'nothing' beyond its last."""
    there = streams.at(bank, channel) if streams is not None and channel is not None else None
    return f"{there[0].box.name} channel {there[1]}" if there is not None else "nothing"


def moved_by_absence(found: Index, aggregate: Aggregate) -> list[str]:
    """Every name that stands at another channel than it would with all members there, in words."""
    all_there = open_aggregate(aggregate, _boxes(found), found.paces, whole=True)
    moved = []
    for program in found.programs():
        for field, bank, _ in SIDES if program.device == aggregate.id else ():
            items: tuple[ProgramPort, ...] = getattr(program, field)
            for item in items:
                for leg in item.legs:
                    was, now = say_channel(all_there, bank, leg), say_channel(found.opened[program.id], bank, leg)
                    if was != now:
                        moved.append(f"{item.name} ({leg}) has {now} instead of {was}")
    return moved


def say_moved(moved: Iterable[Moved]) -> list[str]:
    """Moved names in words, at most a few of them."""
    said = []
    for each in moved:
        if each.strays:
            said.append(f"{each.name} has {each.now} instead of {each.was}")
        else:
            said.append(f"{each.name} {each.channel_before} → {each.channel}")
    if len(said) > 7:
        said = [*said[:6], f"and {len(said) - 6} names more"]
    return said
