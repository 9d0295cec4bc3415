"""A proof is a promise: what is found of levels, sides and polarity, by the plan and by sound alike."""

import math
from collections.abc import Iterator

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.test_promises import COMING_BACK, JOINED, RIGS
from drawn import drawn
from iskelo.core.edits.additions import (
    AddDriver,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import (
    Edit,
    JoinDevices,
    Plug,
    Remove,
    SetDevice,
    SetDirect,
    SetLeg,
    SetOutputDevice,
    SetOutputTrim,
    SetTrim,
    SetValues,
)
from iskelo.core.linecheck.rows import Ledger, LineRow
from iskelo.core.linecheck.run import CannotCheck, run_line_check
from iskelo.core.lines.context import read
from iskelo.core.lines.findings import HEADLINES
from iskelo.core.lines.proof import proofs
from iskelo.core.planner.stages import Stage, turned
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import standing, tried_remedies
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import find_snags, run_rules
from iskelo.core.snags.verdicts import VERDICTS
from iskelo.core.survey import Surveyed, survey, survey_again
from rigs import Bench, any_rig, ears, heard, two_voices


def check(bench: Bench) -> Ledger:
    return run_line_check(bench.rig).ledger


def row(found: Ledger, name: str) -> LineRow:
    return next(line for line in found.lines if line.name == name)


def first_remedy(bench: Bench, rule: str) -> str:
    """Applies the first remedy that is offered for a snag of this rule; what it does, in words."""
    snag = next(each for each in run_rules(read(bench.rig)) if each.rule == rule)
    first = tried_remedies(bench.rig, snag)[0]
    assert not first.fact
    bench.do(*first.edits)
    return first.words


def monitored(bench: Bench, name: str, **values: object) -> SetValues:
    return SetValues(item=bench.track(f"T {name}"), values={"monitored": True, **values})


def stereo() -> Bench:
    """An organ in stereo through jacks 3 and 4, monitored directly at both ears."""
    bench = two_voices()
    bench.do(AddSources(names=("Organ",), width=2))
    box, sides = bench.id("Box"), (bench.out("Organ", 1), bench.out("Organ", 2))
    return bench.do(
        *(Plug(from_port=side, to_port=Port(box, "jack_in", 3 + leg)) for leg, side in enumerate(sides)),
        *(SetDirect(interface=box, jack_in=3 + leg, jack_out=1 + leg) for leg in (0, 1)),
        AddLine(name="Organ heard", purpose="listen", from_ports=sides, to_ports=ears(bench)),
    )


def test_every_finding_has_its_verdict() -> None:
    assert tuple(VERDICTS) == HEADLINES


# Headroom. EBU R 68 puts alignment at -18 dBFS, SMPTE RP 155 at -20 (both from memory).


@pytest.mark.parametrize(("alignment", "level", "hot"), [(-18, -18, False), (-18, -17.9, True), (-20, -18, True)])
def test_a_nominal_level_stands_at_alignment_at_most(alignment: float, level: float, hot: bool) -> None:
    bench = two_voices()
    bench.do(
        SetValues(item="rig", values={"alignment_dbfs": alignment}),
        SetTrim(interface=bench.id("Box"), jack_in=1, trim_db=56 + level),
    )
    assert bench.line("L Alma").has("hot") == hot
    if hot:
        first_remedy(bench, "line-hot")
        assert bench.line("L Alma").legs[0].level_dbfs == pytest.approx(alignment)


def test_an_instrument_whose_nominal_level_is_full_scale_is_hot_before_anyone_plays() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.id("Alma"), values={"level_dbu": -20}))
    (finding,) = bench.line("L Alma").findings
    assert (finding.kind, bench.said("L Alma")) == (
        "hot",
        "Alma has 0.0 dB of headroom at Box capture 1, 18 are wanted",
    )
    assert not row(check(bench), "L Alma").proved
    assert first_remedy(bench, "line-hot") == "Set the trim of Box jack in 1 to 20 dB, 18 dB down"
    assert row(check(bench), "L Alma").proved


def test_a_source_may_need_headroom_of_its_own() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.id("Alma"), values={"headroom_db": 24}))
    assert "18.0 dB of headroom at Box capture 1, 24 are wanted" in bench.said("L Alma")
    bench.do(SetValues(item=bench.id("Alma"), values={"headroom_db": 12}))
    assert bench.line("L Alma").headline == "arrives"
    bench.do(SetTrim(interface=bench.id("Box"), jack_in=1, trim_db=44))
    assert bench.line("L Alma").headline == "arrives"


