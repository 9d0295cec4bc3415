"""The twin with several boxes and several clocks: exact on clocks of one speed, within a sample when matched, and
slipping when the prediction says so.
"""

import heapq
import itertools
import math
from fractions import Fraction
from unittest import mock

import numpy as np
import pytest
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from clicks import CLICK_AT_SECONDS, Click, Noise, measured, predicted
from drawn import drawn
from iskelo.core.edits.additions import AddDestination, AddInterface, AddLine, AddProgram, AddSources
from iskelo.core.edits.edit import JoinDevices, Plug, SetOutputDevice, SetValues
from iskelo.core.fractional_delay import BEFORE, TAPS, between
from iskelo.core.lines.context import read
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.timing.clocks import drift, drift_of
from iskelo.core.timing.delays import delay_of
from iskelo.core.twin import simulation
from iskelo.core.twin.ring import Clock, Ring
from iskelo.core.twin.run import run_twin
from iskelo.core.twin.told import Slipped
from rigs import Bench, any_rig, as_one_speed


@given(st.one_of(any_rig(), any_rig(busy=True), any_rig(busy=True)))
@settings(max_examples=drawn(150))
def test_the_twin_agrees_to_the_sample_on_any_rig_of_joined_boxes_whose_clocks_are_right(rig: Rig) -> None:
    rig = as_one_speed(rig)
    found = index(rig)
    if not found.boxes:
        return
    longest = max((way.buffer_samples for streams in found.opened.values() for way in streams.ways), default=0)
    longest = max(longest, *(driver.buffer_samples for box in found.boxes for driver in box.drivers))
    seconds = CLICK_AT_SECONDS + (8 * longest + 12_000) / min(box.rate_hz for box in found.boxes)
    for start in found.starts():
        for channel in run_twin(rig, {start: Click()}, seconds):
            routes = passing_routes(read(rig).graph, start, channel.port)
            if len(routes) >= ROUTES_AT_MOST:
                continue
            want, got = predicted(rig, start, channel.port), measured(channel.samples, channel.rate_hz)
            assert got.keys() == want.keys()
            for delay, amplitude in want.items():
                assert got[delay] == pytest.approx(amplitude, rel=2e-2, abs=1e-6)


@given(rig=any_rig(busy=True), stretch=st.sampled_from([1, 100, 1000]), seed=st.integers(1, 100))
@settings(max_examples=drawn(20, 4))
def test_sound_that_is_worked_at_once_is_that_of_every_block_by_itself(rig: Rig, stretch: int, seed: int) -> None:
    """Turns so short that a block or two goes through at a time, against turns of thousands of samples."""
    sounds = {start: Noise(number, -30) for number, start in enumerate(index(rig).starts(), start=1)}
    runs = []
    for samples in (stretch, 8192):
        slips: list[Slipped] = []
        with mock.patch.object(simulation, "STRETCH_SAMPLES", samples):
            runs.append((run_twin(rig, sounds, 0.2, seed=seed, slipped=slips.append), slips))
    (short, short_slips), (long, long_slips) = runs
    assert short_slips == long_slips
    for one, other in zip(short, long, strict=True):
        assert one.port == other.port
        # The dither is drawn in other pieces, and so are the bands in which a matching filter's coefficients go over
        # evenly between phases 1/160 of a sample apart. A sinc strays from its chord by h''/8 of that squared, and the
        # root of the sum of its h'' squared is pi^2/sqrt(5): 2.2e-5 of a sound's RMS. Five times that at full scale:
        assert np.allclose(one.samples, other.samples, atol=1.1e-4)


