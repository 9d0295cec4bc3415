"""Programs at another rate than their device: speed, pitch, what the twin plays and what a line check hears."""

from fractions import Fraction

import numpy as np
import pytest
import scipy.signal
from scipy.signal import firwin, freqz, kaiser_beta

from clicks import Noise
from iskelo.core.edits.additions import AddLine, AddProgram
from iskelo.core.edits.edit import Plug, SetValues
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.rig.drivers import FILTER_TAPS, Quality
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.routes.route import passing_routes
from iskelo.core.snags.registry import find_snags
from iskelo.core.timing.delays import delay_of
from iskelo.core.timing.rates import STOPS_DB, cents, passband_hz, say_speed, speed
from iskelo.core.twin.converter import Converter
from iskelo.core.twin.run import run_twin
from rigs import Bench, ears, two_voices


def test_48_over_44_1() -> None:
    """Arithmetic: 48000/44100 = 160/147 = 1.0884, 1200 log2 of it = 146.7 cents; an octave is 1200."""
    assert float(Fraction(48_000, 44_100)) == pytest.approx(1.0884, abs=5e-5)
    assert cents(Fraction(48_000, 44_100)) == pytest.approx(146.7, abs=0.05)
    assert cents(2) == 1200
    assert say_speed(Fraction(48_000, 44_100)) == "8.8 % fast and 146.7 cents high"
    assert say_speed(Fraction(44_100, 48_000)) == "8.1 % slow and 146.7 cents low"


@pytest.mark.parametrize(("rate_hz", "optical"), [(44_100, 8), (48_000, 8), (88_200, 4), (96_000, 4), (192_000, 2)])
def test_an_optical_port_carries_8_4_or_2_channels(rate_hz: int, optical: int) -> None:
    """8 / 4 / 2: common practice, no published source."""
    bench = two_voices()
    bench.do(SetValues(item=bench.id("Box"), values={"capture": 16, "optical_in": 8, "rate_hz": rate_hz}))
    box = bench.box()
    assert box.channels_at("capture", rate_hz) == box.shown(box.drivers[0], "capture") == 8 + optical
    assert box.channels_at("playback", rate_hz) == 8


class Tone:
    """A tone of 1 kHz, made for whatever rate it is asked for."""

    def samples(self, rate_hz: int, start: int, count: int) -> np.ndarray:
        return (0.1 * np.sin(2 * np.pi * 1000 * np.arange(start, start + count) / rate_hz)).astype(np.float32)


def deck(rate_hz: int | None) -> tuple[Bench, Port]:
    """A player in the phones, beside a microphone that is recorded."""
    bench = two_voices()
    bench.do(AddProgram(name="Deck", program_kind="player", voices=("Music",), voice_width=1, device=bench.id("Box")))
    voice = next(v for p in index(bench.rig).programs() for v in p.voices)
    music = Port(voice.id, "voice", 1)
    return (
        bench.do(
            SetValues(item=bench.id("Deck"), values={"rate_hz": rate_hz}),
            AddLine(name="Music heard", purpose="listen", from_ports=(music,), to_ports=ears(bench)),
            SetValues(item=bench.track("T Alma"), values={"monitored": True}),
        ),
        music,
    )


@pytest.mark.parametrize(("rate_hz", "heard_hz"), [(None, 1000), (48_000, 1000), (44_100, 1088.4), (96_000, 500)])
def test_the_twin_plays_a_tone_as_high_as_predicted(rate_hz: int | None, heard_hz: float) -> None:
    """Outside check: numpy.fft finds the tone."""
    bench, music = deck(rate_hz)
    take = {c.port: c.samples for c in run_twin(bench.rig, {music: Tone()}, 1.1)}
    wave = take[ears(bench)[0]][4800:52_800]
    peak = np.argmax(np.abs(np.fft.rfft(wave * np.hanning(len(wave)))))
    assert peak == pytest.approx(heard_hz, abs=0.6)
    program = index(bench.rig).items[music.owner].program
    assert float(1000 * speed(index(bench.rig), program)) == pytest.approx(heard_hz, abs=0.05)


def test_a_line_off_speed_says_so_and_is_one_snag_with_its_cause() -> None:
    bench, _ = deck(44_100)
    state = bench.line("Music heard")
    assert state.headline == "off speed"
    assert bench.said(state.line.name) == "Deck voice 1 Music plays 8.8 % fast and 146.7 cents high"
    (snag,) = [each for each in find_snags(read(bench.rig)) if "speed" in each.rule or "rate" in each.rule]
    assert snag.rule == "program-at-another-rate"
    assert snag.follows == ("Music heard plays at the wrong speed",)
    first, second = snag.mend()
    assert (first.words, second.words) == ("Set Deck to 48 kHz", "Run Box at 44.1 kHz")


