"""What a screen says a change would do is what making it does, on any rig."""

from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.compare import trial
from iskelo.core.device_maps import aggregate_views, clock_tree
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import read
from iskelo.core.planner.aggregates import JoinRequest, join_sheet
from iskelo.core.planner.budgets import line_budgets
from iskelo.core.planner.ladder import Ladder, Rung, ladders
from iskelo.core.remedies import standing, tried_remedies
from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import run_rules
from iskelo.core.survey import survey, survey_again
from rigs import any_rig, programs_joined

RIGS = st.one_of(any_rig(), any_rig(busy=True), any_rig(busy=True, converting=True))
JOINED = programs_joined(any_rig(cabled=True, busy=True))
COMING_BACK = any_rig(busy=True, back=True)
"""Rigs with inserts, outboard gear and leads back."""


def opens(rig: Rig, ladder: Ladder) -> bool:
    """Whether all of a program's boxes can be opened; of what cannot, no delay is ever heard."""
    found = index(rig)
    streams = found.opened[ladder.program]
    return not any(found.hindrance(streams, way) for way in streams.ways)


def ladder_of(rig: Rig, program: str) -> Ladder:
    return next(each for each in ladders(read(rig)) if each.program == program)


def at_rung(rig: Rig, ladder: Ladder, rung: Rung) -> Ladder | None:
    """The ladder when the rung's buffer is set; None where it is refused: not all joined boxes need offer it."""
    try:
        after = apply(rig, (SetValues(item=ladder.driver, values={"buffer_samples": rung.buffer_samples}),)).rig
    except Refused:
        return None
    return ladder_of(after, ladder.program)


def drawn_rung(rig: Rig, found: list[Ladder], data: st.DataObject) -> tuple[Ladder, Rung, Ladder] | None:
    """A ladder, one of its rungs, and the ladder once that buffer is made; None if none can be."""
    if not found:
        return None
    ladder = data.draw(st.sampled_from(found))
    rung = data.draw(st.sampled_from(ladder.rungs))
    then = at_rung(rig, ladder, rung)
    return (ladder, rung, then) if then is not None else None


@given(RIGS | JOINED, st.data())
@settings(max_examples=drawn(80))
def test_a_rung_of_the_ladder_is_what_its_buffer_gives(rig: Rig, data: st.DataObject) -> None:
    found = [ladder for ladder in ladders(read(rig)) if opens(rig, ladder)]
    drawn = drawn_rung(rig, found, data)
    if drawn is None:
        return
    _, rung, then = drawn
    assert (then.round_trip_samples, then.round_trip_ms) == (rung.round_trip_samples, rung.round_trip_ms)
    now = next(each for each in then.rungs if each.buffer_samples == rung.buffer_samples)
    assert (now.in_samples, now.out_samples) == (rung.in_samples, rung.out_samples)
    assert now.spare_percent == rung.spare_percent
    assert (now.assumed, now.known) == (rung.assumed, rung.known)
    assert (now.nearest, now.verdict, now.late_lines) == (rung.nearest, rung.verdict, rung.late_lines)
    assert then.assumed == rung.assumed


@given(RIGS | JOINED, st.data())
@settings(max_examples=drawn(80))
def test_a_driver_side_by_side_gives_what_opening_the_box_by_it_gives(rig: Rig, data: st.DataObject) -> None:
    found = [ladder for ladder in ladders(read(rig)) if ladder.ways]
    if not found:
        return
    ladder = data.draw(st.sampled_from(found))
    way = data.draw(st.sampled_from(ladder.ways))
    after = ladder_of(apply(rig, way.edits).rig, ladder.program)
    now = next(each for each in after.ways if each.driver == way.driver)
    assert now.now
    assert (now.round_trip_samples, now.round_trip_ms) == (way.round_trip_samples, way.round_trip_ms)
    assert (now.capture, now.playback, now.buffer_samples) == (way.capture, way.playback, way.buffer_samples)
    if not way.box:
        assert after.round_trip_samples == way.round_trip_samples
    assert sum(each.now for each in after.ways if each.box == way.box) == 1


