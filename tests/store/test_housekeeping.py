"""Rigs duplicated, put by, found by what is in them; revisions thinned; parts kept. On a real PostgreSQL."""

from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlmodel import Session, col, delete

from drawn import drawn
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import SetValues
from iskelo.core.edits.parts.keeping import keep
from iskelo.core.rig.part import Part
from iskelo.core.rig.rig import Rig
from iskelo.demo.orrin_point import orrin_point
from iskelo.store import parts, rigs
from iskelo.store.revisions import NoSuchRig, rig_at
from iskelo.store.tables import PartRow, RigRow
from iskelo.store.thinning import thin, thinned

START = datetime(2026, 3, 1, 8, tzinfo=UTC)


def named(name: str) -> tuple[SetValues]:
    return (SetValues(item="rig", values={"name": name}),)


def with_history(session: Session, minutes: list[int], undone: list[int]) -> rigs.Kept:
    """A rig that was renamed so many minutes after its start; before some renamings one was undone."""
    kept = rigs.make_rig(session, Rig(name="R1"), uuid4(), START, "made")
    for step, at in enumerate(sorted(minutes)):
        if step in undone and kept.undo is not None:
            kept = rigs.undo(session, kept.id, kept.revision, START)
        name = f"R{step + 2}"
        kept = rigs.edit_rig(session, kept.id, kept.revision, named(name), START + timedelta(minutes=at))
    return kept


def part_of(rig: Rig, name: str = "Boxes") -> Part:
    return keep(rig, tuple(gear.id for gear in rig.gear if gear.kind == "interface"), name)


def test_of_old_days_the_last_revision_stays_with_named_and_checked_ones(session: Session) -> None:
    day = 24 * 60
    kept = with_history(session, [1, 2, 3, day, day + 1, day + 2, 3 * day, 3 * day + 1], [])
    rigs.keep_as(session, kept.id, 3, "Dress")
    before = {each.number: rig_at(session, kept.id, each.number) for each in rigs.history(session, kept.id)}
    assert thinned(session, kept.id, START + timedelta(days=2)) == [2, 5, 6]
    assert thin(session, kept.id, START + timedelta(days=2)) == [2, 5, 6]
    left = rigs.history(session, kept.id)
    assert [each.number for each in left] == [9, 8, 7, 4, 3, 1]
    assert [each.parent for each in left] == [8, 7, 4, 3, 1, None]
    for each in left:
        assert rig_at(session, kept.id, each.number) == before[each.number]
    back = rigs.undo(session, kept.id, 9, START)
    assert back.rig == before[8]
    assert thin(session, kept.id, START + timedelta(days=2)) == []


@given(
    st.lists(st.integers(0, 6 * 24 * 60), min_size=1, max_size=70),
    st.lists(st.integers(0, 70), max_size=8),
    st.integers(0, 7),
    st.lists(st.integers(1, 70), max_size=3),
)
@settings(max_examples=drawn(25), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_is_thinned_what_is_left_reads_as_before(
    session: Session, minutes: list[int], undone: list[int], days: int, snapshots: list[int]
) -> None:
    kept = with_history(session, minutes, undone)
    numbers = [each.number for each in rigs.history(session, kept.id)]
    for number in set(snapshots) & set(numbers):
        rigs.keep_as(session, kept.id, number, f"S{number}")
    before = {number: rig_at(session, kept.id, number) for number in numbers}
    head = rigs.head_of(session, kept.id)
    gone = thin(session, kept.id, START + timedelta(days=days))
    session.expire_all()
    left = rigs.history(session, kept.id)
    assert {each.number for each in left} == set(numbers) - set(gone)
    assert set(snapshots) & set(gone) == set()
    assert head in {each.number for each in left}
    known = {each.number for each in left}
    for each in left:
        assert rig_at(session, kept.id, each.number) == before[each.number]
        assert each.parent is None or (each.parent in known and each.parent < each.number)
    edited = rigs.edit_rig(session, kept.id, head or 0, named("Later"), START)
    assert rig_at(session, kept.id, edited.revision).name == "Later"


def test_a_rig_is_duplicated_under_a_free_name_without_its_history(session: Session) -> None:
    first = rigs.make_rig(session, orrin_point(), uuid4(), START, "made")
    rigs.edit_rig(session, first.id, 1, named(f"Evening {first.id}"), START)
    again = rigs.duplicate(session, first.id, uuid4(), START)
    assert again.rig.name == f"Evening {first.id} 2"
    assert again.revision == 1
    assert again.rig.gear == orrin_point().gear
    with pytest.raises(NoSuchRig):
        rigs.duplicate(session, uuid4(), uuid4(), START)


def test_a_rig_put_by_says_so_and_is_taken_up_again(session: Session) -> None:
    kept = rigs.make_rig(session, Rig(name="Old"), uuid4(), START, "made")
    rigs.archive(session, kept.id, START)
    assert {each.id: each.archived for each in rigs.list_rigs(session)}[kept.id] is True
    rigs.archive(session, kept.id, None)
    assert {each.id: each.archived for each in rigs.list_rigs(session)}[kept.id] is False


def test_a_rig_is_found_by_anything_that_is_called_so(session: Session) -> None:
    session.execute(delete(RigRow))
    session.commit()
    kept = rigs.make_rig(session, orrin_point(), uuid4(), START, "made")
    rigs.make_rig(session, Rig(name="Blank"), uuid4(), START, "made")
    found = rigs.find_rigs(session, "hydrophone")
    assert [each.id for each in found] == [kept.id]
    assert found[0].holds.startswith("Tank hydrophone")
    assert [each.name for each in rigs.find_rigs(session, "blank")] == ["Blank"]
    assert rigs.find_rigs(session, "nowhere at all") == []


def test_parts_are_kept_once_a_name_and_the_one_used_last_stands_first(session: Session) -> None:
    session.execute(delete(PartRow))
    session.commit()
    rig = orrin_point()
    one = parts.keep_part(session, part_of(rig, "One"), START, replace=False)
    parts.keep_part(session, part_of(rig, "Two"), START + timedelta(minutes=1), replace=False)
    assert [each.part.name for each in parts.kept_parts(session)] == ["Two", "One"]
    home = rigs.make_rig(session, rig, uuid4(), START, "opened the demo").id
    assert parts.parts_of(session, home) == []
    assert parts.use_part(session, one, START + timedelta(minutes=2), home) == part_of(rig, "One")
    # A copy of a rig has its parts, and another rig has them not.
    copy = rigs.duplicate(session, home, uuid4(), START).id
    other = rigs.make_rig(session, rig, uuid4(), START, "opened the demo").id
    assert [[each.part.name for each in parts.parts_of(session, each)] for each in (home, copy, other)] == [
        ["One"],
        ["One"],
        [],
    ]
    assert [each.part.name for each in parts.kept_parts(session)] == ["One", "Two"]
    with pytest.raises(Refused, match="there is a part called One already"):
        parts.keep_part(session, part_of(rig, "ONE"), START, replace=False)
    parts.keep_part(session, part_of(rig, "ONE"), START, replace=True)
    assert sorted(each.part.name for each in parts.kept_parts(session)) == ["ONE", "Two"]
    with pytest.raises(Refused, match="Two already"):
        parts.rename_part(session, one, "two")
    parts.rename_part(session, one, "Three")
    assert parts.read_part(session, one).name == "Three"
    parts.forget_part(session, one)
    with pytest.raises(parts.NoSuchPart):
        parts.read_part(session, one)
    assert session.exec(PartRow.__table__.select().where(col(PartRow.id) == one)).first() is None
