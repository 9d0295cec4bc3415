"""A line's stations: the aligned columns of the Lines table, with channel numbers at every hop."""

from collections.abc import Iterable
from typing import Literal

from iskelo.core.lines.gaps import Gap
from iskelo.core.lines.legs import Leg
from iskelo.core.lines.state import LineState
from iskelo.core.rig.device_streams import Bank
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.index import Index
from iskelo.core.rig.inside import INSIDE_BANKS
from iskelo.core.rig.ports import BANK_TABLE, COLUMNS, Column, Port
from iskelo.core.rig.text import fold_names, fold_numbers
from iskelo.core.routes.route import Route
from iskelo.core.values import light
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import BETWEEN_PROGRAMS, DEVICE_HOPS
from iskelo.core.words.say import say

_PASSED = frozenset(COLUMNS.index(column) for column in ("computer_in", "program_in", "track"))
"""The columns that direct monitoring goes past."""

_PLACE: dict[str, int] = {bank: COLUMNS.index(row.column) for bank, row in BANK_TABLE.items() if row.column is not None}
"""In which column the ports of a bank stand."""

_OUT, _COMPUTER_IN = COLUMNS.index("out"), COLUMNS.index("computer_in")

_TRACKS = COLUMNS.index("track")

_TO_JACKS = frozenset({"to jack", "analogue to jack"})

_OF_TRACKS = ("track", "point", "monitor", "post")

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


Numbers = dict[Port, tuple[str, int]]
"""For boxes' channels that a program reaches by an aggregate: its name, and the number they have there."""


class _Laid:
    """What lies in each column of a line: its ports, and what is wrong there."""

    __slots__ = ("_found", "ahead", "beyond", "kinds", "ports", "trouble")

    def __init__(self, found: Index) -> None:
        self._found = found
        self.ports: tuple[list[Port], ...] = ([], [], [], [], [], [])
        self.trouble: dict[int, str] = {}
        self.kinds: dict[int, Literal["gap", "blocked"]] = {}
        self.beyond: set[int] = set()
        self.ahead: tuple[Port, ...] = ()

    def put(self, ports: Iterable[Port]) -> None:
        places, laid, ears = _PLACE, self.ports, self._found.ears
        if ears:
            for port in ports:
                laid[_OUT if port.owner in ears else places[port.bank]].append(port)
        else:
            for port in ports:
                laid[places[port.bank]].append(port)

    def way(self, way: Route, *, arrives: bool) -> None:
        """A way, with what is shut on it if nothing arrives by it."""
        kinds = {edge.kind for edge in way.edges}
        if not kinds.isdisjoint(BETWEEN_PROGRAMS):
            self.put(_told(way.edges))
        elif self._found.ears:
            self.put(way.ports)
        else:
            places, laid, start = _PLACE, self.ports, way.edges[0].start
            laid[places[start.bank]].append(start)
            for edge in way.edges:
                end = edge.end
                laid[places[end.bank]].append(end)
        if arrives:
            if "direct" in kinds or (not kinds.isdisjoint(_TO_JACKS) and kinds.isdisjoint(DEVICE_HOPS)):
                self.beyond.update(_PASSED)
            return
        for edge in way.edges:
            if edge.block is not None:
                place = _place(edge.end, self._found)
                self.trouble.setdefault(place, say(edge.block, self._found))
                self.kinds.setdefault(place, "blocked")

    def gap(self, gap: Gap) -> None:
        """As far as a leg gets, and what lies past its gap."""
        # From a program to a track only a cable leads: what is missing before one is missing where it would be.
        cable = gap.end.bank == "track" and gap.ahead[0].bank == "voice"
        if gap.ahead is not self.ahead:  # Both legs of a pair often break off at the same place.
            self.ahead = gap.ahead
            self.put([port for port in gap.ahead if _PLACE[port.bank] != _OUT] if cable else gap.ahead)
        self.put(gap.behind)
        stop = _place(gap.behind[0], self._found)
        place = min(_PLACE[gap.ahead[-1].bank] + 1, stop)
        if cable and _PLACE[gap.ahead[-1].bank] in (0, _OUT):
            place = min(_COMPUTER_IN, stop)
        self.trouble.setdefault(place, say(gap.missing, self._found))
        self.kinds[place] = "gap"
        self.beyond.update(range(stop, len(COLUMNS)))

    def miss(self, column: Column, reason: str) -> None:
        place = COLUMNS.index(column)
        self.trouble[place], self.kinds[place] = reason, "gap"

    def state(self, place: int) -> State:
        """How a column stands."""
        if place in self.kinds:
            return self.kinds[place]
        if self.ports[place]:
            return "beyond" if place in self.beyond else "on"
        return "passed" if place in self.beyond and place in _PASSED else "empty"


def _place(port: Port, found: Index) -> int:
    """In which column a port stands: what goes to a far end goes out."""
    return _OUT if port.owner in found.ears else _PLACE[port.bank]