@given(RIGS | JOINED, st.data())
@settings(max_examples=drawn(80))
def test_a_join_sheet_shows_the_device_that_is_made(rig: Rig, data: st.DataObject) -> None:
    found = index(rig)
    devices = [gear.id for gear in (*found.boxes, *found.aggregates)]
    if not devices:
        return
    marked = tuple(data.draw(st.lists(st.sampled_from(devices), min_size=1, max_size=3, unique=True)))
    names = tuple(data.draw(st.lists(st.sampled_from(["", "One", "Two", "Zwölf"]), max_size=3)))
    try:
        sheet = join_sheet(read(rig), JoinRequest(devices=marked, names=names))
    except Refused:
        return
    after = apply(rig, sheet.edits).rig
    (made,) = [view for view in aggregate_views(read(after)) if view.id == sheet.device.id]
    assert made == sheet.device
    assert len(made.members) >= 2
    assert sheet.reasons
    told = trial(rig, sheet.edits)
    assert told.arriving_after == survey(after).vitals.arriving
    # One input may stand on several channels, some beyond the device's; the last name typed is the one it keeps.
    typed = [channel for channel, name in enumerate(names, start=1) if name]
    for channel in [channel for channel in typed[-1:] if channel <= len(made.capture)]:
        assert any(each.startswith(names[channel - 1]) for each in made.capture[channel - 1].names)


@given(RIGS)
@settings(max_examples=drawn(80))
def test_budgets_and_clocks_of_any_rig_agree_with_its_survey(rig: Rig) -> None:
    reading = read(rig)
    lines = {line.id: line for line in survey(rig).lines}
    budgets = line_budgets(reading)
    assert {each.line for each in budgets} == {each.id for each in lines.values() if each.latest_ms}
    for each in budgets:
        assert each.ms == lines[each.line].latest_ms
        assert each.samples == sum(part.samples for part in each.parts)
        late = each.left_ms is not None and each.left_ms < 0
        assert late == any(finding.kind == "late" for finding in lines[each.line].findings)
    rows = clock_tree(reading)
    in_circles = {identity for identity, pace in reading.found.paces.items() if pace.unlocked == "loop"}
    assert {row.box for row in rows} | in_circles == {box.id for box in reading.found.boxes}
    for row in rows:
        assert bool(row.tolerance) == (reading.found.paces[row.box].leader is not None and not row.trouble)


def silent(rig: Rig, lines: tuple[str, ...]) -> int:
    """How many of these lines nothing arrives for."""
    return sum(state.headline in ("silent", "blocked") for state in read(rig).lines if state.line.id in lines)


@given(RIGS | COMING_BACK | JOINED)
@settings(max_examples=drawn(45))
def test_the_first_remedy_offered_mends_its_snag_or_some_of_it(rig: Rig) -> None:
    known = survey_again(rig, None)
    for snag in run_rules(known.reading):
        for remedy in (each for each in tried_remedies(rig, snag, known)[:1] if not each.fact):
            after = apply(rig, remedy.edits).rig
            left = {each.key: each for each in run_rules(read(after))}
            if snag.key not in left or silent(after, snag.lines) < silent(rig, snag.lines):
                continue
            # Where a stray and its owner are both wrong the owner may be put right first; of what one snag tells of
            # several things one may be mended at a time, and what is opened may then show what it hid.
            assert standing(survey_again(after, None)) < standing(known)


@given(RIGS | JOINED, st.data())
@settings(max_examples=drawn(80))
def test_a_rung_tells_the_late_lines_its_buffer_gives(rig: Rig, data: st.DataObject) -> None:
    limited = tuple(line.model_copy(update={"longest_delay_ms": 15.0}) for line in rig.lines)
    rig = rig.model_copy(update={"lines": limited})
    found = [ladder for ladder in ladders(read(rig)) if opens(rig, ladder) and ladder.lines]
    drawn = drawn_rung(rig, found, data)
    if drawn is None:
        return
    ladder, rung, then = drawn
    # A buffer that a joined box does not offer shuts it out, and its lines with it.
    if then.lines == ladder.lines:
        now = next(each for each in then.rungs if each.buffer_samples == rung.buffer_samples)
        assert now.late_lines == rung.late_lines
