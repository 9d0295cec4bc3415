"""Channels of programs that open so many at most: opened instead of idle ones, or told why they cannot be."""

import pytest

from desks import desk_bench
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import Plug, SetDevice, SetJack, SetLeg, SetValues
from iskelo.core.plan import plan
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.survey import survey, survey_again
from rigs import batch


def test_what_a_program_cannot_open_besides_is_opened_instead_of_what_nothing_takes() -> None:
    bench = desk_bench("1 mic", "box 32x32", "rec")
    box, recorder = index(bench.rig).boxes[0], index(bench.rig).all_programs[0]
    mic = bench.rig.gear[0].id
    bench.do(
        Plug(from_port=Port(mic, "out", 1), to_port=Port(box.id, "jack_in", 25)),
        SetJack(interface=box.id, jack_in=25, phantom=True),
        SetValues(item=recorder.id, values={"channels_at_most": 24}),
        SetDevice(program=recorder.id, device=box.id),
        *batch(bench.rig, BatchRequest(sources="mic", record_to="rec new")),
    )
    assert index(bench.rig).all_programs[0].enabled_in == tuple(range(1, 25))
    made = plan(survey_again(bench.rig, None))
    assert made is not None
    steps = [step for place in made.steps for step in place.steps]
    assert "Enable input channel 25 in Recorder instead of 24, which nothing takes" in steps
    assert not any("Move" in step or "Plug" in step for step in steps)
    after = apply(bench.rig, made.edits).rig
    assert survey(after).lines[0].headline == "arrives"
    assert len(index(after).all_programs[0].enabled_in) == 24


def test_a_program_whose_names_take_all_it_opens_is_told_as_the_reason() -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    recorder = index(bench.rig).all_programs[0]
    bench.do(
        SetValues(item=recorder.id, values={"channels_at_most": 2}),
        SetDevice(program=recorder.id, device=index(bench.rig).boxes[0].id),
        *batch(bench.rig, BatchRequest(sources="mic 1-3", record_to="rec new")),
    )
    made = plan(survey_again(bench.rig, None))
    assert made is not None
    assert [left.why for left in made.left] == ["Recorder opens 2 channels at most, all taken by its names"]
    # One that is pointed at a third all the same is blocked, and nothing is said to open it.
    bench.do(*made.edits)
    taken = index(bench.rig).all_programs[0].inputs[0]
    bench.do(SetLeg(item=taken.id, leg=1, channel=3))
    free = survey_again(bench.rig, None)
    assert "Enable input channel 3 in Recorder instead of 1, which nothing takes" in [
        each.words for snag in free.snags for each in tried_remedies(bench.rig, snag, free)
    ]


def test_a_program_that_is_told_to_open_fewer_shuts_what_nothing_takes_and_is_refused_where_it_takes_more() -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    recorder = index(bench.rig).all_programs[0].id
    bench.do(*batch(bench.rig, BatchRequest(sources="mic 1-3", record_to="rec new")))
    made = plan(survey_again(bench.rig, None))
    assert made is not None
    bench.do(*made.edits)
    done = apply(bench.rig, (SetValues(item=recorder, values={"channels_at_most": 3}),))
    assert "input channel 4 shut, which nothing takes, output channel 4 shut, which nothing takes" in done.words
    assert [line.headline for line in survey(done.rig).lines] == ["arrives"] * 3
    with pytest.raises(Refused) as refused:
        apply(bench.rig, (SetValues(item=recorder, values={"channels_at_most": 2}),))
    assert "it opens 2 channels at most each way, and 4 input channels are enabled" in refused.value.reason
