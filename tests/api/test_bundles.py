"""A bundle over HTTP: everything that belongs to a rig goes out as one zip and comes back as another rig."""

import io
import json
import time
import zipfile
from collections.abc import Iterator

import httpx
import pytest

from server import Server


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=f"{server.url}/api", timeout=120) as client:
        for part in client.get("/parts").json():
            client.delete(f"/parts/{part['id']}")
        yield client


def checked(api: httpx.Client, rig: str) -> dict:
    check = api.post(f"/rigs/{rig}/checks", json={}).json()
    for _ in range(600):
        check = api.get(f"/checks/{check['id']}").json()
        if check["state"] in ("done", "failed"):
            break
        time.sleep(0.1)
    assert check["state"] == "done", check
    return check


def test_a_rig_with_its_history_checks_takes_parts_and_sheets_goes_out_and_comes_back(api: httpx.Client) -> None:
    state = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()
    rig = state["id"]
    box = next(gear["id"] for gear in state["rig"]["gear"] if gear["kind"] == "interface")
    api.post("/parts", json={"rig": rig, "name": "The box", "pieces": [box]})
    # What was kept from another rig, or in a rig that nobody asks for, stays at home.
    elsewhere = api.post("/rigs", json={"example": "outboard-on-an-insert"}).json()
    piece = elsewhere["rig"]["gear"][0]["id"]
    api.post("/parts", json={"rig": elsewhere["id"], "name": "Somebody else's", "pieces": [piece]})
    step = api.get(f"/rigs/{rig}/set-up-list").json()[0]
    api.put(f"/rigs/{rig}/ticks", json={"step": step["key"], "says": step["says"], "done": True, "by": ""})
    check = checked(api, rig)
    take = api.get(f"/checks/{check['id']}/take.wav").content
    edits = [{"edit": "set", "item": "rig", "values": {"notes": "Later"}}]
    api.post(f"/rigs/{rig}/edits", json={"revision": 1, "edits": edits})
    edits = [{"edit": "set", "item": "rig", "values": {"notes": "Dress"}}]
    api.post(f"/rigs/{rig}/edits", json={"revision": 2, "edits": edits})
    api.put(f"/rigs/{rig}/history/3/name", json={"name": "Dress"})
    edits = [{"edit": "set", "item": "rig", "values": {"notes": "Now"}}]
    last = api.post(f"/rigs/{rig}/edits", json={"revision": 3, "edits": edits}).json()
    answer = api.get(f"/rigs/{rig}/bundle", params={"date": "2026-11-29"})
    assert answer.headers["content-type"] == "application/zip"
    assert 'filename="Two voices on one box, rev 4, 2026-11-29.zip"' in answer.headers["content-disposition"]
    with zipfile.ZipFile(io.BytesIO(answer.content)) as found:
        names = found.namelist()
        told = json.loads(found.read("bundle.json"))
        assert [each["number"] for each in told["revisions"]] == [1, 3, 4]
        assert set(told["sheets"]) <= set(names)
        assert [name for name in names if name.startswith("parts/")] == ["parts/1 The box.part.json"]
        assert "sheets/001 Set-up list.pdf" in names
        assert len({name.casefold() for name in names}) == len(names)
        assert found.read(next(name for name in names if name.startswith("takes/"))) == take
        assert found.read(next(name for name in names if name.endswith("Line list.pdf")))[:5] == b"%PDF-"
    for part in api.get("/parts").json():
        api.delete(f"/parts/{part['id']}")
    again = api.post("/rigs/import-bundle", content=answer.content).json()
    assert again["rig"] == last["rig"]
    assert [each["headline"] for each in again["survey"]["lines"]] == [
        each["headline"] for each in last["survey"]["lines"]
    ]
    # What was proved is proved here too, for its way has not changed since.
    assert again["survey"]["vitals"]["proved"] == last["survey"]["vitals"]["proved"] > 0
    history = api.get(f"/rigs/{again['id']}/history").json()
    assert [(each["number"], each["parent"], each["kept_as"]) for each in history] == [
        (3, 2, None), (2, 1, "Dress"), (1, None, None)
    ]  # fmt: skip
    newest = api.get(f"/rigs/{again['id']}/checks/newest").json()
    assert newest["ledger"] == check["ledger"]
    assert api.get(f"/checks/{newest['id']}/take.wav").content == take
    assert [part["name"] for part in api.get("/parts").json()] == ["The box"]
    # Taken in twice: the part is here already, and is not doubled.
    api.post("/rigs/import-bundle", content=answer.content)
    assert [part["name"] for part in api.get("/parts").json()] == ["The box"]
    # The rig that came in has the part, and what goes out of it again has it too.
    onward = api.get(f"/rigs/{again['id']}/bundle", params={"takes": 0})
    with zipfile.ZipFile(io.BytesIO(onward.content)) as found:
        assert "parts/1 The box.part.json" in found.namelist()
    slim = api.get(f"/rigs/{rig}/bundle", params={"takes": 0, "library": False})
    with zipfile.ZipFile(io.BytesIO(slim.content)) as found:
        assert not [name for name in found.namelist() if name.startswith(("takes/", "parts/"))]


def test_what_is_no_bundle_leaves_nothing_behind(api: httpx.Client) -> None:
    before = len(api.get("/rigs").json())
    state = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()
    good = api.get(f"/rigs/{state['id']}/bundle").content
    data = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(good)) as found, zipfile.ZipFile(data, "w") as broken:
        for name in found.namelist():
            content = found.read(name)
            broken.writestr(name, b"{}" if name.endswith(".rig.json") else content)
    for content, words in ((b"words", "no zip"), (data.getvalue(), "revisions/1.rig.json")):
        answer = api.post("/rigs/import-bundle", content=content)
        assert answer.status_code == 422
        assert words in f"{answer.json()['detail']} {answer.json().get('place')}"
    assert len(api.get("/rigs").json()) == before + 1
    nowhere = "00000000-0000-4000-8000-000000000000"
    assert api.get(f"/rigs/{nowhere}/bundle").status_code == 404


def test_a_comparison_and_bars_over_http(api: httpx.Client) -> None:
    state = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()
    rig, other = state["id"], api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()["id"]
    source = next(gear["id"] for gear in state["rig"]["gear"] if gear["kind"] == "source")
    edits = [{"edit": "set", "item": source, "values": {"name": "Somebody else"}}]
    api.post(f"/rigs/{rig}/edits", json={"revision": 1, "edits": edits})
    path = f"/rigs/{rig}/sheet"
    lines = api.get(path, params={"key": "lines", "since": 1}).json()
    assert any(lines["tables"][0]["changed"])
    assert "since revision 1" in lines["notes"][-1]
    for asked in ({"with_revision": 1}, {"with_rig": other}, {"with_rig": other, "with_revision": 1}):
        found = api.get(path, params={"key": "compare", **asked}).json()
        settings = next(table for table in found["tables"] if table["title"] == "Gear and settings")
        assert any("Somebody else" in cell for row in settings["rows"] for cell in row)
    pdf = api.get(f"/rigs/{rig}/sheet-file", params={"key": "compare", "with_rig": other})
    assert pdf.content[:5] == b"%PDF-"
    csv = api.get(f"/rigs/{rig}/sheet-file", params={"key": "inputs", "form": "csv"}).text
    assert (
        csv.lstrip("\ufeff").splitlines()[0] == "Name,Source,Box input,Track,Heard at,Purpose,Limit ms,Phantom,Through"
    )
    assert api.get(path, params={"key": "compare", "with_revision": 99}).status_code == 404
