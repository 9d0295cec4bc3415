"""Boxes joined as one device: channel maps both ways, names that follow or move, clocks that lead and are led."""

import pytest

from desks import desk_bench
from evenings import planned
from iskelo.core.compare import compare_rigs, trial
from iskelo.core.device_maps import aggregate_views, clock_tree
from iskelo.core.edits.additions import AddDriver, AddGear, AddInterface, AddProgram, AddProgramPorts, AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import (
    JoinDevices,
    Plug,
    Remove,
    SetDevice,
    SetJack,
    SetMembers,
    SetOutputDevice,
    SetValues,
    SwapGear,
)
from iskelo.core.edits.moved import moved_names
from iskelo.core.edits.phrases import interface_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.planner.aggregates import JoinRequest, join_sheet
from iskelo.core.planner.ladder import ladders
from iskelo.core.rig.clocks import Pace
from iskelo.core.rig.device_streams import driver_of
from iskelo.core.rig.gear import Aggregate, Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import find_snags
from iskelo.core.timing.clocks import apart, drift, drift_of, say_drift, say_seconds, sync_tolerance_s
from iskelo.core.timing.delays import trip_of
from iskelo.core.timing.terms import trip_terms
from iskelo.demo.two_boxes import two_boxes
from rigs import Bench, batch


def boxes(*sizes: tuple[int, int]) -> Bench:
    """A rig of boxes A, B, C … with so many jacks in and out."""
    bench = Bench(Rig(name="Boxes"))
    for name, (ins, outs) in zip("ABCDEFGH", sizes, strict=False):
        bench.do(AddInterface(name=name, jack_in=ins, jack_out=outs))
    return bench


def joined(bench: Bench, names: str, tracks: int = 0, **fields: object) -> Bench:
    """Join boxes as *All*, with a recorder on it."""
    members = tuple(Member(device=bench.id(name)) for name in names)
    bench.do(JoinDevices.model_validate({"name": "All", "members": members, **fields}))
    recorder = tuple(f"T{n}" for n in range(1, tracks + 1))
    return bench.do(AddProgram(name="Recorder", device=bench.id("All"), tracks=recorder))


def behind(bench: Bench, channel: int, bank: str = "capture") -> tuple[str, int] | None:
    streams = index(bench.rig).opened[bench.program().id]
    there = streams.at("capture" if bank == "capture" else "playback", channel)
    return (there[0].box.name, there[1]) if there is not None else None


def aggregate(bench: Bench) -> Aggregate:
    return index(bench.rig).aggregates[0]


def test_two_and_four_inputs_are_six_and_the_third_is_the_second_boxs_first() -> None:
    """Common practice, no published source: channels follow each other in the order of the members."""
    bench = joined(boxes((2, 2), (4, 4)), "AB")
    assert [behind(bench, n) for n in (1, 2, 3, 6, 7)] == [("A", 1), ("A", 2), ("B", 1), ("B", 4), None]
    device = index(bench.rig).device(bench.program())
    assert device is not None
    assert (device.capture, device.playback) == (6, 6)
    eight = joined(boxes((8, 8), (8, 8)), "AB")
    assert index(eight.rig).opened[eight.program().id].device.capture == 16
    reversed_order = joined(boxes((2, 2), (4, 4)), "BA")
    assert [behind(reversed_order, n) for n in (1, 4, 5)] == [("B", 1), ("B", 4), ("A", 1)]


def test_inputs_and_outputs_are_numbered_each_by_its_own_bank() -> None:
    bench = joined(boxes((2, 6), (4, 1)), "AB")
    assert behind(bench, 3) == ("B", 1)
    assert behind(bench, 7, "playback") == ("B", 1)
    assert behind(bench, 3, "playback") == ("A", 3)


def test_the_map_of_a_driver_that_shows_fewer_channels_is_shorter() -> None:
    bench = boxes((8, 8), (2, 2))
    driver = index(bench.rig).boxes[0].drivers[0].id
    bench.do(SetValues(item=driver, values={"capture": 2}))
    joined(bench, "AB")
    assert behind(bench, 3) == ("B", 1)


