"""A PostgreSQL server of our own on loopback: made, started, stopped. Never runs as root."""

import contextlib
import os
import pwd
import shutil
import socket
import subprocess
from pathlib import Path

import psycopg

from iskelo.command.install import postgres_programs
from iskelo.command.places import give_up


def free_port() -> int:
    """A port on loopback that nobody listens on now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _is_dead(process: int) -> bool:
    """Whether a process is gone, or a zombie."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    except OSError:
        return not Path(f"/proc/{process}").exists()


class Cluster:
    """The data folder and its server. As root the server belongs to the user *postgres*."""

    def __init__(self, folder: Path, *, durable: bool = True) -> None:
        """``durable`` False (tests only) leaves out the waits for the disk."""
        self.folder = folder
        self.data = folder / "data"
        self._programs = postgres_programs()
        self._durable = durable
        self.port = 0

    def url(self, database: str) -> str:
        return f"postgresql://postgres@127.0.0.1:{self.port}/{database}"

    def start(self) -> bool:
        """Start the server (making the data folder first if need be); False if it ran already.

        Started again it listens where it did before, so that those who knew it find it.
        """
        self._make()
        running = self._running_port()
        if running:
            self.port = running
            return False
        self.port = self.port or free_port()
        options = f"-c listen_addresses=127.0.0.1 -c port={self.port} -c unix_socket_directories=''"
        if not self._durable:
            options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
        log = self.folder / "server.log"
        self._as_owner("pg_ctl", "-D", str(self.data), "-w", "-t", "60", "-l", str(log), "-o", options, "start")
        return True

    def stop(self, mode: str = "fast") -> None:
        """Stop the server if it runs."""
        with contextlib.suppress(SystemExit):
            self._as_owner("pg_ctl", "-D", str(self.data), "-w", "-t", "30", "-m", mode, "stop")

    def database(self, name: str) -> str:
        """The address of a database in this server; made if it is not there."""
        with psycopg.connect(self.url("postgres"), autocommit=True) as connection:
            there = connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", (name,)).fetchone()
            if there is None:
                connection.execute(psycopg.sql.SQL("CREATE DATABASE {}").format(psycopg.sql.Identifier(name)))
        return self.url(name)

    def remove(self) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)

    def _make(self) -> None:
        if (self.data / "PG_VERSION").exists():
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        self.folder.chmod(0o700)
        if os.geteuid() == 0:
            owner = pwd.getpwnam("postgres")
            os.chown(self.folder, owner.pw_uid, owner.pw_gid)
        where = ["-D", str(self.data), "-U", "postgres", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8"]
        self._as_owner("initdb", *where, *([] if self._durable else ["--no-sync"]))

    def _running_port(self) -> int:
        """The port of a server that runs on this folder already (after the command was killed), else 0.

        A server that was killed may be left as a process that only waits to be buried; the file it locked
        its folder with is then taken away, for PostgreSQL would take it for alive.
        """
        lock = self.data / "postmaster.pid"
        if not lock.exists():
            return 0
        words = lock.read_text().splitlines()
        if _is_dead(int(words[0])):
            lock.unlink(missing_ok=True)
            return 0
        if self._call("pg_ctl", "-D", str(self.data), "status").returncode == 0 and len(words) > 3:
            return int(words[3])
        return 0

    def answers(self) -> bool:
        """Whether the server takes connections."""
        with socket.socket() as probe:
            probe.settimeout(1)
            return probe.connect_ex(("127.0.0.1", self.port)) == 0

    def _call(self, program: str, *words: str) -> subprocess.CompletedProcess[str]:
        as_owner = ["runuser", "-u", "postgres", "--"] if os.geteuid() == 0 else []
        with (self.folder / "command.log").open("w+") as out:
            # A session of its own: Ctrl+C is for us, we then stop the server in good order. Output goes to
            # a file, for the server keeps what it is given open.
            done = subprocess.run(
                [*as_owner, str(self._programs / program), *words],
                cwd=self.folder,
                check=False,
                stdout=out,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                text=True,
                start_new_session=True,
            )
            out.seek(0)
            return subprocess.CompletedProcess(done.args, done.returncode, out.read(), "")

    def _as_owner(self, program: str, *words: str) -> None:
        done = self._call(program, *words)
        if done.returncode:
            log = self.folder / "server.log"
            more = log.read_text()[-1500:] if log.exists() else ""
            give_up(f"PostgreSQL's {program} failed:\n{done.stdout[-1500:]}{more}")
