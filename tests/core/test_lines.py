"""The states of lines, each made from a rig where all arrives by one change, and where a gap is told."""

import pytest

from iskelo.core.edits.additions import AddLine, AddSources
from iskelo.core.edits.edit import EnableChannels, Plug, Remove, SetDevice, SetDirect, SetLeg, SetTrim, SetValues
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.text import fold_numbers
from iskelo.core.stations import stations
from iskelo.core.words.say import say
from rigs import Bench, ears, heard, two_voices


def shown(bench: Bench, name: str) -> list[str]:
    """The stations of a line as 'state label number', trouble in place of the label."""
    return [
        f"{s.state} {s.trouble or s.label} {s.number}".strip() for s in stations(bench.line(name), index(bench.rig))
    ]


def test_a_line_that_arrives_shows_its_numbers_at_every_hop() -> None:
    bench = two_voices()
    assert bench.line("L Bertil").headline == "arrives"
    assert shown(bench, "L Bertil") == ["on Bertil", "on Box 2", "on Box 2", "on Recorder 2", "on T Bertil 2", "empty"]


def test_not_plugged_in() -> None:
    bench = two_voices()
    bench.do(Remove(items=(bench.rig.patches[0].id,)))
    assert bench.line("L Alma").headline == "silent"
    assert shown(bench, "L Alma")[:2] == ["on Alma", "gap not plugged in 1"]
    assert "goes nowhere yet" in bench.said("L Alma")


@pytest.mark.parametrize(
    ("change", "column", "told"),
    [
        (lambda b: SetLeg(item=b.id("In Alma"), channel=None), 3, "input In Alma has no channel"),
        (lambda b: SetLeg(item=b.id("In Alma"), channel=5), 3, "takes 5, not 1"),
        (lambda b: SetLeg(item=b.id("In Alma"), channel=99), 3, "input In Alma: no channel 99"),
        (lambda b: SetValues(item=b.track("T Alma"), values={"input": None}), 4, "track T Alma has no input"),
        (lambda b: SetDevice(program=b.id("Recorder"), device=None), 3, "Recorder has no device"),
        (lambda b: SetValues(item=b.id("Box"), values={"capture": 0}), 2, "jack 1 has no capture channel"),
    ],
)
def test_a_silent_line_names_the_exact_place_and_reason(change, column: int, told: str) -> None:
    bench = two_voices()
    bench.do(change(bench))
    assert bench.line("L Alma").headline == "silent"
    assert shown(bench, "L Alma")[column].startswith(f"gap {told}")


def test_a_track_on_another_input_is_told() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.track("T Alma"), values={"input": bench.id("In Bertil")}))
    state = bench.line("L Alma")
    assert state.headline == "silent"
    assert state.legs[0].gap is not None
    assert say(state.legs[0].gap.missing, index(bench.rig)) == "track T Alma takes another input"
    assert [found.kind for found in state.findings] == ["silent", "crowded"]


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda b: SetValues(item=b.track("T Alma"), values={"armed": False}), "track T Alma is not armed"),
        (
            lambda b: EnableChannels(program=b.id("Recorder"), channels=(1,), on=False),
            "input channel 1 is not enabled in Recorder",
        ),
        (lambda b: SetValues(item=b.rig.patches[0].id, values={"muted": True}), "the lead into Box jack in 1 is muted"),
    ],
)
def test_a_blocked_line_names_what_does_not_pass(change, told: str) -> None:
    bench = two_voices()
    bench.do(change(bench))
    state = bench.line("L Alma")
    assert state.headline == "blocked"
    assert told in say(state.findings[0], index(bench.rig))


def test_a_heard_line_is_blocked_by_a_muted_or_unmonitored_track() -> None:
    bench = heard(two_voices(), "Alma")
    assert "not monitored" in bench.said("Alma heard")
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True, "muted": True}))
    assert "track T Alma is muted" in bench.said("Alma heard")
    bench.do(SetValues(item=bench.track("T Alma"), values={"muted": False}))
    assert bench.line("Alma heard").headline == "arrives"


def test_doubled_tells_the_distance_and_the_first_three_notches() -> None:
    bench = heard(two_voices(), "Alma", within_ms=5)
    bench.do(
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1),
    )
    state = bench.line("Alma heard")
    assert [found.kind for found in state.findings] == ["doubled", "late"]
    apart = 371 - 59
    notches = ", ".join(f"{(2 * k + 1) * 48_000 / (2 * apart):.0f}" for k in range(3))
    assert say(state.findings[0], index(bench.rig)) == (
        f"2 arrivals at Phones L, {apart} samples = {apart / 48:.2f} ms apart; notches {notches} Hz"
    )
    assert [s.copies for s in stations(state, index(bench.rig))] == [1, 1, 2, 1, 1, 1]


