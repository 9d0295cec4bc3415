"""What hangs in tracks, buses and strips: typed, sent out and back, snagged, measured by sound."""

from fractions import Fraction

import numpy as np
import pytest
import scipy.signal
from hypothesis import assume, given, settings
from numpy.typing import NDArray

from drawn import drawn
from iskelo.core.edits.additions import AddBuses, AddTracks, AddVoices
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import (
    EnableChannels,
    Plug,
    Remove,
    SetLeg,
    SetOutputTrim,
    SetTrim,
    SetValues,
    TypeProgramInsert,
)
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.insert_view import insert_views
from iskelo.core.linecheck.measuring import measure_insert
from iskelo.core.linecheck.run import CannotCheck, run_line_check
from iskelo.core.lines.context import read
from iskelo.core.lines.inserts import hung_in, round_trip, trips_of
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.planner.insert_figures import InsertFigureRequest, settle_insert
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.index import index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import HeldTrip, ProgramInsert, Track
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey, survey_again
from iskelo.core.twin.run import run_twin
from rigs import Bench, any_rig, as_one_speed, heard, two_voices


def pressed(text: str = "Anvil press", delay_samples: int = 77) -> Bench:
    """Alma heard through her track, in which outboard gear hangs that takes so long."""
    bench = heard(two_voices(), "Alma")
    bench.do(*gear_phrase("compressor Anvil press"))
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    bench.do(SetValues(item=bench.id("Anvil press"), values={"delay_samples": delay_samples}))
    return bench.do(TypeProgramInsert(item=bench.track("T Alma"), text=text))


def insert_of(bench: Bench) -> ProgramInsert:
    item = index(bench.rig).items[bench.track("T Alma")].item
    assert isinstance(item, Track)
    assert item.insert is not None
    return item.insert


def titles(bench: Bench) -> dict[str, str]:
    return {snag.rule: snag.title for snag in survey(bench.rig).snags}


def mended(bench: Bench, rule: str, remedy: int = 0) -> str:
    """Make a remedy of the snag of this rule; its words."""
    known = survey_again(bench.rig, None)
    snag = next(each for each in known.snags if each.rule == rule)
    chosen = tried_remedies(bench.rig, snag, known)[remedy]
    bench.do(*chosen.edits)
    return chosen.words


def test_outboard_gear_by_name_is_plugged_named_and_levelled_in_one_step() -> None:
    bench = pressed()
    insert = insert_of(bench)
    found = index(bench.rig)
    assert found.name(insert.send) == "To Anvil press"
    assert found.name(insert.back) == "From Anvil press"
    box = bench.id("Box")
    assert {(patch.from_port, patch.to_port) for patch in bench.rig.patches} >= {
        (Port(box, "jack_out", 3), Port(bench.id("Anvil press"), "outboard_in", 1)),
        (Port(bench.id("Anvil press"), "outboard_out", 1), Port(box, "jack_in", 3)),
    }
    assert titles(bench) == {}
    (row, *_) = insert_views(read(bench.rig), found.programs()[0])
    assert row.trip is not None
    assert row.trip.way == "Box jack out 3 › Anvil press › Box jack in 3"
    assert row.trip.gain_db == pytest.approx(0.0)


@pytest.mark.parametrize(
    ("text", "on", "dry_db", "parallel"),
    [
        ("anv", True, None, False),
        ("out 3 in 3 dry -6", True, -6.0, False),
        ("out 3 › in 3, dry, parallel, bypassed", False, 0.0, True),
        ("To Anvil press › From Anvil press dry −3.5", True, -3.5, False),
        ("bypassed", False, None, False),
        ("dry -9 parallel", True, -9.0, True),
    ],
)
def test_an_insert_is_typed_in_many_ways(text: str, on: bool, dry_db: float | None, parallel: bool) -> None:
    bench = pressed()
    send = insert_of(bench).send
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text=text))
    insert = insert_of(bench)
    assert (insert.send, insert.on, insert.dry_db, insert.parallel) == (send, on, dry_db, parallel)
    (row, *_) = insert_views(read(bench.rig), index(bench.rig).programs()[0])
    again = bench.rig
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text=row.phrase))
    assert bench.rig == again


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("Hammer", "there is no outboard gear 'Hammer'"),
        ("out 99 in 3", "99"),
        ("12", "there is no outboard gear '12'"),
        ("To tape > From tape", "'To tape' is no port"),
        ("out 3 in 3 parallel", "parallel is said of a dry path"),
    ],
)
def test_what_cannot_hang_there_is_refused_in_place(text: str, reason: str) -> None:
    bench = pressed()
    with pytest.raises(Refused) as refused:
        bench.do(TypeProgramInsert(item=bench.track("T Alma"), text=text))
    assert reason in f"{refused.value}"


