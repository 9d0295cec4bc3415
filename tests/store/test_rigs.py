"""Revisions on a real PostgreSQL: edits, undo, redo, stale edits, migrations."""

from datetime import UTC, datetime
from uuid import UUID, uuid4

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from procrastinate.exceptions import ConnectorException
from sqlalchemy import inspect, text
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlmodel import Session, SQLModel

from drawn import drawn
from iskelo.command.postgres import Cluster
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import SetValues
from iskelo.core.rig.rig import Rig
from iskelo.store import checks, queue, rigs
from iskelo.store.database import connect, libpq_url, migrate, sqlalchemy_url
from iskelo.store.revisions import NoSuchRig, rig_at
from rigs import any_rig
from server import fresh_database

NOW = datetime(2026, 1, 2, 3, 4, tzinfo=UTC)


def named(name: str) -> tuple[SetValues]:
    return (SetValues(item="rig", values={"name": name}),)


def made(session: Session) -> rigs.Kept:
    return rigs.make_rig(session, Rig(name="One"), uuid4(), NOW, "made")


def test_undo_and_redo_walk_the_revisions_and_say_what_they_would_do(session: Session) -> None:
    kept = made(session)
    two = rigs.edit_rig(session, kept.id, 1, named("Two"), NOW)
    three = rigs.edit_rig(session, kept.id, two.revision, named("Three"), NOW)
    assert (three.revision, three.undo, three.redo) == (3, "Two: renamed to Three", None)
    back = rigs.undo(session, kept.id, 3, NOW)
    assert (back.revision, back.rig.name, back.redo) == (2, "Two", "Two: renamed to Three")
    first = rigs.undo(session, kept.id, 2, NOW)
    assert (first.rig.name, first.undo) == ("One", None)
    with pytest.raises(rigs.NothingTo):
        rigs.undo(session, kept.id, 1, NOW)
    assert rigs.redo(session, kept.id, 1, NOW).rig.name == "Two"
    assert rigs.redo(session, kept.id, 2, NOW).rig.name == "Three"
    with pytest.raises(rigs.NothingTo):
        rigs.redo(session, kept.id, 3, NOW)


def test_an_edit_after_an_undo_starts_a_branch_that_redo_follows(session: Session) -> None:
    kept = made(session)
    rigs.edit_rig(session, kept.id, 1, named("Two"), NOW)
    rigs.undo(session, kept.id, 2, NOW)
    branch = rigs.edit_rig(session, kept.id, 1, named("Other"), NOW)
    assert (branch.revision, branch.redo) == (3, None)
    rigs.undo(session, kept.id, 3, NOW)
    assert rigs.redo(session, kept.id, 1, NOW).rig.name == "Other"
    assert rig_at(session, kept.id, 2).name == "Two"


def test_the_history_tells_every_revision_and_any_can_be_gone_to_and_named(session: Session) -> None:
    kept = made(session)
    rigs.edit_rig(session, kept.id, 1, named("Two"), NOW)
    rigs.edit_rig(session, kept.id, 2, named("Three"), NOW)
    rigs.keep_as(session, kept.id, 2, "Dress")
    told = [(each.number, each.parent, each.words, each.kept_as) for each in rigs.history(session, kept.id)]
    assert told == [
        (3, 2, "Two: renamed to Three", None),
        (2, 1, "One: renamed to Two", "Dress"),
        (1, None, "made", None),
    ]
    there = rigs.jump(session, kept.id, 3, 1, NOW)
    assert (there.revision, there.rig.name, there.redo) == (1, "One", "One: renamed to Two")
    with pytest.raises(rigs.Stale):
        rigs.jump(session, kept.id, 3, 2, NOW)
    session.rollback()
    with pytest.raises(NoSuchRig):
        rigs.jump(session, kept.id, 1, 99, NOW)
    session.rollback()
    rigs.keep_as(session, kept.id, 2, None)
    assert all(each.kept_as is None for each in rigs.history(session, kept.id))


