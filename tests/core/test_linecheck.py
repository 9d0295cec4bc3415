"""Line checks on the twin: the demo, and what each fault sounds like in the ledger."""

import pytest

from iskelo.core.edits.additions import AddInterface, AddSources
from iskelo.core.edits.edit import JoinDevices, Plug, SetDevice, SetDirect, SetLeg, SetValues
from iskelo.core.linecheck.rows import Ledger
from iskelo.core.linecheck.run import CannotCheck, run_line_check
from iskelo.core.lines.context import read
from iskelo.core.rig.gear import Member
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from iskelo.core.twin.run import Cancelled
from iskelo.demo.orrin_point import orrin_point
from rigs import Bench, ears, heard, two_voices


def ledger(bench: Bench) -> Ledger:
    return run_line_check(bench.rig).ledger


def target(found: Ledger, name: str):
    return next(row for row in found.targets if row.name == name)


@pytest.fixture(scope="module")
def demo() -> Ledger:
    return run_line_check(orrin_point()).ledger


def test_the_demo_opens_with_one_silent_one_drifting_one_doubled_and_one_late_line() -> None:
    headlines = [line.headline for line in survey(orrin_point()).lines]
    assert sorted(set(headlines)) == ["arrives", "doubled", "drifting", "late", "silent"]
    assert headlines.count("arrives") == len(headlines) - 4


def test_on_the_demo_the_measured_delay_equals_the_predicted_one_to_the_sample_for_every_line(demo: Ledger) -> None:
    reading = read(orrin_point())
    checked = 0
    for row in demo.targets:
        assert row.agrees
        for sound in row.sounds:
            for copy in sound.copies:
                # What passes from clock to clock is held to a sample, all else to a hundredth of one.
                tolerance = 1 if sound.drift_worst_ppm else 0.01
                assert copy.delay_samples == pytest.approx(copy.predicted_samples, abs=tolerance)
                assert copy.level_dbfs == pytest.approx(copy.predicted_level_dbfs, abs=0.05)
                assert copy.polarity == copy.predicted_polarity
                checked += 1
    wanted = sum(len(leg.arrivals) for state in reading.lines for leg in state.legs)
    assert checked == wanted + 1 + 2  # Cassia on Dov's track, the computer's beeps in both ears
    assert demo.agreeing == len(demo.targets)


def test_by_sound_the_same_lines_are_right_as_by_the_plan(demo: Ledger) -> None:
    planned = {line.id: line.headline == "arrives" for line in survey(orrin_point()).lines}
    assert {line.line: line.proved for line in demo.lines} == planned
    words = {line.name: line.words for line in demo.lines if not line.proved}
    assert words["Dov"] == "Dov is not heard at Longhand track 4 Dov"
    assert words["Alma, heard"] == "2 copies at Director's phones L, 582 samples apart"
    assert words["Cassia, heard"] == "13.35 ms, its limit is 10 ms"


def test_the_demos_organ_drifts_within_its_clocks_tolerance_and_matching_proves_it(demo: Ledger) -> None:
    organ = target(demo, "Longhand track 9 Reed organ L")
    assert organ.state == "drifting"
    (sound,) = organ.sounds
    assert 1 < abs(sound.drift_ppm) <= sound.drift_worst_ppm == 60
    bench = Bench(orrin_point())
    for rule in ("clocks-drift", "members-differ-in-delay"):
        (snag,) = bench.snags(rule)
        bench.do(*snag.mend()[0].edits)
    # The organ's own id is the source's; its line has the same name.
    line = next(line.id for line in bench.rig.lines if line.name == "Reed organ")
    matched = run_line_check(bench.rig, only=(line,)).ledger
    assert [row.proved for row in matched.lines] == [True]
    for row in matched.targets:
        assert row.agrees
        assert row.sounds[0].drift_ppm == pytest.approx(0, abs=0.05)
        assert row.worst_difference_samples == pytest.approx(0, abs=1)


@pytest.mark.parametrize("ppm", [-300.0, 33.0, 300.0])
def test_a_measured_clock_that_runs_free_is_heard_to_drift_by_as_much_and_to_slip(ppm: float) -> None:
    bench = two_voices()
    number = bench.rig.next_number
    bench.do(
        AddInterface(name="Second", jack_in=2, jack_out=2),
        SetValues(item=bench.id("Box"), values={"measured_ppm": 0}),
        SetValues(item=f"b{number}", values={"measured_ppm": ppm}),
        JoinDevices(name="Both", members=(Member(device=bench.id("Box")), Member(device=f"b{number}"))),
        SetDevice(program=bench.id("Recorder"), device=f"g{number + 2}"),
        Plug(from_port=bench.out("Bertil"), to_port=Port(f"b{number}", "jack_in", 1)),
        SetLeg(item=bench.id("In Bertil"), channel=9),
    )
    found = ledger(bench)
    row = target(found, "Recorder track 2 T Bertil")
    assert row.state == "drifting"
    assert row.sounds[0].drift_ppm == pytest.approx(ppm, abs=0.1)
    assert row.sounds[0].drift_known_ppm == pytest.approx(ppm)
    assert row.agrees
    assert target(found, "Recorder track 1 T Alma").sounds[0].drift_ppm == 0
    # A slow sender slips within the first ten seconds; a fast one has room for a block before it does.
    inward = [slip for slip in found.slips if slip.inward]
    assert [slip.samples for slip in inward] == ([128] if ppm < -100 else [])
    assert row.sounds[0].jumps == ((128,) if inward else ())
    lines = {line.name: line for line in found.lines}
    assert lines["L Alma"].proved
    assert lines["L Bertil"].words.startswith(f"drifts by {ppm:+.1f} ppm")


