"""Predicted and measured agree on any rig of free clocks, whatever the order of its parts; or it is said why not."""

import pytest

from drawn import drawn
from free_clocks import free_clocks
from iskelo.core.edits.additions import AddDestination, AddInterface, AddProgram, AddSources
from iskelo.core.edits.edit import Plug, SetValues
from iskelo.core.linecheck.drifting import Expected, expected_drift
from iskelo.core.linecheck.rows import TargetRow
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.linecheck.slipping import moved_by, moves, tellable
from iskelo.core.lines.context import read
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.told import Slipped
from rigs import Bench


def said_wrongly(row: TargetRow) -> bool:
    """Whether something that can be told is not as predicted, or one sound is told as several."""
    return not row.agrees or (row.state == "doubled" and not row.untold)


@pytest.mark.parametrize("seed", range(drawn(14, 5)))
def test_any_rig_of_free_clocks_is_heard_as_predicted(seed: int) -> None:
    ledger = run_line_check(free_clocks(seed).rig).ledger
    assert [row.name for row in ledger.targets if said_wrongly(row)] == []


@pytest.mark.parametrize("seed", [58, 33, 20, 5, 67, 90][: drawn(6, 2)])
@pytest.mark.parametrize("far_apart", [False, True])
def test_sounds_far_apart_in_level_and_on_clocks_of_their_own_are_heard_as_predicted(
    seed: int, far_apart: bool
) -> None:
    ledger = run_line_check(free_clocks(seed, far_apart=far_apart, levels=True).rig).ledger
    assert [row.name for row in ledger.targets if said_wrongly(row)] == []
    assert ledger.agreeing + ledger.untold == len(ledger.targets)


@pytest.mark.parametrize("seed", [15, 36, 2, 4, 19, 24, 30, 31, 39, 45][: drawn(10, 3)])
def test_a_sound_that_slips_is_one_sound_or_it_is_said_that_it_cannot_be_told(seed: int) -> None:
    ledger = run_line_check(free_clocks(seed, far_apart=True).rig).ledger
    assert [row.name for row in ledger.targets if said_wrongly(row)] == []
    assert ledger.agreeing + ledger.untold == len(ledger.targets)


def two_boxes(*, sampler_first: bool) -> Bench:
    """A recorder on one box, a sampler on another whose clock is 17.1 ppm fast."""
    bench = Bench(Rig()).do(AddSources(names=("Alma",)), AddDestination(name="Phones"))
    for name, ppm in (("Corvane 8", 0.0), ("Pellow Duo", 17.1)):
        bench.do(AddInterface(name=name, jack_in=2, jack_out=2))
        bench.do(SetValues(item=bench.id(name), values={"measured_ppm": ppm}))
    programs = [
        AddProgram(name="Longhand", device=bench.id("Corvane 8"), tracks=("Alma",)),
        AddProgram(name="Cues", program_kind="sampler", device=bench.id("Pellow Duo"), voices=("Rain",)),
    ]
    bench.do(*(reversed(programs) if sampler_first else programs))
    phones, box = bench.id("Phones"), bench.id("Pellow Duo")
    bench.do(*(Plug(from_port=Port(box, "jack_out", leg), to_port=Port(phones, "in", leg)) for leg in (1, 2)))
    return bench.do(Plug(from_port=bench.out("Alma"), to_port=Port(bench.id("Corvane 8"), "jack_in", 1)))


@pytest.mark.parametrize("sampler_first", [False, True])
def test_a_voice_on_another_box_does_not_drift_where_it_is_heard_by_that_boxs_own_clock(sampler_first: bool) -> None:
    """It is played in the time of its own box; heard in the time of the first program, it is as fast as that box."""
    bench = two_boxes(sampler_first=sampler_first)
    ledger = run_line_check(bench.rig).ledger
    assert all(row.agrees for row in ledger.targets)
    (rain,) = next(row for row in ledger.targets if row.name == "Phones L").sounds
    fast = 0.0 if sampler_first else -17.1
    assert rain.drift_known_ppm == pytest.approx(fast, abs=0.001)
    assert rain.drift_ppm == pytest.approx(fast, abs=0.04)


def test_long_delays_are_held_by_clocks_that_are_apart_more_loosely_and_short_ones_to_the_sample() -> None:
    """8 435 samples counted by a clock 123.5 ppm fast begin 8 435 x 123.5e-6 = 1.04 samples early at a take's start."""
    bench = two_boxes(sampler_first=True)
    bench.do(SetValues(item=bench.id("Pellow Duo"), values={"measured_ppm": 0.0}))
    bench.do(SetValues(item=bench.id("Corvane 8"), values={"measured_ppm": 123.5, "mixer_samples": 8000}))
    ledger = run_line_check(bench.rig).ledger
    (row,) = [row for row in ledger.targets if row.name == "Longhand track 1 Alma"]
    copy = row.sounds[0].copies[0]
    predicted = copy.predicted_samples
    assert predicted is not None
    assert copy.delay_samples - predicted == pytest.approx(-predicted * 123.5e-6, abs=0.1)
    assert row.agrees
    clock = expected_drift(read(bench.rig), row.sounds[0].source, row.target)
    assert clock.known_ppm == pytest.approx(123.5, abs=0.01)
    assert 1.0 <= clock.tolerance(100) < 1.05
    assert Expected(0.0, 0.0, 0.25).tolerance(100_000) == 0.25


def slip(time_s: float, samples: int = 256, *, inward: bool = True) -> Slipped:
    return Slipped("Hall", "Pellow Duo", inward, time_s, samples)


def test_what_slips_move_a_sound_by() -> None:
    assert moves(()) == (0,)
    assert set(moves((slip(1), slip(2)))) == {0, 256, -256, 512, -512}
    assert {0, 256, 64, 320, 192} <= set(moves((slip(1), slip(2, 64, inward=False))))
    assert moved_by(329.2, 585, (0, 256, -256), 1.0, 96_000) == -256
    assert moved_by(95_944.6, 329, (0, -384), 1.0, 96_000) == -384
    assert moved_by(700.0, 585, (0, 256, -256), 1.0, 96_000) is None


@pytest.mark.parametrize(
    ("times", "can"),
    [((), True), ((3.0,), True), ((1.9, 9.0), True), ((3.0, 5.0), True), ((5.0,), True), ((3.0, 7.0), False)],
)
def test_a_sound_can_be_told_where_two_periods_after_each_other_have_no_slip(
    times: tuple[float, ...], can: bool
) -> None:
    assert tellable([slip(time) for time in times], 0.01) is can
