"""Kill -9 in bursts: the server, a worker, PostgreSQL, a restore, a first start, so many rounds each.

What was acknowledged must be there: edits, ticks, parts, bundles that were taken in; what a restore was to put in the
place of what is here, or that; and whatever was killed starts again. ``python benchmarks/kills.py [ROUNDS]``, 50
without a number. Prints its counts; ends with an error if something acknowledged was lost, a check is stuck, a check
that is done does not agree with the plan, something does not start again, or so little was done that nothing was tried.
"""

import contextlib
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import httpx

from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster, free_port

sys.path.insert(0, str(ROOT / "tests"))
from server import Server, kill_postgres, own_cluster, worker

Made = TypeVar("Made")

ROUNDS = 50
EDITS_A_ROUND = 3
"""Fewer edits than that in a round, and it was not a burst of them that was cut off."""
STARTS_SECONDS = 90.0
ENDED = ("done", "failed", "cancelled")
RECOVERS_SECONDS = 60.0
QUIET_SECONDS = 120.0
"""Checks of which none has ended for so long are stuck; a busy machine may need long for all of them."""


class Attack:
    """A server, two workers and a database that waits for the disk, and what was acknowledged of a rig."""

    def __init__(self, cluster: Cluster) -> None:
        self.cluster = cluster
        url = cluster.database("attacked")
        self.server = Server(url, working=False)
        self.server.start()
        self.workers = [worker(url) for _ in range(2)]
        for each in self.workers:
            each.start()
        self.api = httpx.Client(base_url=f"{self.server.url}/api", timeout=30)
        self.counts: Counter[str] = Counter()
        self.checks: list[str] = []
        self.demo = self.api.post("/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
        state = self.api.post("/rigs", json={"name": "Burst"}).json()
        self.rig, self.revision, self.name = state["id"], state["revision"], "Burst"
        self.bundle = self.api.get(f"/rigs/{self.rig}/bundle").content
        self.steps = self.api.get(f"/rigs/{self.demo}/set-up-list").json()
        self.piece = self.api.get(f"/rigs/{self.demo}").json()["rig"]["gear"][0]["id"]
        self.ticked: dict[str, bool] = {}
        self.parts: set[str] = set()
        self.taken_in: set[str] = set()

    def strike(self, what: str, number: int) -> None:
        """Edits as fast as they go, a check under way, and in the middle of it something is killed."""
        with contextlib.suppress(httpx.TransportError, KeyError, ValueError):
            self.checks.append(self.api.post(f"/rigs/{self.demo}/checks").json()["id"])
        timer = threading.Timer(random.Random(f"{what} {number}").uniform(0.02, 1.2), self._kill, [what, number])
        timer.start()
        until = time.monotonic() + 1.6
        edit = 0
        while time.monotonic() < until:
            edit += 1
            if not self._edit(f"{what} {number}.{edit}"):
                break
            if edit % 3 == 0 and not self._keep(edit // 3, f"{what} {number}.{edit}"):
                break
        self.counts[f"edits beside a killed {what}"] += edit - 1
        timer.join()
        self._mend(what, number)
        self._look()

    def _edit(self, name: str) -> bool:
        edits = [{"edit": "set", "item": "rig", "values": {"name": name}}]
        try:
            answer = self.api.post(f"/rigs/{self.rig}/edits", json={"revision": self.revision, "edits": edits})
        except httpx.TransportError:
            return False
        self.counts[f"answered {answer.status_code}"] += 1
        if answer.status_code != 200:
            return False
        self.revision, self.name = answer.json()["revision"], name
        self.counts["edits acknowledged"] += 1
        return True

    def _keep(self, turn: int, name: str) -> bool:
        """A tick, a part or a bundle, in turns; False if it was cut off."""
        try:
            if turn % 3 == 0:
                step = self.steps[turn % len(self.steps)]
                # Until this is answered nobody knows whether it is done.
                done = not self.ticked.pop(step["key"], False)
                wanted = {"step": step["key"], "says": step["says"], "done": done}
                answer = self.api.put(f"/rigs/{self.demo}/ticks", json=wanted)
                self.ticked |= {step["key"]: done} if answer.status_code == 200 else {}
            elif turn % 3 == 1:
                answer = self.api.post("/parts", json={"rig": self.demo, "name": name, "pieces": [self.piece]})
                self.parts |= {name} if answer.status_code == 201 else set()
            else:
                answer = self.api.post("/rigs/import-bundle", content=self.bundle)
                self.taken_in |= {answer.json()["id"]} if answer.status_code == 201 else set()
        except (httpx.TransportError, ValueError):
            return False
        self.counts["ticks, parts and bundles acknowledged"] += answer.status_code < 300
        return answer.status_code < 300

    def _kill(self, what: str, number: int) -> None:
        if what == "server":
            self.server.kill()
        elif what == "worker":
            self.workers[number % 2].kill()
        else:
            kill_postgres(self.cluster)

    def _mend(self, what: str, number: int) -> None:
        if what == "server":
            self.server.start()
        elif what == "worker":
            self.workers[number % 2].start()
        else:
            self.cluster.start()

    def _look(self) -> None:
        """The last acknowledged edit is there, or the one that was under way after it."""
        state = self._state()
        if state["revision"] not in (self.revision, self.revision + 1):
            self.counts["edits lost"] += abs(self.revision - state["revision"])
        elif state["revision"] == self.revision and state["rig"]["name"] != self.name:
            self.counts["edits lost"] += 1
        self.revision, self.name = state["revision"], state["rig"]["name"]
        steps = {step["key"]: step["done"] for step in self.api.get(f"/rigs/{self.demo}/set-up-list").json()}
        self.counts["ticks lost"] += sum(steps[key] != done for key, done in self.ticked.items())
        self.counts["parts lost"] += len(self.parts - {part["name"] for part in self.api.get("/parts").json()})
        self.counts["bundles lost"] += len(self.taken_in - {rig["id"] for rig in self.api.get("/rigs").json()})

    def _state(self) -> dict[str, Any]:
        until = time.monotonic() + RECOVERS_SECONDS
        while time.monotonic() < until:
            with contextlib.suppress(httpx.TransportError):
                answer = self.api.get(f"/rigs/{self.rig}")
                if answer.status_code == 200:
                    found: dict[str, Any] = answer.json()
                    return found
            time.sleep(0.1)
        raise SystemExit("the server did not recover")

    def settle(self) -> None:
        """Wait for every check that was started, and count how they ended."""
        left, heard = list(self.checks), time.monotonic()
        while left and time.monotonic() < heard + QUIET_SECONDS:
            views = {check: self.api.get(f"/checks/{check}").json() for check in left}
            for check, view in views.items():
                if view["state"] in ENDED:
                    heard = time.monotonic()
                    left.remove(check)
                    self.counts[f"checks {view['state']}"] += 1
                    ledger = view["ledger"]
                    if view["state"] == "done" and ledger["agreeing"] != len(ledger["targets"]):
                        self.counts["checks that disagree"] += 1
            time.sleep(0.3)
        self.counts["checks stuck"] += len(left)

    def end(self) -> None:
        self.api.close()
        for each in (self.server, *self.workers):
            each.stop()


class Home:
    """A data folder of its own, and ``./iskelo`` on it."""

    def __init__(self, folder: Path) -> None:
        folder.chmod(0o755)
        self.folder, self.port = folder, free_port()
        self._environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "ISKELO_HOME": str(folder),
            "ISKELO_PORT": str(self.port),
        }
        self._environment.pop("ISKELO_DATABASE_URL", None)

    def begin(self, *words: str) -> subprocess.Popen[bytes]:
        with (self.folder / "said").open("w") as said:
            return subprocess.Popen(
                [sys.executable, "-m", "iskelo.command", *words], env=self._environment, stdout=said, stderr=said
            )

    def kill(self, begun: subprocess.Popen[bytes], *, all_of_it: bool) -> None:
        """Kill a command, alone or with everything that it began, as a power loss does."""
        for process in _family(begun.pid) if all_of_it else [begun.pid]:
            with contextlib.suppress(ProcessLookupError):
                os.kill(process, signal.SIGKILL)
        begun.wait()
        if all_of_it:
            with contextlib.suppress(OSError, ValueError, IndexError):
                kill_postgres(Cluster(self.folder / "postgres"))

    def started(self, work: Callable[[httpx.Client], Made]) -> Made | None:
        """What work on a started server gives; None if it does not start."""
        begun = self.begin("start")
        try:
            with httpx.Client(base_url=f"http://127.0.0.1:{self.port}/api") as api:
                until = time.monotonic() + STARTS_SECONDS
                while time.monotonic() < until and begun.poll() is None:
                    with contextlib.suppress(httpx.TransportError):
                        if api.get("/health").status_code == 200:
                            return work(api)
                    time.sleep(0.1)
            print((self.folder / "said").read_text()[-600:], flush=True)
            return None
        finally:
            begun.terminate()
            begun.wait()

    def rigs(self) -> list[str] | None:
        """The names of the rigs after a start; None if it does not start."""
        return self.started(lambda api: [rig["name"] for rig in api.get("/rigs").json()])

    def add(self, name: str) -> None:
        assert self.started(lambda api: api.post("/rigs", json={"name": name}).status_code) == 201


def _family(process: int) -> list[int]:
    """A process and all that it began, and they."""
    found = [process]
    for each in found:
        with contextlib.suppress(OSError):
            for task in Path(f"/proc/{each}/task").iterdir():
                found += map(int, (task / "children").read_text().split())
    return found


def _own_home(work: Callable[[Home], None]) -> None:
    folder = Path(tempfile.mkdtemp(prefix="iskelo-kills-", dir="/tmp"))
    try:
        work(Home(folder))
    finally:
        Cluster(folder / "postgres").stop("immediate")
        shutil.rmtree(folder, ignore_errors=True)


def first_starts(rounds: int, counts: Counter[str]) -> None:
    """A first start killed somewhere in its first seconds; the next one serves."""
    for number in range(rounds):
        draw = random.Random(f"first {number}")

        def one(home: Home, draw: random.Random = draw) -> None:
            begun = home.begin("start")
            time.sleep(draw.uniform(0.1, 6.0))
            home.kill(begun, all_of_it=draw.random() < 0.7)
            counts["first starts killed"] += 1
            counts["first starts that do not start again"] += home.rigs() != ["Orrin Point"]

        _own_home(one)


def restores(rounds: int, counts: Counter[str]) -> None:
    """A restore killed somewhere: what was here is here, or what was to take its place."""

    def all_of_them(home: Home) -> None:
        home.add("In the backup")
        backup = home.folder / "all.iskelo"
        assert home.begin("backup", str(backup)).wait() == 0
        home.add("Since then")
        for number in range(rounds):
            draw = random.Random(f"restore {number}")
            begun = home.begin("restore", "--replace", str(backup))
            time.sleep(draw.uniform(0.2, 5.0))
            home.kill(begun, all_of_it=draw.random() < 0.5)
            counts["restores killed"] += 1
            names = home.rigs()
            if names is None:
                counts["restores that do not start again"] += 1
                return
            counts["restores that lost something"] += "In the backup" not in names
            if "Since then" in names:
                counts["restores before they changed places"] += 1
            else:
                home.add("Since then")

    _own_home(all_of_them)


LOSSES = ("lost", "stuck", "disagree", "failed", "do not start again")


def main(rounds: int) -> int:
    little = []
    with own_cluster() as cluster:
        attack = Attack(cluster)
        for what in ("server", "worker", "PostgreSQL"):
            for number in range(rounds):
                attack.strike(what, number)
            attack.settle()
            attack.checks.clear()
            if attack.counts[f"edits beside a killed {what}"] < EDITS_A_ROUND * rounds:
                little.append(what)
            print(f"{what} killed {rounds} times: {dict(sorted(attack.counts.items()))}", flush=True)
        attack.end()
    counts = attack.counts
    for work in (first_starts, restores):
        work(rounds, counts)
        print(f"{work.__name__}: {dict(sorted(counts.items()))}", flush=True)
    bad = sum(count for name, count in counts.items() if any(loss in name for loss in LOSSES))
    print("nothing was lost, nothing is stuck" if not bad else "LOST OR STUCK: see the counts")
    for what in little:
        print(f"TOO LITTLE: fewer than {EDITS_A_ROUND} edits a round beside a killed {what}; nothing is shown by that")
    return 1 if bad or little else 0


if __name__ == "__main__":
    raise SystemExit(main(int(sys.argv[1]) if len(sys.argv) > 1 else ROUNDS))
