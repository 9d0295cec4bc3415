"""A rig read once: its look-ups, its graph, the states of its lines. What the rules and the survey read.

A rig that has changed a little is read again from its earlier reading: only what depends on the gear that
changed is worked out anew. What comes out is the same as a reading from nothing, for every rig and every edit.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property, partial

from iskelo.core.lines.findings import Finding, Headline
from iskelo.core.lines.rings import Rings
from iskelo.core.lines.state import LineState, LineStates, Traced
from iskelo.core.lines.sums import Sums
from iskelo.core.lines.together import with_companions
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Line, Rig
from iskelo.core.routes.route import Ahead, Around
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.graph import Graph, compile_graph
from iskelo.core.wiring.hops import HOPS, HopKind


@dataclass(frozen=True)
class Reading:
    """Everything the rules look at; ``known``, ``around`` and ``traced`` are kept for the next reading.

    ``having``: the lines with each kind of finding, and the finding. ``beginning`` and ``ending``: the ids of lines by
    what owns the ports where they begin and end.
    """

    rig: Rig
    found: Index
    graph: Graph
    lines: list[LineState]
    having: dict[Headline, list[tuple[LineState, Finding]]]
    beginning: dict[str, list[str]]
    ending: dict[str, list[str]]
    known: Ahead
    around: Around
    traced: dict[str, Traced]
    sums: Sums
    rings: Rings

    @cached_property
    def plugged(self) -> list[tuple[Source, Interface, int]]:
        """Every source in an input jack."""
        gear, found = self.found.gear, []
        for patch in self.rig.patches:
            if patch.to_port.bank == "jack_in" and patch.from_port.bank == "out":
                source, box = gear[patch.from_port.owner], gear[patch.to_port.owner]
                assert isinstance(source, Source)
                assert isinstance(box, Interface)
                found.append((source, box, patch.to_port.number))
        return found

    def sounding_in(self, what: str) -> tuple[Port, ...]:
        """Give the source ports that sound in a mix, a bus or an output now, in the rig's order."""
        return tuple(
            start for start in self.found.starts() if any(port.owner == what for port in self.known.sound(start).by)
        )

    @cached_property
    def hops_in_use(self) -> frozenset[tuple[HopKind, str]]:
        """The hops by which some line arrives as it is wanted to: their kinds, and whose doing they are."""
        return frozenset((edge.kind, edge.owner) for edge in self._arriving())

    @cached_property
    def ports_in_use(self) -> dict[Port, set[Port]]:
        """The ports that some line passes on its way, and where those lines begin."""
        used: dict[Port, set[Port]] = {}
        for leg in (leg for state in self.lines if not state.goes_otherwise for leg in state.legs):
            for port in (port for arrival in leg.arrivals for port in arrival.route.ports):
                used.setdefault(port, set()).add(leg.start)
        return used

    def _arriving(self) -> Iterator[Edge]:
        return (
            edge
            for state in self.lines
            if not state.goes_otherwise
            for leg in state.legs
            for arrival in leg.arrivals
            for edge in arrival.route.edges
        )

    @cached_property
    def leads_in_use(self) -> frozenset[str]:
        """The leads by which some line arrives."""
        return frozenset(edge.owner for edge in self._arriving() if HOPS[edge.kind].whose == "lead")


def read(rig: Rig, before: Reading | None = None) -> Reading:
    """Compile a rig and find the state of every line; ``before`` is a reading of it as it was."""
    if before is not None and before.rig is rig:
        return before
    return Begun(rig, before).read()


