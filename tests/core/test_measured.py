"""A measured round trip, and where an overdub lands; each against the twin."""

import numpy as np
import pytest
import scipy.signal

from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import AddProgram, SetValues
from iskelo.core.lines.context import read
from iskelo.core.planner.ladder import Ladder, ladders, say_overdub
from iskelo.core.planner.measured import RoundTripRequest, settle_round_trip
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import index
from iskelo.core.twin.run import run_twin
from rigs import Bench, ears, heard, two_voices


def ladder_of(bench: Bench, name: str = "Recorder") -> Ladder:
    return next(each for each in ladders(read(bench.rig)) if each.name == name)


def settle(bench: Bench, samples: int) -> Bench:
    wanted = RoundTripRequest(driver=bench.box().drivers[0].id, round_trip_samples=samples)
    return bench.do(*settle_round_trip(index(bench.rig), wanted))


@pytest.mark.parametrize(("measured", "safety"), [(371, (24, 32)), (400, (24, 61)), (339, (24, 0)), (322, (7, 0))])
def test_a_measured_round_trip_is_what_is_predicted_from_then_on_and_what_the_twin_takes(
    measured: int, safety: tuple[int, int]
) -> None:
    """Buffers 256, A/D 26, mixer 7, D/A 26: the rest is measured - 315. Heard by scipy.signal.correlate."""
    bench = settle(two_voices(), measured)
    driver = bench.box().drivers[0]
    assert (driver.safety_in_samples, driver.safety_out_samples) == safety
    assert {driver.origins[field] for field in ("safety_in_samples", "safety_out_samples")} == {"measured"}
    assert ladder_of(bench).round_trip_samples == measured
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    heard(bench, "Alma")
    wave = (0.01 * np.random.default_rng(2).standard_normal(48_000)).astype(np.float32)

    class Noise:
        def samples(self, rate_hz: int, start: int, count: int) -> np.ndarray:
            return wave[start : start + count]

    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): Noise()}, 0.5)}
    got = take[ears(bench)[0]]
    lags = scipy.signal.correlation_lags(len(got), len(got))
    assert lags[np.argmax(scipy.signal.correlate(got, wave[: len(got)], method="fft"))] == measured


@pytest.mark.parametrize(
    ("samples", "reason"),
    [(314, "its buffers of 256 and its other parts of 59"), (0, "no round trip"), (10**6, "say 1")],
)
def test_a_round_trip_that_cannot_be_says_why(samples: int, reason: str) -> None:
    with pytest.raises(Refused, match=reason):
        settle(two_voices(), samples)


def test_a_driver_that_is_gone_says_so() -> None:
    with pytest.raises(Refused, match="this driver is gone"):
        settle_round_trip(index(two_voices().rig), RoundTripRequest(driver="d99", round_trip_samples=400))


def test_an_overdub_lands_a_round_trip_late_less_what_the_program_compensates() -> None:
    bench = two_voices()
    late = ladder_of(bench).round_trip_samples
    assert ladder_of(bench).overdub == f"lands {late} samples, {late / 48:.2f} ms late; move it earlier by as much"
    bench.do(SetValues(item=bench.id("Recorder"), values={"compensates_samples": late}))
    assert ladder_of(bench).overdub == "lands where it was played"
    bench.do(SetValues(item=bench.id("Recorder"), values={"compensates_samples": late + 48}))
    assert ladder_of(bench).overdub == "lands 48 samples, 1.00 ms early; move it later by as much"
    assert say_overdub(768, 48_000) == "lands 768 samples, 16.00 ms late; move it earlier by as much"
    bench.do(AddProgram(name="Deck", program_kind="player", device=bench.id("Box")))
    assert ladder_of(bench, "Deck").overdub == ""


def test_the_twin_plays_and_records_the_two_halves_of_an_overdub() -> None:
    """What a voice takes to the phones, and what a microphone takes to the tape, make the round trip together."""
    bench = two_voices()
    bench.do(
        AddProgram(name="Deck", program_kind="player", voices=("Click",), voice_width=1, device=bench.id("Box")),
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
    )
    heard(bench, "Alma")
    voice = next(v for p in index(bench.rig).programs() for v in p.voices)

    class Click:
        def samples(self, rate_hz: int, start: int, count: int) -> np.ndarray:
            out = np.zeros(count, np.float32)
            if start <= 480 < start + count:
                out[480 - start] = 0.01
            return out

    played = {c.port: c.samples for c in run_twin(bench.rig, {Port(voice.id, "voice", 1): Click()}, 0.1)}
    taken = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): Click()}, 0.1)}
    out = int(np.argmax(np.abs(played[ears(bench)[0]]))) - 480
    back = int(np.argmax(np.abs(taken[Port(bench.track("T Alma"), "track", 1)]))) - 480
    assert out + back == ladder_of(bench).round_trip_samples
