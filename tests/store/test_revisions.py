"""Revisions as they are kept: whole now and then, between them what changed; read back the same from any of them."""

import json
from datetime import UTC, datetime
from uuid import uuid4

import pytest
from alembic import command
from sqlalchemy import text
from sqlmodel import Session

from iskelo.command.postgres import Cluster
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import SetValues
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.demo.orrin_point import orrin_point, recording
from iskelo.store import database, revisions, rigs
from iskelo.store.database import connect, migrate
from iskelo.store.revisions import WHOLE_EVERY, Faulty, rig_at
from older_rigs import of_version_2
from server import fresh_database
from walks import walk

NOW = datetime(2026, 1, 2, 3, 4, tzinfo=UTC)


def forgotten() -> None:
    """As after a restart: nothing is held in memory."""
    revisions._held.forget(lambda key: True)


@pytest.mark.parametrize("seed", [1, 2])
def test_every_revision_of_a_long_walk_is_read_back_from_the_database(session: Session, seed: int) -> None:
    kept = rigs.make_rig(session, orrin_point(), uuid4(), NOW, "made")
    made: dict[int, Rig] = {1: kept.rig}
    for _, edit, _ in walk(seed, kept.rig, 400):
        try:
            kept = rigs.edit_rig(session, kept.id, kept.revision, (edit,), NOW)
        except Refused:
            session.rollback()
            continue
        made[kept.revision] = kept.rig
    forgotten()
    assert all(rig_at(session, kept.id, number) == rig for number, rig in made.items())
    wholes = session.execute(
        text("SELECT number FROM revision WHERE rig_id = :rig AND document IS NOT NULL ORDER BY 1"), {"rig": kept.id}
    )
    numbers = [row[0] for row in wholes]
    assert numbers == list(range(1, len(made) + 1, WHOLE_EVERY))
    summary = next(each for each in rigs.list_rigs(session) if each.id == kept.id)
    assert (summary.name, summary.gear, summary.lines) == (kept.rig.name, len(kept.rig.gear), len(kept.rig.lines))


def test_branches_are_read_back_each_by_its_own_way(session: Session) -> None:
    kept = rigs.make_rig(session, Rig(name="Trunk"), uuid4(), NOW, "made")
    for name in ("Left", "Left on"):
        kept = rigs.edit_rig(session, kept.id, kept.revision, (SetValues(item="rig", values={"name": name}),), NOW)
    kept = rigs.jump(session, kept.id, 3, 1, NOW)
    kept = rigs.edit_rig(session, kept.id, 1, (SetValues(item="rig", values={"cores": 8}),), NOW)
    forgotten()
    found = [(rig_at(session, kept.id, number).name, rig_at(session, kept.id, number).cores) for number in (1, 2, 3, 4)]
    assert found == [("Trunk", 4), ("Left", 4), ("Left on", 4), ("Trunk", 8)]


def test_a_chain_that_is_broken_is_said_and_the_revisions_before_it_stay(session: Session) -> None:
    kept = rigs.make_rig(session, Rig(name="One"), uuid4(), NOW, "made")
    for name in ("Two", "Three"):
        kept = rigs.edit_rig(session, kept.id, kept.revision, (SetValues(item="rig", values={"name": name}),), NOW)
    session.execute(
        text("UPDATE revision SET delta = CAST(:delta AS jsonb) WHERE rig_id = :rig AND number = 2"),
        {"rig": kept.id, "delta": '{"gear": {"#": {"changed": {"s9": {"~": {}}}}}}'},
    )
    session.commit()
    forgotten()
    for number in (2, 3):
        with pytest.raises(Faulty, match="what was kept of it is not whole"):
            rig_at(session, kept.id, number)
    shown = rigs.read_rig(session, kept.id)
    assert (shown.revision, shown.shown, shown.rig.name) == (3, 1, "One")
    assert shown.fault is not None
    with pytest.raises(Faulty):
        rigs.edit_rig(session, kept.id, 3, (SetValues(item="rig", values={"name": "x"}),), NOW)


