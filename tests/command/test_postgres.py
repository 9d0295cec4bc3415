"""Starting PostgreSQL on what a power loss, a kill or another program left behind."""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from iskelo.command import postgres
from iskelo.command.postgres import Cluster
from server import own_cluster


@pytest.fixture
def stopped() -> Iterator[Cluster]:
    """A server of its own that was made and stopped."""
    with own_cluster(durable=False) as made:
        made.stop()
        yield made


@pytest.mark.parametrize("left", ["", "\n", "rubbish\n", "-1\n", "0\n", "99999999\n/nowhere\n1\n5432\n", "12"])
def test_an_empty_or_foreign_lock_file_is_recognised_and_taken_away(stopped: Cluster, left: str) -> None:
    (stopped.data / "postmaster.pid").write_text(left)
    assert stopped.process() is None
    stopped.stop()
    assert stopped.start()
    assert stopped.answers()


def test_the_lock_file_of_a_living_process_of_another_kind_is_stale_and_that_process_left_alone(
    stopped: Cluster,
) -> None:
    """After a power loss numbers are given out anew; the one that was PostgreSQL's may be anybody's."""
    other = subprocess.Popen(["sleep", "100"], cwd=stopped.data if os.geteuid() == 0 else None)
    try:
        lines = [str(other.pid), str(stopped.data), "1700000000", str(stopped.port), "", "127.0.0.1", "", "ready"]
        (stopped.data / "postmaster.pid").write_text("\n".join(lines) + "\n")
        assert stopped.process() is None
        stopped.stop("immediate")
        assert other.poll() is None, "a process that is not our server is never ended"
        assert stopped.start()
        stopped.stop("immediate")
        assert other.poll() is None
    finally:
        other.kill()
        other.wait()


def test_another_server_is_not_taken_for_ours(stopped: Cluster) -> None:
    with own_cluster(durable=False) as other:
        process = other.process()
        assert process is not None
        (stopped.data / "postmaster.pid").write_text(f"{process}\n{stopped.data}\n1700000000\n{other.port}\n")
        stopped.stop("immediate")
        assert other.process() == process
        assert stopped.start()
        assert stopped.port != other.port


def test_lost_passwords_are_made_anew_and_the_data_stays(stopped: Cluster) -> None:
    stopped.start()
    with psycopg.connect(stopped.database("iskelo")) as connection:
        connection.execute("CREATE TABLE kept AS SELECT 42 AS answer")
    old = stopped.passwords.of("iskelo")
    (stopped.folder / "iskelo.password").unlink()
    again = Cluster(stopped.folder, durable=False)
    again.start()
    assert again.passwords.of("iskelo") not in ("", old)
    with psycopg.connect(again.database("iskelo")) as connection:
        assert connection.execute("SELECT answer FROM kept").fetchone() == (42,)


def test_data_of_a_postgresql_that_is_not_here_is_refused_in_words(
    stopped: Cluster, capfd: pytest.CaptureFixture[str]
) -> None:
    (stopped.data / "PG_VERSION").write_text("9.4\n")
    with pytest.raises(SystemExit) as ended:
        stopped.start()
    assert ended.value.code == 1
    assert "was written by PostgreSQL 9.4, and this computer has" in capfd.readouterr().err


def test_a_failure_to_start_says_what_to_do(stopped: Cluster, capfd: pytest.CaptureFixture[str]) -> None:
    (stopped.data / "postgresql.conf").write_text("shared_buffers = rubbish\n")
    with pytest.raises(SystemExit):
        stopped.start()
    said = capfd.readouterr().err
    assert "PostgreSQL's pg_ctl failed" in said
    assert "./iskelo doctor" in said
    for sign, remedy in (("No space left on device", "make room"), ("Permission denied", "set ISKELO_HOME")):
        assert remedy in postgres._what_to_do(f"FATAL: could not write: {sign}")


def test_two_homes_of_one_machine_run_side_by_side() -> None:
    with own_cluster(durable=False) as one, own_cluster(durable=False) as other:
        assert one.port != other.port
        with pytest.raises(psycopg.OperationalError, match="password authentication failed"):
            psycopg.connect(one.url("postgres", "postgres").replace(f":{one.port}/", f":{other.port}/"))


def test_a_server_without_room_for_its_folder_says_so(capfd: pytest.CaptureFixture[str]) -> None:
    folder = Path(tempfile.mkdtemp(prefix="iskelo-closed-", dir="/tmp"))
    try:
        # As root the server is another user's, who cannot get through this folder; else it is our own and written shut.
        folder.chmod(0o700 if os.geteuid() == 0 else 0o500)
        with pytest.raises((SystemExit, PermissionError)):
            Cluster(folder / "postgres").start()
        if os.geteuid() == 0:
            assert "set ISKELO_HOME to a folder of your own" in capfd.readouterr().err
    finally:
        folder.chmod(0o700)
        shutil.rmtree(folder, ignore_errors=True)