def test_names_follow_their_box_when_the_order_changes_unless_numbers_are_to_stay() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=6)
    turned = tuple(reversed(aggregate(bench).members))
    legs = [item.legs for item in bench.program().inputs]
    assert legs == [(n,) for n in range(1, 7)]
    follow = apply(bench.rig, (SetMembers(aggregate=bench.id("All"), members=turned),))
    assert "T1 1 → 5" in follow.words
    program = index(follow.rig).programs()[0]
    assert [item.legs[0] for item in program.inputs] == [5, 6, 1, 2, 3, 4]
    stay = apply(bench.rig, (SetMembers(aggregate=bench.id("All"), members=turned, keep_names=False),))
    assert "T1 has B channel 1 instead of A channel 1" in stay.words
    moved = moved_names(index(bench.rig), index(stay.rig))
    assert len(moved) == 6
    assert all(each.strays and each.channel == each.channel_before for each in moved)


def test_a_member_taken_out_renumbers_the_others_and_its_names_have_no_channel() -> None:
    bench = joined(boxes((2, 2), (4, 4), (2, 2)), "ABC", tracks=8)
    told = apply(bench.rig, (SetMembers(aggregate=bench.id("All"), members=aggregate(bench).members[::2]),))
    legs = [item.legs[0] for item in index(told.rig).programs()[0].inputs]
    assert legs == [1, 2, None, None, None, None, 3, 4]
    assert "T7 7 → 3" in told.words
    gone = apply(bench.rig, (Remove(items=(bench.id("B"),)),))
    assert "All loses a member" in gone.words
    assert [each.device for each in index(gone.rig).aggregates[0].members] == [bench.id("A"), bench.id("C")]


def test_a_member_out_and_in_again_finds_its_sixteen_names() -> None:
    """Once they stayed on nothing, and no change that was offered mended it."""
    bench = joined(boxes((2, 2), (16, 16), (2, 2)), "ABC", tracks=20)
    bench.do(AddProgramPorts(program=bench.program().id, names=("Main",), width=2, first_channel=7, side="output"))
    before, members = bench.program(), aggregate(bench).members
    bench.do(SetMembers(aggregate=bench.id("All"), members=members[::2]))
    assert [item.legs[0] for item in bench.program().inputs].count(None) == 16
    assert bench.program().outputs[-1].legs == (None, None)
    for order in ((0, 1, 2), (2, 1, 0), (1, 2, 0)):
        again = bench.rig
        bench.do(SetMembers(aggregate=bench.id("All"), members=tuple(members[at] for at in order)))
        streams = index(bench.rig).opened[bench.program().id]
        for old, new in zip(before.inputs, bench.program().inputs, strict=True):
            was, now = index(bench.rig).rig, streams.at("capture", new.legs[0] or 0)
            assert now is not None, (order, old.name, was.name)
        if order == (0, 1, 2):
            assert bench.program().inputs == before.inputs
            assert bench.program().outputs == before.outputs
        bench.rig = again


def test_an_absent_member_moves_the_numbers_behind_it_and_every_moved_name_is_told() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=4)
    bench.do(SetValues(item=bench.id("A"), values={"connected": False}))
    assert behind(bench, 1) == ("B", 1)
    (snag,) = bench.snags("member-absent")
    assert snag.severity == "stop"
    assert (
        "T1 (1) has B channel 1 instead of A channel 1; T2 (2) has B channel 2 instead of A channel 2; "
        in snag.evidence
    )
    connect, without, last = snag.mend()
    bench.do(*without.edits)
    assert [item.legs[0] for item in bench.program().inputs] == [None, None, 1, 2]
    assert connect.words == "Connect A"
    assert last.words.startswith("Put A last in All")


def test_an_absent_last_member_moves_nothing_but_its_own() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=2)
    bench.do(SetValues(item=bench.id("B"), values={"connected": False}))
    (snag,) = bench.snags("member-absent")
    assert snag.severity == "risk"
    assert snag.title == "B is not in All"


