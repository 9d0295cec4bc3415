"""Workers: the one that ``./iskelo start`` keeps beside the server, and those that ``./iskelo work`` adds."""

import os
import subprocess
import sys
import threading
import time

from sqlalchemy.exc import OperationalError

from iskelo.command.places import DATABASE, data_folder, give_up, say
from iskelo.command.postgres import Cluster
from iskelo.store.database import Standing, standing

STOP_SECONDS = 15
AGAIN_SECONDS = 2.0
WAIT_SECONDS = 15.0


def start_working(parent: int) -> int:
    """Work on the database of ISKELO_DATABASE_URL, or on the one that ``./iskelo start`` has running here."""
    url = os.environ.get("ISKELO_DATABASE_URL") or _own_database()
    how = _standing_soon(url)
    if how != "current":
        words = {
            "empty": "the database is empty: start Iskelo on it once",
            "older": "the database is of an older Iskelo: start this one on it once",
            "newer": "the database was used by a newer Iskelo than this one: work with that one",
        }
        give_up(words[how])
    from iskelo.work.worker import work  # noqa: PLC0415  (the twin and its libraries, not needed to refuse)

    if not parent:
        say("working on line checks (Ctrl+C stops it)")
    return work(url, parent)


def _standing_soon(url: str) -> Standing:
    """How the database stands; one that is away, or just starting, is waited for a little."""
    until = time.monotonic() + WAIT_SECONDS
    while True:
        try:
            return standing(url)
        except OperationalError as error:
            if time.monotonic() > until:
                give_up(f"the database cannot be used: {error}")
        except Exception as error:
            give_up(f"the database cannot be used: {error}")
        time.sleep(1)


def _own_database() -> str:
    cluster = Cluster(data_folder() / "postgres")
    if cluster.process() is None or not cluster.find():
        give_up("no database runs here: ./iskelo start first, or set ISKELO_DATABASE_URL to the one to work for")
    return cluster.url(DATABASE)


class Worker:
    """A worker process that is started again when it has died, until it is stopped."""

    def __init__(self, database_url: str) -> None:
        self._environment = {**os.environ, "ISKELO_DATABASE_URL": database_url}
        self._ending = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._keeper = threading.Thread(target=self._keep, daemon=True)

    def start(self) -> None:
        self._begin()
        self._keeper.start()

    def stop(self) -> None:
        """Tell it to stop, and wait; what it was doing is queued again."""
        self._ending.set()
        self._keeper.join()
        assert self._process is not None
        self._process.terminate()
        try:
            self._process.wait(STOP_SECONDS)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()

    @property
    def number(self) -> int:
        """The number of its process."""
        assert self._process is not None
        return self._process.pid

    def _begin(self) -> None:
        words = [sys.executable, "-m", "iskelo.command", "work", "--with-process", str(os.getpid())]
        # A session of its own: Ctrl+C is for us, we then stop it in good order.
        self._process = subprocess.Popen(words, env=self._environment, start_new_session=True)

    def _keep(self) -> None:
        while not self._ending.wait(AGAIN_SECONDS):
            if self._process is not None and self._process.poll() is not None:
                say("the worker for line checks has ended; starting it again")
                self._begin()
