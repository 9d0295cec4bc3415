"""Filling ascending, swapping a box, the answer for any port, the ladder: what is shown before it is made."""

import pytest

from iskelo.core.answers import answer_for
from iskelo.core.edits.additions import AddGear
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import RenameEverywhere, SetDirect, SetJack, SetOutputTrim, SetValues
from iskelo.core.edits.phrases import interface_phrase
from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import read
from iskelo.core.planner.fill import FillRequest, fill
from iskelo.core.planner.ladder import ladders
from iskelo.core.planner.swap import plan_swap
from iskelo.core.rig.ports import Port
from iskelo.core.survey import survey
from iskelo.demo.catalogue import catalogue
from rigs import Bench, ears, heard, two_voices


def monitored(bench: Bench) -> Bench:
    return bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))


def test_a_column_is_filled_ascending_and_a_step_skips() -> None:
    bench = two_voices()
    lines = (bench.id("L Alma"), bench.id("L Bertil"))
    rig = apply(bench.rig, fill(bench.rig, FillRequest(lines=lines, column="box_in", start=3, step=2)).edits).rig
    jacks = {p.from_port.owner: p.to_port.number for p in rig.patches if p.to_port.bank == "jack_in"}
    assert [jacks[bench.id(name)] for name in ("Alma", "Bertil")] == [3, 5]
    numbers = fill(bench.rig, FillRequest(lines=lines, column="box_in", start=3, step=2)).numbers
    assert list(numbers.values()) == ["3", "5"]
    swapped = FillRequest(lines=lines[::-1], column="track", start=1)
    rig = apply(bench.rig, fill(bench.rig, swapped).edits).rig
    ends = {line.name: line.to_ports[0].owner for line in rig.lines}
    assert (ends["L Bertil"], ends["L Alma"]) == (bench.track("T Alma"), bench.track("T Bertil"))


@pytest.mark.parametrize(
    ("column", "start", "step", "place", "reason"),
    [
        ("box_in", 0, 1, "Start", "no port number"),
        ("box_in", 1, 0, "Step", "no step"),
        ("box_in", 8, 1, "L Bertil", "has no jack in 9; it has 8"),
        ("track", 2, 1, "L Bertil", "has no track 3; it has 2"),
        ("source", 1, 1, "Column", "only input jacks"),
        ("program_in", 1, 1, "Column", "they ascend like this already"),
    ],
)
def test_a_fill_that_cannot_be_is_refused(column: str, start: int, step: int, place: str, reason: str) -> None:
    bench = two_voices()
    lines = (bench.id("L Alma"), bench.id("L Bertil"))
    with pytest.raises(Refused, match=reason) as caught:
        fill(bench.rig, FillRequest.model_validate({"lines": lines, "column": column, "start": start, "step": step}))
    assert caught.value.place == place


def test_a_swap_keeps_numbers_where_it_can_and_moves_the_rest_to_jacks_that_are_able() -> None:
    bench = heard(monitored(two_voices()), "Alma")
    bench.do(
        SetValues(item=bench.id("Alma"), values={"needs_phantom": True}),
        SetJack(interface=bench.id("Box"), jack_in=1, phantom=True),
        SetDirect(interface=bench.id("Box"), jack_in=2, jack_out=1),
    )
    small = interface_phrase("box 2x2")
    plan = plan_swap(read(bench.rig), bench.box(), small)
    assert [(move.side, move.number, move.to) for move in plan.jacks if move.side == "in"] == [
        ("in", 1, 1),
        ("in", 2, 2),
    ]
    # On a box whose jacks have no supply at all the microphone still keeps its jack, for no other is better.
    bare = small.model_copy(update={"phantom_jacks": 0})
    assert all(move.to for move in plan_swap(read(bench.rig), bench.box(), bare).jacks)
    after = apply(bench.rig, (plan.edit,)).rig
    states = {line.name: line.headline for line in survey(after).lines}
    assert states["L Alma"] == states["L Bertil"] == "arrives"
    assert next(g for g in after.gear if g.kind == "interface").direct[0].jack_in == 2


def test_a_swap_for_a_box_that_is_too_small_says_what_has_no_jack() -> None:
    bench = two_voices()
    plan = plan_swap(read(bench.rig), bench.box(), interface_phrase("box 1x2"))
    assert (plan.jacks[0].used_by, plan.jacks[0].to) == ("Bertil", None)
    applied = apply(bench.rig, (plan.edit,))
    assert "unplugs Bertil" in applied.words
    assert {line.name: line.headline for line in survey(applied.rig).lines}["L Bertil"] == "silent"


