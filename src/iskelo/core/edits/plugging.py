"""The edits that plug and remove."""

from collections.abc import Sequence

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, new_ids, pruned
from iskelo.core.edits.moved import names_followed
from iskelo.core.edits.single_edit import apply_one, at_one_stroke, find, place_of
from iskelo.core.rig.check import patch_trouble
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import FIELDS_OF, AnyGear, Patch, Rig


@apply_one.register
def _(edit: e.Plug, rig: Rig) -> Applied:
    rig, (words,) = _plugged(rig, [edit])
    return Applied(rig, words)


@at_one_stroke(e.Plug, "leads plugged")
def _plugged(rig: Rig, edits: Sequence[e.Plug]) -> tuple[Rig, list[str]]:
    """The rig with these leads, and each in words; things are looked up once for all of them."""
    found = index(rig)
    patches = {patch.to_port: patch for patch in rig.patches}
    rig, ids = new_ids(rig, "w", len(edits))
    words = []
    for edit, identity in zip(edits, ids, strict=True):
        patch = Patch(
            id=identity,
            from_port=edit.from_port,
            to_port=edit.to_port,
            gain_db=edit.gain_db,
            inverted=edit.inverted,
            unbalanced=edit.unbalanced,
        )
        said = ""
        if edit.replace and (gone := patches.pop(edit.to_port, None)) and found.exists(gone.from_port):
            said = f" in place of {found.say(gone.from_port)}"
        trouble = patch_trouble(found, patch, patches)
        if trouble is not None:
            raise Refused(trouble.place, trouble.reason)
        patches[edit.to_port] = patch
        words.append(f"plugged {found.say(edit.from_port)} into {found.say(edit.to_port)}{said}")
    return rig.model_copy(update={"patches": tuple(patches.values())}), words


@apply_one.register
def _(edit: e.Remove, rig: Rig) -> Applied:
    found = index(rig)
    gone = set(edit.items)
    known = {*found.gear, *found.items, *found.patches, *found.lines, *found.drivers, *found.mixing}
    for identity in edit.items:
        if identity not in known:
            raise Refused(identity, "there is nothing with this id to remove; it may have been removed already")
    said = [f"removed {_removed(rig, identity)}" for identity in edit.items]
    ears = {
        track.id: track.name
        for program in found.programs()
        for track in program.tracks
        if track.far_end in gone and track.id not in gone
    }
    gone |= ears.keys()
    said += [f"the ear of {name} goes with it" for name in ears.values()]
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
            gear.append(each.model_copy(update={"drivers": kept, "mixer": _mixer_without(each, gone)}))
        else:
            gear.append(each)
    update = {
        "gear": tuple(gear),
        "patches": tuple(patch for patch in rig.patches if patch.id not in gone),
        "lines": tuple(line for line in rig.lines if line.id not in gone),
    }
    rig, lost = pruned(rig.model_copy(update=update), rig)
    return Applied(names_followed(found.rig, rig), "; ".join([*said, *lost]))


def _mixer_without(box: Interface, gone: set[str]) -> Mixer | None:
    """A box's mixer without what is removed, and without the feeds that led from it or to it."""
    mixer = box.mixer
    if mixer is None or not gone & {each.id for each in mixer.items()}:
        return mixer
    for feed in mixer.feeds:
        if feed.id in gone and feed.fixed:
            raise Refused(f"{box.name}, feed", "it is the gear's own: nobody can take it away")
    mixes = {mix.id: mix.name for mix in mixer.mixes if mix.id in gone}
    strips = tuple(strip for strip in mixer.strips if strip.id not in gone)
    for strip in strips:
        taken = next((source.mix for source in (*strip.live, *strip.back) if source.mix in mixes), None)
        if taken is not None:
            raise Refused(
                f"{box.name}, mix {mixes[taken]}", f"strip {strip.name} takes it; let that take something else first"
            )
    feeds = tuple(feed for feed in mixer.feeds if not gone & {feed.id, feed.item, feed.to})
    never = tuple(each for each in mixer.never if not gone & {each.start, each.end})
    mixes_left = tuple(mix for mix in mixer.mixes if mix.id not in gone)
    update = {"strips": strips, "mixes": mixes_left, "feeds": feeds, "never": never}
    return mixer.model_copy(update=update)


def _removed(rig: Rig, identity: str) -> str:
    owner, value, _ = find(rig, identity)
    return place_of(rig, owner, value)
