"""The steps a signal could take from a port: what is patched already, and what one edit would add.

Costs are edits, with small penalties: taking something away from another use costs half an edit more, and
among equals the lower number wins. A cost of nought is a hop that passes already.
"""

from collections.abc import Iterator

from pydantic import JsonValue

from iskelo.core.edits.additions import AddFeed, AddProgramPorts, AddReturns, AddSends
from iskelo.core.edits.base import free_name
from iskelo.core.edits.edit import Edit, EnableChannels, Plug, SetDevice, SetDirect, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.planner.jack_moves import IN_USE, SOCKET, TAKEN_AWAY, TIE, Ask, Move, into_a_jack, takes_from
from iskelo.core.rig.device_streams import OpenDevice, open_box
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.mixers import Strip
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Track, Voice
from iskelo.core.wiring.blocks import wider_driver
from iskelo.core.wiring.hops import HOPS, HopKind
from iskelo.core.words.say import say, say_unblock

CHANNELS_TRIED = 4
"""So many of the free channels of a mixer are considered."""

OTHER_LEG = 1.5
"""One jack into both legs of a destination: dearer than a second jack, for it makes stereo mono."""

_ASIDE: dict[str, tuple[HopKind, ...]] = {
    "track": (
        *("direct", "monitor", "track past", "track dry", "track send", "track return", "track solo"),
        *("fader", "mix", "send", "to device", "playback", "lead out"),
    ),
    "in": ("record", "to far end"),
}
"""Hops that lead away from a target of this bank."""

_ASIDE_OF_MIXES: tuple[HopKind, ...] = ("direct", "to device", "playback", "lead out")

_ASIDE_OF_CABLES: tuple[HopKind, ...] = ("direct", "monitor", "playback", "lead out")


def by_cable(ask: Ask, reading: Reading) -> bool:
    """Whether what one program sounds is wanted on a track of another: by cables alone can it get there."""
    if ask.end.bank != "track" or ask.start.bank != "voice":
        return False
    return any(box.cable is not None for box in reading.found.boxes)


def by_mix(ask: Ask, reading: Reading) -> bool:
    """Whether a track takes a mix of its program: what is wanted there gets there by that mix."""
    placed = reading.found.items.get(ask.end.owner)
    if ask.end.bank != "track" or placed is None or not isinstance(placed.item, Track):
        return False
    return placed.item.input in {bus.id for bus in placed.program.buses}


def by_host(ask: Ask, reading: Reading) -> bool:
    """Whether what is wanted sounds in a program that runs in another: by a return alone can it get out."""
    placed = reading.found.items.get(ask.start.owner)
    return placed is not None and placed.program.hosted is not None


