"""Cables: programs on one computer that hear each other, predicted and at work on the twin."""

import itertools
import math
from collections import deque
from unittest import mock

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from clicks import CLICK_AT_SECONDS, CLICK_DBU, Click, measured, predicted
from drawn import drawn
from iskelo.core.edits.additions import AddInterface, AddLine, AddProgram, AddProgramPorts, AddTracks, AddVoices
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import EnableChannels, JoinDevices, Remove, SetCable, SetDevice, SetLeg, SetValues, SwapGear
from iskelo.core.edits.input_list import InputRow, plan_rows
from iskelo.core.edits.phrases import gear_phrase, interface_phrase
from iskelo.core.levels.along import full_scale_dbu
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import Reading, read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.ladder import Ladder, ladders
from iskelo.core.planner.left_over import left_over
from iskelo.core.planner.search import arriving
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.cables import Cable
from iskelo.core.rig.gear import Interface, Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import ROUTES_AT_MOST, Route, passing_routes
from iskelo.core.stations import stations
from iskelo.core.survey import survey
from iskelo.core.timing.delays import delay_of
from iskelo.core.timing.terms import falling_term
from iskelo.core.twin import simulation
from iskelo.core.twin.cable_box import rehearsed_queue_samples
from iskelo.core.twin.run import run_twin
from iskelo.core.twin.told import Missed
from rigs import Bench, any_rig, as_one_speed, with_what_cannot_be_known

CABLED = any_rig(cabled=True, busy=True) | any_rig(cabled=True, busy=True, back=True)


def pads() -> Bench:
    """A sampler's four stereo pads, each by a cable of 8 on its own track of a recorder, which hears a box as well."""
    bench = Bench(Rig(name="Pads")).do(
        *gear_phrase("cable 8 Gully 1"),
        *gear_phrase("sampler Soundcase 4"),
        AddInterface(name="Havra", jack_in=2, jack_out=2),
        AddProgram(name="Longhand"),
    )
    gully, havra = bench.id("Gully 1"), bench.id("Havra")
    soundcase, longhand = bench.id("Soundcase"), bench.id("Longhand")
    bench.do(
        SetValues(item=gully, values={"follows": havra}),
        SetDevice(program=soundcase, device=gully),
        SetValues(item=soundcase, values={"buffer_samples": 128}),
        JoinDevices(name="Hall", members=(Member(device=havra), Member(device=gully))),
    )
    bench.do(SetDevice(program=longhand, device=bench.id("Hall")))
    names = tuple(f"Pad {number}" for number in range(1, 5))
    sampler = program_of(bench, "Soundcase")
    bench.do(Remove(items=tuple(item.id for item in sampler.outputs)))
    bench.do(AddProgramPorts(program=soundcase, side="output", names=names, width=2, first_channel=1))
    sampler = program_of(bench, "Soundcase")
    bench.do(
        *(
            SetValues(item=voice.id, values={"output": output.id})
            for voice, output in zip(sampler.voices, sampler.outputs, strict=True)
        ),
        AddProgramPorts(program=longhand, names=names, width=2, first_channel=3),
    )
    inputs = tuple(item.id for item in program_of(bench, "Longhand").inputs)
    bench.do(AddTracks(program=longhand, names=names, width=2, inputs=inputs))
    tracks = program_of(bench, "Longhand").tracks
    return bench.do(
        *(
            AddLine(
                name=voice.name,
                purpose="record",
                from_ports=tuple(Port(voice.id, "voice", leg) for leg in (1, 2)),
                to_ports=tuple(Port(track.id, "track", leg) for leg in (1, 2)),
            )
            for voice, track in zip(program_of(bench, "Soundcase").voices, tracks, strict=True)
        )
    )


def program_of(bench: Bench, name: str) -> Program:
    gear = bench.rig_gear(name)
    assert isinstance(gear, Program)
    return gear


