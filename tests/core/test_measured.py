"""A measured round trip, and where an overdub lands; each against the twin."""

import numpy as np
import pytest
import scipy.signal

import clicks
from clicks import Click
from iskelo.core.edits.additions import AddProgram
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import SetDirect, SetValues
from iskelo.core.lines.context import read
from iskelo.core.planner.ladder import Ladder, ladders, say_overdub
from iskelo.core.planner.measured import (
    FeedbackRequest,
    ReportRequest,
    RoundTripRequest,
    settle_feedback,
    settle_report,
    settle_round_trip,
)
from iskelo.core.rig.gear import LinkKind
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.survey import survey
from iskelo.core.timing.feedback import feedback_word, rate_of
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
    assert driver.safety(48_000, 128) == (*safety, "measured", "measured")
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


def test_what_a_driver_reports_is_what_each_way_takes_in_the_prediction_and_in_the_twin() -> None:
    """128 of buffer each way, A/D 26 and mixer 7 in, D/A 26 out: 210 leave 49 in, 250 leave 96 out."""
    bench = two_voices()
    driver = bench.box().drivers[0].id
    bench.do(
        *settle_report(index(bench.rig), ReportRequest(driver=driver, in_samples=210, out_samples=250)),
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
    )
    heard(bench, "Alma")
    assert bench.box().drivers[0].safety(48_000, 128) == (49, 96, "described", "described")
    assert ladder_of(bench).in_ms == pytest.approx(210 / 48)
    assert ladder_of(bench).out_ms == pytest.approx(250 / 48)
    ends = {ears(bench)[0]: 460, Port(bench.track("T Alma"), "track", 1): 210}
    takes = {each.port: each.samples for each in run_twin(bench.rig, {bench.out("Alma"): Click()}, 0.3)}
    assert {end: list(clicks.measured(takes[end], 48_000)) for end in ends} == {end: [ends[end]] for end in ends}


@pytest.mark.parametrize(
    ("into", "out", "reason"),
    [
        (160, 250, "reported in: 160 samples is less than its buffer of 128 and its other parts of 33"),
        (210, 153, "reported out: 153 samples is less than its buffer of 128 and its other parts of 26"),
        (0, 250, "0 samples is no delay"),
        (210, 10**6, "1000000 samples is no delay"),
    ],
)
def test_a_report_that_cannot_be_says_which_way_and_why(into: int, out: int, reason: str) -> None:
    bench = two_voices()
    wanted = ReportRequest(driver=bench.box().drivers[0].id, in_samples=into, out_samples=out)
    with pytest.raises(Refused) as refused:
        settle_report(index(bench.rig), wanted)
    assert reason in f"{refused.value}"


def test_what_is_known_is_kept_by_rate_and_buffer() -> None:
    """Each measurement replaces the one at its own rate and buffer; at another rate none of them counts."""
    bench = settle(two_voices(), 371)
    driver = bench.box().drivers[0].id
    bench.do(SetValues(item=driver, values={"buffer_samples": 512}))
    # Nothing is known at 512 yet: what was measured at 128 is the nearest. 2 x 512 and 59 beside the 56.
    assert ladder_of(bench).round_trip_samples == 1024 + 59 + 56
    settle(bench, 1200)
    rungs = {rung.buffer_samples: (rung.round_trip_samples, rung.known) for rung in ladder_of(bench).rungs}
    assert rungs[128] == (371, "measured")
    assert rungs[512] == (1200, "measured")
    assert rungs[256] == (512 + 59 + 56, ""), "128 is nearer to it than 512"
    assert rungs[1024] == (2048 + 59 + 117, "")
    settle(bench, 1210)
    assert len(bench.box().drivers[0].offsets) == 2
    bench.do(SetValues(item=bench.box().id, values={"rate_hz": 96_000}))
    assert ladder_of(bench).round_trip_samples == 1024 + 59 + 24 + 32
    assert ladder_of(bench).assumed
    bench.do(SetValues(item=bench.box().id, values={"rate_hz": 48_000}))
    assert ladder_of(bench).round_trip_samples == 1210


