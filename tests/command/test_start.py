"""``./iskelo start`` as a person runs it: served, found running, stopped whole, started again with its data."""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster, free_port


@pytest.fixture
def home() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="iskelo-home-", dir="/tmp"))
    # As root the database server is another user's, who must get through.
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


def start(home: Path, port: int, **more: str) -> subprocess.Popen[str]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "ISKELO_HOME": str(home), "ISKELO_PORT": str(port)}
    return subprocess.Popen(
        [sys.executable, "-m", "iskelo.command", "start"],
        env={**environment, **more},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )


def address(running: subprocess.Popen[str]) -> str:
    assert running.stdout is not None
    said = []
    for line in running.stdout:
        if line.startswith("Iskelo is at "):
            return line.split()[3]
        said.append(line)
    raise AssertionError(f"no address was printed, but:\n{''.join(said)}")


def test_start_serves_stops_everything_keeps_the_data_and_takes_over_after_a_hard_kill(home: Path) -> None:
    """Stopped by Ctrl+C as by a service that ends; where it was killed, its database server is still there."""
    port = free_port()
    first = start(home, port)
    url = address(first)
    assert url == f"http://127.0.0.1:{port}"
    rigs = httpx.get(f"{url}/api/rigs").json()
    assert [rig["name"] for rig in rigs] == ["Orrin Point"]
    edits = [{"edit": "set", "item": "rig", "values": {"name": "Kept"}}]
    httpx.post(f"{url}/api/rigs/{rigs[0]['id']}/edits", json={"revision": 1, "edits": edits})

    second = start(home, free_port())
    said, _ = second.communicate(timeout=60)
    assert second.returncode == 0
    assert f"Iskelo runs already: http://127.0.0.1:{port}" in said

    first.send_signal(signal.SIGINT)
    first.communicate(timeout=30)
    assert not (home / "postgres" / "data" / "postmaster.pid").exists()

    again = start(home, free_port())
    rigs = httpx.get(f"{address(again)}/api/rigs").json()
    assert [(rig["name"], rig["revision"]) for rig in rigs] == [("Kept", 2)]
    again.kill()
    again.wait()
    assert (home / "postgres" / "data" / "postmaster.pid").exists()

    last = start(home, free_port())
    rigs = httpx.get(f"{address(last)}/api/rigs").json()
    assert [(rig["name"], rig["revision"]) for rig in rigs] == [("Kept", 2)]
    last.send_signal(signal.SIGTERM)
    last.communicate(timeout=30)
    assert not (home / "postgres" / "data" / "postmaster.pid").exists()


def test_an_existing_server_is_used_instead(home: Path, cluster: Cluster) -> None:
    url = cluster.database("existing")
    running = start(home, free_port(), ISKELO_DATABASE_URL=url)
    assert len(httpx.get(f"{address(running)}/api/rigs").json()) == 1
    assert not (home / "postgres").exists()
    running.send_signal(signal.SIGINT)
    running.communicate(timeout=30)


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"ISKELO_PORT": "many"}, "ISKELO_PORT is 'many'; it must be a port number"),
        ({"ISKELO_DATABASE_URL": "postgresql://nobody@127.0.0.1:1/none"}, "the database cannot be used"),
    ],
)
def test_what_fails_is_said(home: Path, settings: dict[str, str], words: str) -> None:
    running = start(home, free_port(), **settings)
    said, _ = running.communicate(timeout=60)
    assert running.returncode == 1
    assert words in said
