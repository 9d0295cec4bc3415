"""Two copies at one place: notches and ripple, against a handbook table and scipy.signal."""

import math
from fractions import Fraction

import numpy as np
import pytest
import scipy.signal
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.edits.edit import SetDirect, SetValues
from iskelo.core.responses import line_response
from iskelo.core.timing.copies import comb, heard_as, notches_hz, response_db, ripple_db
from rigs import heard as listening
from rigs import two_voices


@pytest.mark.parametrize(
    ("delay_ms", "first_notch_hz"),
    # F. Alton Everest, Master Handbook of Acoustics, table of comb-filter notches: from memory, not consulted.
    [(0.1, 5000), (0.5, 1000), (1, 500), (5, 100), (10, 50)],
)
def test_first_notches_of_the_handbook(delay_ms: float, first_notch_hz: float) -> None:
    assert notches_hz(delay_ms / 1000)[0] == pytest.approx(first_notch_hz)


@pytest.mark.parametrize("samples", [20, 48, 326, 582])
@pytest.mark.parametrize("inverted", [False, True])
def test_notches_are_the_minima_of_the_filter_by_scipy(samples: int, inverted: bool) -> None:
    """Outside check: scipy.signal.freqz of 1 + z^-n (or 1 - z^-n), searched for its first minima."""
    taps = np.zeros(samples + 1)
    taps[0], taps[-1] = 1, -1 if inverted else 1
    frequencies = np.arange(1, 480_000) * 0.05
    _, response = scipy.signal.freqz(taps, worN=frequencies, fs=48_000)
    size = np.abs(response)
    minima = frequencies[1:-1][(size[1:-1] < size[:-2]) & (size[1:-1] <= size[2:])]
    told = notches_hz(samples / 48_000, inverted=inverted)
    assert told
    assert minima[: len(told)] == pytest.approx(told, abs=0.051)


@pytest.mark.parametrize("difference_db", [3.0, 6.0, 10.0, 20.0])
def test_ripple_is_that_of_the_filter_by_scipy(difference_db: float) -> None:
    """Outside check: scipy.signal.freqz of 1 + g z^-48, peak to dip."""
    taps = np.zeros(49)
    taps[0], taps[-1] = 1, 10 ** (-difference_db / 20)
    _, response = scipy.signal.freqz(taps, worN=48_000)
    size = 20 * np.log10(np.abs(response))
    assert ripple_db(difference_db) == pytest.approx(size.max() - size.min(), abs=0.01)
    assert ripple_db(-difference_db) == ripple_db(difference_db)


def test_equal_copies_cancel_wholly_and_copies_at_once_have_no_notches() -> None:
    assert ripple_db(0) is None
    assert notches_hz(0) == ()
    assert comb(Fraction(0), 48_000, inverted=False, level_difference_db=0).notches_hz == ()


def test_notches_above_hearing_are_not_told() -> None:
    assert notches_hz(1 / 96_000) == ()
    assert notches_hz(1 / 48_000, inverted=True) == ()


@given(st.floats(0.05, 60), st.floats(-24, 0), st.sampled_from([1, -1]))
def test_the_response_of_copies_is_that_of_a_filter(apart_ms: float, level_db: float, sign: int) -> None:
    """Outside check: scipy.signal.freqz of 1 + a z^-T, at a rate where T is whole."""
    rate_hz = 48_000
    samples = max(1, round(apart_ms * rate_hz / 1000))
    ratio = sign * 10 ** (level_db / 20)
    taps = np.zeros(samples + 1)
    taps[0], taps[-1] = 1.0, ratio
    frequencies = [31.5, 100.0, 440.0, 1000.0, 7000.0]
    _, expected = scipy.signal.freqz(taps, worN=frequencies, fs=rate_hz)
    told = response_db([(0.0, 1.0), (samples / rate_hz, ratio)], frequencies)
    assert told == pytest.approx([20 * math.log10(max(abs(each), 1e-3)) for each in expected], abs=1e-6)


@pytest.mark.parametrize(("ms", "heard"), [(0.5, "hollow"), (9.9, "hollow"), (10, "as a flam"), (40, "as an echo")])
def test_copies_sound_hollow_then_as_a_flam_then_as_an_echo(ms: float, heard: str) -> None:
    """Common practice, no published source."""
    assert heard_as(ms) == heard


@pytest.mark.parametrize(("buffer", "heard"), [(64, "hollow"), (512, "as a flam"), (2048, "as an echo")])
def test_a_snag_and_its_lines_graph_tell_the_same_of_two_copies(buffer: int, heard: str) -> None:
    """What was drawn as a flam was once told as hollow beside it."""
    bench = listening(two_voices(), "Alma")
    bench.do(
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1),
        SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=2),
        SetValues(item=bench.track("T Alma"), values={"monitored": True}),
        SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": buffer}),
    )
    state = bench.line("Alma heard")
    assert state.headline == "doubled"
    assert line_response(state).heard == heard
    (snag,) = [each for each in bench.snags("monitored-twice") if state.line.id in each.lines]
    assert heard in snag.consequence
