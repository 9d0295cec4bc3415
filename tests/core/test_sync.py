"""Sync: clocks between programs, where clips lie that one records of another, and nought after the trim."""

import io
import itertools
from fractions import Fraction

import mido
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.edits.additions import AddProgram, AddSync
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import Remove, SetCable, SetDevice, SetValues
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.clips import SyncState, sync_states
from iskelo.core.lines.context import read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.index import index
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.snags.syncs import trim_ms
from iskelo.core.sync_view import together
from iskelo.core.timing.sync import CLOCKS_PER_QUARTER, drift_ms_per_bar, jitter_samples, tick_samples
from iskelo.core.twin.run import run_twin
from iskelo.core.twin.told import Synced
from iskelo.core.words.sync import say_clip
from iskelo.formats.refusal import Unreadable
from iskelo.formats.song_file import read_song, song_edit, write_song
from rigs import Bench, batch


def beds(played: int = 256, taken: int = 256, margin: int = 16) -> Bench:
    """Cartwheel plays into a cable and Longhand records that, following its clock; nothing is stamped."""
    bench = Bench(Rig(name="Beds")).do(
        *gear_phrase("cable 8 Gully"), *gear_phrase("player Cartwheel 1"), *gear_phrase("recorder Longhand")
    )
    gully, cartwheel, longhand = bench.id("Gully"), bench.id("Cartwheel"), bench.id("Longhand")
    bench.do(
        SetCable(cable=gully, values={"margin_samples": margin}),
        SetDevice(program=cartwheel, device=gully),
        SetDevice(program=longhand, device=gully),
        SetValues(item=cartwheel, values={"buffer_samples": played}),
        SetValues(item=longhand, values={"buffer_samples": taken}),
    )
    bench.do(*batch(bench.rig, BatchRequest(sources="deck", record_to="longhand new")))
    joining = join_all(read(bench.rig))
    assert joining is not None
    return bench.do(*joining.edits, AddSync(sender=cartwheel, receiver=longhand))


def link_of(bench: Bench) -> SyncLink:
    return program_of(bench, "Longhand").syncs[0]


def state_of(bench: Bench) -> SyncState:
    return next(iter(sync_states(read(bench.rig))))


def program_of(bench: Bench, name: str) -> Program:
    gear = bench.rig_gear(name)
    assert isinstance(gear, Program)
    return gear


def set_link(bench: Bench, **values: object) -> Bench:
    return bench.do(SetValues.model_validate({"item": link_of(bench).id, "values": values}))


@pytest.mark.parametrize(
    ("sent", "read_", "at_call", "least", "most"),
    [
        ("stamped", "stamped", True, 272, 272),
        ("at block edges", "stamped", True, 272, 272),
        ("at block edges", "stamped", False, 272, 527),
        ("stamped", "at block edges", True, 272, 527),
        ("at block edges", "at block edges", True, 272, 527),
        ("at block edges", "at block edges", False, 272, 782),
    ],
)
def test_a_clip_lies_by_what_the_design_works_out(sent: str, read_: str, at_call: bool, least: int, most: int) -> None:
    """256 and 256, margin 16: 272 samples = 5.667 ms stamped, 272 to 527 or 782 by the calls (worked examples)."""
    bench = set_link(beds(), sent=sent, read=read_, begins_at_call=at_call)
    (clip,) = state_of(bench).clips
    assert (clip.least_samples, clip.most_samples) == (least, most)


def test_what_lies_off_is_told_in_samples_ms_and_beats_and_trimmed_to_nought() -> None:
    bench = set_link(beds(), sent="stamped", read="stamped")
    (snag,) = bench.snags("clips-lie-off")
    assert snag.title == "Clips of Cartwheel lie 272.00 samples late (5.667 ms, 0.011 beat) on Longhand"
    remedies = tried_remedies(bench.rig, snag)
    assert remedies[0].words == "Set the sync offset to 5.667 ms"
    before = run_line_check(bench.rig).ledger
    assert [(row.measured, row.agrees, row.in_time) for row in before.clips] == [(272, True, False)]
    bench.do(*remedies[0].edits)
    assert not bench.snags("clips-lie-off")
    after = run_line_check(bench.rig).ledger
    (row,) = after.clips
    assert row.in_time
    assert abs(row.measured or 1) < 0.05
    assert row.words == "in time"
    assert after.as_wanted == after.wanted == 1


