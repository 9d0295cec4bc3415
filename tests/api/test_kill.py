"""The application killed (-9) in a burst of edits: no acknowledged edit is lost; a cut-off check runs again."""

import threading
import time
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from iskelo.command.postgres import Cluster
from server import Server, fresh_database, kill_postgres, own_cluster

BEFORE_A_STRIKE = 12
"""So many edits of a burst are kept before the strike is set off; how soon it follows is left to chance."""


def test_no_acknowledged_edit_is_lost_when_the_application_is_killed(cluster: Cluster) -> None:
    server = Server(fresh_database(cluster))
    server.start()
    with httpx.Client(base_url=f"{server.url}/api") as api:
        _strike_and_look(server, api)
    server.stop()


def _strike_and_look(server: Server, api: httpx.Client) -> None:
    rig = api.post("/rigs", json={"name": "Burst"}).json()["id"]
    acknowledged = 1
    kept: list[str] = ["Burst"]
    for strike in range(3):
        timer = threading.Timer(0.1 + 0.1 * strike, server.kill)
        try:
            for number in range(10_000):
                if number == BEFORE_A_STRIKE:
                    timer.start()
                name = f"Burst {strike}.{number}"
                edits = [{"edit": "set", "item": "rig", "values": {"name": name}}]
                body = {"revision": acknowledged, "edits": edits}
                answer = api.post(f"/rigs/{rig}/edits", json=body)
                assert answer.status_code == 200
                acknowledged = answer.json()["revision"]
                kept.append(name)
        except httpx.TransportError:
            pass
        timer.join()
        server.start()
        state = api.get(f"/rigs/{rig}").json()
        # The edit that was under way may have been kept without the word reaching us; none before it is gone.
        assert state["revision"] in (acknowledged, acknowledged + 1)
        if state["revision"] == acknowledged:
            assert state["rig"]["name"] == kept[-1]
        acknowledged = state["revision"]
        kept.append(state["rig"]["name"])
    assert len(kept) > 20
    while acknowledged > 1:
        state = api.post(f"/rigs/{rig}/undo", json={"revision": acknowledged}).json()
        acknowledged = state["revision"]
    assert state["rig"]["name"] == "Burst"


@pytest.fixture
def durable() -> Iterator[Cluster]:
    """A server of its own that waits for the disk, as the one that ``./iskelo start`` starts."""
    with own_cluster() as made:
        yield made


def test_no_acknowledged_edit_is_lost_when_postgresql_is_killed_and_the_application_recovers(durable: Cluster) -> None:
    server = Server(durable.database("burst"))
    server.start()
    with httpx.Client(base_url=f"{server.url}/api", timeout=30) as api:
        rig = api.post("/rigs", json={"name": "Burst"}).json()["id"]
        acknowledged, name = 1, "Burst"
        for strike in range(2):
            timer = threading.Timer(0.1 + 0.15 * strike, kill_postgres, [durable])
            for number in range(10_000):
                if number == BEFORE_A_STRIKE:
                    timer.start()
                wanted = f"Burst {strike}.{number}"
                edits = [{"edit": "set", "item": "rig", "values": {"name": wanted}}]
                answer = api.post(f"/rigs/{rig}/edits", json={"revision": acknowledged, "edits": edits})
                if answer.status_code != 200:
                    break
                acknowledged, name = answer.json()["revision"], wanted
            timer.join()
            # The application says so, in words, and goes on running.
            assert answer.status_code == 503
            assert "This change may have been made or not" in answer.json()["detail"]
            assert api.get("/health").json() == {"status": "ok"}
            durable.start()
            state = recovered(api, rig)
            assert state["revision"] in (acknowledged, acknowledged + 1)
            assert state["revision"] > acknowledged or state["rig"]["name"] == name
            acknowledged, name = state["revision"], state["rig"]["name"]
        assert acknowledged > 20
        # And line checks work again, though their queue had lost its connection.
        check = api.post(f"/rigs/{rig}/checks").json()["id"]
        for _ in range(600):
            view = api.get(f"/checks/{check}").json()
            if view["state"] == "failed":
                break
            time.sleep(0.1)
        assert "There is no source to play" in view["stage"]
    server.stop()


def recovered(api: httpx.Client, rig: str) -> dict[str, Any]:
    """The rig, once the application has found its database again."""
    for _ in range(100):
        answer = api.get(f"/rigs/{rig}")
        if answer.status_code == 200:
            found: dict[str, Any] = answer.json()
            return found
        assert answer.status_code == 503
        time.sleep(0.1)
    raise AssertionError("the application did not recover")


def test_a_check_that_was_cut_off_is_run_again_after_the_restart(cluster: Cluster) -> None:
    server = Server(fresh_database(cluster))
    server.start()
    rig = httpx.post(f"{server.url}/api/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
    check = httpx.post(f"{server.url}/api/rigs/{rig}/checks").json()["id"]
    for _ in range(100):
        if httpx.get(f"{server.url}/api/checks/{check}").json()["state"] == "running":
            break
        time.sleep(0.05)
    server.kill()
    server.start()
    for _ in range(300):
        view = httpx.get(f"{server.url}/api/checks/{check}").json()
        if view["state"] == "done":
            break
        time.sleep(0.1)
    assert view["state"] == "done"
    assert view["ledger"]["agreeing"] == 15
    server.stop()