def test_the_answer_for_a_port_tells_what_passes_and_what_is_stopped() -> None:
    bench = two_voices()
    reading = read(bench.rig)
    answer = answer_for(reading, Port(bench.track("T Alma"), "monitor", 1))
    assert [reach.said for reach in answer.arrives] == ["Alma"]
    assert not answer.arrives[0].passes
    assert "not monitored" in answer.arrives[0].stopped
    assert {reach.said for reach in answer.goes} == {"Phones L", "Phones R"}
    jack = answer_for(reading, Port(bench.id("Box"), "jack_in", 1))
    assert [(reach.said, reach.wanted_by) for reach in jack.goes if reach.passes] == [
        ("Recorder track 1 T Alma", ("L Alma",))
    ]
    with pytest.raises(KeyError):
        answer_for(reading, Port(bench.id("Box"), "jack_in", 99))


def test_the_ladder_counts_who_would_be_late_at_every_buffer() -> None:
    """Arithmetic: a round trip of 2 x B and the fixed samples; 128 at 48 kHz are 2.667 ms."""
    bench = heard(monitored(two_voices()), "Alma", within_ms=10)
    (ladder,) = ladders(read(bench.rig))
    late = {rung.buffer_samples: rung.late_lines for rung in ladder.rungs}
    assert ladder.assumed
    assert ladder.limit_ms == 10
    for rung in ladder.rungs:
        trial = apply(bench.rig, (SetValues(item=ladder.driver, values={"buffer_samples": rung.buffer_samples}),)).rig
        heard_line = next(line for line in survey(trial).lines if line.name == "Alma heard")
        assert heard_line.latest_samples == rung.round_trip_samples
        assert late[rung.buffer_samples] == (heard_line.headline == "late")
    assert next(r.buffer_ms for r in ladder.rungs if r.buffer_samples == 128) == pytest.approx(2.667, abs=1e-3)


def test_levels_along_a_way_from_the_jack_to_the_ear() -> None:
    """Worked by hand: -38 dBu, trim 38, full scale +18: -18 dBFS; out at +18 full scale: 0 dBu; trim -20: -20 dBu."""
    bench = heard(monitored(two_voices()), "Alma")
    bench.do(SetOutputTrim(interface=bench.id("Box"), jack_out=1, trim_db=-20))
    state = bench.line("Alma heard")
    left = next(leg for leg in state.legs if leg.end == ears(bench)[0])
    steps = levels_along(left.arrivals[0].route.edges, read(bench.rig).found)
    told = [(step.port.bank, round(step.level, 6), step.unit) for step in steps]
    assert told[0] == ("out", -38, "dBu")
    assert ("capture", -18, "dBFS") in told
    assert told[-1] == ("in", -20, "dBu")
    assert not any(step.over_db for step in steps)


def test_an_assumed_figure_is_carried_into_every_sum_and_a_typed_one_is_not() -> None:
    bench = two_voices()
    assert all(line.delay_assumed and line.level_assumed for line in survey(bench.rig).lines)
    box, driver = bench.box(), bench.box().drivers[0]
    figures = [f for f in type(box).model_fields if f.endswith("_samples") or f == "input_full_scale_dbu"]
    bench.do(SetValues(item=box.id, values={f: getattr(box, f) for f in figures}, origin="measured"))
    bench.do(SetValues(item=bench.id("Alma"), values={"level_dbu": -40}))
    line = survey(bench.rig).lines[0]
    assert (line.delay_assumed, line.level_assumed) == (True, False)
    words = apply(bench.rig, (SetValues(item=driver.id, values={"safety_in_samples": 24}),)).words
    assert "safety offset in (samples) is typed now" in words
    bench.do(SetValues(item=driver.id, values={"safety_in_samples": 24}, origin="described"))
    assert not survey(bench.rig).lines[0].delay_assumed


def test_a_name_given_once_flows_everywhere() -> None:
    bench = heard(two_voices(), "Alma")
    bench.do(
        SetValues(item=bench.id("L Alma"), values={"name": "Alma"}),
        SetValues(item=bench.id("Alma heard"), values={"name": "Alma, heard"}),
        SetValues(item=bench.track("T Alma"), values={"name": "Alma"}),
    )
    applied = apply(bench.rig, (RenameEverywhere(old="alma", new="Ines"),))
    assert "in 4 places" in applied.words
    assert {line.name for line in applied.rig.lines} == {"Ines", "Ines, heard", "L Bertil"}
    with pytest.raises(Refused, match="nothing has this name"):
        apply(bench.rig, (RenameEverywhere(old="Nobody", new="Ines"),))


def test_the_shipped_catalogue_holds_together_and_each_piece_can_be_added() -> None:
    names = [gear.name for gear in catalogue()]
    assert len(names) == len(set(names))
    sizes = {(g.jack_in, g.jack_out) for g in catalogue() if g.kind == "interface"}
    assert {(2, 2), (4, 4), (8, 8), (16, 16), (32, 32)} <= sizes
    for gear in catalogue():
        bench = two_voices().do()
        bench.rig = apply(bench.rig, (AddGear(gear=gear),)).rig
        assert gear.name in {each.name for each in bench.rig.gear}
