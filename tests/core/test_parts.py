"""Parts: kept, brought into a rig again, fitted to other gear; what is in use stays as it is."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from core.test_numbers import over_two_boxes
from desks import desk_bench, feeds_to, mixer_of
from drawn import drawn
from iskelo.core.edits.additions import AddBuses, AddMixes, AddProgramPorts, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import (
    BringIn,
    Edit,
    JoinDevices,
    Plug,
    RefillPorts,
    Remove,
    SetDevice,
    SetDirect,
    SetJack,
    SetMembers,
    SetMixer,
    SetTrim,
    SetValues,
    TypeInsert,
)
from iskelo.core.edits.parts.bringing import Brought, bring
from iskelo.core.edits.parts.keeping import keep, kinds_of
from iskelo.core.edits.parts.users import users
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.rig.gear import Aggregate, Interface, Member
from iskelo.core.rig.index import index
from iskelo.core.rig.part import KINDS, Part, PartKind, PortMove
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from iskelo.demo.examples import EXAMPLES
from iskelo.demo.orrin_point import orrin_point
from rigs import Bench, any_rig, programs_joined, two_voices

RIGS = st.one_of(any_rig(busy=True, back=True), programs_joined(any_rig(cabled=True, busy=True)))
SOME_KINDS = st.lists(st.sampled_from(KINDS), min_size=1, unique=True).map(tuple)


def without_counter(rig: Rig) -> Rig:
    return rig.model_copy(update={"next_number": 1})


def does(brought: Brought, kind: PartKind) -> dict[str, str]:
    return {row.name: row.does for row in brought.rows if row.kind == kind}


def program(rig: Rig, name: str) -> Program:
    return next(gear for gear in rig.gear if isinstance(gear, Program) and gear.name == name)


def with_buses() -> Bench:
    """A recorder with three buses: Voices in use, Strings and Rooms not."""
    bench = two_voices()
    recorder = bench.id("Recorder")
    bench.do(AddBuses(program=recorder, names=("Voices", "Strings", "Rooms")))
    return bench.do(SetValues(item=bench.track("T Alma"), values={"output": bench.id("Voices")}))


def buses_of_another_evening() -> Part:
    """Voices, louder; Strings, mono; Winds; each led to the output."""
    bench = two_voices()
    recorder = bench.id("Recorder")
    bench.do(AddBuses(program=recorder, names=("Voices", "Winds"), output=bench.id("Main")))
    bench.do(AddBuses(program=recorder, names=("Strings",), width=1))
    bench.do(SetValues(item=bench.id("Voices"), values={"gain_db": 6}))
    return keep(bench.rig, (recorder,), "Buses", ("buses",))


def test_a_joined_device_whose_master_is_no_member_any_more_comes_back_as_it_was() -> None:
    bench, second, both = over_two_boxes()
    bench.do(SetValues(item=both, values={"master": bench.id("Box")}))
    bench.do(SetMembers(aggregate=both, members=(Member(device=second),)))
    bench.do(SetDevice(program=bench.id("Recorder"), device=None))
    part = keep(bench.rig, (both,), "Joined")
    assert without_counter(bring(bench.rig, BringIn(part=part)).rig) == without_counter(bench.rig)


@given(RIGS, st.data())
@settings(max_examples=drawn(80))
def test_what_is_kept_and_brought_back_changes_nothing(rig: Rig, data: st.DataObject) -> None:
    pieces = data.draw(st.lists(st.sampled_from([gear.id for gear in rig.gear]), min_size=1, unique=True))
    part = keep(rig, tuple(pieces), "All of it")
    kinds = data.draw(st.one_of(st.none(), SOME_KINDS))
    over = data.draw(st.booleans())
    brought = bring(rig, BringIn(part=part, kinds=kinds, over_used=over))
    assert without_counter(brought.rig) == without_counter(rig)
    assert {row.does for row in brought.rows} <= {"same", "stays"}


@given(RIGS, RIGS, st.data())
@settings(max_examples=drawn(80))
def test_whatever_is_brought_in_nothing_in_use_is_touched(rig: Rig, other: Rig, data: st.DataObject) -> None:
    pieces = data.draw(st.lists(st.sampled_from([gear.id for gear in other.gear]), min_size=1, unique=True))
    part = keep(other, tuple(pieces), "Of another rig")
    alike = {piece: [gear.id for gear in rig.gear if gear.kind == index(other).gear[piece].kind] for piece in pieces}
    into = {
        piece: data.draw(st.sampled_from([None, *ids]))
        for piece, ids in alike.items()
        if data.draw(st.booleans(), label="said")
    }
    edit = BringIn(part=part, into=into, remove_unused=data.draw(st.booleans()))
    try:
        after = apply(rig, (edit,)).rig
    except Refused:
        # Two pieces cannot be brought into one, and some rigs cannot hold more.
        return
    assert after.patches[: len(rig.patches)] == rig.patches
    assert after.lines[: len(rig.lines)] == rig.lines
    found, later = index(rig), index(after)
    for each in found.programs():
        now = later.gear[each.id]
        assert isinstance(now, Program)
        assert set(each.enabled_in) <= set(now.enabled_in)
        assert each.device in (None, now.device)
        names = {item.name for item in (*each.tracks, *each.voices, *each.buses) if item.id in later.items}
        for identity, by in users(each, found).items():
            if identity in later.items and found.gear_of(identity) == each.id:
                assert later.items[identity].item == found.items[identity].item
            elif identity in found.items and found.gear_of(identity) == each.id:
                # It went with the last that used it, which nobody used.
                assert edit.remove_unused
                assert not names & set(by)
    for box in found.boxes:
        there = later.gear[box.id]
        assert isinstance(there, Interface)
        for patch in rig.patches:
            if patch.to_port[:2] == (box.id, "jack_in"):
                jack = patch.to_port.number
                assert there.trims_db[jack - 1] == box.trims_db[jack - 1]
                assert (jack in there.phantom_on) == (jack in box.phantom_on)


@given(RIGS)
@settings(max_examples=drawn(40))
def test_a_whole_rig_brought_into_a_blank_one_does_what_it_did(rig: Rig) -> None:
    part = keep(rig, tuple(gear.id for gear in rig.gear), "Template") if rig.gear else None
    if part is None:
        return
    again = apply(rig.model_copy(update={"gear": (), "patches": (), "lines": ()}), (BringIn(part=part),)).rig
    was, now = survey(rig), survey(again)
    kept = {line.id for line in part.rig.lines}
    told = [(line.name, line.headline, line.latest_samples) for line in was.lines if line.id in kept]
    assert [(line.name, line.headline, line.latest_samples) for line in now.lines] == told


@pytest.mark.parametrize("name", EXAMPLES)
def test_every_example_is_a_template_of_itself(name: str) -> None:
    rig = EXAMPLES[name]()
    part = keep(rig, tuple(gear.id for gear in rig.gear), rig.name)
    read = Part.model_validate_json(part.model_dump_json())
    assert read == part
    blank = Rig(name=rig.name, names_travel=rig.names_travel, alignment_dbfs=rig.alignment_dbfs)
    again = apply(blank, (BringIn(part=read),)).rig
    was, now = survey(rig), survey(again)
    assert [(one.name, one.headline) for one in now.lines] == [(one.name, one.headline) for one in was.lines]
    assert [snag.title for snag in now.snags] == [snag.title for snag in was.snags]


def test_buses_that_are_in_use_stay_and_none_is_doubled() -> None:
    bench, part = with_buses(), buses_of_another_evening()
    before = program(bench.rig, "Recorder")
    brought = bring(bench.rig, BringIn(part=part))
    assert does(brought, "buses") == {
        "Voices": "stays", "Winds": "new", "Strings 2": "new", "Strings": "not needed", "Rooms": "not needed"
    }  # fmt: skip
    after = program(brought.rig, "Recorder")
    assert after.buses[:3] == before.buses
    assert [bus.name for bus in after.buses] == ["Voices", "Strings", "Rooms", "Winds", "Strings 2"]
    # The bus that comes leads to the output of the same name here.
    winds = after.buses[3]
    assert winds.output == bench.id("Main")
    why = next(row.why for row in brought.rows if row.name == "Voices")
    assert why == "in use: T Alma"


def test_unused_buses_are_removed_on_request_in_one_edit_that_undo_takes_back() -> None:
    bench, part = with_buses(), buses_of_another_evening()
    applied = apply(bench.rig, (BringIn(part=part, remove_unused=True),))
    assert [bus.name for bus in program(applied.rig, "Recorder").buses] == ["Voices", "Winds", "Strings 2"]
    assert "removed" in applied.words
    assert applied.words.startswith("brought in Buses: 2 new, 1 left as they are, 2 removed")


def test_an_unused_one_of_the_same_name_takes_the_settings_that_come() -> None:
    bench, part = with_buses(), buses_of_another_evening()
    bench.do(SetValues(item=bench.track("T Alma"), values={"output": None}))
    brought = bring(bench.rig, BringIn(part=part))
    assert does(brought, "buses")["Voices"] == "set"
    assert program(brought.rig, "Recorder").buses[0].gain_db == 6
    over = bring(with_buses().rig, BringIn(part=part, over_used=True))
    assert program(over.rig, "Recorder").buses[0].gain_db == 6


def test_a_part_of_a_larger_box_is_fitted_to_a_smaller_one_the_unmatched_first() -> None:
    bench = Bench(Rig(name="Large")).do()
    bench.do(*phrase("box 8x8 Corvane"))
    box = bench.id("Corvane")
    bench.do(SetTrim(interface=box, jack_in=2, trim_db=20), SetTrim(interface=box, jack_in=7, trim_db=11))
    bench.do(SetJack(interface=box, jack_in=7, phantom=True), SetDirect(interface=box, jack_in=2, jack_out=8))
    part = keep(bench.rig, (box,), "Corvane as it was")
    small = Bench(Rig(name="Small")).do(*phrase("box 4x4 Pellow"))
    here = small.id("Pellow")
    brought = bring(small.rig, BringIn(part=part, into={box: here}))
    first = [(row.bank, row.number, row.to) for row in brought.ports[:2]]
    assert first == [("jack_in", 7, None), ("jack_out", 8, None)]
    assert brought.ports[0].why == "Pellow has 4 input jacks"
    placed = BringIn(part=part, into={box: here}, ports=(PortMove(piece=box, bank="jack_in", number=7, to=4),))
    fitted = bring(small.rig, placed)
    pellow = next(gear for gear in fitted.rig.gear if isinstance(gear, Interface))
    assert pellow.trims_db == (38.0, 20.0, 38.0, 11.0)
    assert pellow.phantom_on == (4,)
    assert next(row.why for row in fitted.ports if row.number == 7) == "as you say"


def phrase(text: str) -> tuple[Edit, ...]:
    return gear_phrase(text)


def test_a_jack_that_is_not_there_is_refused_with_how_many_there_are() -> None:
    bench = Bench(Rig(name="Large")).do(*phrase("box 8x8 Corvane"))
    box = bench.id("Corvane")
    bench.do(SetTrim(interface=box, jack_in=7, trim_db=11))
    part = keep(bench.rig, (box,), "Corvane as it was")
    small = Bench(Rig(name="Small")).do(*phrase("box 4x4 Pellow"))
    move = PortMove(piece=box, bank="jack_in", number=7, to=5)
    with pytest.raises(Refused, match="there is none; it has 4"):
        bring(small.rig, BringIn(part=part, into={box: small.id("Pellow")}, ports=(move,)))


def test_channels_follow_their_box_into_another_device() -> None:
    """A program on one box is brought onto a device of two, where that box comes second."""
    bench = Bench(Rig(name="One")).do(*phrase("box 4x4 Corvane"), *phrase("recorder Longhand"))
    recorder = bench.id("Longhand")
    bench.do(AddProgramPorts(program=recorder, side="input", names=("Alma", "Bertil"), first_channel=3))
    part = keep(bench.rig, (recorder,), "Two voices", ("inputs", "settings"))
    other = Bench(Rig(name="Two")).do(*phrase("box 2x2 Pellow"), *phrase("box 4x4 Corvane"))
    two = Aggregate.model_validate(
        {"id": "g900", "name": "Both", "members": [{"device": other.id("Pellow")}, {"device": other.id("Corvane")}]}
    )
    other.rig = other.rig.model_copy(update={"gear": (*other.rig.gear, two), "next_number": 901})
    other.do(*phrase("recorder Longhand"))
    other.do(SetValues(item=other.id("Longhand"), values={"notes": "here"}))
    here = other.id("Longhand")
    other.do(SetDevice(program=here, device="g900"))
    brought = bring(other.rig, BringIn(part=part))
    assert [item.legs for item in program(brought.rig, "Longhand").inputs] == [(5,), (6,)]
    assert {row.why for row in brought.ports} == {"the same box and number"}


def test_a_part_with_tracks_alone_finds_inputs_and_outputs_by_name() -> None:
    bench = two_voices()
    part = keep(bench.rig, (bench.id("Recorder"),), "Tracks", ("tracks",))
    other = two_voices()
    longhand = program(other.rig, "Recorder")
    other.rig = apply(other.rig, (Remove(items=tuple(track.id for track in longhand.tracks)),)).rig
    brought = bring(other.rig, BringIn(part=part))
    after, before = program(brought.rig, "Recorder"), program(bench.rig, "Recorder")
    assert [track.name for track in after.tracks] == [track.name for track in before.tracks]
    names = index(brought.rig)
    assert [names.name(track.input or "") for track in after.tracks] == [
        index(bench.rig).name(track.input or "") for track in before.tracks
    ]


def e_remove(*items: str):
    from iskelo.core.edits.edit import Remove  # noqa: PLC0415

    return Remove(items=items)


def test_strips_and_feeds_of_a_mixer_come_into_another_by_name_else_by_number() -> None:
    bench = desk_bench("mixer 16 Havra")
    desk = bench.id("Havra")
    strips = mixer_of(bench, "Havra").strips
    bench.do(SetValues(item=strips[0].id, values={"name": "Alma", "gain_db": -3}))
    bench.do(AddMixes(mixer=desk, names=("Ears",)))
    part = keep(bench.rig, (desk,), "Desk", ("strips", "mixes and feeds"))
    other = desk_bench("mixer 16 Havra")
    brought = bring(other.rig, BringIn(part=part))
    assert does(brought, "strips")["Alma"] == "set"
    assert does(brought, "mixes and feeds")["Ears"] == "new"
    after = Bench(brought.rig)
    alma = mixer_of(after, "Havra").strips[0]
    assert (alma.name, alma.gain_db) == ("Alma", -3)
    assert [feed.item for feed in feeds_to(after, "Havra", 1)] == [feed.item for feed in feeds_to(other, "Havra", 1)]


def test_a_strip_with_something_plugged_in_keeps_what_it_has() -> None:
    bench = desk_bench("mixer 16 Havra")
    strips = mixer_of(bench, "Havra").strips
    bench.do(*(SetValues(item=strip.id, values={"gain_db": -6}) for strip in strips[:2]))
    part = keep(bench.rig, (bench.id("Havra"),), "Desk", ("strips", "mixes and feeds"))
    other = desk_bench("mixer 16 Havra", "mic Alma")
    other.do(Plug(from_port=other.out("Alma"), to_port=Port(other.id("Havra"), "jack_in", 1)))
    brought = bring(other.rig, BringIn(part=part))
    after = mixer_of(Bench(brought.rig), "Havra").strips
    assert [strip.gain_db for strip in after[:2]] == [0, -6]
    assert does(brought, "strips")[strips[0].name] == "stays"


def test_leads_come_along_and_a_socket_that_is_taken_stays() -> None:
    bench = two_voices()
    every = tuple(gear.id for gear in bench.rig.gear)
    part = keep(bench.rig, every, "Stage")
    other = Bench(Rig(name="Other")).do(*phrase("box 2x2 Corvane"), *phrase("mic Dov"))
    box = other.id("Corvane")
    other.do(Plug(from_port=other.out("Dov"), to_port=Port(box, "jack_in", 1)))
    mine = next(gear.id for gear in bench.rig.gear if isinstance(gear, Interface))
    brought = bring(other.rig, BringIn(part=part, into={mine: box}))
    leads = [row for row in brought.rows if row.kind == "leads"]
    assert [row.does for row in leads][:1] == ["stays"]
    assert leads[0].why == "Dov is plugged in there"
    assert "new" in [row.does for row in leads]


def test_what_cannot_be_is_refused_in_words() -> None:
    bench = two_voices()
    part = keep(bench.rig, (bench.id("Recorder"),), "Tracks")
    with pytest.raises(Refused, match="there is no program with this id"):
        bring(bench.rig, BringIn(part=part, into={bench.id("Recorder"): "b999"}))
    with pytest.raises(Refused, match="no piece"):
        bring(bench.rig, BringIn(part=part, into={"p999": None}))
    with pytest.raises(Refused, match="no such gear"):
        keep(bench.rig, ("p999",), "Nothing")
    mic = next(gear.id for gear in bench.rig.gear if gear.kind == "source")
    with pytest.raises(Refused, match="nothing of that to keep; there is settings"):
        keep(bench.rig, (mic,), "Nothing", ("buses",))
    assert kinds_of(bench.rig, (mic,)) == ("settings",)


def test_a_part_that_does_not_hold_together_is_no_part() -> None:
    bench = two_voices()
    part = json.loads(keep(bench.rig, (bench.id("Recorder"),), "Tracks").model_dump_json())
    with pytest.raises(ValidationError, match="is not in it"):
        Part.model_validate({**part, "pieces": ["p999"]})
    track = next(gear for gear in part["rig"]["gear"] if gear["kind"] == "program")["tracks"][0]
    track["input"] = "i999"
    with pytest.raises(ValidationError, match="is no input"):
        Part.model_validate(part)


def test_a_part_of_an_earlier_version_is_brought_up() -> None:
    bench = two_voices()
    part = json.loads(keep(bench.rig, (bench.id("Recorder"),), "Tracks").model_dump_json())
    part["rig"]["version"] = 8
    assert Part.model_validate(part).rig.version == 13


def test_a_new_program_opens_the_device_of_that_name() -> None:
    rig = orrin_point()
    longhand = program(rig, "Longhand")
    part = keep(rig, (longhand.id,), "Recorder of the hall")
    alone = bring(Rig(name="Blank"), BringIn(part=part))
    assert program(alone.rig, "Longhand").device is None
    assert [row.why for row in alone.rows if row.name == "its device"] == ["Hall is not here"]
    assert [track.name for track in program(alone.rig, "Longhand").tracks] == [t.name for t in longhand.tracks]
    hall = next(gear for gear in rig.gear if gear.name == "Hall")
    boxes = keep(rig, (hall.id, *(member.device for member in hall.members)), "Hall")
    with_boxes = apply(Rig(name="Blank"), (BringIn(part=boxes),)).rig
    there = bring(with_boxes, BringIn(part=part))
    assert index(there.rig).name(program(there.rig, "Longhand").device or "") == "Hall"
    assert [item.legs for item in program(there.rig, "Longhand").inputs] == [item.legs for item in longhand.inputs]


def test_a_track_with_an_input_is_in_use_and_an_empty_one_is_not() -> None:
    bench = with_buses()
    recorder = bench.id("Recorder")
    bench.do(AddTracks(program=recorder, names=("Spare",)))
    used = users(program(bench.rig, "Recorder"), index(bench.rig))
    assert bench.track("Spare") not in used
    assert used[bench.track("T Alma")][0] == "its input"
    assert used[bench.id("Voices")] == ["T Alma"]


def ports(rig: Rig, name: str, side: str = "inputs") -> list[tuple[str, tuple[int | None, ...]]]:
    return [(item.name, item.legs) for item in getattr(program(rig, name), side)]


def test_inputs_are_refilled_with_just_what_the_device_has() -> None:
    """What is in use stays where it is, what nobody uses and does not fit goes, names come from what is plugged in."""
    bench = two_voices()
    recorder = bench.id("Recorder")
    bench.do(Plug(from_port=bench.out("Alma"), to_port=Port(bench.id("Box"), "jack_in", 3)))
    bench.do(AddProgramPorts(program=recorder, side="input", names=("Lost",), first_channel=40))
    bench.do(AddProgramPorts(program=recorder, side="input", names=("Again",), first_channel=2))
    applied = apply(bench.rig, (RefillPorts(program=recorder),))
    assert ports(applied.rig, "Recorder") == [
        ("In Alma", (1,)), ("In Bertil", (2,)), ("Alma", (3,)), *((f"In {n}", (n,)) for n in range(4, 9))
    ]  # fmt: skip
    assert program(applied.rig, "Recorder").enabled_in == tuple(range(1, 9))
    assert "6 new, 2 removed that nobody used" in applied.words
    again = apply(applied.rig, (RefillPorts(program=recorder),)).rig
    assert ports(again, "Recorder") == ports(applied.rig, "Recorder")


def test_outputs_are_refilled_in_pairs_named_after_what_hangs_there() -> None:
    bench = two_voices()
    recorder = bench.id("Recorder")
    bench.do(Remove(items=(program(bench.rig, "Recorder").outputs[0].id,)))
    applied = apply(bench.rig, (RefillPorts(program=recorder, side="output", width=2),))
    assert ports(applied.rig, "Recorder", "outputs") == [
        ("Phones", (1, 2)), ("Out 3–4", (3, 4)), ("Out 5–6", (5, 6)), ("Out 7–8", (7, 8))
    ]  # fmt: skip


def test_a_program_without_a_device_cannot_be_refilled() -> None:
    bench = two_voices()
    bench.do(SetDevice(program=bench.id("Recorder"), device=None))
    with pytest.raises(Refused, match="give it one first"):
        apply(bench.rig, (RefillPorts(program=bench.id("Recorder")),))


@given(RIGS, st.sampled_from(["input", "output"]), st.integers(1, 2))
@settings(max_examples=drawn(60))
def test_a_refill_leaves_what_is_in_use_and_gives_every_channel_a_name(rig: Rig, side: str, width: int) -> None:
    for each in index(rig).programs():
        streams = index(rig).opened.get(each.id)
        if streams is None:
            continue
        try:
            after = apply(rig, (RefillPorts(program=each.id, side=side, width=width),)).rig
        except Refused:
            continue
        now = program(after, each.name)
        field, bank = ("inputs", "capture") if side == "input" else ("outputs", "playback")
        legs = {leg for item in getattr(now, field) for leg in item.legs}
        size = streams.device.channels(bank)
        assert set(range(1, min(size, each.channels_at_most or size) + 1)) <= legs
        kept = set(getattr(now, field))
        assert all(item in kept for item in getattr(each, field) if item.id in users(each, index(rig)))
        assert [line.headline for line in survey(after).lines if line.headline == "silent"] == [
            line.headline for line in survey(rig).lines if line.headline == "silent"
        ]


def halves() -> Bench:
    """A pair and its two halves, beside each other in one program."""
    bench = two_voices()
    recorder = bench.id("Recorder")
    bench.do(AddProgramPorts(program=recorder, names=("Organ",), width=2, first_channel=5))
    return bench.do(AddProgramPorts(program=recorder, names=("Organ L", "Organ R"), first_channel=5))


def test_a_pair_names_its_halves() -> None:
    bench = halves()
    words = apply(bench.rig, (SetValues(item=bench.id("Organ"), values={"name": "Piano"}),)).words
    bench.do(SetValues(item=bench.id("Organ"), values={"name": "Piano"}))
    assert [name for name, _ in ports(bench.rig, "Recorder")][2:] == ["Piano", "Piano L", "Piano R"]
    assert words.endswith("and Piano L and Piano R with it")


def test_a_half_named_alone_keeps_the_pair_and_the_other_half() -> None:
    bench = halves().do(SetValues(item=halves().id("Organ L"), values={"name": "Flute"}))
    assert [name for name, _ in ports(bench.rig, "Recorder")][2:] == ["Organ", "Flute", "Organ R"]
    # The pair renamed: what is called something else keeps its name.
    bench.do(SetValues(item=bench.id("Organ"), values={"name": "Piano"}))
    assert [name for name, _ in ports(bench.rig, "Recorder")][2:] == ["Piano", "Flute", "Piano R"]


def test_two_halves_called_alike_name_the_pair() -> None:
    bench = halves()
    bench.do(SetValues(item=bench.id("Organ L"), values={"name": "Harp L"}))
    assert [name for name, _ in ports(bench.rig, "Recorder")][2:] == ["Organ", "Harp L", "Organ R"]
    bench.do(SetValues(item=bench.id("Organ R"), values={"name": "Harp R"}))
    assert [name for name, _ in ports(bench.rig, "Recorder")][2:] == ["Harp", "Harp L", "Harp R"]


def hall(buffer_samples: int = 128, *, order: tuple[str, ...] = ("Pellow", "Corvane"), opened: bool = True) -> Bench:
    """Two boxes joined as Hall, with a recorder on it that has a name on channel 3."""
    bench = Bench(Rig(name="Hall")).do(*phrase("box 2x2 Pellow"), *phrase("box 4x4 Corvane"))
    members = tuple(Member(device=bench.id(name)) for name in order)
    bench.do(JoinDevices(name="Hall", members=members, buffer_samples=buffer_samples))
    if opened:
        bench.do(*phrase("recorder Longhand"))
        bench.do(SetDevice(program=bench.id("Longhand"), device=bench.id("Hall")))
        bench.do(AddProgramPorts(program=bench.id("Longhand"), names=("Alma",), first_channel=3))
    return bench


def hall_part(bench: Bench) -> Part:
    return keep(bench.rig, (bench.id("Hall"),), "Hall", ("settings",))


def joined(rig: Rig) -> Aggregate:
    return next(gear for gear in rig.gear if isinstance(gear, Aggregate))


def test_a_joined_device_that_differs_in_its_buffer_alone_is_not_the_same() -> None:
    part = hall_part(hall(256))
    stays = bring(hall().rig, BringIn(part=part))
    assert [(row.name, row.does, row.why) for row in stays.rows] == [("its boxes", "stays", "Longhand opens it")]
    assert joined(stays.rig).buffer_samples == 128
    unused = bring(hall(opened=False).rig, BringIn(part=part))
    assert joined(unused.rig).buffer_samples == 256


def test_names_follow_their_boxes_where_a_part_puts_them_in_another_order() -> None:
    bench = hall()
    part = hall_part(hall(order=("Corvane", "Pellow")))
    after = apply(bench.rig, (BringIn(part=part, over_used=True),)).rig
    assert [index(after).name(member.device) for member in joined(after).members] == ["Corvane", "Pellow"]
    # What was Corvane's first channel, number 3, is number 1 now.
    assert ports(after, "Longhand") == [("Alma", (1,))]


def test_how_a_mixer_mixes_stays_while_something_comes_in() -> None:
    bench = desk_bench("mixer 16 Havra")
    bench.do(SetMixer(mixer=bench.id("Havra"), values={"pan_law": "-6 dB"}))
    part = keep(bench.rig, (bench.id("Havra"),), "Desk")
    free = bring(desk_bench("mixer 16 Havra").rig, BringIn(part=part))
    assert mixer_of(Bench(free.rig), "Havra").pan_law == "-6 dB"
    used = desk_bench("mixer 16 Havra", "mic Alma")
    used.do(Plug(from_port=used.out("Alma"), to_port=Port(used.id("Havra"), "jack_in", 1)))
    before = mixer_of(used, "Havra").pan_law
    brought = bring(used.rig, BringIn(part=part))
    assert mixer_of(Bench(brought.rig), "Havra").pan_law == before
    assert ("how it mixes", "stays") in [(row.name, row.does) for row in brought.rows]


def test_inserts_and_returns_without_their_ends_are_left_and_the_strip_comes() -> None:
    bench = desk_bench("mixer 16 Havra")
    strip = mixer_of(bench, "Havra").strips[0]
    bench.do(TypeInsert(strip=strip.id, text="out 8 in 16"))
    part = keep(bench.rig, (bench.id("Havra"),), "Desk", ("strips",))
    small = desk_bench("mixer 8 Wren")
    brought = bring(small.rig, BringIn(part=part, into={bench.id("Havra"): small.id("Wren")}))
    after = mixer_of(Bench(brought.rig), "Wren").strips
    assert len(after) == len(mixer_of(small, "Wren").strips)
    assert after[0].insert is None
    left = [row for row in brought.rows if row.does == "left out"]
    assert [row.why for row in left] == ["what it takes is not here"] * 8


def test_a_part_tells_whose_channel_it_shares() -> None:
    bench = two_voices()
    other = Bench(Rig(name="Other")).do(*phrase("box 8x8 Corvane"), *phrase("rec Deck"))
    other.do(AddProgramPorts(program=other.id("Deck"), names=("Vox",), first_channel=1))
    part = keep(other.rig, (other.id("Deck"),), "Inputs", kinds=("inputs",))
    brought = bring(bench.rig, BringIn(part=part, into={other.id("Deck"): bench.id("Recorder")}))
    (row,) = (each for each in brought.ports if each.bank == "capture")
    assert row.why == "the same number; In Alma has it too"
