"""Sends, pans and effects mixes inside a program: pan laws against their identities, prediction against the twin."""

import math
from collections.abc import Iterator

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.edits.additions import AddBuses, AddLine, AddSends, AddTracks, AddVoices
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, Remove, RenameEverywhere, SetDevice, SetValues
from iskelo.core.levels.units import db_to_ratio
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.lines.legs import Leg
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.planner.search import join_line
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.mixing import legs_into, pan_gains, say_pan
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Send, Tap, Track, Voice
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.snags.registry import run_rules
from iskelo.core.timing.delays import delay_of
from iskelo.core.twin.mixing import mixed
from iskelo.core.wiring.graph import compile_graph
from iskelo.core.words.say import say
from rigs import Bench, ears, heard, inserts, two_voices

PANS = st.floats(-1, 1)


@given(PANS)
def test_constant_power_keeps_the_sum_of_squares_and_linear_the_sum(pan: float) -> None:
    left, right = pan_gains("-3 dB", pan)
    assert left**2 + right**2 == pytest.approx(1)
    left, right = pan_gains("-6 dB", pan)
    assert left + right == pytest.approx(1)


@given(PANS)
def test_the_law_between_is_the_geometric_mean_of_both_and_every_law_is_its_own_mirror(pan: float) -> None:
    for power, linear, between in zip(*(pan_gains(law, pan) for law in ("-3 dB", "-6 dB", "-4.5 dB")), strict=True):
        assert between == pytest.approx(math.sqrt(power * linear), abs=1e-9)
    for law in ("0 dB", "-3 dB", "-4.5 dB", "-6 dB"):
        assert pan_gains(law, pan) == pytest.approx(pan_gains(law, -pan)[::-1])


@pytest.mark.parametrize(("law", "centre_db"), [("0 dB", 0), ("-3 dB", -3.01), ("-4.5 dB", -4.515), ("-6 dB", -6.02)])
def test_a_law_is_called_by_what_it_loses_in_the_centre(law: str, centre_db: float) -> None:
    """Handbook figures, from memory."""
    for gain in pan_gains(law, 0.0):
        assert 20 * math.log10(gain) == pytest.approx(centre_db, abs=0.005)
    assert pan_gains(law, -1.0) == pytest.approx((1, 0))
    assert pan_gains(law, 1.0) == pytest.approx((0, 1))


def test_a_hard_pan_makes_no_hop_and_old_rigs_keep_their_levels() -> None:
    assert legs_into(1, 2, "-3 dB", -1.0) == ((1, 1, 0.0),)
    assert legs_into(1, 2) == ((1, 1, 0.0), (1, 2, 0.0))
    assert legs_into(2, 2) == ((1, 1, 0.0), (2, 2, 0.0))
    assert legs_into(2, 1, "-6 dB", 0.3) == ((1, 1, 0.0), (2, 1, 0.0))
    assert [say_pan(pan) for pan in (0.0, -0.6, 1.0)] == ["centre", "60 left", "100 right"]


GAINS = st.sampled_from([0.0, -6.0, 3.5, -20.0])


