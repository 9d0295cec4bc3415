"""What goes round: loops found, copies and growth foretold, and the same on the twin."""

import math
from fractions import Fraction

import networkx
import numpy as np
import pytest
import scipy.signal
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from clicks import CLICK_AT_SECONDS, Click, measured, predicted
from desks import desk_bench, heard_at, plugged, strip_of
from drawn import drawn
from iskelo.core.edits.additions import AddInterface, AddLine, AddOutboard, AddProgram, AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Plug, Remove, SetDirect, SetOutputTrim, SetTrim, SetValues
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.rings import Ringing
from iskelo.core.planner.meters import MetersRequest, meter_check
from iskelo.core.planner.opening import openings
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.loops import LOOPS_AT_MOST, inner_edges, loops_of
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.snags.registry import find_snags
from iskelo.core.survey import line_ways, survey, survey_again
from iskelo.core.timing.delays import delay_of
from iskelo.core.timing.rounds import Hopped, Passed, copies, determinant, growth_db_per_s
from iskelo.core.twin.run import run_twin
from iskelo.core.words.say import say
from rigs import Bench, any_rig, as_one_speed, ears, two_voices

BACK = st.one_of(any_rig(joined=False, busy=True, back=True), any_rig(busy=True, back=True))


@given(BACK)
@settings(max_examples=drawn(60))
def test_knots_and_loops_are_those_of_networkx(rig: Rig) -> None:
    """Outside check: networkx.strongly_connected_components and simple_cycles (of a multigraph: hop by hop)."""
    graph = read(rig).graph
    whole = networkx.DiGraph((edge.start, edge.end) for edge in graph.edges() if edge.block is None)
    parts = [part for part in networkx.strongly_connected_components(whole) if len(part) > 1]
    assert sorted(sorted(part) for part in parts) == sorted(list(knot.ports) for knot in graph.knots)
    for knot in graph.knots:
        edges = inner_edges(graph, knot)
        loops, more = loops_of(edges)
        parallel: dict[tuple[Port, Port], int] = {}
        for edge in edges:
            parallel[edge.start, edge.end] = parallel.get((edge.start, edge.end), 0) + 1
        cycles = networkx.simple_cycles(networkx.DiGraph(list(parallel)))
        count = 0
        for cycle in cycles:
            count += math.prod(parallel[pair] for pair in zip(cycle, [*cycle[1:], cycle[0]], strict=True))
            if count > LOOPS_AT_MOST:
                break
        assert (len(loops), more) == (min(count, LOOPS_AT_MOST), count > LOOPS_AT_MOST)
        assert len({frozenset(loop.edges) for loop in loops}) == len(loops)


@given(BACK)
@settings(max_examples=drawn(120, 16))
def test_the_twin_agrees_to_the_sample_on_any_rig_where_sound_goes_round(rig: Rig) -> None:
    rig = as_one_speed(rig)
    reading = read(rig)
    found = reading.found
    assume(found.boxes)
    assume(all(each.verdict == "rings" and not each.more and each.growth_db_per_s < -40 for each in reading.rings.all))
    assume(all(each.seconds > 0 for ring in reading.rings.all for each in ring.rounds))
    longest = max((way.buffer_samples for streams in found.opened.values() for way in streams.ways), default=0)
    longest = max(longest, *(driver.buffer_samples for box in found.boxes for driver in box.drivers))
    assume(longest <= 1024)
    seconds = CLICK_AT_SECONDS + (16 * longest + 16_000) / min(box.rate_hz for box in found.boxes)
    assume(len({box.rate_hz for box in found.boxes}) == 1)
    for start in found.starts():
        for channel in run_twin(rig, {start: Click()}, seconds):
            routes = passing_routes(reading.graph, start, channel.port)
            if len(routes) >= ROUTES_AT_MOST or (routes and not _told(reading, start, channel.port)):
                continue
            want = predicted(rig, start, channel.port)
            got = measured(channel.samples, channel.rate_hz)
            last = int((seconds - CLICK_AT_SECONDS) * channel.rate_hz) - 2
            # What is near the dither, or past the end, may be there or not.
            for delay, amplitude in want.items():
                if abs(amplitude) > 2e-5 and delay < last:
                    assert got[delay] == pytest.approx(amplitude, rel=1e-2, abs=3e-6)
            assert {delay for delay, amplitude in got.items() if abs(amplitude) > 2e-5} <= want.keys()