def test_a_known_total_leaves_nothing_in_doubt_that_it_covers() -> None:
    """All figures are from nobody. A round trip that was measured settles both ways together, a report each of them."""
    bench = two_voices()
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    heard(bench, "Alma")

    def doubts() -> tuple[bool, bool, bool, bool, bool]:
        ladder = ladder_of(bench)
        lines = {line.purpose: line.delay_assumed for line in survey(bench.rig).lines}
        return ladder.assumed, ladder.assumed_in, ladder.assumed_out, lines["record"], lines["listen"]

    assert doubts() == (True, True, True, True, True)
    settle(bench, 400)
    assert doubts() == (False, True, True, True, False)
    report = ReportRequest(driver=bench.box().drivers[0].id, in_samples=200, out_samples=200)
    bench.do(*settle_report(index(bench.rig), report))
    assert doubts() == (False, False, False, False, False)
    rungs = {rung.buffer_samples: rung.assumed for rung in ladder_of(bench).rungs}
    assert (rungs[128], rungs[256]) == (False, True)
    # What is heard in the box alone passes no driver: no total of one covers it.
    bench.do(SetDirect(interface=bench.box().id, jack_in=1, jack_out=1, gain_db=0))
    assert doubts()[4]


def test_what_a_driver_that_resamples_takes_is_no_part_of_what_it_reports() -> None:
    bench = two_voices()
    driver = bench.box().drivers[0].id
    bench.do(
        *settle_report(index(bench.rig), ReportRequest(driver=driver, in_samples=200, out_samples=200)),
        SetValues(item=driver, values={"resamples": True}),
        SetValues(item=bench.id("Recorder"), values={"rate_hz": 44_100}),
    )
    assert ladder_of(bench).assumed_in
    bench.do(SetValues(item=driver, values={"resampling_samples": 80}))
    assert not ladder_of(bench).assumed_in
    assert ladder_of(bench).in_ms == pytest.approx(280 / 48)


def test_a_known_total_stays_when_one_of_its_parts_is_corrected() -> None:
    bench = settle(two_voices(), 400)
    driver = bench.box().drivers[0].id

    def correct(**values: int) -> str:
        applied = apply(bench.rig, (SetValues(item=bench.box().id, values={**values}),))
        bench.rig = applied.rig
        return applied.words

    # 24 in and 61 out; the converter takes 10 more than was thought.
    assert "vendor driver adds up to the same" in correct(converter_in_samples=36)
    assert bench.box().drivers[0].safety(48_000, 128)[:2] == (14, 61)
    # More than the way in has left: the way out gives it.
    correct(mixer_samples=47)
    assert bench.box().drivers[0].safety(48_000, 128)[:2] == (0, 35)
    assert ladder_of(bench).round_trip_samples == 400
    assert "adds up" not in correct(jack_in=3)
    # No room left at all: it cannot have been measured so.
    assert "leaves no room for that and is forgotten" in correct(converter_out_samples=100)
    assert bench.box().drivers[0].offsets == ()
    # A report says each way by itself.
    bench.do(*settle_report(index(bench.rig), ReportRequest(driver=driver, in_samples=300, out_samples=300)))
    correct(converter_out_samples=90, converter_in_samples=30)
    assert (ladder_of(bench).in_ms, ladder_of(bench).out_ms) == pytest.approx((300 / 48, 300 / 48))


def test_two_sets_of_offsets_for_one_place_are_refused() -> None:
    bench = two_voices()
    twice = [{"rate_hz": 48_000, "buffer_samples": 128, "in_samples": n, "out_samples": 1} for n in (1, 2)]
    with pytest.raises(Refused, match="two sets of safety offsets are for the same rate and buffer"):
        bench.do(SetValues(item=bench.box().drivers[0].id, values={"offsets": twice}))


