"""Parts over HTTP: kept, listed, shared as files, brought in; and what is said when one cannot be."""

import json
from collections.abc import Iterator

import httpx
import pytest

from big_rig import big_rig
from iskelo.formats.rig_file import write_rig
from server import Server


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=f"{server.url}/api", timeout=60) as client:
        for part in client.get("/parts").json():
            client.delete(f"/parts/{part['id']}")
        yield client


def example(api: httpx.Client, name: str = "orrin-point") -> dict:
    return api.post("/rigs", json={"example": name}).json()


def piece(state: dict, name: str) -> dict:
    return next(gear for gear in state["rig"]["gear"] if gear["name"] == name)


def test_a_part_is_kept_shared_as_a_file_and_brought_in(api: httpx.Client) -> None:
    state = example(api)
    longhand = piece(state, "Longhand")
    able = api.get(f"/rigs/{state['id']}/keepable", params={"piece": longhand["id"]}).json()
    assert able == ["settings", "inputs", "outputs", "tracks"]
    wanted = {"rig": state["id"], "name": "Recorder", "pieces": [longhand["id"]], "kinds": ["inputs", "tracks"]}
    (entry,) = api.post("/parts", json=wanted).json()
    assert (entry["kinds"], entry["pieces"], entry["used_at"]) == (["inputs", "tracks"], ["Longhand"], None)
    again = api.post("/parts", json=wanted)
    assert again.status_code == 422
    assert "keep it in its place, or under another name" in again.json()["detail"]
    assert api.post("/parts", json={**wanted, "replace": True}).status_code == 201
    file = api.get(f"/parts/{entry['id']}/file")
    assert 'filename="Recorder.part.json"' in file.headers["content-disposition"]
    api.delete(f"/parts/{entry['id']}")
    (entry,) = api.post("/parts/import", content=file.content).json()
    # Read twice it is here once; another part of its name gets a number.
    assert len(api.post("/parts/import", content=file.content).json()) == 1
    other = {**json.loads(file.content), "notes": "Another evening"}
    second = api.post("/parts/import", content=json.dumps(other).encode()).json()
    assert sorted(each["name"] for each in second) == ["Recorder", "Recorder 2"]
    api.delete(f"/parts/{next(each['id'] for each in second if each['name'] == 'Recorder 2')}")
    blank = api.post("/rigs", json={"name": "Blank"}).json()
    path = f"/rigs/{blank['id']}"
    view = api.post(f"{path}/bring-in/trial", json={"part": entry["id"]}).json()
    assert view["pieces"] == [
        {"piece": longhand["id"], "name": "Longhand", "kind": "program", "into": None}
    ]  # fmt: skip
    assert api.get("/parts").json()[0]["used_at"] is None
    made = api.post(f"{path}/bring-in", json={"revision": 1, "wanted": {"part": entry["id"]}}).json()
    assert [track["name"] for track in piece(made, "Longhand")["tracks"]] == [t["name"] for t in longhand["tracks"]]
    assert made["undo"].startswith("brought in Recorder")
    assert api.get("/parts").json()[0]["used_at"] is not None
    undone = api.post(f"{path}/undo", json={"revision": 2}).json()
    assert undone["rig"]["gear"] == []


def test_a_new_rig_begins_with_a_part(api: httpx.Client) -> None:
    state = example(api)
    every = [gear["id"] for gear in state["rig"]["gear"]]
    (entry,) = api.post("/parts", json={"rig": state["id"], "name": "The hall", "pieces": every}).json()
    made = api.post("/rigs", json={"name": "Next week", "part": entry["id"]}).json()
    assert (made["rig"]["name"], made["revision"]) == ("Next week", 1)
    told = [(line["name"], line["headline"]) for line in made["survey"]["lines"]]
    assert told == [(line["name"], line["headline"]) for line in state["survey"]["lines"]]
    assert "made from the part The hall" in made["words"]


def test_what_is_no_part_is_refused_with_the_place(api: httpx.Client) -> None:
    state = example(api, "two-voices-on-one-box")
    rig = api.get(f"/rigs/{state['id']}/export").content
    for content, words in (
        (b"{", "no JSON"),
        (b"\xff\xfe", "no text in UTF-8"),
        (rig, "this is a whole rig, no part"),
        (json.dumps({"format": "iskelo part", "name": "x"}).encode(), "field required kinds"),
    ):
        answer = api.post("/parts/import", content=content)
        assert answer.status_code == 422
        assert words in f"{answer.json()['detail']} {answer.json().get('place', '')}"
    nowhere = "00000000-0000-4000-8000-000000000000"
    assert api.post(f"/rigs/{state['id']}/bring-in/trial", json={"part": nowhere}).status_code == 404
    assert api.get(f"/parts/{nowhere}/file").status_code == 404
    assert api.post("/rigs", json={"name": "x", "part": nowhere}).status_code == 404


def test_a_rig_is_duplicated_put_by_and_found(api: httpx.Client) -> None:
    state = example(api)
    api.post(f"/rigs/{state['id']}/edits", json={
        "revision": 1, "edits": [{"edit": "set", "item": "rig", "values": {"name": f"Gale {state['id']}"}}]
    })  # fmt: skip
    again = api.post(f"/rigs/{state['id']}/duplicate").json()
    assert again["rig"]["name"] == f"Gale {state['id']} 2"
    assert api.put(f"/rigs/{again['id']}/archived", json={"archived": True}).status_code == 204
    found = api.get("/rigs", params={"find": f"gale {state['id']}"}).json()
    assert {each["name"]: each["archived"] for each in found} == {
        f"Gale {state['id']}": False, f"Gale {state['id']} 2": True
    }  # fmt: skip
    held = api.get("/rigs", params={"find": "hydrophone"}).json()
    assert any(each["holds"].startswith("Tank hydrophone") for each in held)
    assert api.get(f"/rigs/{state['id']}/thinning", params={"days": 0}).json() == 0
    assert [each["number"] for each in api.post(f"/rigs/{state['id']}/thin", params={"days": 0}).json()] == [2, 1]


def test_a_part_of_a_rig_of_512_lines_is_brought_in(api: httpx.Client) -> None:
    """It has more in it than a request may hold; it is read where it is kept."""
    state = api.post("/rigs/import", content=write_rig(big_rig(512)), timeout=120).json()
    every = [gear["id"] for gear in state["rig"]["gear"]]
    (entry,) = api.post("/parts", json={"rig": state["id"], "name": "All of it", "pieces": every}).json()
    size = len(api.get(f"/parts/{entry['id']}/file").content)
    assert size > 1_000_000
    blank = api.post("/rigs", json={"name": "Blank"}).json()
    wanted = {"revision": 1, "wanted": {"part": entry["id"]}}
    made = api.post(f"/rigs/{blank['id']}/bring-in", json=wanted).json()
    assert len(made["rig"]["lines"]) == 512
    stale = api.post(f"/rigs/{blank['id']}/bring-in", json=wanted)
    assert stale.status_code == 409
    assert stale.json()["state"]["revision"] == 2