class Begun:
    """Reads a rig line by line: the rig is compiled at once, each line only when somebody asks for it."""

    def __init__(self, rig: Rig, before: Reading | None = None) -> None:
        self._rig = rig
        found = self._found = index(rig)
        touched = touched_gear(before.found, found) if before is not None else frozenset()
        graph = self._graph = compile_graph(found, before.graph if before is not None else None, touched)
        known = self._known = Ahead(graph)
        rings = self._rings = Rings(graph, found)
        around = self._around = Around(graph, known, found.owners)
        if before is None or before.rig.alignment_dbfs != rig.alignment_dbfs:
            self._states = LineStates(graph, found, known, rings, {}, lambda _: False)
        else:
            was = before.around
            known.take_over(before.known, was, touched)
            around.take_over(was, touched)
            same = partial(_untouched, was, touched)
            self._states = LineStates(graph, found, known, rings, before.traced, same)

    def state(self, line: str) -> LineState | None:
        """Give the state of one line, without what is found only beside other lines; None if the line is gone."""
        wanted = self._found.lines.get(line)
        return self._states.of(wanted).state if wanted is not None else None

    def read(self) -> Reading:
        """Read all other lines too, and give the whole."""
        rig, found = self._rig, self._found
        traced = self._states.all()
        lines = with_companions([each.state for each in traced.values()], found)
        beginning = _by_owner((line.id, line.from_ports) for line in rig.lines)
        ending = _by_owner((line.id, line.to_ports) for line in rig.lines)
        return Reading(
            *(rig, found, self._graph, lines, _having(lines), beginning, ending),
            *(self._known, self._around, traced, self._states.sums, self._rings),
        )


def _untouched(was: Around, touched: frozenset[str], line: Line) -> bool:
    return was.untouched(line.from_ports, line.to_ports, touched)


def _by_owner(lines: Iterable[tuple[str, tuple[Port, ...]]]) -> dict[str, list[str]]:
    owned: dict[str, list[str]] = {}
    for line, ports in lines:
        for owner in (ports[0].owner,) if len(ports) == 1 else {port.owner for port in ports}:
            owned.setdefault(owner, []).append(line)
    return owned


def _having(lines: list[LineState]) -> dict[Headline, list[tuple[LineState, Finding]]]:
    having: dict[Headline, list[tuple[LineState, Finding]]] = {}
    for state in lines:
        if len(state.findings) == 1:
            having.setdefault(state.findings[0].kind, []).append((state, state.findings[0]))
            continue
        told = set()
        for finding in state.findings:
            if finding.kind not in told:
                told.add(finding.kind)
                having.setdefault(finding.kind, []).append((state, finding))
    return having


def touched_gear(before: Index, after: Index) -> frozenset[str]:
    """The gear that has changed between two rigs, or whose edges depend on gear or leads that have.

    Gear is an immutable value, so what is the same object has not changed.
    """
    touched = {
        identity
        for identity in before.gear.keys() | after.gear.keys()
        if before.gear.get(identity) is not after.gear.get(identity)
    }
    for identity in before.patches.keys() | after.patches.keys():
        old, new = before.patches.get(identity), after.patches.get(identity)
        if old is not new:
            touched |= {port.owner for each in (old, new) if each for port in (each.from_port, each.to_port)}
    # What runs in a program is joined to it as to a box.
    for each in (before, after):
        for program in each.programs():
            if program.hosted is not None and touched & {program.id, program.hosted.leader}:
                touched |= {program.id, program.hosted.leader}
    # A program changes what its boxes are joined to, and who else may open them; a box what its programs see.
    devices = {
        box
        for box in before.paces.keys() | after.paces.keys()
        if before.paces.get(box) != after.paces.get(box) or after.paces[box].master in touched
    }
    for each in (before, after):
        for program in each.programs():
            if program.id in touched or program.device in touched:
                devices |= _boxes(each, program)
        devices |= {box.id for box in each.boxes if box.id in touched}
    touched |= devices
    for each in (before, after):
        touched |= {
            program.id for program in each.programs() if program.device in touched or _boxes(each, program) & devices
        }
        touched |= {program.id for program in each.programs() if program.hosted and program.hosted.leader in touched}
    return frozenset(touched)


def _boxes(found: Index, program: Program) -> set[str]:
    """The boxes behind a program's device."""
    streams = found.opened.get(program.id)
    return {way.box.id for way in streams.ways} if streams is not None else set()