def moves(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """Every step from a port towards the target."""
    cabled = by_cable(ask, reading) or by_host(ask, reading)
    mixed = by_mix(ask, reading)
    aside = _ASIDE_OF_CABLES if cabled and ask.end.bank == "track" else _ASIDE[ask.end.bank]
    aside = _ASIDE_OF_MIXES if mixed and not cabled else aside
    for edge in reading.graph.leaving.get(port, ()):
        if edge.kind in aside or (edge.kind == "direct" and not ask.direct):
            continue
        if edge.kind == "capture" and not ask.through_computer:
            continue
        if edge.block is None:
            yield Move(edge.end, 0)
        elif edge.block.unblock:
            yield Move(edge.end, len(edge.block.unblock), edge.block.unblock, (say_unblock(edge.block, reading.found),))
    match port.bank:
        case "out":
            yield from into_a_jack(port, reading, ask)
        case "outboard_out":
            yield from into_a_jack(port, reading, ask)
            yield from _into_a_destination(port, reading, ask)
        case "jack_in" if ask.end.bank == "in" and ask.direct:
            yield from _straight_across(port, reading)
        case "preamp" if ask.end.bank == "track":
            yield from _raw_to_a_channel(port, reading)
        case "strip_pre" | "strip_post" if ask.end.bank == "in":
            yield from _into_a_mix(port, reading)
        case "capture":
            yield from _into_a_program(port, reading, ask)
        case "input":
            yield from _onto_a_track(port, reading, ask)
        case "monitor" | "post" | "voice" | "bus" | "bus_pre" | "bus_out" if ask.end.bank == "in" or cabled:
            yield from _to_an_output(port, reading, ask)
        case "monitor" | "post" | "voice" | "bus_out" if mixed:
            yield from _to_a_mix(port, reading, ask)
        case "output" if by_host(ask, reading) and port.owner in _of(reading, ask.start):
            yield from _by_a_return(port, reading, ask)
        case "output":
            yield from _to_a_channel(port, reading, ask)
        case "jack_out":
            yield from _into_a_destination(port, reading, ask)


def _of(reading: Reading, start: Port) -> set[str]:
    """The outputs of the program that a voice is of."""
    return {item.id for item in reading.found.items[start.owner].program.outputs}


def _by_a_return(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """A return for a hosted program's output in its leader, taken by a track there."""
    program, item, _, _ = reading.found.items[port.owner]
    assert program.hosted is not None
    leader = reading.found.gear[program.hosted.leader]
    assert isinstance(leader, Program)
    recording = ask.end.bank == "track"
    if any(each.returns == item.id for each in leader.inputs):
        return
    made = AddReturns(program=program.id, outputs=(item.id,), ids=(new(3),))
    said = f"Make a return {item.name} of {program.name} in {leader.name}"
    for track in leader.tracks:
        if (recording and track.id != ask.end.owner) or port.number > track.width:
            continue
        values: dict[str, JsonValue] = {"input": new(3)}
        values |= {"armed": True} if recording else {"monitored": True, "muted": False}
        end = Port(track.id, "track" if recording else "monitor", port.number)
        cost = 2 + _input_taken(track, reading)
        give = SetValues(item=track.id, values=values)
        yield Move(end, cost, (made, give), (said, f"Let track {track.name} take it"))


def _raw_to_a_channel(port: Port, reading: Reading) -> Iterator[Move]:
    """An input of a mixer laid raw on a channel that nothing feeds, the one of its own number first."""
    box = reading.found.gear[port.owner]
    assert isinstance(box, Interface)
    if box.mixer is None or not box.mixer.open_feeds:
        return
    fed = {number for feed in box.mixer.feeds if feed.bank == "capture" for number in feed.ends}
    free = [number for number in range(1, box.capture + 1) if number not in fed]
    for number in sorted(free, key=lambda each: (each != port.number, each))[:CHANNELS_TRIED]:
        feed = AddFeed(mixer=box.id, jack=port.number, bank="capture", number=number)
        words = f"Feed in {port.number} of {box.name} raw to channel {number}"
        yield Move(Port(box.id, "to_computer", number), 1 + TIE * number, (feed,), (words,))


def _into_a_mix(port: Port, reading: Reading) -> Iterator[Move]:
    """A strip of a mixer fed to a mix of it, where the mixer can be told so."""
    inside = reading.found.mixing[port.owner]
    if not inside.mixer.open_feeds or not isinstance(inside.item, Strip):
        return
    fed = {feed.to for feed in inside.mixer.feeds if feed.item == port.owner}
    for place, mix in enumerate(inside.mixer.mixes):
        if mix.id in fed:
            continue
        feed = AddFeed(mixer=inside.box.id, item=port.owner, bank="mix", to=mix.id)
        words = f"Feed strip {inside.item.name} of {inside.box.name} to {mix.name}"
        for leg, end_leg, _ in legs_into(inside.item.width, mix.width):
            if leg == port.number:
                yield Move(Port(mix.id, "mix", end_leg), 1 + TIE * place, (feed,), (words,))


def _straight_across(port: Port, reading: Reading) -> Iterator[Move]:
    box = reading.found.gear[port.owner]
    assert isinstance(box, Interface)
    if box.mixer is not None:
        return
    crossed = {cross.jack_out for cross in box.direct if cross.jack_in == port.number}
    for jack in range(1, box.jack_out + 1):
        if jack not in crossed:
            edit = SetDirect(interface=box.id, jack_in=port.number, jack_out=jack, gain_db=0.0)
            words = f"Monitor jack in {port.number} directly at jack out {jack} of {box.name}"
            yield Move(Port(box.id, "jack_out", jack), 1 + TIE * jack, (edit,), (words,))


def _into_a_program(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    wanted = reading.found.owner(ask.end)
    for program in reading.found.programs():
        # What runs in another program has no device, and is given none.
        if program.hosted is not None or not takes_from(program, port.owner, reading):
            continue
        if isinstance(wanted, Program) and wanted.id != program.id:
            continue
        yield from _into_this_program(port, program, reading, ask)


def _into_this_program(port: Port, program: Program, reading: Reading, ask: Ask) -> Iterator[Move]:
    number, edits, words = _shown_as(port, program, reading)
    if number is None:
        return
    if program.device is None:
        edits.append(SetDevice(program=program.id, device=port.owner))
        words.append(f"Give {program.name} the device {reading.found.name(port.owner)}")
    if program.enabled_in and number not in program.enabled_in and not edits:
        edits.append(EnableChannels(program=program.id, side="input", channels=(number,)))
        words.append(f"Enable input channel {number} in {program.name}")
    for item in program.inputs:
        for leg, channel in enumerate(item.legs, start=1):
            end = Port(item.id, "input", leg)
            if channel == number:
                if edits:
                    yield Move(end, len(edits), tuple(edits), tuple(words))
                continue
            edit = SetLeg(item=item.id, leg=leg, channel=number)
            said = f"Set input {item.name} to channel {number}"
            cost = len(edits) + 1 + _taken(channel is not None, end in reading.ports_in_use)
            yield Move(end, cost, (*edits, edit), (*words, said))
    for track in program.tracks:
        if ask.end.bank == "track" and track.id != ask.end.owner:
            continue
        yield from _new_input(port, number, program, track, edits, words, reading, ask)


def _shown_as(port: Port, program: Program, reading: Reading) -> tuple[int | None, list[Edit], list[str]]:
    """The number of a capture channel at a program's device, and what makes its driver show it."""
    found = reading.found
    streams = found.opened.get(program.id)
    way = streams.to("capture", port.owner) if streams is not None else None
    if streams is None or way is None or port.number <= way.shown("capture"):
        return found.channel(program, port), [], []
    if port.number > way.box.channels_at("capture", way.box.rate_hz):
        return None, [], []
    wider, said = wider_driver(program, way, "capture", port.number, found)
    if said is None:
        return None, [], []
    number, edits, words = way.capture_before + port.number, list(wider), [say(said, found)]
    # The names of boxes that stand behind this one in an aggregate follow them, and so does what is enabled.
    if program.enabled_in and (streams.joined or number not in program.enabled_in):
        edits.append(EnableChannels(program=program.id, side="input", channels=(number,)))
        words.append(f"Enable input channel {number} in {program.name}")
    return number, edits, words


def _shared(port: Port, reading: Reading, ask: Ask) -> float:
    """How much dearer it is to take what another sound already has to itself."""
    return TAKEN_AWAY + BESIDE if reading.ports_in_use.get(port, set()) - {ask.start} else 0.0


def _new_input(
    port: Port,
    channel: int,
    program: Program,
    track: Track,
    edits: list[Edit],
    words: list[str],
    reading: Reading,
    ask: Ask,
) -> Iterator[Move]:
    """A new input of the program, taken by a track that has none (or, dearer, takes another)."""
    leg = ask.end.number if ask.end.bank == "track" else 1
    if leg > 1 or (ask.end.bank == "in" and track.input is not None):
        return
    identity = new(1)
    source = reading.found.gear.get(ask.start.owner)
    stereo = isinstance(source, Source) and source.width == 2 and track.width == 2
    made = AddProgramPorts(
        program=program.id,
        side="input",
        names=(reading.found.name(ask.start.owner),),
        width=2 if stereo else 1,
        first_channel=channel,
        ids=(identity,),
    )
    switches = {"armed": True} if ask.end.bank == "track" else {"monitored": True, "muted": False}
    given = SetValues(item=track.id, values={"input": identity, **switches})
    said = (
        f"Add an input {made.names[0]} on channel {channel} to {program.name}",
        f"Let track {track.name} take it",
    )
    end = Port(track.id, "track" if ask.end.bank == "track" else "monitor", leg)
    cost = len(edits) + 2 + _input_taken(track, reading) + _shared(port, reading, ask)
    yield Move(end, cost, (*edits, made, given), (*words, *said))


def _onto_a_track(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    program, item, _, _ = reading.found.items[port.owner]
    for track in program.tracks:
        if track.input == port.owner or port.number > track.width:
            continue
        recording = ask.end.bank == "track"
        if recording and track.id != ask.end.owner:
            continue
        values = {
            "input": port.owner,
            **({"armed": True} if recording else {"monitored": True, "muted": False}),
        }
        cost = 1 + _input_taken(track, reading) + _shared(port, reading, ask)
        end = Port(track.id, "track" if recording else "monitor", port.number)
        yield Move(
            end,
            cost,
            (SetValues(item=track.id, values=dict(values)),),
            (f"Let track {track.name} take {item.name}",),
        )


def _taken(there: bool, in_use: bool) -> float:
    """How much dearer it is to set otherwise what is set already."""
    return IN_USE if in_use else TAKEN_AWAY if there else 0.0


def _input_taken(track: Track, reading: Reading) -> float:
    """How much dearer it is to let a track take something else."""
    in_use = any((kind, track.id) in reading.hops_in_use for kind in ("record", "to far end", "monitor"))
    return _taken(track.input is not None, in_use)


def _to_an_output(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
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
        ways: list[tuple[float, Edit, str]] = []
        edit = SetValues(item=track.id, values={"output": output.id})
        ways.append((1 + _taken(track.output is not None, in_use), edit, f"Send {side} {track.name} to {output.name}"))
        if track.output is not None and port.bank in _BEHIND_FADERS and output.id not in sent:
            send = AddSends(program=program.id, items=(track.id,), to=output.id)
            ways.append((1 + BESIDE, send, f"Send {side} {track.name} to {output.name} as well"))
        for cost, each, words in ways:
            for leg, end_leg, _ in legs_into(track.width, len(output.legs)):
                if leg == port.number:
                    yield Move(Port(output.id, "output", end_leg), cost, (each,), (words,))
    if ask.end.bank == "in" and (track.output is None or port.bank in _BEHIND_FADERS):
        yield from _to_a_new_output(port, program, track, reading, ask)


def _to_a_mix(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    """Into the mix that the asked track takes: as its own output, or as well where it has one."""
    program, item, side, _ = reading.found.items[port.owner]
    assert isinstance(item, Track | Voice | Bus)
    placed = reading.found.items[ask.end.owner]
    assert isinstance(placed.item, Track)
    mix = next((bus for bus in program.buses if bus.id == placed.item.input), None)
    sent = {send.to for send in program.sends if send.item == item.id}
    if mix is None or mix.id in (item.id, item.output, *sent) or placed.item.id == item.id:
        return
    if item.output is None:
        edit: Edit = SetValues(item=item.id, values={"output": mix.id})
    else:
        edit = AddSends(program=program.id, items=(item.id,), to=mix.id, tap="before the fader")
    words = f"Send {side} {item.name} to {mix.name}" + (" as well" if item.output is not None else "")
    for leg, end_leg, _ in legs_into(item.width, mix.width):
        if leg == port.number:
            yield Move(Port(mix.id, "bus", end_leg), 1 + BESIDE * (item.output is not None), (edit,), (words,))


BESIDE = 0.6
"""A send beside an output: a little dearer than the output itself, far less than taking away what is in use."""

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
        edits.append(EnableChannels(program=program.id, side="output", channels=missing))
        words.append(f"Enable output channels {missing[0]} to {missing[-1]} in {program.name}")
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
    """The playback channel whose jack already leads to the target's first leg; else the first of those that the program
    has for nothing else, and whose jacks lead nowhere. None if there is none.
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


def _to_a_channel(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
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
            cost = len(edits) + 1 + aside + _taken(present is not None, port in reading.ports_in_use) + TIE * channel
            edit = SetLeg(item=item.id, leg=port.number, channel=channel)
            said = f"Set output {item.name} to channel {channel}"
            yield Move(end, cost, (*edits, edit), (*words, said))


def _aside_of_the_work(program: Program, streams: OpenDevice, reading: Reading) -> float:
    """How much dearer a box is for the computer's own sounds that others work with: there is maybe another one."""
    if program.program_kind != "system sounds":
        return 0.0
    found, box = reading.found, streams.device.id
    others = any(each.id != program.id and found.reaches(each, box) for each in found.programs())
    plugged = any(patch.to_port.owner == box for patch in reading.rig.patches)
    return 1.0 if others or plugged else 0.0


def _into_a_destination(port: Port, reading: Reading, ask: Ask) -> Iterator[Move]:
    if ask.end.bank != "in":
        return
    taken = reading.graph.into(ask.end)
    if any(edge.start == port for edge in taken):
        return
    elsewhere = [edge for edge in reading.graph.leaving.get(port, ()) if HOPS[edge.kind].whose == "lead"]
    split = OTHER_LEG if any(edge.end.owner == ask.end.owner for edge in elsewhere) else SOCKET if elsewhere else 0
    parity = (port.number - ask.end.number) % 2
    in_use = any(edge.owner in reading.leads_in_use for edge in taken)
    cost = 1 + split + _taken(bool(taken), in_use) + TIE * (port.number + 5 * parity)
    words = f"Plug {reading.found.say(port)} into {reading.found.say(ask.end)}"
    if elsewhere:
        words += f" as well, by a splitter behind {reading.found.say(port)}"
    yield Move(ask.end, cost, (Plug(from_port=port, to_port=ask.end, replace=bool(taken)),), (words,))