def test_gear_that_is_heard_elsewhere_as_well_hangs_by_its_jacks() -> None:
    bench = pressed("Anvil press")
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="none"))
    bench.do(*gear_phrase("headphones Beside"))
    press = bench.id("Anvil press")
    # The lead to the ears stands before the one back into the box.
    back = next(patch for patch in bench.rig.patches if patch.from_port == Port(press, "outboard_out", 1))
    bench.do(
        Remove(items=(back.id,)),
        Plug(from_port=Port(press, "outboard_out", 1), to_port=Port(bench.id("Beside"), "in", 1)),
        Plug(from_port=back.from_port, to_port=back.to_port),
    )
    leads = bench.rig.patches
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="Anvil press"))
    assert bench.rig.patches == leads
    assert index(bench.rig).name(insert_of(bench).back) == "From Anvil press"


def test_one_piece_of_gear_hangs_in_one_place_and_stereo_needs_stereo() -> None:
    bench = pressed()
    bench.do(SetValues(item=bench.track("T Bertil"), values={"monitored": True}))
    with pytest.raises(Refused, match="hangs in T Alma already"):
        bench.do(TypeProgramInsert(item=bench.track("T Bertil"), text="Anvil press"))
    bench.do(AddBuses(program=bench.id("Recorder"), names=("Sum",), output=bench.id("Main")))
    with pytest.raises(Refused, match="Anvil press is mono, and Sum is stereo"):
        bench.do(TypeProgramInsert(item=bench.id("Sum"), text="Anvil press"))


def test_gear_whose_name_ends_like_an_option_is_found_by_its_whole_name() -> None:
    bench = pressed()
    bench.do(*gear_phrase("compressor Extra dry"), SetValues(item=bench.track("T Bertil"), values={"monitored": True}))
    bench.do(TypeProgramInsert(item=bench.track("T Bertil"), text="Extra dry"))
    item = index(bench.rig).items[bench.track("T Bertil")].item
    assert isinstance(item, Track)
    assert item.insert is not None
    assert item.insert.dry_db is None


def test_without_its_output_an_insert_is_gone_and_that_is_said() -> None:
    bench = pressed()
    applied = apply(bench.rig, (Remove(items=(insert_of(bench).send,)),))
    assert "track T Alma loses its insert" in applied.words
    item = index(applied.rig).items[bench.track("T Alma")].item
    assert isinstance(item, Track)
    assert item.insert is None


def test_bypassed_and_in_are_two_states_of_one_line() -> None:
    bench = pressed()
    heard_in = next(each for each in survey(bench.rig).lines if each.name == "Alma heard")
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="bypassed"))
    past = next(each for each in survey(bench.rig).lines if each.name == "Alma heard")
    trip = round_trip(trips_of(read(bench.rig), next(hung_in(index(bench.rig)))))
    assert heard_in.latest_ms is not None
    assert past.latest_ms is not None
    assert trip is not None
    assert heard_in.latest_ms - past.latest_ms == pytest.approx(float(1000 * Fraction(trip) / 48_000))
    for text in ("in", "bypassed", "dry -6"):
        bench.do(TypeProgramInsert(item=bench.track("T Alma"), text=text))
        ledger = run_line_check(bench.rig).ledger
        assert ledger.agreeing == len(ledger.targets)


def test_a_dry_path_makes_two_copies_a_round_trip_apart_unless_it_is_meant() -> None:
    bench = pressed("Anvil press dry -6")
    line = next(each for each in survey(bench.rig).lines if each.name == "Alma heard")
    assert line.headline == "doubled"
    assert mended(bench, "line-doubled") == "Close the dry path beside the insert of track T Alma"
    assert titles(bench) == {}
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="dry -6 parallel"))
    line = next(each for each in survey(bench.rig).lines if each.name == "Alma heard")
    assert line.headline == "arrives"
    assert all(each.proved for each in run_line_check(bench.rig).ledger.lines)


def test_a_lead_that_is_out_silences_it_and_is_plugged_again() -> None:
    for bank in ("outboard_out", "jack_out"):
        bench = pressed()
        lead = next(p for p in bench.rig.patches if p.from_port.bank == bank and p.to_port.bank != "in")
        bench.do(Remove(items=(lead.id,)))
        assert titles(bench) == {"insert-open": "The insert of track T Alma is in, and nothing comes back"}
        assert mended(bench, "insert-open").startswith("Plug ")
        assert titles(bench) == {}
    bench.do(EnableChannels(program=bench.id("Recorder"), side="output", channels=(3,), on=False))
    assert mended(bench, "insert-open") == "Enable output channel 3 in Recorder"
    bench.do(Remove(items=(bench.id("Anvil press"),)))
    assert mended(bench, "insert-open") == "Bypass the insert of track T Alma"
    assert titles(bench) == {}


