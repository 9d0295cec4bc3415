"""What was broken off in the middle, or is damaged: nothing is lost; it goes on, or says why not and what to do."""

from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from command.test_backup import everything, fill, home, iskelo
from iskelo.command.backup import BEFORE, GOING, RESTORING, settle, unfinished
from iskelo.command.places import DATABASE
from iskelo.command.postgres import Cluster
from server import own_cluster

__all__ = ["home"]


@pytest.fixture
def kept(home: Path) -> Iterator[tuple[Path, Cluster, Path]]:
    """A home whose database runs and holds a rig, with a backup of it."""
    cluster = Cluster(home / "postgres", durable=False)
    cluster.start()
    fill(cluster.database(DATABASE))
    file = home / "all.iskelo"
    assert iskelo(home, "backup", str(file)).returncode == 0
    yield home, cluster, file
    cluster.stop("immediate")


def renamed(cluster: Cluster, old: str, new: str) -> None:
    with cluster.administer() as connection:
        connection.execute(f"ALTER DATABASE {old} RENAME TO {new}")


def test_a_restore_while_somebody_looks_into_the_database_changes_nothing_and_says_so(
    kept: tuple[Path, Cluster, Path],
) -> None:
    """Not even the copy of what an earlier restore took the place of is dropped before it is known."""
    home, cluster, file = kept
    before = everything(cluster.database(DATABASE))
    cluster.database(BEFORE)
    with psycopg.connect(cluster.url(DATABASE)) as looking:
        looking.execute("SELECT 1")
        done = iskelo(home, "restore", "--replace", str(file))
    assert done.returncode == 1
    assert "another program has the database open" in done.stderr
    assert "Nothing was changed" in done.stderr
    assert cluster.databases() >= {DATABASE, BEFORE}
    assert not {RESTORING, GOING} & cluster.databases()
    assert everything(cluster.database(DATABASE)) == before


def test_a_restore_keeps_what_was_here_and_drops_the_older_copy_last(kept: tuple[Path, Cluster, Path]) -> None:
    home, cluster, file = kept
    with psycopg.connect(cluster.database(BEFORE)) as connection:
        connection.execute("CREATE TABLE older AS SELECT 1")
    assert iskelo(home, "restore", "--replace", str(file)).returncode == 0
    cluster.start()
    assert not {RESTORING, GOING} & cluster.databases()
    with psycopg.connect(cluster.url(BEFORE)) as connection:
        assert connection.execute("SELECT to_regclass('older'), to_regclass('rig')").fetchone() == (None, "rig")


HALF_DONE = {
    "before it was read": (lambda cluster: cluster.database(RESTORING), "broken off before it had read its backup"),
    "between two renames": (lambda cluster: renamed(cluster, DATABASE, BEFORE), f"lies in {BEFORE}"),
    "between two renames, what was read beside": (
        lambda cluster: (cluster.database(RESTORING), renamed(cluster, DATABASE, BEFORE)),
        f"lies in {BEFORE}",
    ),
    "before the older copy was dropped": (lambda cluster: cluster.database(GOING), f"has left {GOING}"),
}


@pytest.mark.parametrize("state", HALF_DONE)
def test_a_restore_that_was_broken_off_is_seen_and_settled(
    kept: tuple[Path, Cluster, Path], state: str, capfd: pytest.CaptureFixture[str]
) -> None:
    """Whatever it left, a start finds what was here, and the doctor says before that something is to be settled."""
    home, cluster, _ = kept
    before = everything(cluster.database(DATABASE))
    leave, words = HALF_DONE[state]
    leave(cluster)
    assert words in unfinished(cluster.databases())
    told = iskelo(home, "doctor")
    assert told.returncode == 1
    assert words in told.stdout
    settle(cluster)
    assert words in capfd.readouterr().err
    assert unfinished(cluster.databases()) == ""
    assert everything(cluster.database(DATABASE)) == before


