"""The application killed (-9) in a burst of edits: no acknowledged edit is lost; a cut-off check runs again."""

import threading
import time

import httpx

from iskelo.command.postgres import Cluster
from server import Server, fresh_database


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
        timer = threading.Timer(0.35 + 0.1 * strike, server.kill)
        timer.start()
        try:
            for number in range(10_000):
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


def test_a_check_that_was_cut_off_is_run_again_after_the_restart(cluster: Cluster) -> None:
    server = Server(fresh_database(cluster))
    server.start()
    rig = httpx.post(f"{server.url}/api/rigs", json={"example": "orrin-point"}).json()["id"]
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
    assert view["ledger"]["agreeing"] == 10
    server.stop()
