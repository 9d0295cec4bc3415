"""The hops of a program: from its device and to it, through tracks, sends, voices and buses."""

from collections.abc import Mapping, Sequence
from typing import Literal

from iskelo.core.rig.device_streams import OpenDevice
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.ports import Port, port_of
from iskelo.core.rig.programs import Bus, PanLaw, Program, ProgramPort, Send, Track
from iskelo.core.values import fact
from iskelo.core.wiring.blocks import (
    Block,
    Setting,
    bus_in_a_circle,
    bus_muted,
    buses_in_circles,
    insert_bypassed,
    insert_in,
    not_enabled,
    not_heard,
    not_monitored,
    not_running,
    not_shown,
    send_off,
    shut_way,
    track_shut,
)
from iskelo.core.wiring.edge import Edge, edge_of, legs_of
from iskelo.core.wiring.enabling import Side
from iskelo.core.wiring.hops import HopKind


def _device_edges(program: Program, streams: OpenDevice, found: Index) -> list[Edge]:
    """What a program takes from the boxes behind its device, and what it sends to them."""
    edges: list[Edge] = []
    sides: tuple[tuple[Side, tuple[ProgramPort, ...], Literal["capture", "playback"], tuple[int, ...]], ...] = (
        ("input", program.inputs, "capture", program.enabled_in),
        ("output", program.outputs, "playback", program.enabled_out),
    )
    shut = [shut_way(program, streams, way, found) for way in streams.ways]
    for side, items, bank, enabled in sides:
        on = set(enabled)
        places = {
            channel: (way, number, block, shown)
            for way, block, shown in zip(streams.ways, shut, [way.shown(bank) for way in streams.ways], strict=True)
            for number, channel in enumerate(way.channels(bank), start=1)
        }
        for item in items:
            for leg, channel in enumerate(item.legs if item.returns is None else (), start=1):
                if channel is None or channel not in places:
                    continue
                way, number, block, shown = places[channel]
                if block is None and number > shown:
                    block = not_shown(program, way, bank, number, found)
                if block is None and channel not in on:
                    block = not_enabled(program, side, channel)
                box_end, end = port_of((way.box.id, bank, number)), port_of((item.id, side, leg))
                if side == "input":
                    edges.append(edge_of((box_end, end, "from device", program.id, 0.0, 1, block)))
                else:
                    edges.append(edge_of((end, box_end, "to device", program.id, 0.0, 1, block)))
    return edges


def program_edges(program: Program, found: Index) -> list[Edge]:
    streams = found.opened.get(program.id)
    law = program.pan_law
    given: dict[str, list[Send]] = {}
    for send in program.sends:
        given.setdefault(send.item, []).append(send)
    edges = _device_edges(program, streams, found) if streams is not None else []
    edges += _returns(program, streams, found)
    starts = {item.id: legs_of(item.id, "input", len(item.legs)) for item in program.inputs}
    sinks = {item.id: legs_of(item.id, "output", len(item.legs)) for item in program.outputs}
    sinks |= {bus.id: legs_of(bus.id, "bus", bus.width) for bus in program.buses}
    starts |= {bus.id: legs_of(bus.id, "bus_out", bus.width) for bus in program.buses}
    taken = {track.input for track in program.tracks}
    refused = refused_to_arm(program)
    soloed = [track.id for track in program.tracks if track.soloed]
    for track in program.tracks:
        monitor, sends = legs_of(track.id, "monitor", track.width), given.get(track.id, ())
        # Where nothing hangs in it, a track's insert point is no port of its own.
        point = legs_of(track.id, "point", track.width) if track.insert is not None else monitor
        if track.input is not None:
            armed = None
            if not track.armed:
                opened = Setting(track.id, {"armed": True})
                armed = Block(fact("not armed", track=track.id), track.id, opened, fact("arm track", track=track.id))
            elif track.id in refused:
                other = refused[track.id]
                opened = Setting(other.id, {"armed": False})
                said = fact("armed elsewhere", program=program.id, other=other.id)
                armed = Block(said, track.id, opened, fact("disarm track", track=other.id))
            if track.input in sinks:
                # What comes from a named input has met its device on the way; a mix runs only if the program does.
                armed = armed or not_running(program, streams, found)
            heard = not_heard(track, program, soloed) if track.insert is None else not_monitored(track)
            kind: HopKind = "record" if track.far_end is None else "to far end"
            for leg, (start, end) in enumerate(zip(starts[track.input], point, strict=False), start=1):
                edges.append(edge_of((start, port_of((track.id, "track", leg)), kind, track.id, 0.0, 1, armed)))
                edges.append(edge_of((start, end, "monitor", track.id, 0.0, 1, heard)))
        if track.insert is not None:
            edges += _hung(track, point, monitor, starts, sinks, not_heard(track, program, soloed))
        # Where that is how solo works, what is soloed is heard at another output as well, and waits for nobody there.
        solo = program.solo_output if track.soloed and program.solo_output != track.output else None
        if track.output is not None or sends or solo is not None:
            post, muted = legs_of(track.id, "post", track.width), track_shut(track, program, soloed)
            edges += [
                edge_of((start, end, "fader", track.id, track.gain_db, 1, muted))
                for start, end in zip(monitor, post, strict=True)
            ]
            if track.output is not None:
                edges += _mixed("mix", track.id, post, sinks[track.output], (law, track.pan))
            if solo is not None:
                edges += _mixed("track solo", track.id, post, sinks[solo], (law, track.pan))
            if sends:
                edges += _sent(sends, monitor, post, sinks, (law, track.pan))
    for voice in program.voices:
        legs = legs_of(voice.id, "voice", voice.width)
        if voice.output is not None:
            edges += _mixed("mix", voice.id, legs, sinks[voice.output], (law, voice.pan))
        edges += _sent(given.get(voice.id, ()), legs, legs, sinks, (law, voice.pan))
    return edges + _bus_edges(program, given, taken, starts, sinks)


