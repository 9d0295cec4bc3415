"""The command line: what it takes, what it answers, with which exit code; and what the doctor finds."""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

import forked
from iskelo.command.__main__ import main, parser
from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster
from iskelo.store.database import migrate
from server import own_database, worker


def iskelo(*words: str, **more: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), **more}
    return forked.run(*words, environment=environment)


@pytest.mark.parametrize("words", [["help"], [], ["--help"]])
def test_help_names_every_command(words: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    if words == ["--help"]:
        with pytest.raises(SystemExit) as ended:
            main(words)
        assert ended.value.code == 0
    else:
        assert main(words) == 0
    said = capsys.readouterr().out
    for command in ("start", "test", "check", "types", "bench", "work", "backup", "restore", "doctor"):
        assert f"\n    {command} " in said
    assert "ISKELO_DATABASE_URL" in said


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["strat"], "invalid choice: 'strat'"),
        (["start", "now"], "unrecognized arguments: now"),
        (["backup"], "the following arguments are required: FILE"),
        (["backup", "--repl", "x"], "unrecognized arguments: --repl"),
        (["work", "--with-process", "many"], "invalid int value: 'many'"),
    ],
)
def test_what_makes_no_sense_is_said_with_exit_code_2(
    words: list[str], said: str, capsys: pytest.CaptureFixture[str]
) -> None:
    with pytest.raises(SystemExit) as ended:
        main(words)
    assert ended.value.code == 2
    assert said in capsys.readouterr().err


def test_words_for_pytest_are_handed_on_as_they_are() -> None:
    assert parser().parse_args(["test", "tests/core", "-k", "delta", "-x"]).pytest == [
        "tests/core",
        "-k",
        "delta",
        "-x",
    ]
    assert parser().parse_args(["test"]).pytest == []


def test_what_fails_says_so_with_exit_code_1(tmp_path: Path) -> None:
    nothing = iskelo("serve", ISKELO_DATABASE_URL="", ISKELO_PORT="")
    assert nothing.returncode == 1
    assert "serve needs ISKELO_DATABASE_URL" in nothing.stderr
    lone = iskelo("work", ISKELO_HOME=str(tmp_path), ISKELO_DATABASE_URL="")
    assert lone.returncode == 1
    assert "no database runs here: ./iskelo start first" in lone.stderr
    far = iskelo("work", ISKELO_DATABASE_URL="postgresql://nobody@127.0.0.1:1/none")
    assert far.returncode == 1
    assert "the database cannot be used" in far.stderr
    missing = iskelo("backup", str(tmp_path / "no" / "file"), ISKELO_HOME=str(tmp_path), ISKELO_DATABASE_URL="")
    assert missing.returncode == 1
    assert "there is no folder" in missing.stderr
    closed = iskelo("start", ISKELO_HOME="/proc/iskelo", ISKELO_DATABASE_URL="")
    assert closed.returncode == 1
    assert "Set ISKELO_HOME to a folder of your own" in closed.stderr


def test_a_database_of_another_version_is_refused_by_worker_and_server() -> None:
    with own_database(durable=False) as url:
        with psycopg.connect(url) as connection:
            connection.execute("UPDATE alembic_version SET version_num = '9999'")
        newer = iskelo("work", ISKELO_DATABASE_URL=url)
        assert newer.returncode == 1
        assert "used by a newer Iskelo" in newer.stderr
        with psycopg.connect(url) as connection:
            connection.execute("UPDATE alembic_version SET version_num = '0004'")
        older = iskelo("work", ISKELO_DATABASE_URL=url)
        assert "of an older Iskelo" in older.stderr
        with psycopg.connect(url) as connection:
            connection.execute("DROP TABLE alembic_version")
        empty = iskelo("work", ISKELO_DATABASE_URL=url)
        assert "the database is empty" in empty.stderr


@pytest.fixture
def home() -> Iterator[Path]:
    made = Path(tempfile.mkdtemp(prefix="iskelo-doctor-", dir="/tmp"))
    made.chmod(0o755)
    yield made
    shutil.rmtree(made, ignore_errors=True)


def test_the_doctor_says_what_it_finds_and_changes_nothing(home: Path) -> None:
    before = iskelo("doctor", ISKELO_HOME=str(home), ISKELO_DATABASE_URL="")
    assert before.returncode == 0, before.stdout
    assert "none yet; ./iskelo start makes it" in before.stdout
    assert list(home.iterdir()) == []
    cluster = Cluster(home / "postgres", durable=False)
    cluster.start()
    url = cluster.database("iskelo")
    migrate(url)
    running = worker(url)
    running.start()
    try:
        found = healthy(home, "1 at work")
    finally:
        running.stop()
    for words in ("PostgreSQL", f"port {cluster.port}", "current", "0 rigs, 0 revisions", "0 jobs", "GB free"):
        assert words in found.stdout
    cluster.folder.chmod(0o755)
    with psycopg.connect(url) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    ill = iskelo("doctor", ISKELO_HOME=str(home), ISKELO_DATABASE_URL="")
    assert ill.returncode == 1
    assert "others can read it" in ill.stdout
    assert "of a newer Iskelo than this one" in ill.stdout
    cluster.stop("immediate")


def healthy(home: Path, words: str) -> subprocess.CompletedProcess[str]:
    """What the doctor says, once it says these words."""
    for _ in range(20):
        found = iskelo("doctor", ISKELO_HOME=str(home), ISKELO_DATABASE_URL="")
        assert found.returncode == 0, found.stdout
        if words in found.stdout:
            return found
    raise AssertionError(found.stdout)
