"""A program's inputs or outputs made to be just what its device has; and the names of pairs and their halves."""

from collections.abc import Iterable
from typing import Any

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, new_ids, pruned, with_gear
from iskelo.core.edits.parts.users import users
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.device_streams import Bank, OpenDevice
from iskelo.core.rig.index import Index, index, leg_letter
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Rig

HALVES = (" L", " R")


@apply_one.register
def _(edit: e.RefillPorts, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    found = index(rig)
    streams = found.opened.get(program.id)
    if streams is None:
        raise Refused(program.name, "it has no device to be filled from; give it one first")
    bank: Bank = "capture" if edit.side == "input" else "playback"
    field, enabled = ("inputs", "enabled_in") if edit.side == "input" else ("outputs", "enabled_out")
    size = min(streams.device.channels(bank), program.channels_at_most or streams.device.channels(bank))
    items: tuple[ProgramPort, ...] = getattr(program, field)
    used = users(program, found)
    kept = _kept(items, used, size)
    covered = {leg for item in kept for leg in item.legs}
    missing = [channel for channel in range(1, size + 1) if channel not in covered]
    groups = _in_pairs(missing) if edit.width == 2 else [(channel,) for channel in missing]
    rig, ids = new_ids(rig, "i" if edit.side == "input" else "o", len(groups))
    names = [item.name for item in kept]
    new = []
    for identity, legs in zip(ids, groups, strict=True):
        name = free_name(_name_of(found, streams, bank, legs), names)
        names.append(name)
        new.append(ProgramPort(id=identity, name=name, legs=legs))
    after = sorted((*kept, *new), key=lambda item: min((leg for leg in item.legs if leg is not None), default=999))
    fields: dict[str, Any] = {field: tuple(after), enabled: tuple(range(1, size + 1))}
    rig, lost = pruned(with_gear(rig, changed(program, program.name, **fields)), rig)
    gone = len(items) - len(kept)
    said = [f"{program.name}: {field} as {streams.device.name} has them, {len(new)} new"]
    said += [f"{gone} removed that nobody used"] if gone else []
    return Applied(rig, "; ".join([", ".join(said), *lost]))


def _kept(items: tuple[ProgramPort, ...], used: dict[str, list[str]], size: int) -> list[ProgramPort]:
    """What is in use, and of the rest what stands at channels of the device that nothing else stands at."""
    in_use = [item for item in items if item.id in used or item.returns is not None]
    covered = {leg for item in in_use for leg in item.legs}
    kept = list(in_use)
    for item in items:
        legs = set(item.legs)
        there = None not in legs and all(leg is not None and leg <= size for leg in legs)
        if item not in kept and there and not legs & covered:
            kept.append(item)
            covered |= legs
    return kept


def _in_pairs(channels: list[int]) -> list[tuple[int, ...]]:
    """Odd and even ones beside each other as pairs, what is left over alone."""
    left = set(channels)
    pairs: list[tuple[int, ...]] = []
    for channel in channels:
        if channel % 2 == 1 and {channel, channel + 1} <= left:
            pairs.append((channel, channel + 1))
        elif channel % 2 == 1 or channel - 1 not in left:
            pairs.append((channel,))
    return pairs


def _name_of(found: Index, streams: OpenDevice, bank: Bank, legs: Iterable[int]) -> str:
    """What is plugged in behind these channels, else their numbers: 'Alma', 'Phones A', 'In 3–4'."""
    channels = tuple(legs)
    ends = [_plugged(found, streams, bank, channel) for channel in channels]
    owners = {end.owner for end in ends if end is not None}
    if len(owners) == 1 and None not in ends:
        first = ends[0]
        assert first is not None
        gear = found.gear[owners.pop()]
        width = getattr(gear, "width", 1)
        return gear.name if len(channels) == width else f"{gear.name}{leg_letter(first.number, width)}"
    numbers = "–".join(map(str, channels))
    return f"{'In' if bank == 'capture' else 'Out'} {numbers}"


def _plugged(found: Index, streams: OpenDevice, bank: Bank, channel: int) -> Port | None:
    """The source or destination at the jack behind a channel; None if nothing is there, or a mixer stands between."""
    there = streams.at(bank, channel)
    if there is None or there[0].box.mixer is not None or there[0].box.cable is not None:
        return None
    box, number = there[0].box.id, there[1]
    for patch in found.rig.patches:
        if bank == "capture" and patch.to_port == Port(box, "jack_in", number):
            return patch.from_port if patch.from_port.bank == "out" else None
        if bank == "playback" and patch.from_port == Port(box, "jack_out", number):
            return patch.to_port if patch.to_port.bank == "in" else None
    return None


def named_along(program: Program, field: str, before: ProgramPort, after: ProgramPort) -> tuple[Program, list[str]]:
    """A program in which the halves of a pair that was renamed are called after it, and a pair after its halves.

    A half is a mono input or output on a channel of the pair, called like it with L or R behind; one that is called
    something else keeps its name, and the pair keeps its own while one half is called something else.
    """
    items: tuple[ProgramPort, ...] = getattr(program, field)
    renamed: dict[str, str] = {}
    if len(after.legs) == 2:
        for leg, ending in zip(after.legs, HALVES, strict=True):
            half = _at(items, (leg,)) if leg is not None else None
            if half is not None and half.name == f"{before.name}{ending}":
                renamed[half.id] = f"{after.name}{ending}"
    elif after.legs[0] is not None:
        for pair in items:
            if len(pair.legs) == 2 and after.legs[0] in pair.legs and None not in pair.legs:
                halves = [_at(items, (leg,)) for leg in pair.legs]
                names = [half.name if half is not None else "" for half in halves]
                common = {name.removesuffix(end) for name, end in zip(names, HALVES, strict=True) if name.endswith(end)}
                if all(names) and len(common) == 1 and all(map(str.endswith, names, HALVES)):
                    wanted = common.pop()
                    if pair.name != wanted and wanted:
                        renamed[pair.id] = wanted
    others = {item.name.casefold() for item in items if item.id not in renamed}
    renamed = {identity: name for identity, name in renamed.items() if name.casefold() not in others}
    if not renamed:
        return program, []
    new = tuple(item.model_copy(update={"name": renamed.get(item.id, item.name)}) for item in items)
    return program.model_copy(update={field: new}), sorted(renamed.values())


def _at(items: tuple[ProgramPort, ...], legs: tuple[int | None, ...]) -> ProgramPort | None:
    return next((item for item in items if item.legs == legs), None)
