"""A line's stations: the aligned columns of the Lines table, with channel numbers at every hop."""

from dataclasses import dataclass
from typing import Literal

from iskelo.core.lines.state import Leg, LineState
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.ports import STAGE, Port
from iskelo.core.rig.rig import Index
from iskelo.core.rig.ways import Bank

Column = Literal["source", "box_in", "computer_in", "program_in", "track", "out"]
COLUMNS: tuple[Column, ...] = ("source", "box_in", "computer_in", "program_in", "track", "out")
_PASSED: tuple[Column, ...] = ("computer_in", "program_in", "track")
"""The columns that direct monitoring goes past."""

_COLUMN_OF_STAGE: tuple[Column, ...] = (*COLUMNS, "out", "out", "out", "out")


@dataclass(frozen=True, slots=True)
class Station:
    """One cell: gear and numbers; ``copies`` counts routes that part here; ``trouble`` is a gap's reason.

    ``state``: *on* (the route passes here), *empty* (the line needs nothing here), *passed* (direct monitoring
    goes past here, inside the box), *gap* (nothing is patched here), *blocked* (patched, but sound does not
    pass), *beyond* (patched, but past a gap).
    """

    column: Column
    state: Literal["on", "empty", "passed", "gap", "blocked", "beyond"]
    label: str
    number: str
    copies: int
    trouble: str


def column_of(port: Port) -> Column:
    if port.bank == "voice":
        return "source"
    return _COLUMN_OF_STAGE[STAGE[port.bank]]


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


def stations(state: LineState, found: Index) -> tuple[Station, ...]:
    """The six stations of a line, all its legs together."""
    ports: dict[Column, list[Port]] = {column: [] for column in COLUMNS}
    trouble: dict[Column, str] = {}
    kinds: dict[Column, Literal["gap", "blocked"]] = {}
    beyond: set[Column] = set()
    for leg in state.legs or ():
        _lay(leg, ports, trouble, kinds, beyond)
    if not state.legs:
        for port in (*state.line.from_ports, *state.line.to_ports):
            ports[column_of(port)].append(port)
    last: Column = "track" if state.line.purpose == "record" else "out"
    if not state.line.from_ports:
        trouble["source"], kinds["source"] = "no source yet", "gap"
    if not state.line.to_ports:
        trouble[last], kinds[last] = "no target yet", "gap"
    parting = _parting(state)
    for leg in state.legs:
        if leg.way and leg.arrivals and any(edge.kind == "direct" for edge in leg.way.edges):
            beyond.update(_PASSED)
    joined = _joined(state, found)
    return tuple(_station(column, ports[column], trouble, kinds, beyond, parting, joined, found) for column in COLUMNS)


def _lay(
    leg: Leg,
    ports: dict[Column, list[Port]],
    trouble: dict[Column, str],
    kinds: dict[Column, Literal["gap", "blocked"]],
    beyond: set[Column],
) -> None:
    if leg.way is not None:
        for port in leg.way.ports:
            ports[column_of(port)].append(port)
        if not leg.arrivals:
            for edge in leg.way.edges:
                if edge.block:
                    column = column_of(edge.end)
                    trouble.setdefault(column, edge.block.words)
                    kinds.setdefault(column, "blocked")
        return
    assert leg.gap is not None
    for port in (*leg.gap.ahead, *leg.gap.behind):
        ports[column_of(port)].append(port)
    ahead, behind = column_of(leg.gap.ahead[-1]), column_of(leg.gap.behind[0])
    start, stop = COLUMNS.index(ahead) + 1, COLUMNS.index(behind)
    place = COLUMNS[start] if start < stop else behind
    trouble.setdefault(place, leg.gap.short)
    kinds[place] = "gap"
    beyond.update(COLUMNS[stop:])


def _parting(state: LineState) -> dict[Column, int]:
    """The column where copies part from each other, with their number."""
    for leg in state.legs:
        if len(leg.arrivals) > 1:
            ways = [arrival.route.ports for arrival in leg.arrivals]
            common = 0
            while len({way[common] for way in ways if len(way) > common}) == 1:
                common += 1
            ends = [way[common] for way in ways if len(way) > common]
            column = min((column_of(port) for port in ends), key=COLUMNS.index)
            return {column: len(ways)}
    return {}


def _station(
    column: Column,
    ports: list[Port],
    trouble: dict[Column, str],
    kinds: dict[Column, Literal["gap", "blocked"]],
    beyond: set[Column],
    parting: dict[Column, int],
    joined: dict[Port, tuple[str, int]],
    found: Index,
) -> Station:
    unique = tuple(dict.fromkeys(ports)) if len(ports) > 1 else tuple(ports)
    label, number = _say(unique, found, joined) if unique else ("", "")
    state: Literal["on", "empty", "passed", "gap", "blocked", "beyond"]
    if column in kinds:
        state = kinds[column]
    elif not unique:
        state = "passed" if column in beyond and column in _PASSED else "empty"
        label = "direct" if state == "passed" and column == "program_in" else ""
    else:
        state = "beyond" if column in beyond else "on"
    return Station(column, state, label, number, parting.get(column, 1), trouble.get(column, ""))


def _joined(state: LineState, found: Index) -> dict[Port, tuple[str, int]]:
    """For boxes' channels that a program reaches by an aggregate: its name, and the number they have there."""
    passed: list[tuple[Port, str]] = []
    for leg in state.legs:
        for edge in leg.way.edges if leg.way else ():
            if edge.kind in ("take", "send"):
                passed.append((edge.start if edge.kind == "take" else edge.end, edge.owner))
        placed = found.items.get(leg.end.owner)
        for port in leg.gap.ahead if leg.gap and placed else ():
            if port.bank == "capture" and placed is not None:
                passed.append((port, placed.program.id))
    joined: dict[Port, tuple[str, int]] = {}
    for port, program in passed:
        opening = found.opened.get(program)
        if opening is None or not isinstance(found.gear.get(opening.device.id), Aggregate):
            continue
        bank: Bank = "capture" if port.bank == "capture" else "playback"
        number = opening.channel(bank, port.owner, port.number)
        if number is not None:
            joined[port] = (opening.device.name, number)
    return joined


def _say(ports: tuple[Port, ...], found: Index, joined: dict[Port, tuple[str, int]]) -> tuple[str, str]:
    """Gear and numbers of the ports that share a cell; an aggregate's numbers where one is passed."""
    bank = ports[0].bank
    if bank in ("out", "voice"):
        return ", ".join(dict.fromkeys(found.name(port.owner) for port in ports)), ""
    if bank in ("track", "monitor"):
        names = dict.fromkeys(found.items[port.owner].item.name for port in ports)
        return ", ".join(names), fold_numbers([found.items[port.owner].position for port in ports])
    shown = ports
    if STAGE[bank] >= STAGE["output"]:
        destinations = tuple(port for port in ports if port.bank == "in")
        if destinations:
            jacks = [port.number for port in ports if port.bank == "jack_out"]
            return ", ".join(dict.fromkeys(found.name(port.owner) for port in destinations)), fold_numbers(jacks)
    if len(ports) == 1:
        name, number = joined.get(ports[0]) or (found.owner(ports[0]).name, _number(ports[0], found))
        return name, str(number)
    told = [joined.get(port) or (found.owner(port).name, _number(port, found)) for port in shown]
    return ", ".join(dict.fromkeys(name for name, _ in told)), fold_numbers([number for _, number in told])


def _number(port: Port, found: Index) -> int:
    return found.items[port.owner].position if port.owner in found.items else port.number