def test_a_box_that_is_joined_to_another_keeps_the_names_of_its_program() -> None:
    bench = boxes((2, 2), (4, 4))
    bench.do(AddProgram(name="Recorder", device=bench.id("B"), tracks=("One", "Two")))
    bench.do(JoinDevices(name="All", members=(Member(device=bench.id("A")), Member(device=bench.id("B")))))
    bench.do(SetDevice(program=bench.id("Recorder"), device=bench.id("All")))
    program = bench.program()
    assert [item.legs for item in program.inputs] == [(3,), (4,)]
    assert program.enabled_in == (1, 2, 3, 4, 5, 6)
    bench.do(SetDevice(program=program.id, device=bench.id("B")))
    assert [item.legs for item in bench.program().inputs] == [(1,), (2,)]


def test_what_cannot_be_joined_is_refused_with_the_reason() -> None:
    bench = boxes((2, 2), (64, 64), (80, 80))
    a, b, c = (bench.id(name) for name in "ABC")
    for edit, said in (
        (JoinDevices(name="One", members=(Member(device=a),)), "join two boxes or more"),
        (JoinDevices(name="Twice", members=(Member(device=a), Member(device=a))), "once only"),
        (
            JoinDevices(name="Wide", members=(Member(device=b), Member(device=c))),
            "144 capture channels; 128 is the most",
        ),
        (JoinDevices(name="Gone", members=(Member(device=a), Member(device="b999"))), "no interface"),
    ):
        with pytest.raises(Refused, match=said):
            bench.do(edit)
    joined(bench, "AB")
    with pytest.raises(Refused, match="input and output at once"):
        bench.do(SetOutputDevice(program=bench.program().id, device=a))
    with pytest.raises(Refused, match="there is no interface with this id"):
        bench.do(SetValues(item=bench.id("All"), values={"master": "b999"}))


def test_the_buffer_of_joined_boxes_is_one_that_all_of_them_offer() -> None:
    bench = boxes((2, 2), (2, 2))
    first, second = (box.drivers[0].id for box in index(bench.rig).boxes)
    bench.do(
        SetValues(item=first, values={"buffers_samples": [64, 128, 512], "buffer_samples": 128}),
        SetValues(item=second, values={"buffers_samples": [64, 256, 512], "buffer_samples": 256}),
    )
    joined(bench, "AB")
    assert aggregate(bench).buffer_samples == 64
    streams = index(bench.rig).opened[bench.program().id]
    assert streams.device.buffers_samples == (64, 512)


def test_members_padded_to_the_longest_arrive_together() -> None:
    bench = boxes((2, 2), (2, 2))
    lead(bench, "A", "B")
    bench.do(SetValues(item=bench.id("B"), values={"converter_in_samples": 90}))
    joined(bench, "AB", tracks=4)
    streams = index(bench.rig).opened[bench.program().id]
    late = sum(term.samples for term in trip_terms(streams, streams.ways[1], "capture", index(bench.rig)))
    assert late == 90 + 7 + 24 + 128
    assert trip_of(streams, index(bench.rig)).in_samples == 26 + 7 + 24 + 128
    assert "64 samples apart" in bench.snags("members-differ-in-delay")[0].title
    bench.do(SetValues(item=bench.id("All"), values={"align": "pad to the longest"}))
    assert bench.snags("members-differ-in-delay") == []


