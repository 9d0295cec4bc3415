"""The smallest change that makes a line arrive: the cheapest way over what is patched and what could be."""

import heapq

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.passing import belongs_to, goes_as_said, passes
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.move import Ask, Move
from iskelo.core.planner.moves import moves
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import COMPUTER, Line
from iskelo.core.routes.route import passing_routes
from iskelo.core.words.say import say_unblock

Place = tuple[Port, frozenset[str]]
"""Where a way stands, and what it has passed of what it must."""


def cheapest_way(reading: Reading, ask: Ask) -> list[Move] | None:
    """The moves of the cheapest way from the asked start to its end (Dijkstra); None if there is none.

    A port is another place for each part of what must be passed that has been.
    """
    goal: Place = (ask.end, frozenset(ask.through))
    first: Place = (ask.start, frozenset())
    best: dict[Place, float] = {first: 0.0}
    came: dict[Place, tuple[Place, Move]] = {}
    queue: list[tuple[float, Place]] = [(0.0, first)]
    said = bool(ask.through or ask.never_by)
    while queue:
        cost, place = heapq.heappop(queue)
        if place == goal:
            way: list[Move] = []
            while place != first:
                place, move = came[place]
                way.append(move)
            return way[::-1]
        if cost > best[place]:
            continue
        port, passed = place
        for move in moves(port, reading, ask):
            if move.end in ask.avoid:
                continue
            there = passed
            if said:
                if _passed_by(move, ask.never_by, reading.found):
                    continue
                there = passed | _passed_by(move, ask.through, reading.found)
            onward, total = (move.end, there), cost + move.cost
            if total < best.get(onward, float("inf")):
                best[onward] = total
                came[onward] = (place, move)
                heapq.heappush(queue, (total, onward))
    return None


def _passed_by(move: Move, named: tuple[str, ...], found: Index) -> frozenset[str]:
    """Give those of these names that a move passes. What it makes is new in a program, so no line names it yet."""
    owner = move.end.owner
    here = belongs_to(owner, found) if found.holds(owner) else frozenset({COMPUTER})
    return (here | set(move.passes)) & set(named)


def join_line(reading: Reading, line: Line, *, direct: bool = True, through_computer: bool = True) -> Joining | None:
    """The smallest change that makes every leg of a line arrive.

    Parameters
    ----------
    reading
        The rig as it is.
    line
        The line to complete; legs that arrive already cost nothing.
    direct, through_computer
        Whether a listen line may use direct monitoring, or the program.

    Returns
    -------
    Joining or None
        None if no list of known edits joins the ends, or nothing is missing.
    """
    found = joined(reading, line, direct=direct, through_computer=through_computer)
    return found[0] if found is not None else None


def joined(
    reading: Reading,
    line: Line,
    *,
    direct: bool = True,
    through_computer: bool = True,
    avoid: frozenset[Port] = frozenset(),
) -> tuple[Joining, Reading] | None:
    """What ``join_line`` finds, with the rig as it is then; ``avoid``: ports that no new way may pass."""
    made = Joinings(reading)
    for start, end in line.pairs():
        reading = made.reading
        # It may arrive by a way that no list of commands makes, through outboard or an effect.
        arrives = bool(passing_routes(reading.graph, start, end)) and not _goes_otherwise(line, reading)
        if direct and through_computer and arrives:
            continue
        named = line.name if line.mixed else ""
        ask = Ask(start, end, direct, through_computer, line.through, line.never_by, named, avoid)
        ways = [way for way in (cheapest_way(reading, ask), _opened_way(reading, ask)) if way is not None]
        if not ways:
            return None
        way = min(ways, key=lambda each: sum(move.cost for move in each))
        step = tuple(edit for move in way for edit in move.edits)
        if not step:
            continue
        try:
            after = read(apply(reading.rig, step).rig, reading)
        except Refused:
            return None
        words = tuple(said for move in way for said in move.words)
        places = tuple(_place(after, move) for move in way for _ in move.words)
        made.take(Joining(step, words, places), after)
    # A later leg may have taken away what an earlier one needed; then there is no such list of edits.
    arriving_by = [passing_routes(made.reading.graph, start, end) for start, end in line.pairs()]
    if not all(any(goes_as_said(each.edges, line, made.reading.found) for each in routes) for routes in arriving_by):
        return None
    return made.found()


def _goes_otherwise(line: Line, reading: Reading) -> bool:
    """Tell whether a line of the rig goes another way than it names; one that is only asked about does not."""
    return line.id in reading.traced and reading.traced[line.id].state.goes_otherwise


def _place(reading: Reading, move: Move) -> str:
    """The gear at which a step is made: the program that it sets something of, else what it leads to."""
    programs = (getattr(edit, "program", None) for edit in move.edits)
    program = next((each for each in programs if each in reading.found.gear), None)
    return reading.found.gear[program].name if program is not None else reading.found.owner(move.end).name


def _opened_way(reading: Reading, ask: Ask) -> list[Move] | None:
    """What opens the way that is patched already, wherever it leads: through another program, or outboard gear.

    None if nothing is patched from the asked start to its end, or nothing known opens it.
    """
    way = next(
        (leg.way for state in reading.lines for leg in state.legs if (leg.start, leg.end) == (ask.start, ask.end)), None
    )
    if way is None or not all(passes(way.edges, each, reading.found) for each in ask.through):
        return None
    if any(passes(way.edges, each, reading.found) for each in ask.never_by):
        return None
    kinds = {edge.kind for edge in way.edges}
    if ("direct" in kinds and not ask.direct) or ("capture" in kinds and not ask.through_computer):
        return None
    moves: list[Move] = []
    for edge in way.edges:
        if edge.block is None:
            continue
        if not edge.block.unblock:
            return None
        if edge.block.unblock not in [move.edits for move in moves]:
            said = (say_unblock(edge.block, reading.found),)
            # However many settings it takes: it undoes one thing that somebody did.
            moves.append(Move(edge.end, 1, edge.block.unblock, said))
    return moves


def arriving(reading: Reading) -> set[str]:
    """The lines of which something arrives at every leg, by the way that they name if they do."""
    return {
        state.line.id
        for state in reading.lines
        if state.legs and all(leg.sounds for leg in state.legs) and not state.goes_otherwise
    }


MIXED_UP = ("crossed", "doubled", "crowded", "other way")


def mixed_up(reading: Reading) -> set[tuple[str, str]]:
    """The lines that come with others, twice, or in the place of others."""
    return {
        (state.line.id, finding.kind)
        for state in reading.lines
        for finding in state.findings
        if finding.kind in MIXED_UP
    }
