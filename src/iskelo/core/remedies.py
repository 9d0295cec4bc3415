"""The remedies of a snag, each tried as it would be applied; what no careful technician would sign is not offered."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace

from iskelo.core.acts.act import ActKind
from iskelo.core.acts.costs import cost_of, matched
from iskelo.core.acts.search import MANY_LINES, Searched, search
from iskelo.core.compare import NowAfter, compare
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.lines.findings import HEADLINES
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import RULE_NAMES, run_rules
from iskelo.core.snags.rule import REMEDIES_AT_MOST, SEVERITIES, Remedy, Snag
from iskelo.core.survey import Survey, Surveyed, survey_again


@dataclass(frozen=True, slots=True)
class TriedRemedy:
    """A remedy with what it would change; ``fact``: it only corrects what the rig says, if it is really so."""

    words: str
    edits: tuple[Edit, ...]
    trial: NowAfter
    fact: bool = False


SNAGS_TRIED = 2
"""A remedy that harms lines is tried with what mends the snags of so many of them."""

Standing = tuple[int, ...]


def standing(surveyed: Surveyed) -> Standing:
    """How far a rig is from all being well; the less the better, the first difference counts.

    The lines that do not arrive; those that are silent, or come by another way than they name; those that are half
    silent, those that howl; what blocks the others; then the snags of every rule, causes before what they hide. A
    remedy must better it, so remedies come to an end and never go in circles.
    """
    states = surveyed.reading.lines
    kinds = Counter(state.headline for state in states)
    blocks = sum(len(leg.blocks) for state in states for leg in state.legs)
    found = Counter(snag.rule for snag in run_rules(surveyed.reading))
    return (
        len(states) - kinds["arrives"],
        sum(state.headline == "silent" or state.goes_otherwise for state in states),
        kinds["half silent"],
        kinds["howls"],
        blocks,
        *(found[rule] for rule in RULE_NAMES),
    )


@dataclass(frozen=True, slots=True)
class Remedies:
    """The remedies of a snag; how many acts were tried besides its rule's own, and of which kinds, if any were."""

    remedies: tuple[TriedRemedy, ...]
    tried: int = 0
    kinds: tuple[ActKind, ...] = ()


FEW_EDITS = 2
"""An act of the rule's own with more edits than these is held against those that are found by trying."""


def tried_remedies(rig: Rig, snag: Snag, before: Surveyed | None = None) -> tuple[TriedRemedy, ...]:
    """A snag's remedies, see ``remedies_of``."""
    return remedies_of(rig, snag, before).remedies


def remedies_of(rig: Rig, snag: Snag, before: Surveyed | None = None, *, quick: bool = False) -> Remedies:
    """A snag's remedies, each tried as it would be applied; one that is refused does not take the others with it.

    They are its rule's own; and where none of those frees every line that is in trouble in few edits, whatever else a
    person could do about its lines in one go and that is found to mend by trying it (``acts.search``);
    ``quick``: only where its rule has none at all, and the rig has not many lines.

    An act is offered only if it betters the rig (``standing``), takes no line with it that arrived unless it frees
    more, and makes no new trouble that is worse than the one it mends; where none does, one that harms lines is offered
    with what mends those.
    Acts are ranked by lines freed, lines harmed, how far the others are from arriving, whether the snag is gone,
    whether they give up what somebody has set up, whether they bring one more clock to another's rate, what they cost a
    person, numbers moved, delay added, edits; behind them come at most as many corrections of facts.
    """
    known = before or survey_again(rig, None)
    trial_of = _Trial(rig, known, snag)
    offered = snag.mend()
    acts = trial_of.acts([each for each in offered if not each.fact])
    searched = trial_of.searched(acts, quick=quick)
    if searched is not None:
        known_acts = {each.remedy.edits for each in acts}
        further = [
            Remedy(each.act.words, each.act.edits, gives_up=each.act.kind == "effects", cost=each.act.cost)
            for each in searched.found
            if each.act.edits not in known_acts
        ]
        # What is offered only with what mends the lines it harms gives way to what harms none.
        found = trial_of.alone(further)
        acts = [*found, *(acts if not found else [each for each in acts if not each.together])]
    facts = [each for each in map(trial_of.remedy, [each for each in offered if each.fact]) if each is not None]
    kept = (*_told_once(_ranked(acts))[:REMEDIES_AT_MOST], *_told_once(_ranked(facts)))
    told = tuple(
        TriedRemedy(each.remedy.words, each.remedy.edits, compare(known, each.after, each.words), each.remedy.fact)
        for each in kept
    )
    return Remedies(told, searched.tried, searched.kinds) if searched is not None else Remedies(told)


@dataclass(frozen=True, slots=True)
class _Tried:
    """A remedy made: the survey after it, what was done in words, the lines it harms, whether its snag is left, and its
    rank.
    """

    remedy: Remedy
    after: Surveyed
    words: str
    freed: int
    harmed: frozenset[str]
    left: bool
    rank: tuple[float, ...]
    together: bool = False


def _told_once(ranked: list["_Tried"]) -> list["_Tried"]:
    """The first of those that are told alike: to a person they are one."""
    by_words = list({each.remedy.words: each for each in reversed(ranked)}.values())[::-1]
    return [each for place, each in enumerate(by_words) if not any(_alike(each, other) for other in by_words[:place])]


def _alike(one: "_Tried", other: "_Tried") -> bool:
    """Whether two remedies leave the same rig, but for the ids of leads."""
    rigs = (one.after.reading.rig, other.after.reading.rig)
    first, second = (sorted(str(lead.model_copy(update={"id": "p1"})) for lead in rig.patches) for rig in rigs)
    return first == second and rigs[0].gear == rigs[1].gear and rigs[0].lines == rigs[1].lines


