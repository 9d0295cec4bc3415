"""Several sounds for one track, what acts cost, and many legs of names set at once."""

import random

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from desks import desk_bench
from drawn import drawn
from evenings import planned, program, wished
from iskelo.core.acts.act import A_LEAD, A_NEW_LEAD, A_SPLITTER, IN_A_PROGRAM, NEW_GEAR, ON_A_BOX
from iskelo.core.acts.costs import cost_of
from iskelo.core.edits.additions import AddGear, AddLine, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit, Plug, Remove, SetDevice, SetDirect, SetLeg, SetValues
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.planner.search import join_line
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from mending import arriving
from rigs import Bench, any_rig


def of_eight(*, alone: bool) -> Bench:
    """Eight microphones, all wanted on one track."""
    bench = desk_bench("8 mic", "box 8x8 Corvane", "recorder Longhand")
    bench.do(AddTracks(program=bench.id("Longhand"), names=("Mix",)))
    end = (Port(bench.track("Mix"), "track", 1),)
    names = [f"Microphone {number}" for number in range(1, 9)]
    lines = (AddLine(name=name, from_ports=(bench.out(name),), to_ports=end, alone=alone) for name in names)
    return bench.do(*lines)


def test_eight_sounds_that_are_wanted_together_are_mixed_onto_their_track_and_proved() -> None:
    bench = of_eight(alone=False)
    planned(bench)
    assert arriving(bench.rig) == 8
    longhand = program(bench, "Longhand")
    assert [bus.name for bus in longhand.buses] == ["Mix"]
    assert sum(track.output == longhand.buses[0].id for track in longhand.tracks) == 8
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_sounds_that_are_each_to_be_alone_are_not_mixed() -> None:
    """One of them can have the track, and the others are left with a reason."""
    bench = of_eight(alone=True)
    planned(bench)
    assert arriving(bench.rig) == 1
    assert program(bench, "Longhand").buses == ()


def test_two_sounds_that_have_their_mix_already_are_sent_to_it() -> None:
    bench = of_eight(alone=False)
    planned(bench)
    strip = next(track for track in program(bench, "Longhand").tracks if track.name == "Microphone 3")
    bench.do(SetValues(item=strip.id, values={"output": None}))
    assert arriving(bench.rig) == 7
    planned(bench)
    assert arriving(bench.rig) == 8
    assert len(program(bench, "Longhand").buses) == 1


def small() -> Bench:
    bench = desk_bench("mic Alma", "box 4x4 Corvane", "recorder Longhand", "headphones Phones")
    wished(bench, (("alma", "longhand new", "phones", ""),))
    planned(bench)
    return bench


def lead_of(bench: Bench, name: str) -> str:
    return next(lead.id for lead in bench.rig.patches if lead.from_port == bench.out(name))


COSTS: dict[str, tuple[list[object], float]] = {
    "a key in a program": ([lambda b: SetValues(item=b.track("Alma"), values={"armed": False})], IN_A_PROGRAM),
    "a name mapped anew": (
        [lambda b: SetLeg(item=program(b, "Longhand").inputs[0].id, leg=1, channel=3)],
        IN_A_PROGRAM,
    ),
    "a setting of a box": ([lambda b: SetDirect(interface=b.id("Corvane"), jack_in=1, jack_out=4)], ON_A_BOX),
    "a lead pulled": ([lambda b: Remove(items=(lead_of(b, "Alma"),))], A_LEAD),
    "a lead moved": (
        [
            lambda b: Remove(items=(lead_of(b, "Alma"),)),
            lambda b: Plug(from_port=b.out("Alma"), to_port=Port(b.id("Corvane"), "jack_in", 3)),
        ],
        A_LEAD,
    ),
    "a source split": (
        [lambda b: Plug(from_port=b.out("Alma"), to_port=Port(b.id("Corvane"), "jack_in", 3))],
        A_NEW_LEAD + A_SPLITTER,
    ),
    "a cable more": ([lambda _: AddGear(gear=new_cable("Gully", 8))], NEW_GEAR),
}


@pytest.mark.parametrize("what", COSTS)
def test_what_a_person_does_costs_as_the_design_says(what: str) -> None:
    bench = small()
    doings, cost = COSTS[what]
    edits = tuple(doing(bench) for doing in doings)
    assert cost_of(index(bench.rig), index(apply(bench.rig, edits).rig), edits) == cost


@pytest.mark.parametrize(("needed", "words"), [(False, "Move Alma from"), (True, "by a splitter behind Alma")])
def test_a_lead_that_no_line_needs_is_moved_and_a_source_that_is_needed_is_split(needed: bool, words: str) -> None:
    bench = desk_bench("mic Alma", "box 4x4 Corvane", "box 4x4 Pellow", "recorder Longhand 1", "recorder Second 1")
    tracks = [program(bench, name).tracks[0].id for name in ("Longhand", "Second")]
    bench.do(
        SetDevice(program=bench.id("Longhand"), device=bench.id("Corvane")),
        SetDevice(program=bench.id("Second"), device=bench.id("Pellow")),
    )
    if needed:
        bench.do(line_to(bench, "Here", tracks[0]))
        planned(bench)
        assert arriving(bench.rig) == 1
    else:
        bench.do(Plug(from_port=bench.out("Alma"), to_port=Port(bench.id("Corvane"), "jack_in", 1)))
    bench.do(line_to(bench, "There", tracks[1]))
    joining = join_line(read(bench.rig), bench.line("There").line)
    assert joining is not None
    assert any(words in said for said in joining.words), joining.words


def line_to(bench: Bench, name: str, track: str) -> AddLine:
    return AddLine(name=name, from_ports=(bench.out("Alma"),), to_ports=(Port(track, "track", 1),))


@given(any_rig(), st.randoms(use_true_random=False))
@settings(max_examples=drawn(60, 12))
def test_legs_of_names_set_at_once_are_those_set_one_by_one(rig: Rig, chance: random.Random) -> None:
    items = [item for each in index(rig).programs() for item in (*each.inputs, *each.outputs) if item.returns is None]
    edits: tuple[Edit, ...] = tuple(
        SetLeg(item=item.id, leg=leg, channel=chance.choice([None, 1, 2, 5]))
        for item in chance.sample(items, min(5, len(items)))
        for leg in range(1, len(item.legs) + 1)
    )
    assume(len(edits) > 1)
    by_one = rig
    for edit in edits:
        by_one = apply(by_one, (edit,)).rig
    assert apply(rig, edits).rig == by_one
