"""The set-up list: everything that has to be plugged, switched, chosen and opened so that the room is as the rig says.

In the order in which a careful person does it: boxes joined to the computer, clocks (a box that is to follow must find
its leader), leads, and phantom supply only when all of a box's leads are in; then the devices joined from boxes, the
programs that open those, and what is listened to.
"""

from collections.abc import Iterator
from dataclasses import replace

from iskelo.core.device_maps import say_unlocked
from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.mixers import mixer_steps
from iskelo.core.paperwork.nameless import digests, nameless
from iskelo.core.paperwork.programs import program_steps, sync_steps
from iskelo.core.paperwork.reasons import reasons
from iskelo.core.paperwork.steps import SetUpStep
from iskelo.core.rig.clocks import SOCKETS
from iskelo.core.rig.device_streams import DeviceStream, driver_of
from iskelo.core.rig.gear import Aggregate, Destination, Interface, Source
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.text import fold_numbers
from iskelo.core.rig.units import say_figure
from iskelo.core.wiring.hops import LEADS


def set_up_list(reading: Reading) -> tuple[SetUpStep, ...]:
    """Every step, in the order in which they are done, with why, and how to see that it worked."""
    told = reasons(reading)
    says = digests(_steps(index(nameless(reading.rig))))
    steps = []
    for step in _steps(reading.found):
        why, see = told(step)
        steps.append(replace(step, why=why, see=see, says=says[step.key]))
    return tuple(steps)


def _steps(found: Index) -> tuple[SetUpStep, ...]:
    return (
        *_boxes(found),
        *_clocks(found),
        *_stage(found),
        *_outboard(found),
        *(SetUpStep(step.key, "Mixers", step.words, step.settings, step.items) for step in mixer_steps(found)),
        *_joined(found),
        *program_steps(found),
        *sync_steps(found),
        *_listening(found),
    )


def _outboard(found: Index) -> Iterator[SetUpStep]:
    """Outboard gear with its settings, what is plugged into it, and the leads that go back into boxes."""
    for outboard in found.outboards:
        settings = [f"{outboard.gain_db:+g} dB"] if outboard.gain_db else []
        if outboard.delay_samples:
            ms = 1000 * outboard.delay_samples / outboard.rate_hz
            settings.append(f"takes {outboard.delay_samples} samples at {outboard.rate_hz / 1000:g} kHz = {ms:.2f} ms")
        if outboard.supplies_phantom:
            settings.append("its phantom supply on where a microphone needs it")
        yield SetUpStep(f"set:{outboard.id}", "Outboard gear", outboard.name, tuple(settings), (outboard.id,))
    for patch in found.rig.patches:
        kind = LEADS.get((patch.from_port.bank, patch.to_port.bank))
        if kind in ("lead to outboard", "lead back"):
            words = f"{found.say(patch.from_port)} → {found.say(patch.to_port)}"
            box = found.gear[patch.to_port.owner]
            trim = (
                (f"trim {say_figure(box.trims_db[patch.to_port.number - 1])} dB",) if isinstance(box, Interface) else ()
            )
            items = (patch.from_port.owner, patch.to_port.owner)
            yield SetUpStep(f"lead:{patch.id}", "Outboard gear", words, (*trim, *_lead(patch)), items)


def _stage(found: Index) -> Iterator[SetUpStep]:
    """Sources into jacks, box by box and jack by jack."""
    order = {gear: place for place, gear in enumerate(found.gear)}
    leads = [
        patch
        for patch in found.rig.patches
        if patch.to_port.bank == "jack_in" and isinstance(found.gear.get(patch.from_port.owner), Source)
    ]
    for patch in sorted(leads, key=lambda each: (order[each.to_port.owner], each.to_port.number)):
        box, jack = found.gear[patch.to_port.owner], patch.to_port.number
        assert isinstance(box, Interface)
        settings = [f"trim {say_figure(box.trims_db[jack - 1])} dB"]
        if jack in box.high_impedance_on:
            settings.append("high impedance on")
        yield SetUpStep(
            f"lead:{patch.id}",
            "Stage",
            f"{found.say(patch.from_port)} → {found.say(patch.to_port)}",
            (*settings, *_lead(patch)),
            (patch.from_port.owner, box.id),
        )
    for box in found.boxes:
        if box.phantom_on:
            words = f"{box.name}: phantom supply on, now that all is plugged in"
            jacks = fold_numbers(list(box.phantom_on))
            off = "off at the others" if len(box.phantom_on) < box.able_jacks("phantom") else "at all of them"
            yield SetUpStep(f"phantom:{box.id}", "Stage", words, (f"jacks {jacks}", off), (box.id,))


def _lead(patch: Patch) -> Iterator[str]:
    if patch.gain_db:
        yield f"{patch.gain_db:+g} dB in the lead"
    if patch.inverted:
        yield "polarity reversed"
    if patch.unbalanced:
        yield "into an unbalanced input"
    if patch.muted:
        yield "muted"


def _clocks(found: Index) -> Iterator[SetUpStep]:
    """Leads that carry a clock, then what every box runs on: leaders before those that follow them."""
    for patch in found.leads("clock"):
        words = f"{found.say(patch.from_port)} → {found.say(patch.to_port)}"
        yield SetUpStep(f"lead:{patch.id}", "Clocks", words, (), (patch.from_port.owner, patch.to_port.owner))
    for box in sorted(found.boxes, key=lambda each: _depth(found, each)):
        pace = found.paces[box.id]
        source = {"own": "own clock", "computer": "the computer's timer"}.get(box.clock_source, box.clock_source)
        if box.clock_source in SOCKETS and pace.leader is not None:
            source = f"{box.clock_source} from {found.name(pace.leader)}"
        elif box.follows is not None:
            source = f"follows {found.name(box.follows)}"
        yield SetUpStep(
            f"clock:{box.id}",
            "Clocks",
            f"{box.name}: clock source {source}",
            (f"{box.rate_hz / 1000:g} kHz",),
            (box.id,),
            say_unlocked(found, box),
        )