def test_pads_by_a_cable_wait_for_both_programs_and_the_margin() -> None:
    """The sender's 128, the receiver's 128 of its aggregate, the margin of 32; the recorder's own numbers count on."""
    bench = pads()
    for number in range(1, 5):
        state = bench.line(f"Pad {number}")
        assert state.headline == "arrives"
        assert [delay.exact_samples for delay in state.delays()] == [288, 288]
    terms = bench.line("Pad 1").delays()[0].terms
    assert [(term.label, term.samples) for term in terms] == [
        ("buffer of Soundcase", 128),
        ("cable margin", 32),
        ("buffer of Hall", 128),
    ]
    told = stations(bench.line("Pad 3"), index(bench.rig))
    assert [(cell.label, cell.number) for cell in told] == [
        ("Pad 3", ""),
        ("", ""),
        ("Hall", "7–8"),
        ("Longhand", "3"),
        ("Pad 3", "3"),
        ("", ""),
    ]


def test_a_buffer_changes_its_own_program_alone() -> None:
    bench = pads().do(SetValues(item=pads().id("Soundcase"), values={"buffer_samples": 512}))
    assert bench.line("Pad 1").delays()[0].exact_samples == 512 + 32 + 128
    hall = bench.id("Hall")
    bench.do(SetValues(item=hall, values={"buffer_samples": 64}))
    assert bench.line("Pad 1").delays()[0].exact_samples == 512 + 32 + 64
    assert ladder_of(bench, "Soundcase").buffer_samples == 512


def test_a_late_line_is_mended_by_the_buffer_of_the_program_that_plays() -> None:
    bench = pads()
    bench.do(SetValues(item=bench.line("Pad 1").line.id, values={"longest_delay_ms": 5.0}))
    (snag,) = bench.snags("line-late")
    words = [remedy.words for remedy in snag.mend()]
    assert any("Soundcase on Gully 1" in each for each in words)
    for remedy in snag.mend():
        after = read(apply(bench.rig, remedy.edits).rig)
        assert next(state for state in after.lines if state.line.name == "Pad 1").headline == "arrives"


def ladder_of(bench: Bench, name: str) -> Ladder:
    return next(each for each in ladders(read(bench.rig)) if each.program == bench.id(name))


def test_a_cable_on_the_timer_drifts_against_a_box_and_is_let_follow_it() -> None:
    bench = pads()
    bench.do(SetValues(item=bench.id("Gully 1"), values={"clock_source": "computer"}))
    assert bench.line("Pad 1").headline == "drifting"
    (snag,) = bench.snags("clocks-drift")
    first = snag.mend()[0]
    assert first.words == "Let Gully 1 follow Havra"
    bench.do(*first.edits)
    assert bench.line("Pad 1").headline == "arrives"
    assert not bench.snags("clocks-drift")


def test_a_cable_crossed_between_two_clocks_waits_for_a_ring_at_either_end() -> None:
    """256/256, ring margins 16, margin 16, both matched: 1136 samples instead of 528 (the design's worked example)."""
    bench = Bench(Rig(name="Two clocks")).do(
        *gear_phrase("cable 2 Gully"),
        *gear_phrase("sampler Soundcase 1"),
        AddInterface(name="One", jack_in=2, jack_out=2),
        AddInterface(name="Two", jack_in=2, jack_out=2),
        AddProgram(name="Longhand"),
    )
    gully = bench.id("Gully")
    bench.do(
        SetCable(cable=gully, values={"margin_samples": 16}),
        JoinDevices(name="Out", members=(Member(device=bench.id("One")), Member(device=gully, matched=True))),
        JoinDevices(name="In", members=(Member(device=bench.id("Two")), Member(device=gully, matched=True))),
    )
    for name in ("Out", "In"):
        bench.do(SetValues(item=bench.id(name), values={"buffer_samples": 256, "margin_samples": 16}))
    soundcase, longhand = bench.id("Soundcase"), bench.id("Longhand")
    bench.do(SetDevice(program=soundcase, device=bench.id("Out")), SetDevice(program=longhand, device=bench.id("In")))
    output = program_of(bench, "Soundcase").outputs[0]
    bench.do(
        *(SetLeg(item=output.id, leg=leg, channel=2 + leg) for leg in (1, 2)),
        EnableChannels(program=soundcase, side="output", channels=(3, 4)),
        AddProgramPorts(program=longhand, names=("In",), width=2, first_channel=3),
    )
    item = program_of(bench, "Longhand").inputs[0]
    bench.do(AddTracks(program=longhand, names=("Pad",), width=2, inputs=(item.id,)))
    voice, track = program_of(bench, "Soundcase").voices[0], program_of(bench, "Longhand").tracks[0]
    bench.do(
        AddLine(
            name="Pad",
            purpose="record",
            from_ports=(Port(voice.id, "voice", 1),),
            to_ports=(Port(track.id, "track", 1),),
        )
    )
    assert bench.line("Pad").delays()[0].exact_samples == 1136
    for device in ("One", "Two"):
        bench.do(SetValues(item=bench.id(device), values={"clock_source": "computer"}))
    assert bench.line("Pad").delays()[0].exact_samples == 528


