"""The rig as a graph of ports, compiled once per survey.

An edge says what joins two ports, with what gain and polarity, and whether sound passes now, else why not.
It holds no delay: ``timing`` computes delays from the gear, the twin produces them by its own mechanism,
and neither can borrow the other's.
"""

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from functools import cached_property, partial
from typing import Literal, NamedTuple

from iskelo.core.edits.edit import SetDirect
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixing import legs_into
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import CLOCK_BANKS, Bank, Port
from iskelo.core.rig.programs import PanLaw, Program, ProgramPort, Send, Track
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.ways import Opening
from iskelo.core.wiring.blocks import (
    Block,
    Setting,
    Side,
    bus_in_a_circle,
    bus_muted,
    buses_in_circles,
    not_enabled,
    not_heard,
    not_running,
    not_shown,
    not_supplied,
    send_off,
    shut_way,
    track_muted,
)
from iskelo.core.wiring.hops import LEADS, HopKind
from iskelo.core.wiring.knots import Knot, knots


class Edge(NamedTuple):
    """One hop: ``owner`` is the id of the gear, patch or track whose doing it is."""

    start: Port
    end: Port
    kind: HopKind
    owner: str
    gain_db: float = 0.0
    sign: int = 1
    block: Block | None = None


_edge: Callable[[tuple[Port, Port, HopKind, str, float, int, Block | None]], Edge] = partial(tuple.__new__, Edge)
"""An edge from all its parts, without a Python call: a large rig has thousands of them."""


class Graph:
    """Edges by their ends: ``leaving[port]`` lists those that begin there, ``into(port)`` those that end there.

    ``parts`` are the edges by what makes them: a lead, a box or a program.
    """

    def __init__(self, parts: dict[str, list[Edge]], back: Sequence[Port] = ()) -> None:
        """``back``: where leads go into a box again, by which sound might go round."""
        self.parts = parts
        self._back = back
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

    @cached_property
    def knots(self) -> tuple[Knot, ...]:
        """Where sound goes round."""
        return knots(self.leaving, self._back) if self._back else ()

    @cached_property
    def knotted(self) -> frozenset[Port]:
        """The ports of all knots."""
        return frozenset(port for knot in self.knots for port in knot.ports)

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
        Its edges lead from sources to destinations, except where a lead goes back from an output to an input.
    """
    parts: dict[str, list[Edge]] = {}
    old = before.parts if before is not None else {}
    back: list[Port] = []
    for patch in found.rig.patches:
        if patch.to_port.bank in CLOCK_BANKS:
            continue
        same = patch.id in old and not {patch.from_port.owner, patch.to_port.owner} & touched
        parts[patch.id] = old[patch.id] if same else [_lead(patch, found)]
        if patch.to_port.bank == "jack_in" and patch.from_port.bank != "out":
            back.append(patch.to_port)
    for box in found.interfaces():
        parts[box.id] = old[box.id] if box.id in old and box.id not in touched else _interface_edges(box)
    for outboard in found.outboards:
        same = outboard.id in old and outboard.id not in touched
        parts[outboard.id] = old[outboard.id] if same else _outboard_edges(outboard)
    for program in found.programs():
        same = program.id in old and program.id not in touched
        parts[program.id] = old[program.id] if same else _program_edges(program, found)
    return Graph(parts, back)


def _lead(patch: Patch, found: Index) -> Edge:
    kind = LEADS[patch.from_port.bank, patch.to_port.bank]
    block = None
    if patch.muted:
        said = f"the lead into {found.say(patch.to_port)} is muted"
        block = Block(said, Setting(patch.id, {"muted": False}), "Unmute the lead")
    elif patch.from_port.bank == "out":
        block = not_supplied(found, patch)
    sign = -1 if patch.inverted else 1
    return _edge((patch.from_port, patch.to_port, kind, patch.id, patch.gain_db, sign, block))


def input_gain_db(box: Interface, jack_in: int) -> float:
    """dBu at an input jack to dBFS behind its converter: the trim less the full-scale level.

    Example: trim 38 dB, full scale +18 dBu: -38 dBu becomes -18 dBFS.
    """
    return box.trims_db[jack_in - 1] - box.input_full_scale_dbu


def output_gain_db(box: Interface, jack_out: int) -> float:
    """dBFS before an output jack's converter to dBu there: the full-scale level and the trim."""
    return box.output_full_scale_dbu + box.output_trims_db[jack_out - 1]


def _outboard_edges(outboard: Outboard) -> list[Edge]:
    return [
        _edge((start, end, "outboard", outboard.id, outboard.gain_db, 1, None))
        for start, end in zip(
            _legs(outboard.id, "outboard_in", outboard.width),
            _legs(outboard.id, "outboard_out", outboard.width),
            strict=True,
        )
    ]


def _interface_edges(box: Interface) -> list[Edge]:
    box_id, less_db, full_db = box.id, box.input_full_scale_dbu, box.output_full_scale_dbu
    edges = [
        _edge((Port(box_id, "jack_in", n), Port(box_id, "capture", n), "capture", box_id, trim_db - less_db, 1, None))
        for n, trim_db in enumerate(box.trims_db[: min(box.jack_in, box.capture)], start=1)
    ]
    edges += [
        _edge(
            (Port(box_id, "playback", n), Port(box_id, "jack_out", n), "playback", box_id, trim_db + full_db, 1, None)
        )
        for n, trim_db in enumerate(box.output_trims_db[: min(box.playback, box.jack_out)], start=1)
    ]
    for cross in box.direct:
        block = None
        if cross.muted:
            opened = SetDirect(interface=box.id, jack_in=cross.jack_in, jack_out=cross.jack_out, gain_db=cross.gain_db)
            where = f"from jack in {cross.jack_in} to jack out {cross.jack_out} of {box.name}"
            block = Block(f"direct monitoring {where} is muted", opened, f"Unmute direct monitoring {where}")
        start, end = Port(box.id, "jack_in", cross.jack_in), Port(box.id, "jack_out", cross.jack_out)
        gain_db = input_gain_db(box, cross.jack_in) + cross.gain_db + output_gain_db(box, cross.jack_out)
        edges.append(_edge((start, end, "direct", box.id, gain_db, 1, block)))
    return edges


