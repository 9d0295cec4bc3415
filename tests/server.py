"""Iskelo in a process of its own, so that it can be killed."""

import itertools
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import httpx

from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster, free_port

_numbers = itertools.count(1)


def fresh_database(cluster: Cluster) -> str:
    """The address of a new, empty database."""
    return cluster.database(f"test_{os.getpid()}_{next(_numbers)}")


class Server:
    """Start, stop, kill; ``url`` is where it answers."""

    def __init__(self, database_url: str, web_dir: Path | None = None) -> None:
        self.database_url = database_url
        self._web_dir = web_dir
        self._process: subprocess.Popen[bytes] | None = None
        self.port = free_port()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "ISKELO_DATABASE_URL": self.database_url,
            "ISKELO_PORT": str(self.port),
        }
        if self._web_dir:
            environment["ISKELO_TEST_WEB_DIR"] = str(self._web_dir)
        self._process = subprocess.Popen([sys.executable, "-m", "iskelo.command", "serve"], env=environment)
        for _ in range(300):
            try:
                httpx.get(f"{self.url}/api/health", timeout=1)
                return
            except httpx.TransportError:
                assert self._process.poll() is None, "the server ended at once"
                time.sleep(0.1)
        raise AssertionError("the server does not answer")

    def kill(self) -> None:
        """Kill it the hard way (-9)."""
        assert self._process is not None
        self._process.send_signal(signal.SIGKILL)
        self._process.wait()

    def stop(self) -> None:
        assert self._process is not None
        self._process.terminate()
        self._process.wait(timeout=20)

    def restart(self) -> None:
        self.stop()
        self.start()
