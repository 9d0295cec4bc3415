"""A rig that is kept and cannot be read opens read-only, with what is wrong and a way back."""

import io
import json
import zipfile
from collections.abc import Iterator
from typing import Any

import httpx
import psycopg
import pytest
from psycopg.types.json import Jsonb

from iskelo.command.postgres import Cluster
from server import Server, fresh_database


@pytest.fixture(scope="module")
def lone(cluster: Cluster) -> Iterator[Server]:
    made = Server(fresh_database(cluster), working=False)
    made.start()
    yield made
    made.stop()


@pytest.fixture
def broken(lone: Server) -> dict[str, Any]:
    """A rig of four revisions whose newest was spoilt where it is kept; the server has been started again since."""
    with httpx.Client(base_url=f"{lone.url}/api") as api:
        state = api.post("/rigs", json={"name": "One"}).json()
        for number, name in enumerate(("Two", "Three", "Four"), start=1):
            edits = [{"edit": "set", "item": "rig", "values": {"name": name}}]
            state = api.post(f"/rigs/{state['id']}/edits", json={"revision": number, "edits": edits}).json()
    with psycopg.connect(lone.database_url) as connection:
        spoilt = Jsonb({"cores": {"=": 100_000}})
        connection.execute("UPDATE revision SET delta = %s WHERE rig_id = %s AND number = 4", (spoilt, state["id"]))
    lone.restart()
    found: dict[str, Any] = httpx.get(f"{lone.url}/api/rigs/{state['id']}").json()
    return found


def test_it_shows_the_last_good_revision_and_says_what_is_wrong(broken: dict[str, Any]) -> None:
    assert broken["wrong"] == "Revision 4 of this rig cannot be read: cores: it must be 256 or less."
    assert (broken["revision"], broken["shown"], broken["rig"]["name"]) == (4, 3, "Three")


def test_it_cannot_be_changed_or_checked_and_everything_else_answers(lone: Server, broken: dict[str, Any]) -> None:
    with httpx.Client(base_url=f"{lone.url}/api", timeout=30) as api:
        rig = broken["id"]
        edits = [{"edit": "set", "item": "rig", "values": {"name": "x"}}]
        refused = api.post(f"/rigs/{rig}/edits", json={"revision": 4, "edits": edits})
        assert refused.status_code == 409
        assert "Revision 4 of this rig cannot be read" in refused.json()["detail"]
        assert "cannot be changed" in refused.json()["detail"]
        assert api.post(f"/rigs/{rig}/checks").status_code == 409
        assert api.get(f"/rigs/{rig}/compare", params={"earlier": 1, "later": 4}).status_code == 409
        for path in ("history", "plan", "export", "set-up-list", "ladders", "clocks", "faults"):
            assert api.get(f"/rigs/{rig}/{path}").status_code == 200, path
        assert any(each["name"] == "Four" for each in api.get("/rigs").json())


def test_the_way_back(lone: Server, broken: dict[str, Any]) -> None:
    with httpx.Client(base_url=f"{lone.url}/api", timeout=30) as api:
        rig = broken["id"]
        back = api.post(f"/rigs/{rig}/jump", json={"revision": 4, "to": broken["shown"]}).json()
        assert (back["wrong"], back["revision"], back["rig"]["name"]) == (None, 3, "Three")
        edits = [{"edit": "set", "item": "rig", "values": {"name": "Better"}}]
        after = api.post(f"/rigs/{rig}/edits", json={"revision": 3, "edits": edits}).json()
        assert (after["revision"], after["rig"]["name"]) == (5, "Better")


def test_undo_leads_out_of_it_as_well(lone: Server, broken: dict[str, Any]) -> None:
    back = httpx.post(f"{lone.url}/api/rigs/{broken['id']}/undo", json={"revision": 4}).json()
    assert (back["wrong"], back["revision"]) == (None, 3)


def test_no_bundle_of_it_goes_out_and_afterwards_one_without_what_cannot_be_read(
    lone: Server, broken: dict[str, Any]
) -> None:
    with httpx.Client(base_url=f"{lone.url}/api", timeout=60) as api:
        rig = broken["id"]
        for number in (2, 4):
            assert api.put(f"/rigs/{rig}/history/{number}/name", json={"name": f"Number {number}"}).is_success
        refused = api.get(f"/rigs/{rig}/bundle")
        assert refused.status_code == 409
        assert "Revision 4 of this rig cannot be read" in refused.json()["detail"]
        api.post(f"/rigs/{rig}/jump", json={"revision": 4, "to": broken["shown"]})
        edits = [{"edit": "set", "item": "rig", "values": {"name": "Better"}}]
        api.post(f"/rigs/{rig}/edits", json={"revision": 3, "edits": edits})
        with zipfile.ZipFile(io.BytesIO(api.get(f"/rigs/{rig}/bundle").content)) as found:
            assert found.testzip() is None
            told = json.loads(found.read("bundle.json"))
        assert [each["number"] for each in told["revisions"]] == [2, 5]


def test_a_rig_of_which_nothing_can_be_read_says_so(lone: Server) -> None:
    rig = httpx.post(f"{lone.url}/api/rigs", json={"name": "One"}).json()["id"]
    with psycopg.connect(lone.database_url) as connection:
        connection.execute("UPDATE revision SET document = '[]' WHERE rig_id = %s", (rig,))
    lone.restart()
    answer = httpx.get(f"{lone.url}/api/rigs/{rig}")
    assert answer.status_code == 409
    assert "what was kept of it is not whole" in answer.json()["detail"]
    assert httpx.get(f"{lone.url}/api/rigs").status_code == 200