def _told(edges: tuple[Edge, ...]) -> list[Port]:
    """The ports of a way without those by which a program plays to another: a cable's channel, a return stand there."""
    ports = [edges[0].start]
    for edge in edges:
        if edge.kind in BETWEEN_PROGRAMS:
            while len(ports) > 1 and _PLACE[ports[-1].bank] == _OUT:
                ports.pop()
        ports.append(edge.end)
    return ports


def stations(state: LineState, found: Index) -> tuple[Station, ...]:
    """The six stations of a line, all its legs together."""
    laid, line = _Laid(found), state.line
    for leg in state.legs:
        if leg.way is not None:
            laid.way(leg.way, arrives=bool(leg.arrivals))
        elif leg.gap is not None:
            laid.gap(leg.gap)
    if not state.legs:
        laid.put((*line.from_ports, *line.to_ports))
    if not line.from_ports:
        laid.miss("source", "no source yet")
    if not line.to_ports:
        laid.miss("track" if line.purpose == "record" else "out", "no target yet")
    parting, copies = _parting(state)
    joined = _joined(state, found) if found.aggregates else {}
    amiss = bool(laid.kinds or laid.beyond)
    cells, told = [], found.cells
    for place, ports in enumerate(laid.ports):
        how: State = laid.state(place) if amiss else "on" if ports else "empty"
        label = number = ""
        if len(ports) == 1 or (len(ports) == 2 and place == _TRACKS and ports[0].owner == ports[1].owner):
            label, number = _one(ports[0], joined, found)
        elif ports:
            # The lines of one box end in the same ports, past the same others.
            if line.mixed:
                label, number = _said_mixed(place, list(dict.fromkeys(ports)), state, joined, found)
            elif joined:
                label, number = _SAID[place](list(dict.fromkeys(ports)), joined, found)
            elif (known := told.get(key := tuple(ports))) is not None:
                label, number = known
            else:
                label, number = told[key] = _SAID[place](list(dict.fromkeys(ports)), joined, found)
        elif how == "empty":
            cells.append(_EMPTY[place])
            continue
        elif how == "passed" and COLUMNS[place] == "program_in":
            label = "direct"
        at_once = copies if place == parting else 1
        why = laid.trouble.get(place, "") if amiss else ""
        cells.append(Station(COLUMNS[place], how, label, number, at_once, why))
    return tuple(cells)


def _last_apart(leg: Leg) -> Port:
    """Where the hops end by which ways through the same ports differ."""
    first, second = (arrival.route.edges for arrival in leg.arrivals[:2])
    return next((one.end for one, other in zip(first, second, strict=True) if one != other), leg.end)


def _parting(state: LineState) -> tuple[int | None, int]:
    """The column where copies part from each other, with their number."""
    for leg in state.legs:
        if len(leg.arrivals) > 1:
            ways = [arrival.route.ports for arrival in leg.arrivals]
            common = 0
            while len({way[common] for way in ways if len(way) > common}) == 1:
                common += 1
            parted = [_PLACE[way[common].bank] for way in ways if len(way) > common]
            # Two feeds of one strip into one mix pass the same ports: they part at what they end in.
            return min(parted) if parted else _PLACE[_last_apart(leg).bank], len(ways)
    return None, 1


def _joined(state: LineState, found: Index) -> Numbers:
    passed: list[tuple[Port, str]] = []
    for leg in state.legs:
        for edge in leg.way.edges if leg.way else ():
            if edge.kind in DEVICE_HOPS:
                passed.append((edge.start if edge.kind == "from device" else edge.end, edge.owner))
        placed = found.items.get(leg.end.owner)
        for port in leg.gap.ahead if leg.gap and placed else ():
            if port.bank == "capture" and placed is not None:
                passed.append((port, placed.program.id))
    joined: Numbers = {}
    for port, program in passed:
        streams = found.opened.get(program)
        if streams is None or not isinstance(found.gear.get(streams.device.id), Aggregate):
            continue
        bank: Bank = "capture" if port.bank == "capture" else "playback"
        number = streams.channel(bank, port.owner, port.number)
        if number is not None:
            joined[port] = (streams.device.name, number)
    return joined


def _one(port: Port, joined: Numbers, found: Index) -> tuple[str, str]:
    """The gear and the number of a port that has a cell to itself."""
    if joined and port in joined:
        name, number = joined[port]
        return name, str(number)
    owner, bank, at = port
    placed = found.items.get(owner)
    if placed is not None:
        if bank in _OF_TRACKS:
            return placed.item.name, str(placed.position)
        if bank == "voice" or placed.side == "bus":
            return placed.item.name, ""
        return placed.program.name, str(placed.position)
    gear = found.gear.get(owner)
    if gear is not None:
        name = f"{gear.name}, stage" if found.on_stage(port) else gear.name
        return name, "" if bank in ("out", "in") else str(at)
    inside = found.mixing[owner]
    return inside.box.name, inside.item_name


