"""The state of each line: what arrives, when, how loud, and everything that is wrong with it.

A line carries the set of its findings; the headline is the first that holds in the order of ``HEADLINES``. A line
whose sound arrives at the target of another instead of its own is crossed, not silent: it is heard, elsewhere.
"""

from collections.abc import Callable

from iskelo.core.lines.findings import Finding, Headline, Strays, findings_of
from iskelo.core.lines.legs import Leg, Legs
from iskelo.core.lines.rings import Rings
from iskelo.core.lines.sums import MET_BANKS, Sums
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line
from iskelo.core.routes.route import Ahead
from iskelo.core.timing.delays import Delay
from iskelo.core.values import light
from iskelo.core.wiring.graph import Graph


@light
class LineState:
    """A line with its legs and findings; ``others`` are the ports of sounds that arrive unwanted."""

    line: Line
    legs: tuple[Leg, ...]
    findings: tuple[Finding, ...]
    others: tuple[Port, ...]

    @property
    def headline(self) -> Headline:
        return self.findings[0].kind

    def delays(self) -> list[Delay]:
        """Delays of all copies at all legs, shortest first."""
        delays = [arrival.delay for leg in self.legs for arrival in leg.arrivals]
        if len(delays) > 1:
            delays.sort(key=lambda delay: delay.ms)
        return delays

    @property
    def goes_otherwise(self) -> bool:
        """Whether it arrives by another way than it names."""
        line = self.line
        return bool(line.through or line.never_by) and self.has("other way")

    def finding(self, kind: Headline) -> Finding | None:
        """The first finding of a kind."""
        return next((finding for finding in self.findings if finding.kind == kind), None)

    def has(self, kind: Headline) -> bool:
        return any(finding.kind == kind for finding in self.findings)


@light
class Traced:
    """A line's state with what it was made from beside the gear around it: the line, the strays of its sources."""

    state: LineState
    strays: tuple[tuple[Port, Line], ...]

    def holds(self, line: Line, strays: tuple[tuple[Port, Line], ...]) -> bool:
        """Whether these are what it was made from."""
        return (
            self.state.line is line
            and len(strays) == len(self.strays)
            and all(a[0] == b[0] and a[1] is b[1] for a, b in zip(strays, self.strays, strict=True))
        )


class LineStates:
    """The states of a rig's lines, each worked out when it is asked for."""

    def __init__(
        self,
        graph: Graph,
        found: Index,
        known: Ahead,
        rings: Rings,
        before: dict[str, Traced],
        same: Callable[[Line], bool],
    ) -> None:
        """What the states of all lines share is worked out here.

        Parameters
        ----------
        graph, found, known, rings
            The rig, what lies ahead of its sources, and where sound goes round.
        before, same
            The states of the rig as it was, and whether the gear around a line is still as it was: such a line
            keeps its state.
        """
        self._found, self._before, self._same = found, before, same
        self._heard, fed = _heard(known, found)
        self.sums = Sums(graph, found, known, fed, rings)
        """What different sources add up to."""
        self._strays = _strays(self._heard, found.rig.lines)
        self._between = Legs(graph, found, known, rings).between
        self._traced: dict[str, Traced] = {}

    def of(self, line: Line) -> Traced:
        """Give the state of one line of the rig."""
        traced = self._traced.get(line.id)
        if traced is None:
            traced = self._traced[line.id] = self._trace(line)
        return traced

    def all(self) -> dict[str, Traced]:
        """Give the state of every line by id, in the rig's order."""
        return {line.id: self.of(line) for line in self._found.rig.lines}

    def _trace(self, line: Line) -> Traced:
        strays, heard = self._strays, self._heard
        mine = tuple([stray for start in line.from_ports for stray in strays.get(start, ())]) if strays else ()
        old = self._before.get(line.id)
        if old is not None and old.holds(line, mine) and self._same(line):
            return old
        between = self._between
        legs = tuple([between(start, end) for start, end in line.pairs()])
        others = _others(line, heard) if line.alone else ()
        findings = findings_of(line, legs, self._found, heard, strays, others, self.sums)
        return Traced(LineState(line, legs, findings, others), mine)


def _heard(known: Ahead, found: Index) -> tuple[dict[Port, list[Port]], dict[Port, list[Port]]]:
    """Which source ports sound at each target port now, and which wherever sums are judged."""
    heard: dict[Port, list[Port]] = {}
    fed: dict[Port, list[Port]] = {}
    for start in found.starts():
        for port in known.sound(start).by:
            bank = port.bank
            if bank in ("track", "in"):
                heard.setdefault(port, []).append(start)
            elif bank in MET_BANKS:
                fed.setdefault(port, []).append(start)
    return heard, fed


def _others(line: Line, heard: dict[Port, list[Port]]) -> tuple[Port, ...]:
    """The ports of sounds that arrive at a line's targets and are not its own."""
    arriving = [start for end in line.to_ports for start in heard.get(end, ()) if start not in line.from_ports]
    return tuple(dict.fromkeys(arriving)) if arriving else ()


def _strays(heard: dict[Port, list[Port]], lines: tuple[Line, ...]) -> Strays:
    guarded: dict[Port, Line] = {}
    for line in lines:
        # On a track nobody else belongs, though others be let in.
        if line.alone or line.purpose == "record":
            for end in line.to_ports:
                guarded.setdefault(end, line)
    suspects = [
        (start, end, owner)
        for end, owner in guarded.items()
        for start in heard.get(end, ())
        if start not in owner.from_ports
    ]
    if not suspects:
        return {}
    wanted = {(start, end) for line in lines for start in line.from_ports for end in line.to_ports}
    strays: Strays = {}
    for start, end, owner in suspects:
        if (start, end) not in wanted:
            strays.setdefault(start, []).append((end, owner))
    return strays