@st.composite
def engines(draw: st.DrawFn) -> Program:
    """Any program's mixing: strips with pans and sends into buses that feed each other, circles among them."""
    outputs = [ProgramPort(id=f"o{n}", name=f"O{n}", legs=(1, 2)[: draw(st.integers(1, 2))]) for n in (1, 2)]
    returns = [ProgramPort(id=f"i{7 + n}", name=f"R{n}", legs=(3, 4)[:n]) for n in (1, 2)]
    buses = [f"u{n}" for n in range(3, 3 + draw(st.integers(0, 4)))]
    sinks = [*(item.id for item in outputs), *buses]
    sink, widths = st.sampled_from([None, *sinks]), st.integers(1, 2)
    tracks = [
        Track(
            id=f"t{n}",
            name=f"T{n}",
            width=width,
            input=draw(st.sampled_from(["i1", "i1", *buses])),
            output=draw(sink),
            monitored=draw(st.sampled_from([True, True, False])),
            muted=draw(st.sampled_from([False, False, True])),
            gain_db=draw(GAINS),
            pan=draw(st.sampled_from([0.0, -1.0, 0.4])),
            effect_delay_samples=draw(st.sampled_from([0, 7])),
            insert=inserts(draw, width, outputs, returns),
        )
        for n in (11, 12)
        for width in [draw(widths)]
    ]
    voice = Voice(id="v21", name="V", width=draw(widths), output=draw(sink), pan=draw(st.sampled_from([0.0, -0.7])))
    ways = draw(
        st.lists(
            st.tuples(st.sampled_from(["t11", "t12", "v21", *buses]), st.sampled_from(sinks)), unique=True, max_size=7
        )
    )
    return Program(
        id="p1",
        name="Engine",
        pan_law=draw(st.sampled_from(["0 dB", "-3 dB", "-4.5 dB", "-6 dB"])),
        mute_kills_pre=draw(st.booleans()),
        delay_compensation=draw(st.booleans()),
        inputs=(ProgramPort(id="i1", name="I", legs=(1, 2)), *returns),
        outputs=tuple(outputs),
        tracks=tuple(tracks),
        voices=(voice,),
        buses=tuple(
            Bus(
                id=bus,
                name=bus,
                width=width,
                insert=inserts(draw, width, outputs, returns),
                output=draw(sink),
                gain_db=draw(GAINS),
                muted=draw(st.sampled_from([False, False, True])),
                effect_delay_samples=draw(st.sampled_from([0, 0, 100])),
            )
            for bus in buses
            for width in [draw(widths)]
        ),
        sends=tuple(
            Send(
                id=f"e{30 + n}",
                item=giver,
                to=to,
                tap=draw(st.sampled_from(["before the fader", "behind the fader"])),
                gain_db=draw(GAINS),
                pan=draw(st.sampled_from([None, 1.0, -0.2])),
                on=draw(st.sampled_from([True, True, False])),
            )
            for n, (giver, to) in enumerate(ways)
            if giver != to
        ),
    )


def predicted(program: Program) -> dict[tuple[str, int], dict[tuple[tuple[str, int], int], float]]:
    """By the graph: what of each input and voice leg gets to each output leg and each track's tape, by delay."""
    box = Interface(id="b50", name="Box", drivers=(Driver(id="d51"),))
    program = program.model_copy(update={"device": "b50"})
    rig = Rig(gear=(box, program), next_number=100)
    found = index(rig)
    graph = compile_graph(found)
    starts = [Port(item.id, "input", leg) for item in program.inputs for leg in range(1, len(item.legs) + 1)]
    starts += [Port("v21", "voice", leg) for leg in range(1, program.voices[0].width + 1)]
    sums: dict[tuple[str, int], dict[tuple[tuple[str, int], int], float]] = {}
    ends = [Port(item.id, "output", leg) for item in program.outputs for leg in range(1, len(item.legs) + 1)]
    ends += [Port(track.id, "track", leg) for track in program.tracks for leg in range(1, track.width + 1)]
    for end in ends:
        there = sums.setdefault((end.owner, end.number), {})
        for start in starts:
            routes = passing_routes(graph, start, end)
            assume(len(routes) < ROUTES_AT_MOST)
            for route in routes:
                sound = ((start.owner, start.number), delay_of(route.edges, found).samples)
                there[sound] = there.get(sound, 0.0) + db_to_ratio(route.gain_db)
    return sums


def worked(program: Program) -> dict[tuple[str, int], dict[tuple[tuple[str, int], int], float]]:
    """By the twin's desk."""
    desk = mixed(program)
    got = {(item.id, leg): desk.at(item.id, leg) for item in program.outputs for leg in range(1, len(item.legs) + 1)}
    for track in program.tracks:
        if track.input == "i1":
            got |= {(track.id, leg): {(("i1", leg), 0): 1.0} for leg in range(1, track.width + 1)}
    return got | desk.recorded


