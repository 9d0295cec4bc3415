"""``./iskelo backup FILE`` and ``./iskelo restore FILE``: everything that is kept, as PostgreSQL archives it."""

import contextlib
import hashlib
import os
import subprocess
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import psycopg
from psycopg import sql
from psycopg.conninfo import conninfo_to_dict

from iskelo.command.doors import ADMINISTRATOR
from iskelo.command.install import postgres_programs
from iskelo.command.places import DATABASE, data_folder, give_up, only_one, reachable, say
from iskelo.command.postgres import Cluster
from iskelo.store.database import NewerDatabase, libpq_url, migrate

BEFORE = "iskelo_before"
"""The database that keeps what a restored backup took the place of, until the next one is restored."""

SEAL = b"\nIskelo backup, SHA-256 %s\n"
"""Stands behind what PostgreSQL archived, which does not read so far."""

RESTORING, GOING = "iskelo_restoring", "iskelo_going"
"""The database that a backup is read into, and the one that is dropped when that one has been opened."""


@dataclass(frozen=True, slots=True)
class _Programs:
    """PostgreSQL's programs, with the address of a database given so that no list of processes shows its password."""

    folder: Path
    url: str

    def run(self, program: str, *words: str) -> subprocess.CompletedProcess[str]:
        given = {name: str(value) for name, value in conninfo_to_dict(libpq_url(self.url)).items()}
        environment = {**os.environ, "PGPASSWORD": given.pop("password", "")}
        # Programs older than our library do not know this word, and these talk to the server we started or were told.
        given.pop("require_auth", None)
        address = psycopg.conninfo.make_conninfo("", **given)
        return subprocess.run(
            [str(self.folder / program), "--no-password", f"--dbname={address}", *words],
            env=environment,
            check=False,
            capture_output=True,
            text=True,
            stdin=subprocess.DEVNULL,
        )


