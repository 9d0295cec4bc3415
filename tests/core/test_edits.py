"""Edits: what each does, what it refuses, what a removal takes with it."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.edits.additions import (
    AddDestination,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import (
    Edit,
    EnableChannels,
    FillChannels,
    Plug,
    Remove,
    SetDevice,
    SetDirect,
    SetLeg,
    SetTrim,
    SetValues,
)
from iskelo.core.edits.settable import SETTABLE
from iskelo.core.rig.check import check
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from rigs import any_rig, ears, heard, two_voices


def refusal(rig: Rig, *edits) -> Refused:
    with pytest.raises(Refused) as caught:
        apply(rig, edits)
    return caught.value


def test_new_gear_gets_a_free_name_and_an_id_of_its_own() -> None:
    rig = apply(Rig(), (AddSources(names=("Alma", "Alma")), AddSources(names=("alma",)))).rig
    assert [gear.name for gear in rig.gear] == ["Alma", "Alma 2", "alma 3"]
    assert len({gear.id for gear in rig.gear}) == 3


def test_ids_are_never_used_again() -> None:
    rig = apply(Rig(), (AddSources(names=("Alma",)),)).rig
    gone = apply(rig, (Remove(items=(rig.gear[0].id,)),)).rig
    back = apply(gone, (AddSources(names=("Alma",)),)).rig
    assert back.gear[0].id != rig.gear[0].id


def test_a_recorder_opens_the_only_box_there_is_with_all_its_channels() -> None:
    rig = apply(Rig(), (AddInterface(name="Box", jack_in=4, jack_out=2), AddProgram(name="Rec"))).rig
    program = index(rig).programs()[0]
    assert program.device == rig.gear[0].id
    assert program.enabled_in == (1, 2, 3, 4)
    assert program.enabled_out == (1, 2)
    two = apply(Rig(), (AddInterface(name="A"), AddInterface(name="B"), AddProgram(name="Rec"))).rig
    assert index(two).programs()[0].device is None


def test_every_settable_field_exists_and_has_its_words() -> None:
    for kind, fields in SETTABLE.items():
        assert set(fields) <= set(kind.model_fields)
        assert all(fields.values())


@pytest.mark.parametrize(
    ("values", "place", "reason"),
    [
        ({"rate_hz": 12}, "Box, rate (Hz)", "it must be 8000 or more"),
        ({"rate_hz": 22_050}, "Box", "22050 Hz is not offered"),
        ({"jack_in": 1000}, "Box, input jacks", "it must be 128 or less"),
        ({"jack_in": "many"}, "Box, input jacks", "it must be a whole number"),
        ({"jack_in": 1.5}, "Box, input jacks", "it must be a whole number"),
        ({"input_full_scale_dbu": "hot"}, "Box, input full scale (dBu)", "it must be a number"),
        ({"rates_hz": [48_000, 7]}, "Box, rates offered (Hz), number 2", "8000 or more"),
        ({"colour": "red"}, "Box", "nothing called 'colour'"),
        ({"id": "b9"}, "Box", "nothing called 'id'"),
        ({"name": "Alma"}, "Alma", "taken by another piece of gear"),
        ({"name": " "}, "Box, name", "at least one character"),
    ],
)
def test_a_value_that_cannot_be_is_refused_with_its_place(values, place: str, reason: str) -> None:
    bench = two_voices()
    error = refusal(bench.rig, SetValues(item=bench.id("Box"), values=values))
    assert error.place == place
    assert reason in error.reason


def test_an_edit_in_the_middle_that_is_refused_undoes_the_whole_action() -> None:
    bench = two_voices()
    before = bench.rig
    refusal(
        before,
        SetValues(item="rig", values={"name": "Else"}),
        SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": 100}),
    )
    assert bench.rig == before
    assert bench.rig.name == "Two voices"


def test_words_say_what_changed() -> None:
    bench = two_voices()
    said = apply(bench.rig, (SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": 64}),)).words
    assert said == "Box, driver: buffer (samples) 128 → 64"
    said = apply(bench.rig, (SetValues(item=bench.id("In Alma"), values={"name": "Vox"}),)).words
    assert said == "Recorder, In Alma: renamed to Vox"


def test_a_removal_says_what_it_unplugs_and_leaves_nothing_hanging() -> None:
    bench = heard(two_voices(), "Alma")
    done = apply(bench.rig, (Remove(items=(bench.id("Box"),)),))
    assert "removed Box" in done.words
    assert "unplugs Alma from Box jack in 1" in done.words
    assert "Recorder has no device now" in done.words
    assert done.rig.patches == ()
    check(done.rig)


def test_removing_a_source_leaves_its_line_wanting_one() -> None:
    bench = two_voices()
    done = apply(bench.rig, (Remove(items=(bench.id("Alma"),)),))
    assert "line L Alma loses 1 of its ports" in done.words
    assert done.rig.lines[0].from_ports == ()


def test_fewer_jacks_unplug_what_stood_beyond_and_drop_its_direct_monitoring() -> None:
    bench = two_voices()
    bench.do(SetDirect(interface=bench.id("Box"), jack_in=2, jack_out=1))
    done = apply(bench.rig, (SetValues(item=bench.id("Box"), values={"jack_in": 1}),))
    assert "unplugs Bertil from Box jack in 2" in done.words
    box = index(done.rig).interfaces()[0]
    assert box.direct == ()
    assert len(box.trims_db) == 1


def test_plugging_in_place_of_another() -> None:
    bench = two_voices()
    jack = Port(bench.id("Box"), "jack_in", 1)
    assert "unplug that first" in refusal(bench.rig, Plug(from_port=bench.out("Bertil"), to_port=jack)).reason
    done = apply(bench.rig, (Plug(from_port=bench.out("Bertil"), to_port=jack, replace=True),))
    assert done.words == "plugged Bertil into Box jack in 1 in place of Alma"


def test_channels_fill_ascending_over_mono_and_stereo() -> None:
    bench = two_voices()
    bench.do(AddProgramPorts(program=bench.id("Recorder"), names=("Pair",), width=2))
    items = tuple(item.id for item in bench.program().inputs)
    bench.do(FillChannels(items=items, first_channel=3))
    assert [item.legs for item in bench.program().inputs] == [(3,), (4,), (5, 6)]
    assert "128 or less" in refusal(bench.rig, FillChannels(items=items, first_channel=127)).reason


def test_single_setters() -> None:
    bench = two_voices()
    box, recorder = bench.id("Box"), bench.id("Recorder")
    bench.do(
        SetTrim(interface=box, jack_in=2, trim_db=10),
        EnableChannels(program=recorder, side="output", channels=(1,), on=False),
        SetLeg(item=bench.id("In Alma"), channel=7),
        SetDirect(interface=box, jack_in=2, jack_out=2, gain_db=-3, muted=True),
        SetValues(item=bench.rig.patches[0].id, values={"inverted": True}),
    )
    assert bench.box().trims_db[1] == 10
    assert bench.program().enabled_out == (2, 3, 4, 5, 6, 7, 8)
    assert bench.program().inputs[0].legs == (7,)
    assert bench.box().direct[0].muted
    assert bench.rig.patches[0].inverted
    bench.do(SetDirect(interface=box, jack_in=2, jack_out=2, gain_db=None), SetDevice(program=recorder, device=None))
    assert bench.box().direct == ()
    assert bench.program().device is None
    assert "no jack in 9" in refusal(bench.rig, SetTrim(interface=box, jack_in=9, trim_db=0)).reason
    assert "no leg 2" in refusal(bench.rig, SetLeg(item=bench.id("In Alma"), leg=2, channel=1)).reason


@pytest.mark.parametrize(
    "edit",
    [
        SetLeg(item="i999"),
        Remove(items=("x999",)),
        SetDevice(program="p999"),
        SetValues(item="t999", values={"name": "x"}),
        FillChannels(items=("i999",)),
        EnableChannels(program="p999", channels=(1,)),
    ],
)
def test_what_has_been_removed_meanwhile_is_named(edit) -> None:
    assert "removed" in refusal(two_voices().rig, edit).reason


def test_another_purpose_wants_another_end() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.id("L Alma"), values={"purpose": "listen"}))
    assert bench.rig.lines[0].to_ports == ()
    bench.do(SetValues(item=bench.id("L Alma"), values={"to_ports": [list(port) for port in ears(bench)]}))
    assert bench.rig.lines[0].to_ports == ears(bench)


def test_a_destination_and_a_source_can_be_narrowed() -> None:
    bench = heard(two_voices(), "Alma")
    done = apply(bench.rig, (SetValues(item=bench.id("Phones"), values={"width": 1}),))
    assert "unplugs Box jack out 2" in done.words
    assert apply(bench.rig, (AddDestination(name="Room", destination_kind="loudspeakers"),)).rig.gear[-1].name == "Room"


@given(any_rig(), st.data())
def test_removing_anything_from_any_rig_leaves_a_rig_that_holds_together(rig: Rig, data: st.DataObject) -> None:
    found = index(rig)
    everything = [*found.gear, *found.items, *found.patches, *found.lines]
    if not everything:
        return
    gone = data.draw(st.lists(st.sampled_from(everything), unique=True, min_size=1, max_size=3))
    items = tuple(each for each in gone if not _goes_with(rig, each, gone))
    after = apply(rig, (Remove(items=items),)).rig
    check(after)
    assert not set(items) & {*index(after).gear, *index(after).items}


def _goes_with(rig: Rig, identity: str, gone: list[str]) -> bool:
    placed = index(rig).items.get(identity)
    return placed is not None and placed.program.id in gone


@given(any_rig(), st.integers(0, 6), st.integers(0, 6))
def test_a_box_of_any_rig_can_be_given_any_number_of_jacks(rig: Rig, ins: int, outs: int) -> None:
    for gear in rig.gear:
        if isinstance(gear, Interface):
            check(apply(rig, (SetValues(item=gear.id, values={"jack_in": ins, "jack_out": outs}),)).rig)
        if isinstance(gear, Source):
            check(apply(rig, (SetValues(item=gear.id, values={"width": 3 - gear.width}),)).rig)


@pytest.mark.parametrize(
    ("typed", "level_dbu", "unit"),
    [("-38", -38, "dBu"), ("+4 dBu", 4, "dBu"), ("-10 dBV", -7.7815, "dBV"), ("−10,5dbv", -8.2815, "dBV")],
)
def test_a_level_is_typed_as_a_panel_tells_it(typed: str, level_dbu: float, unit: str) -> None:
    """Arithmetic: 0 dBV is 2.2185 dBu."""
    bench = two_voices()
    bench.do(SetValues(item=bench.id("Alma"), values={"level_dbu": typed}))
    source = next(gear for gear in bench.rig.gear if gear.name == "Alma")
    assert source.level_dbu == pytest.approx(level_dbu, abs=1e-4)
    assert (source.level_unit, source.origins) == (unit, {"level_dbu": "typed"})


def test_what_is_no_level_is_refused() -> None:
    bench = two_voices()
    with pytest.raises(Refused, match="'loud' is no level; type for example"):
        bench.do(SetValues(item=bench.id("Alma"), values={"level_dbu": "loud"}))


def test_what_an_edit_does_not_touch_stays_the_same_object() -> None:
    """A reading takes over what it made of gear that is the same object; a copy of it would cost the time again."""
    bench = two_voices()
    before = bench.rig
    bench.do(SetValues(item=bench.id("Box"), values={"mixer_samples": 9}))
    changed = [old.name for old, new in zip(before.gear, bench.rig.gear, strict=True) if old is not new]
    assert changed == ["Box"]
    assert all(old is new for old, new in zip(before.lines, bench.rig.lines, strict=True))
    assert all(old is new for old, new in zip(before.patches, bench.rig.patches, strict=True))


def test_new_things_are_named_inside_a_list_of_edits_and_again_in_a_later_one() -> None:
    bench = two_voices()
    recorder = bench.id("Recorder")

    def voice(name: str, channel: int) -> tuple[Edit, ...]:
        return (
            AddProgramPorts(program=recorder, names=(f"In {name}",), first_channel=channel, ids=("new1",)),
            AddTracks(program=recorder, names=(f"T {name}",), inputs=("new1",), ids=("new2",)),
            AddLine(name=name, from_ports=(bench.out("Alma"),), to_ports=(Port("new2", "track", 1),)),
            SetValues(item="new2", values={"gain_db": -3.0}),
        )

    bench.do(*voice("Cassia", 3), *voice("Dov", 4))
    program = bench.program()
    for name, channel in (("Cassia", 3), ("Dov", 4)):
        (made,) = [item for item in program.inputs if item.name == f"In {name}"]
        (track,) = [each for each in program.tracks if each.name == f"T {name}"]
        assert made.legs == (channel,)
        assert (track.input, track.gain_db) == (made.id, -3.0)
        assert bench.line(name).line.to_ports == (Port(track.id, "track", 1),)
    with pytest.raises(Refused, match="nothing with this id"):
        bench.do(SetValues(item="new1", values={"name": "Nobody"}))


def test_a_driver_can_be_told_other_buffers_while_it_stands_at_one_that_is_none_of_them() -> None:
    bench = two_voices()
    driver = bench.box().drivers[0].id
    bench.do(SetValues(item=driver, values={"buffer_samples": 64}))
    said = apply(bench.rig, (SetValues(item=driver, values={"buffers_samples": [48, 96, 192]}),))
    assert index(said.rig).interfaces()[0].drivers[0].buffer_samples == 48
    assert "64 → 48" in said.words
