"""Many at once, and some who mean harm: whoever breaks off frees what he had, and an edit comes through."""

import asyncio
import contextlib
import json
import select
import socket
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
import pytest
from starlette.types import Message, Receive
from websockets.sync.client import connect

from api.test_doors import raw
from big_rig import big_rig
from iskelo.api import bodies
from iskelo.api.bodies import TOGETHER_MAX_BYTES
from iskelo.api.connections import HEADS_AT_MOST
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import read
from iskelo.core.snags.registry import find_snags
from iskelo.demo.examples import EXAMPLES
from iskelo.formats.rig_file import write_rig
from server import Server
from store.takes import a_take

PATIENCE_SECONDS = 60.0


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=f"{server.url}/api", timeout=PATIENCE_SECONDS) as client:
        yield client


def renamed(api: httpx.Client, rig: str, name: str) -> int:
    """Rename a rig, as it is now; the status of the answer."""
    revision = api.get(f"/rigs/{rig}").json()["revision"]
    edits = [{"edit": "set", "item": "rig", "values": {"name": name}}]
    return api.post(f"/rigs/{rig}/edits", json={"revision": revision, "edits": edits}).status_code


def memory_bytes(server: Server) -> int:
    assert server.process is not None
    said = Path(f"/proc/{server.process.pid}/status").read_text()
    return 1024 * int(said.split("VmRSS:")[1].split()[0])


@pytest.mark.parametrize(
    "body",
    [b'"' + b'\\"' * 400_000, b'{"a":' + b'"\\' * 400_000, b"[" * 70 + b'"' * 400_001, b'{"n":"' + b"9" * 900_000],
    ids=["an open string", "open strings", "quotes", "digits"],
)
def test_no_body_however_made_holds_everybody_up(server: Server, body: bytes) -> None:
    """Each took hours when what bounds JSON went over it again and again; here nobody waits for it."""
    answer = httpx.post(f"{server.url}/api/rigs", content=body, timeout=PATIENCE_SECONDS)
    assert answer.status_code == 422
    answer = httpx.post(f"{server.url}/api/rigs/import", content=body, timeout=PATIENCE_SECONDS)
    assert answer.status_code == 422


def test_a_song_is_no_json(api: httpx.Client) -> None:
    """A Standard MIDI file with more bytes that look like brackets than JSON may have."""
    rig = api.post("/rigs", json={"name": "Song"}).json()["id"]
    state = api.post(f"/rigs/{rig}/phrase", json={"revision": 1, "text": "recorder 2 Longhand"}).json()
    program = next(gear["id"] for gear in state["rig"]["gear"] if gear["kind"] == "program")
    notes = b"".join(b"\x00\x90\x5b\x40\x60\x80\x5b\x40" for _ in range(400)) + b"\x00\xff\x2f\x00"
    song = b"MThd\x00\x00\x00\x06\x00\x00\x00\x01\x01\xe0MTrk" + len(notes).to_bytes(4, "big") + notes
    answer = api.post(f"/rigs/{rig}/programs/{program}/song", content=song)
    assert answer.status_code == 200, answer.text


def test_takes_that_were_broken_off_keep_nothing(server: Server, api: httpx.Client) -> None:
    """More than there are connections to the database; before, the sixteenth was answered 500."""
    check, size = a_take(server.database_url)
    for _ in range(40):
        with socket.create_connection(("127.0.0.1", server.port)) as connection:
            request = f"GET /api/checks/{check}/take.wav HTTP/1.1\r\nHost: localhost\r\n\r\n"
            connection.sendall(request.encode())
            assert connection.recv(100).startswith(b"HTTP/1.1 200")
    rig = api.post("/rigs", json={"name": "Beside"}).json()["id"]
    assert renamed(api, rig, "Renamed") == 200
    assert len(api.get(f"/checks/{check}/take.wav").content) == size


