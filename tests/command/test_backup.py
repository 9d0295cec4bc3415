"""A backup holds everything: the data folder is destroyed in between, and nothing is missed afterwards."""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from uuid import UUID, uuid4

import psycopg
import pytest
from sqlalchemy import text
from sqlmodel import Session

import forked
from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster
from iskelo.core.edits.edit import SetValues
from iskelo.core.rig.rig import Rig
from iskelo.demo.catalogue import catalogue
from iskelo.demo.orrin_point import orrin_point
from iskelo.store import catalogue as kept_catalogue
from iskelo.store import checks, rigs
from iskelo.store.database import connect, migrate, standing
from server import own_database

NOW = datetime(2026, 3, 4, 5, 6, tzinfo=UTC)


@pytest.fixture
def home() -> Iterator[Path]:
    made = Path(tempfile.mkdtemp(prefix="iskelo-backup-", dir="/tmp"))
    made.chmod(0o755)
    yield made
    Cluster(made / "postgres").stop("immediate")
    shutil.rmtree(made, ignore_errors=True)


def iskelo(home: Path, *words: str, **more: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "ISKELO_HOME": str(home), **more}
    environment.pop("ISKELO_DATABASE_URL", None) if "ISKELO_DATABASE_URL" not in more else None
    return forked.run(*words, environment=environment)


def fill(url: str) -> tuple[UUID, UUID]:
    """A rig with a history, a check with its take, and a piece of gear that was kept."""
    migrate(url)
    engine = connect(url)
    with Session(engine) as session:
        rig = rigs.make_rig(session, orrin_point(), uuid4(), NOW, "opened the demo", is_demo=True).id
        for number in range(1, 60):
            edits = (SetValues(item="rig", values={"name": f"Night {number}"}),)
            rigs.edit_rig(session, rig, number, edits, NOW)
        check = checks.start_check(session, rig, uuid4(), NOW).id
        assert checks.begin(session, check, NOW)
        checks.finish(
            session, check, 1, "done", "done", NOW, ledger={"lines": []}, takes={48_000: ([0], b"\0sound\xff")}
        )
        checks.start_check(session, rig, uuid4(), NOW)
        kept_catalogue.keep_gear(session, (catalogue()[0],), NOW)
    engine.dispose()
    return rig, check


def everything(url: str) -> dict[str, list[tuple]]:
    """All that is kept, table by table."""
    engine = connect(url)
    with Session(engine) as session:
        tables = ("rig", "revision", "line_check", "take", "catalogue", "procrastinate_jobs")
        found = {name: sorted(map(str, session.execute(text(f"SELECT {name}.*::text FROM {name}")))) for name in tables}
    engine.dispose()
    return found


def test_everything_is_there_again_after_the_data_folder_was_destroyed(home: Path) -> None:
    cluster = Cluster(home / "postgres")
    cluster.start()
    url = cluster.database("iskelo")
    rig, check = fill(url)
    before = everything(url)
    cluster.stop()

    file = home / "all.iskelo"
    done = iskelo(home, "backup", str(file))
    assert (done.returncode, done.stderr.count("kept everything in")) == (0, 1), done.stderr
    assert file.stat().st_mode & 0o077 == 0
    assert cluster.process() is None, "a server that was started for the backup is stopped again"

    shutil.rmtree(home / "postgres")
    done = iskelo(home, "restore", str(file))
    assert done.returncode == 0, done.stderr
    cluster = Cluster(home / "postgres")
    cluster.start()
    assert everything(cluster.database("iskelo")) == before
    engine = connect(cluster.database("iskelo"))
    with Session(engine) as session:
        assert rigs.rig_at(session, rig, 37).name == "Night 36"
        assert rigs.undo(session, rig, 60, NOW).rig.name == "Night 58"
        assert checks.take_bytes(session, check, 48_000) == b"\0sound\xff"
    engine.dispose()


def test_nothing_is_overwritten_without_being_told_to(home: Path) -> None:
    cluster = Cluster(home / "postgres")
    cluster.start()
    fill(cluster.database("iskelo"))
    file = home / "all.iskelo"
    assert iskelo(home, "backup", str(file)).returncode == 0, "while the server runs"
    kept = file.read_bytes()
    again = iskelo(home, "backup", str(file))
    assert again.returncode == 1
    assert "is there already" in again.stderr
    assert file.read_bytes() == kept
    assert iskelo(home, "backup", "--replace", str(file)).returncode == 0

    refused = iskelo(home, "restore", str(file))
    assert refused.returncode == 1
    assert "1 rig is here already" in refused.stderr
    assert "iskelo_before" in refused.stderr
    url = cluster.database("iskelo")
    with psycopg.connect(url) as connection:
        connection.execute("UPDATE rig SET changed_at = '2000-01-01'")
    done = iskelo(home, "restore", "--replace", str(file))
    assert done.returncode == 0, done.stderr
    cluster.start()
    with psycopg.connect(cluster.database("iskelo")) as connection:
        assert connection.execute("SELECT count(*) FROM rig WHERE changed_at > '2020-01-01'").fetchone() == (1,)
    with psycopg.connect(cluster.database("iskelo_before")) as connection:
        assert connection.execute("SELECT count(*) FROM rig WHERE changed_at < '2020-01-01'").fetchone() == (1,)


@pytest.mark.parametrize("content", [b"", b"rubbish", b"PGDMP\x01\x0e"])
def test_what_is_no_backup_is_refused_and_changes_nothing(home: Path, content: bytes) -> None:
    file = home / "odd.iskelo"
    file.write_bytes(content)
    done = iskelo(home, "restore", str(file))
    assert done.returncode == 1
    assert "is no backup of Iskelo" in done.stderr
    assert not (home / "postgres").exists()


def test_a_backup_of_a_newer_iskelo_is_refused_and_changes_nothing(home: Path) -> None:
    cluster = Cluster(home / "postgres")
    cluster.start()
    url = cluster.database("iskelo")
    fill(url)
    with psycopg.connect(url) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    assert standing(url) == "newer"
    file = home / "newer.iskelo"
    assert iskelo(home, "backup", str(file)).returncode == 0
    with psycopg.connect(url) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '0009'")
    done = iskelo(home, "restore", "--replace", str(file))
    assert done.returncode == 1
    assert "made by a newer Iskelo than this one" in done.stderr
    cluster.start()
    assert standing(cluster.database("iskelo")) == "current"
    with cluster.administer() as connection:
        names = connection.execute("SELECT datname FROM pg_database").fetchall()
    assert {name for (name,) in names} == {"postgres", "template0", "template1", "iskelo"}


def test_a_database_of_somebody_elses_is_backed_up_and_restored_as_well(home: Path) -> None:
    file = home / "theirs.iskelo"
    with own_database(durable=False) as url:
        fill(url)
        before = everything(url)
        assert iskelo(home, "backup", str(file), ISKELO_DATABASE_URL=url).returncode == 0
        refused = iskelo(home, "restore", str(file), ISKELO_DATABASE_URL=url)
        assert "To write over them say --replace" in refused.stderr
        engine = connect(url)
        with Session(engine) as session:
            rigs.make_rig(session, Rig(name="More"), uuid4(), NOW, "made")
        engine.dispose()
        done = iskelo(home, "restore", "--replace", str(file), ISKELO_DATABASE_URL=url)
        assert done.returncode == 0, done.stderr
        assert everything(url) == before
    assert not (home / "postgres").exists()
