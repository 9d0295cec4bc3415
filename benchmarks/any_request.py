"""Requests of every make at a running server: drawn by Schemathesis from the contract, and mutations of our own.

Edits, trials and files with something odd in them, bundles and songs whose bytes were turned, strings without an end,
and many at once. ``python benchmarks/any_request.py [COUNT]``, 50 000 without a number. Prints how many were answered
with what, and the slowest; ends with an error on any answer of 5xx, on one that breaks off or does not come, and on one
that took over 3 s on the demo.
"""

import copy
import io
import json
import random
import sys
import threading
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

import httpx
import schemathesis
from hypothesis import HealthCheck, Phase, Verbosity, given, settings

from iskelo.api.openapi import contract
from iskelo.command.places import ROOT
from iskelo.demo.orrin_point import orrin_point

sys.path.insert(0, str(ROOT / "tests"))
from server import Server, own_database
from walks import Drawing

COUNT = 50_000
SLOW_SECONDS = 3.0
WITH_MANY_SECONDS = 20.0
BROKEN = 599
"""What an answer counts as that broke off, or did not come."""
HALF = random.Random(2)
"""Which requests go to a rig that is there; Hypothesis sets Python's own random numbers back for each."""
ODD: tuple[Any, ...] = (
    None,
    True,
    0,
    -1,
    10**9,
    10**30,
    1e308,
    0.1,
    "",
    " ",
    "\u202e",
    "x" * 5000,
    "'; DROP TABLE rig; --",
    "\x00",
    "../../etc/passwd",
    [],
    {},
    [[]],
    [None] * 50,
    {"edit": "set"},
)


class Tally:
    """What was answered, and how long the slowest took."""

    def __init__(self) -> None:
        self.answers: Counter[int] = Counter()
        self.bad: list[str] = []
        self.slowest = (0.0, "")
        self._lock = threading.Lock()

    def send(self, words: str, request: Callable[[], Any], *, slow_seconds: float = SLOW_SECONDS) -> Any:
        """Send a request and note its answer; one that is broken off is an answer, and a bad one. None then."""
        began = time.monotonic()
        try:
            answer = request()
        except (httpx.HTTPError, OSError) as error:
            self.note(f"{type(error).__name__}: {words}", BROKEN, time.monotonic() - began, slow_seconds)
            return None
        self.note(words, answer.status_code, time.monotonic() - began, slow_seconds)
        return answer

    def note(self, words: str, status: int, seconds: float, slow_seconds: float = SLOW_SECONDS) -> None:
        with self._lock:
            self.answers[status] += 1
            if seconds > self.slowest[0]:
                self.slowest = (seconds, words)
            if status >= 500 or seconds > slow_seconds:
                self.bad.append(f"{status} after {seconds:.1f} s: {words}")
            if self.count % 5000 == 0:
                self.say()

    def say(self) -> None:
        seconds, words = self.slowest
        told = f"{self.count} requests, {dict(sorted(self.answers.items()))}, {len(self.bad)} bad"
        print(f"{told}; slowest {seconds:.2f} s: {words[:80]}", flush=True)

    @property
    def count(self) -> int:
        return sum(self.answers.values())


