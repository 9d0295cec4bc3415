"""A line's stations: the aligned columns of the Lines table, with channel numbers at every hop."""

from collections.abc import Iterable
from typing import Literal

from iskelo.core.light import light
from iskelo.core.lines.legs import Leg
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.ports import CLOCK_BANKS, STAGE, Port
from iskelo.core.rig.rig import Index
from iskelo.core.rig.ways import Bank
from iskelo.core.routes.route import Route

Column = Literal["source", "box_in", "computer_in", "program_in", "track", "out"]
COLUMNS: tuple[Column, ...] = ("source", "box_in", "computer_in", "program_in", "track", "out")
_PASSED = frozenset(COLUMNS.index(column) for column in ("computer_in", "program_in", "track"))
"""The columns that direct monitoring goes past."""

_PLACE: dict[str, int] = {
    bank: 0 if bank == "voice" else min(stage, len(COLUMNS) - 1)
    for bank, stage in STAGE.items()
    if bank not in CLOCK_BANKS
}
"""In which column the ports of a bank stand."""

State = Literal["on", "empty", "passed", "gap", "blocked", "beyond"]


@light
class Station:
    """One cell: gear and numbers; ``copies`` counts routes that part here; ``trouble`` is a gap's reason.

    ``state``: *on* (the route passes here), *empty* (the line needs nothing here), *passed* (direct monitoring
    goes past here, inside the box), *gap* (nothing is patched here), *blocked* (patched, but sound does not
    pass), *beyond* (patched, but past a gap).
    """

    column: Column
    state: State
    label: str
    number: str
    copies: int
    trouble: str


_EMPTY = tuple(Station(column, "empty", "", "", 1, "") for column in COLUMNS)


def fold_numbers(numbers: list[int]) -> str:
    """Numbers as ranges. Example: [1, 2, 3, 7] becomes '1–3, 7'."""
    if len(numbers) < 2:
        return str(numbers[0]) if numbers else ""
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return ", ".join(f"{run[0]}–{run[-1]}" if len(run) > 1 else str(run[0]) for run in runs)


Numbers = dict[Port, tuple[str, int]]
"""For boxes' channels that a program reaches by an aggregate: its name, and the number they have there."""


class _Laid:
    """What lies in each column of a line: its ports, and what is wrong there."""

    __slots__ = ("_ahead", "beyond", "kinds", "ports", "trouble")

    def __init__(self) -> None:
        self.ports: tuple[list[Port], ...] = ([], [], [], [], [], [])
        self.trouble: dict[int, str] = {}
        self.kinds: dict[int, Literal["gap", "blocked"]] = {}
        self.beyond: set[int] = set()
        self._ahead: tuple[Port, ...] = ()

    def put(self, ports: Iterable[Port]) -> None:
        places, laid = _PLACE, self.ports
        for port in ports:
            laid[places[port.bank]].append(port)

    def lay(self, leg: Leg) -> None:
        """A leg's way, or as far as it gets and what lies past its gap."""
        if leg.way is not None:
            self.put(leg.way.ports)
            if not leg.arrivals:
                self._blocked(leg.way)
            elif "direct" in [edge.kind for edge in leg.way.edges]:
                self.beyond.update(_PASSED)
            return
        gap = leg.gap
        assert gap is not None
        if gap.ahead is not self._ahead:  # Both legs of a pair often break off at the same place.
            self._ahead = gap.ahead
            self.put(gap.ahead)
        self.put(gap.behind)
        stop = _PLACE[gap.behind[0].bank]
        place = min(_PLACE[gap.ahead[-1].bank] + 1, stop)
        self.trouble.setdefault(place, gap.short)
        self.kinds[place] = "gap"
        self.beyond.update(range(stop, len(COLUMNS)))

    def _blocked(self, way: Route) -> None:
        for edge in way.edges:
            if edge.block:
                place = _PLACE[edge.end.bank]
                self.trouble.setdefault(place, edge.block.words)
                self.kinds.setdefault(place, "blocked")

    def miss(self, column: Column, reason: str) -> None:
        place = COLUMNS.index(column)
        self.trouble[place], self.kinds[place] = reason, "gap"


