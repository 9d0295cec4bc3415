"""The rig as a graph of ports, compiled once per survey.

An edge says what joins two ports, with what gain and polarity, and whether sound passes now, else why not.
It holds no delay: ``timing`` computes delays from the gear, the twin produces them by its own mechanism,
and neither can borrow the other's.
"""

from collections import defaultdict
from collections.abc import Sequence
from functools import cached_property

from iskelo.core.edits.edit import SetDirect
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Patch
from iskelo.core.values import fact
from iskelo.core.wiring.blocks import (
    Block,
    Setting,
    not_supplied,
)
from iskelo.core.wiring.edge import Edge, edge_of, input_gain_db, lead_gain_db, legs_of, output_gain_db
from iskelo.core.wiring.hops import LEADS
from iskelo.core.wiring.knots import Knot, knots
from iskelo.core.wiring.mixer_edges import mixer_edges
from iskelo.core.wiring.program_edges import program_edges


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
    for patch in found.leads("audio"):
        same = patch.id in old and not {patch.from_port.owner, patch.to_port.owner} & touched
        parts[patch.id] = old[patch.id] if same else [_lead(patch, found)]
        if patch.to_port.bank == "jack_in" and patch.from_port.bank != "out":
            back.append(patch.to_port)
    for box in found.interfaces():
        if box.mixer is not None:
            back += _taken_again(box.mixer)
        if box.cable is not None:
            back += legs_of(box.id, "capture", box.capture)
        parts[box.id] = old[box.id] if box.id in old and box.id not in touched else _interface_edges(box)
    for outboard in found.outboards:
        same = outboard.id in old and outboard.id not in touched
        parts[outboard.id] = old[outboard.id] if same else _outboard_edges(outboard)
    for program in found.programs():
        same = program.id in old and program.id not in touched
        parts[program.id] = old[program.id] if same else program_edges(program, found)
    return Graph(parts, back)


def _lead(patch: Patch, found: Index) -> Edge:
    kind = LEADS[patch.from_port.bank, patch.to_port.bank]
    block = None
    if patch.muted:
        opened = Setting(patch.id, {"muted": False})
        block = Block(fact("lead muted", end=patch.to_port), patch.id, opened, fact("unmute lead"))
    elif patch.from_port.bank == "out":
        block = not_supplied(found, patch)
    sign = -1 if patch.inverted else 1
    gain_db = lead_gain_db(patch, found.gear[patch.from_port.owner])
    return edge_of((patch.from_port, patch.to_port, kind, patch.id, gain_db, sign, block))


def _outboard_edges(outboard: Outboard) -> list[Edge]:
    return [
        edge_of((start, end, "outboard", outboard.id, outboard.gain_db, 1, None))
        for start, end in zip(
            legs_of(outboard.id, "outboard_in", outboard.width),
            legs_of(outboard.id, "outboard_out", outboard.width),
            strict=True,
        )
    ]


def _taken_again(mixer: Mixer) -> list[Port]:
    """Where strips take what has been given out before: from the computer, from mixes, from inserts."""
    return [
        Port(strip.id, "strip_direct", leg)
        for strip in mixer.strips
        for leg, source in enumerate(strip.sources, start=1)
        if source.bank != "jack_in"
    ]


def _interface_edges(box: Interface) -> list[Edge]:
    if box.mixer is not None:
        return mixer_edges(box, box.mixer)
    if box.cable is not None:
        ends = zip(legs_of(box.id, "playback", box.playback), legs_of(box.id, "capture", box.capture), strict=True)
        return [edge_of((start, end, "cable", box.id, 0.0, 1, None)) for start, end in ends]
    box_id, less_db, full_db = box.id, box.input_full_scale_dbu, box.output_full_scale_dbu
    edges = [
        edge_of((Port(box_id, "jack_in", n), Port(box_id, "capture", n), "capture", box_id, trim_db - less_db, 1, None))
        for n, trim_db in enumerate(box.trims_db[: min(box.jack_in, box.capture)], start=1)
    ]
    edges += [
        edge_of(
            (Port(box_id, "playback", n), Port(box_id, "jack_out", n), "playback", box_id, trim_db + full_db, 1, None)
        )
        for n, trim_db in enumerate(box.output_trims_db[: min(box.playback, box.jack_out)], start=1)
    ]
    for cross in box.direct:
        block = None
        if cross.muted:
            opened = SetDirect(interface=box.id, jack_in=cross.jack_in, jack_out=cross.jack_out, gain_db=cross.gain_db)
            where = {"jack_in": cross.jack_in, "jack_out": cross.jack_out, "box": box.id}
            about = f"{box.id}/{cross.jack_in}/{cross.jack_out}"
            muted = fact("direct monitoring muted", **where)
            block = Block(muted, about, opened, fact("unmute direct monitoring", **where))
        start, end = Port(box.id, "jack_in", cross.jack_in), Port(box.id, "jack_out", cross.jack_out)
        gain_db = input_gain_db(box, cross.jack_in) + cross.gain_db + output_gain_db(box, cross.jack_out)
        edges.append(edge_of((start, end, "direct", box.id, gain_db, 1, block)))
    return edges
