"""What the set-up list says of programs: what they open, what hangs in them, whom they follow."""

from collections.abc import Iterator

from iskelo.core.paperwork.steps import SetUpStep
from iskelo.core.rig.device_streams import driver_of
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.insert_words import counted
from iskelo.core.rig.mixing import say_pan
from iskelo.core.rig.programs import Bus, Program, ProgramInsert, ProgramPort, Send, Track
from iskelo.core.rig.text import fold_numbers
from iskelo.core.rig.units import say_figure
from iskelo.core.wiring.blocks import buses_in_circles


def program_steps(found: Index) -> Iterator[SetUpStep]:
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


def sync_steps(found: Index) -> Iterator[SetUpStep]:
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
    settings += [
        f"{words} {found.name(identity)}"
        for identity, words in (
            (program.default_output, "what is added goes to"),
            (program.solo_output, "solo is heard at"),
            (program.audition_output, "files are auditioned at"),
        )
        if identity is not None
    ]
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
