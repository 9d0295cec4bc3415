"""The survey of any rig: never raises, and its parts agree with each other."""

import contextlib
import gc
import weakref
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.answers import port_uses
from iskelo.core.compare import compare, trial
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Remove, SetLeg, SetValues
from iskelo.core.lines.context import read
from iskelo.core.planner.choices import choices
from iskelo.core.rig.gear import Source
from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import find_snags, run_rules
from iskelo.core.stations import COLUMNS
from iskelo.core.survey import HopView, line_ways, survey, survey_again
from iskelo.demo.orrin_point import orrin_point
from rigs import any_rig, heard, programs_joined, two_voices

RIGS = any_rig() | programs_joined(any_rig(cabled=True, busy=True))
"""Any rig, and any of programs that are joined by cables, hosts, calls and clocks."""


@given(RIGS)
@settings(max_examples=drawn(300))
def test_no_rig_makes_the_survey_raise_and_its_counts_add_up(rig: Rig) -> None:
    found, reading = survey(rig), read(rig)
    assert found == survey(Rig.model_validate(rig.model_dump()))
    assert [line.id for line in found.lines] == [line.id for line in rig.lines]
    assert found.vitals.wanted == len(rig.lines)
    assert found.vitals.arriving == sum(line.headline == "arrives" for line in found.lines)
    assert sum(found.vitals.snags.values()) == len(found.snags)
    assert len({snag.key for snag in found.snags}) == len(found.snags)
    for line in found.lines:
        assert (line.severity is None) == (line.headline == "arrives")
        assert [station.column for station in line.stations] == list(COLUMNS)
        if line.headline in ("silent", "blocked"):
            assert any(station.trouble for station in line.stations)
        for arrival in line_ways(reading, reading.lines[line.position - 1]):
            assert arrival.delay_samples == sum(term.samples for term in arrival.terms)
            assert arrival.level_dbfs == pytest.approx(arrival.hops[-1].level - _full_scale(rig, arrival.hops))
        # Every line that does not arrive is told by a snag.
        assert line.headline == "arrives" or any(line.id in snag.lines for snag in found.snags)


def _full_scale(rig: Rig, hops: tuple[HopView, ...]) -> float:
    """What the last box on the way calls full scale, where a route ends in a lead; nought on a track."""
    jacks = [hop.port.owner for hop in hops if hop.port.bank == "jack_out"]
    return next(b.output_full_scale_dbu for b in index(rig).interfaces() if b.id == jacks[0]) if jacks else 0.0


@given(RIGS)
@settings(max_examples=drawn(150))
def test_every_remedy_of_any_rig_can_be_tried(rig: Rig) -> None:
    for snag in find_snags(read(rig)):
        for remedy in snag.mend():
            assert trial(rig, remedy.edits).words


@given(RIGS)
@settings(max_examples=drawn(100))
def test_the_first_remedy_of_a_silent_line_of_any_rig_gives_it_a_way(rig: Rig) -> None:
    reading = read(rig)
    for snag in run_rules(reading):
        if snag.rule in ("line-silent", "line-blocked"):
            for remedy in snag.mend()[:1]:
                after = read(apply(rig, remedy.edits).rig)
                state = next(state for state in after.lines if state.line.id == snag.lines[0])
                assert all(leg.arrivals for leg in state.legs)


@given(RIGS)
@settings(max_examples=drawn(100))
def test_every_choice_of_every_station_of_any_rig_can_be_tried_or_says_why_not(rig: Rig) -> None:
    reading = read(rig)
    for state in reading.lines:
        for column in COLUMNS:
            offered = choices(reading, state, column)
            assert offered.choices or offered.note
            for choice in offered.choices:
                if choice.edits:
                    with contextlib.suppress(Refused):
                        assert trial(rig, choice.edits).words


