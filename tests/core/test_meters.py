"""A level check at both meters: what is read where something stands off names what stands off."""

import math

import pytest
from hypothesis import given, settings

from desks import desk_bench, mixer_of, plugged, recorded, strip_of
from drawn import drawn
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetOutputTrim, SetTrim, SetValues
from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.state import LineState
from iskelo.core.planner.meters import KINDS, MetersRequest, meter_check
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.units import CONSUMER_BELOW_PROFESSIONAL_DB
from iskelo.demo.voices_on_a_mixer import voices_on_a_mixer
from rigs import Bench, any_rig


def line(reading: Reading, name: str) -> LineState:
    return next(state for state in reading.lines if state.line.name == name)


def reads(rig: Rig, name: str) -> list[float]:
    """What the meters of a room really read, where it is set as this rig says."""
    reading = read(rig)
    return [point.level for point in meter_check(reading, line(reading, name), MetersRequest()).points]


def told(planned: Rig, really: Rig, name: str, first: int = 0, last: int | None = None) -> str:
    """What is said of a plan, of a room that is set otherwise."""
    there = reads(really, name)
    last = len(there) - 1 if last is None else last
    reading = read(planned)
    wanted = MetersRequest(reads={first: there[first], last: there[last]})
    return "\n".join(meter_check(reading, line(reading, name), wanted).told)


def changed(rig: Rig, *edits: Edit) -> Rig:
    return apply(rig, edits).rig


def ids(rig: Rig) -> Bench:
    return Bench(rig)


@given(any_rig(busy=True))
@settings(max_examples=drawn(40))
def test_meters_read_what_the_levels_are_and_a_louder_tone_reads_louder_everywhere(rig: Rig) -> None:
    reading = read(rig)
    for state in reading.lines:
        arrival = next((each for leg in state.legs for each in leg.arrivals), None)
        if arrival is None:
            with pytest.raises(Refused, match="nothing of it arrives"):
                meter_check(reading, state, MetersRequest())
            continue
        quiet = meter_check(reading, state, MetersRequest())
        loud = meter_check(reading, state, MetersRequest(tone=quiet.tone + 6))
        levels = {step.level for step in levels_along(arrival.route.edges, reading.found)}
        for one, other in zip(quiet.points, loud.points, strict=True):
            assert one.level in levels
            assert other.level - one.level == pytest.approx(6)


def test_as_planned_both_meters_read_what_they_should() -> None:
    rig = voices_on_a_mixer()
    assert told(rig, rig, "Dov in the mix") == "Both meters read what they should"


def test_one_stage_that_stands_off_is_named_with_where_it_stands() -> None:
    rig = voices_on_a_mixer()
    havra = ids(rig).id("Havra 16")
    strip = strip_of(ids(rig), "Havra 16", "Dov")
    fader = changed(rig, SetValues(item=strip.id, values={"gain_db": -7.5}))
    said = told(rig, fader, "Dov in the mix")
    assert "Between the two" in said
    assert "7.5 dB softer" in said
    assert "the fader of strip Dov at −7.5 instead of 0 dB" in said
    gained = changed(rig, SetTrim(interface=havra, jack_in=4, trim_db=50.0))
    said = told(rig, gained, "Dov in the mix")
    assert said.startswith("Before the first meter: Havra 16 preamplifier 4 reads 14 dB more than it should")
    assert "Between" not in said


def test_a_master_is_told_apart_from_what_is_the_lines_own() -> None:
    rig = voices_on_a_mixer()
    main = next(mix for mix in mixer_of(ids(rig), "Havra 16").mixes if mix.name == "Main")
    said = told(rig, changed(rig, SetValues(item=main.id, values={"gain_db": -10.0})), "Dov in the mix")
    alone, together = said.split("If all are off alike: ")
    assert "the fader of strip Dov" in alone
    assert together.startswith("the fader of mix Main at −10 instead of 0 dB")


@pytest.mark.parametrize(
    ("by_db", "words"),
    [
        (20 * math.log10(math.sqrt(2)), "peak and the other its RMS"),
        (20 * math.log10(2), "both legs of a pair added up"),
        (CONSUMER_BELOW_PROFESSIONAL_DB, "−10 dBV against +4 dBu"),
        (20.0, "came up 20 dB off"),
    ],
)
def test_a_difference_is_known_by_its_size(by_db: float, words: str) -> None:
    """A sine's crest, a doubled voltage, +4 dBu against −10 dBV: arithmetic."""
    rig = voices_on_a_mixer()
    reading = read(rig)
    there = reads(rig, "Dov in the mix")
    wanted = MetersRequest(reads={0: there[0], len(there) - 1: there[-1] - by_db})
    assert words in "\n".join(meter_check(reading, line(reading, "Dov in the mix"), wanted).told)
    assert any(kind.by_db == pytest.approx(by_db, abs=0.01) for kind in KINDS)


def test_an_output_with_its_trim_down_is_named_in_the_room() -> None:
    bench = desk_bench("havra", "mic Alma", "recorder 2")
    plugged(bench, "Havra 16", {"Alma": 1})
    recorded(bench, "Alma")
    down = changed(bench.rig, SetOutputTrim(interface=bench.id("Havra 16"), jack_out=1, trim_db=-20))
    assert told(bench.rig, down, "L Alma") == "Both meters read what they should"
    rig = voices_on_a_mixer()
    jack = next(patch.from_port for patch in rig.patches if patch.to_port.bank == "in")
    turned = changed(rig, SetOutputTrim(interface=jack.owner, jack_out=jack.number, trim_db=-20))
    said = told(rig, turned, "Dov, heard")
    assert "a pad, or a trim that came up 20 dB off" in said
    assert f"the trim of Havra 16 jack out {jack.number} at −20 instead of 0 dB" in said


def test_one_reading_alone_is_held_against_the_tone() -> None:
    reading = read(voices_on_a_mixer())
    state = line(reading, "Dov")
    points = meter_check(reading, state, MetersRequest()).points
    last = len(points) - 1
    wanted = MetersRequest(reads={last: points[last].level - 3})
    assert "reads 3 dB less than it should" in meter_check(reading, state, wanted).told[0]
    # Of several the first and the last count.
    several = MetersRequest(reads={0: points[0].level, 1: -99.0, last: points[last].level})
    assert meter_check(reading, state, several).told == ("Both meters read what they should",)
    with pytest.raises(Refused, match="there are 3 meters on its way"):
        meter_check(reading, state, MetersRequest(reads={3: 0.0}))