def _depth(found: Index, box: Interface) -> int:
    """How many leads its clock comes through."""
    depth, at, seen = 0, found.paces[box.id].leader, {box.id}
    while at is not None and at not in seen:
        seen.add(at)
        depth, at = depth + 1, found.paces[at].leader
    return depth


def _boxes(found: Index) -> Iterator[SetUpStep]:
    """Each box joined to the computer, and the drivers by which programs open it."""
    for box in found.boxes:
        if box.cable is not None:
            settings = [f"{box.capture} channels", f"margin {box.cable.margin_samples} samples"]
            settings += [f"starts {box.cable.start}"] if box.cable.start != "aligned" else []
            yield SetUpStep(
                f"box:{box.id}",
                "Boxes",
                f"Set up cable {box.name} on the computer",
                tuple(settings),
                (box.id,),
                "" if box.connected else "it is not there now",
            )
            continue
        used = [driver for driver in box.drivers if any(way.driver is driver for way in _ways(found))]
        yield SetUpStep(
            f"box:{box.id}",
            "Boxes",
            f"Connect {box.name} to the computer",
            (box.link_kind,),
            (box.id,),
            "" if box.connected else "it is not connected now",
        )
        for driver in used:
            # Members of a joined device run at its buffer, which is told there.
            alone = any(way.driver is driver and not _is_joined(found, way.client) for way in _ways(found))
            settings = [f"buffer {driver.buffer_samples}"] if alone else []
            if driver.set_in != "the program":
                settings.append(f"set in {driver.set_in}, with the rate: {box.rate_hz / 1000:g} kHz")
            if driver.engine is not None:
                settings.append(f"engine period {driver.engine}")
            yield SetUpStep(
                f"driver:{driver.id}",
                "Boxes",
                f"{box.name}: {driver.kind} driver",
                tuple(settings),
                (box.id, driver.id),
                "" if driver.installed else "it is not installed",
            )


def _ways(found: Index) -> list[DeviceStream]:
    return [way for streams in found.opened.values() for way in streams.ways]


def _is_joined(found: Index, client: str) -> bool:
    return isinstance(found.gear.get(client), Aggregate)


def _joined(found: Index) -> Iterator[SetUpStep]:
    """Devices made of several boxes: their order, who leads, who is matched."""
    for aggregate in found.aggregates:
        yield _join(found, aggregate)


def _join(found: Index, aggregate: Aggregate) -> SetUpStep:
    members = [(member, found.gear.get(member.device)) for member in aggregate.members]
    boxes = [(member, box) for member, box in members if isinstance(box, Interface)]
    names = [box.name for _, box in boxes]
    settings = []
    if names:
        order = f"{names[0]} first" + "".join(f", then {name}" for name in names[1:])
        leader = next((box for _, box in boxes if box.id == aggregate.master), boxes[0][1])
        lead, master = leader.id, leader.name
        settings = [order, f"clock from {master}"]
        settings += [
            f"{'match' if member.matched and aggregate.matches else 'do not match'} {box.name}"
            for member, box in boxes
            # A cable that follows the same clock has nothing to be matched.
            if box.name != master and (box.cable is None or found.paces[box.id].master != found.paces[lead].master)
        ]
        settings += [
            f"{box.name} by its {driver_of(box, member.driver).kind} driver"
            for member, box in boxes
            if box.cable is None
        ]
    settings.append(f"buffer {aggregate.buffer_samples}")
    settings.append(f"margin {aggregate.margin_samples}")
    if aggregate.align != "none":
        settings.append("early boxes wait for the latest one")
    absent = [box.name for _, box in boxes if not box.connected]
    trouble = f"{', '.join(absent)} not there" if absent else "" if names else "it has no boxes"
    items = (aggregate.id, *(box.id for _, box in boxes))
    return SetUpStep(
        f"joined:{aggregate.id}", "Devices of several boxes", f"Open {aggregate.name}", tuple(settings), items, trouble
    )


def _listening(found: Index) -> Iterator[SetUpStep]:
    """What is plugged into output jacks, and what boxes monitor directly."""
    for patch in found.rig.patches:
        box, end = found.gear.get(patch.from_port.owner), found.gear.get(patch.to_port.owner)
        if isinstance(box, Interface | Outboard) and isinstance(end, Destination):
            trim = box.output_trims_db[patch.from_port.number - 1] if isinstance(box, Interface) else 0.0
            settings = (f"trim {say_figure(trim)} dB",) if trim else ()
            words = f"{found.say(patch.from_port)} → {found.say(patch.to_port)}"
            yield SetUpStep(f"lead:{patch.id}", "Listening", words, (*settings, *_lead(patch)), (box.id, end.id))
    for box in found.boxes:
        if box.direct:
            crossings = tuple(
                f"jack in {cross.jack_in} to jack out {cross.jack_out}, "
                + ("muted" if cross.muted else f"{cross.gain_db:+g} dB")
                for cross in box.direct
            )
            yield SetUpStep(f"direct:{box.id}", "Listening", f"{box.name}: direct monitoring", crossings, (box.id,))