@given(
    ppm=st.integers(100, 1000),
    sign=st.sampled_from([-1, 1]),
    blocks=st.tuples(*[st.sampled_from([16, 32, 48, 64, 128, 240, 256, 441, 512, 1024, 2048])] * 2),
    margin=st.sampled_from([0, 1, 16, 100]),
    phase=st.fractions(0, 1),
)
@settings(max_examples=drawn(40, 6))
def test_a_ring_between_free_clocks_slips_when_the_prediction_says_and_by_as_much(
    ppm: int, sign: int, blocks: tuple[int, int], margin: int, phase: Fraction
) -> None:
    sender, receiver = blocks
    rate = 48_000
    told = drift(sign * ppm, rate, sender, receiver, margin, known=True)
    assert told is not None
    slips: list[tuple[float, int]] = []
    now_s = Fraction(0)
    writer = Clock(phase * sender / rate, rate * (1 + Fraction(sign * ppm, 10**6)))
    reader = Clock(Fraction(0), Fraction(rate))
    room = sender + receiver + margin + max(margin, sender, receiver)
    ring = Ring(
        0,
        (writer, sender),
        (reader, receiver),
        receiver + margin,
        room,
        matched=False,
        slipped=lambda samples: slips.append((float(now_s), samples)),
    )
    # Each end calls at the end of its blocks; where both do at once, the writer comes first.
    queue = [(writer.at(sender), 0, sender), (reader.at(receiver), 1, receiver)]
    started = None
    while len(slips) < 3:
        now_s, end, sample = heapq.heappop(queue)
        if end == 0:
            ring.wrote(sample)
            heapq.heappush(queue, (writer.at(sample + sender), 0, sample + sender))
        else:
            ring.wants(sample)
            started = started or float(now_s)
            heapq.heappush(queue, (reader.at(sample + receiver), 1, sample + receiver))
    # Seen only when a block is due; the place the reader begins at is a whole sample; and in the time until both ends'
    # blocks have fallen every way they can, a little more drifts.
    turn_s = (sender + receiver) / rate
    sample_s = 2 / told.samples_per_s
    round_s = math.lcm(sender, receiver) / rate
    first_s = slips[0][0] - (started or 0)
    assert told.first_from_s - sample_s - turn_s <= first_s <= told.first_to_s + sample_s + turn_s + round_s
    assert {samples for _, samples in slips} == {told.slip_samples}
    for (before_s, _), (after_s, _) in itertools.pairwise(slips):
        assert after_s - before_s == pytest.approx(told.every_s, abs=sample_s + turn_s + round_s)


def two_boxes(ppm: float, buffer: int, *, matched: bool, margin: int = 16) -> Bench:
    """A microphone on each of two boxes that are joined as one; headphones on the second one too."""
    bench = Bench(Rig(name="Two boxes"))
    bench.do(
        AddSources(names=("Alma", "Bertil")),
        AddInterface(name="First", buffer_samples=buffer),
        AddInterface(name="Second", buffer_samples=buffer),
        AddDestination(name="Phones", width=1),
    )
    first, second = bench.id("First"), bench.id("Second")
    bench.do(
        SetValues(item=first, values={"measured_ppm": 0}),
        SetValues(item=second, values={"measured_ppm": ppm}),
        JoinDevices(name="Both", members=(Member(device=first), Member(device=second, matched=matched))),
        SetValues(item=f"g{bench.rig.next_number}", values={"margin_samples": margin}),
        AddProgram(name="Recorder", device=f"g{bench.rig.next_number}", tracks=("One", "Two", "Three", "Four")),
        Plug(from_port=bench.out("Alma"), to_port=Port(first, "jack_in", 1)),
        Plug(from_port=bench.out("Bertil"), to_port=Port(second, "jack_in", 1)),
        Plug(from_port=Port(second, "jack_out", 1), to_port=Port(bench.id("Phones"), "in", 1)),
    )
    return bench


RATE_HZ = 48_000


def lag_of(played: np.ndarray, got: np.ndarray) -> int:
    """Outside check: by how many samples what was got is late, by scipy.signal.correlate."""
    lags = scipy.signal.correlation_lags(len(got), len(played))
    return int(lags[np.argmax(scipy.signal.correlate(got, played, method="fft"))])


@given(
    ppm=st.sampled_from([-1000.0, -312.5, -37.0, 0.0, 0.5, 4.0, 250.0, 1000.0]),
    buffer=st.sampled_from([16, 64, 128, 512, 2048]),
    margin=st.sampled_from([0, 16, 300]),
    seed=st.integers(1, 1000),
)
@settings(max_examples=drawn(25))
def test_matched_clocks_agree_with_the_prediction_within_a_sample_early_and_late(
    ppm: float, buffer: int, margin: int, seed: int
) -> None:
    bench = two_boxes(ppm, buffer, matched=True, margin=margin)
    track = bench.track("Three")
    noise, seconds = Noise(3, -40), 4.0
    slips: list[Slipped] = []
    take = run_twin(bench.rig, {bench.out("Bertil"): noise}, seconds, seed=seed, slipped=slips.append)
    got = next(channel.samples for channel in take if channel.port == Port(track, "track", 1))
    reading = read(bench.rig)
    (route,) = passing_routes(reading.graph, bench.out("Bertil"), Port(track, "track", 1))
    told = delay_of(route.edges, reading.found).samples
    # What the second box takes is counted on the first one's clock.
    assert told == round((26 + 7 + 24 + buffer) / (1 + ppm * 1e-6)) + buffer + margin + 32
    for start_s in (0.5, 2.0, 3.5):
        piece = slice(int(start_s * RATE_HZ), int(start_s * RATE_HZ) + 20_000)
        assert abs(lag_of(noise.wave[piece], got[piece]) - told) <= 1
    assert not slips