def test_a_trial_tells_lines_snags_and_numbers_before_and_after() -> None:
    bench = two_voices()
    bench.do(SetLeg(item=bench.id("In Bertil"), channel=None))
    told = trial(bench.rig, (SetLeg(item=bench.id("In Bertil"), channel=2),))
    assert (told.arriving_now, told.arriving_after, told.wanted_after) == (1, 2, 2)
    assert [(c.what, c.now, c.after) for c in told.lines] == [("L Bertil", "silent", "arrives, ~3.85 ms")]
    assert told.gone_snags == ("Input In Bertil of Recorder has no channel",)
    assert told.new_snags == ()


def test_a_comparison_names_lines_that_came_and_went() -> None:
    bench = two_voices()
    before = survey_again(bench.rig, None)
    bench.do(Remove(items=(bench.id("L Alma"),)))
    told = compare(before, survey_again(heard(bench, "Bertil").rig, None), "")
    assert {(c.what, c.after) for c in told.lines} == {("Bertil heard", "blocked"), ("L Alma", "gone")}


def test_vitals_name_the_slowest_line_that_is_heard() -> None:
    bench = heard(two_voices(), "Alma", within_ms=10)
    assert survey(bench.rig).vitals.slowest_heard_ms is None
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    vitals = survey(bench.rig).vitals
    assert vitals.slowest_heard_ms == 371 / 48
    assert vitals.slowest_heard_limit_ms == 10


def test_a_port_that_leads_nowhere_is_not_used() -> None:
    bench = two_voices()
    used = {
        (use.port.bank, use.port.number): use.used
        for use in port_uses(read(bench.rig))
        if use.port.owner == bench.id("Box")
    }
    assert used["jack_in", 1]
    assert ("jack_in", 3) not in used or not used["jack_in", 3]
    assert used["jack_out", 2]
    assert not used["jack_out", 3]
    assert used["capture", 1]
    assert not used["capture", 3]


@given(RIGS, st.randoms(use_true_random=False))
@settings(max_examples=drawn(120))
def test_a_survey_that_begins_with_an_earlier_one_is_the_same_as_one_from_nothing(rig: Rig, random: Random) -> None:
    """Whatever was known of the rig before: after remedies, choices, removals and undos, in any order."""
    known = survey_again(rig, None)
    rigs = [rig]
    for _ in range(4):
        edits = [remedy.edits for snag in known.snags for remedy in snag.mend()]
        for state in known.reading.lines:
            offered = choices(known.reading, state, random.choice(COLUMNS)).choices
            edits += [choice.edits for choice in offered if choice.edits]
        everything = [*known.reading.found.gear, *known.reading.found.items, *known.reading.found.patches]
        edits += [(Remove(items=(item,)),) for item in everything]
        edits += [(SetValues(item=item, values={"name": f"Else {item}"}),) for item in known.reading.found.gear]
        if not edits:
            return
        # Now and then back to an earlier state, as an undo does.
        base = random.choice(rigs) if random.random() < 0.2 else rigs[-1]
        try:
            after = apply(base, random.choice(edits)).rig
        except Refused:
            continue
        known = survey_again(after, known)
        assert known.survey == survey(after)
        rigs.append(after)


def test_graphs_of_before_are_let_go() -> None:
    """A survey takes over what an edit does not touch; with it goes nothing of the rig as it was a few edits ago."""
    known = survey_again(orrin_point(), None)
    sources = [gear.id for gear in known.reading.rig.gear if isinstance(gear, Source)]
    graphs = []
    for source in sources[:4]:
        graphs.append(weakref.ref(known.reading.graph))
        known = survey_again(apply(known.reading.rig, (SetValues(item=source, values={"notes": "new"}),)).rig, known)
    gc.collect()
    assert [graph() for graph in graphs] == [None] * len(graphs)


def test_who_reads_a_rig_again_runs_no_rule(monkeypatch: pytest.MonkeyPatch) -> None:
    bench = two_voices()
    first = survey_again(bench.rig, None)
    monkeypatch.setattr("iskelo.core.survey.find_snags", lambda _: pytest.fail("the rules were run"))
    again = survey_again(bench.rig, first)
    assert again.snags is first.snags
    assert again.survey == first.survey