def _told(reading: Reading, start: Port, end: Port) -> bool:
    rings = reading.rings.between(start, end, reading.known)
    return not rings or bool(reading.rings.copies(passing_routes(reading.graph, start, end), rings))


def test_rigs_where_sound_goes_round_are_met() -> None:
    """The properties here are of something: many rigs have knots; most of those die away, some do not."""
    verdicts: list[str] = []

    @given(BACK)
    @settings(max_examples=150, database=None, derandomize=True)
    def count(rig: Rig) -> None:
        verdicts.extend(each.verdict for each in read(rig).rings.all)

    count()
    assert verdicts.count("rings") >= 5
    assert verdicts.count("howls") >= 1


def looped(gain_db: float, samples: int, *, inverted: bool = False, sources: int = 1) -> Bench:
    """A line player straight to headphones, and from there back by outboard gear: one loop of this gain and delay."""
    bench = Bench(two_voices().rig)
    bench.do(AddOutboard(name="Echo"), AddSources(names=("Player",), source_kind="line player"))
    box, echo = bench.id("Box"), bench.id("Echo")
    direct = bench.box().converter_in_samples + bench.box().mixer_samples + bench.box().converter_out_samples
    return bench.do(
        SetValues(item=bench.id("Player"), values={"level_dbu": -40.0}),
        SetValues(item=echo, values={"delay_samples": samples - direct, "rate_hz": bench.box().rate_hz}),
        Plug(from_port=bench.out("Player"), to_port=Port(box, "jack_in", 3)),
        Plug(from_port=Port(box, "jack_out", 5), to_port=Port(echo, "outboard_in", 1)),
        Plug(from_port=Port(echo, "outboard_out", 1), to_port=Port(box, "jack_in", 5), inverted=inverted),
        SetTrim(interface=box, jack_in=3, trim_db=0),
        SetTrim(interface=box, jack_in=5, trim_db=0),
        SetDirect(interface=box, jack_in=3, jack_out=5, gain_db=0),
        SetDirect(interface=box, jack_in=5, jack_out=5, gain_db=gain_db),
        SetDirect(interface=box, jack_in=3, jack_out=1, gain_db=0),
        SetDirect(interface=box, jack_in=5, jack_out=1, gain_db=0),
        AddLine(name="Player heard", purpose="listen", from_ports=(bench.out("Player"),), to_ports=ears(bench)[:1]),
    )


def ring(bench: Bench) -> Ringing:
    (only,) = read(bench.rig).rings.all
    return only


def test_a_loop_is_told_with_its_gain_and_delay() -> None:
    """By hand: -6 dB every 480 samples at 48 kHz, that is 10 ms: 60 dB less after 0.1 s."""
    bench = looped(-6, 480)
    told = ring(bench)
    assert told.verdict == "rings"
    assert told.worst.loop.gain_db == pytest.approx(-6)
    assert told.worst.seconds == Fraction(1, 100)
    assert told.growth_db_per_s == pytest.approx(-600)
    line = bench.line("Player heard")
    assert line.has("rings")
    said = say(line.finding("rings"), index(bench.rig))
    assert "−6.0 dB every 10.00 ms: 0.10 s to −60 dB; peaks of +6.0 dB every 100 Hz from 0 Hz" in said


def test_what_is_lost_quickly_is_no_finding_and_the_line_can_arrive() -> None:
    bench = looped(-24, 480)
    assert not ring(bench).is_heard
    assert not bench.line("Player heard").has("rings")


def test_what_goes_round_through_effects_is_no_finding() -> None:
    bench = looped(-6, 480)
    bench.do(SetValues(item=bench.id("Echo"), values={"effects": True}))
    assert not bench.line("Player heard").has("rings")
    assert ring(bench).verdict == "rings"