def test_what_lies_elsewhere_at_every_start_is_stamped_first() -> None:
    bench = beds()
    (snag,) = bench.snags("clips-lie-off")
    assert "5.7 to 11.0 ms late" in snag.title
    assert "elsewhere at every start" in snag.consequence
    remedies = tried_remedies(bench.rig, snag)
    assert remedies[0].words == "Let messages be stamped, and set the sync offset to 5.667 ms"
    bench.do(*remedies[0].edits)
    assert not bench.snags("clips-lie-off")
    assert (link_of(bench).sent, link_of(bench).read) == ("at block edges", "stamped")
    assert run_line_check(bench.rig).ledger.clips[0].in_time


def test_a_whole_round_trip_that_the_recorder_takes_off_is_too_much() -> None:
    """From a cable nothing ought to be moved: what is, lies early by that much more."""
    bench = set_link(beds(), sent="stamped", read="stamped")
    bench.do(SetValues(item=bench.id("Longhand"), values={"compensates_samples": 600}))
    (clip,) = state_of(bench).clips
    assert clip.least_samples == 272 - 600
    assert say_clip(clip, 120) == "328.00 samples early (6.833 ms, 0.014 beat)"
    assert trim_ms(state_of(bench)) == pytest.approx(-6.833)


def test_programs_that_one_device_calls_at_once_are_exact_though_nothing_is_stamped() -> None:
    """Both on one box at one buffer: q is C, so a clip lies P + C - C of the loop later, the same at every start."""
    bench = Bench(Rig(name="One box")).do(
        *gear_phrase("box 4x4 Havra"), *gear_phrase("player Cartwheel 1"), *gear_phrase("recorder Longhand 2")
    )
    bench.do(AddSync(sender=bench.id("Cartwheel"), receiver=bench.id("Longhand")))
    begin = state_of(bench).begin
    assert begin is not None
    assert begin.least == begin.most == Fraction(128, 48_000)
    bench.do(SetValues(item=link_of(bench).id, values={"begins_at_call": False}))
    begin = state_of(bench).begin
    assert begin is not None
    assert (begin.least, begin.most) == (Fraction(1, 48_000), Fraction(128, 48_000))


@given(
    played=st.sampled_from([32, 64, 100, 256, 441]),
    taken=st.sampled_from([32, 64, 100, 256, 480]),
    margin=st.sampled_from([0, 16, 300]),
    ends=st.tuples(st.sampled_from(["stamped", "at block edges"]), st.sampled_from(["stamped", "at block edges"])),
    at_call=st.booleans(),
    moved=st.sampled_from([0, 17, 600]),
    offset_ms=st.sampled_from([0.0, 3.25, -10.0]),
    falling=st.booleans(),
)
@settings(max_examples=drawn(40))
def test_on_the_twin_every_clip_lies_where_it_is_predicted(
    played: int,
    taken: int,
    margin: int,
    ends: tuple[str, str],
    at_call: bool,
    moved: int,
    offset_ms: float,
    falling: bool,
) -> None:
    """Any blocks, margins, ways to mind time; ranges where it must be one, nought after the trim where it can be."""
    bench = set_link(
        beds(played, taken, margin), sent=ends[0], read=ends[1], begins_at_call=at_call, offset_ms=offset_ms
    )
    bench.do(SetValues(item=bench.id("Longhand"), values={"compensates_samples": moved}))
    if falling:
        bench.do(SetCable(cable=bench.id("Gully"), values={"start": "as it falls"}))
    state = state_of(bench)
    ledger = run_line_check(bench.rig).ledger
    (clip,), (row,) = state.clips, ledger.clips
    assert row.agrees
    assert row.measured is not None
    assert clip.least_samples - 0.5 <= row.measured <= clip.most_samples + 0.5
    trim = trim_ms(state)
    assert (trim is None) == (clip.least != clip.most)
    if trim is not None:
        assert run_line_check(set_link(bench, offset_ms=trim).rig).ledger.clips[0].in_time