def test_a_sound_that_slips_all_the_time_is_told_to_be_broken_up() -> None:
    bench = two_voices()
    number = bench.rig.next_number
    bench.do(
        AddInterface(name="Second", jack_in=2, jack_out=2),
        SetValues(item=bench.id("Box"), values={"measured_ppm": 0}),
        SetValues(item=f"b{number}", values={"measured_ppm": -2000}),
        JoinDevices(name="Both", members=(Member(device=bench.id("Box")), Member(device=f"b{number}"))),
        SetDevice(program=bench.id("Recorder"), device=f"g{number + 2}"),
        Plug(from_port=bench.out("Bertil"), to_port=Port(f"b{number}", "jack_in", 1)),
        SetLeg(item=bench.id("In Bertil"), channel=9),
    )
    found = ledger(bench)
    assert target(found, "Recorder track 2 T Bertil").words.startswith(f"broken up by {len(found.slips)} slips")
    assert not next(line for line in found.lines if line.name == "L Bertil").proved


def test_a_lead_that_turns_the_signal_over_is_heard() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.rig.patches[0].id, values={"inverted": True}))
    found = ledger(bench)
    assert target(found, "Recorder track 1 T Alma").state == "wrong polarity"
    assert target(found, "Recorder track 1 T Alma").agrees
    assert [line.proved for line in found.lines] == [False, True]


def test_a_stranger_on_a_track_that_wants_to_be_alone_is_heard() -> None:
    bench = two_voices()
    bench.do(SetLeg(item=bench.id("In Bertil"), channel=1))
    found = ledger(bench)
    row = target(found, "Recorder track 2 T Bertil")
    assert row.state == "silent"
    assert [sound.name for sound in row.sounds] == ["Alma"]
    assert not row.sounds[0].wanted


def test_a_rig_with_boxes_at_two_rates_is_checked_at_both() -> None:
    bench = heard(two_voices(), "Bertil")
    bench.do(AddInterface(name="Other", rate_hz=44_100), AddSources(names=("Cassia",)))
    other = bench.id("Other")
    bench.do(
        Plug(from_port=bench.out("Cassia"), to_port=Port(other, "jack_in", 1)),
        Plug(from_port=Port(other, "jack_out", 1), to_port=ears(bench)[0], replace=True),
        SetDirect(interface=other, jack_in=1, jack_out=1),
    )
    heard(bench, "Cassia")
    found = ledger(bench)
    assert {row.rate_hz for row in found.targets} == {44_100, 48_000}
    row = next(row for row in found.targets if row.rate_hz == 44_100)
    assert row.sounds[0].name == "Cassia"
    assert row.agrees


def test_a_check_of_nothing_says_what_is_missing() -> None:
    with pytest.raises(CannotCheck, match="add a microphone"):
        run_line_check(Rig())
    with pytest.raises(CannotCheck, match="no interface"):
        run_line_check(Bench(Rig()).do(AddSources(names=("Alma",))).rig)
    with pytest.raises(CannotCheck, match="nothing to hear"):
        run_line_check(Bench(Rig()).do(AddSources(names=("Alma",)), AddInterface(name="Box")).rig)


def test_progress_is_true_and_a_check_can_be_stopped_at_any_stage() -> None:
    told: list[tuple[float, str]] = []

    def note(share: float, stage: str) -> bool:
        told.append((share, stage))
        return True

    run_line_check(two_voices().rig, note)
    shares = [share for share, _ in told]
    assert shares == sorted(shares)
    assert (shares[0], shares[-1]) == (0.0, 1.0)
    for stage in ("weaving", "running", "listening"):
        assert any(words.startswith(stage) for _, words in told)

        def stop(share: float, words: str, stage: str = stage) -> bool:
            return not words.startswith(stage)

        with pytest.raises(Cancelled):
            run_line_check(two_voices().rig, stop)


def test_a_line_through_a_program_that_missed_blocks_is_not_proved_and_one_past_it_is() -> None:
    bench = two_voices()
    readings = [{"buffer_samples": 128, "percent": 130}, {"buffer_samples": 256, "percent": 70}]
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"load_readings": readings}),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2),
    )
    heard(bench, "Alma")
    found = ledger(bench)
    (missed,) = found.missed
    assert (missed.name, missed.missed) == ("Recorder", missed.blocks)
    lines = {row.name: row for row in found.lines}
    assert lines["L Alma"].words == f"gaps: Recorder missed {missed.blocks} of {missed.blocks} blocks"
    assert not lines["L Alma"].proved
    assert lines["Alma heard"].proved
    bench.do(SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": 256}))
    again = ledger(bench)
    assert again.missed[0].missed == 0
    assert again.as_wanted == again.wanted == 3