@pytest.mark.parametrize("gain_db", [0.0, 2.0])
def test_a_loop_of_nought_or_more_howls(gain_db: float) -> None:
    bench = looped(gain_db, 480)
    assert ring(bench).verdict == "howls"
    assert bench.line("Player heard").headline == "howls"
    (snag,) = bench.snags("sound-goes-round")
    assert snag.severity == "stop"


@given(gain_db=st.floats(-24, -0.5), inverted=st.booleans(), samples=st.integers(70, 500))
@settings(max_examples=drawn(60))
def test_copies_of_one_loop_are_those_of_the_recursive_filter(gain_db: float, inverted: bool, samples: int) -> None:
    """Outside check: scipy.signal.lfilter of 1 / (1 - g z^-T)."""
    ratio = (-1 if inverted else 1) * 10 ** (gain_db / 20)
    start, end, inside = (Port("b1", "jack_in", n) for n in (1, 2, 3))
    way = Passed(frozenset((start, inside, end)), 0.5, Fraction(7, 1000))
    loop = Passed(frozenset((inside,)), ratio, Fraction(samples, 1000))
    taps = np.zeros(samples + 1)
    taps[0], taps[samples] = 1, -ratio
    click = np.zeros(40 * samples + 8)
    click[7] = 0.5
    want = scipy.signal.lfilter([1.0], taps, click)
    told = copies([way], [loop])
    assert told[0] == (way.seconds, 0.5)
    for seconds, amplitude in told:
        if seconds * 1000 < len(want):
            assert amplitude == pytest.approx(want[int(seconds * 1000)])
    assert abs(len(told) - 1 - min(399, 66 / -gain_db)) <= 1


@given(gain_db=st.floats(-24, -1), inverted=st.booleans(), samples=st.integers(70, 300))
@settings(max_examples=drawn(25))
def test_peaks_and_dips_that_are_told_are_those_of_freqz(gain_db: float, inverted: bool, samples: int) -> None:
    """Outside check: scipy.signal.freqz at k/T and (k + 1/2)/T."""
    bench = looped(gain_db, samples, inverted=inverted)
    ratio = 10 ** (gain_db / 20)
    taps = np.zeros(samples + 1)
    taps[0], taps[samples] = 1, ratio if inverted else -ratio
    rate = bench.box().rate_hz
    at = np.array([0.5 if inverted else 1.0, 1.0 if inverted else 0.5]) * rate / samples
    _, response = scipy.signal.freqz([1.0], taps, worN=at, fs=rate)
    peak, dip = 20 * np.log10(np.abs(response))
    assert peak == pytest.approx(-20 * math.log10(1 - ratio), abs=1e-6)
    assert dip == pytest.approx(-20 * math.log10(1 + ratio), abs=1e-6)
    line = bench.line("Player heard")
    if line.has("rings"):
        said = say(line.finding("rings"), index(bench.rig))
        every, begin = rate / samples, rate / samples / 2 if inverted else 0.0
        assert f"peaks of +{peak:.1f} dB every {every:.0f} Hz from {begin:.0f} Hz" in said
        assert f"dips of {dip:.1f} dB".replace("-", "−") in said


@given(gain_db=st.floats(-12, 2).filter(lambda db: abs(db) > 0.2), samples=st.integers(70, 400))
@settings(max_examples=drawn(25))
def test_growth_and_decay_on_the_twin_are_as_foretold(gain_db: float, samples: int) -> None:
    bench = looped(gain_db, samples)
    told = ring(bench).growth_db_per_s
    rate = bench.box().rate_hz
    assert told == pytest.approx(gain_db * rate / samples)
    turns = min(12, int(36 / abs(gain_db)))
    seconds = CLICK_AT_SECONDS + ((turns + 3) * samples + 400) / rate
    phones = ears(bench)[0]
    (take,) = [each for each in run_twin(bench.rig, {bench.out("Player"): Click()}, seconds) if each.port == phones]
    begin = int(np.flatnonzero(np.abs(take.samples) > 1e-4)[0])
    # The first is the way past the loop, the second the first that comes through it; the converter's own dither, which
    # goes round as well, is far below.
    before, after = take.samples[begin + samples], take.samples[begin + turns * samples]
    grown = 20 * math.log10(abs(after / before)) / ((turns - 1) * samples / rate)
    assert grown == pytest.approx(told, rel=2e-2, abs=1)


