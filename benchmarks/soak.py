"""Half an hour of everything at once, and an edit of another rig every second: does it come through, does it stay so?

``python benchmarks/soak.py [MINUTES]``, 30 without a number. Twenty clients plan, check, read, download and break off,
open sockets and leave, bring in files and lists. Prints how long the edits took, and memory and connections as they
were after the first minute and at the end; ends with an error if an answer was 5xx, if the median is over 150 ms or the
worst over 1 s, or if what is held has grown.

An edit waits for the disk, and this machine may be taken away by others that run on the same one: how long a few bytes
take to be on the disk, and how much of the processors' time went to others, is looked at meanwhile. An edit in whose
time either was not to be had is told, and not counted against the server.
"""

import contextlib
import io
import os
import random
import socket
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path
from typing import Any

import httpx
import psycopg
from websockets.sync.client import connect

from iskelo.command.places import ROOT
from iskelo.command.yardstick import yardstick_ms
from iskelo.store.database import libpq_url

sys.path.insert(0, str(ROOT / "tests"))
from server import Server, own_database

MINUTES = 30.0
CLIENTS = 20
MEDIAN_MS, WORST_MS = 150.0, 1000.0
GROWN_BYTES, GROWN_CONNECTIONS = 40 * 1024 * 1024, 4
"""What is held goes up and down by as much from minute to minute."""

READS = ("", "/ports", "/together", "/clocks", "/ladders", "/delay-budgets", "/set-up-list", "/sheets", "/history")
ROWS = b"Name;Source;Input\n" + b"".join(b"Line %d;Mic %d;%d\n" % (n, n, n) for n in range(1, 9))


STOLEN_SHARE = 0.1
DISK_SECONDS = 0.25
"""So long a few bytes take to be on the disk where it is busy with something else."""


class Machine:
    """What the machine itself holds up: how long a write to the disk takes, what processor time others were given."""

    def __init__(self, folder: Path) -> None:
        self.file = folder / "probe"
        self.over = threading.Event()
        self.writes: list[tuple[float, float]] = []
        self.thread = threading.Thread(target=self._probe)
        self.thread.start()

    def _probe(self) -> None:
        with self.file.open("wb") as file:
            while not self.over.is_set():
                began = time.monotonic()
                file.write(b"x")
                file.flush()
                os.fsync(file.fileno())
                self.writes.append((began, time.monotonic()))
                time.sleep(0.2)

    @staticmethod
    def ticks() -> tuple[int, int]:
        """All the processors' time so far, and what was given to others."""
        each = [int(word) for word in Path("/proc/stat").read_text().splitlines()[0].split()[1:9]]
        return sum(each), each[7]

    def held_up(self, sent: float, before: tuple[int, int]) -> str:
        """What held an edit up that was sent then, in words; nothing if it was the server alone."""
        now = self.ticks()
        stolen = (now[1] - before[1]) / max(1, now[0] - before[0])
        disk = max((end - begun for begun, end in self.writes[-60:] if end >= sent), default=0.0)
        words = [f"a write to the disk took {disk:.2f} s"] * (disk > DISK_SECONDS)
        words += [f"others had {100 * stolen:.0f} % of the processors"] * (stolen > STOLEN_SHARE)
        return ", ".join(words)


