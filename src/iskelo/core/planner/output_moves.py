"""The steps out of a program: onto its outputs and mixes, to the channels of its device, into destinations."""

from collections.abc import Iterator

from iskelo.core.edits.additions import AddProgramPorts, AddSends
from iskelo.core.edits.base import free_name
from iskelo.core.edits.edit import Edit, Plug, SetDevice, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.planner.move import BESIDE, OTHER_LEG, SOCKET, TIE, Ask, Move, otherwise
from iskelo.core.rig.device_streams import OpenDevice, open_box
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Track, Voice
from iskelo.core.wiring.enabling import enabling
from iskelo.core.wiring.hops import HOPS
from iskelo.core.words.say import say


def to_an_output(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """Onto an output of its program: as its own one, or as well where it has one."""
    program, track, side, _ = reading.found.items[port.owner]
    assert isinstance(track, Track | Voice | Bus)
    if track.output in {bus.id for bus in program.buses}:
        return
    in_use = ("mix", track.id) in reading.hops_in_use
    sent = {send.to for send in program.sends if send.item == track.id}
    for output in program.outputs:
        if track.output == output.id:
            continue
        edit = SetValues(item=track.id, values={"output": output.id})
        said = f"Send {side} {track.name} to {output.name}"
        ways: list[tuple[float, Edit, str]] = [(1 + otherwise(track.output is not None, in_use), edit, said)]
        if track.output is not None and port.bank in _BEHIND_FADERS and output.id not in sent:
            send = AddSends(program=program.id, items=(track.id,), to=output.id)
            ways.append((1 + BESIDE, send, f"{said} as well"))
        for cost, each, words in ways:
            for leg, end_leg, _ in legs_into(track.width, len(output.legs)):
                if leg == port.number:
                    yield Move(Port(output.id, "output", end_leg), cost, (each,), (words,))
    if ask.end.bank == "in" and (track.output is None or port.bank in _BEHIND_FADERS):
        yield from _to_a_new_output(port, program, track, reading, ask)


def to_a_mix(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """Into the mix that the asked track takes: as its own output, or as well where it has one."""
    program, item, side, _ = reading.found.items[port.owner]
    assert isinstance(item, Track | Voice | Bus)
    mix = reading.found.mix_of(ask.end.owner) if reading.found.gear_of(ask.end.owner) == program.id else None
    sent = {send.to for send in program.sends if send.item == item.id}
    if mix is None or mix.id in (item.id, item.output, *sent) or ask.end.owner == item.id:
        return
    if item.output is None:
        edit: Edit = SetValues(item=item.id, values={"output": mix.id})
    else:
        edit = AddSends(program=program.id, items=(item.id,), to=mix.id, tap="before the fader")
    words = f"Send {side} {item.name} to {mix.name}" + (" as well" if item.output is not None else "")
    for leg, end_leg, _ in legs_into(item.width, mix.width):
        if leg == port.number:
            yield Move(Port(mix.id, "bus", end_leg), 1 + BESIDE * (item.output is not None), (edit,), (words,))


_BEHIND_FADERS = ("post", "voice", "bus_out")


def _to_a_new_output(
    port: Port, program: Program, track: Track | Voice | Bus, reading: Reading, ask: Ask
) -> Iterator[Move]:
    """A new output on the channels that lead to the target, or on channels that are free."""
    streams = reading.found.opened.get(program.id)
    if streams is None or not streams.device.playback:
        return
    first = _channel_towards(program, reading, streams, ask.end)
    if first is None:
        return
    width = min(reading.found.bank_size(ask.end.owner, "in"), streams.device.playback - first + 1)
    channels = tuple(range(first, first + width))
    there = streams.at("playback", channels[min(width, ask.end.number) - 1])
    if there is None:
        return
    side = reading.found.items[track.id].side
    taken = [output.name for output in program.outputs]
    name = free_name(reading.found.name(ask.end.owner) if taken else "Main", taken)
    identity = new(2)
    made = AddProgramPorts(
        program=program.id, side="output", names=(name,), width=width, first_channel=first, ids=(identity,)
    )
    edits: list[Edit] = [made]
    words = [f"Add an output {name} on channel {first} to {program.name}"]
    missing = tuple(each for each in channels if program.enabled_out and each not in program.enabled_out)
    if missing:
        opened = enabling(program, "output", missing)
        if opened is None:
            return
        edits += opened[0]
        words.append(say(opened[1], reading.found))
    if track.output is None:
        edits.append(SetValues(item=track.id, values={"output": identity}))
        words.append(f"Send {side} {track.name} to it")
    else:
        edits.append(AddSends(program=program.id, items=(track.id,), to=identity))
        words.append(f"Send {side} {track.name} to it as well")
    yield Move(
        Port(there[0].box.id, "playback", there[1]), len(edits) + BESIDE * bool(taken), tuple(edits), tuple(words)
    )


def _channel_towards(program: Program, reading: Reading, streams: OpenDevice, end: Port) -> int | None:
    """Choose the playback channel that already leads to the target's first leg; else the first one that is free.

    It is free if the program uses it for nothing else and its jack leads nowhere. None if there is none.
    """
    for edge in reading.graph.into(Port(end.owner, "in", 1)):
        channel = streams.channel("playback", edge.start.owner, edge.start.number)
        if channel is not None:
            return channel
    width = reading.found.bank_size(end.owner, "in")
    used = {channel for output in program.outputs for channel in output.legs}
    free = [channel for channel in range(1, streams.device.playback + 1) if channel not in used]
    runs = [first for first in free if all(each in free for each in range(first, first + width))]
    boxes = [first for first in runs or free if (there := streams.at("playback", first)) and there[0].box.cable is None]
    plugged = {(patch.from_port.owner, patch.from_port.number) for patch in reading.rig.patches}
    idle = [each for each in boxes if (at := streams.at("playback", each)) and (at[0].box.id, at[1]) not in plugged]
    return next(iter([*idle, *boxes]), None)


def to_a_channel(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    program, item, _, _ = reading.found.items[port.owner]
    assert isinstance(item, ProgramPort)
    if program.hosted is not None:
        return
    present = item.legs[port.number - 1]
    opened = reading.found.opened.get(program.id)
    boxes = [box for box in reading.found.interfaces() if ask.end.bank == "in" or box.cable is not None]
    for streams in [opened] if opened else [open_box(box, box.drivers[0]) for box in boxes]:
        edits: tuple[Edit, ...] = ()
        words: tuple[str, ...] = ()
        if program.device is None:
            edits = (SetDevice(program=program.id, device=streams.device.id),)
            words = (f"Give {program.name} the device {streams.device.name}",)
        aside = _aside_of_the_work(program, streams, reading) if edits else 0.0
        for channel in range(1, streams.device.playback + 1):
            there = streams.at("playback", channel)
            if there is None:
                continue
            end = Port(there[0].box.id, "playback", there[1])
            if channel == present:
                if edits:
                    yield Move(end, 1 + aside, edits, words)
                continue
            cost = len(edits) + 1 + aside + otherwise(present is not None, port in reading.ports_in_use) + TIE * channel
            edit = SetLeg(item=item.id, leg=port.number, channel=channel)
            said = f"Set output {item.name} to channel {channel}"
            yield Move(end, cost, (*edits, edit), (*words, said))


def _aside_of_the_work(program: Program, streams: OpenDevice, reading: Reading) -> float:
    """Tell how much dearer a box is for the computer's own sounds if others work with it: there may be another box."""
    if program.program_kind != "system sounds":
        return 0.0
    found, box = reading.found, streams.device.id
    others = any(each.id != program.id and found.reaches(each, box) for each in found.programs())
    plugged = any(patch.to_port.owner == box for patch in reading.rig.patches)
    return 1.0 if others or plugged else 0.0


def into_a_destination(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    if ask.end.bank != "in":
        return
    taken = reading.graph.into(ask.end)
    if any(edge.start == port for edge in taken):
        return
    elsewhere = [edge for edge in reading.graph.leaving.get(port, ()) if HOPS[edge.kind].whose == "lead"]
    split = OTHER_LEG if any(edge.end.owner == ask.end.owner for edge in elsewhere) else SOCKET if elsewhere else 0
    parity = (port.number - ask.end.number) % 2
    in_use = any(edge.owner in reading.leads_in_use for edge in taken)
    cost = 1 + split + otherwise(bool(taken), in_use) + TIE * (port.number + 5 * parity)
    words = f"Plug {reading.found.say(port)} into {reading.found.say(ask.end)}"
    if elsewhere:
        words += f" as well, by a splitter behind {reading.found.say(port)}"
    yield Move(ask.end, cost, (Plug(from_port=port, to_port=ask.end, replace=bool(taken)),), (words,))
