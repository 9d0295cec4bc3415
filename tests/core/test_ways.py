"""Lines that say what they pass: found where they go another way, planned as they say, and told."""

import random

import pytest

from break_and_mend import set_up
from core.test_mixing import with_effects
from desks import desk_bench, mixer_of
from drawn import drawn
from evenings import planned
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import Remove, SetValues
from iskelo.core.edits.ways_phrase import ways_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.passing import passes
from iskelo.core.lines.state import LineState
from iskelo.core.plan import plan
from iskelo.core.planner.search import arriving
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.index import index
from iskelo.core.survey import survey, survey_again
from iskelo.demo.examples import EXAMPLES
from rigs import Bench, batch


def wish(bench: Bench, sources: str, **more: str) -> None:
    bench.do(*batch(bench.rig, BatchRequest(sources=sources, **more)))


def headlines(bench: Bench) -> list[str]:
    return [line.headline for line in survey(bench.rig).lines]


def way(bench: Bench, line: str) -> list[str]:
    """Whose ports a line's only copy passes, by name."""
    (arrival,) = bench.line(line).legs[0].arrivals
    found = index(bench.rig)
    return list(dict.fromkeys(found.whole_name(port.owner) for port in arrival.route.ports))


def first_act(bench: Bench) -> str:
    """Make the first remedy that is an act of the worst snag; what it does, in words."""
    known = survey_again(bench.rig, None)
    remedy = next(each for each in tried_remedies(bench.rig, known.snags[0], known) if not each.fact)
    bench.do(*remedy.edits)
    return remedy.words


PRESSED = ("2 line", "box 4x4", "rec", "outboard press", "head")


def test_a_wish_through_outboard_gear_is_planned_through_it_from_nothing() -> None:
    bench = desk_bench(*PRESSED)
    wish(bench, "line 1", record_to="rec new", through="press")
    wish(bench, "line 2", record_to="rec new")
    planned(bench)
    assert headlines(bench) == ["arrives", "arrives"]
    lines = [line.name for line in survey(bench.rig).lines]
    press = next(each.name for each in index(bench.rig).outboards)
    assert press in way(bench, lines[0])
    assert press not in way(bench, lines[1])
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_what_arrives_past_it_is_told_and_hung_into_the_lead_by_the_first_remedy() -> None:
    bench = desk_bench(*PRESSED)
    wish(bench, "line 1-2", record_to="rec new")
    planned(bench)
    line = survey(bench.rig).lines[0]
    bench.do(SetValues(item=line.id, values={"through": "press"}))
    told = survey(bench.rig)
    assert told.lines[0].headline == "other way"
    assert told.lines[0].told.startswith("it arrives, and not through ")
    assert told.lines[0].through == index(bench.rig).outboards[0].name
    assert told.vitals.arriving == 1
    # Heard it is, but nobody calls that a proof.
    check = run_line_check(bench.rig).ledger
    proofs = survey(bench.rig, {each.line: (each.mark, each.proved) for each in check.lines}).proofs
    assert proofs.get(line.id) != "proved"
    assert first_act(bench).startswith(("Hang", "hang"))
    assert headlines(bench) == ["arrives", "arrives"]
    assert all(each.proved for each in run_line_check(bench.rig).ledger.lines)


def test_a_line_heard_never_by_the_computer_is_planned_in_the_box_and_told_where_it_is_not() -> None:
    bench = desk_bench("1 mic", "box 4x4", "rec", "head")
    wish(bench, "mic", record_to="rec new", heard_at="head", never_by="computer")
    planned(bench)
    assert headlines(bench) == ["arrives", "arrives"]
    box = index(bench.rig).boxes[0]
    assert len(box.direct) > 0
    record, heard = survey(bench.rig).lines
    assert (record.never_by, heard.never_by) == ("", "the computer")
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_a_line_heard_through_a_program_is_told_where_it_may_not_pass_the_computer() -> None:
    bench = desk_bench("1 mic", "box 4x4", "rec", "head")
    recorder = index(bench.rig).all_programs[0].name
    wish(bench, "mic", record_to="rec new", heard_at="head", through=recorder)
    planned(bench)
    assert headlines(bench) == ["arrives", "arrives"]
    assert index(bench.rig).boxes[0].direct == ()
    heard = survey(bench.rig).lines[1]
    bench.do(SetValues(item=heard.id, values={"through": "", "never_by": "computer"}))
    told = survey(bench.rig).lines[1]
    assert told.headline == "other way"
    assert told.told == "it passes the computer, which it never should"
    first_act(bench)
    assert headlines(bench) == ["arrives", "arrives"]
    assert not bench.line(heard.name).has("doubled")