class Soak:
    """A server with a worker, a rig that everybody works on, and one that is edited meanwhile."""

    def __init__(self, server: Server, machine: Machine) -> None:
        self.server, self.machine = server, machine
        self.excused: list[float] = []
        self.over = threading.Event()
        self.answers: Counter[str] = Counter()
        self.bad: list[str] = []
        with httpx.Client(base_url=f"{server.url}/api", timeout=120) as api:
            self.busy = api.post("/rigs", json={"example": "orrin-point"}).json()
            self.mine = api.post("/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
            self.small = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()["id"]
            self.file = api.get(f"/rigs/{self.small}/export").content
            self.bundle = api.get(f"/rigs/{self.small}/bundle").content
        self.snags = [snag["key"] for snag in self.busy["survey"]["snags"]]

    def noted(self, what: str, answer: httpx.Response) -> httpx.Response:
        self.answers[f"{what} {answer.status_code}"] += 1
        if answer.status_code >= 500:
            self.bad.append(f"{answer.status_code} {what}: {answer.text[:200]}")
        return answer

    def client(self, number: int) -> None:
        """One client, until it is over; what it does next is drawn."""
        draw = random.Random(number)
        works = (self.read, self.plan, self.remedies, self.check, self.break_off, self.watch, self.bring, self.lists)
        # The server ends a connection on which nothing was asked for five seconds; asking just then is nobody's fault.
        kept = httpx.Limits(keepalive_expiry=2)
        with httpx.Client(base_url=f"{self.server.url}/api", timeout=300, limits=kept) as api:
            while not self.over.is_set():
                work = draw.choice(works)
                try:
                    work(api, draw)
                except httpx.HTTPError as error:
                    if not self.over.is_set():
                        self.bad.append(f"{work.__name__}: {type(error).__name__}")
                time.sleep(draw.uniform(0, 1.0))

    def read(self, api: httpx.Client, draw: random.Random) -> None:
        path = draw.choice(READS)
        self.noted("read", api.get(f"/rigs/{self.busy['id']}{path}"))

    def plan(self, api: httpx.Client, draw: random.Random) -> None:
        self.noted("plan", api.get(f"/rigs/{self.busy['id']}/plan", params={"rest": draw.random() < 0.3}))

    def remedies(self, api: httpx.Client, draw: random.Random) -> None:
        path = f"/rigs/{self.busy['id']}/remedies"
        self.noted("remedies", api.get(path, params={"snag": draw.choice(self.snags)}))

    def check(self, api: httpx.Client, draw: random.Random) -> None:
        """Start one now and then, and cancel some; the queue stays short."""
        newest = self.noted("check", api.get(f"/rigs/{self.small}/checks/newest")).json()
        if newest is None or newest["state"] in ("done", "failed", "cancelled"):
            begun = self.noted("check", api.post(f"/rigs/{self.small}/checks")).json()
            if draw.random() < 0.3:
                self.noted("check", api.post(f"/checks/{begun['id']}/cancel"))
        elif newest["files"]:
            self.noted("take", api.get(f"/checks/{newest['id']}/take.wav"))

    def break_off(self, api: httpx.Client, draw: random.Random) -> None:
        """Ask for something large and leave: a bundle, a take, a plan, half a body, half a head."""
        newest = api.get(f"/rigs/{self.small}/checks/newest").json()
        take = f"/api/checks/{newest['id']}/take.wav" if newest else "/api/rigs"
        asked = [
            f"GET /api/rigs/{self.busy['id']}/bundle",
            f"GET {take}",
            f"GET /api/rigs/{self.busy['id']}/plan?rest=1",
        ]
        asked += ["POST /api/rigs", "POST /api/rigs/import-bundle"]
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.server.port), 10) as left:
            head = f"{draw.choice(asked)} HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100000\r\n"
            left.sendall(head.encode() + (b"\r\n" + b"x" * 50_000 if draw.random() < 0.8 else b""))
            left.settimeout(draw.uniform(0.05, 1.5))
            left.recv(1000)
        self.answers["broken off"] += 1

    def watch(self, api: httpx.Client, draw: random.Random) -> None:
        where = f"{self.server.url.replace('http', 'ws')}/api/rigs/{draw.choice([self.mine, self.small])}/events"
        with contextlib.suppress(TimeoutError, OSError), connect(where) as page:
            for _ in range(draw.randint(1, 5)):
                page.recv(timeout=5)
        self.answers["watched"] += 1

    def bring(self, api: httpx.Client, draw: random.Random) -> None:
        """A rig comes in as a file or a bundle, and goes again."""
        path, content = draw.choice([("/rigs/import", self.file), ("/rigs/import-bundle", self.bundle)])
        answer = self.noted("import", api.post(path, content=content))
        if answer.status_code == 201:
            self.noted("remove", api.delete(f"/rigs/{answer.json()['id']}"))

    def lists(self, api: httpx.Client, draw: random.Random) -> None:
        rows = self.noted("list", api.post(f"/rigs/{self.small}/input-list/read", content=io.BytesIO(ROWS).read()))
        self.noted("rows", api.post(f"/rigs/{self.small}/input-list/plan", json={"rows": rows.json()["rows"]}))

    def edits(self, seconds: float, note: Any) -> list[float]:
        """Rename a rig every second; how many milliseconds each took. ``note`` is called every minute."""
        took: list[float] = []
        until, minute = time.monotonic() + seconds, 0
        began = time.monotonic()
        with httpx.Client(base_url=f"{self.server.url}/api", timeout=60) as api:
            revision = api.get(f"/rigs/{self.mine}").json()["revision"]
            while time.monotonic() < until:
                edits = [{"edit": "set", "item": "rig", "values": {"name": f"Mine {len(took)}"}}]
                sent, ticks = time.monotonic(), self.machine.ticks()
                answer = self.noted(
                    "edit", api.post(f"/rigs/{self.mine}/edits", json={"revision": revision, "edits": edits})
                )
                took.append(1000 * (time.monotonic() - sent))
                if took[-1] > WORST_MS / 2:
                    why = self.machine.held_up(sent, ticks)
                    print(
                        f"    an edit of {took[-1]:.0f} ms after {sent - began:.0f} s: {why or 'the server'}",
                        flush=True,
                    )
                    self.excused += [took[-1]] if why else []
                revision = answer.json()["revision"]
                if (time.monotonic() - began) // 60 > minute:
                    minute += 1
                    note(minute, took)
                time.sleep(max(0.0, 1 - took[-1] / 1000))
        return took


