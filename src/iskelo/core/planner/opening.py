"""Opening what goes round: the switches on a knot's hops, and the set of them that opens every loop at the least harm.

Least harm is the fewest wanted lines without a way, then the fewest switches. It is found exactly, without a list of
loops: a mixed-integer programme with a binary for every switch and a unit of flow for every wanted line; a loop that is
still there becomes a constraint, until none is.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

import numpy as np

from iskelo.core.edits.edit import Edit, Remove, SetDirect, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.planner.stages import STAGES, Stage
from iskelo.core.rig.mixers import Feed, Strip
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Track, insert_with
from iskelo.core.routes.loops import loops_of
from iskelo.core.routes.route import reached, reaching
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import HopKind

LINES_AT_MOST = 64
"""So many lines are minded in the search; those beyond are tried all the same before anything is offered."""


class Switch(NamedTuple):
    """What stops hops: a key that is the same for all hops it stops, the edit, and what it does in words."""

    key: tuple[str, ...]
    edit: Edit
    words: str

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Switch) and other.key == self.key

    def __hash__(self) -> int:
        return hash(self.key)


def switch_of(edge: Edge, reading: Reading) -> Switch | None:
    """What a technician would switch off at a hop; None where there is nothing."""
    make = _SWITCHES.get(edge.kind)
    return make(edge, reading) if make is not None else None


def _lead(edge: Edge, reading: Reading) -> Switch:
    say = reading.found.say
    return Switch((edge.owner,), Remove(items=(edge.owner,)), f"Unplug {say(edge.start)} from {say(edge.end)}")


def _direct(edge: Edge, reading: Reading) -> Switch:
    jacks = (edge.start.number, edge.end.number)
    edit = SetDirect(interface=edge.owner, jack_in=jacks[0], jack_out=jacks[1], gain_db=None)
    words = f"Stop direct monitoring of jack in {jacks[0]} at jack out {jacks[1]} of {reading.found.name(edge.owner)}"
    return Switch((edge.owner, *map(str, jacks)), edit, words)


def _monitor(edge: Edge, reading: Reading) -> Switch:
    off = SetValues(item=edge.owner, values={"monitored": False})
    return Switch((edge.owner, "monitored"), off, f"Stop monitoring track {reading.found.name(edge.owner)}")


def _fader(edge: Edge, reading: Reading) -> Switch | None:
    if edge.end.bank != "bus_out":
        return None
    mute = SetValues(item=edge.owner, values={"muted": True})
    return Switch((edge.owner, "muted"), mute, f"Mute bus {reading.found.name(edge.owner)}")


def _send(edge: Edge, reading: Reading) -> Switch:
    send = next(each for each in reading.found.items[edge.owner].program.sends if each.id == edge.owner)
    off = SetValues(item=edge.owner, values={"on": False})
    return Switch((edge.owner,), off, f"Switch the {reading.found.say_send(send)} off")


def _source(edge: Edge, reading: Reading) -> Switch | None:
    strip = _strip_of(edge, reading)
    if not strip.plays_back:
        return None
    live = SetValues(item=strip.id, values={"plays_back": False})
    return Switch((strip.id, "plays_back"), live, f"Switch strip {strip.name} to live")


def _strip_of(edge: Edge, reading: Reading) -> Strip:
    strip = reading.found.mixing[edge.owner].item
    assert isinstance(strip, Strip)
    return strip


def _strip_fader(edge: Edge, reading: Reading) -> Switch | None:
    inside, strip = reading.found.mixing[edge.owner], _strip_of(edge, reading)
    if inside.mixer.mute_key != "mutes":
        return None
    return Switch((strip.id, "muted"), SetValues(item=strip.id, values={"muted": True}), f"Mute strip {strip.name}")


def _before_the_fader(edge: Edge, reading: Reading) -> Switch | None:
    """What a mute stops too, where it stops what is before the fader."""
    return _strip_fader(edge, reading) if reading.found.mixing[edge.owner].mixer.mute_kills_pre else None


def _insert(edge: Edge, reading: Reading) -> Switch:
    strip = _strip_of(edge, reading)
    off = SetValues(item=strip.id, values=strip.insert_with("on", False))
    return Switch((strip.id, "insert"), off, f"Bypass the insert of strip {strip.name}")


def _program_insert(edge: Edge, reading: Reading) -> Switch:
    item = reading.found.items[edge.owner].item
    assert isinstance(item, Track | Bus)
    off = SetValues(item=item.id, values=insert_with(item, "on", False))
    return Switch((item.id, "insert"), off, f"Bypass the insert of {item.name}")


def _feed(edge: Edge, reading: Reading) -> Switch | None:
    feed = reading.found.mixing[edge.owner].item
    if isinstance(feed, Feed) and feed.fixed:
        return None
    off = SetValues(item=edge.owner, values={"on": False})
    return Switch((edge.owner,), off, f"Switch the feed {reading.found.name(edge.owner)} off")


def _mix_fader(edge: Edge, reading: Reading) -> Switch:
    mute = SetValues(item=edge.owner, values={"muted": True})
    return Switch((edge.owner, "muted"), mute, f"Mute mix {reading.found.name(edge.owner)}")


_SWITCHES: dict[HopKind, Callable[[Edge, Reading], Switch | None]] = {
    "lead back": _lead,
    "direct": _direct,
    "monitor": _monitor,
    "track send": _program_insert,
    "track return": _program_insert,
    "fader": _fader,
    "send": _send,
    "source": _source,
    "past": _before_the_fader,
    "dry": _before_the_fader,
    "insert send": _insert,
    "insert return": _insert,
    "strip fader": _strip_fader,
    "crosspoint": _feed,
    "raw": _feed,
    "mix fader": _mix_fader,
}


def openings(edges: Sequence[Edge], reading: Reading) -> list[tuple[Switch, ...]]:
    """Sets of switches each of which opens every loop these hops make, that of least harm first.

    Single switches, where one is enough; else the one set that is found.
    """
    switches = {edge: switch for edge in edges if (switch := switch_of(edge, reading)) is not None}
    single = [
        (switch,)
        for switch in dict.fromkeys(switches.values())
        if not loops_of([edge for edge in edges if switches.get(edge) != switch], at_most=1)[0]
    ]
    if single:
        return sorted(single, key=lambda some: len(lines_cut(some, reading)))
    least = _least_harm(edges, switches, reading)
    return [least] if least else []


def lines_cut(some: Sequence[Switch], reading: Reading) -> list[str]:
    """The lines that arrive, and would not if these were switched off."""
    return [
        state.line.id
        for state in reading.lines
        if any(
            leg.arrivals
            and all(any(switch_of(edge, reading) in some for edge in each.route.edges) for each in leg.arrivals)
            for leg in state.legs
        )
    ]


def _least_harm(edges: Sequence[Edge], switches: dict[Edge, Switch], reading: Reading) -> tuple[Switch, ...]:
    """The switches that open every loop and cost the fewest lines; none where a loop has no switch."""
    programme = _Programme(tuple(dict.fromkeys(switches.values())))
    arriving = [state for state in reading.lines if any(leg.arrivals for leg in state.legs)]
    for state in arriving[:LINES_AT_MOST]:
        for start, end in state.line.pairs():
            programme.line(start, end, _between(reading, start, end), reading)
    while True:
        opened = programme.solved()
        left = [edge for edge in edges if switches.get(edge) not in opened]
        loops, _ = loops_of(left)
        if not loops:
            return tuple(opened)
        for loop in loops:
            on_it = {switches[edge] for edge in loop.edges if edge in switches}
            if not on_it:
                return ()
            programme.loop(on_it)


def _between(reading: Reading, start: Port, end: Port) -> list[Edge]:
    ports = reached(reading.graph, start, passing=True) & reaching(reading.graph, end, passing=True)
    return [
        edge
        for port in ports
        for edge in reading.graph.leaving.get(port, ())
        if edge.end in ports and edge.block is None
    ]


_KEEP = -1000.0
"""What a line that keeps a way is worth, in switches."""


class _Programme:
    """Minimize switches less kept lines, over binaries for switches and flows of lines."""

    def __init__(self, switches: tuple[Switch, ...]) -> None:
        self._at = {switch: number for number, switch in enumerate(switches)}
        self._cost = [1.0] * len(switches)
        self._rows: list[list[tuple[int, float]]] = []
        self._low: list[float] = []
        self._high: list[float] = []

    def _row(self, entries: Iterable[tuple[int, float]], low: float, high: float) -> None:
        self._rows.append(list(entries))
        self._low.append(low)
        self._high.append(high)

    def line(self, start: Port, end: Port, edges: Sequence[Edge], reading: Reading) -> None:
        """A unit of flow from a line's start to its end, over hops that are not switched off."""
        kept = len(self._cost)
        self._cost.append(_KEEP)
        balance: dict[Port, list[tuple[int, float]]] = {start: [(kept, -1.0)], end: [(kept, 1.0)]}
        for edge in edges:
            flow = len(self._cost)
            self._cost.append(0.0)
            balance.setdefault(edge.start, []).append((flow, 1.0))
            balance.setdefault(edge.end, []).append((flow, -1.0))
            switch = switch_of(edge, reading)
            if switch in self._at and switch is not None:
                self._row([(flow, 1.0), (self._at[switch], 1.0)], -np.inf, 1.0)
        for entries in balance.values():
            self._row(entries, 0.0, 0.0)

    def loop(self, switches: Iterable[Switch]) -> None:
        """One of these at least is to be switched off."""
        self._row([(self._at[switch], 1.0) for switch in switches], 1.0, np.inf)

    def solved(self) -> list[Switch]:
        """The switches to be used."""
        if not self._rows:
            return []
        # Half of what the core takes to begin, and needed here alone.
        from scipy import optimize, sparse  # noqa: PLC0415

        entries = [(row, column, value) for row, some in enumerate(self._rows) for column, value in some]
        rows, columns, values = zip(*entries, strict=True)
        table = sparse.csr_array((values, (rows, columns)), (len(self._rows), len(self._cost)))
        found = optimize.milp(
            self._cost,
            integrality=(np.arange(len(self._cost)) < len(self._at)).astype(np.int64),
            bounds=optimize.Bounds(0, 1),
            constraints=optimize.LinearConstraint(table, self._low, self._high),
        )
        # There is always an answer: all switches off.
        assert found.x is not None
        return [switch for switch, number in self._at.items() if found.x[number] > 0.5]


def turned_down(edges: Sequence[Edge], by_db: float, reading: Reading) -> list[Stage]:
    """The gains on a loop that could be turned down by so much, those that mix before those that play."""
    stages: dict[tuple[str, ...], tuple[int, Stage]] = {}
    for edge in edges:
        for stage in STAGES[edge.kind](edge, 0.0, reading.found, 0.0):
            if stage.now_db - by_db >= -60.0:
                stages.setdefault(stage.key, (_ORDER.get(edge.kind, len(_ORDER)), stage))
    return [stage for _, stage in sorted(stages.values(), key=lambda each: each[0])]


_TURNED_FIRST: tuple[HopKind, ...] = (
    "send",
    "crosspoint",
    "direct",
    "fader",
    "strip fader",
    "mix fader",
    "playback",
    "to jack",
    "lead back",
)
_ORDER: dict[HopKind, int] = {kind: place for place, kind in enumerate(_TURNED_FIRST)}
