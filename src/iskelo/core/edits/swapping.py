"""Swapping an interface for another one: what is plugged and mapped moves with it."""

import itertools
from collections.abc import Mapping

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, free_name, gear_of, pruned, say_unplugged, with_gear
from iskelo.core.edits.mixer_swap import carried_over, channels_of, left_behind
from iskelo.core.edits.renewing import renewed
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.device_streams import Bank, OpenDevice
from iskelo.core.rig.gear import DirectMonitor, Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Patch, Rig

Jacks = dict[int, int]

Channels = Mapping[int, int | None]
"""Which channel takes over from which; None: none does."""


@apply_one.register
def _(edit: e.SwapGear, rig: Rig) -> Applied:
    before = index(rig)
    old = gear_of(rig, edit.item, Interface)
    rig, new = renewed(rig, edit.gear)
    assert isinstance(new, Interface)
    name = free_name(new.name, (gear.name for gear in rig.gear if gear.id != old.id))
    box = _settled(old, new.model_copy(update={"id": old.id, "name": name}), edit.jacks_in, edit.jacks_out)
    patches = [_moved(patch, old.id, edit.jacks_in, edit.jacks_out) for patch in rig.patches]
    # Where two leads would share a jack, the one that was named keeps it.
    kept = {patch.to_port: patch for patch in patches}
    stays = [kept[patch.to_port] is patch for patch in patches]
    pulled = [say_unplugged(was, before) for was, there in zip(rig.patches, stays, strict=True) if not there]
    rig = with_gear(rig.model_copy(update={"patches": tuple(itertools.compress(patches, stays))}), box)
    # Without a mixer a channel is that of its jack; else those of the other mixer keep their numbers.
    same = old.mixer is not None and box.mixer is not None
    captures = channels_of(old, box, edit.jacks_in) or ({} if same else dict(edit.jacks_in))
    for program in index(rig).programs():
        streams, after = before.opened.get(program.id), index(rig).opened.get(program.id)
        if streams is not None and after is not None and before.reaches(program, old.id):
            rig = with_gear(rig, _remapped(program, streams, after, old.id, captures, edit.jacks_out))
    rig, lost = pruned(rig, before.rig)
    return Applied(rig, "; ".join([f"swapped {old.name} for {name}", *left_behind(old, box.mixer), *pulled, *lost]))


def _settled(old: Interface, new: Interface, jacks_in: Jacks, jacks_out: Jacks) -> Interface:
    """The new box with the old one's trims, switches and direct monitoring, as far as it has the jacks."""
    trims, out_trims = list(new.trims_db), list(new.output_trims_db)
    for before, db in enumerate(old.trims_db, start=1):
        jack = jacks_in.get(before, before)
        if jack <= new.jack_in:
            trims[jack - 1] = new.trim_like(old, db)
    for before, db in enumerate(old.output_trims_db, start=1):
        jack = jacks_out.get(before, before)
        if jack <= new.jack_out:
            out_trims[jack - 1] = db
    direct = [
        cross.model_copy(
            update={
                "jack_in": jacks_in.get(cross.jack_in, cross.jack_in),
                "jack_out": jacks_out.get(cross.jack_out, cross.jack_out),
            }
        )
        for cross in (old.direct if new.mixer is None else ())
    ]
    distinct: dict[tuple[int, int], DirectMonitor] = {}
    for cross in direct:
        if cross.jack_in <= new.jack_in and cross.jack_out <= new.jack_out:
            distinct.setdefault((cross.jack_in, cross.jack_out), cross)
    rate_hz = old.rate_hz if old.rate_hz in new.rates_hz else new.rate_hz
    cabled = old.cable is not None and new.cable is not None
    return new.model_copy(
        update={
            **({"clock_source": old.clock_source, "follows": old.follows} if cabled else {}),
            "trims_db": tuple(trims),
            "output_trims_db": tuple(out_trims),
            "phantom_on": _switched(old.phantom_on, jacks_in, new.able_jacks("phantom")),
            "high_impedance_on": _switched(old.high_impedance_on, jacks_in, new.able_jacks("instrument")),
            "direct": tuple(distinct.values()),
            "mixer": carried_over(old, new, jacks_in, jacks_out),
            "rate_hz": rate_hz,
            "notes": old.notes or new.notes,
        }
    )


def _switched(on: tuple[int, ...], jacks: Jacks, able: int) -> tuple[int, ...]:
    return tuple(sorted({jack for old in on if (jack := jacks.get(old, old)) <= able}))


def _moved(patch: Patch, box: str, jacks_in: Jacks, jacks_out: Jacks) -> Patch:
    start, end = patch.from_port, patch.to_port
    if end.owner == box:
        end = Port(end.owner, end.bank, jacks_in.get(end.number, end.number))
    if start.owner == box:
        start = Port(start.owner, start.bank, jacks_out.get(start.number, start.number))
    return patch.model_copy(update={"from_port": start, "to_port": end})


def _remapped(
    program: Program, before: OpenDevice, after: OpenDevice, box: str, jacks_in: Channels, jacks_out: Channels
) -> Program:
    """The program on the new box: its legs follow the jacks, and what they use is enabled."""

    def follow(items: tuple[ProgramPort, ...], bank: Bank, jacks: Channels) -> tuple[ProgramPort, ...]:
        """A leg whose channel the new box does not have is mapped to none; those of other boxes stay on theirs."""

        def moved(leg: int | None) -> int | None:
            there = before.at(bank, leg) if leg is not None else None
            if there is None:
                return None
            way, number = there
            now = jacks.get(number, number) if way.box.id == box else number
            return after.channel(bank, way.box.id, now) if now is not None else None

        return tuple(item.model_copy(update={"legs": tuple(map(moved, item.legs))}) for item in items)

    return program.model_copy(
        update={
            "driver": None if program.device == box else program.driver,
            "output_driver": None if program.output_device == box else program.output_driver,
            "inputs": follow(program.inputs, "capture", jacks_in),
            "outputs": follow(program.outputs, "playback", jacks_out),
            "enabled_in": tuple(range(1, after.device.capture + 1)),
            "enabled_out": tuple(range(1, after.device.playback + 1)),
        }
    )
