"""Clocks of a take: known drifts, two clocks in one channel, a slip of known size, and noise that is none of them."""

import numpy as np
import pytest

from iskelo.core.fractional_delay import BEFORE, TAPS, between
from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb, woven_comb
from iskelo.core.signals.detect import detect
from iskelo.core.signals.drift import SAME, pace, periods_at, repeats, sound_at, unlike_share

RATE_HZ = 48_000
LENGTH = PERIODS_PLAYED * 2 * RATE_HZ + 12_000


@pytest.fixture(scope="module")
def comb() -> WovenComb:
    return woven_comb(8, RATE_HZ, 1)


def recorded(
    comb: WovenComb, source: int, ppm: float, delay: float, *, gain: float = 0.1, jump: tuple[int, int] = (0, 0)
) -> np.ndarray:
    """A source on a clock that is fast by so much; from sample ``jump[0]`` on it comes ``jump[1]`` samples later."""
    wave = np.concatenate([np.zeros(400), np.tile(comb.waveforms[source], PERIODS_PLAYED + 1)]).astype(np.float32)
    out = np.zeros(LENGTH, np.float32)
    parts = ((0, jump[0], 0), (jump[0], LENGTH, jump[1])) if jump[0] else ((0, LENGTH, 0),)
    for first, last, late in parts:
        at = 400 + (np.arange(first, last, dtype=np.float64) - delay - late) / (1 + ppm * 1e-6)
        inside = (at > BEFORE) & (at < len(wave) - TAPS)
        out[first:last][inside] = gain * between(wave[np.newaxis], at[inside])[0]
    return out


@pytest.mark.parametrize("ppm", [0.05, -3.0, 23.4, 60.0, -250.0, 1000.0])
def test_a_known_drift_is_found_beside_a_source_that_does_not_drift(comb: WovenComb, ppm: float) -> None:
    """Within 0.04 ppm, the delay at the take's start within 0.2 sample, the level within 0.05 dB."""
    noise = 1e-5 * np.random.default_rng(2).standard_normal(LENGTH).astype(np.float32)
    take = recorded(comb, 3, ppm, 585.0) + recorded(comb, 5, 0.0, 300.0) + noise
    found = {each.source: each for each in detect(take[np.newaxis], comb).heard}
    assert found.keys() == {3, 5}
    assert found[3].drift_ppm == pytest.approx(ppm, abs=0.04)
    assert found[5].drift_ppm == pytest.approx(0, abs=0.04)
    assert found[3].copies[0].delay_samples == pytest.approx(585 / (1 + ppm * 1e-6), abs=0.2)
    assert found[5].copies[0].delay_samples == pytest.approx(300, abs=0.02)
    for each in found.values():
        assert 20 * np.log10(each.copies[0].gain / 0.1) == pytest.approx(0, abs=0.05)
        assert each.copies[0].polarity == 1
        assert each.jumps == ()


@pytest.mark.parametrize(
    ("loud_ppm", "soft_ppm"), [(94.0, 0.0), (0.0, 94.0), (20.0, 23.4), (0.0, 2.0), (2000.0, -2000.0)]
)
@pytest.mark.parametrize("below_db", [12.0, 30.0, 55.0, 70.0])
def test_a_soft_sound_on_another_clock_is_told_as_well_as_a_loud_one(
    comb: WovenComb, loud_ppm: float, soft_ppm: float, below_db: float
) -> None:
    """The loud one's smear at the other pace stands 25 to 30 dB under it, and would hide what is softer."""
    gain = 0.1 * 10 ** (-below_db / 20)
    take = recorded(comb, 0, loud_ppm, 585.0) + recorded(comb, 1, soft_ppm, 300.0, gain=gain)
    found = {each.source: each for each in detect(take[np.newaxis], comb).heard}
    assert found.keys() == {0, 1}
    for source, ppm, delay, ratio in ((0, loud_ppm, 585.0, 0.1), (1, soft_ppm, 300.0, gain)):
        (copy,) = found[source].copies
        assert found[source].drift_ppm == pytest.approx(ppm, abs=0.02)
        assert copy.delay_samples == pytest.approx(delay / (1 + ppm * 1e-6), abs=0.02)
        assert 20 * np.log10(copy.gain / ratio) == pytest.approx(0, abs=0.05)
        assert copy.polarity == 1


