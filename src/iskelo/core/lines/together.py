"""Recordings that belong together: tracks of one program that come through several boxes at different times.

What is caught by two of them combs when it is mixed. The box that most of a program's lines come through is what the
others are held against, of equals the earliest.
"""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction

from iskelo.core.lines.findings import HEADLINES, Finding
from iskelo.core.lines.legs import Arrival
from iskelo.core.lines.state import LineState
from iskelo.core.rig.index import Index
from iskelo.core.timing.copies import notches_hz
from iskelo.core.values import Fact, fact


def with_companions(states: list[LineState], found: Index) -> list[LineState]:
    """The states of all lines, with what is found about those that are recorded together."""
    late = dict(_late(states, found))
    return [_with(state, late[state.line.id]) if state.line.id in late else state for state in states]


def _with(state: LineState, finding: Finding) -> LineState:
    others = [each for each in state.findings if each.kind != "arrives"]
    findings = sorted([*others, finding], key=lambda each: HEADLINES.index(each.kind))
    return replace(state, findings=tuple(findings))


def _late(states: Sequence[LineState], found: Index) -> Iterator[tuple[str, Finding]]:
    several = {
        identity
        for identity, streams in found.opened.items()
        if sum(bool(way.channels("capture")) for way in streams.ways) > 1
    }
    if not several:
        return
    together: dict[str, dict[str, list[tuple[LineState, Arrival]]]] = {}
    for state in states:
        arrival = state.legs[0].arrivals[0] if state.legs and state.legs[0].arrivals else None
        if arrival is None or arrival.drift is not None or state.line.purpose != "record":
            continue
        # What a program sounds itself is caught by no other microphone: there is nothing that it could comb with.
        if state.legs[0].start.bank == "voice":
            continue
        taken = next((edge for edge in arrival.route.edges if edge.kind == "from device"), None)
        if taken is not None and taken.owner in several:
            together.setdefault(taken.owner, {}).setdefault(taken.start.owner, []).append((state, arrival))
    for boxes in together.values():
        if len(boxes) < 2:
            continue
        most = min(boxes, key=lambda box: (-len(boxes[box]), _seconds(boxes[box][0][1])))
        when = _seconds(boxes[most][0][1])
        for box, lines in boxes.items():
            for state, arrival in lines if box != most else ():
                later = _apart(_seconds(arrival) - when, arrival.delay.rate_hz, most)
                if later is not None:
                    yield state.line.id, Finding("skewed", later)


def _apart(later: Fraction, rate_hz: int | None, box: str) -> Fact | None:
    """By how much something is later than what comes through a box; None where a sum of both does not hear it."""
    notches = notches_hz(abs(float(later)), count=1)
    if not notches or rate_hz is None:
        return None
    when = "after" if later > 0 else "before"
    samples, ms = abs(round(later * rate_hz)), 1000 * abs(float(later))
    return fact("recorded apart", samples=samples, ms=ms, when=when, box=box, notch_hz=notches[0])


def _seconds(arrival: Arrival) -> Fraction:
    return arrival.delay.seconds
