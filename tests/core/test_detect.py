"""The test signal and its detection: known delays, levels, polarities, noises, speech."""

import functools
from pathlib import Path

import numpy as np
import pytest
import scipy.signal
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.signals.comb import PERIODS_PLAYED, woven_comb
from iskelo.core.signals.detect import Detection, detect

RATE = 48_000
woven = functools.cache(woven_comb)
"""A comb of so many sources, woven once."""

LENGTH = PERIODS_PLAYED * 2 * RATE + RATE // 4
SPEECH = Path("/usr/share/sounds/alsa")


def shifted(wave: np.ndarray, delay: float) -> np.ndarray:
    """A periodic wave later by a fractional number of samples: a phase slope on its spectrum."""
    spectrum = np.fft.rfft(wave)
    return np.fft.irfft(spectrum * np.exp(-2j * np.pi * np.arange(len(spectrum)) * delay / len(wave)), len(wave))


def take(*parts: np.ndarray, noise_db: float | None = -80, seed: int = 5) -> np.ndarray:
    total = sum(np.resize(part, LENGTH) for part in parts)
    if noise_db is not None:
        total = total + np.random.default_rng(seed).standard_normal(LENGTH) * 10 ** (noise_db / 20)
    return np.asarray(total)[None]


def only(found: Detection) -> list[tuple[int, list[tuple[float, float, int]]]]:
    return [(h.source, [(c.delay_samples, c.gain, c.polarity) for c in h.copies]) for h in found.heard]


@pytest.fixture(scope="module")
def comb8():
    return woven(8, RATE, seed=3)


def test_slots_share_no_line_and_two_stay_silent(comb8) -> None:
    lines = comb8.lines.ravel()
    assert len(set(lines.tolist())) == lines.size
    assert comb8.lines.shape[0] == 10
    assert lines.min() >= 160
    assert lines.max() < 40_000
    total = np.abs(np.fft.rfft(comb8.waveforms.sum(axis=0)))
    assert total[comb8.lines[8:]].max() < 1e-9 * total.max()


def test_every_source_has_an_rms_of_one_and_a_low_crest(comb8) -> None:
    assert np.sqrt(np.mean(comb8.waveforms**2, axis=1)) == pytest.approx(np.ones(8))
    crest_db = 20 * np.log10(np.abs(comb8.waveforms).max(axis=1))
    assert crest_db.max() < 13.5


@given(delay=st.floats(0, 90_000), level_db=st.floats(-50, 0), sign=st.sampled_from([1, -1]))
@settings(max_examples=drawn(15))
def test_known_delays_levels_and_polarities_are_found(delay: float, level_db: float, sign: int) -> None:
    comb = woven(2, RATE, seed=3)
    gain = 10 ** (level_db / 20) * 0.1
    found = only(detect(take(sign * gain * shifted(comb.waveform(1), delay), noise_db=-90), comb))
    ((source, ((got, got_gain, polarity),)),) = found
    assert source == 1
    assert min(abs(got - delay), 96_000 - abs(got - delay)) < 0.01
    assert 20 * np.log10(got_gain / gain) == pytest.approx(0, abs=0.1)
    assert polarity == sign


@pytest.mark.parametrize("apart", [2.4, 12, 48, 480, 5000])
def test_two_equal_copies_are_told_apart(comb8, apart: float) -> None:
    wave = 0.1 * comb8.waveform(4)
    found = only(detect(take(shifted(wave, 300), shifted(wave, 300 + apart)), comb8))
    ((source, copies),) = found
    assert source == 4
    assert [delay for delay, _, _ in copies] == pytest.approx([300, 300 + apart], abs=0.01)


def test_a_leak_60_db_below_is_found_beneath_a_full_level_source(comb8) -> None:
    loud, leak = 0.1 * shifted(comb8.waveform(2), 185), 1e-4 * shifted(comb8.waveform(6), 900)
    found = only(detect(take(loud, leak, noise_db=-80), comb8))
    assert [source for source, _ in found] == [2, 6]
    assert found[1][1][0][0] == pytest.approx(900, abs=0.1)


def test_a_phase_far_from_both_is_no_polarity(comb8) -> None:
    quadrature = 0.1 * np.imag(scipy.signal.hilbert(comb8.waveform(0)))
    ((_, ((delay, _, polarity),)),) = only(detect(take(quadrature), comb8))
    assert polarity == 0
    assert delay == pytest.approx(0, abs=1) or delay == pytest.approx(96_000, abs=1)


def _pink(random: np.random.Generator) -> np.ndarray:
    spectrum = np.fft.rfft(random.standard_normal(LENGTH))
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))
    wave = np.fft.irfft(spectrum, LENGTH)
    return wave / wave.std()


@pytest.mark.parametrize("kind", ["white", "pink", "brown", "hum", "silence"])
def test_noise_and_hum_raise_no_false_alarm(kind: str) -> None:
    comb = woven(32, RATE, seed=3)
    random = np.random.default_rng(11)
    time = np.arange(LENGTH) / RATE
    for _ in range(4):
        wave = {
            "white": lambda: random.standard_normal(LENGTH),
            "pink": lambda: _pink(random),
            "brown": lambda: np.cumsum(random.standard_normal(LENGTH)) / 300,
            "hum": lambda: sum(np.sin(2 * np.pi * 50 * k * time) / k for k in range(1, 40)),
            "silence": lambda: np.zeros(LENGTH),
        }[kind]()
        assert detect(0.1 * np.asarray(wave)[None], comb).heard == ()


def test_recorded_speech_neither_alarms_nor_hides_a_source(comb8) -> None:
    """Real input: the spoken channel names that Debian's alsa-utils ships, at their recorded level."""
    files = sorted(SPEECH.glob("*.wav"))
    assert files, "alsa-utils is not installed; ./iskelo test installs it"
    spoken = np.concatenate([soundfile.read(file)[0] for file in files])
    speech = np.resize(spoken, LENGTH)
    assert detect(speech[None], comb8).heard == ()
    ((source, ((delay, _, polarity),)),) = only(detect(take(0.02 * shifted(comb8.waveform(5), 317), speech), comb8))
    assert (source, polarity) == (5, 1)
    assert delay == pytest.approx(317, abs=0.05)


def test_noise_is_measured_in_the_silent_slots(comb8) -> None:
    found = detect(take(0.1 * comb8.waveform(0), noise_db=-70), comb8)
    assert 20 * np.log10(found.noise_rms[0]) == pytest.approx(-70, abs=0.5)


def test_a_take_that_is_too_short_is_refused(comb8) -> None:
    with pytest.raises(ValueError, match="needs 10 s"):
        detect(np.zeros((1, RATE)), comb8)
    with pytest.raises(ValueError, match="1 to 256"):
        woven_comb(0, RATE)