@pytest.mark.parametrize("ppm", [-1000.0, 1000.0])
@pytest.mark.parametrize("matched", [True, False])
def test_what_is_played_through_a_second_box_is_late_as_predicted_or_slips(ppm: float, matched: bool) -> None:
    bench = two_boxes(ppm, 64, matched=matched)
    found = index(bench.rig)
    program = bench.program()
    number = bench.rig.next_number
    bench.do(
        AddLine(
            name="Heard",
            purpose="listen",
            from_ports=(bench.out("Alma"),),
            to_ports=(Port(bench.id("Phones"), "in", 1),),
        )
    )
    assert number
    reading = read(bench.rig)
    assert reading.lines[0].headline == "silent"
    streams = found.opened[program.id]
    way = streams.ways[1]
    slips: list[Slipped] = []
    run_twin(bench.rig, {}, 5.0, slipped=slips.append)
    told, told_out = drift_of(found, streams, way), drift_of(found, streams, way, "playback")
    if matched:
        assert told is None
        assert not slips
        return
    assert told is not None
    assert told_out is not None
    inward = [slip for slip in slips if slip.inward]
    outward = [slip for slip in slips if not slip.inward]
    for some, of in ((inward, told), (outward, told_out)):
        # 64 samples at 48 samples a second: every 1.33 s, the first one sooner if the sender is slow.
        assert len(some) in (2, 3, 4)
        assert {slip.samples for slip in some} == {64}
        for before, after in itertools.pairwise(some):
            assert after.time_s - before.time_s == pytest.approx(of.every_s, abs=0.05)
        assert of.first_from_s - 0.05 <= some[0].time_s <= of.first_to_s + 0.05
    assert inward[0].device == "Both"
    assert inward[0].box == "Second"


@given(ppm=st.sampled_from([-900.0, 0.0, 333.0]), buffers=st.tuples(*[st.sampled_from([32, 64, 441, 1024])] * 2))
@settings(max_examples=drawn(12))
def test_input_and_output_on_two_boxes_wait_as_predicted(ppm: float, buffers: tuple[int, int]) -> None:
    bench = Bench(Rig(name="Pair"))
    bench.do(
        AddSources(names=("Alma",)),
        AddInterface(name="Into", buffer_samples=64),
        AddInterface(name="Out", buffer_samples=64),
    )
    into, out = bench.id("Into"), bench.id("Out")
    found = index(bench.rig)
    for box, buffer, off in ((into, buffers[0], ppm), (out, buffers[1], 0.0)):
        driver = found.gear[box].drivers[0].id
        bench.do(
            SetValues(item=box, values={"measured_ppm": off}),
            SetValues(item=driver, values={"buffers_samples": [buffer], "buffer_samples": buffer}),
        )
    bench.do(
        AddProgram(name="Recorder", device=into, tracks=("One",)),
        SetOutputDevice(program=f"p{bench.rig.next_number}", device=out, matched=True),
        Plug(from_port=bench.out("Alma"), to_port=Port(into, "jack_in", 1)),
    )
    noise = Noise(5, -40)
    end = Port(bench.track("One"), "track", 1)
    take = run_twin(bench.rig, {bench.out("Alma"): noise}, 2.0)
    got = next(channel.samples for channel in take if channel.port == end)
    told = round((26 + 7 + 24 + buffers[0]) / (1 + ppm * 1e-6)) + buffers[1] + 16 + 32
    (route,) = passing_routes(read(bench.rig).graph, bench.out("Alma"), end)
    assert delay_of(route.edges, index(bench.rig)).samples == told
    piece = slice(40_000, 60_000)
    assert abs(lag_of(noise.wave[piece], got[piece]) - told) <= 1


@pytest.mark.parametrize("hz", [100.0, 997.0, 9_000.0, 18_000.0, 20_000.0])
def test_sound_between_samples_is_right_to_a_ten_thousandth(hz: float) -> None:
    """Outside check: a sine, whose value at any moment numpy knows."""
    at = np.arange(4000)
    positions = BEFORE + 5.3 + 1.00037 * np.arange(3000)
    told = between(np.sin(2 * np.pi * hz / RATE_HZ * at)[np.newaxis].astype(np.float32), positions)[0]
    error = told - np.sin(2 * np.pi * hz / RATE_HZ * positions)
    assert positions[-1] + TAPS < len(at)
    assert 20 * math.log10(float(np.sqrt(np.mean(error**2)) * math.sqrt(2))) < -83