@given(engines())
@settings(max_examples=drawn(400))
def test_any_engine_is_predicted_as_it_mixes(program: Program) -> None:
    """Level to 0.05 dB, delay to the sample, nothing else anywhere."""
    wanted, got = predicted(program), worked(program)
    for place, there in wanted.items():
        heard_there = {sound: gain for sound, gain in got.get(place, {}).items() if abs(gain) > 1e-9}
        assert heard_there.keys() == there.keys()
        for sound, gain in there.items():
            assert abs(20 * math.log10(heard_there[sound] / gain)) < 0.05


def with_effects(tap: Tap = "behind the fader", **reverb: object) -> Bench:
    """Alma heard through her track, and sent to an effects bus."""
    bench = heard(two_voices(), "Alma")
    program = bench.id("Recorder")
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    bench.do(AddBuses(program=program, names=("Reverb",), output=bench.id("Main")))
    bench.do(SetValues(item=bench.id("Reverb"), values={"effects": True, **reverb}))
    return bench.do(AddSends(program=program, items=(bench.track("T Alma"),), to=bench.id("Reverb"), tap=tap))


def listened(bench: Bench) -> Iterator[str]:
    return (state.headline for state in read(bench.rig).lines if state.line.purpose == "listen")


def test_an_effects_send_is_wet_and_no_copy_and_is_proved_so() -> None:
    bench = with_effects()
    assert set(listened(bench)) == {"arrives"}
    (leg, *_) = next(state for state in read(bench.rig).lines if state.line.purpose == "listen").legs
    assert len(leg.arrivals) == 1
    assert len(leg.wet) == 1
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)
    assert all(line.proved for line in found.lines), [line.words for line in found.lines]
    # Not marked, it is a second copy at the same moment.
    bench.do(SetValues(item=bench.id("Reverb"), values={"effects": False}))
    assert set(listened(bench)) == {"doubled"}
    assert not all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_a_send_before_the_fader_sounds_on_when_the_track_is_muted_unless_mute_kills_it() -> None:
    for tap, kills, sounds in (
        ("before the fader", False, True),
        ("before the fader", True, False),
        ("behind the fader", False, False),
    ):
        bench = with_effects(tap)
        bench.do(SetValues(item=bench.track("T Alma"), values={"muted": True}))
        bench.do(SetValues(item=bench.id("Recorder"), values={"mute_kills_pre": kills}))
        reading = read(bench.rig)
        ways = passing_routes(reading.graph, bench.out("Alma"), ears(bench)[0])
        assert bool(ways) == sounds
        found = run_line_check(bench.rig).ledger
        assert found.agreeing == len(found.targets)


def test_a_muted_track_is_told_once_and_one_edit_opens_it() -> None:
    bench = heard(two_voices(), "Alma")
    bench.do(SetValues(item=bench.id("Recorder"), values={"mute_kills_pre": True}))
    bench.do(SetValues(item=bench.track("T Alma"), values={"muted": True}))
    state = next(state for state in read(bench.rig).lines if state.line.purpose == "listen")
    assert state.headline == "blocked"
    assert say(state.findings[0], index(bench.rig)).count("is muted") == 1
    joining = join_line(read(bench.rig), state.line)
    assert joining is not None
    bench.do(*joining.edits)
    assert set(listened(bench)) == {"arrives"}