@pytest.mark.parametrize(
    ("typed", "names", "channels"),
    [
        ("cable", ["Cable"], 2),
        ("cable 8 Gully", ["Gully"], 8),
        ("3 cable 8 Gully", ["Gully 1", "Gully 2", "Gully 3"], 8),
        ("cable 4x4", ["Cable"], 4),
        ("stereo cable Line", ["Line"], 2),
        ("cable 16 Left, Right", ["Left", "Right"], 16),
    ],
)
def test_cables_are_typed(typed: str, names: list[str], channels: int) -> None:
    rig = Bench(Rig(name="Typed")).do(*gear_phrase(typed)).rig
    assert [gear.name for gear in rig.gear] == names
    assert all(isinstance(gear, Interface) and gear.cable and gear.capture == channels for gear in rig.gear)


@pytest.mark.parametrize(
    ("typed", "why"),
    [
        ("cable 8x4", "as many channels in as out"),
        ("cable 200", "1 to 128 channels"),
        ("cable 0", "1 to 128 channels"),
        ("analogue cable", "only a mixer"),
    ],
)
def test_what_no_cable_is_is_refused(typed: str, why: str) -> None:
    with pytest.raises(Refused, match=why):
        gear_phrase(typed)


def test_what_a_cable_cannot_be_is_refused_in_words() -> None:
    bench = pads()
    gully, havra = bench.id("Gully 1"), bench.id("Havra")
    for item, values, why in (
        (gully, {"jack_in": 2}, "neither jacks nor optical ports"),
        (gully, {"clock_source": "own"}, "runs on the computer's timer or follows a device"),
        (gully, {"converter_in_samples": 3}, "no converters"),
        (gully, {"follows": gully}, "cannot follow itself"),
        (havra, {"follows": gully}, "only a cable can follow"),
    ):
        with pytest.raises(Refused, match=why):
            bench.do(SetValues(item=item, values=values))
    with pytest.raises(Refused, match="it is no cable"):
        bench.do(SetCable(cable=havra, values={"margin_samples": 3}))
    with pytest.raises(Refused, match="no field 'size'"):
        bench.do(SetCable(cable=gully, values={"size": 3}))
    bench.do(SetValues(item=gully, values={"capture": 4}))
    shrunk = bench.rig_gear("Gully 1")
    assert isinstance(shrunk, Interface)
    assert shrunk.playback == 4


def test_a_cable_runs_on_the_timer_when_what_it_followed_is_gone() -> None:
    bench = pads()
    applied = apply(bench.rig, (Remove(items=(bench.id("Havra"),)),))
    assert "Gully 1 runs on the computer's timer now" in applied.words
    cable = next(gear for gear in applied.rig.gear if gear.name == "Gully 1")
    assert isinstance(cable, Interface)
    assert (cable.clock_source, cable.follows) == ("computer", None)


def test_a_cable_swapped_for_a_wider_one_keeps_its_clock_and_its_programs() -> None:
    bench = pads()
    bench.do(SwapGear(item=bench.id("Gully 1"), gear=interface_phrase("cable 16 Wide")))
    wide = bench.rig_gear("Wide")
    assert isinstance(wide, Interface)
    assert (wide.capture, wide.follows) == (16, bench.id("Havra"))
    assert [state.headline for state in read(bench.rig).lines] == ["arrives"] * 4