def test_a_stale_edit_is_refused_and_a_refused_one_keeps_nothing(session: Session) -> None:
    kept = made(session)
    rigs.edit_rig(session, kept.id, 1, named("Two"), NOW)
    for move in (rigs.undo, rigs.redo):
        with pytest.raises(rigs.Stale):
            move(session, kept.id, 1, NOW)
    with pytest.raises(rigs.Stale):
        rigs.edit_rig(session, kept.id, 1, named("Late"), NOW)
    session.rollback()
    with pytest.raises(Refused):
        rigs.edit_rig(session, kept.id, 2, (*named("Half"), SetValues(item="x9", values={"name": "x"})), NOW)
    session.rollback()
    assert rigs.read_rig(session, kept.id).rig.name == "Two"


@given(any_rig(), st.text(min_size=1, max_size=20))
@settings(max_examples=drawn(25), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_undo_restores_any_rig_exactly_as_it_was_kept(session: Session, rig: Rig, name: str) -> None:
    kept = rigs.make_rig(session, rig, uuid4(), NOW, "made")
    try:
        rigs.edit_rig(session, kept.id, 1, named(name), NOW)
    except Refused:
        session.rollback()
        return
    assert rigs.undo(session, kept.id, 2, NOW).rig == rig


def test_rigs_are_listed_newest_first_and_removed_with_everything(session: Session) -> None:
    kept = made(session)
    check = checks.start_check(session, kept.id, uuid4(), NOW).id
    assert any(each.id == kept.id and each.name == "One" for each in rigs.list_rigs(session))
    rigs.remove_rig(session, kept.id)
    assert rigs.head_of(session, kept.id) is None
    with pytest.raises(checks.NoSuchCheck):
        checks.read_check(session, check)
    with pytest.raises(NoSuchRig):
        rigs.read_rig(session, kept.id)


def test_sound_is_kept_of_the_newest_checks_only(session: Session) -> None:
    kept = made(session)
    ids = []
    for number in range(checks.TAKES_KEPT + 2):
        row = checks.start_check(session, kept.id, uuid4(), NOW)
        assert row.number == number + 1
        assert checks.begin(session, row.id, NOW)
        assert checks.finish(session, row.id, 1, "done", "done", NOW, ledger={}, takes={48_000: ([0], b"sound")})
        assert checks.begin(session, row.id, NOW) is None
        ids.append(row.id)
    with pytest.raises(checks.NoSuchCheck):
        checks.take_bytes(session, ids[1], 48_000)
    assert checks.take_bytes(session, ids[2], 48_000) == b"sound"
    assert checks.take_bytes(session, ids[-1], 48_000, 1, 3) == b"oun"
    assert checks.take_files(session, ids[-1]) == [(48_000, [0], 5)]


def test_a_check_that_is_cancelled_ends_at_once_and_its_worker_finds_so(session: Session) -> None:
    kept = made(session)
    waiting = checks.start_check(session, kept.id, uuid4(), NOW)
    assert checks.cancel(session, waiting.id, NOW).state == "cancelled"
    assert checks.begin(session, waiting.id, NOW) is None
    running = checks.start_check(session, kept.id, uuid4(), NOW)
    checks.begin(session, running.id, NOW)
    assert checks.tell_progress(session, running.id, 1, 0.25, "running")
    assert checks.cancel(session, running.id, NOW).state == "cancelled"
    assert not checks.tell_progress(session, running.id, 1, 0.5, "running")
    assert not checks.finish(session, running.id, 1, "done", "done", NOW, ledger={})
    assert checks.read_check(session, running.id).state == "cancelled"


def test_a_check_that_was_left_is_begun_again_and_only_its_newest_worker_writes(session: Session) -> None:
    kept = made(session)
    check = checks.start_check(session, kept.id, uuid4(), NOW).id
    first = checks.begin(session, check, NOW)
    assert first is not None
    second = checks.begin(session, check, NOW)
    assert second is not None
    assert second.stage == "starting again, attempt 2 of 3"
    assert not checks.tell_progress(session, check, 1, 0.9, "the slow one")
    assert not checks.finish(session, check, 1, "done", "done", NOW, ledger={"of": "the slow one"})
    assert checks.finish(session, check, 2, "done", "done", NOW, ledger={"of": "the other"})
    assert checks.read_check(session, check).ledger == {"of": "the other"}


def test_a_check_that_breaks_off_three_times_is_given_up_with_the_reason(session: Session) -> None:
    kept = made(session)
    check = checks.start_check(session, kept.id, uuid4(), NOW).id
    for attempt in range(1, 4):
        assert checks.begin(session, check, NOW)
        assert checks.tell_progress(session, check, attempt, 0.5, "listening, 4 of 12")
    assert checks.begin(session, check, NOW) is None
    row = checks.read_check(session, check)
    assert row.state == "failed"
    assert row.stage.startswith("Given up after 3 attempts: each broke off, the last one at “listening, 4 of 12”")


def test_a_check_and_its_job_are_kept_together_or_not_at_all(session: Session) -> None:
    kept = made(session)
    check = checks.start_check(session, kept.id, uuid4(), NOW).id
    assert jobs_of(session, check) == 1
    with pytest.raises(IntegrityError):
        checks.start_check(session, kept.id, check, NOW)
    session.rollback()
    assert jobs_of(session, check) == 1
    assert checks.begin(session, check, NOW)
    checks.put_back(session, check, 1)
    assert (checks.read_check(session, check).state, checks.read_check(session, check).attempt) == ("queued", 0)
    assert jobs_of(session, check) == 2
    session.execute(text("DELETE FROM procrastinate_jobs"))
    session.commit()
    assert checks.may_sweep(session)
    assert checks.adopt(session) >= 1
    assert jobs_of(session, check) == 1


def jobs_of(session: Session, check: UUID) -> int:
    found = session.execute(
        text("SELECT count(*) FROM procrastinate_jobs WHERE args->>'check_id' = :check"), {"check": str(check)}
    )
    return int(found.scalar_one())


def test_old_checks_go_but_never_those_that_verdicts_rest_on(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(checks, "CHECKS_KEPT", 3)
    kept = made(session)
    whole = {"lines": [{"line": "l1", "mark": "m", "proved": True}]}
    for number in range(8):
        check = checks.start_check(session, kept.id, uuid4(), NOW, only=None if number in (0, 2) else ["l1"]).id
        checks.begin(session, check, NOW)
        assert checks.finish(session, check, 1, "done", "done", NOW, ledger=whole)
    numbers = session.execute(text("SELECT number FROM line_check WHERE rig_id = :rig ORDER BY 1"), {"rig": kept.id})
    assert [row[0] for row in numbers] == [3, 4, 5, 6, 7, 8]
    assert checks.checked_lines(session, kept.id) == {"l1": ("m", True)}


def test_the_migrations_make_exactly_the_tables_of_the_models(cluster: Cluster) -> None:
    url = fresh_database(cluster)
    migrate(url)
    migrate(url)
    engine = connect(url)
    found = inspect(engine)
    for table in SQLModel.metadata.sorted_tables:
        columns = {column["name"]: column["nullable"] for column in found.get_columns(table.name)}
        assert columns == {column.name: bool(column.nullable) for column in table.columns}
    engine.dispose()


def test_addresses() -> None:
    assert sqlalchemy_url("postgres://a/b") == "postgresql+psycopg://a/b"
    assert sqlalchemy_url("postgresql+psycopg://a/b") == "postgresql+psycopg://a/b"
    assert libpq_url("postgresql+psycopg://a/b") == "postgresql://a/b"


def test_a_database_that_goes_away_while_a_check_is_queued_is_away_as_anywhere_else(
    session: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept = made(session)

    def gone(*_: object, **__: object) -> None:
        raise ConnectorException from psycopg.OperationalError("the connection is lost")

    monkeypatch.setattr(queue._blueprint, "configure_task", gone)
    with pytest.raises(OperationalError, match="the connection is lost"):
        checks.start_check(session, kept.id, uuid4(), NOW)
    session.rollback()
    assert checks.newest_check(session, kept.id) is None