def test_a_wish_through_a_strip_takes_that_strip() -> None:
    bench = desk_bench("1 mic", "mixer 8", "rec", "head")
    wish(bench, "mic", heard_at="head")
    planned(bench)
    line = survey(bench.rig).lines[0]
    before = way(bench, line.name)
    strips = mixer_of(bench, index(bench.rig).boxes[0].name).strips
    other = next(each for each in strips if not any(each.name in passed for passed in before))
    bench.do(SetValues(item=line.id, values={"through": f"{other.name} of {index(bench.rig).boxes[0].name}"}))
    assert headlines(bench) == ["other way"]


def test_the_plan_leads_nothing_past_what_somebody_said() -> None:
    bench = desk_bench(*PRESSED)
    wish(bench, "line 1", record_to="rec new", never_by="press")
    wish(bench, "line 2", record_to="rec new", through="press")
    made = plan(survey_again(bench.rig, None), rest=True)
    assert made is not None
    bench.do(*made.edits)
    reading = read(bench.rig)
    press = reading.found.outboards[0].id
    for state in reading.lines:
        for arrival in state.legs[0].arrivals:
            assert passes(arrival.route.edges, press, reading.found) == bool(state.line.through)
    assert headlines(bench) == ["arrives", "arrives"]


@pytest.mark.parametrize(
    ("field", "typed", "words"),
    [
        ("through", "spoon", "nothing that sound passes here is called 'spoon'"),
        ("through", "computer", "nothing that sound passes here is called 'computer'"),
        ("through", "b", "say which 'b'"),
        ("never_by", "computer", "is in the computer, which it should never pass"),
        ("through", "box 1, box 1", ""),
    ],
)
def test_a_way_that_is_not_understood_or_cannot_be_is_refused_in_words(field: str, typed: str, words: str) -> None:
    bench = desk_bench("1 mic", "2 box 4x4", "rec")
    for number, box in enumerate(index(bench.rig).boxes, start=1):
        bench.do(SetValues(item=box.id, values={"name": f"Box {number}"}))
    wish(bench, "mic", record_to="rec new")
    line = survey(bench.rig).lines[0].id
    if not words:
        bench.do(SetValues(item=line, values={field: typed}))
        assert survey(bench.rig).lines[0].through == "Box 1"
        return
    with pytest.raises(Refused) as refused:
        bench.do(SetValues(item=line, values={field: typed}))
    assert words in refused.value.reason
    assert refused.value.place


def test_what_is_removed_is_passed_no_more_and_that_is_told() -> None:
    bench = desk_bench(*PRESSED)
    wish(bench, "line 1", record_to="rec new", through="press")
    press = index(bench.rig).outboards[0].id
    done = apply(bench.rig, (Remove(items=(press,)),))
    assert done.rig.lines[0].through == ()
    assert "no longer says all that it passes" in done.words


def test_a_mix_is_named_with_their_gear() -> None:
    bench = desk_bench("1 mic", "mixer 8", "head")
    box = index(bench.rig).boxes[0]
    mix = mixer_of(bench, index(bench.rig).boxes[0].name).mixes[0]
    wish(bench, "mic", heard_at="head", through=f"{mix.name} of {box.name}", never_by="computer")
    planned(bench)
    assert headlines(bench) == ["arrives"]
    assert f"{mix.name} of {box.name}" in way(bench, survey(bench.rig).lines[0].name)


def well(seed: int) -> Reading:
    """A random set-up as people have them, served by a plan."""
    rig = set_up(random.Random(seed))
    made = plan(survey_again(rig, None), rest=True)
    assert made is not None
    return read(apply(rig, made.edits).rig)