@pytest.mark.parametrize(
    ("link", "rate", "words"),
    [
        ("USB high speed", 48_000, "about 6 samples (0.125 ms)"),
        ("USB high speed", 44_100, "about 6 samples (0.136 ms)"),
        ("USB full speed", 48_000, "about 48 samples (1 ms)"),
        ("built in", 48_000, ""),
    ],
)
def test_a_real_link_differs_by_about_a_packet_from_start_to_start(link: str, rate: int, words: str) -> None:
    """USB 2.0: frames of 1 ms at full speed, microframes of 125 us at high speed (from memory)."""
    bench = two_voices()
    bench.do(SetValues(item=bench.box().id, values={"link_kind": link, "rate_hz": rate}))
    assert ladder_of(bench).varies.startswith(words)
    assert bool(ladder_of(bench).varies) == bool(words)


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

    class Beat:
        def samples(self, rate_hz: int, start: int, count: int) -> np.ndarray:
            out = np.zeros(count, np.float32)
            if start <= 480 < start + count:
                out[480 - start] = 0.01
            return out

    played = {c.port: c.samples for c in run_twin(bench.rig, {Port(voice.id, "voice", 1): Beat()}, 0.1)}
    taken = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): Beat()}, 0.1)}
    out = int(np.argmax(np.abs(played[ears(bench)[0]]))) - 480
    back = int(np.argmax(np.abs(taken[Port(bench.track("T Alma"), "track", 1)]))) - 480
    assert out + back == ladder_of(bench).round_trip_samples


@pytest.mark.parametrize(
    ("link", "rate", "word"),
    [
        ("USB high speed", 48_000, 0x0006_0000),
        ("USB full speed", 48_000, 0x0C_0000),
        ("USB high speed", 96_000, 0x000C_0000),
        ("USB full speed", 44_100, 0x0B_0666),
        ("USB high speed", 44_100, 0x0005_8333),
    ],
)
def test_the_words_a_usb_box_asks_by(link: LinkKind, rate: int, word: int) -> None:
    """USB 2.0, 5.12.4.2 (from memory): 10.14 samples a frame, 16.16 a microframe; 48 kHz at high speed 0x00060000."""
    assert feedback_word(rate, link) == word
    assert float(rate_of(word, link)) == pytest.approx(rate, rel=1e-5)


def test_what_a_link_asks_for_says_how_fast_the_clock_of_its_box_is() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.box().id, values={"link_kind": "USB high speed"}))
    bench.do(*settle_feedback(index(bench.rig), FeedbackRequest(box=bench.box().id, word=" 0x00060027 ")))
    # 39 steps of 1 / 0x60000: 99.2 ppm, told as fine as one step of 2.5 ppm allows.
    assert (bench.box().measured_ppm, bench.box().origins["measured_ppm"]) == (99, "measured")
    bench.do(*settle_feedback(index(bench.rig), FeedbackRequest(box=bench.box().id, word="5ffec")))
    assert bench.box().measured_ppm == -51


@pytest.mark.parametrize(
    ("link", "word", "reason"),
    [
        ("USB high speed", "0x58333", "asks for 44100 Hz at high speed; 48000 Hz is 0x60000"),
        ("USB full speed", "0x60000", "asks for 24000 Hz at full speed; 48000 Hz is 0xC0000"),
        ("USB high speed", "sixty", "sixty is no such word"),
        ("built in", "0x60000", "its link is built in; only USB asks"),
    ],
)
def test_a_word_that_cannot_be_says_why(link: LinkKind, word: str, reason: str) -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.box().id, values={"link_kind": link}))
    with pytest.raises(Refused, match=reason):
        settle_feedback(index(bench.rig), FeedbackRequest(box=bench.box().id, word=word))
    with pytest.raises(Refused, match="this box is gone"):
        settle_feedback(index(bench.rig), FeedbackRequest(box="b99", word=word))