HOPS = st.lists(
    st.tuples(st.integers(0, 4), st.integers(0, 4), st.floats(-20, 3), st.integers(1, 40)), min_size=1, max_size=9
)


@given(HOPS)
@settings(max_examples=drawn(100))
def test_growth_is_the_largest_root_of_the_determinant(hops: list[tuple[int, int, float, int]]) -> None:
    """Outside check: numpy.roots of Mason's determinant, over the loops that networkx finds."""
    ports = [Port("b1", "jack_in", n + 1) for n in range(5)]
    counted = {(a, b): (gain, time) for a, b, gain, time in hops}
    graph = networkx.DiGraph(list(counted))
    inner = [
        Hopped(ports[a], ports[b], gain, Fraction(time, 1000))
        for (a, b), (gain, time) in counted.items()
        if networkx.has_path(graph, b, a)
    ]
    assume(inner)
    loops = []
    for cycle in networkx.simple_cycles(graph):
        pairs = list(zip(cycle, [*cycle[1:], cycle[0]], strict=True))
        gain = sum(counted[pair][0] for pair in pairs)
        time = sum(counted[pair][1] for pair in pairs)
        loops.append(Passed(frozenset(ports[n] for n in cycle), 10 ** (gain / 20), Fraction(time, 1000)))
    whole = determinant(loops)
    taps = np.zeros(int(max(whole) * 1000) + 1)
    for seconds, gain in whole.items():
        taps[int(seconds * 1000)] += gain
    true = 20 * math.log10(np.abs(np.roots(taps)).max()) * 1000
    assert growth_db_per_s(inner) == pytest.approx(true, rel=1e-4, abs=0.5)


def test_two_loops_that_die_away_may_howl_together() -> None:
    """Two of -3 dB and 100 samples through one mix: +1450 dB a second, by hand: 20 log10(2 * 0.708) * 480."""
    mix, one, other = (Port("b1", "jack_in", n) for n in (1, 2, 3))
    hops = []
    for port in (one, other):
        hops += [Hopped(mix, port, -3.0, Fraction(100, 48_000)), Hopped(port, mix, 0.0, Fraction(0))]
    assert growth_db_per_s(hops) == pytest.approx(20 * math.log10(2 * 10 ** (-3 / 20)) * 480, rel=1e-6)


def crossed(*gains: tuple[float, bool]) -> Bench:
    """Leads back from the first jacks out into as many jacks in, each heard at each, of these gains and polarities."""
    bench = two_voices()
    box = bench.id("Box")
    bench.do(AddSources(names=("Player",), source_kind="line player"))
    count = len(gains)
    for jack, (gain_db, inverted) in enumerate(gains, start=3):
        bench.do(
            Plug(from_port=Port(box, "jack_out", jack), to_port=Port(box, "jack_in", jack), inverted=inverted),
            SetTrim(interface=box, jack_in=jack, trim_db=gain_db),
            *(SetDirect(interface=box, jack_in=jack, jack_out=n, gain_db=0.0) for n in range(3, 3 + count)),
        )
    return bench


def test_several_loops_are_told_as_one_with_the_worst_and_polarity_may_hold_them() -> None:
    straight, held = crossed((-3.0, False), (-3.0, False)), crossed((-3.0, False), (-3.0, True))
    assert ring(straight).verdict == "howls"
    assert ring(held).verdict == "may howl"
    assert ring(crossed((-9.0, False), (-9.0, True))).verdict == "rings"
    (snag,) = held.snags("sound-goes-round")
    assert "may howl" in snag.title


def test_eight_leads_back_are_one_snag_and_one_set_of_switches() -> None:
    bench = crossed(*[(-3.0, False)] * 8) if bench_has(8) else crossed(*[(-3.0, False)] * 5)
    told = ring(bench)
    assert told.more
    (snag,) = bench.snags("sound-goes-round")
    (remedy, *_) = tried_remedies(bench.rig, snag)
    after = apply(bench.rig, remedy.edits).rig
    assert not read(after).rings.all