def test_a_margin_below_the_jitter_is_a_risk_and_is_made_as_large() -> None:
    """0.5 ms at 48 kHz are 24 samples: a margin of 23 bears them (the design's worked example)."""
    bench = pads().do(SetValues(item="rig", values={"jitter_ms": 0.5}))
    gully = bench.id("Gully 1")
    bench.do(SetCable(cable=gully, values={"margin_samples": 22}))
    (snag,) = bench.snags("cable-margin-small")
    assert len(snag.lines) == 4
    bench.do(*snag.mend()[0].edits)
    cable = bench.rig_gear("Gully 1")
    assert isinstance(cable, Interface)
    assert cable.cable == Cable(margin_samples=23)
    assert not bench.snags("cable-margin-small")


def test_a_block_that_is_late_by_no_more_than_the_margin_is_still_heard() -> None:
    """A sampler whose work takes its whole block is late now and then: the margin bears what the jitter makes of it."""
    bench = pads()
    soundcase = bench.id("Soundcase")
    busy = [{"buffer_samples": 128, "percent": 99.9}, {"buffer_samples": 256, "percent": 99.9}]
    bench.do(SetValues(item=soundcase, values={"load_readings": busy}))
    missed = {}
    for margin in (0, 32):
        bench.do(SetCable(cable=bench.id("Gully 1"), values={"margin_samples": margin}))
        told: list[Missed] = []
        run_twin(bench.rig, {}, 2.0, told=told.append)
        missed[margin] = next(each.missed for each in told if each.program == soundcase)
    assert missed[0] > missed[32] == 0


def test_a_program_that_hears_itself_is_told() -> None:
    bench = pads()
    soundcase = bench.id("Soundcase")
    bench.do(AddProgramPorts(program=soundcase, names=("Again",), width=1, first_channel=2))
    (snag,) = bench.snags("cable-to-itself")
    assert snag.title == "Soundcase hears itself through Gully 1 2"
    bench.do(*snag.mend()[0].edits)
    assert not bench.snags("cable-to-itself")


def apart(pairs: int, singles: int, *gear: str) -> Bench:
    """A sampler and a recorder with so many stereo and mono sounds and tracks, and no device yet."""
    bench = Bench(Rig(name="Apart"))
    for phrase in gear:
        bench.do(*gear_phrase(phrase))
    bench.do(AddProgram(name="Soundcase", program_kind="sampler"), AddProgram(name="Longhand"))
    bench.do(
        SetDevice(program=bench.id("Soundcase"), device=None), SetDevice(program=bench.id("Longhand"), device=None)
    )
    for width, count in ((2, pairs), (1, singles)):
        if not count:
            continue
        names = tuple(f"{'Pair' if width == 2 else 'Single'} {number}" for number in range(1, count + 1))
        bench.do(
            AddVoices(program=bench.id("Soundcase"), names=names, width=width),
            AddTracks(program=bench.id("Longhand"), names=names, width=width),
        )
    bench.do(
        *(
            AddLine(
                name=voice.name,
                purpose="record",
                from_ports=tuple(Port(voice.id, "voice", leg) for leg in range(1, voice.width + 1)),
                to_ports=tuple(Port(track.id, "track", leg) for leg in range(1, voice.width + 1)),
            )
            for voice, track in zip(
                program_of(bench, "Soundcase").voices[-pairs - singles :],
                program_of(bench, "Longhand").tracks[-pairs - singles :],
                strict=True,
            )
        )
    )
    return bench


def cables_of(rig: Rig) -> list[Interface]:
    return [box for box in index(rig).boxes if box.cable is not None]


def test_sixteen_stereo_sounds_need_four_cables_of_8_and_the_13th_begins_at_25() -> None:
    """Common practice, no published source: 16 stereo outputs need 32 channels; pair 13 is 25-26, the fourth's 1-2."""
    bench = apart(16, 0)
    joining = join_all(read(bench.rig))
    assert joining is not None
    bench.do(*joining.edits)
    assert [box.capture for box in cables_of(bench.rig)] == [8, 8, 8, 8]
    assert all(state.headline == "arrives" for state in read(bench.rig).lines)
    pair = next(item for item in program_of(bench, "Longhand").inputs if item.name == "Pair 13")
    assert pair.legs == (25, 26)
    streams = index(bench.rig).opened[bench.id("Longhand")]
    there = streams.at("capture", 25)
    assert there is not None
    assert (there[0].box.name, there[1]) == ("Cable 4", 1)
    assert [row.proved for row in run_line_check(bench.rig).ledger.lines] == [True] * 16


