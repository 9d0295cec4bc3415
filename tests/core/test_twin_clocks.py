"""The twin with several boxes and several clocks: exact on clocks of one speed, within a sample when matched, and
slipping when the prediction says so.
"""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clicks import CLICK_AT_SECONDS, Click, measured, predicted
from iskelo.core.lines.context import read
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.rig import Rig, index
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.twin.run import run_twin
from rigs import any_rig


def as_one_speed(rig: Rig) -> Rig:
    """The same rig with every clock exactly right, though they are different clocks."""
    gear = [
        each.model_copy(
            update={
                "measured_ppm": 0.0,
                "clock_source": "own" if each.clock_source == "computer" else each.clock_source,
            }
        )
        if isinstance(each, Interface)
        else each
        for each in rig.gear
    ]
    return rig.model_copy(update={"gear": tuple(gear)})


@given(st.one_of(any_rig(), any_rig(busy=True), any_rig(busy=True)))
@settings(max_examples=150)
def test_the_twin_agrees_to_the_sample_on_any_rig_of_joined_boxes_whose_clocks_are_right(rig: Rig) -> None:
    rig = as_one_speed(rig)
    found = index(rig)
    if not found.boxes:
        return
    longest = max((way.buffer_samples for opening in found.opened.values() for way in opening.ways), default=0)
    longest = max(longest, *(driver.buffer_samples for box in found.boxes for driver in box.drivers))
    seconds = CLICK_AT_SECONDS + (8 * longest + 12_000) / min(box.rate_hz for box in found.boxes)
    for start in found.starts():
        for channel in run_twin(rig, {start: Click()}, seconds):
            routes = passing_routes(read(rig).graph, start, channel.port)
            if len(routes) >= ROUTES_AT_MOST:
                continue
            want, got = predicted(rig, start, channel.port), measured(channel.samples, channel.rate_hz)
            assert got.keys() == want.keys()
            for delay, amplitude in want.items():
                assert got[delay] == pytest.approx(amplitude, rel=2e-2, abs=1e-6)