def test_different_sources_add_up_as_powers_and_the_sum_needs_12_db() -> None:
    """Arithmetic: four at -18 dBFS are -11.98 dBFS, 0.02 over, within tolerance; five are -11.01."""
    bench = two_voices()
    names = ("Cassia", "Dov", "Ines")
    bench.do(AddSources(names=names))
    box, recorder = bench.id("Box"), bench.id("Recorder")
    output = bench.program().outputs[0].id
    for jack, name in enumerate(names, start=3):
        bench.do(Plug(from_port=bench.out(name), to_port=Port(box, "jack_in", jack)))
    bench.do(AddProgramPorts(program=recorder, names=names, first_channel=3))
    inputs = tuple(item.id for item in bench.program().inputs)[2:]
    bench.do(AddTracks(program=recorder, names=tuple(f"T {n}" for n in names), inputs=inputs, output=output))
    everyone = ("Alma", "Bertil", *names)
    for name in everyone[:4]:
        heard(bench, name)
        bench.do(monitored(bench, name))
    assert {bench.line(f"{name} heard").headline for name in everyone[:4]} == {"arrives"}
    heard(bench, "Ines")
    bench.do(monitored(bench, "Ines"))
    state = bench.line("Ines heard")
    total = 10 * math.log10(5 * 10 ** (-18 / 10))
    assert bench.said(state.line.name).startswith(
        f"with 4 other sources it adds up to −{-total:.1f} dBFS at Box playback 1"
    )
    words = first_remedy(bench, "line-hot")
    assert words.startswith("Turn all that adds up there down by 1 dB: ")
    assert {bench.line(f"{name} heard").headline for name in everyone} == {"arrives"}
    assert check(bench).as_wanted == len(bench.rig.lines)


def test_a_level_is_mended_where_it_was_lost_and_the_preamplifier_is_left_alone() -> None:
    bench = heard(two_voices(), "Alma")
    bench.do(
        monitored(bench, "Alma"),
        SetValues(item=bench.id("Alma heard"), values={"lowest_dbfs": -24}),
        *(SetOutputTrim(interface=bench.id("Box"), jack_out=jack, trim_db=-20) for jack in (1, 2)),
    )
    assert bench.said("Alma heard") == "−38.0 dBFS, under its lowest of −24 dBFS"
    found = check(bench)
    assert row(found, "Alma heard").words == "−38.0 dBFS, its lowest is −24 dBFS"
    assert first_remedy(bench, "line-low").startswith("Set the trim of Box jack out 1 to 0 dB, 20 dB up; ")
    assert bench.box().trims_db[0] == 38
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
    assert row(check(bench), "Alma heard").proved


def test_a_remedy_for_a_level_is_never_undone_by_the_next() -> None:
    """A line that is wanted louder than alignment, on a jack that another line shares."""
    bench = heard(two_voices(), "Alma")
    bench.do(
        monitored(bench, "Alma"),
        SetValues(item=bench.id("Alma heard"), values={"lowest_dbfs": -12, "highest_dbfs": -6}),
    )
    seen = []
    while any(snag.rule in ("line-hot", "line-low") for snag in run_rules(read(bench.rig))):
        assert bench.rig not in seen
        seen.append(bench.rig)
        snag = next(each for each in run_rules(read(bench.rig)) if each.rule in ("line-hot", "line-low"))
        acts = [each for each in tried_remedies(bench.rig, snag) if not each.fact]
        if not acts:
            break
        bench.do(*acts[0].edits)
    assert bench.line("L Alma").headline == "arrives"


@given(
    st.lists(st.tuples(st.floats(-30, 30), st.floats(-30, 30)), min_size=1, max_size=5),
    st.floats(-40, 40).filter(lambda by: abs(by) > 0.1),
)
def test_stages_are_turned_by_just_as_much_as_is_wanted_what_stands_wrong_first(
    some: list[tuple[float, float]], by_db: float
) -> None:
    def unused(to_db: float) -> Edit:
        raise AssertionError(to_db)

    stages = [
        Stage((str(place),), "", round(now, 1), round(off, 1), 60.0, unused) for place, (now, off) in enumerate(some)
    ]
    turns = turned(stages, by_db)
    wanted = min(by_db, sum(stage.highest_db - stage.now_db for stage in stages))
    assert sum(turn.by_db for turn in turns) == pytest.approx(wanted, abs=0.06 * (len(stages) + 1))
    wrong = [stage for stage in stages if stage.off_db * by_db < 0]
    if wrong and sum(abs(stage.off_db) for stage in wrong) > abs(by_db) + 0.1 * len(stages):
        assert {turn.stage.key for turn in turns} <= {stage.key for stage in wrong}


