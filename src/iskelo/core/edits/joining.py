"""The edits that give programs their devices, and join boxes into one."""

from collections.abc import Iterable
from typing import Literal

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, made, new_ids, with_gear
from iskelo.core.edits.one import apply_one
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Index, Rig, index
from iskelo.core.rig.value import Value
from iskelo.core.rig.ways import Bank, Opening, driver_of, open_aggregate

SIDES: tuple[tuple[Literal["inputs", "outputs"], Bank, Literal["enabled_in", "enabled_out"]], ...] = (
    ("inputs", "capture", "enabled_in"),
    ("outputs", "playback", "enabled_out"),
)


def rehung(program: Program, before: Opening | None, after: Opening | None, *, keep_names: bool = True) -> Program:
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
            fields[enabled] = tuple(sorted(on)) or tuple(range(1, size + 1))
            continue
        new = {n for way in after.ways if before.to(bank, way.box.id) is None for n in way.channels(bank)}
        if keep_names:
            items: tuple[ProgramPort, ...] = getattr(program, field)
            fields[field] = tuple(_followed(item, bank, before, after) for item in items)
            on = {moved for channel in on if (moved := _follow(channel, bank, before, after)) is not None}
        fields[enabled] = tuple(sorted(on | new))
    return changed(program, program.name, **fields)


def _follow(channel: int | None, bank: Bank, before: Opening, after: Opening) -> int | None:
    there = before.at(bank, channel) if channel is not None else None
    return after.channel(bank, there[0].box.id, there[1]) if there is not None else None


def _followed(item: ProgramPort, bank: Bank, before: Opening, after: Opening) -> ProgramPort:
    legs = tuple(_follow(leg, bank, before, after) for leg in item.legs)
    return item if legs == item.legs else item.model_copy(update={"legs": legs})


def _boxes(found: Index) -> dict[str, Interface]:
    return {box.id: box for box in found.boxes}


@apply_one.register
def _(edit: e.SetDevice, rig: Rig) -> Applied:
    found = index(rig)
    program = gear_of(rig, edit.program, Program)
    if edit.device is None:
        bare = program.model_copy(update=dict.fromkeys(("device", "driver", "output_device", "output_driver")))
        return Applied(with_gear(rig, bare), f"{program.name}: no device")
    gear = found.gear.get(edit.device)
    if not isinstance(gear, Interface | Aggregate):
        raise Refused(edit.device, "there is no interface with this id; it may have been removed")
    drivers = {each.id: each for each in gear.drivers} if isinstance(gear, Interface) else {}
    if edit.driver is not None and edit.driver not in drivers:
        raise Refused(program.name, f"{gear.name} has no driver {edit.driver!r}; it may have been removed")
    values: dict[str, object] = {"device": gear.id, "driver": edit.driver}
    if isinstance(gear, Aggregate):
        values |= {"output_device": None, "output_driver": None}
    new = changed(program, program.name, **values)
    rig = with_gear(rig, new)
    rig = with_gear(rig, rehung(new, found.opened.get(program.id), index(rig).opened.get(program.id)))
    by = f", {drivers[edit.driver].kind} driver" if edit.driver else ""
    return Applied(rig, f"{program.name}: device {gear.name}{by}")


@apply_one.register
def _(edit: e.SetOutputDevice, rig: Rig) -> Applied:
    found = index(rig)
    program = gear_of(rig, edit.program, Program)
    if edit.device is None or (edit.device == program.device and edit.driver in (None, program.driver)):
        same = program.model_copy(update={"output_device": None, "output_driver": None, "matched": False})
        return Applied(with_gear(rig, same), f"{program.name}: plays to the device it takes its input from")
    box = gear_of(rig, edit.device, Interface)
    if program.device is None:
        raise Refused(program.name, "give it a device first; then its output can go to another")
    if isinstance(found.gear.get(program.device), Aggregate):
        raise Refused(program.name, f"{found.name(program.device)} is input and output at once; give it a box instead")
    values: dict[str, object] = {"output_device": box.id, "output_driver": edit.driver}
    if edit.matched is not None:
        values["matched"] = edit.matched
    new = changed(program, program.name, **values)
    rig = with_gear(rig, new)
    enabled = program.enabled_out or tuple(range(1, box.playback + 1))
    rig = with_gear(rig, new.model_copy(update={"enabled_out": enabled}))
    matched = ", matched" if new.matched else ""
    return Applied(rig, f"{program.name}: plays to {box.name}{matched}")