def test_a_raw_channel_of_a_mixer_and_one_of_a_box_that_is_padded_for_it_come_together() -> None:
    """Raw channels pass no core of the mixer: nobody waits for it."""
    bench = desk_bench("2 mic", "mixer Desk", "box 8x8 Box", "recorder")
    desk, box, recorder = bench.id("Desk"), bench.id("Box"), bench.id("Recorder")
    for number, interface in enumerate((desk, box), start=1):
        bench.do(
            Plug(from_port=bench.out(f"Microphone {number}"), to_port=Port(interface, "jack_in", 1)),
            SetJack(interface=interface, jack_in=1, phantom=True),
        )
    members = (Member(device=box), Member(device=desk, matched=True))
    bench.do(JoinDevices(name="All", members=members, align="pad to the longest"))
    bench.do(SetDevice(program=recorder, device=bench.id("All")))
    bench.do(*batch(bench.rig, BatchRequest(sources="mic", record_to="rec new")))
    planned(bench)
    assert [state.delays()[0].samples for state in read(bench.rig).lines] == [338, 338]
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_a_box_that_cannot_be_opened_for_the_device_is_not_counted_in_its_skew() -> None:
    """What is left out brings nothing, and so nothing late."""
    bench = boxes((2, 2), (4, 4))
    lead(bench, "A", "B")
    joined(bench, "AB", tracks=6)
    slow = next(box for box in index(bench.rig).interfaces() if box.name == "B")
    bench.do(SetValues(item=slow.id, values={"converter_in_samples": slow.converter_in_samples + 64}))
    (view,) = aggregate_views(read(bench.rig))
    assert view.skew_samples == 64
    bench.do(SetValues(item=slow.id, values={"rate_hz": 96_000}))
    (view,) = aggregate_views(read(bench.rig))
    assert [bool(row.bars) for row in view.members] == [False, True]
    assert view.skew_samples == 0
    assert not bench.snags("members-differ-in-delay")


def lead(bench: Bench, leader: str, follower: str, source: str = "word clock") -> None:
    """Let one box follow another by a lead."""
    one, other = bench.id(leader), bench.id(follower)
    sockets = {
        "word clock": {"word_clock_in": True, "word_clock_out": True},
        "optical": {"optical_in": 2, "optical_out": 2},
    }
    out, into = ("word_out", "word_in") if source == "word clock" else ("optical_out", "optical_in")
    bench.do(
        *(SetValues(item=box, values={**sockets[source]}) for box in (one, other)),
        Plug(from_port=Port(one, out, 1), to_port=Port(other, into, 1)),
        SetValues(item=other, values={"clock_source": source}),
    )


def test_a_chain_of_clock_leads_has_one_master() -> None:
    bench = boxes((2, 2), (2, 2), (2, 2))
    lead(bench, "A", "B")
    lead(bench, "B", "C", "optical")
    a, b, c = (bench.id(name) for name in "ABC")
    assert index(bench.rig).paces == {a: Pace(a), b: Pace(a, a), c: Pace(a, b)}
    joined(bench, "CAB")
    assert not bench.snags("clocks-drift")
    bench.do(SetValues(item=b, values={"rate_hz": 96_000}))
    assert index(bench.rig).paces[b] == Pace(b, a, "other rate")
    assert index(bench.rig).paces[c].unlocked == "other rate"


def test_boxes_that_follow_each_other_have_no_master_and_either_may_become_it() -> None:
    bench = boxes((2, 2), (2, 2))
    lead(bench, "A", "B")
    lead(bench, "B", "A")
    (snag,) = bench.snags("clock-loop")
    assert snag.evidence == "A › B › A: no clock of its own among them."
    assert len(snag.mend()) == 2
    bench.do(*snag.mend()[0].edits)
    assert not bench.snags("clock-loop")


def test_a_box_without_the_socket_cannot_follow_and_says_so() -> None:
    bench = boxes((2, 2), (2, 2))
    with pytest.raises(Refused, match="it has no word clock input"):
        bench.do(SetValues(item=bench.id("A"), values={"clock_source": "word clock"}))
    with pytest.raises(Refused, match="B has no word clock in"):
        bench.do(
            SetValues(item=bench.id("A"), values={"word_clock_out": True}),
            Plug(from_port=Port(bench.id("A"), "word_out", 1), to_port=Port(bench.id("B"), "word_in", 1)),
        )


