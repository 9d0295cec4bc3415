"""The whole plan: what is silent is joined, and if it is wished everything else is mended until every line arrives."""

from collections.abc import Iterator
from dataclasses import dataclass

from iskelo.core.compare import NowAfter, compare
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.planner.left_over import Left, left_over
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import standing, tried_remedies
from iskelo.core.survey import Surveyed, survey_again

SNAGS_ASKED = 60
"""For the remedies of so many snags a plan asks at most; then it is told as far as it goes."""


@dataclass(frozen=True, slots=True)
class PlanSteps:
    """What a plan does at one piece of gear."""

    gear: str
    steps: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Plan:
    """Edits in their order, told gear by gear; ``rest``: the remedies behind them, each in words, in their order.

    ``trial``: what they would change. ``left``: the lines that do not arrive as they are wanted all the same, and why;
    those that are not silent only if they were to be mended.
    """

    steps: tuple[PlanSteps, ...]
    rest: tuple[str, ...]
    edits: tuple[Edit, ...]
    trial: NowAfter
    left: tuple[Left, ...]


def plan(known: Surveyed, *, rest: bool = False) -> Plan | None:
    """What makes every silent or blocked line arrive; with ``rest`` also what mends the others.

    The rest are the snags' own remedies, best first, one after the other, as a technician would make them by hand. No
    correction of facts is among them: whether a fact is so is known only in the room. A remedy that takes a line with
    it stays in the plan only if a later one brings the line back.

    Returns
    -------
    Plan or None
        None if no change is known.
    """
    joining = join_all(known.reading)
    after = known
    steps: tuple[PlanSteps, ...] = ()
    if joining is not None:
        after = survey_again(apply(known.reading.rig, joining.edits).rig, known)
        steps = tuple(PlanSteps(gear, words) for gear, words in joining.by_place())
    edits = joining.edits if joining is not None else ()
    mended, after = _mended(after, _as_wanted(known) | _as_wanted(after)) if rest else ((), after)
    if not edits and not mended:
        return None
    mended, after = _needed(known, edits, mended, after)
    edits = (*edits, *(edit for _, some in mended for edit in some))
    return Plan(
        steps,
        tuple(words for words, _ in mended),
        edits,
        compare(known, after, apply(known.reading.rig, edits).words),
        left_over(after.reading, every=rest),
    )


Mended = tuple[tuple[str, tuple[Edit, ...]], ...]


def _mended(known: Surveyed, kept: frozenset[str]) -> tuple[Mended, Surveyed]:
    """The remedies made one after the other, and what is then; no line of ``kept`` is lost by them."""
    made: Mended = ()
    best = (made, known)
    # Every remedy betters the rig, so they come to an end; the limit is for rigs with hundreds of snags.
    asked = iter(range(SNAGS_ASKED))
    while True:
        step = _next(known, asked)
        if step is None:
            break
        made, known = (*made, step[0]), step[1]
        arriving = _as_wanted(known)
        if kept <= arriving:
            kept = arriving
            best = (made, known)
    return best


def _needed(known: Surveyed, edits: tuple[Edit, ...], mended: Mended, after: Surveyed) -> tuple[Mended, Surveyed]:
    """The remedies without those that later ones made needless: what arrives with them arrives without them."""
    arriving = _as_wanted(after)
    for step in mended if len(mended) > 1 else ():
        fewer = tuple(each for each in mended if each is not step)
        try:
            rig = apply(known.reading.rig, (*edits, *(edit for _, some in fewer for edit in some))).rig
        except Refused:
            continue
        without = survey_again(rig, known)
        if arriving <= _as_wanted(without) and standing(without) <= standing(after):
            mended, after = fewer, without
    return mended, after


def _next(known: Surveyed, asked: Iterator[int]) -> tuple[tuple[str, tuple[Edit, ...]], Surveyed] | None:
    """The best remedy of the first snag that has one and touches a line that does not arrive; ``asked`` counts down."""
    wrong = {line.id for line in known.survey.lines} - _as_wanted(known)
    for snag in known.snags:
        if not wrong & set(snag.lines):
            continue
        if next(asked, None) is None:
            break
        remedy = next((each for each in tried_remedies(known.reading.rig, snag, known) if not each.fact), None)
        if remedy is not None:
            return (remedy.words, remedy.edits), survey_again(apply(known.reading.rig, remedy.edits).rig, known)
    return None


def _as_wanted(known: Surveyed) -> frozenset[str]:
    return frozenset(line.id for line in known.survey.lines if line.headline == "arrives")