def test_many_are_sent_at_once_and_those_that_are_sent_already_stay() -> None:
    bench = with_effects()
    tracks = tuple(bench.track(name) for name in ("T Alma", "T Bertil"))
    send = AddSends(program=bench.id("Recorder"), items=tracks, to=bench.id("Reverb"))
    applied = apply(bench.rig, (send,))
    assert len(next(gear for gear in applied.rig.gear if isinstance(gear, Program)).sends) == 2
    assert "sent T Bertil to Reverb, behind the fader" in applied.words
    with pytest.raises(Refused, match="all of them are sent to Reverb"):
        apply(applied.rig, (send,))


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda bench: AddSends(program=bench.id("Recorder"), items=("t999",), to=bench.id("Reverb")), "nothing with"),
        (
            lambda bench: AddSends(program=bench.id("Recorder"), items=(bench.id("In Alma"),), to=bench.id("Reverb")),
            "no track, voice or bus",
        ),
        (
            lambda bench: AddSends(
                program=bench.id("Recorder"), items=(bench.track("T Alma"),), to=bench.id("In Alma")
            ),
            "no bus and no output",
        ),
        (
            lambda bench: AddSends(program=bench.id("Recorder"), items=(bench.id("Reverb"),), to=bench.id("Reverb")),
            "sent to itself",
        ),
    ],
)
def test_sends_that_cannot_be_are_refused_in_words(edit: object, words: str) -> None:
    bench = with_effects()
    assert callable(edit)
    with pytest.raises(Refused, match=words):
        bench.do(edit(bench))


def test_a_track_that_is_called_send_is_renamed_everywhere_beside_sends() -> None:
    bench = with_effects()
    bench.do(AddTracks(program=bench.id("Recorder"), names=("Send",)))
    bench.do(RenameEverywhere(old="Send", new="Return"))
    assert bench.track("Return")
    assert len(bench.program().sends) == 1


def test_what_is_removed_takes_its_sends_along_and_says_so() -> None:
    bench = with_effects()
    removal: Edit = Remove(items=(bench.id("Reverb"),))
    applied = apply(bench.rig, (removal,))
    assert "Recorder loses 1 send" in applied.words
    assert bench.do(removal).program().sends == ()


def test_buses_that_feed_each_other_by_sends_are_found_and_the_remedy_opens_them() -> None:
    bench = with_effects()
    bench.do(AddBuses(program=bench.id("Recorder"), names=("Delay",), output=bench.id("Main")))
    pairs = ((bench.id("Reverb"), bench.id("Delay")), (bench.id("Delay"), bench.id("Reverb")))
    bench.do(*(AddSends(program=bench.id("Recorder"), items=(one,), to=other) for one, other in pairs))
    (snag,) = bench.snags("bus-feeds-itself")
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)
    bench.do(*snag.mend()[0].edits)
    assert bench.snags("bus-feeds-itself") == []


def test_the_set_up_list_tells_what_a_bus_takes_and_where_a_track_is_panned() -> None:
    bench = with_effects("before the fader", gain_db=-3.0)
    bench.do(SetValues(item=bench.track("T Alma"), values={"pan": -0.5}))
    steps = {step.words: step.settings for step in set_up_list(read(bench.rig))}
    assert "takes T Alma before the fader" in steps["Recorder: bus Reverb to Main"]
    assert any("50 left" in said for settings in steps.values() for said in settings)


def test_a_voice_on_two_effects_buses_and_a_main_bus_is_heard_once() -> None:
    bench = two_voices()
    program = bench.id("Recorder")
    names = ("Hall reverb", "Plate", "Mix")
    bench.do(AddBuses(program=program, names=names, output=bench.id("Main")))
    for name in names[:2]:
        bench.do(SetValues(item=bench.id(name), values={"effects": True, "output": bench.id("Mix")}))
    bench.do(AddVoices(program=program, names=("Narration",), output=bench.id("Mix")))
    voice = bench.id("Narration")
    bench.do(*(AddSends(program=program, items=(voice,), to=bench.id(name)) for name in names[:2]))
    starts = (Port(voice, "voice", 1), Port(voice, "voice", 2))
    bench.do(AddLine(name="Narration, heard", purpose="listen", from_ports=starts, to_ports=ears(bench)))
    assert bench.line("Narration, heard").headline == "arrives"
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)
    assert next(line for line in found.lines if line.name == "Narration, heard").proved
    assert [snag.rule for snag in run_rules(read(bench.rig)) if snag.rule == "unused-bus"] == []
    own = [sound for row in found.targets for sound in row.sounds if sound.source in starts]
    wet = [copy.wet_db for sound in own for copy in sound.copies]
    # One dry and two wet at once are three times as much.
    np.testing.assert_allclose(np.array(wet, float), 20 * math.log10(3), atol=0.01)