def test_tolerances_add_up_and_measured_clocks_are_known() -> None:
    """Tolerances from memory: AES11 grade 2 10 ppm, IEC 60958-3 level I 50 ppm: 60 ppm apart at worst."""
    bench = boxes((2, 2), (2, 2))
    a, b = bench.id("A"), bench.id("B")
    bench.do(SetValues(item=a, values={"tolerance_ppm": 10}), SetValues(item=b, values={"tolerance_ppm": 50}))
    assert apart(index(bench.rig), b, a).worst_ppm == 60
    assert apart(index(bench.rig), b, a).known_ppm is None
    bench.do(SetValues(item=a, values={"measured_ppm": -4}), SetValues(item=b, values={"measured_ppm": 8.5}))
    assert apart(index(bench.rig), b, a).known_ppm == pytest.approx(12.5, abs=1e-3)
    joined(bench, "AB")
    found = index(bench.rig)
    streams = found.opened[bench.program().id]
    told = drift_of(found, streams, streams.ways[1])
    assert told is not None
    assert told.known
    assert told.samples_per_s == pytest.approx(48_000 * 12.5e-6, rel=1e-4)


def test_drift_in_numbers() -> None:
    """Arithmetic of the formulas: 256 against 256, 100 ppm at 48 kHz, is 4.8 samples a second, 53.3 s a slip."""
    told = drift(-100, 48_000, 256, 256, 0, known=True)
    assert told is not None
    assert told.samples_per_s == pytest.approx(4.8)
    assert told.every_s == pytest.approx(53.333, abs=1e-3)
    assert told.first_from_s == pytest.approx(1 / 4.8)
    assert told.first_to_s == pytest.approx(256 / 4.8)
    assert told.slips_per_hour == pytest.approx(67.5)
    assert told.lost_s(60, 48_000) == pytest.approx(0.36)
    assert drift(0, 48_000, 64, 64, 0, known=True) is None
    worst = drift(60, 48_000, 128, 128, 0, known=False)
    assert worst is not None
    assert say_drift(worst) == (
        "60 ppm at worst: 2.9 samples a second, the first slip after 0.3 s to 44 s, then 128 samples every 44 s"
    )


@pytest.mark.parametrize(
    ("ppm", "samples_per_s"), [(1, 0.048), (10, 0.48), (50, 2.4), (500, 24.0), (1000, 48.0), (2500, 120.0)]
)
def test_drift_at_the_tolerances_of_the_standards(ppm: float, samples_per_s: float) -> None:
    """AES11 grades 1 and 2; IEC 60958-3 levels I and II; USB 2.0, 7.1.11 (all from memory), at 48 kHz."""
    told = drift(ppm, 48_000, 64, 64, 0, known=True)
    assert told is not None
    assert told.samples_per_s == pytest.approx(samples_per_s)


@pytest.mark.parametrize(
    ("seconds", "said"), [(0.4, "0.4 s"), (44.4, "44 s"), (200, "3 min 20 s"), (120, "2 min"), (9000, "2.5 h")]
)
def test_times_are_said_as_a_person_would(seconds: float, said: str) -> None:
    assert say_seconds(seconds) == said


def test_a_drifting_pair_is_found_and_matching_mends_it() -> None:
    bench = joined(boxes((2, 2), (2, 2)), "AB", tracks=4)
    bench.do(AddSources(names=("Bertil",)))
    bench.do(Plug(from_port=bench.out("Bertil"), to_port=Port(bench.id("B"), "jack_in", 1)))
    (snag,) = bench.snags("clocks-drift")
    assert snag.title == "B drifts against A: a slip in 30 s"
    matched = snag.mend()[0]
    assert matched.words == "Match the rate of B in All"
    bench.do(*matched.edits)
    assert not bench.snags("clocks-drift")
    (cost,) = bench.snags("matched-member-adds-delay")
    assert cost.title == "Matching B costs 3.67 ms"
    assert read(bench.rig).found.opened[bench.program().id].ways[1].matched


