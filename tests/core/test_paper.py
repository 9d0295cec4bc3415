"""The set-up list and the delay budgets: all a rig says, in the order it is done, and what delays are spent on."""

from typing import get_args

import pytest
from hypothesis import given, settings

from drawn import drawn
from iskelo.core.edits.additions import AddInterface, AddOutboard, AddProgram
from iskelo.core.edits.edit import JoinDevices, Plug, SetDirect, SetMembers, SetOutputDevice, SetTrim, SetValues
from iskelo.core.lines.context import read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.paperwork.steps import Section, SetUpStep
from iskelo.core.planner.budgets import line_budgets
from iskelo.core.rig.gear import Aggregate, Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.demo.orrin_point import orrin_point
from rigs import Bench, any_rig, programs_joined, two_voices

SECTIONS = get_args(Section)


def steps(bench: Bench) -> dict[str, SetUpStep]:
    return {step.words: step for step in set_up_list(read(bench.rig))}


def two_boxes() -> Bench:
    bench = Bench(Rig(name="Boxes"))
    bench.do(AddInterface(name="Corvane 8", jack_in=8), AddInterface(name="Pellow Duo"))
    corvane, pellow = bench.id("Corvane 8"), bench.id("Pellow Duo")
    members = (Member(device=corvane), Member(device=pellow, matched=True))
    bench.do(JoinDevices(name="Hall", members=members))
    return bench.do(SetValues(item=bench.id("Hall"), values={"buffer_samples": 64}))


def test_boxes_joined_as_one_are_told_in_the_order_master_and_matching_they_need() -> None:
    bench = two_boxes()
    hall = steps(bench)["Open Hall"]
    assert hall.settings[:3] == ("Corvane 8 first, then Pellow Duo", "clock from Corvane 8", "match Pellow Duo")
    assert "buffer 64" in hall.settings
    assert not hall.trouble
    aggregate = bench.id("Hall")
    swapped = tuple(reversed(next(gear for gear in bench.rig.gear if isinstance(gear, Aggregate)).members))
    bench.do(SetMembers(aggregate=aggregate, members=swapped), SetValues(item=aggregate, values={"matches": False}))
    assert steps(bench)["Open Hall"].settings[:3] == (
        "Pellow Duo first, then Corvane 8",
        "clock from Pellow Duo",
        "do not match Corvane 8",
    )
    bench.do(SetValues(item=bench.id("Corvane 8"), values={"connected": False}))
    assert steps(bench)["Open Hall"].trouble == "Corvane 8 not there"
    assert steps(bench)["Connect Corvane 8 to the computer"].trouble == "it is not connected now"


def test_outboard_gear_is_told_with_its_settings_and_all_that_is_plugged_there() -> None:
    bench = two_voices().do(AddOutboard(name="Stairwell", width=1))
    box, echo = bench.id("Box"), bench.id("Stairwell")
    bench.do(
        SetValues(item=echo, values={"delay_samples": 96, "gain_db": 3.0}),
        Plug(from_port=Port(box, "jack_out", 5), to_port=Port(echo, "outboard_in", 1)),
        Plug(from_port=Port(echo, "outboard_out", 1), to_port=Port(box, "jack_in", 5), gain_db=-40, inverted=True),
    )
    told = [step for step in set_up_list(read(bench.rig)) if step.section == "Outboard gear"]
    assert [(step.words, step.settings) for step in told] == [
        ("Stairwell", ("+3 dB", "takes 96 samples at 48 kHz = 2.00 ms")),
        ("Box jack out 5 → Stairwell in", ()),
        ("Stairwell out → Box jack in 5", ("trim 38 dB", "-40 dB in the lead", "polarity reversed")),
    ]


def test_a_box_that_follows_comes_after_the_one_that_leads_it() -> None:
    bench = two_boxes()
    corvane, pellow = bench.id("Corvane 8"), bench.id("Pellow Duo")
    bench.do(
        SetValues(item=pellow, values={"word_clock_out": True}),
        SetValues(item=corvane, values={"word_clock_in": True}),
        SetValues(item=corvane, values={"clock_source": "word clock"}),
    )
    assert steps(bench)["Corvane 8: clock source word clock"].trouble == "nothing is plugged into its word clock input"
    bench.do(Plug(from_port=Port(pellow, "word_out", 1), to_port=Port(corvane, "word_in", 1)))
    words = list(steps(bench))
    lead = words.index("Pellow Duo word clock out → Corvane 8 word clock in")
    leader = words.index("Pellow Duo: clock source own clock")
    follower = words.index("Corvane 8: clock source word clock from Pellow Duo")
    assert lead < leader < follower


def test_a_program_on_two_boxes_and_one_without_a_device() -> None:
    bench = two_boxes()
    corvane, pellow = bench.id("Corvane 8"), bench.id("Pellow Duo")
    bench.do(AddProgram(name="Longhand", device=corvane), AddProgram(name="Idle"))
    bench.do(
        SetOutputDevice(program=bench.id("Longhand"), device=pellow),
        SetValues(item=bench.id("Longhand"), values={"matched": True, "rate_hz": 48_000}),
    )
    assert steps(bench)["Longhand: open its device"].settings == (
        "opens Corvane 8 by its vendor driver",
        "plays to Pellow Duo by its vendor driver",
        "matched, margin 16",
        "48 kHz",
    )
    assert steps(bench)["Idle: open its device"].trouble == "it has no device"


