"""Hosted programs: locked to their leader, heard by named returns, late for what is played by hand alone."""

from collections import deque

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import freqz

from clicks import CLICK_AT_SECONDS, Click, measured
from drawn import drawn
from iskelo.core.edits.additions import (
    AddBuses,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddReturns,
    AddSends,
    AddSync,
    AddTracks,
    AddVoices,
    SpreadVoices,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import JoinDevices, Plug, Remove, SendStraight, SetBack, SetDevice, SetValues
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.stations import stations
from iskelo.core.sync_view import together
from iskelo.core.timing.copies import notches_hz
from iskelo.core.timing.hosting import by_hand
from iskelo.core.twin.run import run_twin
from rigs import Bench, batch


def hosted(buffer_samples: int = 64, **fields: object) -> Bench:
    """Soundcase runs in Longhand, which records on Havra; two pads are wanted on tracks of Longhand."""
    bench = Bench(Rig(name="Hosted")).do(
        *gear_phrase("box 4x4 Havra"), *gear_phrase("recorder Longhand"), *gear_phrase("sampler Soundcase 2")
    )
    longhand, soundcase = bench.id("Longhand"), bench.id("Soundcase")
    bench.do(
        SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": buffer_samples}),
        SetValues.model_validate({"item": soundcase, "values": {"hosted": {"leader": longhand, **fields}}}),
    )
    return bench.do(*batch(bench.rig, BatchRequest(sources="pad 1-2", record_to="longhand new")))


def program_of(bench: Bench, name: str) -> Program:
    gear = bench.rig_gear(name)
    assert isinstance(gear, Program)
    return gear


def joined(bench: Bench) -> Bench:
    joining = join_all(read(bench.rig))
    assert joining is not None
    return bench.do(*joining.edits)


def test_a_hosted_program_has_no_device_and_is_heard_by_returns_that_are_made_in_one_step() -> None:
    bench = hosted()
    assert program_of(bench, "Soundcase").device is None
    assert bench.said("Pad 1").endswith("Longhand has no return for output Main.")
    (snag,) = bench.snags("return-not-made")
    assert snag.title == "Main of Soundcase has no return in Longhand"
    assert not bench.snags("program-without-device")
    words = [each.words for each in tried_remedies(bench.rig, snag)]
    assert words[0].startswith("Give Pad 1 of Soundcase an output of its own, then make a return Pad 1 of Soundcase")
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert not bench.snags("return-not-made")
    assert [bench.line(f"Pad {number}").headline for number in (1, 2)] == ["arrives"] * 2
    ledger = run_line_check(bench.rig).ledger
    assert ledger.as_wanted == ledger.wanted == 2


def test_the_plan_makes_the_return_and_lets_the_track_take_it() -> None:
    bench = hosted()
    joining = join_all(read(bench.rig))
    assert joining is not None
    assert "Make a return Pad 1 of Soundcase in Longhand" in joining.words
    bench.do(*joining.edits)
    told = stations(bench.line("Pad 1"), index(bench.rig))
    assert [cell.label for cell in told] == ["Pad 1", "", "", "Longhand", "Pad 1", ""]
    (step,) = [each for each in set_up_list(read(bench.rig)) if each.words == "Soundcase: let it run in Longhand"]
    assert "short buffer, 0 samples ahead" in step.settings


def test_a_name_changed_at_either_end_of_a_return_is_changed_at_both() -> None:
    bench = hosted()
    soundcase = program_of(bench, "Soundcase")
    bench.do(AddReturns(program=soundcase.id))
    (item,) = program_of(bench, "Longhand").inputs
    assert item.name == "Main"
    bench.do(SetValues(item=soundcase.outputs[0].id, values={"name": "Sea and wind"}))
    assert program_of(bench, "Longhand").inputs[0].name == "Sea and wind"
    applied = apply(bench.rig, (SetValues(item=item.id, values={"name": "Sea"}),))
    assert applied.words.endswith("in Soundcase too")
    assert index(applied.rig).name(soundcase.outputs[0].id) == "Sea"


def test_the_history_names_what_a_program_runs_in() -> None:
    bench = hosted()
    values = {"hosted": {"leader": bench.id("Longhand"), "ahead": "long"}}
    applied = apply(bench.rig, (SetValues.model_validate({"item": bench.id("Soundcase"), "values": values}),))
    assert applied.words == "Soundcase: runs in Longhand, short buffer of 0 → Longhand, long buffer of 1024"


def test_returns_go_with_what_they_return() -> None:
    bench = hosted()
    soundcase = program_of(bench, "Soundcase")
    bench.do(AddReturns(program=soundcase.id))
    with pytest.raises(Refused, match="all its outputs have returns"):
        bench.do(AddReturns(program=soundcase.id))
    with pytest.raises(Refused, match="it runs in no other program"):
        bench.do(AddReturns(program=bench.id("Longhand")))
    with pytest.raises(Refused, match="is hosted itself"):
        bench.do(SetValues(item=bench.id("Longhand"), values={"hosted": {"leader": soundcase.id}}))
    for edit in (Remove(items=(soundcase.id,)), Remove(items=(soundcase.outputs[0].id,))):
        applied = apply(bench.rig, (edit,))
        assert "the return Main of Longhand goes with it" in applied.words
    applied = apply(bench.rig, (SetDevice(program=soundcase.id, device=bench.id("Havra")),))
    assert index(applied.rig).programs()[1].hosted is None
    applied = apply(bench.rig, (Remove(items=(bench.id("Longhand"),)),))
    assert "Soundcase runs in nothing now" in applied.words


@pytest.mark.parametrize("compensated", [True, False])
@pytest.mark.parametrize(("ahead", "samples"), [("short", 0), ("long", 1024), ("short", 192)])
def test_what_is_replayed_is_in_time_if_it_is_told_earlier(ahead: str, samples: int, compensated: bool) -> None:
    bench = joined(hosted(ahead=ahead, **{f"{ahead}_samples": samples}, compensated=compensated))
    (delay, *_) = bench.line("Pad 1").delays()
    assert delay.exact_samples == (0 if compensated else samples)
    ledger = run_line_check(bench.rig).ledger
    assert all(row.agrees for row in ledger.targets)
    (view,) = together(read(bench.rig)).hosted
    assert (
        view.told.endswith("replayed in time" if compensated or not samples else "replayed 21.3 ms late")
        or samples == 192
    )


def test_a_follower_is_played_out_of_its_leaders_device_as_late_as_that_takes() -> None:
    """Locked to the sample: what it sounds leaves at once with what the leader itself sounds."""
    bench = joined(hosted(long_samples=1024, ahead="long"))
    longhand = program_of(bench, "Longhand")
    bench.do(
        *gear_phrase("headphones Phones"),
        SetValues(item=longhand.tracks[0].id, values={"monitored": True}),
    )
    bench.do(*batch(bench.rig, BatchRequest(sources="pad 1", heard_at="phones")))
    joined(bench)
    heard = bench.line("Pad 1, heard")
    assert heard.headline == "arrives"
    (delay, *_) = heard.delays()
    got = {}
    for channel in run_twin(bench.rig, {Port(program_of(bench, "Soundcase").voices[0].id, "voice", 1): Click()}, 0.4):
        if channel.port.bank == "in":
            got |= measured(channel.samples, channel.rate_hz)
    assert set(got) == {delay.exact_samples}
    assert CLICK_AT_SECONDS


def played(block: int, ahead: int, note: int, *, stamped: bool) -> int:
    """Outside check, by mechanism: a follower so far ahead in its leader's calls, and one note by hand."""
    ready: deque[str] = deque([""] * ahead)
    pending = [note]
    for tick in range(0, note + 8 * (block + ahead), block):
        rendered = [""] * block
        for when in [each for each in pending if each < tick]:
            rendered[max(0, when - tick + block) if stamped else 0] = "note"
            pending.remove(when)
        ready.extend(rendered)
        for at in range(block):
            if ready.popleft():
                return tick + at
    raise AssertionError("it never sounds")


@given(
    block=st.sampled_from([32, 64, 128]),
    ahead=st.sampled_from([0, 64, 1024]),
    note=st.integers(2000, 3000),
    stamped=st.booleans(),
)
@settings(max_examples=drawn(60))
def test_what_is_played_by_hand_sounds_within_what_is_told(block: int, ahead: int, note: int, stamped: bool) -> None:
    bench = hosted(block, ahead="long", long_samples=ahead, stamped=stamped)
    late = by_hand(read(bench.rig).found, program_of(bench, "Soundcase"))
    assert late is not None
    assert late.least_samples <= played(block, ahead, note, stamped=stamped) - note <= late.most_samples


def test_the_long_buffer_is_told_as_the_design_works_it_out() -> None:
    """B = 64, L = 1024: 1025 to 1088 samples, 21.4 to 22.7 ms (worked example); two 240 apart cancel 100 and 300 Hz."""
    bench = hosted(ahead="long")
    late = by_hand(read(bench.rig).found, program_of(bench, "Soundcase"))
    assert late is not None
    assert (late.least_samples, late.most_samples) == (1025, 1088)
    (view,) = together(read(bench.rig)).hosted
    assert view.told == "played by hand it sounds 21.4 to 22.7 ms late; replayed in time"
    assert notches_hz(240 / 48_000, count=3) == pytest.approx((100, 300, 500))
    frequency, response = freqz([1] + [0] * 239 + [1], worN=1 << 14, fs=48_000)
    loud = np.abs(response)
    dips = frequency[1:-1][(loud[1:-1] < loud[:-2]) & (loud[1:-1] < loud[2:])]
    assert dips[:2] == pytest.approx([100, 300], abs=2)


def straight() -> Bench:
    """Alma in Longhand's mix, which Gangway takes by a cable and plays to headphones; two channels of it are free."""
    bench = Bench(Rig(name="Straight")).do(
        *gear_phrase("mic Alma"),
        *gear_phrase("box 4x4 Havra"),
        *gear_phrase("cable 4 Gully"),
        *gear_phrase("headphones Phones"),
        AddProgram(name="Longhand"),
        AddProgram(name="Gangway", program_kind="mixing program"),
    )
    havra, gully, phones = bench.id("Havra"), bench.id("Gully"), bench.id("Phones")
    longhand, gangway = bench.id("Longhand"), bench.id("Gangway")
    bench.do(
        SetValues(item=gully, values={"follows": havra}),
        SetValues(item=havra, values={"phantom_on": [1]}),
        JoinDevices(name="Hall", members=(Member(device=havra), Member(device=gully))),
    )
    bench.do(
        *(SetDevice(program=each, device=bench.id("Hall")) for each in (longhand, gangway)),
        Plug(from_port=bench.out("Alma"), to_port=Port(havra, "jack_in", 1)),
        *(Plug(from_port=Port(havra, "jack_out", n), to_port=Port(phones, "in", n)) for n in (1, 2)),
        AddProgramPorts(program=longhand, names=("Alma",), first_channel=1),
        AddProgramPorts(program=longhand, side="output", names=("Mix",), width=2, first_channel=5),
        AddProgramPorts(program=gangway, names=("Mix",), width=2, first_channel=5),
        AddProgramPorts(program=gangway, side="output", names=("Ears",), width=2, first_channel=1),
    )
    sender, mixer = program_of(bench, "Longhand"), program_of(bench, "Gangway")
    ends = tuple(Port(phones, "in", n) for n in (1, 2))
    return bench.do(
        AddBuses(program=longhand, names=("Room",), output=sender.outputs[0].id, ids=("new1",)),
        SetValues(item="new1", values={"effect_delay_samples": 480}),
        AddTracks(program=longhand, names=("Alma",), inputs=(sender.inputs[0].id,), output="new1", monitored=True),
        AddTracks(
            program=gangway,
            names=("Mix",),
            width=2,
            inputs=(mixer.inputs[0].id,),
            output=mixer.outputs[0].id,
            monitored=True,
            armed=False,
        ),
        AddLine(name="Alma, heard", purpose="listen", from_ports=(bench.out("Alma"),), to_ports=ends),
    )


def test_one_channel_goes_straight_across_for_the_shortest_delay_and_is_set_back() -> None:
    bench = straight()
    before = bench.rig
    late = bench.line("Alma, heard").delays()[0].exact_samples
    alma, gangway = bench.track("Alma"), bench.id("Gangway")
    bench.do(SendStraight(item=alma, to=gangway))
    heard = bench.line("Alma, heard")
    assert heard.headline == "arrives"
    assert late - heard.delays()[0].exact_samples == 480
    assert run_line_check(bench.rig).ledger.as_wanted == 1
    with pytest.raises(Refused, match="sent straight across already"):
        bench.do(SendStraight(item=alma, to=gangway))
    bench.do(SetBack(item=alma))
    assert bench.rig.gear == before.gear
    with pytest.raises(Refused, match="not sent straight across"):
        bench.do(SetBack(item=alma))


def test_a_straight_channel_left_in_place_beside_the_mix_is_doubled_and_set_back() -> None:
    bench = straight()
    alma = bench.track("Alma")
    bench.do(SendStraight(item=alma, to=bench.id("Gangway")))
    bench.do(AddSends(program=bench.id("Longhand"), items=(alma,), to=program_of(bench, "Longhand").buses[0].id))
    assert bench.line("Alma, heard").headline == "doubled"
    (snag,) = bench.snags("line-doubled")
    remedies = tried_remedies(bench.rig, snag)
    words = [each.words for each in remedies]
    assert "Set track Alma back to Room" in words
    bench.do(*remedies[words.index("Set track Alma back to Room")].edits)
    assert bench.line("Alma, heard").headline == "arrives"
    assert [item.name for item in program_of(bench, "Longhand").outputs] == ["Mix"]
    assert [track.name for track in program_of(bench, "Gangway").tracks] == ["Mix"]


def test_straight_across_needs_a_way_and_room() -> None:
    bench = straight()
    alma, gangway = bench.track("Alma"), bench.id("Gangway")
    bench.do(AddProgramPorts(program=gangway, names=("Full",), width=2, first_channel=7))
    with pytest.raises(Refused, match="has a channel free"):
        bench.do(SendStraight(item=alma, to=gangway))
    bench.do(SetDevice(program=gangway, device=None))
    with pytest.raises(Refused, match="must both have devices"):
        bench.do(SendStraight(item=alma, to=gangway))


def test_names_travel_where_that_is_wanted() -> None:
    """Source, input, track and line of one name: changed at any of them, they stay one."""
    bench = straight()
    source = bench.id("Alma")
    bench.do(SetValues(item=source, values={"name": "Cassia"}))
    assert bench.track("Alma")
    bench.do(SetValues(item=source, values={"name": "Alma"}), SetValues(item="rig", values={"names_travel": True}))
    applied = apply(bench.rig, (SetValues(item=bench.track("Alma"), values={"name": "Dov"}),))
    assert applied.words == "Longhand, Alma: renamed to Dov, and 3 more of that name"
    named = Bench(applied.rig)
    assert named.track("Dov")
    assert named.rig_gear("Dov")
    assert named.line("Dov, heard")


def test_names_that_follow_never_make_two_of_one_name_and_halves_follow_their_pair() -> None:
    bench = straight()
    longhand = bench.id("Longhand")
    bench.do(
        SetValues(item="rig", values={"names_travel": True}),
        AddTracks(program=longhand, names=("Keys", "Keys L", "Keys R", "Organ")),
        AddProgramPorts(program=longhand, names=("Keys",), width=2, first_channel=5),
    )
    alma = apply(bench.rig, (SetValues(item=bench.id("Alma"), values={"name": "Keys"}),))
    program = next(gear for gear in alma.rig.gear if gear.id == longhand)
    for items in (program.inputs, program.tracks):
        names = [item.name.casefold() for item in items]
        assert len(names) == len(set(names))
    assert "stays where there is a Keys already" in alma.words
    bench.do(SetValues(item=bench.track("Keys"), values={"name": "Piano"}))
    names = {item.name for item in (*bench.program().inputs, *bench.program().tracks)}
    assert {"Piano", "Piano L", "Piano R"} <= names
    assert not {"Keys", "Keys L", "Keys R"} & names


def test_voices_get_outputs_of_their_own_in_one_step() -> None:
    bench = Bench(Rig(name="Pads")).do(*gear_phrase("cable 8 Gully"), *gear_phrase("sampler Soundcase 4"))
    soundcase = program_of(bench, "Soundcase")
    bench.do(SpreadVoices(program=soundcase.id))
    outputs = program_of(bench, "Soundcase").outputs
    assert [(item.name, item.legs) for item in outputs] == [
        ("Pad 1", (1, 2)),
        ("Pad 2", (3, 4)),
        ("Pad 3", (5, 6)),
        ("Pad 4", (7, 8)),
    ]
    assert [voice.output for voice in program_of(bench, "Soundcase").voices] == [item.id for item in outputs]
    # Of one alone, the others stay together.
    again = Bench(bench.rig).do(SpreadVoices(program=soundcase.id, voices=(soundcase.voices[1].id,), first_channel=5))
    assert next(item.legs for item in program_of(again, "Soundcase").outputs if item.name == "Pad 2") == (5, 6)


def test_a_voice_that_has_an_output_of_its_own_keeps_it_and_its_return() -> None:
    bench = joined(hosted())
    soundcase, longhand = program_of(bench, "Soundcase"), program_of(bench, "Longhand")
    with pytest.raises(Refused, match="no voice without an output of its own"):
        bench.do(SpreadVoices(program=soundcase.id))
    bench.do(AddVoices(program=soundcase.id, names=("Pad 3", "Pad 4"), output=soundcase.outputs[0].id))
    kept = soundcase.voices[1].output if soundcase.voices[1].output != soundcase.outputs[0].id else None
    bench.do(SpreadVoices(program=soundcase.id))
    outputs = [voice.output for voice in program_of(bench, "Soundcase").voices]
    assert len(set(outputs)) == 4
    assert kept is None or kept in outputs
    returned = {item.returns for item in program_of(bench, "Longhand").inputs}
    assert {voice.output for voice in soundcase.voices if outputs.count(voice.output)} <= returned
    assert len(longhand.inputs) == 2


def heard_in_time(**fields: object) -> Bench:
    """A pad of Soundcase is monitored in Longhand and heard within 10 ms, its sound by itself long before."""
    bench = joined(hosted(**fields))
    bench.do(
        *gear_phrase("headphones Phones"),
        SetValues(item=program_of(bench, "Longhand").tracks[0].id, values={"monitored": True}),
    )
    bench.do(*batch(bench.rig, BatchRequest(sources="pad 1", heard_at="phones", within="10")))
    return joined(bench)


def test_a_limit_that_playing_by_hand_misses_is_told_though_the_sound_is_in_time() -> None:
    """1024 samples ahead and a block of 64 are 22.67 ms, and the sound is heard 4 ms later."""
    bench = heard_in_time(ahead="long")
    assert bench.line("Pad 1, heard").headline == "arrives"
    (snag,) = bench.snags("played-by-hand-is-late")
    sound_ms = max(delay.most_ms for delay in bench.line("Pad 1, heard").delays())
    assert f"is heard up to {1088 / 48 + sound_ms:.1f} ms late, over the limit of 10 ms" in snag.title
    assert snag.lines == (bench.line("Pad 1, heard").line.id,)
    remedy = tried_remedies(bench.rig, snag)[0]
    assert remedy.words == "Let Soundcase work with its short buffer of 0"
    bench.do(*remedy.edits)
    assert not bench.snags("played-by-hand-is-late")
    assert bench.line("Pad 1, heard").headline == "arrives"


def test_a_smaller_buffer_is_offered_where_the_block_of_the_leader_is_too_long_to_play_by() -> None:
    """A block of 256 is waited for twice on the way out of a device at 256, and once more by the note."""
    bench = heard_in_time(buffer_samples=256)
    line = bench.line("Pad 1, heard")
    limit = 1 + max(delay.most_ms for delay in line.delays())
    bench.do(SetValues(item=line.line.id, values={"longest_delay_ms": limit}))
    (snag,) = bench.snags("played-by-hand-is-late")
    remedy = tried_remedies(bench.rig, snag)[0]
    assert remedy.words.startswith("Set the buffer of Havra")
    bench.do(*remedy.edits)
    assert not bench.snags("played-by-hand-is-late")


@pytest.mark.parametrize("limit", [4.0, 10.0, 40.0])
@pytest.mark.parametrize("ahead", ["short", "long"])
def test_it_is_told_if_and_only_if_key_to_ear_is_over_the_limit(limit: float, ahead: str) -> None:
    bench = heard_in_time(ahead=ahead, short_samples=100)
    line = bench.line("Pad 1, heard")
    bench.do(SetValues(item=line.line.id, values={"longest_delay_ms": limit}))
    sound_ms = max(delay.most_ms for delay in line.delays())
    over = sound_ms + ((1024 if ahead == "long" else 100) + 64) / 48 > limit
    assert bool(bench.snags("played-by-hand-is-late")) == (over and sound_ms <= limit)


def test_a_hosted_take_that_is_moved_by_a_round_trip_it_never_made_lies_early() -> None:
    """370 samples at 48 kHz are 7.708 ms."""
    bench = joined(hosted(ahead="long"))
    assert not bench.snags("hosted-takes-lie-off")
    bench.do(SetValues(item=bench.id("Longhand"), values={"compensates_samples": 370}))
    (snag,) = bench.snags("hosted-takes-lie-off")
    assert "Pad 1, Pad 2 of Longhand lie 370.00 samples early (7.708 ms" in snag.title
    assert len(snag.lines) == 2
    (remedy,) = snag.mend()
    assert not Bench(bench.rig).do(*remedy.edits).snags("hosted-takes-lie-off")
    bench.do(*gear_phrase("mic Alma"))
    joined(bench.do(*batch(bench.rig, BatchRequest(sources="alma", record_to="longhand new"))))
    (snag,) = bench.snags("hosted-takes-lie-off")
    # The microphone needs what the pads do not: no one figure serves both.
    assert not snag.mend()
    assert snag.consequence == "They must be moved by hand, every one."
    assert program_of(bench, "Longhand").tracks[-1].id not in snag.items


def test_takes_that_lie_alike_are_one_snag_and_those_that_follow_a_clock_are_told_with_it() -> None:
    """Where a program follows the clock of what runs in it, its clips are told with that link, and only there."""
    bench = joined(hosted())
    longhand, soundcase = program_of(bench, "Longhand"), program_of(bench, "Soundcase")
    bench.do(SetValues(item=longhand.id, values={"compensates_samples": 96}))
    (snag,) = bench.snags("hosted-takes-lie-off")
    assert "96.00 samples early (2.000 ms" in snag.title
    assert set(snag.items) == {longhand.id, *(track.id for track in longhand.tracks)}
    bench.do(AddSync(sender=soundcase.id, receiver=longhand.id))
    assert not bench.snags("hosted-takes-lie-off")
    bench.do(SetValues(item=longhand.id, values={"compensates_samples": 0}))
    assert not bench.snags("hosted-takes-lie-off")


def test_pads_that_are_recorded_and_heard_are_planned_without_meeting_on_their_tracks() -> None:
    """The cheapest way for the second was to send it to the first's output as well, onto the first's track."""
    bench = hosted()
    bench.do(*gear_phrase("headphones Phones"))
    bench.do(*batch(bench.rig, BatchRequest(sources="pad 1-2", heard_at="phones", within="10")))
    joined(bench)
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)
    # Taken away, the second is brought back by the first remedy of its snag.
    bench.do(SetValues(item=program_of(bench, "Longhand").tracks[1].id, values={"monitored": False, "output": None}))
    (snag,) = bench.snags("line-silent")
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