def stations(state: LineState, found: Index) -> tuple[Station, ...]:
    """The six stations of a line, all its legs together."""
    laid, line = _Laid(), state.line
    for leg in state.legs:
        laid.lay(leg)
    if not state.legs:
        laid.put((*line.from_ports, *line.to_ports))
    if not line.from_ports:
        laid.miss("source", "no source yet")
    if not line.to_ports:
        laid.miss("track" if line.purpose == "record" else "out", "no target yet")
    parting, copies = _parting(state)
    joined = _joined(state, found) if found.aggregates else {}
    return tuple(
        [
            _station(place, laid, copies if place == parting else 1, joined, found)
            if ports or place in laid.kinds or place in laid.beyond
            else _EMPTY[place]
            for place, ports in enumerate(laid.ports)
        ]
    )


def _parting(state: LineState) -> tuple[int | None, int]:
    """The column where copies part from each other, with their number."""
    for leg in state.legs:
        if len(leg.arrivals) > 1:
            ways = [arrival.route.ports for arrival in leg.arrivals]
            common = 0
            while len({way[common] for way in ways if len(way) > common}) == 1:
                common += 1
            return min(_PLACE[way[common].bank] for way in ways if len(way) > common), len(ways)
    return None, 1


def _station(place: int, laid: _Laid, copies: int, joined: Numbers, found: Index) -> Station:
    ports = laid.ports[place]
    state: State = "beyond" if place in laid.beyond else "on"
    if not ports:
        state = "passed" if state == "beyond" and place in _PASSED else "empty"
    state = laid.kinds.get(place, state)
    label, number = _SAID[place](tuple(dict.fromkeys(ports)), joined, found) if ports else ("", "")
    if state == "passed" and COLUMNS[place] == "program_in":
        label = "direct"
    return Station(COLUMNS[place], state, label, number, copies, laid.trouble.get(place, ""))


def _joined(state: LineState, found: Index) -> Numbers:
    passed: list[tuple[Port, str]] = []
    for leg in state.legs:
        for edge in leg.way.edges if leg.way else ():
            if edge.kind in ("take", "send"):
                passed.append((edge.start if edge.kind == "take" else edge.end, edge.owner))
        placed = found.items.get(leg.end.owner)
        for port in leg.gap.ahead if leg.gap and placed else ():
            if port.bank == "capture" and placed is not None:
                passed.append((port, placed.program.id))
    joined: Numbers = {}
    for port, program in passed:
        opening = found.opened.get(program)
        if opening is None or not isinstance(found.gear.get(opening.device.id), Aggregate):
            continue
        bank: Bank = "capture" if port.bank == "capture" else "playback"
        number = opening.channel(bank, port.owner, port.number)
        if number is not None:
            joined[port] = (opening.device.name, number)
    return joined


def _said_source(ports: tuple[Port, ...], joined: Numbers, found: Index) -> tuple[str, str]:
    if ports[0].bank not in ("out", "voice"):
        return _said(ports, joined, found)
    return ", ".join(dict.fromkeys([found.name(port.owner) for port in ports])), ""


def _said_tracks(ports: tuple[Port, ...], joined: Numbers, found: Index) -> tuple[str, str]:
    placed = [found.items[port.owner] for port in ports]
    names = dict.fromkeys([each.item.name for each in placed])
    return ", ".join(names), fold_numbers([each.position for each in placed])


def _said_out(ports: tuple[Port, ...], joined: Numbers, found: Index) -> tuple[str, str]:
    """Where the sound goes, by which jacks."""
    names = dict.fromkeys([found.name(port.owner) for port in ports if port.bank == "in"])
    if not names or ports[0].bank == "bus":
        return _said(ports, joined, found)
    return ", ".join(names), fold_numbers([port.number for port in ports if port.bank == "jack_out"])


def _said(ports: tuple[Port, ...], joined: Numbers, found: Index) -> tuple[str, str]:
    """Gear and numbers of the ports that share a cell; an aggregate's numbers where one is passed."""
    told = [joined.get(port) or _told(port, found) for port in ports]
    if len(told) == 1:
        name, number = told[0]
        return name, str(number)
    return ", ".join(dict.fromkeys([name for name, _ in told])), fold_numbers([number for _, number in told])


def _told(port: Port, found: Index) -> tuple[str, int]:
    """The gear that a port sits on, and its number there."""
    placed = found.items.get(port.owner)
    if placed is not None:
        return placed.program.name, placed.position
    return found.gear[port.owner].name, port.number


_SAID = (_said_source, _said, _said, _said, _said_tracks, _said_out)
"""How the ports of each column are told."""
