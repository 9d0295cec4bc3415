"""The edits that plug and remove."""

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, checked, new_ids, pruned
from iskelo.core.edits.one import apply_one, find, place_of
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import FIELDS_OF, AnyGear, Patch, Rig, index


@apply_one.register
def _(edit: e.Plug, rig: Rig) -> Applied:
    found = index(rig)
    said = ""
    if edit.replace:
        for patch in rig.patches:
            if patch.to_port == edit.to_port and found.exists(patch.from_port):
                said = f" in place of {found.say(patch.from_port)}"
        rig = rig.model_copy(update={"patches": tuple(p for p in rig.patches if p.to_port != edit.to_port)})
    rig, (identity,) = new_ids(rig, "w", 1)
    patch = Patch(
        id=identity,
        from_port=edit.from_port,
        to_port=edit.to_port,
        gain_db=edit.gain_db,
        inverted=edit.inverted,
    )
    rig = checked(rig.model_copy(update={"patches": (*rig.patches, patch)}))
    found = index(rig)
    return Applied(rig, f"plugged {found.say(edit.from_port)} into {found.say(edit.to_port)}{said}")


@apply_one.register
def _(edit: e.Remove, rig: Rig) -> Applied:
    found = index(rig)
    gone = set(edit.items)
    known = {*found.gear, *found.items, *found.patches, *found.lines, *found.drivers}
    for identity in edit.items:
        if identity not in known:
            raise Refused(identity, "there is nothing with this id to remove; it may have been removed already")
    said = [f"removed {_removed(rig, identity)}" for identity in edit.items]
    gear: list[AnyGear] = []
    for each in rig.gear:
        if each.id in gone:
            continue
        if isinstance(each, Program):
            left = {
                field: tuple(item for item in getattr(each, field) if item.id not in gone)
                for field in FIELDS_OF.values()
            }
            gear.append(each.model_copy(update=left))
        elif isinstance(each, Interface):
            kept = tuple(driver for driver in each.drivers if driver.id not in gone)
            if not kept:
                raise Refused(each.name, "a box keeps at least one driver")
            gear.append(each.model_copy(update={"drivers": kept}))
        else:
            gear.append(each)
    update = {
        "gear": tuple(gear),
        "patches": tuple(patch for patch in rig.patches if patch.id not in gone),
        "lines": tuple(line for line in rig.lines if line.id not in gone),
    }
    rig, lost = pruned(rig.model_copy(update=update))
    return Applied(rig, "; ".join([*said, *lost]))


def _removed(rig: Rig, identity: str) -> str:
    owner, value, _ = find(rig, identity)
    return place_of(rig, owner, value)