def test_behind_a_box_of_18_channels_the_13th_pair_begins_at_43() -> None:
    """18 + 25 = 43 (the design's worked example)."""
    bench = apart(16, 0, "box 18x18 Havra")
    havra = bench.id("Havra")
    bench.do(SetDevice(program=bench.id("Longhand"), device=havra))
    joining = join_all(read(bench.rig))
    assert joining is not None
    bench.do(*joining.edits)
    pair = next(item for item in program_of(bench, "Longhand").inputs if item.name == "Pair 13")
    assert pair.legs == (43, 44)
    assert all(box.follows == havra for box in cables_of(bench.rig))


def test_a_plan_lets_a_cable_that_nobody_has_opened_follow_the_box_that_calls() -> None:
    bench = apart(4, 0, "box 8x8 Havra", "cable 8 Gully")
    bench.do(SetDevice(program=bench.id("Longhand"), device=bench.id("Havra")))
    joining = join_all(read(bench.rig))
    assert joining is not None
    assert "Let Gully follow Havra" in joining.words
    bench.do(*joining.edits)
    assert [state.headline for state in read(bench.rig).lines] == ["arrives"] * 4
    assert not bench.snags("clocks-drift")


def test_what_a_program_cannot_open_is_left_over_with_its_reason() -> None:
    """Of 16 pairs 12 fit into the 24 channels that a program opens (the design's worked example)."""
    bench = apart(16, 0)
    bench.do(SetValues(item=bench.id("Longhand"), values={"channels_at_most": 24}))
    joining = join_all(read(bench.rig))
    assert joining is not None
    bench.do(*joining.edits)
    assert len(cables_of(bench.rig)) == 3
    left = left_over(read(bench.rig))
    assert [each.name for each in left] == ["Pair 13", "Pair 14", "Pair 15", "Pair 16"]
    assert {each.why for each in left} == {"Longhand opens 24 channels at most, and 24 are open"}
    with pytest.raises(Refused, match="it opens 24 channels at most each way"):
        bench.do(EnableChannels(program=bench.id("Longhand"), channels=(25,)))


@given(pairs=st.integers(0, 20), singles=st.integers(0, 20), there=st.integers(0, 3))
@settings(max_examples=drawn(25))
def test_a_plan_by_cables_needs_as_few_as_the_bound_says(pairs: int, singles: int, there: int) -> None:
    """Outside check: no plan needs fewer than (pairs + half the single sounds, rounded up) / 4, rounded up."""
    assume(pairs + singles)
    bench = apart(pairs, singles, *(f"cable 8 Gully {number}" for number in range(1, there + 1)))
    joining = join_all(read(bench.rig))
    assert joining is not None
    bench.do(*joining.edits)
    assert all(state.headline == "arrives" for state in read(bench.rig).lines)
    assert len(cables_of(bench.rig)) == max(there, math.ceil((pairs + math.ceil(singles / 2)) / 4))
    for program in ("Soundcase", "Longhand"):
        items = program_of(bench, program).outputs if program == "Soundcase" else program_of(bench, program).inputs
        for item in items:
            if item.name.startswith("Pair"):
                assert item.legs[0] is not None
                assert item.legs[0] % 2 == 1
                assert item.legs[1] == item.legs[0] + 1


def test_pairs_are_placed_before_single_sounds_whatever_was_wished_for_first() -> None:
    """On three channels a pair takes 1 and 2, and 3 is left for a single sound; the other way round no pair fits."""
    bench = apart(1, 1, "cable 3 Gully")
    wished = bench.rig.model_copy(update={"lines": bench.rig.lines[::-1]})
    joining = join_all(read(wished))
    assert joining is not None
    assert len(cables_of(apply(wished, joining.edits).rig)) == 1


