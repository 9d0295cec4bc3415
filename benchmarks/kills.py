"""Kill -9 in bursts: the server, a worker, PostgreSQL, so many rounds each; what was acknowledged must be there.

``python benchmarks/kills.py [ROUNDS]``, 50 without a number. Prints its counts; ends with an error if an acknowledged
edit was lost, a check is stuck, or a check that is done does not agree with the plan.
"""

import contextlib
import random
import sys
import threading
import time
from collections import Counter
from typing import Any

import httpx

from iskelo.command.places import ROOT
from iskelo.command.postgres import Cluster

sys.path.insert(0, str(ROOT / "tests"))
from server import Server, kill_postgres, own_cluster, worker

ROUNDS = 50
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


def main(rounds: int) -> int:
    with own_cluster() as cluster:
        attack = Attack(cluster)
        for what in ("server", "worker", "PostgreSQL"):
            for number in range(rounds):
                attack.strike(what, number)
            attack.settle()
            attack.checks.clear()
            print(f"{what} killed {rounds} times: {dict(sorted(attack.counts.items()))}", flush=True)
        attack.end()
    bad = sum(attack.counts[each] for each in ("edits lost", "checks stuck", "checks that disagree", "checks failed"))
    print("nothing was lost, nothing is stuck" if not bad else "LOST OR STUCK: see the counts")
    return 1 if bad else 0


if __name__ == "__main__":
    raise SystemExit(main(int(sys.argv[1]) if len(sys.argv) > 1 else ROUNDS))
