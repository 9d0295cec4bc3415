"""Iskelo's server and its workers, each in a process of its own, so that they can be killed."""

import contextlib
import itertools
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx

import forked
from forked import PARENT, Forked
from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster, free_port
from iskelo.store.database import migrate

_numbers = itertools.count(1)
FORKS = False
"""Whether commands begin by fork: set where tests run; benchmarks begin them as a person does."""


def fresh_database(cluster: Cluster) -> str:
    """The address of a new, empty database."""
    return cluster.database(f"test_{os.getpid()}_{next(_numbers)}")


@contextlib.contextmanager
def own_cluster(*, durable: bool = True) -> Iterator[Cluster]:
    """A PostgreSQL server in a folder of its own, taken away afterwards; ``durable`` waits for the disk."""
    folder = Path(tempfile.mkdtemp(prefix="iskelo-own-", dir="/tmp"))
    folder.chmod(0o755)
    made = Cluster(folder / "postgres", durable=durable)
    made.start()
    try:
        yield made
    finally:
        made.stop("immediate")
        shutil.rmtree(folder, ignore_errors=True)


@contextlib.contextmanager
def own_database(*, durable: bool = True) -> Iterator[str]:
    """The address of a migrated database on a server of its own."""
    with own_cluster(durable=durable) as made:
        url = made.database("own")
        migrate(url)
        yield url


def kill_postgres(cluster: Cluster) -> None:
    """Kill the server and every process of it, the hard way."""
    parent = int((cluster.data / "postmaster.pid").read_text().splitlines()[0])
    children = Path(f"/proc/{parent}/task/{parent}/children").read_text().split()
    for process in (parent, *map(int, children)):
        with contextlib.suppress(ProcessLookupError):
            os.kill(process, signal.SIGKILL)
    for _ in range(100):
        if not Path(f"/proc/{parent}").exists() or "Z" in Path(f"/proc/{parent}/stat").read_text().split()[2]:
            return
        time.sleep(0.05)


class Process:
    """A command of Iskelo on a database: start, stop, kill."""

    def __init__(self, database_url: str, *words: str, **more: str) -> None:
        self.database_url = database_url
        self._words = words
        self._environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "ISKELO_DATABASE_URL": database_url,
            **more,
        }
        self.process: subprocess.Popen[bytes] | Forked | None = None

    def start(self) -> None:
        if FORKS:
            self.process = forked.begin(*self._words, environment=self._environment)
            return
        words = [str(os.getpid()) if word == PARENT else word for word in self._words]
        self.process = subprocess.Popen([sys.executable, "-m", "iskelo.command", *words], env=self._environment)

    def kill(self) -> None:
        """Kill it the hard way (-9)."""
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        assert self.process is not None
        self.process.terminate()
        self.process.wait(timeout=30)


def worker(database_url: str) -> Process:
    """A worker, not started yet."""
    return Process(database_url, "work", "--with-process", PARENT)


class Server(Process):
    """The server; ``url`` is where it answers. With ``working`` a worker is at its side."""

    def __init__(self, database_url: str, web_dir: Path | None = None, *, working: bool = True) -> None:
        self.port = free_port()
        more = {"ISKELO_PORT": str(self.port)} | ({"ISKELO_TEST_WEB_DIR": str(web_dir)} if web_dir else {})
        super().__init__(database_url, "serve", **more)
        self.worker = worker(database_url) if working else None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        super().start()
        assert self.process is not None
        for _ in range(300):
            try:
                httpx.get(f"{self.url}/api/health", timeout=1)
                break
            except httpx.TransportError:
                assert self.process.poll() is None, "the server ended at once"
                time.sleep(0.1)
        else:
            raise AssertionError("the server does not answer")
        if self.worker is not None and self.worker.process is None:
            self.worker.start()

    def stop(self) -> None:
        """Stop the server, and its worker."""
        super().stop()
        if self.worker is not None:
            self.worker.stop()
            self.worker.process = None

    def restart(self) -> None:
        self.stop()
        self.start()