# Polarity, and both sides of a line together.


def test_polarity_is_a_finding_with_the_lead_that_reversed_it_and_is_mended_there() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.rig.patches[0].id, values={"inverted": True}))
    state = bench.line("L Alma")
    assert state.headline == "inverted"
    assert "by the lead Alma → Box jack in 1" in bench.said(state.line.name)
    assert row(check(bench), "L Alma").words == "Alma has its polarity reversed at Recorder track 1 T Alma"
    assert first_remedy(bench, "line-inverted").endswith("for Alma → Box jack in 1")
    assert row(check(bench), "L Alma").proved


def test_two_reversals_on_one_way_are_none() -> None:
    bench = heard(two_voices(), "Alma")
    ears_in = [patch.id for patch in bench.rig.patches if patch.to_port.bank == "in"]
    bench.do(
        monitored(bench, "Alma"),
        *(SetValues(item=lead, values={"inverted": True}) for lead in (bench.rig.patches[0].id, *ears_in)),
    )
    assert bench.line("Alma heard").headline == "arrives"
    assert bench.line("L Alma").headline == "inverted"


def test_one_side_reversed_is_told_as_one_side() -> None:
    bench = stereo()
    lead = next(patch for patch in bench.rig.patches if patch.from_port == bench.out("Organ", 2))
    bench.do(SetValues(item=lead.id, values={"inverted": True}))
    assert bench.said("Organ heard").startswith("the polarity of the right side is reversed")


def test_one_side_silent_is_never_told_as_if_nothing_arrived() -> None:
    bench = stereo()
    bench.do(Remove(items=(next(p.id for p in bench.rig.patches if p.from_port == bench.out("Organ", 2)),)))
    state = bench.line("Organ heard")
    assert state.headline == "half silent"
    assert bench.said(state.line.name) == "left arrives, right does not: Organ R is not plugged in"
    (snag,) = [each for each in find_snags(read(bench.rig)) if each.lines == (state.line.id,)]
    assert snag.rule == "line-half-silent"
    assert row(check(bench), "Organ heard").words.startswith("left is heard, right is not heard: Organ R is not heard")
    assert "Organ R" in first_remedy(bench, "line-half-silent")
    assert row(check(bench), "Organ heard").proved


@pytest.mark.parametrize("which", [0, 1])
def test_a_mono_source_on_a_stereo_track_is_made_to_fit(which: int) -> None:
    bench = two_voices()
    track = bench.track("T Alma")
    bench.do(
        SetValues(item=track, values={"width": 2}),
        SetValues(item=bench.id("L Alma"), values={"to_ports": [[track, "track", 1], [track, "track", 2]]}),
    )
    assert bench.line("L Alma").headline == "half silent"
    snag = next(each for each in run_rules(read(bench.rig)) if each.rule == "line-half-silent")
    acts = [each for each in tried_remedies(bench.rig, snag) if not each.fact]
    words = [each.words for each in acts]
    assert any("mono" in each for each in words)
    assert any("both sides" in each.lower() for each in words)
    bench.do(*acts[which].edits)
    assert bench.line("L Alma").headline == "arrives"
    assert row(check(bench), "L Alma").proved


def test_both_sides_in_both_ears_are_crossed_though_both_arrive() -> None:
    bench = stereo()
    box = bench.id("Box")
    bench.do(SetDirect(interface=box, jack_in=3, jack_out=2), SetDirect(interface=box, jack_in=4, jack_out=1))
    assert (bench.line("Organ heard").headline, bench.said("Organ heard")) == (
        "crossed",
        "both sides arrive on both sides: stereo becomes mono",
    )
    assert not row(check(bench), "Organ heard").proved
    bench.do(SetDirect(interface=box, jack_in=4, jack_out=1, gain_db=None))
    assert bench.said("Organ heard") == "left arrives on the right side too"


