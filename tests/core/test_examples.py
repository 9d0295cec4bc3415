"""The rigs that ship: each whole, every line of it arriving and proved."""

import pytest

from iskelo.core.edits.apply import apply
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.plan import plan
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import tried_remedies
from iskelo.core.survey import survey, survey_again
from iskelo.demo.examples import EXAMPLES


@pytest.mark.parametrize("name", [name for name in EXAMPLES if not name.startswith("orrin-point")])
def test_an_example_is_whole_and_proved(name: str) -> None:
    rig = EXAMPLES[name]()
    found = survey(rig)
    assert found.vitals.arriving == found.vitals.wanted > 0
    assert [snag.title for snag in found.snags if snag.severity in ("stop", "trouble")] == []
    assert all(line.proved for line in run_line_check(rig).ledger.lines)
    assert plan(survey_again(rig, None), rest=True) is None


def test_the_whole_company_opens_with_two_lines_silent_and_is_mended_by_remedies_alone() -> None:
    """The third cable, *Pellow Duo*'s own clock, the recorder's buffer, the narrator who hears herself, and more."""
    rig = EXAMPLES["orrin-point"]()
    known = survey_again(rig, None)
    assert [line.name for line in known.survey.lines if line.headline == "silent"] == ["Dov", "Fire"]
    rules = {snag.rule for snag in known.snags}
    assert {"numbers-moved", "clocks-drift", "line-late", "far-end-hears-itself"} <= rules
    for _ in range(20):
        remedy = next(
            (
                each
                for snag in known.snags
                for each in tried_remedies(known.reading.rig, snag, known)[:1]
                if not each.fact
            ),
            None,
        )
        if remedy is None:
            break
        known = survey_again(apply(known.reading.rig, remedy.edits).rig, known)
    assert [line.headline for line in known.survey.lines] == ["arrives"] * len(known.survey.lines)
    assert all(line.proved for line in run_line_check(known.reading.rig).ledger.lines)


def test_one_plan_lets_the_silent_lines_of_the_whole_company_arrive() -> None:
    rig = EXAMPLES["orrin-point"]()
    joining = join_all(read(rig))
    assert joining is not None
    assert joining.words == ("Take Gully 3 into Hall", "Set input Dov to channel 4")
    after = survey(apply(rig, joining.edits).rig)
    headlines = {line.name: line.headline for line in after.lines}
    assert (headlines["Fire"], headlines["Dov"]) == ("arrives", "arrives")
    assert "silent" not in headlines.values()


@pytest.mark.parametrize("name", [name for name in EXAMPLES if name.startswith("orrin-point")])
def test_one_plan_mends_every_line_of_the_demo(name: str) -> None:
    known = survey_again(EXAMPLES[name](), None)
    found = plan(known, rest=True)
    assert found is not None
    # Monitored directly, nobody needs the smaller buffer that Alma's lateness asks for first.
    assert found.rest == (
        "Monitor directly on Corvane 8 instead of through track Alma",
        "Match the rate of Pellow Duo in Hall",
        "Pad the members of Hall to the longest",
        "Monitor directly on Corvane 8 instead of through track Cassia",
    )
    assert found.left == ()
    after = apply(known.reading.rig, found.edits).rig
    assert {line.headline for line in survey(after).lines} == {"arrives"}
    assert all(line.proved for line in run_line_check(after).ledger.lines)
