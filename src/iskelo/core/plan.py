"""The whole plan: what is silent is joined, and if it is wished everything else is mended until every line arrives."""

from collections.abc import Iterator
from dataclasses import dataclass

from iskelo.core.acts.act import Act
from iskelo.core.acts.search import MANY_LINES, search
from iskelo.core.compare import NowAfter, compare
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.planner.left_over import Left, left_over
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import remedies_of, standing
from iskelo.core.survey import Surveyed, survey_again

SNAGS_ASKED = 60
"""For the remedies of so many snags a plan asks at most; then it is told as far as it goes."""


ASKED_ANEW = 12
"""And for so many where it begins anew, for each of them takes longer."""


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
    acts, after = _at_once(known)
    steps = tuple(PlanSteps(act.place(known.reading.found), (act.words,)) for act in acts)
    edits = tuple(edit for act in acts for edit in act.edits)
    joining = join_all(after.reading)
    if joining is not None:
        after = survey_again(apply(after.reading.rig, joining.edits).rig, after)
        steps = (*steps, *(PlanSteps(gear, words) for gear, words in joining.by_place()))
        edits = (*edits, *joining.edits)
    mended, after = _mended(after, _as_wanted(known) | _as_wanted(after)) if rest else ((), after)
    if rest and len(_as_wanted(after)) < len(known.survey.lines) <= MANY_LINES:
        # A line that was joined may have another way than was meant: once more, from the beginning, by remedies alone.
        by_remedies, then = _mended(known, _as_wanted(known), asked=ASKED_ANEW, quick=False)
        if len(_as_wanted(then)) > len(_as_wanted(after)):
            steps, edits, mended, after = (), (), by_remedies, then
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


AT_ONCE = 2
"""Where so many lines are wrong, an act that frees as many of them at once goes before joining them one by one."""

SILENT = ("silent", "blocked")


def _at_once(known: Surveyed) -> tuple[list[Act], Surveyed]:
    """The acts that put right at once what is patched wrongly, one after the other, and what is then.

    Those that free many lines; then, for lines that are half silent, what a person would turn or switch: joined anew
    they would be patched by another way. None of them harms a line.
    """
    acts: list[Act] = []
    while (step := _of_many(known) or _of_half_silent(known)) is not None:
        acts.append(step)
        known = survey_again(apply(known.reading.rig, step.edits).rig, known)
    return acts, known


def _of_many(known: Surveyed) -> Act | None:
    wrong = [
        state.line.id
        for state in known.reading.lines
        if state.headline != "arrives" and (state.headline not in SILENT or any(leg.way for leg in state.legs))
    ]
    if len(wrong) < AT_ONCE:
        return None
    found = search(known.reading, wrong, at_once=True).found
    return next((each.act for each in found if each.freed >= AT_ONCE and not each.harmed), None)


def _of_half_silent(known: Surveyed) -> Act | None:
    wrong = [state.line.id for state in known.reading.lines if state.headline == "half silent"]
    found = search(known.reading, wrong).found if wrong and len(known.reading.lines) <= MANY_LINES else ()
    return next((each.act for each in found if not each.harmed), None)


Mended = tuple[tuple[str, tuple[Edit, ...]], ...]


def _mended(
    known: Surveyed, kept: frozenset[str], *, asked: int = SNAGS_ASKED, quick: bool = True
) -> tuple[Mended, Surveyed]:
    """The remedies made one after the other, and what is then; no line of ``kept`` is lost by them."""
    made: Mended = ()
    best = (made, known)
    # Every remedy betters the rig, so they come to an end; the limit is for rigs with hundreds of snags.
    asks = iter(range(asked))
    while True:
        step = _next(known, asks, quick=quick)
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


def _next(
    known: Surveyed, asked: Iterator[int], *, quick: bool
) -> tuple[tuple[str, tuple[Edit, ...]], Surveyed] | None:
    """The best remedy of the first snag that has one and touches a line that does not arrive; ``asked`` counts down."""
    wrong = {line.id for line in known.survey.lines} - _as_wanted(known)
    for snag in known.snags:
        if not wrong & set(snag.lines):
            continue
        if next(asked, None) is None:
            break
        remedies = remedies_of(known.reading.rig, snag, known, quick=quick).remedies
        remedy = next((each for each in remedies if not each.fact), None)
        if remedy is not None:
            return (remedy.words, remedy.edits), survey_again(apply(known.reading.rig, remedy.edits).rig, known)
    return None


def _as_wanted(known: Surveyed) -> frozenset[str]:
    return frozenset(line.id for line in known.survey.lines if line.headline == "arrives")
