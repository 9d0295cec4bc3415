"""The plan for everything that is silent: what goes between programs first, then one line after the other."""

from iskelo.core.edits.edit import Edit
from iskelo.core.lines.context import Reading
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.planner.search import Joining, arriving, joined

MIXED_UP = ("crossed", "doubled", "crowded")


def _mixed_up(reading: Reading) -> set[tuple[str, str]]:
    """The lines that come with others, twice, or in the place of others."""
    return {
        (state.line.id, finding.kind)
        for state in reading.lines
        for finding in state.findings
        if finding.kind in MIXED_UP
    }


def join_all(reading: Reading) -> Joining | None:
    """The smallest changes that make every silent or blocked line arrive: what goes from program to program, by cables
    or by returns, first, the others one line after the other.

    A listen line goes the quickest way there is: direct monitoring where the box has it.

    Returns
    -------
    Joining or None
        None if nothing is missing, or nothing known helps.
    """
    edits: list[Edit] = []
    words: list[str] = []
    places: list[str] = []

    def take(joining: Joining) -> None:
        edits.extend(joining.edits)
        words.extend(joining.words)
        places.extend(joining.places)

    for by_programs in (join_by_cables, join_by_returns):
        between = by_programs(reading)
        if between is not None:
            take(between[0])
            reading = between[1]
    for line in reading.rig.lines:
        found = joined(reading, line)
        if found is None:
            continue
        joining, after = found
        # What arrives is never taken away for another, nor is anything mixed up with it.
        if arriving(reading) <= arriving(after) and _mixed_up(after) <= _mixed_up(reading):
            take(joining)
            reading = after
    return Joining(tuple(edits), tuple(words), tuple(places)) if edits else None