@given(any_rig(cabled=True, busy=True) | any_rig(cabled=True) | any_rig(busy=True) | any_rig())
@settings(max_examples=drawn(60))
def test_any_plan_by_cables_serves_lines_and_takes_nothing_away(rig: Rig) -> None:
    before = read(rig)
    found = join_by_cables(before)
    if found is None:
        return
    after = read(apply(rig, found[0].edits).rig)
    assert arriving(before) < arriving(after)
    assert arriving(after) == arriving(found[1])
    assert len(found[0].words) == len(found[0].places)


def test_more_than_one_device_holds_are_served_as_far_as_it_goes() -> None:
    """A device has 128 channels at most: 64 pairs of 70 are brought over, the others stay silent."""
    bench = apart(70, 0)
    joining = join_all(read(bench.rig))
    assert joining is not None
    bench.do(*joining.edits)
    served = [state for state in read(bench.rig).lines if state.headline == "arrives"]
    assert len(served) >= 60


def test_a_line_alone_is_offered_its_cable_as_a_remedy() -> None:
    bench = apart(1, 1)
    (snag,) = bench.snags("line-silent")[:1]
    (remedy, *_) = snag.mend()
    assert remedy.words.startswith("Add cable Cable 1 of 8 channels, then open Cable 1")
    bench.do(*remedy.edits)
    assert bench.line("Pair 1").headline == "arrives"


def test_without_a_cable_or_past_one_the_gap_is_named() -> None:
    bench = pads()
    output = program_of(bench, "Soundcase").outputs[0]
    bench.do(SetLeg(item=output.id, leg=1, channel=None), SetLeg(item=output.id, leg=2, channel=None))
    assert "output Pad 1 has no channel" in bench.said("Pad 1")
    told = stations(bench.line("Pad 1"), index(bench.rig))
    assert [cell.state for cell in told] == ["on", "empty", "gap", "empty", "beyond", "empty"]
    bench.do(Remove(items=(bench.id("Gully 1"),)))
    assert "only a cable leads, and there is none" in bench.said("Pad 2")


def test_the_set_up_list_tells_cables_as_they_are() -> None:
    words = [(step.words, step.settings) for step in set_up_list(read(pads().rig))]
    assert ("Set up cable Gully 1 on the computer", ("8 channels", "margin 32 samples")) in words
    assert any(said == "Gully 1: clock source follows Havra" for said, _ in words)
    assert ("Soundcase: open its device", ("opens cable Gully 1", "buffer 128")) in words


def test_a_line_check_proves_what_comes_by_a_cable() -> None:
    bench = pads()
    ledger = run_line_check(bench.rig).ledger
    assert [row.proved for row in ledger.lines] == [True] * 4


@given(CABLED)
@settings(max_examples=drawn(120, 20))
def test_the_twin_agrees_to_the_sample_on_any_rig_of_programs_and_cables(rig: Rig) -> None:
    """Clocks of one speed: those that are matched or run free across a ring are as exact as the others."""
    rig = as_one_speed(rig)
    reading = read(rig)
    found = reading.found
    assume(all(each.verdict == "rings" and not each.more and each.growth_db_per_s < -40 for each in reading.rings.all))
    assume(all(each.seconds > 0 for ring in reading.rings.all for each in ring.rounds))
    longest = max((way.buffer_samples for streams in found.opened.values() for way in streams.ways), default=0)
    longest = max(longest, *(driver.buffer_samples for box in found.boxes for driver in box.drivers))
    assume(len({box.rate_hz for box in found.boxes}) == 1)
    seconds = CLICK_AT_SECONDS + (16 * longest + 16_000) / min(box.rate_hz for box in found.boxes)
    with mock.patch.object(simulation, "COMPUTER_TOLERANCE_PPM", 0.0):
        for start in found.starts():
            for channel in run_twin(rig, {start: Click()}, seconds):
                routes = passing_routes(reading.graph, start, channel.port)
                if len(routes) >= ROUTES_AT_MOST:
                    continue
                rings = reading.rings.between(start, channel.port, reading.known)
                if rings and routes and not reading.rings.copies(routes, rings):
                    continue
                want, got = predicted(rig, start, channel.port), measured(channel.samples, channel.rate_hz)
                last = int((seconds - CLICK_AT_SECONDS) * channel.rate_hz) - 2
                # What goes round is told down to the dither, and no longer than the run.
                for delay, amplitude in want.items():
                    if abs(amplitude) > 2e-5 and delay < last:
                        assert got[delay] == pytest.approx(amplitude, rel=1e-2, abs=3e-6)
                assert {delay for delay, amplitude in got.items() if abs(amplitude) > 2e-5} <= want.keys()