def backup(file: Path, *, replace: bool) -> int:
    """Write everything into a file, while Iskelo runs or not; an earlier file is only overwritten when told to."""
    if os.path.lexists(file) and not file.is_file():
        give_up(f"{file} is no file that could be written over; name another one")
    if file.exists() and not replace:
        give_up(f"{file} is there already; name another file, or say --replace")
    if not file.parent.is_dir():
        give_up(f"there is no folder {file.parent}")
    part = file.with_name(file.name + ".part")
    with _database(making=False) as programs:
        try:
            # Nobody else on this computer reads it: it holds whole rigs.
            part.unlink(missing_ok=True)
            os.close(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        except OSError as error:
            give_up(f"{part} cannot be written: {error.strerror}")
        done = programs.run("pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--file={part}")
        if done.returncode or not _is_backup(programs.folder, part):
            part.unlink(missing_ok=True)
            give_up(f"the backup failed, and no file was written:\n{done.stderr[-2000:]}")
        digest = _digest(part, part.stat().st_size)
        with part.open("ab") as whole:
            whole.write(SEAL % digest.encode())
            os.fsync(whole.fileno())
        part.replace(file)
    say(f"kept everything in {file} ({file.stat().st_size / 1e6:.1f} MB)")
    return 0


def _is_backup(programs: Path, file: Path) -> bool:
    done = subprocess.run(
        [str(programs / "pg_restore"), "--list", str(file)], check=False, capture_output=True, text=True
    )
    return done.returncode == 0 and " TABLE DATA public revision " in done.stdout


def _is_as_written(file: Path) -> bool:
    """Whether what stands before a backup's seal is what was sealed; one without a seal is of an older version."""
    size, length = file.stat().st_size, len(SEAL % (b"0" * 64))
    with file.open("rb") as whole:
        whole.seek(max(0, size - length))
        end = whole.read()
    begin, _, behind = SEAL.partition(b"%s")
    if not (end.startswith(begin) and end.endswith(behind)):
        return True
    return SEAL % _digest(file, size - length).encode() == end


def _digest(file: Path, count: int) -> str:
    """SHA-256 of a file's first bytes."""
    digest, left = hashlib.sha256(), count
    with file.open("rb") as whole:
        while left and (data := whole.read(min(left, 1024 * 1024))):
            digest.update(data)
            left -= len(data)
    return digest.hexdigest()


def restore(file: Path, *, replace: bool) -> int:
    """Put a backup in the place of what is kept. It is read whole, and brought up to this version, before anything
    gives way to it; a database with rigs in it only does so when told to.
    """
    if not file.is_file():
        give_up(f"there is no file {file}")
    if not _is_backup(postgres_programs(), file):
        give_up(f"{file} is no backup of Iskelo, or it is not whole")
    if not _is_as_written(file):
        give_up(
            f"{file} is not as it was written: something in it was changed, on a disk or on the way. Take another copy "
            "of it, or an older backup. Nothing was changed here."
        )
    given = os.environ.get("ISKELO_DATABASE_URL")
    if given:
        return _restore_into(given, file, replace=replace)
    with _database(making=True) as programs:
        cluster = _own(data_folder())
        cluster.find()
        rigs = _rigs(programs.url)
        if rigs and not replace:
            give_up(
                f"{rigs} rig{'s are' if rigs > 1 else ' is'} here already. To put the backup in their place say "
                f"--replace; what is here is then kept as the database {BEFORE}."
            )
        new = cluster.database(RESTORING)
        try:
            _fill(_Programs(programs.folder, new), file)
            _change_places(cluster, keeping=bool(rigs))
        except BaseException:
            with cluster.administer() as connection:
                _drop(connection, RESTORING)
            raise
        # It is there, and can be read: now what was replaced may go.
        _rigs(programs.url)
        with cluster.administer() as connection:
            _drop(connection, GOING)
    say(f"restored {_rigs_in_words(rigs)}from {file}; ./iskelo start")
    return 0


def _change_places(cluster: Cluster, *, keeping: bool) -> None:
    """Put what was restored in the place of what is here, all at one stroke; ``keeping``: that is kept as BEFORE."""
    with psycopg.connect(cluster.url("postgres", ADMINISTRATOR)) as connection:
        there = cluster.databases()
        try:
            if keeping and BEFORE in there:
                _rename(connection, BEFORE, GOING)
            _rename(connection, DATABASE, BEFORE if keeping else GOING)
            _rename(connection, RESTORING, DATABASE)
        except psycopg.errors.ObjectInUse:
            connection.rollback()
            give_up(
                "another program has the database open (a worker started by hand, or somebody who looks into it): end "
                "it, then restore again. Nothing was changed."
            )


def unfinished(there: set[str]) -> str:
    """What a restore that was broken off has left, in words; empty if nothing. ``there``: all databases by name."""
    if DATABASE not in there and BEFORE in there:
        return f"a restore was broken off: what was here before lies in {BEFORE}"
    if RESTORING in there:
        return "a restore was broken off before it had read its backup; nothing was changed by it"
    return f"a restore has left {GOING}, which is not needed any more" if GOING in there else ""


def settle(cluster: Cluster) -> None:
    """Take away what a restore that was broken off has left; where the database itself is missing, what was before it
    is put back in its place.
    """
    with cluster.administer() as connection:
        there = cluster.databases()
        words = unfinished(there)
        if not words:
            return
        if DATABASE not in there and BEFORE in there:
            _rename(connection, BEFORE, DATABASE)
            words += ", and is in its place again. Restore the backup once more"
        elif DATABASE not in there and GOING in there:
            _rename(connection, GOING, DATABASE)
        _drop(connection, RESTORING)
        if DATABASE in there:
            _drop(connection, GOING)
    say(f"{words}.")


def _rigs_in_words(rigs: int) -> str:
    return f"(what was here is kept as the database {BEFORE}) " if rigs else ""


def _restore_into(url: str, file: Path, *, replace: bool) -> int:
    """Into a database of somebody's: in one transaction, so that all of it is there or nothing has changed."""
    rigs = _rigs(url)
    if rigs and not replace:
        give_up(f"{rigs} rig{'s are' if rigs > 1 else ' is'} in that database. To write over them say --replace.")
    _fill(_Programs(postgres_programs(), url), file, "--clean", "--if-exists")
    say(f"restored from {file}; start Iskelo")
    return 0


def _fill(programs: _Programs, file: Path, *more: str) -> None:
    words = ("--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction", *more, str(file))
    done = programs.run("pg_restore", *words)
    if done.returncode:
        give_up(f"the backup could not be restored, and nothing was changed:\n{done.stderr[-2000:]}")
    try:
        migrate(programs.url)
    except NewerDatabase:
        give_up("the backup was made by a newer Iskelo than this one; restore it with that one")


def _rigs(url: str) -> int:
    """How many rigs a database holds; 0 where there are no tables yet."""
    try:
        with psycopg.connect(libpq_url(url), autocommit=True) as connection:
            row = connection.execute("SELECT to_regclass('public.rig') IS NOT NULL").fetchone()
            if not row or not row[0]:
                return 0
            counted = connection.execute("SELECT count(*) FROM rig").fetchone()
            return int(counted[0]) if counted else 0
    except psycopg.Error as error:
        give_up(f"the database cannot be used: {error}")


def _drop(connection: psycopg.Connection, name: str) -> None:
    connection.execute(sql.SQL("DROP DATABASE IF EXISTS {}").format(sql.Identifier(name)))


def _rename(connection: psycopg.Connection, old: str, new: str) -> None:
    connection.execute(sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(old), sql.Identifier(new)))


def _own(folder: Path) -> Cluster:
    return Cluster(folder / "postgres")


@contextlib.contextmanager
def _database(*, making: bool) -> Iterator[_Programs]:
    """The database, our own server started for this if it does not run; ``making``: nobody else may use it."""
    given = os.environ.get("ISKELO_DATABASE_URL")
    if given:
        yield _Programs(postgres_programs(), given)
        return
    folder = data_folder()
    cluster = _own(folder)
    new = not cluster.folder.exists()
    if not making and new:
        give_up(f"nothing is kept in {folder} yet; ISKELO_HOME names another folder")
    with only_one(folder) as lock:
        if lock is None and making:
            give_up("Iskelo runs; stop it first (Ctrl+C where it was started)")
        if lock is None:
            if not cluster.find():
                give_up("Iskelo is just starting; try again shortly")
            yield _Programs(cluster.programs(), cluster.url(DATABASE))
            return
        reachable(folder)
        started = cluster.start()
        try:
            settle(cluster)
            yield _Programs(cluster.programs(), cluster.database(DATABASE))
        except BaseException:
            if new:
                # Nothing was there, so nothing is left behind.
                cluster.stop()
                cluster.remove()
            raise
        finally:
            if started:
                cluster.stop()
