"""Which lines a program, an input or a track harms, and which have something wrong with them."""

from iskelo.core.lines.context import Reading
from iskelo.core.lines.findings import Headline
from iskelo.core.lines.legs import Leg
from iskelo.core.lines.state import LineState
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.words.say import say


def lines_of_program(reading: Reading, program: Program) -> tuple[str, ...]:
    """The lines that end on a program's tracks, or begin at its voices."""
    own = [*(track.id for track in program.tracks), *(voice.id for voice in program.voices)]
    return _in_order(reading, own, own)


def lines_through_input(reading: Reading, item: str) -> tuple[str, ...]:
    """The record lines whose track takes this input."""
    tracks = reading.found.items[item].program.tracks
    return _in_order(reading, [], [track.id for track in tracks if track.input == item])


def lines_to_track(reading: Reading, track: str) -> tuple[str, ...]:
    """The record lines that end on a track."""
    return _in_order(reading, [], [track])


def lines_from(reading: Reading, source: str) -> tuple[str, ...]:
    """The lines that begin at a source."""
    return _in_order(reading, [source], [])


def _in_order(reading: Reading, beginning: list[str], ending: list[str]) -> tuple[str, ...]:
    """The lines that begin or end at any of these, in the rig's order."""
    lines = {line for owner in beginning for line in reading.beginning.get(owner, ())}
    lines |= {line for owner in ending for line in reading.ending.get(owner, ())}
    if len(lines) < 2:
        return tuple(lines)
    return tuple(line.id for line in reading.rig.lines if line.id in lines)


def lines_passing(reading: Reading, owner: str) -> tuple[str, ...]:
    """The lines whose way, or as much of it as is patched, leads through something."""
    return tuple(
        state.line.id
        for state in reading.lines
        if any(port.owner == owner for leg in state.legs for port in _passed(leg))
    )


def _passed(leg: Leg) -> tuple[Port, ...]:
    return leg.way.ports if leg.way is not None else leg.gap.ahead if leg.gap is not None else ()


def stopping_at(reading: Reading, owner: str) -> tuple[str, ...]:
    """The lines that get as far as something and no further, by one of their legs."""
    return tuple(
        state.line.id
        for state in reading.lines
        if any(leg.gap is not None and leg.gap.ahead[-1].owner == owner for leg in state.legs)
    )


def with_finding(reading: Reading, kind: Headline) -> list[tuple[LineState, str]]:
    """The lines that were found so, each with the words of the finding."""
    return [(state, say(finding, reading.found)) for state, finding in reading.having.get(kind, ())]