def as_it_falls(played: int, taken: int, silence: int, begins: int, ends: int) -> tuple[set[int], int]:
    """A queue that begins with so much silence, by mechanism: every delay seen, and how often it was dry."""
    queue: deque[int | None] = deque([None] * silence)
    delays: set[int] = set()
    dry = 0
    for tick in range(6 * math.lcm(played, taken) + 8 * (played + taken) + silence):
        if tick >= begins + played and (tick - begins) % played == 0:
            queue.extend(range(tick - played, tick))
        if (tick - ends) % taken == 0 and tick >= ends:
            if len(queue) < taken:
                dry += 1
                continue
            heard = [queue.popleft() for _ in range(taken)]
            delays |= {tick + at - stamp for at, stamp in enumerate(heard) if stamp is not None}
    return delays, dry


@pytest.mark.parametrize(("played", "taken"), [(1, 1), (4, 4), (3, 5), (6, 4), (8, 2)])
def test_a_queue_that_starts_as_it_falls_is_late_by_what_is_told_and_never_dry(played: int, taken: int) -> None:
    """Outside check, by mechanism: every start of either program; with less silence some starts are dry."""
    silence = rehearsed_queue_samples(played, taken)
    assert silence == 2 * played + taken - max(2, math.gcd(played, taken))
    seen: set[int] = set()
    for begins, ends in itertools.product(range(played), range(taken)):
        delays, dry = as_it_falls(played, taken, silence, begins, ends)
        assert not dry
        seen |= delays
    term = falling_term(new_cable("Gully", 2), played, taken)
    least = played + taken + term.samples
    assert (min(seen), max(seen), len(seen)) == (least, least + term.spread, played + taken - 1)
    drier = [as_it_falls(played, taken, silence - 1, b, e)[1] for b in range(played) for e in range(taken)]
    assert any(drier)


def test_a_cable_that_starts_as_it_falls_gives_a_range_and_is_told() -> None:
    """128 and 128 without a margin: 129 to 383 samples (the design's worked example)."""
    bench = pads()
    gully = bench.id("Gully 1")
    bench.do(SetCable(cable=gully, values={"margin_samples": 0, "start": "as it falls"}))
    (delay, _) = bench.line("Pad 1").delays()
    assert (delay.samples, delay.most_samples) == (129, 383)
    (snag,) = bench.snags("cable-starts-as-it-falls")
    assert (snag.severity, len(snag.lines)) == ("note", 4)
    assert "255 delays are possible" in snag.evidence
    seen = set()
    pad = Port(program_of(bench, "Soundcase").voices[0].id, "voice", 1)
    for seed in range(12):
        for channel in run_twin(bench.rig, {pad: Click()}, 0.3, seed=seed):
            seen |= set(measured(channel.samples, channel.rate_hz))
    assert len(seen) > 8
    assert all(129 <= each <= 383 for each in seen)
    ledger = run_line_check(bench.rig).ledger
    assert ledger.as_wanted == 4
    # Ruling 19 of the design's page on acts; 129 and 383 samples at 48 kHz.
    told = {line.words for line in ledger.lines if line.proved}
    assert told == {"as wanted at this start; another one comes after 2.69 to 7.98 ms"}
    step = next(each for each in set_up_list(read(bench.rig)) if gully in each.items and "Gully 1" in each.words)
    assert any("as it falls" in setting for setting in step.settings)
    bench.do(*snag.mend()[0].edits)
    assert not bench.snags("cable-starts-as-it-falls")


