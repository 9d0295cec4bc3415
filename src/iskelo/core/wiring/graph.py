"""The rig as a graph of ports, compiled once per survey.

An edge says what joins two ports, with what gain and polarity, and whether sound passes now, else why not.
It holds no delay: ``timing`` computes delays from the gear, the twin produces them by its own mechanism,
and neither can borrow the other's.
"""

from dataclasses import dataclass
from typing import Literal, NamedTuple

from iskelo.core.edits.edit import Edit, EnableChannels, SetDirect, SetValues
from iskelo.core.rig.gear import Interface, Program
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Index

EdgeKind = Literal["lead in", "capture", "direct", "take", "record", "monitor", "mix", "send", "playback", "lead out"]


class Block(NamedTuple):
    """Why an edge does not pass, in words, and the edit that opens it."""

    words: str
    unblock: Edit
    unblock_words: str


class Edge(NamedTuple):
    """One hop: ``owner`` is the id of the gear, patch or track whose doing it is."""

    start: Port
    end: Port
    kind: EdgeKind
    owner: str
    gain_db: float = 0.0
    sign: int = 1
    block: Block | None = None


@dataclass(frozen=True, slots=True)
class Graph:
    """Edges by their ends. ``leaving[port]`` and ``entering[port]`` list them; ports without are absent."""

    leaving: dict[Port, list[Edge]]
    entering: dict[Port, list[Edge]]

    def edges(self) -> list[Edge]:
        return [edge for edges in self.leaving.values() for edge in edges]


def compile_graph(found: Index) -> Graph:
    """Compile a rig's ports and joins.

    Parameters
    ----------
    found
        Look-ups of a rig that holds together.

    Returns
    -------
    Graph
        Acyclic: every edge leads to a later stage (see ``STAGE``).
    """
    edges: list[Edge] = []
    for patch in found.rig.patches:
        kind: EdgeKind = "lead in" if patch.to_port.bank == "jack_in" else "lead out"
        block = None
        if patch.muted:
            said = f"the lead into {found.say(patch.to_port)} is muted"
            block = Block(said, SetValues(item=patch.id, values={"muted": False}), "Unmute the lead")
        sign = -1 if patch.inverted else 1
        edges.append(Edge(patch.from_port, patch.to_port, kind, patch.id, patch.gain_db, sign, block))
    for box in found.interfaces():
        edges += _interface_edges(box)
    for program in found.programs():
        edges += _program_edges(program, found)
    leaving: dict[Port, list[Edge]] = {}
    entering: dict[Port, list[Edge]] = {}
    for edge in edges:
        leaving.setdefault(edge.start, []).append(edge)
        entering.setdefault(edge.end, []).append(edge)
    return Graph(leaving, entering)


def input_gain_db(box: Interface, jack_in: int) -> float:
    """dBu at an input jack to dBFS behind its converter: the trim less the full-scale level.

    Example: trim 38 dB, full scale +18 dBu: -38 dBu becomes -18 dBFS.
    """
    return box.trims_db[jack_in - 1] - box.input_full_scale_dbu


def _interface_edges(box: Interface) -> list[Edge]:
    edges = [
        Edge(Port(box.id, "jack_in", n), Port(box.id, "capture", n), "capture", box.id, input_gain_db(box, n))
        for n in range(1, min(box.jack_in, box.capture) + 1)
    ]
    edges += [
        Edge(Port(box.id, "playback", n), Port(box.id, "jack_out", n), "playback", box.id)
        for n in range(1, min(box.playback, box.jack_out) + 1)
    ]
    for cross in box.direct:
        block = None
        if cross.muted:
            opened = SetDirect(interface=box.id, jack_in=cross.jack_in, jack_out=cross.jack_out, gain_db=cross.gain_db)
            where = f"from jack in {cross.jack_in} to jack out {cross.jack_out} of {box.name}"
            block = Block(f"direct monitoring {where} is muted", opened, f"Unmute direct monitoring {where}")
        start, end = Port(box.id, "jack_in", cross.jack_in), Port(box.id, "jack_out", cross.jack_out)
        edges.append(Edge(start, end, "direct", box.id, input_gain_db(box, cross.jack_in) + cross.gain_db, 1, block))
    return edges


def _program_edges(program: Program, found: Index) -> list[Edge]:
    box = found.device(program)
    edges: list[Edge] = []
    if box is not None:
        sides = (
            ("input", program.inputs, box.capture, program.enabled_in),
            ("output", program.outputs, box.playback, program.enabled_out),
        )
        for side, items, size, enabled in sides:
            on = set(enabled)
            for item in items:
                for leg, channel in enumerate(item.legs, start=1):
                    if channel is None or channel > size:
                        continue
                    block = None if channel in on else _not_enabled(program, side, channel)
                    if side == "input":
                        taken = (Port(box.id, "capture", channel), Port(item.id, "input", leg))
                        edges.append(Edge(*taken, "take", program.id, block=block))
                    else:
                        sent = (Port(item.id, "output", leg), Port(box.id, "playback", channel))
                        edges.append(Edge(*sent, "send", program.id, block=block))
    widths = {item.id: len(item.legs) for item in (*program.inputs, *program.outputs)}
    for track in program.tracks:
        if track.input is not None:
            armed = None
            if not track.armed:
                opened = SetValues(item=track.id, values={"armed": True})
                armed = Block(f"track {track.name} is not armed", opened, f"Arm track {track.name}")
            heard = _not_heard(track.id, track.name, track.monitored, track.muted)
            for leg in range(1, min(widths[track.input], track.width) + 1):
                start = Port(track.input, "input", leg)
                edges.append(Edge(start, Port(track.id, "track", leg), "record", track.id, block=armed))
                edges.append(Edge(start, Port(track.id, "monitor", leg), "monitor", track.id, block=heard))
        if track.output is not None:
            for leg, end_leg in mix_legs(track.width, widths[track.output]):
                start, end = Port(track.id, "monitor", leg), Port(track.output, "output", end_leg)
                edges.append(Edge(start, end, "mix", track.id, track.gain_db))
    return edges


def mix_legs(width: int, output_width: int) -> list[tuple[int, int]]:
    """Which leg of a track goes to which leg of its output.

    Equal widths go straight; a mono track goes to both legs of a stereo output, both legs of a stereo
    track to a mono output, each at its own level. Common practice, no published source.
    """
    if width == output_width:
        return [(leg, leg) for leg in range(1, width + 1)]
    if width == 1:
        return [(1, leg) for leg in range(1, output_width + 1)]
    return [(leg, 1) for leg in range(1, width + 1)]


def _not_enabled(program: Program, side: str, channel: int) -> Block:
    opened = EnableChannels(program=program.id, side="input" if side == "input" else "output", channels=(channel,))
    return Block(
        f"{side} channel {channel} is not enabled in {program.name}",
        opened,
        f"Enable {side} channel {channel} in {program.name}",
    )


def _not_heard(track_id: str, name: str, monitored: bool, muted: bool) -> Block | None:
    if not monitored:
        opened = SetValues(item=track_id, values={"monitored": True, "muted": False})
        return Block(f"track {name} is not monitored", opened, f"Monitor track {name}")
    if muted:
        opened = SetValues(item=track_id, values={"muted": False})
        return Block(f"track {name} is muted", opened, f"Unmute track {name}")
    return None
