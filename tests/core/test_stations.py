"""What the cells of a line say, on any rig: they tell of its routes and gaps, and of nothing else."""

import re
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.levels.along import first_short, levels_along
from iskelo.core.lines.context import read
from iskelo.core.lines.findings import HEADLINES
from iskelo.core.rig.ports import STAGE
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import fold_numbers
from iskelo.core.stations import COLUMNS, Station, stations
from iskelo.core.survey import survey
from iskelo.core.words.say import say
from rigs import any_rig

RIGS = st.one_of(any_rig(), any_rig(busy=True))


@given(st.lists(st.integers(1, 128), min_size=1, max_size=40))
def test_folded_numbers_can_be_read_back(numbers: list[int]) -> None:
    """Each number once, in order, and no two runs that could be one."""
    runs = [[int(number) for number in run.split("–")] for run in fold_numbers(numbers).split(", ")]
    told = [number for run in runs for number in range(run[0], run[-1] + 1)]
    assert told == sorted(set(numbers))
    assert all(after[0] > before[-1] + 1 for before, after in pairwise(runs))


@given(RIGS)
@settings(max_examples=drawn(60))
def test_a_line_has_six_cells_and_they_say_where_it_breaks_off(rig: Rig) -> None:
    reading = read(rig)
    for state in reading.lines:
        cells = stations(state, reading.found)
        assert tuple(cell.column for cell in cells) == COLUMNS
        kinds = {cell.state for cell in cells}
        gaps = [leg.gap for leg in state.legs if leg.gap is not None]
        arriving = [leg for leg in state.legs if leg.arrivals]
        complete = bool(state.line.from_ports and state.line.to_ports)
        assert ("gap" in kinds) == (bool(gaps) or not complete)
        if complete and len(arriving) == len(state.legs):
            assert kinds <= {"on", "empty", "passed"}
        for cell in cells:
            assert bool(cell.trouble) == (cell.state in ("gap", "blocked"))
            if cell.state == "empty":
                assert (cell.label, cell.number, cell.copies) == ("", "", 1)
            elif cell.state in ("on", "beyond"):
                assert cell.label
            assert re.fullmatch(r"(\d+(–\d+)?(, )?)*", cell.number)
        parting = max((len(leg.arrivals) for leg in state.legs), default=0)
        assert max(cell.copies for cell in cells) <= max(1, parting)


@given(RIGS)
@settings(max_examples=drawn(60))
def test_a_gap_lies_between_what_the_source_reaches_and_what_feeds_the_target(rig: Rig) -> None:
    reading = read(rig)
    graph = reading.graph
    for state in reading.lines:
        for leg in state.legs:
            if leg.gap is None:
                continue
            gap = leg.gap
            assert (gap.ahead[0], gap.behind[-1], gap.end) == (leg.start, leg.end, leg.end)
            for before, after in pairwise(gap.ahead):
                assert after in {edge.end for edge in graph.leaving[before]}
            for before, after in pairwise(gap.behind):
                assert before in {edge.start for edge in graph.into(after)}
            assert gap.behind[0] not in {edge.end for edge in graph.leaving.get(gap.ahead[-1], ())}
            assert STAGE[gap.behind[0].bank] > STAGE[gap.ahead[-1].bank] or gap.behind == (leg.end,)
            said = say(gap, reading.found)
            assert said.startswith(reading.found.say(leg.start))
            assert said.endswith(f": {say(gap.missing, reading.found)}.")
            assert reading.found.say(leg.end) in said


@given(RIGS)
@settings(max_examples=drawn(60))
def test_findings_stand_in_the_order_of_headlines_and_are_told_once_a_kind(rig: Rig) -> None:
    reading = read(rig)
    for state in reading.lines:
        places = [HEADLINES.index(finding.kind) for finding in state.findings]
        assert places == sorted(places)
        assert places
        assert ("arrives" in {finding.kind for finding in state.findings}) <= (len(places) == 1)
        for kind in {finding.kind for finding in state.findings}:
            assert (state, state.finding(kind)) in reading.having[kind]
    assert sum(map(len, reading.having.values())) >= len(reading.lines)


@given(RIGS)
@settings(max_examples=drawn(60))
def test_the_first_place_short_of_headroom_is_the_first_step_with_less_room(rig: Rig) -> None:
    reading = read(rig)
    for state in reading.lines:
        for arrival in (arrival for leg in state.legs for arrival in leg.arrivals):
            steps = levels_along(arrival.route.edges, reading.found)
            for needed_db in (0.0, 18.0):
                rooms = [(step.port, step.room_db) for step in steps if step.room_db is not None]
                under = next(((port, room) for port, room in rooms if room < needed_db - 0.06), None)
                short = first_short(arrival.route.edges, reading.found, needed_db)
                assert under is None or (short is not None and (short[0].end, short[1]) == under)
            assert [step.port for step in steps] == list(arrival.route.ports)


@given(RIGS)
@settings(max_examples=drawn(40))
def test_the_lines_of_gear_are_those_that_begin_or_end_there(rig: Rig) -> None:
    reading = read(rig)
    owners = {port.owner for line in rig.lines for port in (*line.from_ports, *line.to_ports)}
    for owner in owners:
        beginning = [line.id for line in rig.lines if any(port.owner == owner for port in line.from_ports)]
        ending = [line.id for line in rig.lines if any(port.owner == owner for port in line.to_ports)]
        assert (reading.beginning.get(owner, []), reading.ending.get(owner, [])) == (beginning, ending)


@given(RIGS)
@settings(max_examples=drawn(40))
def test_equal_rigs_have_equal_surveys(rig: Rig) -> None:
    again = Rig.model_validate_json(rig.model_dump_json())
    assert again is not rig
    assert survey(again) == survey(rig)


def test_light_values_are_equal_by_content_and_have_no_room_for_more() -> None:
    one = Station("track", "on", "Alma", "1", 1, "")
    assert one == Station("track", "on", "Alma", "1", 1, "")
    assert len({one, replace(one)}) == 1
    assert replace(one, number="2") != one
    with pytest.raises(TypeError):
        vars(one)