@given(
    calls=st.tuples(st.sampled_from([64, 100, 256]), st.sampled_from([64, 128, 480])),
    ends=st.tuples(st.sampled_from(["stamped", "at block edges"]), st.sampled_from(["stamped", "at block edges"])),
    at_call=st.booleans(),
    engines=st.tuples(st.sampled_from([None, 48, 480]), st.sampled_from([None, 48, 480])),
)
@settings(max_examples=drawn(40))
def test_a_follower_begins_within_what_is_told_whatever_calls_it(
    calls: tuple[int, int], ends: tuple[str, str], at_call: bool, engines: tuple[int | None, int | None]
) -> None:
    """Boxes with and without an engine of their own, on one clock, over many starts."""
    bench = Bench(Rig(name="Two boxes")).do(*gear_phrase("box 4x4 Havra"), *gear_phrase("box 4x4 Corvane"))
    boxes = index(bench.rig).interfaces()
    for box, size, engine in zip(boxes, calls, engines, strict=True):
        values = {"engine_samples": engine, "buffers_samples": [size], "buffer_samples": size}
        bench.do(SetValues.model_validate({"item": box.drivers[0].id, "values": values}))
    bench.do(
        SetValues(item=boxes[1].id, values={"clock_source": "computer"}),
        SetValues(item=boxes[0].id, values={"clock_source": "computer"}),
        AddProgram(name="Cartwheel", program_kind="player", voices=("Bed",), device=boxes[0].id),
        AddProgram(name="Longhand", device=boxes[1].id),
        AddSync(sender=f"p{bench.rig.next_number}", receiver=f"p{bench.rig.next_number + 3}"),
    )
    set_link(bench, sent=ends[0], read=ends[1], begins_at_call=at_call)
    begin = state_of(bench).begin
    assert begin is not None
    for seed in range(6):
        told: list[Synced] = []
        run_twin(bench.rig, {}, 0.01, seed=seed, synced=told.append)
        assert begin.least <= told[0].after_s <= begin.most


def test_a_clock_is_what_the_standard_says() -> None:
    """MIDI 1.0: 24 clocks a quarter note; a DIN byte is 10 bits at 31 250 a second: 320 us, 15.36 samples at 48 kHz."""
    assert CLOCKS_PER_QUARTER == 24
    assert tick_samples(120, 48_000) == 1000
    assert mido.bpm2tempo(120) / 1e6 / 24 * 48_000 == pytest.approx(float(tick_samples(120, 48_000)))
    assert pytest.approx(320) == 10 / 31_250 * 1e6
    assert pytest.approx(15.36) == 10 / 31_250 * 48_000
    for message in ("clock", "start", "continue", "stop"):
        assert len(mido.Message(message).bytes()) == 1
    assert len(mido.Message("songpos", pos=4).bytes()) == 3


def test_tempos_apart_drift_by_so_much_a_bar() -> None:
    """Own 120 against 121: 16.5 ms earlier each bar of four (ruling); 50 ppm: a tenth of a millisecond."""
    assert drift_ms_per_bar(120, 121) == pytest.approx(-16.529, abs=1e-3)
    assert drift_ms_per_bar(120, 120 * (1 + 50e-6)) == pytest.approx(-0.1, abs=1e-3)


