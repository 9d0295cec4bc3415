"""Gear of another rig or of the catalogue under ids of this one."""

from collections.abc import Mapping
from typing import Any

from iskelo.core.edits.base import new_ids
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.mixers import Mixer, StripSource
from iskelo.core.rig.programs import Program, ProgramInsert
from iskelo.core.rig.rig import AnyGear, Rig

ID_PREFIX = {"source": "s", "interface": "b", "aggregate": "g", "program": "p", "destination": "x", "outboard": "h"}


OUTPUT_CHOICES = ("default_output", "solo_output", "audition_output")
"""The fields of a program that name one of its outputs for a purpose."""

DEVICE_FIELDS = ("device", "driver", "output_device", "output_driver")


def renewed(rig: Rig, gear: AnyGear) -> tuple[Rig, AnyGear]:
    """The same piece of gear under ids of this rig; devices and members are left out, for they are another rig's."""
    rig, (identity,) = new_ids(rig, ID_PREFIX[gear.kind], 1)
    if isinstance(gear, Interface):
        rig, ids = new_ids(rig, "d", len(gear.drivers))
        drivers = tuple(driver.model_copy(update={"id": new}) for new, driver in zip(ids, gear.drivers, strict=True))
        rig, mixer = _mixer_renewed(rig, gear.mixer)
        alone = {"follows": None, "clock_source": "computer"} if gear.follows is not None else {}
        return rig, gear.model_copy(update={"id": identity, "drivers": drivers, "mixer": mixer, **alone})
    if isinstance(gear, Aggregate):
        return rig, gear.model_copy(update={"id": identity, "members": (), "master": None})
    if not isinstance(gear, Program):
        return rig, gear.model_copy(update={"id": identity})
    new: dict[str | None, str | None] = {None: None}
    renamed: dict[str, Any] = {"id": identity, **dict.fromkeys((*DEVICE_FIELDS, "hosted")), "syncs": ()}
    for field, prefix in (("inputs", "i"), ("outputs", "o"), ("tracks", "t"), ("voices", "v"), ("buses", "u")):
        items = getattr(gear, field)
        rig, ids = new_ids(rig, prefix, len(items))
        new.update(zip((item.id for item in items), ids, strict=True))
        # What it took from programs that it hosted stays behind.
        alone = {"returns": None} if field == "inputs" else {}
        renamed[field] = tuple(
            item.model_copy(update={"id": given, **alone}) for given, item in zip(ids, items, strict=True)
        )
    renamed["tracks"] = tuple(
        track.model_copy(
            update={
                "input": new.get(track.input),
                "insert": _insert_renewed(track.insert, new),
                "far_end": new.get(track.far_end),
                "straight": None,
            }
        )
        for track in renamed["tracks"]
    )
    renamed["buses"] = tuple(
        bus.model_copy(update={"insert": _insert_renewed(bus.insert, new)}) for bus in renamed["buses"]
    )
    rig, ids = new_ids(rig, "e", len(gear.sends))
    renamed["sends"] = tuple(
        send.model_copy(update={"id": given, "item": new.get(send.item), "to": new.get(send.to)})
        for given, send in zip(ids, gear.sends, strict=True)
    )
    renamed |= {choice: new.get(getattr(gear, choice)) for choice in OUTPUT_CHOICES}
    for field in ("tracks", "voices", "buses"):
        renamed[field] = tuple(item.model_copy(update={"output": new.get(item.output)}) for item in renamed[field])
    return rig, gear.model_copy(update=renamed)


def _insert_renewed(insert: ProgramInsert | None, new: Mapping[str | None, str | None]) -> ProgramInsert | None:
    """What hangs in a track or a bus, by the new ids of its output and its input."""
    if insert is None:
        return None
    return insert.model_copy(update={"send": new[insert.send], "back": new[insert.back]})


def _mixer_renewed(rig: Rig, mixer: Mixer | None) -> tuple[Rig, Mixer | None]:
    """The same inside of a mixer under ids of this rig."""
    if mixer is None:
        return rig, None
    new: dict[str | None, str | None] = {None: None}
    for items, prefix in ((mixer.strips, "k"), (mixer.mixes, "m"), (mixer.feeds, "f")):
        rig, ids = new_ids(rig, prefix, len(items))
        new.update(zip((item.id for item in items), ids, strict=True))

    def source(each: StripSource) -> StripSource:
        return each.model_copy(update={"mix": new.get(each.mix)})

    strips = tuple(
        strip.model_copy(
            update={
                "id": new[strip.id],
                "live": tuple(map(source, strip.live)),
                "back": tuple(map(source, strip.back)),
            }
        )
        for strip in mixer.strips
    )
    mixes = tuple(mix.model_copy(update={"id": new[mix.id]}) for mix in mixer.mixes)
    feeds = tuple(
        feed.model_copy(update={"id": new[feed.id], "item": new.get(feed.item), "to": new.get(feed.to)})
        for feed in mixer.feeds
    )
    never = tuple(
        each.model_copy(update={"start": new.get(each.start), "end": new.get(each.end)}) for each in mixer.never
    )
    return rig, mixer.model_copy(update={"strips": strips, "mixes": mixes, "feeds": feeds, "never": never})
