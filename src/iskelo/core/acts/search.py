"""The acts that mend: each is tried as it would be made, and what it does to the lines is what it is worth.

Nobody has to know what mends what: it is enough to know what can be done, and to look.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import reduce
from itertools import combinations, islice
from operator import or_

from iskelo.core.acts.act import Act, ActKind, Near
from iskelo.core.acts.every import acts_about, acts_at_once, near
from iskelo.core.acts.switches import switch_acts
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.findings import HEADLINES, Headline

TRIED_AT_MOST = 150
"""So many acts about one thing are tried."""

MANY_LINES, OF_MANY_LINES, EDITS_OF_MANY = 64, 36, 128
"""In a rig of more lines than that each takes longer: fewer are tried there, and none of more edits than these."""

KEPT_AT_MOST = 6

PATCHED: frozenset[Headline] = frozenset({"doubled", "off speed", "drifting", "skewed", "rings", "late", "hot", "low"})
"""What is found of lines that come from where they should and get where they should: no lead or name is exchanged."""

IN_PAIRS: tuple[ActKind, ...] = ("switches", "pans", "monitoring", "supply")
"""What stands wrongly two at a time. Leads and names exchanged twice make another patch, not the one that was meant."""

SINGLES = 12
"""So many acts, those that leave least each by itself, are tried two by two where none frees a line."""


@dataclass(frozen=True, slots=True)
class Found:
    """An act that mends: how many lines it frees, and how many others it harms."""

    act: Act
    freed: int
    harmed: int


@dataclass(frozen=True, slots=True)
class Searched:
    """What a search found, the best first; how many acts were tried, and of which kinds."""

    found: tuple[Found, ...]
    tried: int
    kinds: tuple[ActKind, ...]


def search(
    reading: Reading, lines: Iterable[str], *, at_once: bool = False, few: bool = False, pairs: bool = False
) -> Searched:
    """The acts that free some of these lines and most of all, and harm fewest others; then those that cost least.

    A line is freed that arrives as it is wanted then and did not before. ``at_once``: only acts that move many things;
    ``few``: only what is switched or turned about these lines. ``pairs``: where none frees a line, two are tried.
    """
    wanted, well = frozenset(lines), _as_wanted(reading)
    nowhere = Near(frozenset(), frozenset())
    wrong = [(state.line.id in wanted, near(reading, state)) for state in reading.lines if state.line.id not in well]
    about = reduce(or_, [place for asked, place in wrong if asked], nowhere)
    around = reduce(or_, [place for _, place in wrong], nowhere)
    headlines = {reading.traced[line].state.headline for line in wanted if line in reading.traced}
    acts = acts_about(reading, about, around, patched=headlines <= PATCHED)
    acts = switch_acts(reading.found, about) if few else acts
    acts = acts_at_once(reading, around) if at_once else acts
    found: list[Found] = []
    kinds: dict[ActKind, None] = {}
    tried = 0
    many = len(reading.lines) > MANY_LINES
    able = (act for act in acts if act.mends and not (many and len(act.edits) > EDITS_OF_MANY))
    nearest: list[tuple[float, int, Act]] = []
    for act in islice(able, OF_MANY_LINES if many else TRIED_AT_MOST):
        try:
            after = read(apply(reading.rig, act.edits).rig, reading)
        except Refused:
            continue
        tried += 1
        kinds[act.kind] = None
        then = _as_wanted(after)
        freed, harmed = len(then - well), len(well - then)
        if freed > harmed and then & wanted - well:
            found.append(Found(act, freed, harmed))
        elif pairs and act.kind in IN_PAIRS:
            nearest.append((_left(after, wanted), tried, act))
    if not found and pairs and not many:
        singles = [act for _, _, act in sorted(nearest, key=lambda each: each[:2])[:SINGLES]]
        both = _pairs(reading, wanted, well, singles)
        found += both.found
        tried += both.tried
    best = sorted(found, key=lambda each: (-each.freed, each.harmed, each.act.cost, len(each.act.edits)))
    return Searched(tuple(best[:KEPT_AT_MOST]), tried, tuple(kinds))


def _left(reading: Reading, wanted: frozenset[str]) -> float:
    """How far these lines are from being as they are wanted: by their headlines, and by what shuts their ways."""
    states = [reading.traced[line].state for line in wanted if line in reading.traced]
    return sum(
        len(HEADLINES) - HEADLINES.index(state.headline) + sum(len(leg.blocks) for leg in state.legs)
        for state in states
    )


def _pairs(reading: Reading, wanted: frozenset[str], well: frozenset[str], singles: list[Act]) -> Searched:
    """Two acts one behind the other, of those that leave least each by itself."""
    found: list[Found] = []
    tried = 0
    for one, other in combinations(singles, 2):
        edits = (*one.edits, *other.edits)
        try:
            after = read(apply(reading.rig, edits).rig, reading)
        except Refused:
            continue
        tried += 1
        then = _as_wanted(after)
        freed, harmed = len(then - well), len(well - then)
        if freed > harmed and then & wanted - well:
            words = f"{one.words}, then {other.words[:1].lower()}{other.words[1:]}"
            cost = one.cost + other.cost
            found.append(Found(Act(one.kind, words, edits, one.touches | other.touches, cost), freed, harmed))
    return Searched(tuple(found), tried, ())


def _as_wanted(reading: Reading) -> frozenset[str]:
    return frozenset(state.line.id for state in reading.lines if state.headline == "arrives")
