"""Rules about sound that goes round: it howls, it may howl, or it rings."""

import math
from functools import partial

from iskelo.core.lines.context import Reading
from iskelo.core.lines.rings import Ringing
from iskelo.core.planner.opening import openings, turned_down
from iskelo.core.planner.stages import plain
from iskelo.core.snags.rule import Remedy, Severity, Snag, rule
from iskelo.core.wiring.hops import HOPS
from iskelo.core.words.rings import say_ringing, say_round

MARGIN_DB = 6.0
"""So far below nought a loop is turned down; common practice, no published source."""

OPENINGS_AT_MOST = 2

_SEVERITY: dict[str, Severity] = {"howls": "stop", "may howl": "stop", "rings": "trouble"}


@rule("what goes round", symptoms=("howls", "rings", "hollow", "echo"))
def sound_goes_round(reading: Reading) -> list[Snag]:
    """Leads, monitoring and mixes close a circle: what goes round grows, may grow, or takes its time to die away."""
    sides: dict[tuple[object, ...], list[Ringing]] = {}
    for ring in reading.rings.all:
        sides.setdefault((ring.verdict, ring.is_heard, frozenset((e.kind, e.owner) for e in ring.edges)), []).append(
            ring
        )
    return [_snag(rings, reading) for rings in sides.values()]


def _snag(rings: list[Ringing], reading: Reading) -> Snag:
    """What goes round by the same gear is one, the two sides of a pair above all."""
    ring = rings[0]
    found, worst = reading.found, ring.worst
    lines = tuple(
        state.line.id for state in reading.lines if any(each in leg.rings for leg in state.legs for each in rings)
    )
    owners = dict.fromkeys(found.owner(port).id for edge in worst.loop.edges for port in (edge.start,))
    return Snag(
        key=f"sound-goes-round:{_its_own(ring)}",
        rule="sound-goes-round",
        severity=_SEVERITY[ring.verdict] if ring.is_heard else "note",
        title=f"Sound goes round: it {ring.verdict}, by {say_round(worst, found)}"[:300],
        evidence=_evidence(ring, reading),
        consequence=_CONSEQUENCES[ring.verdict],
        items=tuple(owners),
        lines=lines,
        mend=partial(_mend, rings, reading),
    )


_CONSEQUENCES = {
    "howls": "Any sound that gets in grows until something clips: a howl, as loud as the gear can be.",
    "may howl": "A filter or a lead wired the other way round is enough for it to howl.",
    "rings": "Every sound is followed by copies of itself: it sounds hollow, like an echo or like a room of metal.",
}


def _its_own(ring: Ringing) -> str:
    """What no other knot has: every circle holds a lead, a cable, or a strip that takes what has been given out
    before.
    """
    leads = [edge.owner for edge in ring.edges if HOPS[edge.kind].whose == "lead"]
    taken = (f"{e.owner}/{e.end.number}" for e in ring.edges if e.kind in ("source", "cable"))
    return min(leads) if leads else min(taken)


def _evidence(ring: Ringing, reading: Reading) -> str:
    gain_db = ring.worst.loop.gain_db
    margin = f" It has {plain(-gain_db)} dB to nought." if gain_db < 0 else f" It is {plain(gain_db)} dB above nought."
    count = "more than can be listed" if ring.more else str(len(ring.rounds))
    loops = f" {count} ways round meet there; this one is told." if len(ring.rounds) > 1 else ""
    said = say_ringing(ring, reading.found)
    return f"{said[:1].upper()}{said[1:]}.{margin}{loops}"


def _mend(rings: list[Ringing], reading: Reading) -> tuple[Remedy, ...]:
    """Open it where that harms least, or turn one gain down that all of it passes."""
    remedies = []
    ring = rings[0]
    for some in openings(tuple(edge for each in rings for edge in each.edges), reading)[:OPENINGS_AT_MOST]:
        words = ", ".join([some[0].words, *(each.words[:1].lower() + each.words[1:] for each in some[1:])])
        remedies.append(Remedy(words, tuple(each.edit for each in some)))
    loudest = max(each.loop.gain_db for each in ring.rounds)
    by_db = math.ceil(10 * (loudest + MARGIN_DB)) / 10
    if len(ring.rounds) == 1 and not ring.more and by_db > 0 and ring.verdict != "rings":
        for stage in turned_down(ring.worst.loop.edges, by_db, reading)[:1]:
            to_db = round(stage.now_db - by_db, 1)
            words = f"Turn {stage.words} down by {plain(by_db)} dB: it rings, and does not howl"
            remedies.append(Remedy(words, (stage.make(to_db),)))
    return tuple(remedies)