@pytest.mark.parametrize("which", [*EXAMPLES, *range(drawn(40, 6))])
def test_what_every_copy_passes_may_be_named_and_what_none_passes_may_be_forbidden(which: str | int) -> None:
    reading = read(EXAMPLES[which]()) if isinstance(which, str) else well(which)
    found, chance = reading.found, random.Random(28)
    everything = [each for each in (*found.gear, *found.items, *found.mixing) if found.passable(each)]
    told = {True: 0, False: 0}
    for state in reading.lines:
        ends = {port.owner for port in (*state.line.from_ports, *state.line.to_ports)}
        names = [each for each in everything if each not in ends]
        if not names or not any(leg.arrivals for leg in state.legs):
            continue
        named = chance.choice(
            [each for each in names if goes(state, each, reading)] if chance.random() < 0.7 else names
        )
        ways = [arrival.route.edges for leg in state.legs for arrival in (*leg.arrivals, *leg.wet)]
        every, some = goes(state, named, reading), any(passes(way, named, found) for way in ways)
        through, never = (with_way(reading, state, field, named) for field in ("through", "never_by"))
        # What is wet may pass it instead of the dry copies.
        if every == some:
            assert through.has("other way") != every
        assert never.has("other way") == some
        for then in (through, never):
            assert (then.legs, then.others) == (state.legs, state.others)
            others = [each for each in then.findings if each.kind not in ("other way", "arrives")]
            assert others == [each for each in state.findings if each.kind != "arrives"]
        # What is typed as it is told names the same.
        assert ways_phrase(found, found.say_passed((named,)), "Through") == (named,)
        told[some] += 1
    assert told[True], told


def with_way(reading: Reading, state: LineState, field: str, named: str) -> LineState:
    """A line's state when this is all that it says of its way."""
    edit = SetValues(item=state.line.id, values={"through": [], "never_by": [], field: [named]})
    return read(apply(reading.rig, (edit,)).rig).traced[state.line.id].state


def test_gear_with_one_channel_serves_one_of_two_and_the_other_is_told_why() -> None:
    bench = desk_bench(*PRESSED)
    wish(bench, "line 1-2", record_to="rec new", through="press")
    made = plan(survey_again(bench.rig, None), rest=True)
    assert made is not None
    (left,) = made.left
    first = next(each.name for each in bench.rig.gear)
    assert left.why == f"press has one channel, taken by {first}"
    assert any("Set the trim" in step for place in made.steps for step in place.steps)


def test_effects_that_are_named_are_passed_by_what_is_wet_and_forbidden_they_are_found_there() -> None:
    bench = with_effects()
    line = next(state.line.id for state in read(bench.rig).lines if state.line.purpose == "listen")
    bench.do(SetValues(item=line, values={"through": "Reverb"}))
    assert read(bench.rig).traced[line].state.headline == "arrives"
    bench.do(SetValues(item=line, values={"through": "", "never_by": "Reverb"}))
    assert read(bench.rig).traced[line].state.headline == "other way"


def test_names_with_commas_and_names_that_stand_twice_are_told_so_that_they_can_be_typed() -> None:
    bench = desk_bench("1 mic", "box 4x4", "rec", "outboard press")
    press, box = index(bench.rig).outboards[0].id, index(bench.rig).boxes[0].id
    bench.do(SetValues(item=press, values={"name": "Press, left"}), SetValues(item=box, values={"name": "Left"}))
    wish(bench, "mic", record_to="rec new")
    planned(bench)
    found = index(bench.rig)
    (recorder,) = found.all_programs
    track, taken = recorder.tracks[0].id, recorder.inputs[0].id
    assert recorder.tracks[0].name == recorder.inputs[0].name
    assert found.say_passed((press, box)) == "Press, left, Left"
    assert ways_phrase(found, "press, left, left", "Through") == (press, box)
    assert ways_phrase(found, "left, press, left", "Through") == (box, press)
    # The beginnings of words are enough, as they are wherever else something is typed by its name.
    assert ways_phrase(found, "pre, tra mic", "Through") == (press, track)
    for each, said in ((track, "track Microphone of Recorder"), (taken, "input Microphone of Recorder")):
        assert found.whole_name(each) == said
        assert ways_phrase(found, said, "Through") == (each,)
    with pytest.raises(Refused) as refused:
        ways_phrase(found, "microphone", "Through")
    assert refused.value.reason == (
        "say which 'microphone': input Microphone of Recorder, track Microphone of Recorder"
    )


