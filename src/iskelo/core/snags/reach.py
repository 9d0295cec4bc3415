"""Which lines a program, an input or a track harms, and which have something wrong with them."""

from iskelo.core.lines.context import Reading
from iskelo.core.lines.findings import Headline
from iskelo.core.lines.state import LineState
from iskelo.core.rig.programs import Program


def lines_of_program(reading: Reading, program: Program) -> tuple[str, ...]:
    """The lines that end on a program's tracks, or begin at its voices."""
    own = {item.id for item in program.tracks} | {item.id for item in program.voices}
    return tuple(
        line.id for line in reading.rig.lines if any(port.owner in own for port in (*line.from_ports, *line.to_ports))
    )


def lines_through_input(reading: Reading, item: str) -> tuple[str, ...]:
    """The record lines whose track takes this input."""
    tracks = {track.id for program in reading.found.programs() for track in program.tracks if track.input == item}
    return tuple(line.id for line in reading.rig.lines if any(port.owner in tracks for port in line.to_ports))


def lines_to_track(reading: Reading, track: str) -> tuple[str, ...]:
    """The record lines that end on a track."""
    return tuple(line.id for line in reading.rig.lines if any(port.owner == track for port in line.to_ports))


def with_finding(reading: Reading, kind: Headline) -> list[tuple[LineState, str]]:
    """The lines that were found so, each with the words of the finding."""
    return reading.having.get(kind, [])