def _ranked(acts: list[_Tried]) -> list[_Tried]:
    """The best first; behind them what is put together, does more than another and frees no more."""

    def does_more(tried: _Tried) -> bool:
        # What a person does in one go has a cost of its own.
        return tried.remedy.cost is None and any(
            each.rank[:2] == tried.rank[:2]
            and len(each.remedy.edits) < len(tried.remedy.edits)
            and all(edit in tried.remedy.edits for edit in each.remedy.edits)
            for each in acts
        )

    return sorted(acts, key=lambda each: (*each.rank[:2], does_more(each), *each.rank[2:]))


class _Trial:
    """Tries the remedies of one snag of one rig."""

    def __init__(self, rig: Rig, known: Surveyed, snag: Snag) -> None:
        self._rig, self._known, self._snag = rig, known, snag
        self._stands = standing(known)
        self._arriving = {line.id for line in known.survey.lines if line.headline == "arrives"}
        self._delay_ms = {line.id: line.latest_ms for line in known.survey.lines}

    def acts(self, remedies: list[Remedy]) -> list[_Tried]:
        """The acts to be offered; only where none is by itself, those that are with what mends the lines they harm."""
        tried = [each for each in map(self.remedy, remedies) if each is not None]
        signed = [each for each in tried if self._signed(each)]
        return signed or [replace(both, together=True) for each in tried if (both := self._together(each)) is not None]

    def alone(self, remedies: list[Remedy]) -> list[_Tried]:
        """Those of these acts that are to be offered by themselves."""
        return [each for each in map(self.remedy, remedies) if each is not None and self._signed(each)]

    def searched(self, acts: list[_Tried], *, quick: bool) -> Searched | None:
        """What trying finds for the snag's lines in trouble; None where there are none, or an act frees all at once."""
        troubled = [line for line in self._snag.lines if line not in self._arriving]
        if not troubled or (quick and (acts or len(self._known.survey.lines) > MANY_LINES)):
            return None
        own = max((each.freed for each in acts if len(each.remedy.edits) <= FEW_EDITS), default=0)
        if own < len(troubled):
            return search(self._known.reading, troubled, pairs=not own)
        # More is wrong than that frees: one thing that was done may be behind all of it.
        many = len(self._known.survey.lines) - len(self._arriving) > own
        return search(self._known.reading, troubled, at_once=True) if many else None

    def _together(self, tried: _Tried) -> _Tried | None:
        """An act with what mends the lines it would harm; None if nothing does."""
        remedy = tried.remedy
        for _, snag in zip(range(SNAGS_TRIED), self._of_harmed(tried), strict=False):
            for further in snag.mend():
                if further.fact:
                    continue
                words = f"{remedy.words}, then {further.words[:1].lower()}{further.words[1:]}"
                both = self.remedy(Remedy(words, (*remedy.edits, *further.edits)))
                # What mends the lines may undo the act itself.
                if both is not None and both.left <= tried.left and self._signed(both):
                    return both
        return None

    def _of_harmed(self, tried: _Tried) -> Iterator[Snag]:
        """The snags that are new with a remedy, of the lines it harms."""
        before = {snag.key for snag in self._known.snags}
        return (snag for snag in tried.after.snags if snag.key not in before and tried.harmed & set(snag.lines))

    def _signed(self, tried: _Tried) -> bool:
        return (
            standing(tried.after) < self._stands
            and (not tried.harmed or tried.freed > len(tried.harmed))
            and not _worse(self._snag, self._known.survey, tried.after.survey)
        )

    def remedy(self, remedy: Remedy) -> _Tried | None:
        """A remedy made; None if it is refused."""
        try:
            applied = apply(self._rig, remedy.edits)
        except Refused:
            return None
        again = survey_again(applied.rig, self._known)
        arriving = {line.id for line in again.survey.lines if line.headline == "arrives"}
        freed, harmed = len(arriving - self._arriving), frozenset(self._arriving - arriving)
        later_ms = sum(
            line.latest_ms - was_ms
            for line in again.survey.lines
            if line.latest_ms is not None and (was_ms := self._delay_ms.get(line.id)) is not None
        )
        # Of equals the one that mends the cause and not only what follows from it.
        left = any(each.key == self._snag.key for each in again.snags)
        moved = len(compare(self._known, again, "").numbers)
        was, now = self._known.reading.found, again.reading.found
        cost = remedy.cost if remedy.cost is not None else cost_of(was, now, remedy.edits)
        cause = (left, remedy.gives_up, matched(now) > matched(was))
        rank = (-freed, len(harmed), _amiss(again), *cause, cost, moved, round(later_ms, 6), len(remedy.edits))
        return _Tried(remedy, again, applied.words, freed, harmed, left, rank)


def _amiss(surveyed: Surveyed) -> int:
    """How far the lines that do not arrive are from it; the less the better."""
    wrong = [line.headline for line in surveyed.survey.lines if line.headline != "arrives"]
    return sum(len(HEADLINES) - HEADLINES.index(headline) for headline in wrong)


NEVER_MADE = (
    "work-exceeds-buffer",
    "programs-crowd-the-computer",
    "link-over-budget",
    "clock-loop",
    "two-masters",
    "clocks-drift",
    "sound-goes-round",
)
"""What no remedy may bring about if it is as bad as what it mends: nothing else had hidden it before."""


def _worse(snag: Snag, now: Survey, after: Survey) -> bool:
    """Whether a remedy makes a new trouble that is worse than what it mends, or as bad where it is all its own."""
    kept = {each.key for each in now.snags}
    limit = SEVERITIES.index(snag.severity)
    return any(
        each.key not in kept and SEVERITIES.index(each.severity) < limit + (each.rule in NEVER_MADE)
        for each in after.snags
    )
