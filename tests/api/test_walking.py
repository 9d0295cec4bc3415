"""Ticks of the set-up list, kept with the rig; and what a telephone in the network around may see and do."""

import asyncio
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import PlainTextResponse
from starlette.routing import Route

from iskelo.api.guards import Guard
from server import Server


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=f"{server.url}/api", timeout=60) as client:
        yield client


def edit(api: httpx.Client, rig: str, revision: int, *edits: dict) -> dict:
    answer = api.post(f"/rigs/{rig}/edits", json={"revision": revision, "edits": edits})
    assert answer.status_code == 200, answer.text
    return answer.json()


def step(steps: list[dict], key: str) -> dict:
    return next(each for each in steps if each["key"] == key)


def test_a_tick_belongs_to_what_the_step_says_and_undo_brings_it_back(api: httpx.Client) -> None:
    state = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()
    rig = state["id"]
    first = next(each for each in api.get(f"/rigs/{rig}/set-up-list").json() if each["key"].startswith("lead:"))
    assert (first["done"], first["changed"]) == (False, False)
    asked = {"step": first["key"], "says": first["says"], "by": " Ines "}
    ticked = step(api.put(f"/rigs/{rig}/ticks", json=asked).json(), first["key"])
    assert (ticked["done"], ticked["by"], ticked["at"] is not None) == (True, "Ines", True)
    # Renamed: nothing that was done is undone.
    source = first["items"][0]
    edit(api, rig, 1, {"edit": "set", "item": source, "values": {"name": "Somebody else"}})
    assert step(api.get(f"/rigs/{rig}/set-up-list").json(), first["key"])["done"]
    box = first["items"][1]
    jack = int(first["words"].rsplit(" ", 1)[1])
    edit(api, rig, 2, {"edit": "set_trim", "interface": box, "jack_in": jack, "trim_db": 3})
    changed = step(api.get(f"/rigs/{rig}/set-up-list").json(), first["key"])
    assert (changed["done"], changed["changed"]) == (False, True)
    stale = api.put(f"/rigs/{rig}/ticks", json=asked)
    assert stale.status_code == 422
    assert "the rig has changed meanwhile; this step says now: Somebody else" in stale.json()["detail"]
    assert "trim 3 dB" in stale.json()["detail"]
    api.post(f"/rigs/{rig}/undo", json={"revision": 3})
    assert step(api.get(f"/rigs/{rig}/set-up-list").json(), first["key"])["done"]
    again = api.put(f"/rigs/{rig}/ticks", json={**asked, "done": False}).json()
    assert not step(again, first["key"])["done"]


def test_who_walks_may_look_and_tick_only_where_that_is_allowed(api: httpx.Client) -> None:
    state = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()
    path = f"/rigs/{state['id']}"
    walk = api.get(f"{path}/walk").json()
    assert (walk["name"], walk["revision"], walk["may_tick"]) == (state["rig"]["name"], 1, False)
    asked = {"step": walk["steps"][0]["key"], "says": walk["steps"][0]["says"]}
    refused = api.put(f"{path}/walk/ticks", json=asked)
    assert refused.status_code == 422
    assert "may look only" in refused.json()["detail"]
    walkers = api.put(f"{path}/walkers", json={"may_tick": True}).json()
    # This server answers this computer alone.
    assert walkers == {"addresses": [], "may_tick": True}
    assert api.put(f"{path}/walk/ticks", json=asked).json()["steps"][0]["done"]
    assert step(api.get(f"{path}/set-up-list").json(), asked["step"])["done"]
    gone = api.put(f"{path}/ticks", json={"step": "box:b999", "says": "x"})
    assert "not needed any more" in gone.json()["detail"]
    bad = api.put(f"{path}/ticks", json={**asked, "by": "a\x07b"})
    assert "control character" in bad.json()["detail"]
    nowhere = "/rigs/00000000-0000-4000-8000-000000000000"
    assert api.get(f"{nowhere}/walk").status_code == 404
    assert api.put(f"{nowhere}/walk/ticks", json=asked).status_code == 404


async def answered(request: Request) -> PlainTextResponse:
    return PlainTextResponse(request.url.path)


def guarded(*, walk: bool) -> Guard:
    methods = ["GET", "PUT", "POST", "DELETE"]
    return Guard(Starlette(routes=[Route("/{rest:path}", answered, methods=methods)]), walk=walk)


RIG = "4be1f8a2-0d6c-4d4f-9a3e-6f5f3a1f0b7d"


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("GET", f"/walk/{RIG}", 200),
        ("GET", "/assets/index-abc.js", 200),
        ("GET", f"/api/rigs/{RIG}/walk", 200),
        ("PUT", f"/api/rigs/{RIG}/walk/ticks", 200),
        ("GET", "/", 403),
        ("GET", "/api/rigs", 403),
        ("GET", f"/api/rigs/{RIG}", 403),
        ("GET", f"/api/rigs/{RIG}/export", 403),
        ("PUT", f"/api/rigs/{RIG}/ticks", 403),
        ("PUT", f"/api/rigs/{RIG}/walkers", 403),
        ("DELETE", f"/api/rigs/{RIG}", 403),
        ("GET", f"/walk/{RIG}/%2e%2e/api/rigs", 403),
        ("GET", "/assets/%2e%2e%2fapi/rigs", 403),
        ("POST", f"/api/rigs/{RIG}/walk", 403),
    ],
)
@pytest.mark.parametrize("host", ["192.0.2.1:8460", "127.0.0.1:8460", "localhost:8460"])
def test_from_the_network_around_only_lists_are_walked_with(method: str, path: str, status: int, host: str) -> None:
    """Whatever host it claims to have asked for."""
    assert status_of(method, path, host, "192.0.2.7", walk=True) == status


def test_without_walking_nothing_is_answered_to_another_host() -> None:
    assert status_of("GET", f"/walk/{RIG}", "192.0.2.1:8460", "192.0.2.7", walk=False) == 400


def test_this_computer_itself_sees_everything_while_telephones_walk() -> None:
    assert status_of("GET", "/api/rigs", "127.0.0.1:8460", "127.0.0.1", walk=True) == 200
    # A page of somebody else's that has itself looked up as an address of this computer is from outside.
    assert status_of("GET", "/api/rigs", "elsewhere.example:8460", "127.0.0.1", walk=True) == 403


def status_of(method: str, path: str, host: str, client: str, *, walk: bool) -> int:
    """How a request is answered that comes from a client for a host, its path as it is written."""

    async def asked() -> int:
        transport = httpx.ASGITransport(guarded(walk=walk), client=(client, 40_000))
        async with httpx.AsyncClient(transport=transport, base_url=f"http://{host}") as outside:
            return (await outside.request(method, f"http://{host}{path}")).status_code

    # A browser of other tests may have a loop of its own in this thread.
    with ThreadPoolExecutor(1) as apart:
        return apart.submit(asyncio.run, asked()).result()