def test_a_backup_with_a_byte_turned_is_refused_and_leaves_nothing_behind(
    kept: tuple[Path, Cluster, Path],
) -> None:
    home, cluster, file = kept
    before, data = everything(cluster.database(DATABASE)), file.read_bytes()
    names = cluster.databases()
    for share in (0.01, 0.3, 0.9):
        at = int(len(data) * share)
        file.write_bytes(data[:at] + bytes([data[at] ^ 0x55]) + data[at + 1 :])
        done = iskelo(home, "restore", "--replace", str(file))
        assert done.returncode == 1
        assert "is not as it was written" in done.stderr or "it is not whole" in done.stderr
        assert cluster.databases() == names
        assert everything(cluster.database(DATABASE)) == before


def test_a_restore_into_nothing_that_fails_leaves_nothing(home: Path, kept: tuple[Path, Cluster, Path]) -> None:
    _, _, file = kept
    data = bytearray(file.read_bytes())
    data[len(data) // 2 :] = bytes(len(data) - len(data) // 2)
    blank = home / "blank"
    blank.mkdir()
    damaged = home / "damaged.iskelo"
    damaged.write_bytes(bytes(data))
    done = iskelo(blank, "restore", str(damaged))
    assert done.returncode == 1
    assert not (blank / "postgres").exists()


@pytest.mark.parametrize("place", ["/dev/null", "a folder"])
def test_a_backup_is_written_over_nothing_but_a_file(kept: tuple[Path, Cluster, Path], place: str) -> None:
    home, _, _ = kept
    (home / "a folder").mkdir()
    done = iskelo(home, "backup", "--replace", str(home / place))
    assert done.returncode == 1
    assert "is no file that could be written over" in done.stderr
    assert Path("/dev/null").is_char_device()
    assert (home / "a folder").is_dir()


def test_a_first_start_that_was_killed_starts_again(home: Path) -> None:
    """What it leaves lies beside, and is made anew."""
    cluster = Cluster(home / "postgres", durable=False)
    part = home / "postgres" / "data.part"
    part.mkdir(parents=True)
    (part / "PG_VERSION").write_text("15\n")
    try:
        assert cluster.start()
        assert cluster.answers()
        assert not part.exists()
    finally:
        cluster.stop("immediate")


@pytest.mark.parametrize("content", ["", "rubbish\n"])
def test_a_data_folder_that_is_not_whole_is_told_in_words(home: Path, content: str) -> None:
    data = home / "postgres" / "data"
    data.mkdir(parents=True)
    (data / "PG_VERSION").write_text(content)
    (data / "base").mkdir()
    for command in (("backup", str(home / "b")), ("doctor",), ("start",)):
        done = iskelo(home, *command)
        assert done.returncode == 1
        assert "its PG_VERSION says nothing" in done.stdout + done.stderr
        assert "Traceback" not in done.stderr
    assert (data / "base").is_dir(), "it is left for somebody who knows"


@pytest.mark.parametrize("content", [b"", b"\xff\xfe\x00rubbish", b"x" * 32, None])
def test_damaged_passwords_are_made_anew_and_a_folder_in_their_place_is_told(
    content: bytes | None, capfd: pytest.CaptureFixture[str]
) -> None:
    with own_cluster(durable=False) as cluster:
        with psycopg.connect(cluster.database("kept")) as connection:
            connection.execute("CREATE TABLE kept AS SELECT 42 AS answer")
        cluster.stop()
        path = cluster.folder / "iskelo.password"
        path.unlink()
        if content is None:
            path.mkdir()
            with pytest.raises(OSError, match="directory"):
                Cluster(cluster.folder, durable=False).start()
            path.rmdir()
        else:
            path.write_bytes(content)
        again = Cluster(cluster.folder, durable=False)
        again.start()
        with psycopg.connect(again.database("kept")) as connection:
            assert connection.execute("SELECT answer FROM kept").fetchone() == (42,)
        said = capfd.readouterr().err
        assert ("they are made anew" in said) == (content == b"x" * 32)


def test_a_folder_where_a_file_should_be_is_a_sentence(home: Path) -> None:
    (home / "start.lock").mkdir()
    done = iskelo(home, "start")
    assert done.returncode == 1
    assert "start.lock cannot be used: a folder stands where a file should be" in done.stderr
    assert "Traceback" not in done.stderr
    (home / "start.lock").rmdir()
