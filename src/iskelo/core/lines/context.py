"""A rig read once: its look-ups, its graph, the states of its lines. What the rules and the survey read."""

from dataclasses import dataclass

from iskelo.core.lines.state import LineState, line_states
from iskelo.core.rig.rig import Index, Rig, index
from iskelo.core.wiring.graph import Graph, compile_graph


@dataclass(frozen=True, slots=True)
class Reading:
    """Everything the rules look at."""

    rig: Rig
    found: Index
    graph: Graph
    lines: list[LineState]


def read(rig: Rig) -> Reading:
    """Compile a rig and find the state of every line."""
    found = index(rig)
    graph = compile_graph(found)
    return Reading(rig, found, graph, line_states(graph, found))