def bench_has(jacks: int) -> bool:
    box = two_voices().box()
    return min(box.jack_in, box.jack_out) >= jacks + 2


@given(BACK)
@settings(max_examples=drawn(40), deadline=None)
def test_what_opens_a_knot_opens_all_of_it_and_harms_as_little_as_can_be(rig: Rig) -> None:
    reading = read(rig)
    for told in reading.rings.all:
        for some in openings(told.edges, reading):
            after = read(apply(rig, tuple(each.edit for each in some)).rig)
            ports = set(told.knot.ports)
            assert all(ports.isdisjoint(knot.ports) for knot in after.graph.knots)


@given(BACK)
@settings(max_examples=drawn(25), deadline=None)
def test_every_remedy_of_what_goes_round_can_be_made_and_betters_the_rig(rig: Rig) -> None:
    before = survey_again(rig, None)
    for snag in before.snags:
        if snag.rule == "sound-goes-round":
            for remedy in tried_remedies(rig, snag, before):
                after = survey_again(apply(rig, remedy.edits).rig, None)
                arriving = {line.id for line in after.survey.lines if line.headline == "arrives"}
                assert {line.id for line in before.survey.lines if line.headline == "arrives"} <= arriving


def test_leads_that_nothing_feeds_and_sound_that_never_meets_the_computer_are_refused() -> None:
    bench = two_voices()
    bench.do(AddOutboard(name="Echo"), AddOutboard(name="Squash"))
    echo, squash = bench.id("Echo"), bench.id("Squash")
    bench.do(Plug(from_port=Port(echo, "outboard_out", 1), to_port=Port(squash, "outboard_in", 1)))
    with pytest.raises(Refused, match="a circle of their own"):
        bench.do(Plug(from_port=Port(squash, "outboard_out", 1), to_port=Port(echo, "outboard_in", 1)))
    bench.do(Plug(from_port=bench.out("Alma"), to_port=Port(echo, "outboard_in", 1)))
    with pytest.raises(Refused, match="without meeting the computer"):
        bench.do(Plug(from_port=Port(squash, "outboard_out", 1), to_port=ears(bench)[0], replace=True))


def test_an_outboard_that_leads_nowhere_is_named_and_the_planner_plugs_it_on() -> None:
    bench = two_voices()
    bench.do(AddOutboard(name="Squash"))
    squash, box = bench.id("Squash"), bench.id("Box")
    lead = next(patch for patch in bench.rig.patches if patch.to_port == Port(box, "jack_in", 1))
    bench.do(
        Plug(from_port=lead.from_port, to_port=Port(squash, "outboard_in", 1)),
        SetValues(item=squash, values={"supplies_phantom": True}),
    )
    bench.rig = bench.rig.model_copy(update={"patches": tuple(p for p in bench.rig.patches if p.id != lead.id)})
    line = bench.line("L Alma")
    assert line.headline == "silent"
    assert "Squash leads nowhere" in say(line.findings[0], index(bench.rig))
    (snag,) = [each for each in bench.snags("line-silent") if line.line.id in each.lines]
    best = tried_remedies(bench.rig, snag)[0]
    assert best.words.startswith("Plug Squash out into Box jack in 1")
    bench.do(*best.edits)
    assert bench.line("L Alma").headline == "arrives"


def test_delays_of_several_rates_on_one_way_add_up_exactly() -> None:
    """By hand: 441 samples at 44.1 kHz are 10 ms, that is 480 at 48 kHz."""
    bench = looped(-60, 480)
    bench.do(SetValues(item=bench.id("Echo"), values={"delay_samples": 441, "rate_hz": 44_100}))
    found = index(bench.rig)
    told = ring(bench).worst
    box = bench.box()
    inside = box.converter_in_samples + box.mixer_samples + box.converter_out_samples
    assert delay_of(told.loop.edges, found).exact_samples == 480 + inside
    assert told.seconds == Fraction(480 + inside, 48_000)


