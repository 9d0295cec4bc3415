"""The age of a proof: a line stays proved until something on its way changes.

A check keeps a mark of every line it proved: a digest of all that decides what arrives. Names, notes and gear that the
line does not pass are not in it, so renaming a track leaves its proof alone, and another buffer on its box does not.
"""

import hashlib
from collections.abc import Mapping
from typing import Literal

from iskelo.core.lines.legs import Arrival
from iskelo.core.lines.state import LineState

Proof = Literal["proved", "stale", "failed"]


def mark(state: LineState) -> str:
    """A digest of everything that decides what arrives at a line's targets, and of what is wanted there."""
    legs = [
        (
            leg.start,
            leg.end,
            [
                (
                    arrival.route.ports,
                    round(arrival.level_dbfs, 6),
                    arrival.sign,
                    arrival.delay.rate_hz,
                    _terms(arrival),
                )
                for arrival in leg.arrivals
            ],
        )
        for leg in state.legs
    ]
    round_ = [
        [(round(each.loop.gain_db, 6), each.loop.sign, each.seconds) for each in ring.rounds]
        for leg in state.legs
        for ring in leg.rings
    ]
    speeds = [str(finding.fact.parts["ratio"]) for finding in state.findings if finding.kind == "off speed"]
    line = state.line
    wanted = (line.longest_delay_ms, line.lowest_dbfs, line.highest_dbfs, line.alone, state.others, *speeds)
    found = [finding.kind for finding in state.findings]
    return hashlib.sha256(repr((legs, wanted, found, *round_)).encode()).hexdigest()[:16]


def _terms(arrival: Arrival) -> list[tuple[str | int, ...]]:
    at = arrival.delay.rate_hz
    return [
        (
            *(term.kind, term.samples),
            *(() if term.rate_hz == at else (term.rate_hz,)),
            *(("and up to", term.spread) if term.spread else ()),
        )
        for term in arrival.delay.terms
    ]


def proofs(states: list[LineState], checked: Mapping[str, tuple[str, bool]]) -> dict[str, Proof]:
    """What a check says of each line today.

    Parameters
    ----------
    checked
        By line id: the mark it had when it was checked, and whether it was found as wanted.

    Returns
    -------
    dict
        *proved* (as wanted, nothing on its way changed since), *failed* (not as wanted, nothing changed), or
        *stale* (something changed); lines that were never checked are absent.
    """
    found: dict[str, Proof] = {}
    for state in states:
        if state.line.id in checked:
            then, good = checked[state.line.id]
            found[state.line.id] = "stale" if mark(state) != then else "proved" if good else "failed"
    return found
