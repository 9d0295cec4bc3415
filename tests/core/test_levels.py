"""Levels: the references, and sums of copies against sums of samples."""

import math
from fractions import Fraction

import numpy as np
import pytest

from iskelo.core.edits.edit import SetDirect, SetTrim, SetValues
from iskelo.core.levels.units import db_to_ratio, dbu_to_volts, ratio_to_db, sum_of_copies_db
from iskelo.core.linecheck.ledger import dbfs
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.rig.index import index
from iskelo.core.words.say import say
from rigs import ears, heard, two_voices


def test_references() -> None:
    # 0 dBu = sqrt(0.6) V (1 mW in 600 ohms), 0 dBV = 1 V; +4 dBu against -10 dBV: 11.79 dB. Arithmetic.
    assert dbu_to_volts(0) == pytest.approx(0.7746, abs=5e-5)
    assert dbu_to_volts(4) == pytest.approx(1.228, abs=5e-4)
    assert ratio_to_db(dbu_to_volts(4) / 10 ** (-10 / 20)) == pytest.approx(11.79, abs=0.01)


def test_a_full_scale_sine_is_0_dbfs() -> None:
    # AES17: level in dBFS is RMS, a full-scale sine is 0 dBFS (value from memory, source not consulted).
    sine = np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)
    assert dbfs(float(np.sqrt(np.mean(sine**2)))) == pytest.approx(0, abs=1e-6)


def test_a_microphone_at_its_trim_stands_at_the_alignment_level() -> None:
    # EBU R 68: alignment level -18 dBFS (from memory). -38 dBu + 38 dB - 18 dBu.
    bench = two_voices()
    assert bench.line("L Alma").legs[0].level_dbfs == pytest.approx(-18)
    bench.do(SetTrim(interface=bench.id("Box"), jack_in=1, trim_db=44))
    assert bench.line("L Alma").legs[0].level_dbfs == pytest.approx(-12)


@pytest.mark.parametrize("sign", [1, -1])
def test_copies_at_once_add_as_amplitudes_copies_apart_as_powers(sign: int) -> None:
    noise = np.random.default_rng(1).standard_normal(200_000)
    apart = noise[100:] + sign * 0.5 * noise[:-100]
    together = noise + sign * 0.5 * noise

    def level(wave: np.ndarray) -> float:
        return 10 * math.log10(np.mean(wave**2) / np.mean(noise**2))

    levels = [0.0, ratio_to_db(0.5)]
    assert sum_of_copies_db(levels, [1, sign], [Fraction(0), Fraction(1, 480)]) == pytest.approx(level(apart), abs=0.05)
    assert sum_of_copies_db(levels, [1, sign], [Fraction(5)] * 2) == pytest.approx(level(together), abs=1e-9)


def test_equal_copies_turned_over_leave_nothing() -> None:
    assert sum_of_copies_db([-18, -18], [1, -1], [Fraction(7)] * 2) is None
    assert db_to_ratio(-6.0206) == pytest.approx(0.5, abs=1e-5)


def test_an_unbalanced_input_hears_half_of_two_driven_legs() -> None:
    """Half the voltage: 20 log10 (1/2) = -6.02 dB; a floating output loses nothing. By the twin as well."""
    bench = heard(two_voices(), "Alma").do(SetDirect(interface=two_voices().id("Box"), jack_in=1, jack_out=1))
    lead = next(patch for patch in bench.rig.patches if patch.to_port == ears(bench)[0])

    def level() -> tuple[float, bool]:
        state = next(each for each in read(bench.rig).lines if each.line.name == "Alma heard")
        arrival = state.legs[0].arrivals[0]
        return arrival.level_dbfs, arrival.level_assumed

    before, _ = level()
    bench.do(SetValues(item=lead.id, values={"unbalanced": True}))
    assert level() == (pytest.approx(before), True)
    bench.do(SetValues(item=bench.id("Box"), values={"drives_both_legs": True}))
    assert level()[0] == pytest.approx(before - 6.0206, abs=1e-3)
    ledger = run_line_check(bench.rig).ledger
    assert ledger.agreeing == len(ledger.targets)


def test_a_converter_that_is_driven_too_hot_clips_what_is_monitored_softly() -> None:
    """-38 dBu, trim 60 and full scale at +18 dBu are 4 dB too much, whatever is turned down behind the converter."""
    bench = heard(two_voices(), "Alma")
    box = bench.id("Box")
    bench.do(*(SetDirect(interface=box, jack_in=1, jack_out=out, gain_db=-20) for out in (1, 2)))
    bench.do(SetTrim(interface=box, jack_in=1, trim_db=60))
    name = next(line.name for line in bench.rig.lines if line.purpose == "listen")
    hot = bench.line(name).finding("hot")
    assert hot is not None
    assert "is 4.0 dB above full scale at Box jack out 1: it clips" in say(hot, index(bench.rig))


def test_a_window_above_alignment_is_the_users_word_and_tells_what_headroom_is_left() -> None:
    """Trim 44 instead of 38 is 6 dB above -18 dBFS: hot by alignment alone, noted where a window allows it."""
    bench = two_voices().do(SetTrim(interface=two_voices().id("Box"), jack_in=1, trim_db=44))
    assert bench.line("L Alma").headline == "hot"
    bench.do(SetValues(item=bench.id("L Alma"), values={"highest_dbfs": -10}))
    assert bench.line("L Alma").headline == "arrives"
    (note,) = bench.snags("above-alignment")
    assert (note.severity, note.title) == ("note", "L Alma stands 6.0 dB above alignment, as its window allows")
    assert note.consequence == "12.0 dB of headroom are left above it, where alignment leaves 18.0."
    bench.do(SetValues(item=bench.id("L Alma"), values={"lowest_dbfs": -16}))
    (note,) = bench.snags("above-alignment")
    assert note.mend() == ()