@pytest.mark.parametrize("rate_hz", [44_100, 96_000])
def test_a_line_check_hears_what_plays_at_the_wrong_speed_and_does_not_prove_it(rate_hz: int) -> None:
    bench, music = deck(rate_hz)
    ledger = run_line_check(bench.rig).ledger
    lines = {row.name: row for row in ledger.lines}
    assert "cents" in lines["Music heard"].words
    assert not lines["Music heard"].proved
    assert lines["L Alma"].proved
    ear = next(row for row in ledger.targets if row.target == ears(bench)[0])
    (sound,) = [each for each in ear.sounds if each.source == music]
    (copy,) = sound.copies
    assert copy.delay_samples == pytest.approx(copy.predicted_samples, abs=0.05)
    assert ear.state == "wrong speed"


@pytest.mark.parametrize("rate_hz", [44_100, 96_000])
def test_what_is_recorded_at_another_rate_than_its_box_runs_at_is_off_speed_and_not_proved(rate_hz: int) -> None:
    """Ruling 18 of the design's page on acts: such a file is right where it was made, and wrong anywhere else."""
    bench = two_voices()
    bench.do(SetValues(item=bench.id("Recorder"), values={"rate_hz": rate_hz}))
    assert {state.headline for state in read(bench.rig).lines} == {"off speed"}
    fast, high = 100 * (rate_hz / 48_000 - 1), 1200 * np.log2(rate_hz / 48_000)
    way, pitch = ("fast", "high") if fast > 0 else ("slow", "low")
    told = f"{abs(fast):.1f} % {way} and {abs(high):.1f} cents {pitch}"
    assert bench.said("L Alma") == f"what Recorder track 1 T Alma records plays {told} anywhere else"
    (snag,) = [each for each in find_snags(read(bench.rig)) if "speed" in each.rule or "rate" in each.rule]
    assert (snag.rule, len(snag.lines)) == ("program-at-another-rate", 2)
    ledger = run_line_check(bench.rig).ledger
    assert not any(row.proved for row in ledger.lines)
    bench.do(*snag.mend()[0].edits)
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}


def test_two_wrong_rates_that_cancel_each_other_are_told_with_both_and_never_proved() -> None:
    """Ruling 31."""
    bench, music = deck(44_100)
    track, box = Port(bench.track("T Bertil"), "track", 1), bench.id("Box")
    bench.do(
        SetValues(item=bench.id("Recorder"), values={"rate_hz": 44_100}),
        Plug(from_port=Port(box, "jack_out", 1), to_port=Port(box, "jack_in", 2), replace=True),
    )
    bench.do(AddLine(name="Music kept", purpose="record", from_ports=(music,), to_ports=(track,)))
    finding = bench.line("Music kept").finding("off speed")
    assert finding is not None
    assert finding.fact.parts["ratio"] * finding.fact.parts["kept"] == 1


def resampled(rate_hz: int, samples: int = 72) -> tuple[Bench, Port]:
    """The same deck by a driver that resamples; the recorder is at its rate too, and monitors Alma."""
    bench, music = deck(rate_hz)
    driver = bench.box().drivers[0].id
    return (
        bench.do(
            SetValues(item=bench.id("Recorder"), values={"rate_hz": rate_hz}),
            SetValues(item=driver, values={"resamples": True, "resampling_samples": samples}),
        ),
        music,
    )


@pytest.mark.parametrize("rate_hz", [44_100, 96_000, 22_050])
@pytest.mark.parametrize("samples", [72, 200, 40])
def test_a_driver_that_resamples_is_later_each_way_and_right_in_speed(rate_hz: int, samples: int) -> None:
    """Outside check: scipy.signal.correlate finds the delay; numpy.fft the tone."""
    bench, music = resampled(rate_hz, samples)
    found = read(bench.rig).found
    assert speed(found, found.items[music.owner].program) == 1
    noise = Noise(5, -40)
    take = {c.port: c.samples for c in run_twin(bench.rig, {bench.out("Alma"): noise}, 1.0)}
    track, ear = Port(bench.track("T Alma"), "track", 1), ears(bench)[0]
    for port, ways in ((track, 1), (ear, 2)):
        (route,) = passing_routes(read(bench.rig).graph, bench.out("Alma"), port)
        told = delay_of(route.edges, found)
        assert [term.samples for term in told.terms if term.label == "resampling"] == [samples] * ways
        got = take[port][:40_000]
        lags = scipy.signal.correlation_lags(len(got), 40_000)
        lag = lags[np.argmax(scipy.signal.correlate(got, noise.wave[:40_000], method="fft"))]
        assert lag == told.samples
    heard = run_twin(bench.rig, {music: Tone()}, 1.1)
    wave = next(c.samples for c in heard if c.port == ear)[4800:52_800]
    assert np.argmax(np.abs(np.fft.rfft(wave * np.hanning(len(wave))))) == pytest.approx(1000, abs=0.6)


