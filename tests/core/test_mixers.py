"""Mixers: the twin, which works from point to point, against the prediction, which follows ways, on any mixer."""

import pytest
from hypothesis import given, settings

from clicks import CLICK_AT_SECONDS, Click, measured, predicted
from core.test_twin import unhurried
from drawn import drawn
from iskelo.core.answers import answer_for
from iskelo.core.edits.additions import AddLine
from iskelo.core.edits.apply import apply
from iskelo.core.lines.context import read
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.check import check
from iskelo.core.rig.gear import Destination, Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import ROUTES_AT_MOST, passing_routes
from iskelo.core.snags.registry import find_snags
from iskelo.core.survey import survey_again
from iskelo.core.timing.delays import delay_of
from iskelo.core.twin.run import run_twin
from iskelo.core.twin.told import CannotFollow
from mixers import any_mixing_rig, full_desk
from rigs import as_one_speed


@given(any_mixing_rig())
@settings(max_examples=drawn(100, 16), deadline=None)
def test_the_twin_agrees_with_the_prediction_on_any_mixer(rig: Rig) -> None:
    agrees(unhurried(rig))


@given(full_desk())
@settings(max_examples=drawn(150, 12), deadline=None)
def test_the_twin_agrees_on_any_full_desk(rig: Rig) -> None:
    agrees(rig)


@given(full_desk(back=True))
@settings(max_examples=drawn(100, 16), deadline=None)
def test_the_twin_agrees_on_any_desk_with_leads_of_its_own(rig: Rig) -> None:
    agrees(rig)


def wanted(rig: Rig) -> Rig:
    """The same with a line from every source to every track, and from every source to everybody's ears."""
    found = index(rig)
    starts = found.starts()
    tracks = [Port(track.id, "track", 1) for program in found.programs() for track in program.tracks]
    ears = [Port(gear.id, "in", 1) for gear in rig.gear if isinstance(gear, Destination)]
    lines: list[AddLine] = []
    for start in starts:
        for ends, purpose in ((tracks, "record"), (ears, "listen")):
            lines += [
                AddLine(name=f"Line {start.owner} {end.owner}", purpose=purpose, from_ports=(start,), to_ports=(end,))
                for end in ends
            ]
    return apply(rig, lines[:60]).rig


@given(full_desk(back=True).map(wanted))
@settings(max_examples=drawn(60, 6), deadline=None)
def test_whatever_is_wrong_with_any_desk_is_told_with_what_mends_it(rig: Rig) -> None:
    known = survey_again(rig, None)
    for snag in find_snags(known.reading)[:4]:
        for remedy in tried_remedies(rig, snag, known)[:2]:
            assert apply(rig, remedy.edits).rig != rig
    found = known.reading.found
    for state in known.reading.lines:
        for leg in state.legs:
            for arrival in leg.arrivals:
                assert arrival.delay == delay_of(arrival.route.edges, found)
    for port in known.reading.graph.ports():
        answer_for(known.reading, port)
    for edge in known.reading.graph.edges():
        for port in (edge.start, edge.end):
            assert found.exists(port)
            assert found.say(port)


def agrees(rig: Rig) -> None:
    check(rig)
    rig = as_one_speed(rig)
    boxes = [gear for gear in rig.gear if isinstance(gear, Interface)]
    reading = read(rig)
    if any(ring.verdict != "rings" or ring.more for ring in reading.rings.all):
        return
    seconds = CLICK_AT_SECONDS + max(
        (4 * driver.buffer_samples + 4 * (driver.engine or 0) + 3000) / box.rate_hz
        for box in boxes
        for driver in box.drivers
    )
    for start in index(rig).starts():
        try:
            channels = run_twin(rig, {start: Click()}, seconds)
        except CannotFollow:
            assert reading.graph.knots
            return
        for channel in channels:
            routes = passing_routes(reading.graph, start, channel.port)
            if len(routes) >= ROUTES_AT_MOST:
                continue
            want = predicted(rig, start, channel.port)
            found = measured(channel.samples, channel.rate_hz)
            last = (seconds - CLICK_AT_SECONDS) * channel.rate_hz - 2
            want = {at: value for at, value in want.items() if at < last}
            found = {at: value for at, value in found.items() if at < last and abs(value) > 1e-5}
            want_loud = {at: value for at, value in want.items() if abs(value) > 1.2e-5}
            assert want_loud.keys() <= found.keys(), (start, channel.port)
            for at, value in found.items():
                assert want.get(at, 0.0) == pytest.approx(value, rel=6e-3, abs=3e-6), (start, channel.port, at)