def test_an_effects_track_takes_a_bus_records_it_and_is_heard() -> None:
    """Alma goes to a bus, which a second track takes, with effects of 300 samples, records and passes on."""
    bench = with_effects()
    program = bench.id("Recorder")
    bench.do(SetValues(item=bench.id("Reverb"), values={"output": None, "effects": False}))
    bench.do(AddTracks(program=program, names=("Wet",), width=2, output=bench.id("Main"), monitored=True))
    wet = bench.track("Wet")
    bench.do(SetValues(item=wet, values={"input": bench.id("Reverb"), "effect_delay_samples": 300}))
    assert bench.snags("unused-bus") == []
    assert bench.snags("one-side-silent") == []
    assert set(listened(bench)) == {"doubled"}
    bench.do(AddLine(name="Wet kept", from_ports=(bench.out("Alma"),), to_ports=(Port(wet, "track", 1),)))
    assert bench.line("Wet kept").headline == "arrives"
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)
    assert next(line for line in found.lines if line.name == "Wet kept").proved
    # With compensation what meets in the output comes at once; it is recorded as before.
    bench.do(SetValues(item=program, values={"delay_compensation": True}))
    (leg, *_) = next(state for state in read(bench.rig).lines if state.line.purpose == "listen").legs
    assert leg.comb is not None
    assert leg.comb.delay_samples == 0
    assert any(term.label == "delay compensation" for arrival in leg.arrivals for term in arrival.delay.terms)
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)


def test_nothing_runs_in_a_program_without_a_device_and_it_is_said() -> None:
    bench = with_effects()
    program = bench.id("Recorder")
    bench.do(AddVoices(program=program, names=("Click",), output=bench.id("Reverb")))
    bench.do(AddTracks(program=program, names=("Kept",)))
    kept = bench.track("Kept")
    bench.do(SetValues(item=kept, values={"input": bench.id("Reverb")}))
    click = Port(bench.id("Click"), "voice", 1)
    bench.do(AddLine(name="Click kept", from_ports=(click,), to_ports=(Port(kept, "track", 1),), alone=False))
    assert bench.line("Click kept").headline == "arrives"
    assert next(line for line in run_line_check(bench.rig).ledger.lines if line.name == "Click kept").proved
    bench.do(SetDevice(program=program, device=None))
    assert bench.line("Click kept").headline == "blocked"
    assert "Recorder has no device" in bench.said("Click kept")


def test_a_track_that_takes_what_it_feeds_is_a_circle_and_kept_silent_on_both_sides() -> None:
    bench = with_effects()
    program = bench.id("Recorder")
    bench.do(AddTracks(program=program, names=("Again",), width=2, output=bench.id("Reverb"), monitored=True))
    bench.do(SetValues(item=bench.track("Again"), values={"input": bench.id("Reverb")}))
    assert len(bench.snags("bus-feeds-itself")) == 1
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)


def test_an_effects_bus_with_a_delay_parts_the_copies_unless_the_program_compensates() -> None:
    bench = with_effects()
    bench.do(SetValues(item=bench.id("Reverb"), values={"effects": False, "effect_delay_samples": 480}))
    doubled = bench_leg(bench)
    assert [arrival.delay.samples - doubled.arrivals[0].delay.samples for arrival in doubled.arrivals] == [0, 480]
    bench.do(SetValues(item=bench.id("Recorder"), values={"delay_compensation": True}))
    together = bench_leg(bench)
    assert {arrival.delay.samples for arrival in together.arrivals} == {doubled.arrivals[1].delay.samples}
    found = run_line_check(bench.rig).ledger
    assert found.agreeing == len(found.targets)


def bench_leg(bench: Bench) -> Leg:
    return next(state for state in read(bench.rig).lines if state.line.purpose == "listen").legs[0]