def test_a_program_that_plays_to_another_box_drifts_until_it_is_matched() -> None:
    bench = boxes((2, 2), (2, 2))
    bench.do(
        AddProgram(name="Recorder", device=bench.id("A"), tracks=("One",)),
        SetOutputDevice(program=f"p{bench.rig.next_number}", device=bench.id("B")),
    )
    (snag,) = bench.snags("clocks-drift")
    assert snag.title.startswith("A drifts against B")
    bench.do(*snag.mend()[0].edits)
    assert bench.program().matched
    assert not bench.snags("clocks-drift")
    told = apply(bench.rig, (SetOutputDevice(program=bench.program().id, device=None),))
    assert told.words == "Recorder: plays to the device it takes its input from"
    gone = apply(bench.rig, (Remove(items=(bench.id("B"),)),))
    assert "Recorder has no output device now" in gone.words


def test_the_example_of_two_boxes_as_one_has_six_named_inputs_that_all_arrive() -> None:
    reading = read(two_boxes())
    assert [state.headline for state in reading.lines] == ["arrives"] * 6
    assert {state.delays()[0].samples for state in reading.lines} == {233}
    (view,) = aggregate_views(reading)
    named = {row.number: row.names for row in view.capture if row.names}
    assert named == {
        1: ("Alma",), 2: ("Bertil",), 3: ("Cassia",), 4: ("Dov",), 9: ("Gravel tray",), 10: ("Creaking door",),
    }  # fmt: skip
    assert [(row.name, row.state, row.capture) for row in view.members] == [
        ("Corvane 8", "calls", "1–8"),
        ("Pellow Duo", "matched", "9–10"),
    ]
    assert not [snag for snag in find_snags(reading) if snag.severity != "note"]


def test_the_join_sheet_proposes_order_master_and_matching_with_its_reasons() -> None:
    bench = boxes((2, 2), (4, 4))
    bench.do(
        SetValues(item=bench.id("A"), values={"tolerance_ppm": 50}),
        SetValues(item=bench.id("B"), values={"tolerance_ppm": 10}),
    )
    a, b = bench.id("A"), bench.id("B")
    sheet = join_sheet(read(bench.rig), JoinRequest(devices=(a, b), names=("One", "", "Three")))
    assert sheet.reasons == (
        "B is clock master: the steadiest clock (A ±50 ppm, B ±10 ppm).",
        "B comes first: it is clock master, and if another is absent its numbers stay.",
        "A is matched: it runs on its own clock.",
        # A block of 128 more in its ring, 16 of margin, 32 in its filter.
        "Early members wait 176 samples = 3.67 ms for the latest, so that what is recorded together comes together.",
    )
    assert sheet.apart_samples == 176
    assert sheet.padded
    assert not join_sheet(read(bench.rig), JoinRequest(devices=(a, b), pad=False)).padded
    bench.do(*sheet.edits)
    assert bench.program().name == "Recorder"
    assert [(item.name, item.legs) for item in bench.program().inputs] == [("One", (1,)), ("Three", (3,))]
    assert [track.name for track in bench.program().tracks] == ["One", "Three"]
    with pytest.raises(Refused, match="mark two boxes"):
        join_sheet(read(bench.rig), JoinRequest(devices=(a,)))


def test_a_joined_device_gives_its_boxes_to_a_larger_one_and_its_recorder_keeps_its_numbers() -> None:
    bench = joined(boxes((2, 2), (4, 4), (8, 8)), "AB", tracks=2)
    a, b, c, both = (bench.id(name) for name in ("A", "B", "C", "All"))
    driver = bench.box().drivers[0].id
    bench.do(SetMembers(aggregate=both, members=(Member(device=a, driver=driver), Member(device=b))))
    sheet = join_sheet(read(bench.rig), JoinRequest(devices=(c, both), name="More"))
    assert [member.name for member in sheet.device.members] == ["A", "B", "C"]
    assert [member.capture for member in sheet.device.members] == ["1–2", "3–6", "7–14"]
    assert sheet.reasons[0] == "All gives its boxes, in their order: A, B."
    assert any("its numbers stay" in reason for reason in sheet.reasons)
    assert sheet.program == bench.id("Recorder")
    after = apply(bench.rig, sheet.edits).rig
    more = next(gear for gear in after.gear if isinstance(gear, Aggregate) and gear.name == "More")
    assert more.members[0].driver == driver
    # A device alone gives one box too few only if it has no more.
    assert len(join_sheet(read(bench.rig), JoinRequest(devices=(both,))).device.members) == 2


