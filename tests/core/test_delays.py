"""Delays: the arithmetic of buffers, and the sums of ``docs/calculations.md``."""

import pytest

from iskelo.core.edits.edit import SetDirect, SetValues
from iskelo.core.timing.delays import samples_to_ms
from rigs import heard, two_voices


@pytest.mark.parametrize(
    ("samples", "rate_hz", "ms"),
    # Arithmetic: B / fs. The first two are the usual handbook figures, the others worked by hand.
    [(128, 48_000, 2.667), (256, 44_100, 5.805), (64, 96_000, 0.667), (1, 192_000, 0.005), (480, 48_000, 10.0)],
)
def test_buffer_times(samples: int, rate_hz: int, ms: float) -> None:
    assert float(samples_to_ms(samples, rate_hz)) == pytest.approx(ms, abs=0.0005)


def test_a_round_trip_is_the_sum_of_its_terms_in_the_order_in_which_sound_meets_them() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True, "effect_delay_samples": 50}))
    (delay, _) = heard(bench, "Alma").line("Alma heard").delays()
    assert [(term.label, term.samples) for term in delay.terms] == [
        ("A/D", 26),
        ("mixer", 7),
        ("safety in", 24),
        ("capture buffer", 128),
        ("effects on T Alma", 50),
        ("playback buffer", 128),
        ("safety out", 32),
        ("D/A", 26),
    ]
    assert delay.samples == 421
    assert delay.ms == pytest.approx(421 / 48)


def test_what_is_recorded_has_no_effects_and_no_playback_in_it() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.track("T Alma"), values={"monitored": True, "effect_delay_samples": 50}))
    assert bench.line("L Alma").delays()[0].samples == 26 + 7 + 24 + 128


def test_direct_monitoring_is_two_converters_and_the_mixer() -> None:
    bench = two_voices()
    bench.do(SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1))
    assert [d.samples for d in heard(bench, "Alma").line("Alma heard").delays()] == [26 + 7 + 26]


def test_the_same_samples_are_shorter_at_a_higher_rate() -> None:
    bench = two_voices()
    before = bench.line("L Alma").delays()[0]
    after = bench.do(SetValues(item=bench.id("Box"), values={"rate_hz": 96_000})).line("L Alma").delays()[0]
    assert after.samples == before.samples
    assert after.ms == pytest.approx(before.ms / 2)
