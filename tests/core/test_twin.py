"""The twin against the prediction, to the sample, on any rig; and against an outside correlator."""

import itertools
import math

import numpy as np
import pytest
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from clicks import CLICK_AT_SECONDS, Click, Noise, measured, predicted
from drawn import drawn
from iskelo.core.edits.edit import SetDirect, SetValues
from iskelo.core.lines.context import read
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.timing.spare import to_spare, work_of
from iskelo.core.twin.delay_line import DelayLine
from iskelo.core.twin.driver import rehearsed_silence_samples
from iskelo.core.twin.engine import Engine
from iskelo.core.twin.run import Cancelled, run_twin
from iskelo.core.twin.told import Missed
from rigs import Bench, any_rig, as_one_speed, ears, heard, two_voices


def unhurried(rig: Rig) -> Rig:
    """The same rig with its programs at their boxes' rates and nothing to work on: a click stays one, and arrives."""
    free = {"rate_hz": None, "load_readings": ()}
    gear = tuple(each.model_copy(update=free) if isinstance(each, Program) else each for each in rig.gear)
    return rig.model_copy(update={"gear": gear})


@given(
    st.one_of(
        any_rig(joined=False),
        any_rig(joined=False, busy=True),
        any_rig(joined=False, busy=True, converting=True).map(unhurried),
    )
)
@settings(max_examples=drawn(120))
def test_the_twin_agrees_with_the_prediction_to_the_sample_on_any_rig(rig: Rig) -> None:
    rig = as_one_speed(rig)
    boxes = [gear for gear in rig.gear if isinstance(gear, Interface)]
    if not boxes:
        return
    seconds = CLICK_AT_SECONDS + max(
        (4 * driver.buffer_samples + 4 * (driver.engine or 0) + 3000) / box.rate_hz
        for box in boxes
        for driver in box.drivers
    )
    for start in index(rig).starts():
        for channel in run_twin(rig, {start: Click()}, seconds):
            want = predicted(rig, start, channel.port)
            found = measured(channel.samples, channel.rate_hz)
            routes = passing_routes(read(rig).graph, start, channel.port)
            if len(routes) >= ROUTES_AT_MOST:
                continue
            assert found.keys() == want.keys()
            for delay, amplitude in want.items():
                assert found[delay] == pytest.approx(amplitude, rel=2e-2, abs=1e-6)


@given(
    buffer=st.sampled_from([16, 64, 441, 1024, 4096]),
    fixed=st.tuples(*[st.integers(0, 200)] * 7),
    rate=st.sampled_from([44_100, 48_000, 96_000, 192_000]),
)
@settings(max_examples=drawn(25))
def test_a_recording_measured_by_scipy_has_the_predicted_delay(buffer: int, fixed: tuple[int, ...], rate: int) -> None:
    """Outside check: scipy.signal.correlate and correlation_lags on noise, both ways through the computer."""
    bench = two_voices()
    box = bench.box()
    names = (
        "converter_in_samples",
        "mixer_samples",
        "link_in_samples",
        "link_out_samples",
        "converter_out_samples",
    )
    bench.do(
        SetValues(item=box.id, values={**dict(zip(names, fixed, strict=False)), "rate_hz": rate}),
        SetValues(
            item=box.drivers[0].id,
            values={
                "buffers_samples": [buffer],
                "buffer_samples": buffer,
                "safety_in_samples": fixed[5],
                "safety_out_samples": fixed[6],
            },
        ),
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
    )
    heard(bench, "Alma")
    noise = Noise(7, -40)
    length = 4 * buffer + 8000
    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): noise}, length / rate)}
    for name, port in (("L Alma", Port(bench.track("T Alma"), "track", 1)), ("Alma heard", ears(bench)[0])):
        played, got = noise.wave[: len(take[port])], take[port]
        lags = scipy.signal.correlation_lags(len(got), len(played))
        peak = lags[np.argmax(scipy.signal.correlate(got, played, method="fft"))]
        assert peak == bench.line(name).delays()[0].samples
    capture = fixed[0] + fixed[1] + fixed[2] + fixed[5] + buffer
    assert bench.line("L Alma").delays()[0].samples == capture
    assert bench.line("Alma heard").delays()[0].samples == capture + buffer + fixed[6] + fixed[3] + fixed[4]


@given(block=st.integers(1, 700), period=st.integers(1, 700))
@settings(max_examples=drawn(300))
def test_a_rehearsal_finds_the_silence_that_the_formula_asks_for(block: int, period: int) -> None:
    """Both ways by their own means: the twin counts a round through, the prediction says B - gcd(B, M)."""
    assert rehearsed_silence_samples(block, period) == block - math.gcd(block, period)


def test_an_engine_never_runs_dry_and_waits_no_longer_than_it_must() -> None:
    """Noise through a shared driver whose engine and blocks do not fit each other: whole, and as late as predicted."""
    bench = two_voices()
    driver = bench.box().drivers[0].id
    bench.do(
        SetValues(item=driver, values={"kind": "system, shared", "engine_samples": 441, "buffer_samples": 512}),
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
    )
    heard(bench, "Alma")
    noise = Noise(11, -40)
    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): noise}, 0.5)}
    recorded, played = take[Port(bench.track("T Alma"), "track", 1)], take[ears(bench)[0]]
    captured, through = (bench.line(name).delays()[0].samples for name in ("L Alma", "Alma heard"))
    fixed = 26 + 7 + 24
    assert captured == fixed + 441 + 512 - 1
    assert through == captured + 441 + 32 + 26
    for got, late in ((recorded, captured), (played, through)):
        length = len(got) - late - 2000
        wanted = noise.wave[:length] / np.sqrt(2) * 10 ** ((38 - 18) / 20)
        assert np.abs(got[late : late + length] - wanted).max() < 1e-5