def test_an_output_that_came_up_20_db_down_is_turned_up_where_it_is() -> None:
    bench = pressed().do(SetOutputTrim(interface=pressed().id("Box"), jack_out=3, trim_db=-20))
    assert titles(bench)["insert-level"] == "The insert of track T Alma comes back 20 dB softer"
    assert mended(bench, "insert-level") == "Turn the trim of Box jack out 3 to 0 dB, 20 dB up"
    assert titles(bench) == {}
    bench.do(SetTrim(interface=bench.id("Box"), jack_in=3, trim_db=38))
    assert "louder" in titles(bench)["insert-level"]
    assert mended(bench, "insert-level") == "Turn the trim of Box jack in 3 to 0 dB, 38 dB down"


def test_a_microphone_in_the_return_and_a_mix_on_the_send_are_told() -> None:
    bench = pressed()
    box, recorder = bench.id("Box"), bench.id("Recorder")
    kept = bench.rig
    bench.do(SetLeg(item=bench.id("Main"), leg=2, channel=3))
    assert "Main R plays to Box playback 3 too" in titles(bench)["insert-shared"]
    bench.rig = kept
    back = next(p for p in bench.rig.patches if p.from_port.bank == "outboard_out")
    bench.do(
        Remove(items=(back.id,)),
        Plug(from_port=bench.out("Bertil"), to_port=Port(box, "jack_in", 3)),
        Remove(items=tuple(p.id for p in bench.rig.patches if p.from_port == bench.out("Bertil"))),
    )
    assert "Bertil comes in by Box jack in 3 too" in titles(bench)["insert-shared"]
    assert recorder in {each.id for each in bench.rig.gear}


def test_a_program_that_compensates_has_to_know_how_long_it_takes() -> None:
    bench = pressed()
    bench.do(SetValues(item=bench.track("T Bertil"), values={"monitored": True, "output": bench.id("Main")}))
    bench.do(SetValues(item=bench.id("Recorder"), values={"delay_compensation": True}))
    item = bench.track("T Alma")
    assert "insert-figure" in titles(bench)
    for origin in ("reported", "computed"):
        bench.do(*settle_insert(read(bench.rig), InsertFigureRequest(item=item, origin=origin)))
        assert ("insert-figure" in titles(bench)) is (origin == "reported")
    # Another buffer, and back: the figure holds where it was taken.
    driver = index(bench.rig).boxes[0].drivers[0]
    bench.do(SetValues(item=driver.id, values={"buffer_samples": 2 * driver.buffer_samples}))
    snag = next(each for each in survey(bench.rig).snags if each.rule == "insert-figure")
    assert f"at a buffer of {driver.buffer_samples}" in snag.evidence
    assert mended(bench, "insert-figure").startswith("Count with ")
    assert "insert-figure" not in titles(bench)
    ledger = run_line_check(bench.rig).ledger
    assert ledger.agreeing == len(ledger.targets)


def test_what_others_wait_for_is_what_is_known_and_no_more() -> None:
    """Two copies of one voice, one of them through the insert, lie together only if the figure is right."""
    bench = pressed()
    program, main = bench.id("Recorder"), bench.id("Main")
    source = index(bench.rig).items[bench.track("T Alma")].item
    assert isinstance(source, Track)
    bench.do(SetValues(item=program, values={"delay_compensation": True}))
    bench.do(AddTracks(program=program, names=("Beside",), inputs=(source.input,), output=main, monitored=True))
    right = round_trip(trips_of(read(bench.rig), next(hung_in(index(bench.rig)))))
    assert isinstance(right, int)
    for samples, apart in ((None, True), (300, True), (right, False)):
        held = HeldTrip(rate_hz=48_000, buffer_samples=128, samples=samples) if samples is not None else None
        insert = insert_of(bench).model_copy(update={"held": held})
        bench.do(SetValues(item=source.id, values={"insert": insert.model_dump(mode="json")}))
        leg = next(each for each in read(bench.rig).lines if each.line.name == "Alma heard").legs[0]
        gap = leg.arrivals[1].delay.seconds - leg.arrivals[0].delay.seconds
        assert (gap != 0) is apart