def test_a_softer_side_is_brought_up_where_it_was_lost() -> None:
    bench = stereo()
    bench.do(SetOutputTrim(interface=bench.id("Box"), jack_out=2, trim_db=-6))
    assert (bench.line("Organ heard").headline, bench.said("Organ heard")) == (
        "skewed",
        "right is 6.0 dB softer than left",
    )
    assert first_remedy(bench, "line-skewed") == "Set the trim of Box jack out 2 to 0 dB, 6 dB up"
    assert bench.line("Organ heard").headline == "arrives"


def over_two_boxes(later_samples: int) -> Bench:
    """The same organ with its right side on a second box, led by the first, whose converters are so much later."""
    bench = two_voices()
    number = bench.rig.next_number
    second, both = f"b{number}", f"g{number + 2}"
    bench.do(
        AddInterface(name="Second", jack_in=2, jack_out=2),
        SetValues(item=bench.id("Box"), values={"word_clock_out": True}),
        SetValues(
            item=second,
            values={
                "word_clock_in": True,
                "clock_source": "word clock",
                "converter_in_samples": 26 + later_samples,
            },
        ),
        JoinDevices(name="Both", members=(Member(device=bench.id("Box")), Member(device=second))),
        Plug(from_port=Port(bench.id("Box"), "word_out", 1), to_port=Port(second, "word_in", 1)),
        SetDevice(program=bench.id("Recorder"), device=both),
        Plug(from_port=bench.out("Bertil"), to_port=Port(second, "jack_in", 1)),
        Remove(items=(bench.rig.patches[1].id,)),
        SetLeg(item=bench.id("In Bertil"), channel=9),
    )
    return bench


@pytest.mark.parametrize(("later", "apart"), [(0, False), (1, False), (2, True), (48, True)])
def test_lines_recorded_together_through_two_boxes_are_told_apart_where_a_sum_would_hear_it(
    later: int, apart: bool
) -> None:
    """Two samples at 48 kHz have their first notch at 12 kHz, one at 24 kHz (Everest's comb filters, from memory)."""
    bench = over_two_boxes(later)
    assert bench.line("L Bertil").has("skewed") == apart
    assert bench.line("L Alma").headline == "arrives"
    snags = [snag for snag in find_snags(read(bench.rig)) if snag.lines == (bench.id("L Bertil"),)]
    assert [snag.rule for snag in snags] == (["members-differ-in-delay"] if apart else [])
    if apart:
        assert snags[0].severity == "trouble"
        assert f"{later} samples" in bench.said("L Bertil")
        assert not row(check(bench), "L Bertil").proved
        assert first_remedy(bench, "members-differ-in-delay") == "Pad the members of Both to the longest"
        assert check(bench).as_wanted == 2


def test_copies_that_cancel_are_predicted_and_heard_as_the_same_thing() -> None:
    bench = heard(two_voices(), "Alma")
    box = bench.id("Box")
    bench.do(
        SetDirect(interface=box, jack_in=1, jack_out=1),
        SetDirect(interface=box, jack_in=1, jack_out=2),
        Plug(from_port=bench.out("Alma"), to_port=Port(box, "jack_in", 5), inverted=True),
        SetDirect(interface=box, jack_in=5, jack_out=1),
        SetDirect(interface=box, jack_in=5, jack_out=2),
    )
    state = bench.line("Alma heard")
    assert (state.headline, bench.said("Alma heard")) == (
        "silent",
        "2 copies at Phones L cancel each other: nothing is left",
    )
    found = check(bench)
    assert all(target.agrees for target in found.targets)
    assert "its copies cancel each other" in row(found, "Alma heard").words
    first_remedy(bench, "line-silent")
    assert bench.line("Alma heard").headline == "arrives"


# Drivers, arming, devices, late lines.


def sole_use(bench: Bench) -> None:
    """A deck on the recorder's box, by the system's driver for sole use."""
    bench.do(
        AddDriver(interface=bench.id("Box"), kind="system, shared"),
        AddDriver(interface=bench.id("Box"), kind="system, sole use"),
        AddProgram(name="Deck", program_kind="player", voices=("Music",), device=bench.id("Box")),
    )
    shared, alone = (driver.id for driver in bench.box().drivers[1:])
    voice = next(voice.id for program in index(bench.rig).programs() for voice in program.voices)
    bench.do(
        SetDevice(program=bench.id("Recorder"), device=bench.id("Box"), driver=shared),
        SetDevice(program=bench.id("Deck"), device=bench.id("Box"), driver=alone),
        AddLine(
            name="Music heard",
            purpose="listen",
            from_ports=(Port(voice, "voice", 1), Port(voice, "voice", 2)),
            to_ports=ears(bench),
        ),
    )