def test_takes_that_nobody_fetches_leave_room_for_everybody_else(server: Server, api: httpx.Client) -> None:
    """Whoever is slow to read holds no connection to the database meanwhile."""
    check, size = a_take(server.database_url)
    slow = []
    try:
        for _ in range(40):
            connection = socket.create_connection(("127.0.0.1", server.port))
            connection.sendall(f"GET /api/checks/{check}/take.wav HTTP/1.1\r\nHost: localhost\r\n\r\n".encode())
            slow.append(connection)
            assert connection.recv(100).startswith(b"HTTP/1.1 200")
        rig = api.post("/rigs", json={"name": "Beside"}).json()["id"]
        assert renamed(api, rig, "Renamed") == 200
        assert len(api.get(f"/checks/{check}/take.wav").content) == size
    finally:
        for connection in slow:
            connection.close()


def test_bundles_that_were_broken_off_keep_nothing(server: Server, api: httpx.Client) -> None:
    rig = api.post("/rigs", json={"example": "two-voices-on-one-box"}).json()["id"]
    for _ in range(20):
        with socket.create_connection(("127.0.0.1", server.port)) as connection:
            connection.sendall(f"GET /api/rigs/{rig}/bundle HTTP/1.1\r\nHost: localhost\r\n\r\n".encode())
            assert connection.recv(100).startswith(b"HTTP/1.1 200")
    assert renamed(api, rig, "Renamed") == 200


def test_heads_of_which_only_the_beginning_comes_are_not_waited_for(server: Server, api: httpx.Client) -> None:
    """More of them than are waited for: the first ones are let go of at once, the last after their time."""
    halves = []
    try:
        for _ in range(HEADS_AT_MOST + 20):
            connection = socket.create_connection(("127.0.0.1", server.port))
            connection.sendall(b"POST /api/rigs HTTP/1.1\r\nHost: localhost\r\nX: ")
            halves.append(connection)
        assert api.get("/health").status_code == 200
        for connection in halves:
            connection.settimeout(PATIENCE_SECONDS)
            assert connection.recv(100) == b""
    finally:
        for connection in halves:
            connection.close()


def test_a_head_without_end_is_not_read_for_ever(server: Server) -> None:
    with socket.create_connection(("127.0.0.1", server.port)) as connection:
        connection.settimeout(PATIENCE_SECONDS)
        connection.sendall(b"GET /api/rigs HTTP/1.1\r\nHost: localhost\r\n")
        with contextlib.suppress(ConnectionResetError, BrokenPipeError):
            for number in range(100_000):
                connection.sendall(b"X-%d: %s\r\n" % (number, b"x" * 1000))
            pytest.fail("it read a hundred megabytes")
    assert b"200" in raw(server, b"GET /api/health HTTP/1.1\r\nHost: localhost\r\n\r\n")


def test_half_bodies_are_held_up_to_a_bound_and_then_refused(server: Server, api: httpx.Client) -> None:
    api.get("/health")
    before = memory_bytes(server)
    part = b"x" * 1_000_000
    halves = []
    try:
        for _ in range(2 * TOGETHER_MAX_BYTES // len(part)):
            connection = socket.create_connection(("127.0.0.1", server.port))
            connection.sendall(b"POST /api/rigs HTTP/1.1\r\nHost: localhost\r\nContent-Length: 1500000\r\n\r\n" + part)
            halves.append(connection)
        assert api.get("/health").status_code == 200
        # Whoever was answered by now found no room, or on a slow machine came too slowly.
        answered = [connection.recv(12)[9:12] for connection in select.select(halves, [], [], 1.0)[0]]
        assert set(answered) <= {b"503", b"408"}
        assert answered, "all of them are held"
        assert memory_bytes(server) - before < 2 * TOGETHER_MAX_BYTES
    finally:
        for connection in halves:
            connection.close()
    assert api.post("/rigs", json={"name": "After"}).status_code == 201


def test_a_body_that_does_not_come_is_waited_for_no_longer_than_it_may_take(monkeypatch: pytest.MonkeyPatch) -> None:
    """Both: one that stops, and one of which a byte comes now and then."""
    monkeypatch.setattr(bodies, "FIRST_SECONDS", 0.3)

    async def never() -> Message:
        await asyncio.sleep(PATIENCE_SECONDS)
        raise AssertionError

    async def drops() -> Message:
        await asyncio.sleep(0.01)
        return {"type": "http.request", "body": b"x", "more_body": True}

    async def taken(receive: Receive) -> int:
        with bodies.Bodies().taken(receive, 1000) as bounded:
            try:
                while True:
                    await bounded()
            except bodies.Unwanted as unwanted:
                return unwanted.refusal.status

    assert asyncio.run(taken(never)) == 408
    assert asyncio.run(taken(drops)) == 408


def test_bodies_are_held_as_long_as_there_is_room_for_all_of_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bodies, "TOGETHER_MAX_BYTES", 1500)

    async def part() -> Message:
        return {"type": "http.request", "body": b"x" * 1000, "more_body": True}

    async def two() -> int:
        room = bodies.Bodies()
        with room.taken(part, 5000) as first:
            await first()
            with pytest.raises(bodies.Unwanted) as refused, room.taken(part, 5000) as second:
                await second()
        # Both have gone: there is room again.
        with room.taken(part, 5000) as third:
            await third()
        return refused.value.refusal.status

    assert asyncio.run(two()) == 503