def test_a_buffer_is_tried_with_the_latest_start_in_mind() -> None:
    """Of a cable that starts as it falls the latest delay grows by two samples for each of a buffer."""
    bench = pads()
    bench.do(SetCable(cable=bench.id("Gully 1"), values={"start": "as it falls"}))
    line = bench.line("Pad 1").line.id
    bench.do(SetValues(item=line, values={"longest_delay_ms": 9.0}))
    assert bench.line("Pad 1").headline == "arrives"
    (delay, _) = bench.line("Pad 1").delays()
    soundcase = ladder_of(bench, "Soundcase")
    late = {rung.buffer_samples: rung.late_lines for rung in soundcase.rungs}
    for size in (128, 256):
        bench.do(SetValues(item=bench.id("Soundcase"), values={"buffer_samples": size}))
        most = bench.line("Pad 1").delays()[0].most_ms
        assert (late[size] == 1) == (most > 9.0)
    assert delay.most_ms < 9.0 < bench.line("Pad 1").delays()[0].most_ms


@given(with_what_cannot_be_known(CABLED))
@settings(max_examples=drawn(80, 10))
def test_what_cannot_be_known_lies_within_what_is_told(rig: Rig) -> None:
    """Cables that start as it falls, and far ends: every copy on the twin is within the range of one of its ways."""
    rig = as_one_speed(rig)
    survey(rig)
    reading = read(rig)
    found = reading.found
    assume(not reading.rings.all)
    assume(len({box.rate_hz for box in found.boxes}) == 1)
    longest = max((way.buffer_samples for streams in found.opened.values() for way in streams.ways), default=0)
    longest = max(longest, *(driver.buffer_samples for box in found.boxes for driver in box.drivers))
    seconds = CLICK_AT_SECONDS + 0.25 + (24 * longest + 16_000) / min(box.rate_hz for box in found.boxes)
    with mock.patch.object(simulation, "COMPUTER_TOLERANCE_PPM", 0.0):
        for start in found.starts():
            for channel in run_twin(rig, {start: Click()}, seconds):
                routes = passing_routes(reading.graph, start, channel.port)
                if len(routes) >= ROUTES_AT_MOST:
                    continue
                delays = [delay_of(route.edges, found) for route in routes]
                got = {
                    at: value for at, value in measured(channel.samples, channel.rate_hz).items() if abs(value) > 2e-5
                }
                for at in got:
                    assert any(each.samples - 1 <= at <= each.most_samples + 1 for each in delays)
                if len(routes) == 1:
                    assert len(got) == (abs(predicted_level(reading, routes[0])) > 2e-5)


def predicted_level(reading: Reading, route: Route) -> float:
    """The amplitude of a click by one way."""
    level_db = route.gain_db - full_scale_dbu(route.edges, reading.found)
    return float(10 ** ((CLICK_DBU + level_db) / 20) / (1 if route.edges[0].start.bank == "voice" else math.sqrt(2)))


def test_a_cable_is_no_box_to_plug_into_nor_what_a_new_program_opens_beside_one() -> None:
    bench = Bench(Rig(name="Beside")).do(*gear_phrase("cable 8 Gully"), *gear_phrase("recorder Alone"))
    assert bench.program().device == bench.id("Gully")
    bench.do(*gear_phrase("box 2x2 Quill"), *gear_phrase("recorder Longhand"), *gear_phrase("system sounds"))
    opened = {program.name: program.device for program in index(bench.rig).programs()}
    assert opened["Longhand"] == opened["System sounds"] == bench.id("Quill")
    # An input list that says a jack and no box means the only one that has jacks.
    rows = (InputRow(number=2, name="Alma", source="Alma", box_input="2"),)
    planned = plan_rows(bench.rig, rows)
    assert [outcome.accepted for outcome in planned.rows] == [True]
    # Nobody hears a beep in a cable; without a device it is silent for good.
    (snag,) = bench.do(AddTracks(program=bench.id("Longhand"), names=("One",))).snags(
        "system-sounds-on-a-recording-device"
    )
    assert [remedy.words for remedy in snag.mend()] == ["Take the device away from System sounds"]
    bench.do(SetDevice(program=bench.id("Longhand"), device=None))
    (snag,) = bench.snags("program-without-device")
    assert [remedy.words for remedy in snag.mend()] == [
        "Give Longhand the device Quill",
        "Give Longhand the device Gully",
    ]