def test_a_measured_round_trip_is_held_and_the_gear_takes_what_is_left() -> None:
    bench = pressed(delay_samples=0)
    item = bench.track("T Alma")
    computed = round_trip(trips_of(read(bench.rig), next(hung_in(index(bench.rig)))))
    assert isinstance(computed, int)
    bench.do(*settle_insert(read(bench.rig), InsertFigureRequest(item=item, samples=computed + 123)))
    press = index(bench.rig).gear[bench.id("Anvil press")]
    assert isinstance(press, Outboard)
    assert (press.delay_samples, press.origins["delay_samples"]) == (123, "measured")
    held = HeldTrip(rate_hz=48_000, buffer_samples=128, samples=computed + 123)
    assert insert_of(bench).held == held
    with pytest.raises(Refused, match=f"less than the {computed} that buffers and converters take"):
        settle_insert(read(bench.rig), InsertFigureRequest(item=item, samples=computed - 1))
    step = next(each for each in set_up_list(read(bench.rig)) if each.key == f"insert:{item}")
    assert step.settings == ("out by To Anvil press", "back by From Anvil press", "in")


def test_another_way_back_forgets_the_figure_and_one_figure_leaves_the_others_their_origin() -> None:
    bench = pressed()
    item, press = bench.track("T Alma"), bench.id("Anvil press")
    bench.do(SetValues(item=press, values={"highest_dbu": 24.0}, origin="described"))
    bench.do(*settle_insert(read(bench.rig), InsertFigureRequest(item=item, samples=500)))
    gear = index(bench.rig).gear[press]
    assert isinstance(gear, Outboard)
    assert gear.origins == {"delay_samples": "measured", "highest_dbu": "described"}
    applied = apply(bench.rig, (SetValues(item=press, values={"delay_samples": gear.delay_samples}, origin="typed"),))
    assert applied.words == "Anvil press: delay (samples) is typed now"
    bench.do(TypeProgramInsert(item=item, text="out 3 in 4"))
    assert insert_of(bench).held is None


@given(any_rig(busy=True, back=True))
@settings(max_examples=drawn(40))
def test_the_measuring_run_finds_what_is_computed_to_the_sample(rig: Rig) -> None:
    """On any rig: the round trip, its level and its polarity by sound, against the sum of its hops."""
    rig = as_one_speed(rig)
    reading = read(rig)
    assume(not reading.graph.knots)
    for hung in hung_in(reading.found):
        trips = trips_of(reading, hung)
        if hung.program is None or any(trip.more for trip in trips) or round_trip(trips) is None:
            continue
        try:
            heard_back = measure_insert(rig, hung.owner)
        except CannotCheck:
            # Too soft to be heard beside the converters' noise.
            assert min(trip.gain_db for trip in trips) < -100
            continue
        trip = round_trip(trips)
        assert trip is not None
        assert heard_back.samples == pytest.approx(float(trip), abs=0.5)


class Noise:
    """A voice of white noise, alike at every listening."""

    def __init__(self, count: int) -> None:
        self.wave = 0.1 * np.random.default_rng(1).standard_normal(count).astype(np.float32)

    def samples(self, rate_hz: int, start: int, count: int) -> NDArray[np.float32]:
        return np.pad(self.wave, (0, start + count))[start : start + count]


def test_the_measuring_run_against_a_cross_correlation() -> None:
    """Against scipy.signal.correlate, over noise that a voice plays into the send and a track takes from the return."""
    bench = pressed(delay_samples=321)
    measured = measure_insert(bench.rig, bench.track("T Alma"))
    program, insert = bench.id("Recorder"), insert_of(bench)
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="bypassed"))
    bench.do(AddVoices(program=program, names=("Noise",), width=1, output=insert.send))
    bench.do(AddTracks(program=program, names=("Back",), inputs=(insert.back,)))
    noise, voice = Noise(24_000), Port(bench.id("Noise"), "voice", 1)
    take = run_twin(bench.rig, {voice: noise}, 1.0)
    taken = next(each for each in take if each.port == Port(bench.track("Back"), "track", 1))
    lag = int(np.argmax(np.abs(scipy.signal.correlate(taken.samples, noise.wave, "full", "fft"))))
    assert lag - (len(noise.wave) - 1) == round(measured.samples)


def test_nothing_comes_back_and_the_measuring_run_says_so() -> None:
    bench = pressed()
    bench.do(Remove(items=(bench.id("Anvil press"),)))
    with pytest.raises(CannotCheck, match="Nothing came back"):
        measure_insert(bench.rig, bench.track("T Alma"))
    bench.do(TypeProgramInsert(item=bench.track("T Alma"), text="none"))
    with pytest.raises(CannotCheck, match="Nothing hangs there"):
        measure_insert(bench.rig, bench.track("T Alma"))