def drawn(url: str, rig: str, tally: Tally, count: int) -> None:
    """Requests as Schemathesis draws them, half of those about a rig to one that is there."""
    schema = schemathesis.openapi.from_dict(json.loads(contract()))
    operations = [each.ok() for each in schema.get_all_operations()]
    each_count = max(1, count // len(operations))
    for operation in operations:
        label = f"{operation.method.upper()} {operation.path}"
        if label.endswith("/wakeups"):
            continue  # it measures for four seconds, as it says

        _send(operation, label, url, rig, tally, each_count)


def _send(operation: Any, label: str, url: str, rig: str, tally: Tally, count: int) -> None:
    @settings(
        max_examples=count,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        verbosity=Verbosity.quiet,
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy())
    def send(case: schemathesis.Case) -> None:
        if "rig_id" in (case.path_parameters or {}) and case.method != "DELETE" and HALF.random() < 0.5:
            case.path_parameters["rig_id"] = rig
        tally.send(f"{label} {str(case.body)[:120]}", lambda: case.call(base_url=url))

    send()


def mutated(draw: random.Random, value: Any) -> Any:
    """A document with something in it turned into something else, left out, doubled or nested."""
    value = copy.deepcopy(value)
    at = value
    for _ in range(draw.randint(0, 5)):
        inside = list(at) if isinstance(at, dict) else list(range(len(at))) if isinstance(at, list) else []
        if not inside:
            break
        key = draw.choice(inside)
        if isinstance(at[key], dict | list) and at[key] and draw.random() < 0.7:
            at = at[key]
            continue
        how = draw.random()
        if how < 0.6:
            at[key] = copy.deepcopy(draw.choice(ODD))
        elif how < 0.8 and isinstance(at, dict):
            del at[key]
        else:
            at[key] = [at[key]] * draw.choice([2, 30])
        break
    return value


def own(url: str, rig: str, tally: Tally, count: int) -> None:
    """Edits of every kind that fit the rig, and the same with something odd in them; files likewise."""
    draw = random.Random(1)
    document = orrin_point().model_dump(mode="json")
    with httpx.Client(base_url=f"{url}/api", timeout=60) as api:
        state = api.get(f"/rigs/{rig}").json()
        drawing = Drawing(draw, orrin_point())
        for number in range(count):
            edit = next(each for each in iter(drawing.edit, 0) if each is not None)
            edits: list[Any] = [edit.model_dump(mode="json")]
            body: Any = {"revision": state["revision"], "edits": edits}
            path, what = f"/rigs/{rig}/edits", "edit"
            kind = draw.random()
            if kind < 0.1:
                path, what, body = "/rigs/import", "file", mutated(draw, document)
            elif kind < 0.2:
                path, what, body = "/catalogue/import", "catalogue", mutated(draw, {"gear": document["gear"]})
            elif kind < 0.35:
                path, what = f"/rigs/{rig}/trial", "trial"
                body = mutated(draw, {"edits": edits})
            elif kind < 0.65:
                body = mutated(draw, body)
            sent = json.dumps(body)
            as_json = {"Content-Type": "application/json"}
            answer = tally.send(f"{what} {sent[:160]}", partial(api.post, path, content=sent, headers=as_json))
            if answer is None:
                continue
            if what == "edit" and answer.status_code == 200:
                state = answer.json()
            if answer.status_code == 201 and what == "file":
                api.delete(f"/rigs/{answer.json()['id']}")
            if number % 400 == 399:
                rig = api.post("/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
                state = api.get(f"/rigs/{rig}").json()


def turned(draw: random.Random, data: bytes) -> bytes:
    """Bytes of which some are others, or missing."""
    made = bytearray(data)
    for _ in range(draw.randint(1, 8)):
        if made:
            made[draw.randrange(len(made))] = draw.randrange(256)
    return bytes(made[: draw.randrange(len(made) + 1)] if draw.random() < 0.2 else made)


def bundle_again(draw: random.Random, data: bytes) -> bytes:
    """A bundle whose list, a ledger or a rig says something odd, or whose bytes were turned."""
    if draw.random() < 0.4:
        return turned(draw, data)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as packed, zipfile.ZipFile(out, "w") as made:
        names = packed.namelist()
        odd = draw.choice([name for name in names if name.endswith(".json")])
        for name in names:
            content = packed.read(name)
            if name == odd:
                content = json.dumps(mutated(draw, json.loads(content))).encode()
                if draw.random() < 0.3:
                    content = content.replace(b"2026-", draw.choice([b"0001-", b"9999-", b"2026-"]))
            elif name.endswith(".wav") and draw.random() < 0.3:
                content = turned(draw, content)
            made.writestr(name, content)
    return out.getvalue()


SONG = b"MThd\x00\x00\x00\x06\x00\x00\x00\x01\x01\xe0MTrk\x00\x00\x00\x0b\x00\xff\x51\x03\x07\xa1\x20\x00\xff\x2f\x00"
ESCAPES = ('"', '\\"', '{"', "\\u0000", "\\ud800", "[", "9", ",", "\\\\")


def files(url: str, rig: str, tally: Tally, count: int) -> None:
    """Bundles and songs with something odd in them, and bodies of nothing but escapes."""
    draw = random.Random(3)
    with httpx.Client(base_url=f"{url}/api", timeout=60) as api:
        small = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()
        program = next(gear["id"] for gear in small["rig"]["gear"] if gear["kind"] == "program")
        bundle = api.get(f"/rigs/{small['id']}/bundle").content
        for _ in range(count):
            kind = draw.random()
            if kind < 0.2:
                body, path, what = bundle_again(draw, bundle), "/rigs/import-bundle", "bundle"
            elif kind < 0.6:
                body, path, what = turned(draw, SONG), f"/rigs/{small['id']}/programs/{program}/song", "song"
            else:
                text = draw.choice(ESCAPES) + draw.choice(ESCAPES) * draw.choice([10, 1000, 100_000])
                path = draw.choice(
                    ["/rigs", f"/rigs/{rig}/edits", "/rigs/import", "/parts/import", f"/rigs/{rig}/ticks"]
                )
                body, what = text.encode(), "escapes"
            method = api.put if path.endswith("ticks") else api.post
            answer = tally.send(f"{what} {body[:80]!r}", partial(method, path, content=body))
            if answer is not None and answer.status_code == 201 and "id" in answer.json():
                api.delete(f"/rigs/{answer.json()['id']}")


READS = ("", "/ports", "/together", "/clocks", "/ladders", "/delay-budgets", "/faults", "/plan", "/history", "/sheets")


def at_once(url: str, rig: str, tally: Tally, count: int) -> None:
    """A dozen clients who read a rig while two of them rename it."""

    def one(number: int) -> None:
        draw = random.Random(number)
        with httpx.Client(base_url=f"{url}/api", timeout=60) as api:
            for _ in range(count // 12):
                if number < 2:
                    revision = api.get(f"/rigs/{rig}").json()["revision"]
                    edits = [{"edit": "set", "item": "rig", "values": {"name": f"Many {draw.random():.3f}"}}]
                    request = partial(api.post, f"/rigs/{rig}/edits", json={"revision": revision, "edits": edits})
                    tally.send("renamed by many", request, slow_seconds=WITH_MANY_SECONDS)
                    continue
                path = draw.choice(READS)
                tally.send(f"many {path}", partial(api.get, f"/rigs/{rig}{path}"), slow_seconds=WITH_MANY_SECONDS)

    with ThreadPoolExecutor(12) as many:
        for done in [many.submit(one, number) for number in range(12)]:
            done.result()


def main(count: int) -> int:
    tally = Tally()
    with own_database(durable=False) as database_url:
        server = Server(database_url, working=False)
        server.start()
        try:
            rig = httpx.post(f"{server.url}/api/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
            for send, share in ((own, 0.65), (drawn, 0.2), (files, 0.05), (at_once, 0.1)):
                send(server.url, rig, tally, int(count * share))
                seconds, words = tally.slowest
                print(
                    f"{tally.count} requests, {dict(sorted(tally.answers.items()))}; slowest {seconds:.2f} s: {words}"
                )
        finally:
            server.stop()
    for each in tally.bad[:20]:
        print("BAD", each)
    print(f"{len(tally.bad)} answers of 5xx or over {SLOW_SECONDS:g} s")
    return 1 if tally.bad else 0


if __name__ == "__main__":
    raise SystemExit(main(int(sys.argv[1]) if len(sys.argv) > 1 else COUNT))
