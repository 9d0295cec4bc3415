"""The plan for everything that is silent: what goes between programs first, then one line after the other; for what is
left then, pans that keep sounds apart, and boxes joined.

The order in which lines were wished for does not matter: they are served in the order of the gear and the ports where
they begin and end.
"""

from collections.abc import Iterable

from iskelo.core.acts.search import search_switches
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.by_programs import join_by_programs
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.planner.by_sums import join_by_sums
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.more_boxes import boxes_joined
from iskelo.core.planner.search import arriving, joined, mixed_up
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line

WAYS_AT_MOST = 3
"""So many ways are tried for one line where the cheaper ones mix it up with others."""

BOXES_AT_MOST = 3
"""So many boxes are joined to a program's own by one plan."""


def join_all(reading: Reading) -> Joining | None:
    """The smallest changes that make every silent or blocked line arrive: what goes from program to program, by cables
    or by returns, first, the others one line after the other; boxes are joined for what finds no room otherwise.

    A listen line goes the quickest way there is: direct monitoring where the box has it.

    Returns
    -------
    Joining or None
        None if nothing is missing, or nothing known helps.
    """
    made = Joinings(reading)
    # What is mixed before the computer, or in a bus or an output that is there, needs no mix of its own.
    _lines(made, (line for line in reading.rig.lines if line.mixed and line.at_track))
    for by_programs in (join_by_sums, join_by_cables, join_by_returns, join_by_programs):
        between = by_programs(made.reading)
        if between is not None:
            made.take(*between)
    _lines(made, reading.rig.lines)
    for _ in range(BOXES_AT_MOST):
        if not _more_boxes(made):
            break
    return made.made() if made.edits else None


def join_apart(reading: Reading, line: Line) -> Joining | None:
    """The smallest changes that make one line arrive as it says, and mix it up with nothing; None if none is known."""
    made = Joinings(reading)
    _lines(made, (line,))
    return made.made() if made.edits else None


def _lines(made: Joinings, lines: Iterable[Line]) -> None:
    """Serve these lines one after the other."""
    for line in in_order(made.reading.found, lines):
        found = _one_line(made.reading, line)
        if found is not None:
            made.take(*found)


def _one_line(reading: Reading, line: Line) -> tuple[Joining, Reading] | None:
    """Find the smallest changes that make a line arrive, and that neither take away what arrives nor mix it up."""
    avoid: frozenset[Port] = frozenset()
    for _ in range(WAYS_AT_MOST):
        found = joined(reading, line, avoid=avoid)
        if found is None:
            return None
        joining, after = found
        if arriving(reading) <= arriving(after):
            if mixed_up(after) <= mixed_up(reading) and not after.traced[line.id].state.goes_otherwise:
                return found
            apart = _kept_apart(reading, joining, after, line)
            if apart is not None:
                return apart
        mixed = {each for each, _ in mixed_up(after) - mixed_up(reading)}
        met = _met(after, line, mixed) - avoid
        if not met:
            return None
        avoid |= met
    return None


def _met(reading: Reading, line: Line, mixed: set[str]) -> frozenset[Port]:
    """Find the ports on a line's way, but for its ends, where it meets what is mixed up with it.

    Where other lines alone are mixed up, those are theirs; else all where others sound too.
    """
    if mixed and line.id not in mixed:
        others = {port for each in mixed for port in _passed(reading, each)}
    else:
        others = {
            port
            for start in reading.found.starts()
            if start not in line.from_ports
            for port in reading.known.sound(start).by
        }
    return frozenset((_passed(reading, line.id) & others) - {*line.from_ports, *line.to_ports})


def _passed(reading: Reading, line: str) -> set[Port]:
    return {port for leg in reading.traced[line].state.legs for each in leg.arrivals for port in each.route.ports}


def _kept_apart(before: Reading, joining: Joining, after: Reading, line: Line) -> tuple[Joining, Reading] | None:
    """A joining for a line that mixes lines up, with the one act that keeps them apart; None if there is none."""
    mixed = {each for each, _ in mixed_up(after) - mixed_up(before)} | {line.id}
    for each in search_switches(after, mixed).found:
        then = read(apply(after.rig, each.act.edits).rig, after)
        apart = mixed_up(then) <= mixed_up(before) and not then.traced[line.id].state.goes_otherwise
        if arriving(after) <= arriving(then) and apart:
            both = Joinings(before)
            both.take(joining, after)
            both.take(Joining(each.act.edits, (each.act.words,), (each.act.place(then.found),)), then)
            return both.found()
    return None


def _more_boxes(made: Joinings) -> bool:
    """Join the box that lets most more lines arrive to the program that needs it; False if none does."""
    here = arriving(made.reading)
    left = [line for line in made.reading.rig.lines if line.id not in here and line.from_ports and line.to_ports]
    best: Joinings | None = None
    for joining in boxes_joined(made.reading, [line.id for line in left]):
        trial = Joinings(made.reading)
        try:
            trial.take(joining, read(apply(made.reading.rig, joining.edits).rig, made.reading))
        except Refused:
            continue
        _lines(trial, left)
        better = len(arriving(trial.reading)) > len(arriving(best.reading if best is not None else made.reading))
        if here <= arriving(trial.reading) and better:
            best = trial
    if best is not None:
        made.take(best.made(), best.reading)
    return best is not None


def in_order(found: Index, lines: Iterable[Line]) -> list[Line]:
    """Lines in the order of the gear, and of the ports, where they begin and then where they end."""
    places = {identity: place for place, identity in enumerate(found.gear)}

    def place(line: Line) -> list[tuple[int, int, int]]:
        return [
            (
                places[found.gear_of(port.owner)],
                found.items[port.owner].position if port.owner in found.items else 0,
                port.number,
            )
            for port in (*line.from_ports, *line.to_ports)
        ]

    return sorted(lines, key=lambda line: (line.purpose != "record", place(line)))
