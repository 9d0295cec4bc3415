"""The rig as a graph of ports, compiled once per survey.

An edge says what joins two ports, with what gain and polarity, and whether sound passes now, else why not.
It holds no delay: ``timing`` computes delays from the gear, the twin produces them by its own mechanism,
and neither can borrow the other's.
"""

from collections import defaultdict
from collections.abc import Callable, Mapping
from functools import cache, cached_property, partial
from typing import Literal, NamedTuple

from pydantic import JsonValue

from iskelo.core.edits.edit import Edit, EnableChannels, SetDevice, SetDirect, SetJack, SetValues
from iskelo.core.rig.gear import Aggregate, Interface, Source
from iskelo.core.rig.ports import CLOCK_BANKS, Bank, Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Track
from iskelo.core.rig.rig import Hindrance, Index, Patch
from iskelo.core.rig.ways import Opening, Way, driver_of

EdgeKind = Literal["lead in", "capture", "direct", "take", "record", "monitor", "mix", "send", "playback", "lead out"]


Side = Literal["input", "output"]


class Setting(NamedTuple):
    """A ``SetValues`` yet to be made: nobody asks for most of them, and an edit is checked as it is made."""

    item: str
    values: Mapping[str, JsonValue]


class Block(NamedTuple):
    """Why an edge does not pass, in words, and the edit that opens it, if one does."""

    words: str
    opens: Edit | Setting | None
    unblock_words: str

    @property
    def unblock(self) -> Edit | None:
        if isinstance(self.opens, Setting):
            return SetValues(item=self.opens.item, values=dict(self.opens.values))
        return self.opens


class Edge(NamedTuple):
    """One hop: ``owner`` is the id of the gear, patch or track whose doing it is."""

    start: Port
    end: Port
    kind: EdgeKind
    owner: str
    gain_db: float = 0.0
    sign: int = 1
    block: Block | None = None


_edge: Callable[[tuple[Port, Port, EdgeKind, str, float, int, Block | None]], Edge] = partial(tuple.__new__, Edge)
"""An edge from all its parts, without a Python call: a large rig has thousands of them."""


class Graph:
    """Edges by their ends: ``leaving[port]`` lists those that begin there, ``into(port)`` those that end there.

    ``parts`` are the edges by what makes them: a lead, a box or a program.
    """

    def __init__(self, parts: dict[str, list[Edge]]) -> None:
        self.parts = parts
        leaving: defaultdict[Port, list[Edge]] = defaultdict(list)
        for edges in parts.values():
            for edge in edges:
                leaving[edge.start].append(edge)
        self.leaving: dict[Port, list[Edge]] = dict(leaving)

        self._into: dict[str, dict[Port, list[Edge]]] = {}

    def into(self, port: Port) -> list[Edge]:
        """The edges that end at a port. Few are ever asked for, so they are sorted an owner at a time."""
        sorted_in = self._into.get(port.owner)
        if sorted_in is None:
            sorted_in = {}
            for edge in self._ending.get(port.owner, ()):
                sorted_in.setdefault(edge.end, []).append(edge)
            self._into[port.owner] = sorted_in
        return sorted_in.get(port, [])

    @cached_property
    def _ending(self) -> dict[str, list[Edge]]:
        """The edges by the owners of the ports where they end."""
        ending: defaultdict[str, list[Edge]] = defaultdict(list)
        for edges in self.parts.values():
            for edge in edges:
                ending[edge.end.owner].append(edge)
        return dict(ending)

    def ports(self) -> set[Port]:
        """Every port at which something is joined."""
        return {*self.leaving, *(edge.end for edges in self.leaving.values() for edge in edges)}

    def edges(self) -> list[Edge]:
        return [edge for edges in self.leaving.values() for edge in edges]


def compile_graph(found: Index, before: Graph | None = None, touched: frozenset[str] = frozenset()) -> Graph:
    """Compile a rig's ports and joins.

    Parameters
    ----------
    found
        Look-ups of a rig that holds together.
    before, touched
        The graph of the rig as it was, and the gear that has changed since (see ``lines.context``): what
        is made by none of it is taken over.

    Returns
    -------
    Graph
        Acyclic: every edge leads to a later stage (see ``STAGE``).
    """
    parts: dict[str, list[Edge]] = {}
    old = before.parts if before is not None else {}
    for patch in found.rig.patches:
        if patch.to_port.bank in CLOCK_BANKS:
            continue
        same = patch.id in old and not {patch.from_port.owner, patch.to_port.owner} & touched
        parts[patch.id] = old[patch.id] if same else [_lead(patch, found)]
    for box in found.interfaces():
        parts[box.id] = old[box.id] if box.id in old and box.id not in touched else _interface_edges(box)
    for program in found.programs():
        same = program.id in old and program.id not in touched
        parts[program.id] = old[program.id] if same else _program_edges(program, found)
    return Graph(parts)