def test_the_join_sheet_keeps_the_numbers_of_a_recorder_and_renames_what_is_there() -> None:
    bench = boxes((2, 2), (4, 4))
    bench.do(AddProgram(name="Longhand", device=bench.id("A"), tracks=("One", "Two")))
    wanted = JoinRequest(
        devices=(bench.id("B"), bench.id("A")), matched=(), master=bench.id("B"), names=("Alma", "Bertil", "Cassia")
    )
    sheet = join_sheet(read(bench.rig), wanted)
    assert "A comes first: Longhand is on it, and its numbers stay." in sheet.reasons
    assert "A is not matched and will slip: it runs on its own clock." in sheet.reasons
    bench.do(*sheet.edits)
    assert [(item.name, item.legs) for item in bench.program().inputs] == [
        ("Alma", (1,)),
        ("Bertil", (2,)),
        ("Cassia", (3,)),
    ]
    assert [track.name for track in bench.program().tracks] == ["Alma", "Bertil", "Cassia"]


def test_the_clock_tree_says_who_leads_what_drifts_and_what_each_box_could_follow() -> None:
    bench = boxes((2, 2), (2, 2), (2, 2))
    lead(bench, "A", "B")
    joined(bench, "ABC")
    rows = {row.name: row for row in clock_tree(read(bench.rig))}
    assert list(rows) == ["A", "B", "C"]
    assert [row.depth for row in rows.values()] == [0, 1, 0]
    assert rows["A"].master
    assert rows["B"].words == "word clock of A"
    assert rows["C"].drift.startswith("against A: 100 ppm at worst: 4.8 samples a second")
    assert [choice.words for choice in rows["A"].choices] == ["own clock", "word clock of B", "the computer's timer"]
    assert [choice.words for choice in rows["C"].choices] == ["own clock", "the computer's timer"]


def test_a_member_that_is_swapped_for_a_wider_box_moves_the_numbers_behind_it_and_names_follow() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=6)
    wider = interface_phrase("box 8x8 Wide")
    told = apply(bench.rig, (SwapGear(item=bench.id("A"), gear=wider),))
    program = index(told.rig).programs()[0]
    assert [item.legs[0] for item in program.inputs] == [1, 2, 9, 10, 11, 12]
    streams = index(told.rig).opened[program.id]
    assert [streams.at("capture", n) is not None for n in (12, 13)] == [True, False]


@pytest.mark.parametrize(("rate_hz", "channels"), [(44_100, 64), (48_000, 64), (96_000, 32), (192_000, 16)])
def test_a_madi_port_carries_half_as_much_at_double_rate(rate_hz: int, channels: int) -> None:
    """AES10 (MADI), from memory: 64 channels at 48 kHz; half of them at double rate, a quarter at four times."""
    bench = boxes((2, 2))
    bench.do(SetValues(item=bench.id("A"), values={"capture": 64, "optical_in": 64, "rate_hz": rate_hz}))
    assert bench.box().channels_at("capture", rate_hz) == channels


def test_an_optical_member_at_double_rate_moves_the_numbers_behind_it() -> None:
    bench = boxes((8, 8), (2, 2))
    bench.do(SetValues(item=bench.id("A"), values={"capture": 16, "optical_in": 8}))
    joined(bench, "AB")
    assert behind(bench, 17) == ("B", 1)
    bench.do(*(SetValues(item=bench.id(name), values={"rate_hz": 96_000}) for name in "AB"))
    assert behind(bench, 13) == ("B", 1)


def test_a_sync_reference_may_be_off_by_a_part_of_a_frame() -> None:
    """AES11, from memory: 5 % of a frame at outputs, 25 % at inputs; a frame at 48 kHz is 20.83 us."""
    at_output, at_input = sync_tolerance_s(48_000)
    assert 1e6 * at_output == pytest.approx(1.04, abs=0.005)
    assert 1e6 * at_input == pytest.approx(5.21, abs=0.005)