def test_sole_use_is_shut_out_by_who_came_first_and_shuts_out_who_comes_later() -> None:
    bench = two_voices()
    sole_use(bench)
    assert "nobody can have it for sole use" in bench.said("Music heard")
    assert bench.line("L Alma").headline == "arrives"
    found = check(bench)
    assert [line.proved for line in found.lines] == [True, True, False]
    assert all(target.agrees for target in found.targets)
    # The recorder behind the deck: it is let in last, and shut out.
    bench.do(SetValues(item=bench.id("Recorder"), values={"lets_go_in_background": True}))
    assert "for its sole use" in bench.said("L Alma")
    assert bench.line("Music heard").headline == "arrives"
    found = check(bench)
    assert [line.proved for line in found.lines] == [False, False, True]
    assert all(target.agrees for target in found.targets)


def test_a_driver_that_is_taken_offers_other_drivers_letting_go_and_says_what_is_lost() -> None:
    bench = two_voices()
    sole_use(bench)
    (snag,) = bench.snags("driver-held")
    words = [remedy.words for remedy in snag.mend()]
    assert "Let Deck open Box by its vendor driver" in words
    assert any("give Box up while Deck is in front; its 2 lines fall silent then" in each for each in words)
    # What would silence two lines for one is not offered.
    offered = [remedy.words for remedy in tried_remedies(bench.rig, snag)]
    assert offered == ["Let Deck open Box by its vendor driver", "Let Deck open Box by its system, shared driver"]


def test_mono_on_1_mono_on_2_and_stereo_on_both_clash_in_one_snag() -> None:
    bench = two_voices()
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"one_track_per_input": True}),
        AddProgramPorts(program=bench.id("Recorder"), names=("In both",), width=2, first_channel=1),
    )
    pair = bench.id("In both")
    bench.do(AddTracks(program=bench.id("Recorder"), names=("T both",), width=2, inputs=(pair,)))
    (snag,) = bench.snags("armed-twice")
    assert snag.title == "T Alma, T Bertil and T both are armed on the same channels 1–2"
    assert not bench.snags("two-inputs-on-one-channel")
    assert first_remedy(bench, "armed-twice") == "Disarm T both"
    assert not bench.snags("armed-twice")
    # Both legs of one input on one channel are no fault by themselves.
    bench.do(SetLeg(item=pair, leg=2, channel=1))
    assert not bench.snags("two-inputs-on-one-channel")


def test_an_optical_port_of_the_output_box_never_cuts_the_input_box() -> None:
    bench = two_voices()
    bench.do(AddInterface(name="Second", jack_in=2, jack_out=8, rate_hz=96_000))
    bench.do(
        SetValues(item=bench.id("Box"), values={"rate_hz": 96_000}),
        SetValues(item=bench.id("Second"), values={"optical_in": 2, "optical_out": 8}),
        SetOutputDevice(program=bench.id("Recorder"), device=bench.id("Second")),
        SetLeg(item=bench.id("In Bertil"), channel=8),
    )
    assert not [snag for snag in bench.snags("rate-cuts-channels") if "capture" in snag.title]


def test_a_late_line_may_turn_the_buffer_of_either_device_on_its_way_the_smaller_change_first() -> None:
    bench = heard(two_voices(), "Alma", within_ms=30)
    bench.do(AddInterface(name="Second", jack_in=2, jack_out=2, buffer_samples=512))
    bench.do(
        SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": 512}),
        SetOutputDevice(program=bench.id("Recorder"), device=bench.id("Second"), matched=True),
        monitored(bench, "Alma"),
        *(
            Plug(from_port=Port(bench.id("Second"), "jack_out", leg), to_port=end, replace=True)
            for leg, end in enumerate(ears(bench), start=1)
        ),
    )
    assert bench.line("Alma heard").has("late")
    (snag,) = bench.snags("line-late")
    sizes = [remedy.words for remedy in snag.mend() if remedy.words.startswith("Set the buffer of ")]
    assert {words.split(" to ")[0] for words in sizes} == {"Set the buffer of Box", "Set the buffer of Second"}
    first_remedy(bench, "line-late")
    assert not bench.line("Alma heard").has("late")