def _lead(patch: Patch, found: Index) -> Edge:
    kind: EdgeKind = "lead in" if patch.to_port.bank == "jack_in" else "lead out"
    block = None
    if patch.muted:
        said = f"the lead into {found.say(patch.to_port)} is muted"
        block = Block(said, Setting(patch.id, {"muted": False}), "Unmute the lead")
    elif kind == "lead in":
        block = _not_supplied(found, patch)
    sign = -1 if patch.inverted else 1
    return _edge((patch.from_port, patch.to_port, kind, patch.id, patch.gain_db, sign, block))


def _not_supplied(found: Index, patch: Patch) -> Block | None:
    """A microphone that needs a supply gives nothing at a jack where it is off."""
    source, box = found.gear[patch.from_port.owner], found.gear[patch.to_port.owner]
    assert isinstance(box, Interface)
    jack = patch.to_port.number
    if not isinstance(source, Source) or not source.needs_phantom or jack in box.phantom_on:
        return None
    if jack > box.able_jacks("phantom"):
        said = f"{source.name} needs phantom supply, and {found.say(patch.to_port)} has none"
        return Block(said, None, "")
    on = SetJack(interface=box.id, jack_in=jack, phantom=True)
    said = f"{source.name} needs phantom supply, and it is off at {found.say(patch.to_port)}"
    return Block(said, on, f"Switch phantom supply on at {found.say(patch.to_port)}")


def input_gain_db(box: Interface, jack_in: int) -> float:
    """dBu at an input jack to dBFS behind its converter: the trim less the full-scale level.

    Example: trim 38 dB, full scale +18 dBu: -38 dBu becomes -18 dBFS.
    """
    return box.trims_db[jack_in - 1] - box.input_full_scale_dbu


def _interface_edges(box: Interface) -> list[Edge]:
    box_id, less_db = box.id, box.input_full_scale_dbu
    edges = [
        _edge((Port(box_id, "jack_in", n), Port(box_id, "capture", n), "capture", box_id, trim_db - less_db, 1, None))
        for n, trim_db in enumerate(box.trims_db[: min(box.jack_in, box.capture)], start=1)
    ]
    edges += [
        _edge((Port(box_id, "playback", n), Port(box_id, "jack_out", n), "playback", box_id, trim_db, 1, None))
        for n, trim_db in enumerate(box.output_trims_db[: min(box.playback, box.jack_out)], start=1)
    ]
    for cross in box.direct:
        block = None
        if cross.muted:
            opened = SetDirect(interface=box.id, jack_in=cross.jack_in, jack_out=cross.jack_out, gain_db=cross.gain_db)
            where = f"from jack in {cross.jack_in} to jack out {cross.jack_out} of {box.name}"
            block = Block(f"direct monitoring {where} is muted", opened, f"Unmute direct monitoring {where}")
        start, end = Port(box.id, "jack_in", cross.jack_in), Port(box.id, "jack_out", cross.jack_out)
        gain_db = input_gain_db(box, cross.jack_in) + cross.gain_db + box.output_trims_db[cross.jack_out - 1]
        edges.append(_edge((start, end, "direct", box.id, gain_db, 1, block)))
    return edges


def _device_edges(program: Program, opening: Opening, found: Index) -> list[Edge]:
    """What a program takes from the boxes behind its device, and what it sends to them."""
    edges: list[Edge] = []
    sides: tuple[tuple[Side, tuple[ProgramPort, ...], Literal["capture", "playback"], tuple[int, ...]], ...] = (
        ("input", program.inputs, "capture", program.enabled_in),
        ("output", program.outputs, "playback", program.enabled_out),
    )
    shut = [_shut(program, opening, way, found) for way in opening.ways]
    for side, items, bank, enabled in sides:
        on = set(enabled)
        places = {
            channel: (way, number, block)
            for way, block in zip(opening.ways, shut, strict=True)
            for number, channel in enumerate(way.channels(bank), start=1)
        }
        shown = {way.box.id: way.box.shown(way.driver, bank) for way in opening.ways}
        for item in items:
            for leg, channel in enumerate(item.legs, start=1):
                if channel is None or channel not in places:
                    continue
                way, number, block = places[channel]
                box_id = way.box.id
                if block is None and number > shown[box_id]:
                    block = _not_shown(program, way, bank, number, found)
                if block is None and channel not in on:
                    block = _not_enabled(program, side, channel)
                box_end, end = Port(box_id, bank, number), Port(item.id, side, leg)
                if side == "input":
                    edges.append(_edge((box_end, end, "take", program.id, 0.0, 1, block)))
                else:
                    edges.append(_edge((end, box_end, "send", program.id, 0.0, 1, block)))
    return edges


