"""The edits that give programs their devices, and join boxes into one."""

from collections.abc import Iterable

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, free_name, gear_of, made, new_ids, pruned, with_gear
from iskelo.core.edits.moved import names_followed, rehung
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.device_streams import driver_of
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig


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
    values |= {"hosted": None} if program.hosted is not None else {}
    if isinstance(gear, Aggregate):
        values |= {"output_device": None, "output_driver": None}
    new = changed(program, program.name, **values)
    rig, lost = pruned(with_gear(rig, new), rig) if program.hosted is not None else (with_gear(rig, new), [])
    rig = with_gear(rig, rehung(new, found.opened.get(program.id), index(rig).opened.get(program.id)))
    by = f", {drivers[edit.driver].kind} driver" if edit.driver else ""
    return Applied(rig, "; ".join([f"{program.name}: device {gear.name}{by}", *lost]))


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
    after = names_followed(rig, with_gear(rig, new), keep_names=edit.keep_names)
    return Applied(after, f"{old.name}: {', '.join(_said(found, new)) or 'no members'}")


def _said(found: Index, aggregate: Aggregate) -> Iterable[str]:
    for member in aggregate.members:
        box = gear_of(found.rig, member.device, Interface)
        driver = driver_of(box, member.driver)
        told = [f"by its {driver.kind} driver"] if driver is not box.drivers[0] else []
        told += ["matched"] if member.matched else []
        yield box.name + (f" ({', '.join(told)})" if told else "")