def test_joined_boxes_are_told_in_the_history_by_their_names() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=2)
    turned = SetMembers(aggregate=bench.id("All"), members=tuple(reversed(aggregate(bench).members)))
    found = trial(bench.rig, (turned,))
    assert found.words.startswith("All: B, A")
    assert any("T1" in change.what for change in found.numbers)
    compared = compare_rigs(bench.rig, apply(bench.rig, (turned,)).rig, "turned")
    assert any(
        "members" in change.what and (change.now, change.after) == ("A; B", "B; A") for change in compared.settings
    )


def test_an_aggregate_of_another_rig_comes_without_its_members_and_none_is_kept_in_a_file_of_gear() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB")
    copy = apply(bench.rig, (AddGear(gear=aggregate(bench)),)).rig
    assert index(copy).aggregates[1].members == ()
    assert index(copy).aggregates[1].name == "All 2"


@pytest.mark.parametrize("typed", ["x" * 81, "a\x01b"])
def test_a_name_on_the_join_sheet_that_is_none_is_refused_with_its_input(typed: str) -> None:
    bench = boxes((2, 2), (4, 4))
    with pytest.raises(Refused) as refused:
        join_sheet(read(bench.rig), JoinRequest(devices=(bench.id("A"), bench.id("B")), names=("", typed)))
    assert refused.value.place == "input 2"


def test_a_device_without_boxes_is_one_snag_for_its_program() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=2)
    told = apply(bench.rig, (SetMembers(aggregate=bench.id("All"), members=()),))
    assert told.words.startswith("All: no members")
    bench.rig = told.rig
    (snag,) = bench.snags("program-without-device")
    assert snag.title == "Recorder has no device: All has no boxes"
    bench.do(*snag.mend()[0].edits)
    assert not bench.snags("program-without-device")


def test_another_driver_of_a_member_is_tried_beside_the_one_it_has() -> None:
    bench = joined(boxes((2, 2), (4, 4)), "AB", tracks=2)
    second = bench.id("B")
    bench.do(AddDriver(interface=second, kind="wrapper", buffer_samples=128, clients="one"))
    found = index(bench.rig)
    first, added = next(box for box in found.boxes if box.id == second).drivers
    old, new = first.id, added.id
    bench.do(SetValues(item=new, values={"safety_in_samples": 100, "capture": 2}))
    (ladder,) = ladders(read(bench.rig))
    now, other = ladder.ways
    assert (now.box, now.driver, now.now, now.bars) == ("B", old, True, "")
    assert (other.box, other.driver, other.now, other.bars, other.capture) == ("B", new, False, "", 2)
    # Only the safety offsets differ, 100 and nought; on A nothing else is offered, so A is not told.
    saved = first.safety_in_samples + first.safety_out_samples
    assert other.round_trip_samples == now.round_trip_samples + 100 - saved
    made = apply(bench.rig, other.edits)
    assert made.words == "All: A, B (by its wrapper driver)"
    after = made.rig
    assert driver_of(index(after).opened[bench.program().id].ways[1].box, new).id == new
    assert index(after).opened[bench.program().id].ways[1].driver.id == new
    bench.do(SetValues(item=new, values={"installed": False}))
    assert ladders(read(bench.rig))[0].ways[1].bars == "not installed"
    bench.do(SetValues(item=new, values={"installed": True, "kind": "system, shared", "engine_samples": 441}))
    assert ladders(read(bench.rig))[0].ways[1].bars == "works in periods of its own"


def test_blocks_that_are_no_multiples_slip_by_what_they_have_in_common() -> None:
    """256 written and 192 read have 64 in common: with 10 kept waiting the first slip is due by 74 samples of drift."""
    told = drift(-100, 48_000, 256, 192, 10, known=True)
    assert told is not None
    assert (told.first_from_s, told.first_to_s) == pytest.approx((11 / 4.8, 74 / 4.8))
    assert told.every_s == pytest.approx(192 / 4.8)