def test_a_history_kept_in_version_2_is_read_undone_and_gone_on_with(session: Session) -> None:
    """The demo and two edits as the version before sends kept them: a whole document, then what changed."""
    kept = rigs.make_rig(session, recording(), uuid4(), NOW, "made")
    made = [kept.rig]
    for name in ("Two", "Three"):
        kept = rigs.edit_rig(session, kept.id, kept.revision, (SetValues(item="rig", values={"name": name}),), NOW)
        made.append(kept.rig)
    document = json.dumps(of_version_2(json.loads(made[0].model_dump_json())))
    session.execute(
        text("UPDATE revision SET document = CAST(:document AS jsonb) WHERE rig_id = :rig AND number = 1"),
        {"rig": kept.id, "document": document},
    )
    session.execute(text("UPDATE revision SET version = 2 WHERE rig_id = :rig"), {"rig": kept.id})
    session.commit()
    forgotten()
    assert [rig_at(session, kept.id, number) for number in (1, 2, 3)] == made
    kept = rigs.undo(session, kept.id, 3, NOW)
    assert kept.rig == made[1]
    track = next(gear for gear in kept.rig.gear if isinstance(gear, Program)).tracks[0].id
    kept = rigs.edit_rig(session, kept.id, kept.revision, (SetValues(item=track, values={"pan": -0.5}),), NOW)
    forgotten()
    assert rig_at(session, kept.id, kept.revision) == kept.rig


def test_rigs_of_the_version_before_are_taken_over_with_their_history(cluster: Cluster) -> None:
    """Whole documents each, one of them in the form of version 1; from there on what changed is kept."""
    url = fresh_database(cluster)
    engine = connect(url)
    config = database._config()
    with engine.connect() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0004")
        connection.commit()
        rig = uuid4()
        connection.execute(text("INSERT INTO rig VALUES (:rig, now(), now(), 2, false)"), {"rig": rig})
        documents = ('{"format": "iskelo rig", "version": 1, "name": "Old"}', Rig(name="Newer").model_dump_json())
        for number, document in enumerate(documents, start=1):
            connection.execute(
                text(
                    "INSERT INTO revision (rig_id, number, parent, document, edits, words, made_at) VALUES "
                    "(:rig, :number, :parent, CAST(:document AS jsonb), '[]', 'made', now())"
                ),
                {"rig": rig, "number": number, "parent": number - 1 or None, "document": document},
            )
        connection.execute(
            text(
                "INSERT INTO line_check (id, rig_id, number, revision, state, share, stage, cancel_wanted, made_at) "
                "VALUES (gen_random_uuid(), :rig, 1, 2, 'running', 0.5, 'listening', true, now())"
            ),
            {"rig": rig},
        )
        connection.commit()
    migrate(url)
    forgotten()
    with Session(engine) as session:
        kept = rigs.read_rig(session, rig)
        assert (kept.revision, kept.rig.name) == (2, "Newer")
        assert session.execute(text("SELECT state FROM line_check")).scalar_one() == "cancelled"
        kept = rigs.undo(session, rig, 2, NOW)
        assert kept.rig.name == "Old"
        # What is made of a document in an older form is whole; what is made of that is what changed.
        for name in ("A", "B"):
            kept = rigs.edit_rig(session, rig, kept.revision, (SetValues(item="rig", values={"name": name}),), NOW)
        stored = session.execute(text("SELECT number, version, document IS NULL FROM revision ORDER BY 1")).all()
        assert [tuple(row) for row in stored] == [(1, 1, False), (2, 13, False), (3, 13, False), (4, 13, True)]
        forgotten()
        assert [rig_at(session, rig, number).name for number in (1, 2, 3, 4)] == ["Old", "Newer", "A", "B"]
    engine.dispose()
