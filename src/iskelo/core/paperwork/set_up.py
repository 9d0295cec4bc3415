"""The set-up list: everything that has to be plugged, switched, chosen and opened so that the room is as the rig says.

In the order in which a careful person does it: boxes joined to the computer, clocks (a box that is to follow must find
its leader), leads, and phantom supply only when all of a box's leads are in; then the devices joined from boxes, the
programs that open those, and what is listened to.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from iskelo.core.device_maps import say_unlocked
from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.mixers import mixer_steps
from iskelo.core.rig.clocks import SOCKETS
from iskelo.core.rig.device_streams import DeviceStream, driver_of
from iskelo.core.rig.gear import Aggregate, Destination, Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.insert_words import counted
from iskelo.core.rig.mixing import say_pan
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Bus, Program, ProgramInsert, ProgramPort, Send, Track
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.units import say_figure
from iskelo.core.stations import fold_numbers
from iskelo.core.wiring.blocks import buses_in_circles
from iskelo.core.wiring.hops import LEADS

Section = Literal[
    "Boxes", "Clocks", "Stage", "Outboard gear", "Mixers", "Devices of several boxes", "Programs", "Sync", "Listening"
]


@dataclass(frozen=True, slots=True)
class SetUpStep:
    """One thing to do: ``settings`` are what to set there; ``items`` what it is about, ``trouble`` what stands against
    it as the rig is now.
    """

    key: str
    section: Section
    words: str
    settings: tuple[str, ...]
    items: tuple[str, ...]
    trouble: str = ""


def set_up_list(reading: Reading) -> tuple[SetUpStep, ...]:
    """Every step, in the order in which they are done."""
    found = reading.found
    return (
        *_boxes(found),
        *_clocks(found),
        *_stage(found),
        *_outboard(found),
        *(SetUpStep(step.key, "Mixers", step.words, step.settings, step.items) for step in mixer_steps(found)),
        *_joined(found),
        *_programs(found),
        *_synced(found),
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


def _programs(found: Index) -> Iterator[SetUpStep]:
    """What each program opens, and how it is set."""
    for program in found.programs():
        yield _open(found, program)
        for side, items, enabled in (
            ("in", program.inputs, program.enabled_in),
            ("out", program.outputs, program.enabled_out),
        ):
            if not items:
                continue
            named = tuple(f"{item.name}: {_place_of(found, item)}" for item in items)
            yield SetUpStep(
                f"{side}:{program.id}",
                "Programs",
                f"{program.name}: name its {side}puts",
                (f"channels {fold_numbers(list(enabled)) or 'none'} enabled", *named),
                (program.id,),
            )
        if program.tracks:
            tracks = tuple(_track(found, track) for track in program.tracks)
            yield SetUpStep(f"tracks:{program.id}", "Programs", f"{program.name}: tracks", tracks, (program.id,))
        for item, insert in program.hung():
            yield _hung(found, program, item, insert)
        circles = buses_in_circles(program)
        for bus in program.buses:
            end = found.name(bus.output) if bus.output is not None else "nothing"
            trouble = "it feeds itself" if bus.id in circles else ""
            settings = [f"{bus.gain_db:+g} dB"] if bus.gain_db else []
            settings += ["muted"] if bus.muted else []
            settings += ["effects mix"] if bus.effects else []
            settings += [_send(found, send) for send in program.sends if send.to == bus.id]
            yield SetUpStep(
                f"bus:{bus.id}",
                "Programs",
                f"{program.name}: bus {bus.name} to {end}",
                tuple(settings),
                (program.id,),
                trouble,
            )


def _synced(found: Index) -> Iterator[SetUpStep]:
    """Which program hears which by a virtual MIDI port, and how both keep time."""
    for program in found.programs():
        for link in program.syncs:
            leader = found.gear[link.sender]
            assert isinstance(leader, Program)
            settings = []
            if link.clock:
                followed = "followed" if program.follows_clock else "not followed"
                settings += [
                    f"clock, {followed}",
                    f"{leader.tempo_bpm:g} bpm",
                    f"sent {link.sent}",
                    f"read {link.read}",
                ]
            settings += ["notes"] if link.notes else []
            settings += [f"offset {link.offset_ms:g} ms"] if link.offset_ms else []
            words = f"{program.name}: hear {leader.name}"
            trouble = "" if settings else "it carries nothing"
            yield SetUpStep(f"sync:{link.id}", "Sync", words, tuple(settings), (program.id, leader.id), trouble)


def _hung(found: Index, program: Program, item: Track | Bus, insert: ProgramInsert) -> SetUpStep:
    """What to hang in a track or a bus."""
    send, back = found.name(insert.send), found.name(insert.back)
    settings = [f"out by {send}", f"back by {back}", "in" if insert.on else "bypassed"]
    if insert.dry_db is not None:
        meant = ", as it is meant" if insert.parallel else ""
        settings.append(f"its dry path open at {say_figure(insert.dry_db)} dB{meant}")
    if program.delay_compensation:
        settings.append(counted(insert))
    words = f"{program.name}: insert of {found.items[item.id].side} {item.name}"
    return SetUpStep(f"insert:{item.id}", "Programs", words, tuple(settings), (program.id,))


def _open(found: Index, program: Program) -> SetUpStep:
    settings: list[str] = []
    device, out = found.gear.get(program.device or ""), found.gear.get(program.output_device or "")
    if isinstance(device, Interface) and device.cable is not None:
        settings.append(f"opens cable {device.name}")
        streams = found.opened.get(program.id)
        if streams is not None and streams.device.buffer_id == program.id:
            settings.append(f"buffer {streams.device.buffer_samples}")
    elif isinstance(device, Interface):
        settings.append(f"opens {device.name} by its {driver_of(device, program.driver).kind} driver")
    elif isinstance(device, Aggregate):
        settings.append(f"opens {device.name}")
    if isinstance(out, Interface):
        settings.append(f"plays to {out.name} by its {driver_of(out, program.output_driver).kind} driver")
        settings.append(f"{'matched' if program.matched else 'not matched'}, margin {program.margin_samples}")
    if program.rate_hz is not None:
        settings.append(f"{program.rate_hz / 1000:g} kHz")
    if program.lets_go_in_background:
        settings.append("lets its device go in the background")
    if program.pan_law != "0 dB":
        settings.append(f"pan law {program.pan_law.replace('-', '−')}")
    if program.delay_compensation:
        settings.append("delay compensation on")
    if program.read_ahead_samples is not None:
        settings.append(f"read-ahead {program.read_ahead_samples}")
    if program.compensates_samples:
        settings.append(f"moves what it records {program.compensates_samples} samples earlier")
    if program.hosted is not None:
        hosted, leader = program.hosted, found.name(program.hosted.leader)
        told = [f"runs in {leader}", f"{hosted.ahead} buffer, {hosted.ahead_samples} samples ahead"]
        told += ["told earlier by as much" if hosted.compensated else "not told earlier"]
        words, about = f"{program.name}: let it run in {leader}", (program.id, hosted.leader)
        return SetUpStep(f"program:{program.id}", "Programs", words, (*told, *settings), about)
    trouble = "" if settings and program.id in found.opened else "it has no device"
    return SetUpStep(
        f"program:{program.id}", "Programs", f"{program.name}: open its device", tuple(settings), (program.id,), trouble
    )


def _place_of(found: Index, item: ProgramPort) -> str:
    """The channels of an input or output, or what it takes back."""
    if item.returns is not None:
        return f"return of {found.items[item.returns].program.name}"
    return fold_numbers([leg for leg in item.legs if leg is not None]) or "no channel"


def _send(found: Index, send: Send) -> str:
    gain = f", {send.gain_db:+g} dB" if send.gain_db else ""
    return f"takes {found.name(send.item)} {send.tap}{gain}{'' if send.on else ', off'}"


def _track(found: Index, track: Track) -> str:
    place = found.items[track.id].position
    said = [f"{place} {track.name}", f"input {found.name(track.input)}" if track.input else "no input"]
    if track.far_end:
        said.append(f"goes to the far end {found.name(track.far_end)}")
    if track.output:
        said.append(f"to {found.name(track.output)}")
    if track.pan:
        said.append(say_pan(track.pan))
    said += [
        word
        for word, on in (
            ("armed", track.armed),
            ("monitored", track.monitored),
            ("muted", track.muted),
            ("solo", track.soloed),
        )
        if on
    ]
    return ", ".join(said)


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