@pytest.mark.parametrize(("played", "taken"), [(256, 256), (256, 480), (64, 441)])
def test_the_jitter_of_clocks_is_below_what_is_told(played: int, taken: int) -> None:
    """Outside check, by mechanism: ticks sent at one's calls and seen at the other's, at any two phases."""
    bench = set_link(beds(played, taken), sent="at block edges", read="at block edges")
    most = jitter_samples(read(bench.rig).found, link_of(bench))
    assert most is not None
    tick, worst = Fraction(1000) + Fraction(618_033, 10**5), Fraction(0)
    for a, b in itertools.product((0, 7, played - 1), (0, 11, taken - 1)):
        late = []
        for n in range(200):
            sent = a + ((n * tick - a) // played) * played
            late.append(b + ((sent - b) // taken + 1) * taken - n * tick)
        worst = max(worst, max(late) - min(late))
    assert 0.8 * most < worst < most


def test_a_clock_that_is_not_minded_is_found_and_followed() -> None:
    bench = beds()
    longhand = bench.id("Longhand")
    bench.do(
        SetValues(item=longhand, values={"follows_clock": False}),
        SetValues(item=bench.id("Cartwheel"), values={"tempo_bpm": 121}),
    )
    (snag,) = bench.snags("clock-not-followed")
    assert "16.5 ms earlier" in snag.consequence
    assert not bench.snags("clips-lie-off")
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert program_of(bench, "Longhand").follows_clock
    assert not bench.snags("clock-not-followed")


def test_a_clock_that_nobody_sends_is_found_and_sent() -> None:
    bench = beds()
    set_link(bench, clock=False)
    (snag,) = bench.snags("clock-not-sent")
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert link_of(bench).clock
    bench.do(Remove(items=(link_of(bench).id,)))
    (snag,) = bench.snags("clock-not-sent")
    words = [each.words for each in tried_remedies(bench.rig, snag)]
    assert "Let Longhand hear the clock of Cartwheel" in words


def test_two_clocks_to_one_follower_are_found() -> None:
    bench = beds().do(*gear_phrase("player Second 1"))
    bench.do(AddSync(sender=bench.id("Second"), receiver=bench.id("Longhand")))
    (snag,) = bench.snags("two-clocks")
    assert "it reads 240 bpm" in snag.evidence
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert not bench.snags("two-clocks")


def test_followers_in_a_circle_have_no_leader() -> None:
    bench = beds()
    bench.do(AddSync(sender=bench.id("Longhand"), receiver=bench.id("Cartwheel")))
    (snag,) = bench.snags("followers-in-a-circle")
    assert "Nobody leads" in snag.title
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert not bench.snags("followers-in-a-circle")
    assert not program_of(bench, "Cartwheel").follows_clock


def test_notes_that_come_twice_are_found_and_come_once() -> None:
    bench = beds().do(*gear_phrase("sampler Soundcase 1"))
    cartwheel, longhand, soundcase = (bench.id(name) for name in ("Cartwheel", "Longhand", "Soundcase"))
    set_link(bench, notes=True)
    bench.do(
        AddSync(sender=longhand, receiver=soundcase, clock=False, notes=True),
        AddSync(sender=cartwheel, receiver=soundcase, clock=False, notes=True),
    )
    (snag,) = bench.snags("notes-come-twice")
    assert snag.title == "Notes of Cartwheel reach Soundcase 2 times"
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert not bench.snags("notes-come-twice")
    links = program_of(bench, "Soundcase").syncs
    bench.do(
        *(SetValues(item=each.id, values={"notes": each.sender == longhand}) for each in links),
        AddSync(sender=soundcase, receiver=longhand, clock=False, notes=True),
    )
    assert any("come back to it" in each.title for each in bench.snags("notes-come-twice"))


def test_links_are_refused_in_words_and_go_with_their_programs() -> None:
    bench = beds()
    cartwheel, longhand = bench.id("Cartwheel"), bench.id("Longhand")
    with pytest.raises(Refused, match="there is a link from Cartwheel already"):
        bench.do(AddSync(sender=cartwheel, receiver=longhand))
    with pytest.raises(Refused, match="cannot follow itself"):
        bench.do(AddSync(sender=longhand, receiver=longhand))
    applied = apply(bench.rig, (Remove(items=(cartwheel,)),))
    assert "Longhand loses a sync link" in applied.words
    assert apply(bench.rig, (SetValues(item=link_of(bench).id, values={"offset_ms": 2.5}),)).words.startswith(
        "sync link from Cartwheel to Longhand"
    )


def test_the_view_and_the_set_up_list_tell_each_link() -> None:
    bench = set_link(beds(), sent="stamped", read="stamped")
    (view,) = together(read(bench.rig)).syncs
    assert view.told == (
        "clips lie 272.00 samples late (5.667 ms, 0.011 beat): move them, or set the offset to 5.667 ms"
    )
    assert (view.tick_ms, view.trim_ms, view.jitter_ms) == (pytest.approx(1000 / 48), 5.667, 0.0)
    steps = [step for step in set_up_list(read(bench.rig)) if step.section == "Sync"]
    assert [step.words for step in steps] == ["Longhand: hear Cartwheel"]
    assert "clock, followed" in steps[0].settings


def test_a_song_is_written_and_read_as_a_standard_midi_file() -> None:
    bench = beds()
    values = {
        "tempo_bpm": 97.5,
        "later_tempos": [{"at_quarters": 16, "bpm": 120}, {"at_quarters": 32.5, "bpm": 60}],
        "markers": [{"at_quarters": 8, "name": "Lamp lit"}],
    }
    bench.do(SetValues.model_validate({"item": bench.id("Cartwheel"), "values": values}))
    data = write_song(program_of(bench, "Cartwheel"))
    song = read_song(data)
    assert song.tempo_bpm == pytest.approx(97.5, abs=1e-3)
    assert [(each.at_quarters, round(each.bpm, 2)) for each in song.later_tempos] == [(16, 120), (32.5, 60)]
    assert [(each.at_quarters, each.name) for each in song.markers] == [(8, "Lamp lit")]
    # A general library reads the same: a quarter note at 97.5 lasts 60/97.5 s.
    played = mido.MidiFile(file=io.BytesIO(data))
    assert played.length == pytest.approx(16 * 60 / 97.5 + 16.5 * 60 / 120, abs=1e-3)
    bench.do(song_edit(program_of(bench, "Longhand"), song))
    assert program_of(bench, "Longhand").markers == program_of(bench, "Cartwheel").markers
    for bad in (
        b"",
        b"RIFF",
        data[:20],
        b"MThd\x00\x00\x00\x06\x00\x00\x00\x01\xe7\x28MTrk\x00\x00\x00\x04\x00\xff\x2f\x00",
    ):
        with pytest.raises(Unreadable):
            read_song(bad)