# What is proved.


def test_a_line_on_a_box_whose_link_cannot_open_is_blocked_by_plan_and_silent_by_sound() -> None:
    """USB 2.0 full speed: 1023 bytes a frame for one endpoint (from memory); 8 of 4 bytes need 1568."""
    bench = two_voices()
    bench.do(SetValues(item=bench.id("Box"), values={"link_kind": "USB full speed"}))
    assert bench.line("L Alma").headline == "blocked"
    assert "cannot carry its channels" in bench.said("L Alma")
    found = check(bench)
    assert not any(line.proved for line in found.lines)
    assert all(target.agrees for target in found.targets)


def asks_kept(rig: Rig, found: Ledger) -> None:
    """Whatever is proved keeps, as it was heard, all that its line asks for."""
    lines = {line.id: line for line in rig.lines}
    by_target = {target.target: target for target in found.targets}
    states = {state.line.id: state for state in read(rig).lines}
    for verdict in found.lines:
        line = lines[verdict.line]
        if not verdict.proved:
            continue
        assert states[line.id].headline == "arrives"
        for start, end in line.pairs():
            (sound,) = [each for each in by_target[end].sounds if each.source == start]
            (copy,) = sound.copies
            assert copy.polarity > 0
            assert copy.level_dbfs <= 0.5
            assert copy.delay_samples == pytest.approx(copy.predicted_samples, abs=1.05)
            assert copy.level_dbfs == pytest.approx(copy.predicted_level_dbfs, abs=0.5)
            if line.longest_delay_ms is not None:
                assert copy.delay_ms <= line.longest_delay_ms + 0.01
            if line.lowest_dbfs is not None:
                assert copy.level_dbfs >= line.lowest_dbfs - 0.5
            if line.highest_dbfs is not None:
                assert copy.level_dbfs <= line.highest_dbfs + 0.5
            if line.alone:
                assert all(each.source in line.from_ports for each in by_target[end].sounds)


@given(any_rig(busy=True), st.sampled_from([(None, None), (-24.0, None), (None, -20.0)]))
@settings(max_examples=drawn(8))
def test_whatever_is_proved_on_any_rig_keeps_what_its_line_asks_for(
    rig: Rig, window: tuple[float | None, float | None]
) -> None:
    low, high = window
    rig = rig.model_copy(
        update={
            "lines": tuple(
                line.model_copy(update={"lowest_dbfs": low, "highest_dbfs": high, "longest_delay_ms": 100.0})
                for line in rig.lines
            )
        }
    )
    try:
        found = run_line_check(rig).ledger
    except CannotCheck:
        return
    asks_kept(rig, found)
    told = survey(rig, {line.line: (line.mark, line.proved) for line in found.lines})
    arriving = {line.id for line in told.lines if line.headline == "arrives"}
    assert {line for line, proof in told.proofs.items() if proof == "proved"} <= arriving
    assert told.vitals.proved <= told.vitals.arriving
    reading = read(rig)
    assert proofs(reading.lines, reading.found, {}) == {}


def acts_again_and_again(rig: Rig) -> Iterator[tuple[Surveyed, Surveyed]]:
    """The rig before and after the first remedy of its worst snag that has one, until none has."""
    known = survey_again(rig, None)
    while True:
        acts = (each for snag in known.snags for each in tried_remedies(rig, snag, known)[:1] if not each.fact)
        act = next(acts, None)
        if act is None:
            return
        rig = apply(rig, act.edits).rig
        before, known = known, survey_again(rig, known)
        yield before, known


@given(RIGS | COMING_BACK | JOINED)
@settings(max_examples=drawn(35, 6))
def test_first_remedies_end_return_to_no_rig_silence_nothing_and_the_twin_agrees_there(rig: Rig) -> None:
    seen = [rig]
    for before, after in acts_again_and_again(rig):
        assert after.survey.vitals.arriving >= before.survey.vitals.arriving
        assert standing(after) < standing(before)
        rig = after.reading.rig
        assert rig not in seen
        seen.append(rig)
        assert len(seen) < 200
    try:
        found = run_line_check(rig).ledger
    except CannotCheck:
        return
    assert found.agreeing + found.untold == len(found.targets)
    asks_kept(rig, found)
    states = {state.line.id: state for state in read(rig).lines}
    untold = {target.target for target in found.targets if target.untold}
    for verdict in found.lines:
        state = states[verdict.line]
        if state.headline == "arrives" and not untold & set(state.line.to_ports):
            assert verdict.proved, verdict.words