def _device_edges(program: Program, opening: Opening, found: Index) -> list[Edge]:
    """What a program takes from the boxes behind its device, and what it sends to them."""
    edges: list[Edge] = []
    sides: tuple[tuple[Side, tuple[ProgramPort, ...], Literal["capture", "playback"], tuple[int, ...]], ...] = (
        ("input", program.inputs, "capture", program.enabled_in),
        ("output", program.outputs, "playback", program.enabled_out),
    )
    shut = [shut_way(program, opening, way, found) for way in opening.ways]
    for side, items, bank, enabled in sides:
        on = set(enabled)
        places = {
            channel: (way, number, block)
            for way, block in zip(opening.ways, shut, strict=True)
            for number, channel in enumerate(way.channels(bank), start=1)
        }
        for item in items:
            for leg, channel in enumerate(item.legs, start=1):
                if channel is None or channel not in places:
                    continue
                way, number, block = places[channel]
                box_id = way.box.id
                if block is None and number > way.shown(bank):
                    block = not_shown(program, way, bank, number, found)
                if block is None and channel not in on:
                    block = not_enabled(program, side, channel)
                box_end, end = Port(box_id, bank, number), Port(item.id, side, leg)
                if side == "input":
                    edges.append(_edge((box_end, end, "from device", program.id, 0.0, 1, block)))
                else:
                    edges.append(_edge((end, box_end, "to device", program.id, 0.0, 1, block)))
    return edges


def _program_edges(program: Program, found: Index) -> list[Edge]:
    opening = found.opened.get(program.id)
    law = program.pan_law
    given: dict[str, list[Send]] = {}
    for send in program.sends:
        given.setdefault(send.item, []).append(send)
    edges = _device_edges(program, opening, found) if opening is not None else []
    starts = {item.id: _legs(item.id, "input", len(item.legs)) for item in program.inputs}
    sinks = {item.id: _legs(item.id, "output", len(item.legs)) for item in program.outputs}
    sinks |= {bus.id: _legs(bus.id, "bus", bus.width) for bus in program.buses}
    starts |= {bus.id: _legs(bus.id, "bus_out", bus.width) for bus in program.buses}
    taken = {track.input for track in program.tracks}
    refused = refused_to_arm(program)
    for track in program.tracks:
        monitor, sends = _legs(track.id, "monitor", track.width), given.get(track.id, ())
        if track.input is not None:
            armed = None
            if not track.armed:
                opened = Setting(track.id, {"armed": True})
                armed = Block(f"track {track.name} is not armed", opened, f"Arm track {track.name}")
            elif track.id in refused:
                other = refused[track.id]
                opened = Setting(other.id, {"armed": False})
                said = f"{program.name} arms a channel on one track only, and {other.name} has it"
                armed = Block(said, opened, f"Disarm track {other.name}")
            if track.input in sinks:
                # What comes from a named input has met its device on the way; a mix runs only if the program does.
                armed = armed or not_running(program, opening, found)
            heard = not_heard(track, program)
            for leg, (start, end) in enumerate(zip(starts[track.input], monitor, strict=False), start=1):
                edges.append(_edge((start, Port(track.id, "track", leg), "record", track.id, 0.0, 1, armed)))
                edges.append(_edge((start, end, "monitor", track.id, 0.0, 1, heard)))
        if track.output is not None or sends:
            post, muted = _legs(track.id, "post", track.width), track_muted(track)
            edges += [
                _edge((start, end, "fader", track.id, track.gain_db, 1, muted))
                for start, end in zip(monitor, post, strict=True)
            ]
            if track.output is not None:
                edges += _mixed("mix", track.id, post, sinks[track.output], (law, track.pan))
            edges += _sent(sends, monitor, post, sinks, (law, track.pan))
    for voice in program.voices:
        legs = _legs(voice.id, "voice", voice.width)
        if voice.output is not None:
            edges += _mixed("mix", voice.id, legs, sinks[voice.output], (law, voice.pan))
        edges += _sent(given.get(voice.id, ()), legs, legs, sinks, (law, voice.pan))
    circles = buses_in_circles(program) if program.buses else set()
    for bus in program.buses:
        sends = given.get(bus.id, ())
        if bus.output is None and not sends and bus.id not in taken:
            continue
        legs, post = sinks[bus.id], _legs(bus.id, "bus_out", bus.width)
        shut = bus_in_a_circle(program, bus, circles) if bus.id in circles else None
        muted = shut or bus_muted(bus)
        edges += [
            _edge((start, end, "fader", bus.id, bus.gain_db, 1, muted)) for start, end in zip(legs, post, strict=True)
        ]
        if bus.output is not None:
            edges += _mixed("mix", bus.id, post, sinks[bus.output])
        edges += _sent(sends, legs, post, sinks, (law, None), shut)
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


def _legs(owner: str, bank: Bank, width: int) -> tuple[Port, ...]:
    if width == 1:
        return (Port(owner, bank, 1),)
    return tuple([Port(owner, bank, leg) for leg in range(1, width + 1)])


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
        _edge((legs[leg - 1], into[end_leg - 1], kind, owner, gain_db + turned_db, 1, block))
        for leg, end_leg, turned_db in legs_into(len(legs), len(into), *panned)
    ]