def test_stage_and_listening_say_what_is_switched_on_the_way() -> None:
    bench = two_voices()
    box = bench.box()
    bench.do(
        SetDirect(interface=box.id, jack_in=1, jack_out=2, gain_db=-6),
        SetValues(item=box.id, values={"phantom_on": [1]}),
    )
    told = list(set_up_list(read(bench.rig)))
    stage = [step for step in told if step.section == "Stage"]
    assert stage
    # Plugged first, supplied when all is in.
    assert stage[-1].words == "Box: phantom supply on, now that all is plugged in"
    assert stage[-1].settings == ("jacks 1", "off at the others")
    assert [step.section for step in told][:2] == ["Boxes", "Boxes"]
    assert "jack in 1 to jack out 2, -6 dB" in next(step for step in told if step.key == f"direct:{box.id}").settings


@given(any_rig(joined=True) | programs_joined(any_rig(cabled=True, busy=True)))
@settings(max_examples=drawn(60))
def test_any_rig_has_a_list_in_order_that_leaves_no_lead_and_no_box_out(rig: Rig) -> None:
    told = set_up_list(read(rig))
    order = [SECTIONS.index(step.section) for step in told]
    assert order == sorted(order)
    keys = [step.key for step in told]
    assert len(keys) == len(set(keys))
    assert {f"lead:{patch.id}" for patch in rig.patches} <= set(keys)
    found = index(rig)
    assert {f"box:{box.id}" for box in found.boxes} | {f"program:{each.id}" for each in found.programs()} <= set(keys)


def test_delay_budgets_stand_nearest_to_their_limits_first_and_add_up() -> None:
    budgets = line_budgets(read(orrin_point()))
    assert [each.name for each in budgets[:3]] == ["Alma, heard", "Cassia, heard", "Bertil, heard"]
    for each in budgets:
        assert sum(part.samples for part in each.parts) == each.samples
        assert sum(part.ms for part in each.parts) == pytest.approx(each.ms)
        assert each.waits_ms == pytest.approx(sum(part.ms for part in each.parts if part.kind == "buffer"))
    late = budgets[0]
    assert late.limit_ms == 10
    assert late.left_ms == pytest.approx(10 - late.ms)
    assert late.left_ms < 0
    # 26 + 7 + 24 + 256 in, 256 + 42 + 30 out are the demo's figures (6 of its design), counted at 48 kHz.
    assert late.samples == 641


def test_a_driver_set_in_its_own_panel_is_told_with_the_rate_and_no_program_sets_it() -> None:
    bench = two_voices()
    driver = bench.box().drivers[0]
    bench.do(AddProgram(name="Deck", program_kind="player", device=bench.id("Box")))
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"rate_hz": 48_000}),
        SetValues(item=bench.id("Deck"), values={"rate_hz": 44_100}),
    )
    assert bench.snags("rate-set-in-two-places")
    bench.do(SetValues(item=driver.id, values={"set_in": "its own panel"}))
    assert not bench.snags("rate-set-in-two-places")
    told = next(step for step in set_up_list(read(bench.rig)) if step.key == f"driver:{driver.id}")
    assert "set in its own panel, with the rate: 48 kHz" in told.settings


def renamed(rig: Rig) -> Rig:
    """The same rig with everything in it called something else."""
    gear = []
    for number, each in enumerate(rig.gear):
        update: dict[str, object] = {"name": f"Renamed {number}"}
        if isinstance(each, Program):
            for field in ("inputs", "outputs", "tracks", "voices", "buses"):
                items = getattr(each, field)
                update[field] = tuple(item.model_copy(update={"name": f"{item.name} again"}) for item in items)
        gear.append(each.model_copy(update=update))
    return rig.model_copy(update={"gear": tuple(gear)})


@given(any_rig(joined=True) | programs_joined(any_rig(cabled=True, busy=True)))
@settings(max_examples=drawn(60))
def test_renaming_changes_nothing_of_what_a_tick_belongs_to(rig: Rig) -> None:
    was, now = set_up_list(read(rig)), set_up_list(read(renamed(rig)))
    assert [(step.key, step.says) for step in now] == [(step.key, step.says) for step in was]


def test_a_value_that_changes_is_something_else_to_tick_and_the_old_one_is_what_it_was() -> None:
    bench = two_voices()
    lead = bench.rig.patches[0].id

    def says(rig: Rig) -> str:
        return next(step.says for step in set_up_list(read(rig)) if step.key == f"lead:{lead}")

    before, was = bench.rig, says(bench.rig)
    bench.do(SetTrim(interface=bench.box().id, jack_in=1, trim_db=12))
    assert says(bench.rig) != was
    assert says(before) == was


def test_each_step_says_why_and_how_to_see_that_it_worked() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.box().id, values={"phantom_on": [1]}))
    bench.do(SetValues(item=bench.id("Alma"), values={"needs_phantom": True}))
    told = {step.key: (step.why, step.see) for step in set_up_list(read(bench.rig))}
    box = bench.box()
    assert told[f"box:{box.id}"] == ("Recorder opens it", "the computer lists it with 8 in and 8 out")
    assert told[f"driver:{box.drivers[0].id}"] == (
        "by it Recorder reaches Box", "Recorder reads buffer 128 at 48 kHz"
    )  # fmt: skip
    lead = next(patch.id for patch in bench.rig.patches if patch.from_port.owner == bench.id("Alma"))
    assert told[f"lead:{lead}"] == ("for L Alma", "tap it or speak: the meter of Box jack in 1 moves, and no other")
    assert told[f"phantom:{box.id}"][0] == "Alma needs it"
    assert told[f"clock:{box.id}"] == ("", "its panel says internal, 48 kHz")
    tracks = told[f"tracks:{bench.program().id}"]
    assert tracks[1] == "2 of 2 are armed, and each moves with its own source alone"
