"""Numbers that move in a device of several boxes: told, remembered, and given back."""

import pytest

from iskelo.core.compare import trial
from iskelo.core.edits.additions import AddDriver, AddInterface
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit, JoinDevices, Plug, Remove, SetDevice, SetLeg, SetMembers, SetValues
from iskelo.core.lines.context import read
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import find_snags
from rigs import Bench, two_voices


def over_two_boxes() -> tuple[Bench, str, str]:
    """Alma's microphone on the first box of a device, Bertil's on the second, behind the first one's eight channels."""
    bench = two_voices()
    number = bench.rig.next_number
    second, both = f"b{number}", f"g{number + 2}"
    bench.do(
        AddInterface(name="Second", jack_in=2, jack_out=2),
        SetValues(item=bench.id("Box"), values={"optical_in": 4, "word_clock_out": True}),
        SetValues(item=second, values={"word_clock_in": True, "clock_source": "word clock"}),
        JoinDevices(name="Both", members=(Member(device=bench.id("Box")), Member(device=second))),
        SetDevice(program=bench.id("Recorder"), device=both),
        Plug(from_port=bench.out("Bertil"), to_port=Port(second, "jack_in", 1)),
        Plug(from_port=Port(bench.id("Box"), "word_out", 1), to_port=Port(second, "word_in", 1)),
        Remove(items=(bench.rig.patches[1].id,)),
        SetLeg(item=bench.id("In Bertil"), channel=9),
    )
    assert [state.headline for state in read(bench.rig).lines] == ["arrives", "arrives"]
    return bench, second, both


def first_box(bench: Bench) -> str:
    return bench.id("Box")


SHIFTS = {
    "a member is taken out": lambda b, second, both: (
        SetMembers(aggregate=both, members=(Member(device=second),), keep_names=True),
    ),
    "the members stand in another order": lambda b, second, both: (
        SetMembers(aggregate=both, members=(Member(device=second), Member(device=b.id("Box"))), keep_names=False),
    ),
    "its driver shows fewer": lambda b, second, both: (SetValues(item=b.box().drivers[0].id, values={"capture": 2}),),
    "another driver of it shows fewer": lambda b, second, both: (
        AddDriver(interface=b.id("Box"), capture=0, playback=2),
        SetMembers(
            aggregate=both,
            members=(Member(device=b.id("Box"), driver=f"d{b.rig.next_number}"), Member(device=second)),
            keep_names=False,
        ),
    ),
    "an optical port at double rate": lambda b, second, both: (
        SetValues(item=b.id("Box"), values={"rate_hz": 96_000}),
        SetValues(item=second, values={"rate_hz": 96_000}),
    ),
}


def made(change: str) -> tuple[Bench, Rig, str]:
    """The bench before, the rig after a change, and what the change said."""
    bench, second, both = over_two_boxes()
    edits: tuple[Edit, ...] = SHIFTS[change](bench, second, both)
    applied = apply(bench.rig, edits)
    return bench, applied.rig, applied.words


@pytest.mark.parametrize("change", SHIFTS)
def test_whatever_moves_numbers_tells_every_name_in_its_own_words_and_in_now_and_after(change: str) -> None:
    bench, second, both = over_two_boxes()
    told = trial(bench.rig, SHIFTS[change](bench, second, both))
    moved = [row.what for row in told.numbers if row.what.startswith("Recorder, ")]
    names = ["Recorder, In Alma"] if change == "a member is taken out" else ["Recorder, In Bertil"]
    assert set(names) <= set(moved)
    for name in names:
        assert name.removeprefix("Recorder, ") in told.words


@pytest.mark.parametrize("change", SHIFTS)
def test_what_moved_is_one_snag_with_its_cause_and_its_remedy_restores_what_each_name_meant(change: str) -> None:
    _, rig, _ = made(change)
    snags = [snag for snag in find_snags(read(rig)) if snag.severity == "stop"]
    assert [snag.rule for snag in snags] == ["numbers-moved"]
    remedies = tried_remedies(rig, snags[0])
    assert remedies
    assert "channel 1" not in remedies[0].words
    after = apply(rig, remedies[0].edits).rig
    states = read(after).lines
    assert [state.headline for state in states] == ["arrives", "arrives"]
    assert not [snag for snag in find_snags(read(after)) if snag.rule == "numbers-moved"]
    program = index(after).programs()[0]
    assert all(not item.meant for item in program.inputs)


def test_the_cause_is_told_by_what_the_members_are_now() -> None:
    titles = {}
    for change in SHIFTS:
        _, rig, _ = made(change)
        (snag,) = [snag for snag in find_snags(read(rig)) if snag.rule == "numbers-moved"]
        titles[change] = snag.title
    assert titles["a member is taken out"].startswith("Box is not in Both any more: 2 names")
    assert titles["its driver shows fewer"].startswith("The vendor driver of Box shows 2 of 8 capture channels")
    assert titles["an optical port at double rate"].startswith("At 96 kHz Box has 6 of 8 capture channels")


def test_a_box_removed_from_the_rig_takes_its_own_names_only() -> None:
    bench, _, _ = over_two_boxes()
    applied = apply(bench.rig, (Remove(items=(bench.id("Box"),)),))
    assert "In Bertil 9 → 1" in applied.words
    assert "In Alma has nothing instead of Box channel 1" in applied.words
    states = {state.line.name: state.headline for state in read(applied.rig).lines}
    assert states == {"L Alma": "silent", "L Bertil": "arrives"}


def test_a_number_that_is_typed_is_what_the_name_means_from_then_on() -> None:
    _, rig, _ = made("its driver shows fewer")
    bench = Bench(rig)
    assert index(rig).items[bench.id("In Bertil")].item.meant
    bench.do(SetLeg(item=bench.id("In Bertil"), channel=4))
    assert not index(bench.rig).items[bench.id("In Bertil")].item.meant
    assert not bench.snags("numbers-moved")


def test_an_absent_box_leaves_nothing_to_remember_and_comes_back_to_its_names() -> None:
    bench, _, _ = over_two_boxes()
    before = bench.rig
    bench.do(SetValues(item=bench.id("Box"), values={"connected": False}))
    assert bench.snags("member-absent")
    assert not bench.snags("numbers-moved")
    bench.do(SetValues(item=bench.id("Box"), values={"connected": True}))
    assert bench.rig == before