def _said_mixed(place: int, ports: list[Port], state: LineState, joined: Numbers, found: Index) -> tuple[str, str]:
    """What several sources pass each for itself, and then what they pass together."""
    by_sound: dict[str, set[Port]] = {}
    for leg in state.legs:
        by_sound.setdefault(leg.start.owner, set()).update(leg.way.ports if leg.way is not None else ())
    together = set.intersection(*by_sound.values()) if by_sound else set()
    apart, shared = [port for port in ports if port not in together], [port for port in ports if port in together]
    say = _SAID[place]
    if not apart or (shared and place == _TRACKS and state.line.purpose == "record"):
        return say(shared, joined, found)
    label, number = say(apart, joined, found)
    own = label.split(" › ") if " › " in label else [say([port], joined, found)[0] for port in apart]
    beside = " › ".join([", ".join(fold_names(own)), *([say(shared, joined, found)[0]] if shared else [])])
    return beside, number


def _said_source(ports: list[Port], joined: Numbers, found: Index) -> tuple[str, str]:
    if ports[0].bank not in ("out", "voice"):
        return _said(ports, joined, found)
    return _names([found.name(port.owner) for port in ports]), ""


def _said_box(ports: list[Port], joined: Numbers, found: Index) -> tuple[str, str]:
    """A box with its jacks; of a mixer the strips, mixes and gear in its leads that are passed, and the jacks."""
    inside = [found.mixing[port.owner] for port in ports if port.owner in found.mixing]
    jacks = [port for port in ports if port.bank == "jack_in"]
    if not inside:
        plain = [port for port in ports if port.bank not in INSIDE_BANKS] or ports
        gear, number = _said(plain, joined, found)
        gear = f"{gear}, stage" if jacks and all(map(found.on_stage, jacks)) else gear
        through = any(port.bank == "outboard_in" for port in plain)
        return gear.replace(", ", " › ") if through else gear, number
    passed = dict.fromkeys(
        found.name(port.owner) if port.bank == "outboard_in" else found.mixing[port.owner].item_name
        for port in ports
        if port.bank == "outboard_in" or port.owner in found.mixing
    )
    said = " › ".join(name for name in passed if name) or inside[0].box.name
    staged = jacks and all(map(found.on_stage, jacks))
    return f"Stage › {said}" if staged else said, fold_numbers([port.number for port in jacks])


def _said_tracks(ports: list[Port], joined: Numbers, found: Index) -> tuple[str, str]:
    placed = [found.items[port.owner] for port in ports]
    return _names([each.item.name for each in placed]), fold_numbers([each.position for each in placed])


def _said_out(ports: list[Port], joined: Numbers, found: Index) -> tuple[str, str]:
    """Where the sound goes, by which jacks."""
    ports = [port for port in ports if port.bank not in INSIDE_BANKS and port.owner not in found.mixing] or ports
    ends = [found.name(port.owner) for port in ports if port.bank == "in" or port.owner in found.ears]
    if not ends:
        # A bus is known by its name, a way out by the channels that it takes.
        outside = [port for port in ports if BANK_TABLE[port.bank].owner != "bus"]
        return _said(outside, joined, found) if outside else (_names([found.name(port.owner) for port in ports]), "")
    # A way through an insert passes other output jacks before: the one that leads there stands last before it.
    last: list[int] = []
    before: int | None = None
    for port in ports:
        if port.bank == "jack_out":
            before = port.number
        elif port.bank == "in" and before is not None:
            last.append(before)
    return _names(ends), fold_numbers(last)


def _said(ports: list[Port], joined: Numbers, found: Index) -> tuple[str, str]:
    """Gear and numbers of the ports that share a cell; an aggregate's numbers where one is passed."""
    names: list[str] = []
    numbers: list[int] = []
    for port in ports:
        owner = port.owner
        if joined and port in joined:
            name, number = joined[port]
        elif owner in found.items:
            placed = found.items[owner]
            name, number = placed.program.name, placed.position
        elif owner in found.gear:
            name, number = found.gear[owner].name, port.number
        else:
            inside = found.mixing[owner]
            name, number = inside.box.name, inside.position
        names.append(name)
        numbers.append(number)
    if names.count(names[0]) < len(names):
        # Each with its own numbers, in the order in which they are passed.
        parts = [
            f"{name} {fold_numbers([number for other, number in zip(names, numbers, strict=True) if other == name])}"
            for name in dict.fromkeys(names)
        ]
        return " › ".join(parts), ""
    return names[0], fold_numbers(numbers)


def _names(names: list[str]) -> str:
    return names[0] if len(names) == 1 else ", ".join(dict.fromkeys(names))


_SAID = (_said_source, _said_box, _said, _said, _said_tracks, _said_out)
"""How the ports of each column are told."""
