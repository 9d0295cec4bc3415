"""Requests of every make at a running server: drawn by Schemathesis from the contract, and mutations of our own.

``python benchmarks/any_request.py [COUNT]``, 50 000 without a number. Prints how many were answered with what, and the
slowest; ends with an error on any answer of 5xx, or one that took over 3 s on the demo.
"""

import copy
import json
import random
import sys
import time
from collections import Counter
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

    def note(self, words: str, status: int, seconds: float) -> None:
        self.answers[status] += 1
        if seconds > self.slowest[0]:
            self.slowest = (seconds, words)
        if status >= 500 or seconds > SLOW_SECONDS:
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
        began = time.monotonic()
        answer = case.call(base_url=url)
        tally.note(f"{label} {str(case.body)[:120]}", answer.status_code, time.monotonic() - began)

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
            began = time.monotonic()
            answer = api.post(path, content=json.dumps(body), headers={"Content-Type": "application/json"})
            tally.note(f"{what} {json.dumps(body)[:160]}", answer.status_code, time.monotonic() - began)
            if what == "edit" and answer.status_code == 200:
                state = answer.json()
            if answer.status_code == 201 and what == "file":
                api.delete(f"/rigs/{answer.json()['id']}")
            if number % 400 == 399:
                rig = api.post("/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
                state = api.get(f"/rigs/{rig}").json()


def main(count: int) -> int:
    tally = Tally()
    with own_database(durable=False) as database_url:
        server = Server(database_url, working=False)
        server.start()
        try:
            rig = httpx.post(f"{server.url}/api/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
            for send, share in ((own, 0.8), (drawn, 0.2)):
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
