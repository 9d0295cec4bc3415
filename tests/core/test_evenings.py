"""Twenty-one evenings from a blank rig: planned and proved; each pitfall made, told and mended."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from evenings import EVENINGS, Evening, Pitfall, set_up, wished_for
from iskelo.core.edits.apply import apply
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.rule import Snag
from iskelo.core.survey import Surveyed, survey_again
from mending import arriving, first_mended

PITFALLS = [(evening, pitfall) for evening in EVENINGS for pitfall in evening.pitfalls]


@pytest.mark.parametrize("evening", EVENINGS, ids=lambda each: each.what)
def test_an_evening_is_planned_and_proved(evening: Evening) -> None:
    rig = set_up(evening).rig
    known = survey_again(rig, None)
    assert {line.name: line.told for line in known.survey.lines if line.headline != "arrives"} == {}
    assert [snag.title for snag in known.snags if snag.severity in ("stop", "trouble")] == []
    assert all(line.proved for line in run_line_check(rig).ledger.lines)


@pytest.mark.parametrize(("evening", "pitfall"), PITFALLS, ids=lambda each: each.what)
def test_what_goes_wrong_on_an_evening_is_told_once_and_mended(evening: Evening, pitfall: Pitfall) -> None:
    bench = set_up(evening)
    rig = apply(bench.rig, tuple(pitfall.do(bench))).rig
    known = survey_again(rig, None)
    troubles = [snag for snag in known.snags if snag.severity in (("risk",) if pitfall.risk else ("stop", "trouble"))]
    assert pitfall.told in troubles[0].title
    assert len(troubles) <= 2, [snag.title for snag in troubles]
    then, said = first_mended(rig, pitfall.steps) if not pitfall.risk else risk_mended(rig, troubles[0], known)
    assert arriving(then) == len(rig.lines), said
    assert troubles[0].key not in {snag.key for snag in survey_again(then, None).snags}


def risk_mended(rig: Rig, snag: Snag, known: Surveyed) -> tuple[Rig, list[str]]:
    """The rig after the first remedy of something that takes no line."""
    act = tried_remedies(rig, snag, known)[0]
    return apply(rig, act.edits).rig, [act.words]


@given(st.sampled_from(EVENINGS), st.randoms(use_true_random=False))
@settings(max_examples=drawn(60, 10))
def test_the_order_in_which_lines_were_wished_for_does_not_matter(evening: Evening, chance: random.Random) -> None:
    bench = wished_for(evening)
    lines = list(bench.rig.lines)
    chance.shuffle(lines)
    served = [served_by_plan(bench.rig.model_copy(update={"lines": tuple(some)})) for some in (bench.rig.lines, lines)]
    assert served[0] == served[1] == {line.name for line in lines}


def served_by_plan(rig: Rig) -> set[str]:
    """The lines of which something arrives once everything that is silent is planned."""
    joining = join_all(read(rig))
    after = apply(rig, joining.edits).rig if joining is not None else rig
    return {
        state.line.name for state in read(after).lines if state.headline not in ("silent", "half silent", "blocked")
    }