def _returns(program: Program, streams: OpenDevice | None, found: Index) -> list[Edge]:
    """What comes from programs that this one hosts."""
    edges: list[Edge] = []
    for item in program.inputs:
        if item.returns is None:
            continue
        block = not_running(program, streams, found)
        for leg in range(1, len(item.legs) + 1):
            start, end = port_of((item.returns, "output", leg)), port_of((item.id, "input", leg))
            edges.append(edge_of((start, end, "return", program.id, 0.0, 1, block)))
    return edges


def _bus_edges(
    program: Program,
    given: Mapping[str, Sequence[Send]],
    taken: set[str | None],
    starts: Mapping[str, tuple[Port, ...]],
    sinks: Mapping[str, tuple[Port, ...]],
) -> list[Edge]:
    """What buses pass on; ``given`` are sends by who gives, ``taken`` what tracks take."""
    edges: list[Edge] = []
    circles = buses_in_circles(program) if program.buses else set()
    for bus in program.buses:
        sends = given.get(bus.id, ())
        if bus.output is None and bus.insert is None and not sends and bus.id not in taken:
            continue
        point, post = sinks[bus.id], legs_of(bus.id, "bus_out", bus.width)
        legs = legs_of(bus.id, "bus_pre", bus.width) if bus.insert is not None else point
        shut = bus_in_a_circle(program, bus, circles) if bus.id in circles else None
        edges += _hung(bus, point, legs, starts, sinks, shut, silent=shut)
        muted = shut or bus_muted(bus)
        edges += [
            edge_of((start, end, "fader", bus.id, bus.gain_db, 1, muted)) for start, end in zip(legs, post, strict=True)
        ]
        if bus.output is not None:
            edges += _mixed("mix", bus.id, post, sinks[bus.output])
        edges += _sent(sends, legs, post, sinks, (program.pan_law, None), shut)
    return edges


def _hung(
    item: Track | Bus,
    point: tuple[Port, ...],
    pre: tuple[Port, ...],
    starts: Mapping[str, tuple[Port, ...]],
    sinks: Mapping[str, tuple[Port, ...]],
    shut: Block | None,
    silent: Block | None = None,
) -> list[Edge]:
    """What hangs in a track or a bus: its send, its return, the way past it or beside it.

    ``shut``: why nothing gets before its fader at all; ``silent``: why it gives nothing out to what hangs in it.
    """
    insert = item.insert
    if insert is None:
        return []
    off = None if insert.on else insert_bypassed(item)
    edges = []
    for start, end, out, back in zip(point, pre, sinks[insert.send], starts[insert.back], strict=True):
        edges.append(edge_of((start, out, "track send", item.id, 0.0, 1, silent or off)))
        edges.append(edge_of((back, end, "track return", item.id, 0.0, 1, off or shut)))
        if insert.on and insert.dry_db is not None:
            edges.append(edge_of((start, end, "track dry", item.id, insert.dry_db, 1, shut)))
        else:
            past = insert_in(item) if insert.on else shut
            edges.append(edge_of((start, end, "track past", item.id, 0.0, 1, past)))
    return edges


def _sent(
    sends: Sequence[Send],
    pre: tuple[Port, ...],
    post: tuple[Port, ...],
    sinks: Mapping[str, tuple[Port, ...]],
    panned: tuple[PanLaw, float | None],
    block: Block | None = None,
) -> list[Edge]:
    """Sends by their taps; a mix is not panned (None) unless its send says so."""
    edges = []
    for send in sends:
        law, own = panned
        pan = own if send.pan is None else send.pan
        if pan is None:
            law, pan = "0 dB", 0.0
        legs = pre if send.tap == "before the fader" else post
        shut = block or (None if send.on else send_off(send))
        edges += _mixed("send", send.id, legs, sinks[send.to], (law, pan), send.gain_db, shut)
    return edges


def refused_to_arm(program: Program) -> dict[str, Track]:
    """Tracks that a program does not arm, with the track that has a channel of theirs: it lets one be armed once."""
    refused: dict[str, Track] = {}
    channels = {item.id: {leg for leg in item.legs if leg is not None} for item in program.inputs}
    taken: dict[int, Track] = {}
    for track in program.tracks if program.one_track_per_input else ():
        if not track.armed or track.input is None:
            continue
        mine = channels.get(track.input, set())
        other = next((taken[channel] for channel in sorted(mine) if channel in taken), None)
        if other is not None:
            refused[track.id] = other
        else:
            taken |= dict.fromkeys(mine, track)
    return refused


def _mixed(
    kind: HopKind,
    owner: str,
    legs: tuple[Port, ...],
    into: tuple[Port, ...],
    panned: tuple[PanLaw, float] = ("0 dB", 0.0),
    gain_db: float = 0.0,
    block: Block | None = None,
) -> list[Edge]:
    """What a track, a voice or a bus gives to an output or a bus."""
    return [
        edge_of((legs[leg - 1], into[end_leg - 1], kind, owner, gain_db + turned_db, 1, block))
        for leg, end_leg, turned_db in legs_into(len(legs), len(into), *panned)
    ]