def test_what_was_taken_out_of_a_take_at_a_pace_is_gone_from_it(comb: WovenComb) -> None:
    take = recorded(comb, 2, 37.5, 410.0).astype(float)
    spectrum = np.mean(periods_at(take, comb, 37.5, 1, 4), axis=0)
    own = np.zeros_like(spectrum)
    own[comb.lines[2]] = spectrum[comb.lines[2]]
    rest = take - sound_at(own, comb, 37.5, 1, 4, len(take))
    inside = slice(2 * RATE_HZ, 10 * RATE_HZ)
    assert np.sqrt(np.mean(rest[inside] ** 2) / np.mean(take[inside] ** 2)) < 1e-4


@pytest.mark.parametrize("second", [3.0, 4.9, 6.0, 8.7])
@pytest.mark.parametrize("samples", [64, -512])
def test_a_slip_is_told_with_its_size_and_the_rest_is_heard_all_the_same(
    comb: WovenComb, second: float, samples: int
) -> None:
    take = recorded(comb, 2, 20.0, 800.0, jump=(int(second * RATE_HZ), samples))
    (found,) = detect(take[np.newaxis], comb).heard
    assert found.jumps == (samples,)
    assert found.drift_ppm == pytest.approx(20, abs=0.1)
    (copy,) = found.copies
    assert min(abs(copy.delay_samples - 800), abs(copy.delay_samples - 800 - samples)) < 0.5


def test_noise_hum_and_silence_have_no_pace_and_nothing_is_heard_in_them(comb: WovenComb) -> None:
    random = np.random.default_rng(5)
    noise = 0.01 * random.standard_normal(LENGTH).astype(np.float32)
    hum = (0.05 * np.sin(2 * np.pi * 50.3 * np.arange(LENGTH) / RATE_HZ)).astype(np.float32) + 0.01 * noise
    assert not repeats(noise, comb)
    assert unlike_share(np.zeros(LENGTH, np.float32), comb) <= SAME
    assert detect(np.stack([noise, hum, np.zeros(LENGTH, np.float32)]), comb).heard == ()


def test_two_copies_on_a_clock_that_drifts_are_two_copies_and_no_slip(comb: WovenComb) -> None:
    take = recorded(comb, 4, 35.0, 500.0) + recorded(comb, 4, 35.0, 826.0, gain=0.05)
    (found,) = detect(take[np.newaxis], comb).heard
    assert [round(copy.delay_samples) for copy in found.copies] == [500, 826]
    assert found.jumps == ()
    assert found.drift_ppm == pytest.approx(35, abs=0.04)
    assert pace(take, comb).jumps == ()


@pytest.mark.parametrize("ppm", [-2000.0, 0.3, 94.0])
def test_the_lines_of_a_period_between_samples_are_those_of_the_sum_that_defines_them(
    comb: WovenComb, ppm: float
) -> None:
    """To 160 dB below the strongest, and back again; the sum is worked out term by term for some of the lines."""
    take = np.random.default_rng(3).standard_normal(LENGTH)
    period = comb.period_samples * (1 + ppm * 1e-6)
    lines = np.random.default_rng(4).choice(comb.lines.ravel(), 12, replace=False)
    found = periods_at(take, comb, ppm, 1, 3)
    for number, spectrum in enumerate(found, 1):
        first = round(number * period)
        at = np.arange(first, first + round(period)) - number * period
        expected = np.exp(-2j * np.pi * np.outer(lines, at) / period) @ take[first : first + round(period)]
        assert np.abs(spectrum[lines] - expected).max() < 1e-8 * np.abs(expected).max()
    own = np.zeros_like(found[0])
    own[lines] = found[0][lines]
    sound = sound_at(own, comb, ppm, 1, 4, LENGTH)
    at = np.arange(2 * RATE_HZ, 10 * RATE_HZ, 997)
    expected = 2 / round(period) * (np.exp(2j * np.pi * np.outer(at, lines) / period) @ own[lines]).real
    assert np.abs(sound[at] - expected).max() < 1e-8 * np.abs(expected).max()