def test_no_remedy_leads_a_silent_line_where_it_never_should_go_and_one_leads_it_as_it_says() -> None:
    bench = desk_bench("1 mic", "box 4x4", "rec", "head")
    wish(bench, "mic", record_to="rec new", heard_at="head", through=index(bench.rig).all_programs[0].name)
    planned(bench)
    heard = survey(bench.rig).lines[1]
    track = index(bench.rig).all_programs[0].tracks[0]
    bench.do(
        SetValues(item=track.id, values={"monitored": False}),
        SetValues(item=heard.id, values={"through": "", "never_by": "computer"}),
    )
    known = survey_again(bench.rig, None)
    assert known.survey.lines[1].headline == "blocked"
    acts = [each for snag in known.snags for each in tried_remedies(bench.rig, snag, known) if not each.fact]
    ended = [survey(apply(bench.rig, each.edits).rig).lines[1] for each in acts]
    assert "arrives" in [line.headline for line in ended]
    assert "other way" not in [finding.kind for line in ended for finding in line.findings]


@pytest.mark.parametrize("seed", range(drawn(40, 8)))
def test_a_lead_that_is_pulled_out_of_a_named_way_is_put_back_by_the_plan(seed: int) -> None:
    """What is named and can be had is served: a plan that leaves such lines alone would not pass."""
    reading, chance = well(seed), random.Random(seed)
    found, tried = reading.found, 0
    for state in reading.lines:
        arrivals = [arrival for leg in state.legs for arrival in leg.arrivals]
        if state.headline != "arrives" or not arrivals:
            continue
        edges = arrivals[0].route.edges
        ends = {port.owner for port in (*state.line.from_ports, *state.line.to_ports)}
        owners = {each for port in arrivals[0].route.ports for each in (port.owner, found.gear_of(port.owner))} - ends
        leads = [edge.owner for edge in edges if edge.owner in found.patches]
        names = sorted(each for each in owners if found.passable(each) and goes(state, each, reading))
        if not leads or not names:
            continue
        named, lead = chance.choice(names), chance.choice(leads)
        asked = apply(
            reading.rig,
            (SetValues(item=state.line.id, values={"through": [named]}), Remove(items=(lead,))),
        ).rig
        again = join_all(read(asked))
        assert again is not None, (found.whole_name(named), state.line.name)
        after = read(apply(asked, again.edits).rig)
        assert state.line.id in arriving(after), (found.whole_name(named), state.line.name, again.words)
        assert goes(after.traced[state.line.id].state, named, after)
        # Nothing that arrived is taken away for it.
        assert arriving(read(asked)) <= arriving(after)
        tried += 1
    assert tried


def goes(state: LineState, named: str, reading: Reading) -> bool:
    """Whether every copy of a line passes this."""
    return all(passes(arrival.route.edges, named, reading.found) for leg in state.legs for arrival in leg.arrivals)


@pytest.mark.parametrize(
    ("through", "never_by", "consequence"),
    [
        ("press", "", "What it should pass does nothing to it."),
        ("", "box", "What it should be kept away from does something to it."),
        ("press", "box", "What it should pass does nothing to it; what it should be kept away from does."),
    ],
)
def test_what_another_way_leads_to_is_told_by_what_is_wrong_with_it(
    through: str, never_by: str, consequence: str
) -> None:
    bench = desk_bench(*PRESSED)
    wish(bench, "line 1", record_to="rec new")
    planned(bench)
    line = survey(bench.rig).lines[0].id
    bench.do(SetValues(item=line, values={"through": through, "never_by": never_by}))
    (snag,) = bench.snags("line-other-way")
    assert snag.consequence == consequence


def test_voices_through_a_mixing_program_are_planned_to_another_by_strips_and_a_cable() -> None:
    bench = desk_bench("3 mic", "box 8x8", "mix 2", "cable 8", "rec")
    wish(bench, "mic 1-2", record_to="rec new", through="mixing program")
    wish(bench, "mic 3", record_to="rec new")
    planned(bench)
    assert headlines(bench) == ["arrives"] * 3
    assert "of Mixing program" in " ".join(way(bench, "Microphone 1"))
    assert "Mixing program" not in " ".join(way(bench, "Microphone 3"))
    # The strips that are free are taken.
    assert len(next(gear for gear in bench.rig.gear if gear.name == "Mixing program").tracks) == 2
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_one_voice_that_goes_past_a_program_is_led_through_it_by_its_snag() -> None:
    bench = desk_bench("mic", "box 4x4", "mix 1", "cable 8", "rec")
    wish(bench, "mic", record_to="rec new")
    planned(bench)
    bench.do(SetValues(item=bench.rig.lines[0].id, values={"through": "mixing program"}))
    assert headlines(bench) == ["other way"]
    planned(bench)
    assert headlines(bench) == ["arrives"]
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)