def test_a_way_out_of_one_box_and_into_another_has_both_full_scales_in_its_level() -> None:
    """By hand: -40 dBu + 0 - 18 = -58 dBFS; played by +18: -40 dBu; into full scale +12 with 6 dB of trim: -46 dBFS."""
    bench = looped(-60, 480)
    box = bench.id("Box")
    bench.do(
        SetValues(item=box, values={"input_full_scale_dbu": 18.0, "output_full_scale_dbu": 24.0}),
        SetOutputTrim(interface=box, jack_out=5, trim_db=-2.0),
    )
    reading = read(bench.rig)
    (way,) = passing_routes(reading.graph, bench.out("Player"), Port(box, "capture", 5))
    assert isinstance(bench.box(), Interface)
    assert -40 + way.gain_db == pytest.approx(-40 - 18 + 24 - 2 - 18)


@pytest.mark.parametrize(
    ("first_hz", "second_hz", "outboard"),
    [
        (48_000, 96_000, (100, 48_000)),
        (96_000, 48_000, (100, 48_000)),
        (44_100, 48_000, (100, 48_000)),
        (192_000, 44_100, (0, 48_000)),
        (48_000, 48_000, (7, 44_100)),
    ],
)
def test_what_leaves_one_box_and_comes_into_another_at_another_rate_is_heard_as_foretold(
    first_hz: int, second_hz: int, outboard: tuple[int, int]
) -> None:
    """By hand: the first box's 59 samples, the outboard gear's, the second's way in, each at its own rate."""
    bench = Bench(Rig(name="Two rates"))
    bench.do(
        AddInterface(name="First", rate_hz=first_hz),
        AddInterface(name="Second", rate_hz=second_hz),
        AddSources(names=("Player",), source_kind="line player"),
        AddOutboard(name="Press"),
    )
    first, second, press = bench.id("First"), bench.id("Second"), bench.id("Press")
    bench.do(AddProgram(name="Longhand", device=second, tracks=("Player",)))
    samples, rate_hz = outboard
    bench.do(
        Plug(from_port=bench.out("Player"), to_port=Port(first, "jack_in", 1)),
        SetTrim(interface=first, jack_in=1, trim_db=-4),
        SetTrim(interface=second, jack_in=1, trim_db=0),
        SetDirect(interface=first, jack_in=1, jack_out=1, gain_db=0),
        Plug(from_port=Port(first, "jack_out", 1), to_port=Port(press, "outboard_in", 1)),
        Plug(from_port=Port(press, "outboard_out", 1), to_port=Port(second, "jack_in", 1)),
        SetValues(item=press, values={"delay_samples": samples, "rate_hz": rate_hz}),
        *(SetValues(item=box, values={"measured_ppm": 0.0}) for box in (first, second)),
        AddLine(
            name="Player",
            from_ports=(bench.out("Player"),),
            to_ports=(Port(bench.track("Player"), "track", 1),),
        ),
    )
    (arrival,) = bench.line("Player").legs[0].arrivals
    into = sum(term.samples for term in arrival.delay.terms if term.gear == "Second")
    seconds = Fraction(59, first_hz) + Fraction(samples, rate_hz) + Fraction(into, second_hz)
    assert arrival.delay.seconds == seconds
    (row,) = run_line_check(bench.rig).ledger.targets
    assert row.agrees
    (copy,) = row.sounds[0].copies
    assert copy.delay_samples == pytest.approx(float(seconds * second_hz), abs=0.02)
    assert copy.level_dbfs == pytest.approx(arrival.level_dbfs, abs=0.05)


def test_two_circles_that_have_nothing_in_common_are_two_snags() -> None:
    bench = looped(-6, 480)
    box = bench.id("Box")
    bench.do(
        Plug(from_port=Port(box, "jack_out", 7), to_port=Port(box, "jack_in", 7), gain_db=-20),
        SetDirect(interface=box, jack_in=7, jack_out=7, gain_db=0),
    )
    found = [snag for snag in find_snags(read(bench.rig)) if snag.rule == "sound-goes-round"]
    assert [snag.severity for snag in found] == ["stop", "trouble"]
    assert len({snag.key for snag in found}) == 2


