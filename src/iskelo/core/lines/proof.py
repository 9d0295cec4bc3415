"""The age of a proof: a line stays proved until something on its way changes.

A check keeps a mark of every line it proved: a digest of all that decides what arrives, and one of the boxes, drivers
and devices on its way: what was proved of one box says nothing of another, though its figures are the same. Names,
notes and gear that the line does not pass are not in it, so renaming a track leaves its proof alone.
"""

import hashlib
from collections.abc import Mapping
from fractions import Fraction
from typing import Literal

from iskelo.core.lines.legs import Arrival
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.timing.delays import way_of
from iskelo.core.wiring.hops import DEVICE_HOPS

Proof = Literal["proved", "stale", "failed"]


def mark(state: LineState, found: Index) -> str:
    """What a proof of a line holds for: a digest of what arrives and is wanted, and behind a stop one of the gear."""
    return f"{_mark_of_sound(state)}.{_mark_of_gear(state, found)}"


def _mark_of_gear(state: LineState, found: Index) -> str:
    """A digest of the boxes, drivers and devices that a line passes; a box swapped for another has other drivers."""
    passed: set[str] = set()
    for edge in (edge for leg in state.legs for arrival in leg.arrivals for edge in arrival.route.edges):
        for port in (edge.start, edge.end):
            box = found.gear.get(port.owner)
            if isinstance(box, Interface):
                passed.add(box.drivers[0].id)
        if edge.kind in DEVICE_HOPS:
            streams = found.opened[edge.owner]
            passed |= {streams.device.id, way_of(streams, edge).driver.id}
    return hashlib.sha256(repr(sorted(passed)).encode()).hexdigest()[:8]


def _mark_of_sound(state: LineState) -> str:
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
    off = [finding.fact.parts for finding in state.findings if finding.kind == "off speed"]
    speeds = [str(part) for parts in off for part in parts.values() if isinstance(part, Fraction)]
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


def proofs(states: list[LineState], found: Index, checked: Mapping[str, tuple[str, bool]]) -> dict[str, Proof]:
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
    told: dict[str, Proof] = {}
    for state in states:
        if state.line.id in checked:
            then, good = checked[state.line.id]
            # Checks of older versions kept no mark of the gear.
            now = mark(state, found) if "." in then else _mark_of_sound(state)
            told[state.line.id] = "stale" if now != then else "proved" if good else "failed"
    return told