def _program_edges(program: Program, found: Index) -> list[Edge]:
    opening = found.opened.get(program.id)
    edges = _device_edges(program, opening, found) if opening is not None else []
    starts = {item.id: _legs(item.id, "input", len(item.legs)) for item in program.inputs}
    sinks = {item.id: _legs(item.id, "output", len(item.legs)) for item in program.outputs}
    sinks |= {bus.id: _legs(bus.id, "bus", bus.width) for bus in program.buses}
    first_armed: dict[str, Track] = {}
    for track in program.tracks:
        monitor = _legs(track.id, "monitor", track.width)
        if track.input is not None:
            armed = None
            if not track.armed:
                opened = Setting(track.id, {"armed": True})
                armed = Block(f"track {track.name} is not armed", opened, f"Arm track {track.name}")
            elif program.one_track_per_input and track.input in first_armed:
                other = first_armed[track.input]
                opened = Setting(other.id, {"armed": False})
                said = f"{program.name} arms an input on one track only, and {other.name} has it"
                armed = Block(said, opened, f"Disarm track {other.name}")
            else:
                first_armed[track.input] = track
            heard = _not_heard(track)
            for leg, (start, end) in enumerate(zip(starts[track.input], monitor, strict=False), start=1):
                edges.append(_edge((start, Port(track.id, "track", leg), "record", track.id, 0.0, 1, armed)))
                edges.append(_edge((start, end, "monitor", track.id, 0.0, 1, heard)))
        if track.output is not None:
            edges += _mixed(track.id, monitor, sinks[track.output], track.gain_db)
    for voice in program.voices:
        if voice.output is not None:
            edges += _mixed(voice.id, _legs(voice.id, "voice", voice.width), sinks[voice.output])
    for bus in program.buses:
        if bus.output is not None:
            edges += _mixed(bus.id, sinks[bus.id], sinks[bus.output], bus.gain_db, _bus_shut(program, bus))
    return edges


def _legs(owner: str, bank: Bank, width: int) -> tuple[Port, ...]:
    if width == 1:
        return (Port(owner, bank, 1),)
    return tuple([Port(owner, bank, leg) for leg in range(1, width + 1)])


def _mixed(
    owner: str, legs: tuple[Port, ...], into: tuple[Port, ...], gain_db: float = 0.0, block: Block | None = None
) -> list[Edge]:
    """What a track, a voice or a bus sends to an output or a bus."""
    return [
        _edge((legs[leg - 1], into[end_leg - 1], "mix", owner, gain_db, 1, block))
        for leg, end_leg in mix_legs(len(legs), len(into))
    ]


@cache
def mix_legs(width: int, output_width: int) -> tuple[tuple[int, int], ...]:
    """Which leg of a track goes to which leg of its output.

    Equal widths go straight; a mono track goes to both legs of a stereo output, both legs of a stereo
    track to a mono output, each at its own level. Common practice, no published source.
    """
    if width == output_width:
        return tuple((leg, leg) for leg in range(1, width + 1))
    if width == 1:
        return tuple((1, leg) for leg in range(1, output_width + 1))
    return tuple((leg, 1) for leg in range(1, width + 1))


def _shut(program: Program, opening: Opening, way: Way, found: Index) -> Block | None:
    """Why nothing at all passes between a program and a box of its device; without the one that calls, none does."""
    caller = opening.caller
    assert caller is not None
    for each in (way, caller):
        hindrance = found.hindrance(opening, each)
        if hindrance:
            return _hindered(program, opening, each, hindrance, found)
    return None


def _hindered(program: Program, opening: Opening, way: Way, hindrance: Hindrance, found: Index) -> Block:
    box, driver = way.box, way.driver
    match hindrance:
        case "not connected":
            said = f"{box.name} is not connected to the computer"
            return Block(said, Setting(box.id, {"connected": True}), f"Connect {box.name}")
        case "own period":
            said = f"the {driver.kind} driver of {box.name} works in periods of its own, so it cannot be joined"
            without = Setting(driver.id, {"engine_samples": None})
            return Block(said, without, f"Say that the driver of {box.name} has no period of its own")
        case "buffer":
            return not_offered(way, found)
        case "not installed":
            said = f"the {driver.kind} driver of {box.name} is not installed"
            install = Setting(driver.id, {"installed": True})
            return Block(said, install, f"Install the {driver.kind} driver of {box.name}")
        case "other rate":
            rate_hz, name = opening.device.rate_hz, opening.device.name
            said = f"{box.name} runs at {box.rate_hz / 1000:g} kHz, and {name} at {rate_hz / 1000:g}"
            if rate_hz not in box.rates_hz:
                return Block(said, None, "")
            same = Setting(box.id, {"rate_hz": rate_hz})
            return Block(said, same, f"Run {box.name} at {rate_hz / 1000:g} kHz")
    return _held(program, way, found)


