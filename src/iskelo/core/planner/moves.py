"""The steps a signal could take from a port: what is patched already, and what one edit would add.

What leads into a program and onto its tracks is here; what leads out of one in ``output_moves``.
"""

from collections.abc import Iterator

from pydantic import JsonValue

from iskelo.core.edits.additions import AddFeed, AddProgramPorts, AddReturns
from iskelo.core.edits.edit import Edit, SetDevice, SetDirect, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.planner.jack_moves import into_a_jack, into_what_is_named, takes_from
from iskelo.core.planner.move import BESIDE, TAKEN_AWAY, TIE, Ask, Move, otherwise
from iskelo.core.planner.output_moves import into_a_destination, to_a_channel, to_a_mix, to_an_output
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.mixers import Strip
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.wiring.blocks import wider_driver
from iskelo.core.wiring.enabling import enabling
from iskelo.core.wiring.hops import HopKind
from iskelo.core.words.say import say, say_unblock

CHANNELS_TRIED = 4
"""So many of the free channels of a mixer are considered."""

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
    return ask.end.bank == "track" and reading.found.mix_of(ask.end.owner) is not None


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
    if ask.through and port.bank in ("out", "outboard_out", "jack_out"):
        yield from into_what_is_named(port, reading, ask)
    match port.bank:
        case "out":
            yield from into_a_jack(port, reading, ask)
        case "outboard_out":
            yield from into_a_jack(port, reading, ask)
            yield from into_a_destination(port, reading, ask)
        case "jack_in" if ask.end.bank == "in" and ask.direct:
            yield from _straight_across(port, reading)
        case "preamp" if ask.end.bank == "track":
            yield from _rawto_a_channel(port, reading)
        case "strip_pre" | "strip_post" if ask.end.bank == "in":
            yield from _into_a_mix(port, reading)
        case "capture":
            yield from _into_a_program(port, reading, ask)
        case "input":
            yield from _onto_a_track(port, reading, ask)
        case "monitor" | "post" | "voice" | "bus" | "bus_pre" | "bus_out" if ask.end.bank == "in" or cabled:
            yield from to_an_output(port, reading, ask)
        case "monitor" | "post" | "voice" | "bus_out" if mixed:
            yield from to_a_mix(port, reading, ask)
        case "output" if by_host(ask, reading) and port.owner in _of(reading, ask.start):
            yield from _by_a_return(port, reading, ask)
        case "output":
            yield from to_a_channel(port, reading, ask)
        case "jack_out":
            yield from into_a_destination(port, reading, ask)


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


def _rawto_a_channel(port: Port, reading: Reading) -> Iterator[Move]:
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
        opened = enabling(program, "input", (number,))
        if opened is None:
            return
        edits += opened[0]
        words.append(say(opened[1], reading.found))
    for item in program.inputs:
        for leg, channel in enumerate(item.legs, start=1):
            end = Port(item.id, "input", leg)
            if channel == number:
                if edits:
                    yield Move(end, len(words), tuple(edits), tuple(words))
                continue
            edit = SetLeg(item=item.id, leg=leg, channel=number)
            said = f"Set input {item.name} to channel {number}"
            cost = len(words) + 1 + otherwise(channel is not None, end in reading.ports_in_use)
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
        opened = enabling(program, "input", (number,))
        if opened is None:
            return None, [], []
        edits += opened[0]
        words.append(say(opened[1], found))
    return number, edits, words


def _shared(port: Port, reading: Reading, ask: Ask) -> float:
    """Tell how much dearer it is to take an input or channel that another line uses."""
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
    # What several sources come by is most likely a mix, and that is as wide as the track.
    stereo = track.width == 2 and (bool(ask.named) or (isinstance(source, Source) and source.width == 2))
    made = AddProgramPorts(
        program=program.id,
        side="input",
        names=(ask.named or reading.found.name(ask.start.owner),),
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
    cost = len(words) + 2 + _input_taken(track, reading) + _shared(port, reading, ask)
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


def _input_taken(track: Track, reading: Reading) -> float:
    """How much dearer it is to let a track take something else."""
    in_use = any((kind, track.id) in reading.hops_in_use for kind in ("record", "to far end", "monitor"))
    return otherwise(track.input is not None, in_use)
