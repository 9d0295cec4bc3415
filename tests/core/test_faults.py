"""Faults switched on for a run: what each does is heard, and set beside what the rig promises without it."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import JsonValue

from drawn import drawn
from iskelo.core.edits.additions import AddLine
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import SetValues
from iskelo.core.linecheck.faults import faults_of, with_faults
from iskelo.core.linecheck.rows import TargetRow
from iskelo.core.linecheck.run import CheckResult, run_line_check
from iskelo.core.lines.context import read
from iskelo.core.rig.check import check
from iskelo.core.rig.rig import Rig
from iskelo.demo.outboard_insert import outboard_insert
from iskelo.demo.two_boxes import two_boxes
from iskelo.demo.voices_on_a_mixer import voices_on_a_mixer
from mixers import full_desk
from rigs import any_rig, ears, two_voices


def run(rig: Rig, *keys: str) -> CheckResult:
    bad, made = with_faults(rig, read(rig), keys)
    assert {fault.key for fault in made} == set(keys)
    return run_line_check(rig, at_fault=bad)


def key(rig: Rig, words: str) -> str:
    (found,) = [fault.key for fault in faults_of(read(rig)) if words in fault.words]
    return found


def states(result: CheckResult) -> dict[str, str]:
    return {row.name: row.state for row in result.ledger.targets}


def row(result: CheckResult, name: str) -> TargetRow:
    return next(each for each in result.ledger.targets if each.name == name)


@pytest.fixture(scope="module")
def rig() -> Rig:
    """Two boxes joined; the second one is matched."""
    return two_boxes()


def test_without_faults_every_line_is_as_wanted(rig: Rig) -> None:
    ledger = run(rig).ledger
    assert ledger.as_wanted == ledger.wanted > 0


def test_a_lead_that_is_out_silences_its_line_alone_and_one_turned_over_is_told(rig: Rig) -> None:
    lead = next(fault for fault in faults_of(read(rig)) if fault.key.startswith("out:") and fault.area == "leads")
    patch = lead.key.removeprefix("out:")
    before = states(run(rig))
    out = run(rig, lead.key)
    changed = {name for name, state in states(out).items() if state != before[name]}
    assert {row(out, name).state for name in changed} == {"silent"}
    assert len(changed) == 1
    over = run(rig, f"over:{patch}")
    assert {row(over, name).state for name in changed} == {"wrong polarity"}
    assert out.ledger.as_wanted == over.ledger.as_wanted == out.ledger.wanted - 1


def test_a_box_that_is_not_there_silences_all_its_lines_and_what_it_moves(rig: Rig) -> None:
    boxes = [fault for fault in faults_of(read(rig)) if fault.key.startswith("off:")]
    assert len(boxes) == 2
    result = run(rig, *(fault.key for fault in boxes))
    assert result.ledger.as_wanted == 0
    assert set(states(result).values()) <= {"silent", "unused"}
    assert len(result.take) == len(run(rig).take)


def test_a_clock_that_is_slower_than_promised_is_heard_to_drift_where_nothing_matches_it(rig: Rig) -> None:
    loose = next(gear for gear in rig.gear if gear.kind == "aggregate")
    members = [member.model_copy(update={"matched": False}) for member in loose.members]
    gear = tuple(each.model_copy(update={"members": tuple(members)}) if each is loose else each for each in rig.gear)
    unmatched = rig.model_copy(update={"gear": gear})
    slower = [fault for fault in faults_of(read(unmatched)) if fault.key.startswith("slow:")]
    assert len(slower) == 2
    heard = run(unmatched, slower[1].key)
    assert "drifting" in states(heard).values()
    # The matched one follows it and stays whole.
    assert "drifting" not in states(run(rig, slower[1].key)).values()


def test_a_box_that_comes_up_at_another_rate_is_held_against_its_promise_in_time() -> None:
    """371 samples at 48 kHz are promised, 340.86 at 44.1 as many ms; the box takes 371 of its own, which is longer."""
    bench = two_voices()
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    bench.do(AddLine(name="Alma heard", purpose="listen", from_ports=(bench.out("Alma"),), to_ports=ears(bench)))
    result = run(bench.rig, f"rate:{bench.box().id}")
    (heard,) = [sound for sound in row(result, "Phones L").sounds if sound.source == bench.out("Alma")]
    (copy,) = heard.copies
    assert row(result, "Phones L").rate_hz == 44_100
    assert copy.predicted_samples == pytest.approx(340.86, abs=0.01)
    assert copy.delay_samples == pytest.approx(371, abs=0.01)
    assert copy.delay_ms == pytest.approx(371 / 44.1)
    assert not row(result, "Phones L").agrees


def test_a_computer_that_calls_late_makes_a_program_with_a_known_load_miss_blocks(rig: Rig) -> None:
    recorder = next(gear for gear in rig.gear if gear.kind == "program")
    meter: JsonValue = [{"buffer_samples": 64, "percent": 40}, {"buffer_samples": 256, "percent": 30}]
    loaded = apply(rig, (SetValues(item=recorder.id, values={"load_readings": meter}),)).rig
    assert "late" not in {fault.key for fault in faults_of(read(rig))}
    (missed,) = run(loaded, "late").ledger.missed
    assert missed.missed > 0


def test_supply_that_is_off_silences_the_microphones_that_need_it(rig: Rig) -> None:
    supplies = [fault for fault in faults_of(read(rig)) if fault.area == "supply"]
    assert supplies
    assert "silent" in states(run(rig, *(fault.key for fault in supplies))).values()


def test_a_fault_that_another_makes_impossible_is_left_out() -> None:
    rig = two_boxes()
    reading = read(rig)
    every = [fault.key for fault in faults_of(reading)]
    bad, made = with_faults(rig, reading, every)
    assert check(bad).rig == bad
    # A lead that is out cannot be turned over as well.
    assert {fault.key for fault in made} < set(every)


@given(any_rig(joined=True) | any_rig(busy=True, back=True) | full_desk(), st.data())
@settings(max_examples=drawn(60))
def test_any_faults_of_any_rig_leave_a_rig_that_holds_together(rig: Rig, data: st.DataObject) -> None:
    reading = read(rig)
    found = faults_of(reading)
    assert len({fault.key for fault in found}) == len(found)
    keys = data.draw(st.lists(st.sampled_from([fault.key for fault in found] or ["none"]), max_size=5))
    bad, made = with_faults(rig, reading, keys)
    assert check(bad).rig == bad
    assert {fault.key for fault in made} <= set(keys)
    for fault in found:
        assert fault.words
        assert all(edit.edit in ("set", "remove", "set_output_trim") for edit in fault.edits)


def test_a_muted_strip_silences_what_passes_its_fader_and_no_raw_channel() -> None:
    rig = voices_on_a_mixer()
    before = states(run(rig))
    fault = next(each for each in faults_of(read(rig)) if each.key.startswith("mute:") and "Alma" in each.words)
    after = states(run(rig, fault.key))
    changed = {name for name in before if after[name] != before[name]}
    assert changed
    raw = {track for track in before if "raw" in track.casefold()}
    assert not changed & raw


def test_a_bypassed_insert_and_an_output_that_forgot_its_trim_are_heard() -> None:
    rig = outboard_insert()
    promised = run(rig)
    assert promised.ledger.as_wanted == promised.ledger.wanted
    bypassed = run(rig, key(rig, "insert of track Alma is bypassed"))
    # What was recorded behind the press is gone; what is heard comes earlier than it was promised.
    assert bypassed.ledger.as_wanted < bypassed.ledger.wanted
    down = run(rig, key(rig, "Corvane 8 jack out 3 comes up at −20 dB"))
    assert down.ledger.as_wanted < down.ledger.wanted