def _held(program: Program, way: Way, found: Index) -> Block:
    box, driver, holder = way.box, way.driver, found.holder(way)
    assert holder is not None
    said = f"{holder.name} holds the {driver.kind} driver of {box.name}, which takes one program at a time"
    free = [each for each in box.drivers if each.installed and found.in_the_way(each, program) is None]
    if free and _opens_by(program, box):
        other = SetDevice(program=program.id, device=box.id, driver=free[0].id)
        return Block(said, other, f"Let {program.name} open {box.name} by its {free[0].kind} driver")
    let_go = SetDevice(program=holder.id, device=None)
    return Block(said, let_go, f"Take {box.name} away from {holder.name}")


def _opens_by(program: Program, box: Interface) -> bool:
    """Whether the box is the program's only device, so that the program could open it by another driver."""
    return program.device == box.id and program.output_device is None


def not_offered(way: Way, found: Index) -> Block:
    """A member does not offer the buffer of its aggregate: the nearest one that all members do."""
    name = found.name(way.client)
    said = f"{way.box.name} does not offer the buffer {way.buffer_samples} of {name}"
    shared = [size for size in way.driver.buffers_samples if _all_offer(way.client, size, found)]
    if not shared:
        return Block(said, None, "")
    nearest = min(shared, key=lambda size: abs(size - way.buffer_samples))
    edit = Setting(way.client, {"buffer_samples": nearest})
    return Block(said, edit, f"Run {name} at a buffer of {nearest}")


def _all_offer(aggregate: str, size: int, found: Index) -> bool:
    joined = found.gear[aggregate]
    assert isinstance(joined, Aggregate)
    boxes = ((found.gear[member.device], member.driver) for member in joined.members)
    return all(size in driver_of(box, driver).buffers_samples for box, driver in boxes if isinstance(box, Interface))


def _not_shown(program: Program, way: Way, bank: Literal["capture", "playback"], channel: int, found: Index) -> Block:
    box, driver = way.box, way.driver
    if channel > box.channels_at(bank, box.rate_hz):
        said = f"at {box.rate_hz / 1000:g} kHz {box.name} has {box.channels_at(bank, box.rate_hz)} {bank} channels"
        rates = [rate for rate in box.rates_hz if box.channels_at(bank, rate) >= channel]
        if not rates:
            return Block(f"{said}, not {channel}", None, "")
        slower = Setting(box.id, {"rate_hz": rates[-1]})
        return Block(f"{said}, not {channel}", slower, f"Run {box.name} at {rates[-1] / 1000:g} kHz")
    said = f"the {driver.kind} driver of {box.name} shows {box.shown(driver, bank)} {bank} channels, not {channel}"
    for other in box.drivers if _opens_by(program, box) else ():
        if other.installed and box.shown(other, bank) >= channel and found.in_the_way(other, program) is None:
            edit = SetDevice(program=program.id, device=box.id, driver=other.id)
            return Block(said, edit, f"Let {program.name} open {box.name} by its {other.kind} driver")
    return Block(said, None, "")


def _bus_shut(program: Program, bus: Bus) -> Block | None:
    """Why a bus passes nothing on: it is muted, or what it feeds leads back to it and the program stops that."""
    if bus.id in buses_in_circles(program):
        off = Setting(bus.id, {"output": None})
        return Block(f"bus {bus.name} feeds itself", off, f"Take bus {bus.name} off what it feeds")
    if bus.muted:
        opened = Setting(bus.id, {"muted": False})
        return Block(f"bus {bus.name} is muted", opened, f"Unmute bus {bus.name}")
    return None


def buses_in_circles(program: Program) -> set[str]:
    """The buses that feed themselves, straight or through others."""
    onward = {bus.id: bus.output for bus in program.buses}
    found = set()
    for start, first in onward.items():
        at, seen = first, {start}
        while at is not None and at in onward and at not in seen:
            seen.add(at)
            at = onward[at]
        if at == start:
            found.add(start)
    return found


def _not_enabled(program: Program, side: Side, channel: int) -> Block:
    opened = EnableChannels(program=program.id, side=side, channels=(channel,))
    return Block(
        f"{side} channel {channel} is not enabled in {program.name}",
        opened,
        f"Enable {side} channel {channel} in {program.name}",
    )


def _not_heard(track: Track) -> Block | None:
    if not track.monitored:
        opened = Setting(track.id, {"monitored": True, "muted": False})
        return Block(f"track {track.name} is not monitored", opened, f"Monitor track {track.name}")
    if track.muted:
        opened = Setting(track.id, {"muted": False})
        return Block(f"track {track.name} is muted", opened, f"Unmute track {track.name}")
    return None
