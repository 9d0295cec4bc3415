"""The smallest change that makes a line arrive."""

import pytest

from iskelo.core.edits.additions import AddDestination, AddInterface, AddLine, AddProgram, AddSources, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import EnableChannels, Remove, SetLeg, SetValues
from iskelo.core.lines.context import read
from iskelo.core.planner.search import join_line
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from rigs import Bench, ears, heard, two_voices


def joined(bench: Bench, name: str, **how: bool) -> tuple[str, ...]:
    """What is done to make the line arrive; it then does."""
    found = join_line(read(bench.rig), bench.line(name).line, **how)
    assert found is not None
    bench.do(*found.edits)
    assert all(leg.arrivals for leg in bench.line(name).legs)
    return found.words


def test_nothing_is_missing_from_a_line_that_arrives() -> None:
    bench = two_voices()
    assert join_line(read(bench.rig), bench.line("L Alma").line) is None


def test_from_bare_gear_a_record_line_takes_three_steps() -> None:
    bench = Bench(Rig())
    bench.do(AddSources(names=("Alma",)), AddInterface(name="Box"), AddProgram(name="Rec"))
    bench.do(AddTracks(program=bench.id("Rec"), names=("T",)))
    bench.do(
        AddLine(name="L", from_ports=(bench.out("Alma"),), to_ports=(Port(bench.track("T"), "track", 1),)),
    )
    assert joined(bench, "L") == (
        "Plug Alma into Box jack in 1",
        "Add an input Alma on channel 1 to Rec",
        "Let track T take it",
    )


def test_a_mono_source_gets_both_ears_from_two_jacks() -> None:
    bench = Bench(Rig())
    bench.do(AddSources(names=("Alma",)), AddInterface(name="Box"), AddDestination(name="Phones"))
    heard(bench, "Alma")
    words = joined(bench, "Alma heard")
    assert "Plug Box jack out 1 into Phones L" in words
    assert "Plug Box jack out 2 into Phones R" in words
    assert {patch.from_port.number for patch in bench.rig.patches if patch.to_port in ears(bench)} == {1, 2}


def test_a_heard_line_goes_direct_or_through_the_program_as_asked() -> None:
    direct = joined(heard(two_voices(), "Alma"), "Alma heard", through_computer=False)
    assert all("directly" in word for word in direct)
    through = joined(heard(two_voices(), "Alma"), "Alma heard", direct=False)
    assert through == ("Monitor track T Alma",)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda b: SetLeg(item=b.id("In Alma"), channel=None), ("Set input In Alma to channel 1",)),
        (lambda b: SetLeg(item=b.id("In Alma"), channel=2), ("Set input In Alma to channel 1",)),
        (lambda b: SetValues(item=b.track("T Alma"), values={"armed": False}), ("Arm track T Alma",)),
        (
            lambda b: EnableChannels(program=b.id("Recorder"), channels=(1,), on=False),
            ("Enable input channel 1 in Recorder",),
        ),
        (lambda b: SetValues(item=b.track("T Alma"), values={"input": None}), ("Let track T Alma take In Alma",)),
        (lambda b: Remove(items=(b.rig.patches[0].id,)), ("Plug Alma into Box jack in 1",)),
    ],
)
def test_one_fault_takes_one_edit(change, words: tuple[str, ...]) -> None:
    bench = two_voices()
    bench.do(change(bench))
    assert joined(bench, "L Alma") == words
    assert bench.line("L Bertil").headline == "arrives"


def test_what_cannot_be_joined_is_said_so() -> None:
    bench = two_voices()
    bench.do(Remove(items=(bench.id("Box"),)))
    assert join_line(read(bench.rig), bench.line("L Alma").line) is None


def test_the_plan_does_not_change_the_rig_it_is_made_for() -> None:
    bench = two_voices()
    bench.do(SetLeg(item=bench.id("In Alma"), channel=None))
    before = bench.rig.model_dump()
    found = join_line(read(bench.rig), bench.line("L Alma").line)
    assert bench.rig.model_dump() == before
    assert found is not None
    assert apply(bench.rig, found.edits).rig != bench.rig