def workers_aside(server: Server) -> int:
    """How many processes of long work this server has."""
    assert server.process is not None

    def children(process: str | int) -> list[str]:
        found = []
        for task in Path(f"/proc/{process}/task").iterdir():
            found += (task / "children").read_text().split()
        return found

    # They are forked by one of its own.
    return sum(len(children(child)) for child in children(server.process.pid))


def until_none_is_at_work(server: Server) -> None:
    until = time.monotonic() + PATIENCE_SECONDS
    while workers_aside(server):
        assert time.monotonic() < until, "work goes on for nobody"
        time.sleep(0.1)


def test_long_work_is_done_once_ends_with_who_asked_and_an_edit_comes_through(
    server: Server, api: httpx.Client
) -> None:
    """The plan of a large rig, asked for by many, who then leave."""
    unplugged = big_rig(256)
    unplugged = unplugged.model_copy(update={"patches": ()})
    large = api.post("/rigs/import", content=write_rig(unplugged)).json()["id"]
    small = api.post("/rigs", json={"name": "Small"}).json()["id"]
    asking = []
    try:
        for _ in range(12):
            connection = socket.create_connection(("127.0.0.1", server.port))
            connection.sendall(f"GET /api/rigs/{large}/plan HTTP/1.1\r\nHost: localhost\r\n\r\n".encode())
            asking.append(connection)
        until = time.monotonic() + PATIENCE_SECONDS
        while not workers_aside(server):
            assert time.monotonic() < until, "nothing is at work"
            time.sleep(0.02)
        assert workers_aside(server) == 1
        assert renamed(api, small, "While it is planned") == 200
    finally:
        for connection in asking:
            connection.close()
    until_none_is_at_work(server)