def test_resampling_there_and_back_agrees_with_a_reference_library() -> None:
    """Outside check: scipy.signal.resample_poly to 44.1 kHz and back, as far up as its own filter is flat."""
    rng = np.random.default_rng(3)
    spectrum = np.zeros(24_001, complex)
    spectrum[100:12_000] = rng.standard_normal(11_900) + 1j * rng.standard_normal(11_900)
    sound = np.fft.irfft(spectrum)
    sound /= np.abs(sound).max()
    there = scipy.signal.resample_poly(sound, 147, 160, window=("kaiser", 12.0))
    back = scipy.signal.resample_poly(there, 160, 147, window=("kaiser", 12.0))
    converter = Converter(1, 72, 48_000, 44_100)
    blocks = [converter.push(each).copy() for each in np.array_split(sound[np.newaxis].astype(np.float32), 37, axis=1)]
    ours = np.concatenate(blocks, axis=1)[0, 72:]
    apart = (ours - back[: len(ours)])[2000:-2000]
    assert np.sqrt(np.mean(apart**2)) < 10 ** (-70 / 20) * np.sqrt(np.mean(sound**2))


def test_a_line_check_proves_what_a_resampling_driver_carries_and_a_note_tells_what_it_costs() -> None:
    bench, _ = resampled(44_100)
    assert bench.line("Music heard").headline == "arrives"
    rules = {snag.rule for snag in find_snags(read(bench.rig))}
    assert "driver-resamples" in rules
    assert not rules & {"program-at-another-rate", "rate-set-in-two-places", "line-off-speed"}
    lines = {row.name: row for row in run_line_check(bench.rig).ledger.lines}
    assert lines["Music heard"].proved
    assert lines["L Alma"].proved


def test_without_another_rate_a_driver_that_could_resample_adds_nothing() -> None:
    bench, _ = resampled(48_000)
    found = read(bench.rig).found
    assert not any(streams.converts for streams in found.opened.values())
    assert not bench.snags("driver-resamples")


@pytest.mark.parametrize("bank", ["capture", "playback"])
def test_a_box_without_channels_one_way_can_be_resampled_all_the_same(bank: str) -> None:
    bench, _ = resampled(44_100)
    bench.do(SetValues(item=bench.box().id, values={bank: 0}))
    take = {each.port: each.samples for each in run_twin(bench.rig, {bench.out("Alma"): Noise(5, -40)}, 0.2)}
    recorded = np.abs(take[Port(bench.track("T Alma"), "track", 1)]).max() > 1e-3
    assert recorded == (bank == "playback")


@pytest.mark.parametrize(("quality", "taps"), list(FILTER_TAPS.items()))
def test_the_quality_of_a_conversion_says_what_it_takes_and_passes(quality: Quality, taps: int) -> None:
    """Outside check: a filter of scipy's, made by Kaiser's window so long, passes so far and stops at what it must."""
    bench = two_voices()
    driver = bench.box().drivers[0]
    bench.do(
        SetValues(item=driver.id, values={"resamples": True, "resampling_quality": quality}),
        SetValues(item=bench.id("Recorder"), values={"rate_hz": 44_100}),
    )
    assert bench.box().drivers[0].resampling_samples == taps // 2
    edge = passband_hz(taps, 48_000, 44_100)
    (snag,) = bench.snags("driver-resamples")
    assert f"nothing above {round(edge / 1000, 2):g} kHz passes whole" in snag.consequence
    assert f"by its {quality} quality" in snag.evidence
    beta = kaiser_beta(STOPS_DB)
    cut = (edge + 22_050) / 2
    filtered = firwin(taps, cut, window=("kaiser", beta), fs=48_000)
    hz, response = freqz(filtered, worN=1 << 15, fs=48_000)
    loud_db = 20 * np.log10(np.abs(response) + 1e-12)
    assert abs(loud_db[hz <= edge * 0.98]).max() < 0.1
    assert loud_db[hz >= 22_050].max() < -STOPS_DB + 3
    # A figure that is typed says of no quality.
    bench.do(SetValues(item=driver.id, values={"resampling_samples": 90}))
    assert bench.box().drivers[0].resampling_quality is None
