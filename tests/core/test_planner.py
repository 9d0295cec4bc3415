"""The planner, the choices of a station and filling, on any rig."""

import networkx
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.compare import compare
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.state import LineState
from iskelo.core.plan import plan
from iskelo.core.planner.choices import choices
from iskelo.core.planner.fill import FillRequest, fill
from iskelo.core.planner.move import Ask
from iskelo.core.planner.moves import moves
from iskelo.core.planner.search import cheapest_way, join_line
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.rig.ports import COLUMNS, Port
from iskelo.core.rig.rig import Rig
from iskelo.core.stations import stations
from iskelo.core.survey import Survey, survey, survey_again
from rigs import any_rig, programs_joined

RIGS = st.one_of(
    any_rig(),
    any_rig(busy=True),
    any_rig(busy=True, back=True),
    programs_joined(any_rig(cabled=True, busy=True)),
)


def arriving(reading: Reading) -> set[str]:
    return {state.line.id for state in reading.lines if state.legs and all(leg.sounds for leg in state.legs)}


def as_wanted(found: Survey) -> set[str]:
    return {line.id for line in found.lines if line.headline == "arrives"}


def track_of(state: LineState) -> str | None:
    """The track that a line ends at or is heard through, if any."""
    ways = (port for leg in state.legs if leg.way for port in leg.way.ports)
    return next((port.owner for port in (*state.line.to_ports, *ways) if port.bank in ("track", "monitor")), None)


def whole(reading: Reading, ask: Ask) -> networkx.DiGraph:
    """Every step the planner could take from a port on, with what it costs."""
    graph = networkx.DiGraph()
    graph.add_node(ask.start)
    waiting: list[Port] = [ask.start]
    while waiting:
        port = waiting.pop()
        for move in moves(port, reading, ask):
            if move.end not in graph:
                waiting.append(move.end)
            known = graph.get_edge_data(port, move.end, {"weight": float("inf")})
            graph.add_edge(port, move.end, weight=min(move.cost, known["weight"]))
    return graph


@given(RIGS)
@settings(max_examples=drawn(40), deadline=None)
def test_the_planners_way_is_the_cheapest_there_is(rig: Rig) -> None:
    """Outside check: networkx.dijkstra_path_length over all steps."""
    reading = read(rig)
    for line in rig.lines:
        for start, end in line.pairs():
            ask = Ask(start, end)
            graph, way = whole(reading, ask), cheapest_way(reading, ask)
            if way is None:
                assert end not in graph
            else:
                assert sum(move.cost for move in way) == pytest.approx(networkx.dijkstra_path_length(graph, start, end))


@given(RIGS)
@settings(max_examples=drawn(40), deadline=None)
def test_what_is_planned_for_a_line_makes_it_sound(rig: Rig) -> None:
    reading = read(rig)
    for line in rig.lines:
        joining = join_line(reading, line)
        if joining is not None:
            after = read(apply(rig, joining.edits).rig)
            state = next(state for state in after.lines if state.line.id == line.id)
            assert all(leg.arrivals for leg in state.legs)
            assert len(joining.words) >= 1


@given(RIGS)
@settings(max_examples=drawn(30), deadline=None)
def test_a_plan_for_all_takes_nothing_away_that_arrives_and_comes_to_an_end(rig: Rig) -> None:
    reading = read(rig)
    for _ in range(len(rig.lines) + 1):
        joining = join_all(reading)
        if joining is None:
            return
        after = read(apply(reading.rig, joining.edits).rig)
        assert arriving(reading) <= arriving(after)
        if arriving(after) == arriving(reading):
            return
        reading = after
    raise AssertionError("it never ends")


@given(RIGS)
@settings(max_examples=drawn(15), deadline=None)
def test_a_plan_for_the_rest_too_mends_as_told_and_loses_no_line(rig: Rig) -> None:
    known = survey_again(rig, None)
    without, found = plan(known), plan(known, rest=True)
    if found is None:
        assert without is None
        return
    after = survey(apply(rig, found.edits).rig)
    assert found.trial == compare(known, survey_again(apply(rig, found.edits).rig, known), found.trial.words)
    assert found.trial.arriving_after == after.vitals.arriving
    wanted_now = as_wanted(survey(apply(rig, without.edits).rig)) if without is not None else as_wanted(known.survey)
    assert wanted_now <= as_wanted(after)
    assert {left.line for left in found.left} == {line.id for line in after.lines} - as_wanted(after)
    again = plan(survey_again(rig, None), rest=True)
    assert again is not None
    assert (again.edits, again.rest) == (found.edits, found.rest)


@given(RIGS, st.sampled_from(COLUMNS))
@settings(max_examples=drawn(60), deadline=None)
def test_a_choice_that_is_made_is_the_present_one(rig: Rig, column: str) -> None:
    reading = read(rig)
    for state in reading.lines:
        offered = choices(reading, state, column).choices
        # What is present already changes nothing.
        assert all(not each.edits for each in offered if each.current)
        for each in offered[:6]:
            if not each.edits:
                continue
            try:
                after = read(apply(rig, each.edits).rig)
            except Refused:
                continue
            now = next((new for new in after.lines if new.line.id == state.line.id), None)
            if now is None or track_of(now) != track_of(state):
                # Another input may send what is heard through another track, whose own input then stands here.
                continue
            again = {new.label: new.current for new in choices(after, now, column).choices}
            # What is new is not new a second time.
            assert each.label.startswith("New ") or again.get(each.label, True)


@given(RIGS, st.sampled_from(COLUMNS), st.integers(1, 6), st.integers(1, 2))
@settings(max_examples=drawn(60), deadline=None)
def test_what_is_filled_ascends_as_it_is_told(rig: Rig, column: str, start: int, step: int) -> None:
    assume(rig.lines)
    wanted = FillRequest(lines=tuple(line.id for line in rig.lines[:3]), column=column, start=start, step=step)
    try:
        filling = fill(rig, wanted)
    except Refused:
        return
    after = read(apply(rig, filling.edits).rig)
    place = COLUMNS.index(column)
    assert list(filling.numbers) == list(wanted.lines)
    for line in wanted.lines[-1:]:
        state = next(state for state in after.lines if state.line.id == line)
        cell = stations(state, after.found)[place]
        if cell.state in ("on", "blocked") and column in ("box_in", "track"):
            assert cell.number == filling.numbers[line]