def test_long_work_that_ends_answers_everybody_who_asked(api: httpx.Client) -> None:
    rig = api.post("/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
    with ThreadPoolExecutor(8) as many:
        answers = list(many.map(lambda _: api.get(f"/rigs/{rig}/plan").json(), range(8)))
    assert answers[0]["edits"]
    assert all(answer == answers[0] for answer in answers)


def test_every_snag_of_every_example_has_its_remedies_worked_out_also_with_any_box_not_connected(
    api: httpx.Client,
) -> None:
    """One of them was answered 500: what it was to be offered could not be put into a set."""
    tried = 0
    for make in EXAMPLES.values():
        rig = make()
        for box in [gear for gear in rig.gear if gear.kind == "interface" and gear.cable is None]:
            off = apply(rig, (SetValues(item=box.id, values={"connected": False}),)).rig
            inserts = [snag.key for snag in find_snags(read(off)) if snag.key.startswith("insert")]
            if not inserts:
                continue
            sent = api.post("/rigs/import", content=write_rig(off)).json()["id"]
            for key in inserts:
                assert api.get(f"/rigs/{sent}/remedies", params={"snag": key}).status_code == 200, key
                tried += 1
    assert tried


def test_news_reach_every_page_and_are_the_same_for_all(server: Server, api: httpx.Client) -> None:
    rig = api.post("/rigs", json={"name": "Watched"}).json()["id"]
    where = f"{server.url.replace('http', 'ws')}/api/rigs/{rig}/events"
    with contextlib.ExitStack() as opened:
        pages = [opened.enter_context(connect(where)) for _ in range(60)]
        first = {page.recv(timeout=PATIENCE_SECONDS) for page in pages}
        assert {json.loads(each)["revision"] for each in first} == {1}
        assert renamed(api, rig, "Renamed") == 200
        assert {json.loads(page.recv(timeout=PATIENCE_SECONDS))["revision"] for page in pages} == {2}
    # The last one has gone: who comes now is told anew.
    with connect(where) as page:
        assert json.loads(page.recv(timeout=PATIENCE_SECONDS))["revision"] == 2


@pytest.mark.parametrize("form", ["urn:uuid:{}", "{{{}}}", "{}"])
def test_a_rig_that_has_moved_on_says_so_by_whatever_form_of_its_address(api: httpx.Client, form: str) -> None:
    rig = api.post("/rigs", json={"name": "Stale"}).json()["id"]
    assert renamed(api, rig, "Newer") == 200
    edits = [{"edit": "set", "item": "rig", "values": {"name": "Older"}}]
    answer = api.post(f"/rigs/{form.format(rig)}/edits", json={"revision": 1, "edits": edits})
    assert answer.status_code == 409
    assert answer.json()["state"]["rig"]["name"] == "Newer"


def test_names_whose_small_letters_the_database_sees_otherwise_are_one(api: httpx.Client) -> None:
    """Python makes two letters of a small İ, PostgreSQL one: kept twice, it was said that the database is away."""
    state: dict[str, Any] = api.post("/rigs", json={"name": "Letters"}).json()
    state = api.post(f"/rigs/{state['id']}/phrase", json={"revision": 1, "text": "box 8x8 İSKELE"}).json()
    box = state["rig"]["gear"][0]["id"]
    for _ in range(2):
        assert api.post("/catalogue", json={"rig": state["id"], "gear": box}).status_code == 201
    part = {"rig": state["id"], "name": "İSKELE", "pieces": [box]}
    assert api.post("/parts", json=part).status_code == 201
    again = api.post("/parts", json=part)
    assert (again.status_code, again.json()["place"]) == (422, "part")


def test_what_cannot_be_kept_is_told_as_that(api: httpx.Client) -> None:
    answer = api.get("/rigs", params={"find": "\x00"})
    assert answer.status_code in (200, 422)
    assert "database" not in answer.text


EVERYTHING = ("plan", "ports", "ladders", "faults", "sheets", "set-up-list", "mixers/none")


def test_while_many_ask_for_everything_an_edit_comes_through(server: Server, api: httpx.Client) -> None:
    """Twenty clients that never stop asking: the edits of another are all answered, and nobody is answered 5xx."""
    busy = api.post("/rigs", json={"example": "orrin-point-rehearsal"}).json()["id"]
    mine = api.post("/rigs", json={"name": "Mine"}).json()["id"]
    over = threading.Event()
    answered: list[int] = []

    def ask(number: int) -> None:
        with httpx.Client(base_url=f"{server.url}/api/rigs/{busy}", timeout=PATIENCE_SECONDS) as client:
            while not over.is_set():
                for path in ("plan", "ports", "ladders", "faults", "sheets", "set-up-list", "mixers/none")[
                    number % 3 :
                ]:
                    answered.append(client.get(f"/{path}").status_code)

    with ThreadPoolExecutor(20) as many:
        asking = [many.submit(ask, number) for number in range(20)]
        for number in range(8):
            assert renamed(api, mine, f"Mine {number}") == 200
        over.set()
        for each in asking:
            each.result()
    assert answered
    assert max(answered) < 500
