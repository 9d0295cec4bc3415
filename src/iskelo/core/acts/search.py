"""The acts that mend: each is tried as it would be made, and what it does to the lines is what it is worth.

Nobody has to know what mends what: it is enough to know what can be done, and to look.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import reduce
from itertools import chain, combinations, islice
from operator import itemgetter, or_

from iskelo.core.acts.act import Act, ActKind, Near
from iskelo.core.acts.every import acts_about, acts_at_once, near
from iskelo.core.acts.leads import exchanged_leads
from iskelo.core.acts.names import exchanged_names
from iskelo.core.acts.stakes import Stakes
from iskelo.core.acts.switches import switch_acts
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Begun, Reading
from iskelo.core.lines.findings import HEADLINES, Headline
from iskelo.core.lines.state import LineState

TRIED_AT_MOST = 150
"""So many acts about one thing are tried."""

MANY_LINES, OF_MANY_LINES, EDITS_OF_MANY = 64, 36, 128
"""In a rig of more lines than that each takes longer: fewer are tried there, and none of more edits than these."""

KEPT_AT_MOST = 6

PATCHED: frozenset[Headline] = frozenset({"doubled", "off speed", "drifting", "skewed", "rings", "late", "hot", "low"})
"""What is found of lines that come from where they should and get where they should: no lead or name is exchanged."""

UNHEARD: frozenset[Headline] = frozenset({"silent", "half silent", "blocked"})

IN_PAIRS: tuple[ActKind, ...] = ("switches", "pans", "monitoring", "supply")
"""What stands wrongly two at a time. Leads and names exchanged twice make another patch, not the one that was meant."""

FEW_WRONG = 8
"""So many lines may be wrong by one switch, or by two leads or two names that are exchanged."""

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


def search(reading: Reading, lines: Iterable[str], *, at_once: bool = False, pairs: bool = False) -> Searched:
    """The acts that free some of these lines and most of all, and harm fewest others; then those that cost least.

    A line is freed that arrives as it is wanted then and did not before. An act that frees others alone lets one of
    these be heard at least: more than one thing may be wrong with it. ``at_once``: only acts that move many things, or
    two into each other's places, and switches where few lines are wrong; ``pairs``: where none frees a line, two are
    tried.
    """
    trials = _Trials(reading, frozenset(lines))
    about, around = trials.about, trials.around
    if not at_once:
        return trials.of(acts_about(reading, about, around, patched=trials.patched), pairs=pairs)
    acts = acts_at_once(reading, around)
    if trials.wrong <= FEW_WRONG:
        found = reading.found
        singly = (exchanged_names(found, around), switch_acts(found, around), exchanged_leads(found, around))
        acts = chain(acts, *singly)
    return trials.of(acts, pairs=pairs)


def search_switches(reading: Reading, lines: Iterable[str]) -> Searched:
    """The same among what is switched and turned about these lines."""
    trials = _Trials(reading, frozenset(lines))
    return trials.of(switch_acts(reading.found, trials.about))


class _Trials:
    """Acts tried on one rig for some lines of it.

    ``about`` is what stands near these lines, ``around`` what stands near all that are not as they are wanted.
    """

    def __init__(self, reading: Reading, wanted: frozenset[str]) -> None:
        self._reading, self._wanted, self._well = reading, wanted, _as_wanted(reading)
        self._was = {state.line.id: state.headline for state in reading.lines}
        self._troubled = wanted - self._well
        self._found: list[Found] = []
        self._tried = 0
        nowhere = Near(frozenset(), frozenset())
        wrong = [(state, near(reading, state)) for state in reading.lines if state.line.id not in self._well]
        self.wrong = len(wrong)
        self._stakes = Stakes(reading, {state.line.id: place for state, place in wrong}, self._troubled)
        self.about = reduce(or_, [place for state, place in wrong if state.line.id in wanted], nowhere)
        self.around = reduce(or_, [place for _, place in wrong], nowhere)
        self.patched = all(state.headline in PATCHED for state, _ in wrong if state.line.id in wanted)

    def of(self, acts: Iterator[Act], *, pairs: bool = False) -> Searched:
        """What is found among these."""
        many = len(self._reading.lines) > MANY_LINES
        able = (
            act
            for act in acts
            if act.mends and not (many and len(act.edits) > EDITS_OF_MANY) and self._stakes.can_mend(act)
        )
        kinds: dict[ActKind, None] = {}
        nearest: list[tuple[int, Act]] = []
        for act in islice(able, OF_MANY_LINES if many else TRIED_AT_MOST):
            after = self._try(act)
            if after is not None:
                kinds[act.kind] = None
                if pairs and act.kind in IN_PAIRS:
                    nearest.append((_left(after, self._wanted), act))
        if pairs and not self._found and not many:
            singles = [act for _, act in sorted(nearest, key=itemgetter(0))[:SINGLES]]
            for one, other in combinations(singles, 2):
                self._try(one.then(other))
        best = sorted(self._found, key=lambda each: (-each.freed, each.harmed, each.act.cost, len(each.act.edits)))
        return Searched(tuple(best[:KEPT_AT_MOST]), self._tried, tuple(kinds))

    def _try(self, act: Act) -> Begun | None:
        """The rig with an act, which is kept if it mends; None if it is refused."""
        try:
            begun = Begun(apply(self._reading.rig, act.edits).rig, self._reading)
        except Refused:
            return None
        self._tried += 1
        # Most acts better nothing: only of those that do are the other lines looked at.
        if not any(self._is_bettered(state) for state in _of(begun, self._troubled)):
            return begun
        after = begun.read()
        then = _as_wanted(after)
        freed, harmed = len(then - self._well), len(self._well - then)
        # What is found beside other lines is known only now.
        bettered = any(self._is_bettered(state) for state in after.lines if state.line.id in self._troubled)
        if freed > harmed and bettered:
            self._found.append(Found(act, freed, harmed))
        return begun

    def _is_bettered(self, state: LineState) -> bool:
        """Whether a line arrives that did not, or is heard at last: more than one thing may be wrong with it."""
        was = self._was[state.line.id]
        return state.headline == "arrives" or (was in UNHEARD and state.headline not in UNHEARD)


def _of(begun: Begun, lines: Iterable[str]) -> Iterator[LineState]:
    return (state for line in lines if (state := begun.state(line)) is not None)


def _left(begun: Begun, wanted: frozenset[str]) -> int:
    """How far these lines are from being as they are wanted: by their headlines, and by what shuts their ways."""
    states = list(_of(begun, wanted))
    shut = sum(len(leg.blocks) for state in states for leg in state.legs)
    return shut + sum(len(HEADLINES) - HEADLINES.index(state.headline) for state in states)


def _as_wanted(reading: Reading) -> frozenset[str]:
    return frozenset(state.line.id for state in reading.lines if state.headline == "arrives")