def loaded(percent_at_128: float, percent_at_256: float, late_ms: float = 0.0) -> Bench:
    """Alma recorded and heard through a program with so much work, at a buffer of 128."""
    bench = two_voices()
    readings = [{"buffer_samples": size, "percent": p} for size, p in ((128, percent_at_128), (256, percent_at_256))]
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"load_readings": readings}),
        SetValues(item="rig", values={"jitter_ms": late_ms}),
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
    )
    return heard(bench, "Alma")


def played(bench: Bench) -> tuple[np.ndarray, np.ndarray, Missed]:
    """What was recorded, what was heard, and the blocks that were missed."""
    told: list[Missed] = []
    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): Noise(5, -40)}, 0.5, told=told.append)}
    (missed,) = told
    return take[Port(bench.track("T Alma"), "track", 1)], take[ears(bench)[0]], missed


@given(st.floats(1, 150), st.floats(0.2, 1.0), st.floats(0, 1.5), st.integers(0, 3))
@settings(max_examples=drawn(25))
def test_no_block_is_missed_where_time_is_left_and_some_are_where_none_is(
    percent: float, falls: float, late_ms: float, seed: int
) -> None:
    """The prediction's time to spare, at the longest jitter and at none, against the deadlines of the twin."""
    bench = loaded(percent, percent * falls, late_ms)
    (work,) = work_of(bench.program().load_readings, 48_000)
    told: list[Missed] = []
    run_twin(bench.rig, {}, 0.3, seed=seed, told=told.append)
    (missed,) = told
    assert missed.blocks == int(0.3 * 48_000 / 128)
    if to_spare(work, late_ms / 1000, 128, 48_000) > 1e-9:
        assert missed.missed == 0
    if to_spare(work, 0, 128, 48_000) < -1e-9:
        assert missed.missed > 0


def test_what_is_not_finished_in_time_is_a_gap_in_the_phones_and_on_the_take() -> None:
    whole, whole_ears, none = played(loaded(60, 50))
    assert none.missed == 0
    # One and a half periods of work: no block is ready when it is due, and every third is not even looked at.
    tape, phones, all_of_them = played(loaded(150, 150))
    assert all_of_them.missed == all_of_them.blocks
    assert not phones.any()
    blocks = len(tape) // 128 - 1
    silent = [not tape[128 * n : 128 * (n + 1)].any() for n in range(1, blocks)]
    assert sum(silent) / len(silent) == pytest.approx(1 / 3, abs=0.02)
    same = [np.array_equal(tape[128 * n : 128 * (n + 1)], whole[128 * n : 128 * (n + 1)]) for n in range(1, blocks)]
    assert all(gap or kept for gap, kept in zip(silent, same, strict=True))
    assert whole_ears.any()


def test_direct_monitoring_never_passes_the_computer() -> None:
    bench = two_voices()
    bench.do(SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2, gain_db=-6))
    heard(bench, "Alma")
    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): Click()}, CLICK_AT_SECONDS + 0.05)}
    left, right = ears(bench)
    box = bench.box()
    assert measured(take[left], 48_000) == {}
    assert list(measured(take[right], 48_000)) == [
        box.converter_in_samples + box.mixer_samples + box.converter_out_samples
    ]


def test_a_converter_clips_at_full_scale() -> None:
    bench = two_voices()
    loud = Noise(3, 10)
    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): loud}, 0.2)}
    recorded = take[Port(bench.track("T Alma"), "track", 1)]
    assert recorded.max() == pytest.approx(1, abs=1e-6)
    assert recorded.min() == -1
    assert np.mean(np.abs(recorded) > 0.999) > 0.5


def test_the_same_seed_gives_the_same_take_and_another_seed_another_dither() -> None:
    bench = two_voices()
    runs = [run_twin(bench.rig, {bench.out("Alma"): Click()}, 0.02, seed=seed)[0].samples for seed in (1, 1, 2)]
    assert np.array_equal(runs[0], runs[1])
    assert not np.array_equal(runs[0], runs[2])


def test_a_run_stops_when_it_is_told_to() -> None:
    bench = two_voices()
    shares: list[float] = []

    def stop(share: float) -> bool:
        shares.append(share)
        return share < 0.5

    with pytest.raises(Cancelled):
        run_twin(bench.rig, {bench.out("Alma"): Click()}, 0.2, progress=stop)
    assert shares == sorted(shares)
    assert 0.5 <= shares[-1] < 0.6


def test_events_run_in_order_of_time_then_devices_before_programs() -> None:
    engine = Engine([44_100, 48_000])
    ran: list[str] = []
    engine.at(engine.ticks(1, 48_000), 1, lambda: ran.append("program"))
    engine.at(engine.ticks(1, 48_000), 0, lambda: ran.append("device"))
    engine.at(engine.ticks(1, 44_100), 0, lambda: ran.append("slower clock"))
    engine.run(engine.ticks_per_second)
    assert ran == ["device", "program", "slower clock"]
    assert engine.ticks(44_100, 44_100) == engine.ticks(48_000, 48_000)


@given(st.integers(0, 50), st.lists(st.integers(1, 40), min_size=1, max_size=12))
def test_a_delay_line_delays_blocks_of_any_size(samples: int, blocks: list[int]) -> None:
    line = DelayLine(1, samples)
    sound = np.arange(1, sum(blocks) + 1, dtype=float)
    edges = np.cumsum([0, *blocks])
    out = [line.push(sound[None, a:b])[0] for a, b in itertools.pairwise(edges)]
    assert np.array_equal(np.concatenate(out), np.concatenate([np.zeros(samples), sound])[: len(sound)])
