"""Cables: programs on one computer that hear each other, predicted and at work on the twin."""

from unittest import mock

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from clicks import CLICK_AT_SECONDS, Click, measured, predicted
from iskelo.core.lines.context import read
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.twin import simulation
from iskelo.core.twin.run import run_twin
from rigs import any_rig, as_one_speed

CABLED = st.one_of(
    any_rig(cabled=True, busy=True), any_rig(cabled=True, busy=True), any_rig(cabled=True, busy=True, back=True)
)


@given(CABLED)
@settings(max_examples=120)
def test_the_twin_agrees_to_the_sample_on_any_rig_of_programs_and_cables(rig: Rig) -> None:
    """Clocks of one speed: those that are matched or run free across a ring are as exact as the others."""
    rig = as_one_speed(rig)
    reading = read(rig)
    found = reading.found
    assume(all(each.verdict == "rings" and not each.more and each.growth_db_per_s < -40 for each in reading.rings.all))
    assume(all(each.seconds > 0 for ring in reading.rings.all for each in ring.rounds))
    longest = max((way.buffer_samples for streams in found.opened.values() for way in streams.ways), default=0)
    longest = max(longest, *(driver.buffer_samples for box in found.boxes for driver in box.drivers))
    assume(len({box.rate_hz for box in found.boxes}) == 1)
    seconds = CLICK_AT_SECONDS + (16 * longest + 16_000) / min(box.rate_hz for box in found.boxes)
    with mock.patch.object(simulation, "COMPUTER_TOLERANCE_PPM", 0.0):
        for start in found.starts():
            for channel in run_twin(rig, {start: Click()}, seconds):
                routes = passing_routes(reading.graph, start, channel.port)
                if len(routes) >= ROUTES_AT_MOST:
                    continue
                rings = reading.rings.between(start, channel.port, reading.known)
                if rings and routes and not reading.rings.copies(routes, rings):
                    continue
                want, got = predicted(rig, start, channel.port), measured(channel.samples, channel.rate_hz)
                last = int((seconds - CLICK_AT_SECONDS) * channel.rate_hz) - 2
                # What goes round is told down to the dither, and no longer than the run.
                for delay, amplitude in want.items():
                    if abs(amplitude) > 2e-5 and delay < last:
                        assert got[delay] == pytest.approx(amplitude, rel=1e-2, abs=3e-6)
                assert {delay for delay, amplitude in got.items() if abs(amplitude) > 2e-5} <= want.keys()