def test_a_microphone_in_outboard_gear_without_a_supply_is_one_snag_with_what_could_really_be_so() -> None:
    bench = two_voices().do(AddOutboard(name="Press"))
    press, box = bench.id("Press"), bench.id("Box")
    lead = next(patch for patch in bench.rig.patches if patch.to_port == Port(box, "jack_in", 1))
    bench.do(
        Remove(items=(lead.id,)),
        SetValues(item=lead.from_port.owner, values={"needs_phantom": True}),
        Plug(from_port=lead.from_port, to_port=Port(press, "outboard_in", 1)),
        Plug(from_port=Port(press, "outboard_out", 1), to_port=Port(box, "jack_in", 1)),
    )
    assert bench.line("L Alma").headline == "blocked"
    (snag,) = [each for each in find_snags(read(bench.rig)) if bench.line("L Alma").line.id in each.lines]
    assert snag.title == "Alma needs phantom supply, and Press gives none"
    moved, supplies, own = tried_remedies(bench.rig, snag)
    assert (moved.fact, supplies.fact, own.fact) == (False, True, True)
    assert moved.words.startswith("Move Alma from Press in to Box jack in")
    bench.do(*supplies.edits)
    assert bench.line("L Alma").headline == "arrives"


def back_at_once(gain_db: float) -> Bench:
    """An analogue mixer whose phones go back into a strip by a lead: nothing in that circle takes any time."""
    bench = plugged(desk_bench("analogue mixer 8 Ketch", "mic Alma", "headphones Phones"), "Ketch", {"Alma": 1})
    desk = bench.id("Ketch")
    bench.do(
        Plug(from_port=Port(desk, "jack_out", 3), to_port=Port(desk, "jack_in", 2)),
        SetTrim(interface=desk, jack_in=2, trim_db=0),
        SetValues(item=strip_of(bench, "Ketch", "Strip 2").id, values={"gain_db": gain_db}),
    )
    return heard_at(bench, "Alma", "Ketch", 1)


def levels_told(bench: Bench) -> dict[str, float | None]:
    reading = read(bench.rig)
    return {hop.said: hop.level for hop in line_ways(reading, reading.lines[0])[0].hops}


@pytest.mark.parametrize("gain_db", [-20.0, -6.0, -3.0])
def test_what_goes_round_without_delay_raises_every_level_in_it_as_the_twin_does(gain_db: float) -> None:
    """A geometric series: a loop of ratio g adds up to 1 / (1 - g). The pan's centre takes 3.01 dB."""
    without, bench = back_at_once(-120.0), back_at_once(gain_db)
    raised = -20 * math.log10(1 - 10 ** ((gain_db - 3.0103) / 20))
    before, after = levels_told(without), levels_told(bench)
    assert after["Ketch strip Strip 1 behind the fader"] == before["Ketch strip Strip 1 behind the fader"]
    for place in ("Ketch mix Main L", "Ketch mix Main behind its fader L", "Ketch jack out 1", "Phones L"):
        assert after[place] == pytest.approx(before[place] + raised, abs=1e-3)
    said = bench.said("Alma heard")
    # What loses more than 20 dB at a turn is no finding; the levels on the way tell it all the same.
    assert gain_db < -17 or f"dB without any delay: all that it passes is {raised:.1f} dB louder for it" in said
    (target,) = [row for row in run_line_check(bench.rig).ledger.targets if row.target == ears(bench)[0]]
    (heard,) = target.sounds
    assert heard.copies[0].level_dbfs == pytest.approx(bench.line("Alma heard").legs[0].level_dbfs, abs=0.1)


def test_where_what_goes_round_clips_it_is_told_and_at_nought_db_no_level_is() -> None:
    loud = back_at_once(3.0)
    assert "it clips" in " ".join(say(each, index(loud.rig)) for each in loud.line("Alma heard").findings)
    howling = back_at_once(6.0)
    told = levels_told(howling)
    assert told["Ketch strip Strip 1 behind the fader"] is not None
    assert [told[place] for place in ("Ketch mix Main L", "Ketch jack out 1", "Phones L")] == [None] * 3
    assert survey(howling.rig).lines[0].level_dbfs is None
    with pytest.raises(Refused, match="does not die away: open it first"):
        meter_check(read(howling.rig), howling.line("Alma heard"), MetersRequest())