def test_late_says_by_how_much_and_the_limit_itself_is_in_time() -> None:
    bench = heard(two_voices(), "Alma", within_ms=371 / 48)
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    assert bench.line("Alma heard").headline == "arrives"
    bench.do(SetValues(item=bench.id("Alma heard"), values={"longest_delay_ms": 7.0}))
    assert bench.said("Alma heard") == "7.73 ms, 0.73 ms over its limit of 7 ms"


def test_two_sources_that_arrive_at_each_others_tracks_are_crossed_not_silent() -> None:
    bench = two_voices()
    bench.do(SetLeg(item=bench.id("In Alma"), channel=2), SetLeg(item=bench.id("In Bertil"), channel=1))
    for name, other in (("Alma", "Bertil"), ("Bertil", "Alma")):
        state = bench.line(f"L {name}")
        assert [found.kind for found in state.findings] == ["crossed", "crowded"]
        assert f"T {other}, where L {other} belongs" in say(state.findings[0], index(bench.rig))


def test_swapped_legs_of_a_stereo_line_are_crossed() -> None:
    bench = two_voices()
    bench.do(AddSources(names=("Organ",), width=2, source_kind="instrument"))
    box, (left, right) = bench.id("Box"), (bench.out("Organ", 1), bench.out("Organ", 2))
    bench.do(
        Plug(from_port=left, to_port=Port(box, "jack_in", 4)),
        Plug(from_port=right, to_port=Port(box, "jack_in", 3)),
        *(SetTrim(interface=box, jack_in=jack, trim_db=20) for jack in (3, 4)),
        SetDirect(interface=box, jack_in=3, jack_out=1),
        SetDirect(interface=box, jack_in=4, jack_out=2),
        AddLine(name="Organ heard", purpose="listen", from_ports=(left, right), to_ports=ears(bench)),
    )
    assert bench.said("Organ heard") == "left and right are swapped"
    (snag,) = bench.snags("line-crossed")
    bench.do(*snag.mend()[0].edits)
    assert bench.line("Organ heard").headline == "arrives"


def test_crowded_only_when_the_line_wants_to_be_alone() -> None:
    bench = heard(heard(two_voices(), "Alma"), "Bertil")
    bench.do(
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2),
        SetDirect(interface=bench.id("Box"), jack_in=2, jack_out=2),
        SetDirect(interface=bench.id("Box"), jack_in=2, jack_out=1),
    )
    assert bench.line("Alma heard").headline == "arrives"
    bench.do(SetValues(item=bench.id("Alma heard"), values={"alone": True}))
    assert bench.line("Alma heard").headline == "crowded"
    assert bench.line("Bertil heard").headline == "arrives"


def test_hot_is_above_full_scale() -> None:
    bench = two_voices()
    bench.do(SetTrim(interface=bench.id("Box"), jack_in=1, trim_db=57))
    assert bench.line("L Alma").headline == "hot"
    assert "1.0 dB above full scale" in bench.said("L Alma")


def test_a_heard_line_whose_channel_no_program_takes_says_so() -> None:
    bench = heard(two_voices(), "Bertil")
    bench.do(SetLeg(item=bench.id("In Bertil"), channel=None))
    gap = bench.line("Bertil heard").legs[0].gap
    assert gap is not None
    assert say(gap.missing, index(bench.rig)) == "no program passes channel 2 on"


def test_a_line_with_no_ends_says_so() -> None:
    bench = two_voices()
    bench.do(AddLine(name="Idea"))
    assert shown(bench, "Idea")[0] == "gap no source yet"
    assert shown(bench, "Idea")[4] == "gap no target yet"


def test_a_line_heard_directly_is_shown_going_past_the_computer() -> None:
    bench = heard(two_voices(), "Alma")
    bench.do(
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2),
    )
    assert shown(bench, "Alma heard") == [
        "on Alma",
        "on Box 1",
        "passed",
        "passed direct",
        "passed",
        "on Phones 1–2",
    ]


def test_numbers_fold_into_runs() -> None:
    assert fold_numbers([1, 2, 3, 7]) == "1–3, 7"
    assert fold_numbers([5]) == "5"
    assert fold_numbers([4, 3]) == "3–4"