# Remedies that move things, and plans by place.


def test_a_player_whose_box_is_taken_is_offered_another_box_with_its_leads() -> None:
    bench = two_voices()
    bench.do(
        SetValues(item=bench.box().drivers[0].id, values={"clients": "one"}),
        AddInterface(name="Second", jack_in=2, jack_out=2),
        AddProgram(name="Deck", program_kind="player", voices=("Music",), device=bench.id("Box")),
    )
    voice = next(voice.id for program in index(bench.rig).programs() for voice in program.voices)
    bench.do(
        AddLine(
            name="Music heard",
            purpose="listen",
            from_ports=(Port(voice, "voice", 1), Port(voice, "voice", 2)),
            to_ports=ears(bench),
        )
    )
    assert bench.line("Music heard").headline == "blocked"
    words = first_remedy(bench, "driver-held")
    assert words.startswith("Let Deck open Second by its vendor driver, then plug Second jack out 1 into Phones L")
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
    assert check(bench).as_wanted == 3


def test_a_recorder_whose_box_is_taken_is_offered_another_box_with_its_microphones_by_splitters() -> None:
    bench = two_voices()
    bench.do(
        SetValues(item=bench.box().drivers[0].id, values={"clients": "one"}),
        AddInterface(name="Second", jack_in=4, jack_out=2),
        AddProgram(name="Other", tracks=("Alma too", "Bertil too"), device=bench.id("Box")),
    )
    for name in ("Alma", "Bertil"):
        end = Port(bench.track(f"{name} too"), "track", 1)
        bench.do(AddLine(name=f"{name} twice", from_ports=(bench.out(name),), to_ports=(end,)))
    words = first_remedy(bench, "driver-held")
    assert words.startswith("Let Other open Second by its vendor driver, then plug Alma into Second jack in 1 as well")
    assert "by a splitter behind Bertil" in words
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
    assert check(bench).as_wanted == 4


def test_a_microphone_without_its_supply_is_moved_to_a_jack_that_has_it_and_leaves_no_lead_behind() -> None:
    bench = two_voices()
    bench.do(
        SetValues(item=bench.id("Bertil"), values={"needs_phantom": True}),
        SetValues(item=bench.id("Box"), values={"phantom_jacks": 1}),
        Remove(items=(bench.rig.patches[0].id,)),
    )
    words = first_remedy(bench, "phantom-missing")
    assert words.startswith("Move Bertil from Box jack in 2 to Box jack in 1, then switch phantom supply on")
    assert bench.line("L Bertil").headline == "arrives"
    assert len([patch for patch in bench.rig.patches if patch.from_port == bench.out("Bertil")]) == 1


def test_a_source_in_a_second_jack_needs_a_splitter_and_says_so() -> None:
    """Alma is recorded from one box; the recorder of the other can only have her by a second lead."""
    bench = two_voices()
    bench.do(AddInterface(name="Second", jack_in=2, jack_out=2))
    bench.do(AddProgram(name="Other", tracks=("Alma too",), device=bench.id("Second")))
    track = bench.track("Alma too")
    bench.do(AddLine(name="L other", from_ports=(bench.out("Alma"),), to_ports=(Port(track, "track", 1),)))
    words = first_remedy(bench, "line-silent")
    assert "as well, by a splitter behind Alma" in words
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}


def test_a_plan_is_told_gear_by_gear_with_the_trim_of_what_is_plugged() -> None:
    bench = two_voices()
    bench.do(AddSources(names=("Deck",), source_kind="line player", level_dbu=4))
    bench.do(AddTracks(program=bench.id("Recorder"), names=("T Deck",)))
    bench.do(
        AddLine(name="L Deck", from_ports=(bench.out("Deck"),), to_ports=(Port(bench.track("T Deck"), "track", 1),))
    )
    plan = join_all(read(bench.rig))
    assert plan is not None
    by_place = dict(plan.by_place())
    assert list(by_place) == ["Box", "Recorder"]
    assert by_place["Box"] == ("Plug Deck into Box jack in 3", "Set the trim of Box jack in 3 to −4 dB")
    bench.do(*plan.edits)
    assert bench.line("L Deck").headline == "arrives"
