"""Line checks in workers: two on one queue, one of them killed; PostgreSQL killed under them; nothing sticks."""

import time
from collections.abc import Iterator
from typing import Any

import httpx
import psycopg
import pytest

from iskelo.command.postgres import Cluster
from iskelo.store.queue import STALLED_SECONDS
from server import Process, Server, fresh_database, kill_postgres, own_cluster, worker

ENDED = ("done", "failed", "cancelled")


@pytest.fixture(scope="module")
def lone(cluster: Cluster) -> Iterator[Server]:
    """A server without a worker, on a database of its own."""
    made = Server(fresh_database(cluster), working=False)
    made.start()
    yield made
    made.stop()


def demo(api: httpx.Client, example: str = "orrin-point-rehearsal") -> str:
    return str(api.post("/rigs", json={"example": example}).json()["id"])


def ended(api: httpx.Client, check: str, seconds: float = 90) -> dict[str, Any]:
    """The check, once it has ended."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        answer = api.get(f"/checks/{check}")
        if answer.status_code == 200 and answer.json()["state"] in ENDED:
            found: dict[str, Any] = answer.json()
            return found
        time.sleep(0.1)
    raise AssertionError(f"the check does not end: {answer.text}")


def running(api: httpx.Client, checks: list[str]) -> list[str]:
    return [check for check in checks if api.get(f"/checks/{check}").json()["state"] == "running"]


def jobs(url: str) -> int:
    with psycopg.connect(url) as connection:
        row = connection.execute("SELECT count(*) FROM procrastinate_jobs").fetchone()
        return int(row[0]) if row else -1


def test_a_check_that_no_worker_takes_says_so_and_can_be_cancelled(lone: Server) -> None:
    with httpx.Client(base_url=f"{lone.url}/api") as api:
        rig = demo(api)
        check = api.post(f"/rigs/{rig}/checks").json()
        assert check["state"] == "queued"
        assert check["stage"] == "waiting: no worker is at work (./iskelo work starts one)"
        assert api.post(f"/checks/{check['id']}/cancel").json()["state"] == "cancelled"
        assert api.post(f"/checks/{check['id']}/cancel").json()["state"] == "cancelled"


def test_two_workers_share_a_queue_and_one_that_is_killed_loses_nothing(lone: Server) -> None:
    workers = [worker(lone.database_url) for _ in range(2)]
    for each in workers:
        each.start()
    try:
        with httpx.Client(base_url=f"{lone.url}/api", timeout=60) as api:
            rig = demo(api)
            checks = [api.post(f"/rigs/{rig}/checks").json()["id"] for _ in range(3)]
            until = time.monotonic() + 60
            while len(running(api, checks)) < 2:
                assert time.monotonic() < until, "two checks run at the same time"
                time.sleep(0.05)
            workers[0].kill()
            for check in checks:
                view = ended(api, check)
                assert view["state"] == "done"
                assert view["ledger"]["agreeing"] == len(view["ledger"]["targets"])
            emptied(lone.database_url)
    finally:
        workers[1].stop()


def emptied(url: str) -> None:
    """No job row is left behind, once the last one is acknowledged."""
    until = time.monotonic() + 2 * STALLED_SECONDS
    while jobs(url):
        assert time.monotonic() < until, "job rows pile up"
        time.sleep(0.2)


def test_a_worker_that_is_stopped_puts_its_check_back_for_the_next(lone: Server) -> None:
    first = worker(lone.database_url)
    first.start()
    with httpx.Client(base_url=f"{lone.url}/api", timeout=60) as api:
        check = api.post(f"/rigs/{demo(api)}/checks").json()["id"]
        while not running(api, [check]):
            time.sleep(0.05)
        first.stop()
        assert api.get(f"/checks/{check}").json()["state"] == "queued"
        second = worker(lone.database_url)
        second.start()
        try:
            assert ended(api, check)["state"] == "done"
        finally:
            second.stop()


def test_cancelling_a_running_check_ends_it_at_once_and_the_next_one_runs(lone: Server) -> None:
    working = worker(lone.database_url)
    working.start()
    try:
        with httpx.Client(base_url=f"{lone.url}/api", timeout=60) as api:
            rig = demo(api)
            check = api.post(f"/rigs/{rig}/checks").json()["id"]
            while not running(api, [check]):
                time.sleep(0.05)
            assert api.post(f"/checks/{check}/cancel").json()["state"] == "cancelled"
            assert ended(api, api.post(f"/rigs/{rig}/checks").json()["id"])["state"] == "done"
            assert api.get(f"/checks/{check}").json()["state"] == "cancelled"
    finally:
        working.stop()


def test_a_worker_ends_with_the_process_it_belongs_to(lone: Server) -> None:
    gone = Process(lone.database_url, "work", "--with-process", "1")
    gone.start()
    assert gone.process is not None
    assert gone.process.wait(timeout=30) == 0, "its parent is not process 1"


def test_a_worker_whose_database_does_not_come_back_ends() -> None:
    """One that was forgotten does not ask for ever; an hour, and for this test two seconds."""
    with own_cluster(durable=False) as gone:
        server = Server(gone.database("checks"), working=False)
        server.start()
        forgotten = Process(server.database_url, "work", ISKELO_TEST_GIVES_UP_SECONDS="2")
        forgotten.start()
        try:
            with httpx.Client(base_url=f"{server.url}/api", timeout=60) as api:
                check = api.post(f"/rigs/{demo(api, 'two-voices-on-one-box')}/checks").json()["id"]
                assert ended(api, check)["state"] == "done"
            kill_postgres(gone)
            assert forgotten.process is not None
            assert forgotten.process.wait(timeout=90) == 0
        finally:
            server.stop()


def test_a_check_under_which_postgresql_dies_ends_all_the_same() -> None:
    """It finds its database again, or is taken up anew; the rig is not shut out of further checks."""
    with own_cluster() as durable:
        server = Server(durable.database("checks"))
        server.start()
        try:
            with httpx.Client(base_url=f"{server.url}/api", timeout=60) as api:
                rig = demo(api, "two-boxes-as-one")
                for again_after_s in (0.0, 4.0):
                    check = api.post(f"/rigs/{rig}/checks").json()["id"]
                    while not running(api, [check]):
                        time.sleep(0.05)
                    kill_postgres(durable)
                    time.sleep(again_after_s)
                    durable.start()
                    view = ended(api, check)
                    assert view["state"] == "done"
                    assert view["ledger"]["agreeing"] == len(view["ledger"]["targets"]) > 0
                    assert ended(api, api.post(f"/rigs/{rig}/checks").json()["id"])["state"] == "done"
                    emptied(server.database_url)
        finally:
            server.stop()
