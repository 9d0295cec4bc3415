"""What is wrong with a line of several sources because of what is wrong with one of them is told with that."""

from collections.abc import Iterator

from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.ports import Port
from iskelo.core.snags.rule import Snag


def causes_of_mixes(reading: Reading, snags: list[Snag]) -> dict[str, str]:
    """Find the snags of lines of several sources that follow from others.

    A source that is missing is missing in its own line too; one that comes twice, or is a stranger, stands where
    another's belongs on the way.

    Returns
    -------
    dict of str to str
        By the key of a snag that of the one it follows from.
    """
    if not any(state.line.mixed for state in reading.lines):
        return {}
    states = {state.line.id: state for state in reading.lines}
    of_one = [(snag, states[line]) for snag in snags for line in snag.lines if not states[line].line.mixed]
    return {
        snag.key: cause.key
        for snag in snags
        if snag.rule.startswith("line-") and snag.lines and all(states[line].line.mixed for line in snag.lines)
        if (cause := next(_causes(snag, [states[line] for line in snag.lines], of_one), None)) is not None
    }


def _causes(snag: Snag, mixes: list[LineState], of_one: list[tuple[Snag, LineState]]) -> Iterator[Snag]:
    for other, state in of_one:
        if other is snag:
            continue
        starts = set(state.line.from_ports)
        if snag.rule in ("line-silent", "line-half-silent", "line-blocked"):
            missing = starts and not any(leg.sounds for leg in state.legs)
            if missing and any(leg.start in starts and not leg.sounds for mix in mixes for leg in mix.legs):
                yield other
        elif snag.rule in ("line-doubled", "line-crowded"):
            strangers = set(state.others) & _wrong_in(mixes)
            ends = {port.owner for port in state.line.to_ports}
            if strangers and any(ends & _passed(mix, start) for mix in mixes for start in strangers):
                yield other


def _wrong_in(mixes: list[LineState]) -> set[Port]:
    """The sources that come more than once into one of these, or do not belong there."""
    twice = {leg.start for mix in mixes for leg in mix.legs if len(leg.arrivals) > 1}
    return twice | {start for mix in mixes for start in mix.others}


def _passed(mix: LineState, start: Port) -> set[str]:
    """Whose ports a source of a mix passes; of one that does not belong there, whose any source does."""
    legs = [leg for leg in mix.legs if leg.start == start] or list(mix.legs)
    return {port.owner for leg in legs for arrival in leg.arrivals for port in arrival.route.ports}