def held(server: Server, url: str) -> tuple[int, int, int]:
    """Bytes that the server and its worker hold, and connections to the database."""
    memory = []
    for process in (server.process, server.worker.process if server.worker else None):
        assert process is not None
        memory.append(1024 * int(Path(f"/proc/{process.pid}/status").read_text().split("VmRSS:")[1].split()[0]))
    with psycopg.connect(libpq_url(url)) as connection:
        row = connection.execute("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()").fetchone()
    return memory[0], memory[1], int(row[0]) - 1 if row else 0


def main(minutes: float) -> int:
    print(f"yardstick {yardstick_ms():.0f} ms", flush=True)
    with own_database() as url:
        server = Server(url)
        server.start()
        try:
            return soaked(server, url, minutes)
        finally:
            server.stop()


def soaked(server: Server, url: str, minutes: float) -> int:
    folder = tempfile.TemporaryDirectory(prefix="iskelo-soak-", dir="/tmp")
    machine = Machine(Path(folder.name))
    soak = Soak(server, machine)
    first: list[tuple[int, int, int]] = []

    def note(minute: int, took: list[float]) -> None:
        now = held(server, url)
        first.append(now)
        print(
            f"{minute:3} min: edits median {statistics.median(took):.0f} ms, worst {max(took):.0f}; server "
            f"{now[0] / 2**20:.0f} MiB, worker {now[1] / 2**20:.0f}, connections {now[2]}; {len(soak.bad)} bad",
            flush=True,
        )

    clients = [threading.Thread(target=soak.client, args=(number,)) for number in range(CLIENTS)]
    for each in clients:
        each.start()
    try:
        took = soak.edits(60 * minutes, note)
    finally:
        soak.over.set()
        machine.over.set()
        for each in [*clients, machine.thread]:
            each.join()
        folder.cleanup()
    time.sleep(12)
    last = held(server, url)
    print(
        f"at the end, left alone: server {last[0] / 2**20:.0f} MiB, worker {last[1] / 2**20:.0f}, {last[2]} connections"
    )
    print(f"{sum(soak.answers.values())} answers: {dict(sorted(soak.answers.items()))}")
    for words in soak.bad[:20]:
        print("BAD", words)
    median, worst = statistics.median(took), max(each for each in took if each not in soak.excused)
    print(f"{len(took)} edits: median {median:.0f} ms, worst {worst:.0f} ms; yardstick {yardstick_ms():.0f} ms")
    if soak.excused:
        print(f"beside them {len(soak.excused)} that the machine held up, {max(soak.excused):.0f} ms at worst")
    allowed = (GROWN_BYTES, GROWN_BYTES, GROWN_CONNECTIONS)
    grown = bool(first) and any(now > then + more for now, then, more in zip(last, first[0], allowed, strict=True))
    failed = bool(soak.bad) or median > MEDIAN_MS or worst > WORST_MS or grown
    print("FAILED" if failed else "it came through, and nothing has grown")
    return int(failed)


if __name__ == "__main__":
    raise SystemExit(main(float(sys.argv[1]) if len(sys.argv) > 1 else MINUTES))