@apply_one.register
def _(edit: e.JoinDevices, rig: Rig) -> Applied:
    if len(edit.members) < 2:
        raise Refused(edit.name, "join two boxes or more")
    boxes = [gear_of(rig, member.device, Interface) for member in edit.members]
    drivers = [driver_of(box, member.driver) for box, member in zip(boxes, edit.members, strict=True)]
    now = edit.buffer_samples or max(driver.buffer_samples for driver in drivers)
    if edit.buffer_samples is None:
        shared = set.intersection(*(set(driver.buffers_samples) for driver in drivers))
        now = min(shared, key=lambda size: (abs(size - now), size), default=now)
    rig, (identity,) = new_ids(rig, "g", 1, edit.ids)
    name = free_name(edit.name, (gear.name for gear in rig.gear))
    joined = made(
        Aggregate,
        name,
        id=identity,
        name=name,
        members=edit.members,
        master=edit.master,
        buffer_samples=now,
        align=edit.align,
        matches=edit.matches,
    )
    return Applied(with_gear(rig, joined), f"joined {', '.join(box.name for box in boxes)} as {name}")


@apply_one.register
def _(edit: e.SetMembers, rig: Rig) -> Applied:
    found = index(rig)
    old = gear_of(rig, edit.aggregate, Aggregate)
    for member in edit.members:
        gear_of(rig, member.device, Interface)
    new = changed(old, old.name, members=edit.members)
    after = with_gear(rig, new)
    paces, boxes = found.paces, _boxes(found)
    # Names follow as if every member were there: an absent one comes back to them.
    was, now = (open_aggregate(each, boxes, paces, whole=True) for each in (old, new))
    for program in found.programs():
        if program.device == old.id:
            after = with_gear(after, rehung(program, was, now, keep_names=edit.keep_names))
    said = [f"{old.name}: {', '.join(_said(found, new)) or 'no members'}"]
    moved = moved_names(found, index(after))
    return Applied(after, "; ".join([*said, *say_moved(moved)]))


def _said(found: Index, aggregate: Aggregate) -> Iterable[str]:
    for member in aggregate.members:
        box = gear_of(found.rig, member.device, Interface)
        driver = driver_of(box, member.driver)
        told = [f"by its {driver.kind} driver"] if driver is not box.drivers[0] else []
        told += ["matched"] if member.matched else []
        yield box.name + (f" ({', '.join(told)})" if told else "")


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


def say_channel(opening: Opening | None, bank: Bank, channel: int | None) -> str:
    """What stands behind a channel of a device: 'Corvane 8 3'; 'nothing' beyond its last."""
    there = opening.at(bank, channel) if opening is not None and channel is not None else None
    return f"{there[0].box.name} {there[1]}" if there is not None else "nothing"


def moved_by_absence(found: Index, aggregate: Aggregate) -> list[str]:
    """Every name that stands at another channel than it would with all members there, in words."""
    whole = open_aggregate(aggregate, _boxes(found), found.paces, whole=True)
    moved = []
    for program in found.programs():
        for field, bank, _ in SIDES if program.device == aggregate.id else ():
            items: tuple[ProgramPort, ...] = getattr(program, field)
            for item in items:
                for leg in item.legs:
                    was, now = say_channel(whole, bank, leg), say_channel(found.opened[program.id], bank, leg)
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
