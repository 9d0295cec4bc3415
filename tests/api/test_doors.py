"""The doors of the server: who may call it by which name, from which page, with what; and what every answer carries."""

import io
import json
import socket
import time
from pathlib import Path

import httpx
import openpyxl
import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from iskelo.api.guards import BODY_MAX_BYTES, host_of
from iskelo.api.openapi import contract
from server import Server


def raw(server: Server, request: bytes) -> bytes:
    """What the server answers to bytes that no client would send; its first line."""
    with socket.create_connection(("127.0.0.1", server.port), timeout=20) as connection:
        connection.sendall(request)
        answer = b""
        while b"\r\n" not in answer and (part := connection.recv(4096)):
            answer += part
    return answer.split(b"\r\n")[0]


HOSTS = [
    b"elsewhere.example",
    b"[",
    b"[::1",
    b"]",
    b"[::1]x",
    b"127.0.0.1:notaport",
    b"127.0.0.1:99999999",
    b"127.0.0.1@elsewhere.example",
    b"localhost.elsewhere.example",
    b"testserver",
    b"127.0.0.1, elsewhere.example",
    b"\xff\xfe",
    b"0x7f000001",
    b"[fe80::1%25eth0]",
    b"",
    b" ",
    b"a" * 5000,
]


@pytest.mark.parametrize("host", HOSTS)
def test_odd_hosts_are_refused_and_never_a_server_error(server: Server, host: bytes) -> None:
    for method, path in ((b"GET", b"/api/rigs"), (b"POST", b"/api/rigs"), (b"GET", b"/")):
        line = raw(server, method + b" " + path + b" HTTP/1.1\r\nHost: " + host + b"\r\nContent-Length: 0\r\n\r\n")
        assert line.split()[1] in (b"400", b"431"), line


@pytest.mark.parametrize(
    "host", [b"127.0.0.1", b"localhost", b"LOCALHOST:80", b"[::1]:8460", b"127.0.0.2", b"localhost."]
)
def test_this_computers_own_names_are_taken(server: Server, host: bytes) -> None:
    assert raw(server, b"GET /api/health HTTP/1.1\r\nHost: " + host + b"\r\n\r\n").split()[1] == b"200"


def test_two_hosts_or_none_are_refused(server: Server) -> None:
    both = b"GET /api/health HTTP/1.1\r\nHost: localhost\r\nHost: elsewhere.example\r\n\r\n"
    assert raw(server, both).split()[1] == b"400"
    assert raw(server, b"GET /api/health HTTP/1.1\r\n\r\n").split()[1] == b"400"
    assert (
        raw(server, b"POST /api/rigs HTTP/1.1\r\nHost: localhost\r\nContent-Length: many\r\n\r\n").split()[1] == b"400"
    )


@pytest.mark.parametrize(
    "origin",
    [
        "http://elsewhere.example",
        "null",
        "http://[",
        "https://{here}",
        "http://{here}.elsewhere.example",
        "",
        "\u00ff",
        "//{here}",
    ],
)
def test_changes_are_taken_from_our_own_pages_only(server: Server, origin: str) -> None:
    here = f"127.0.0.1:{server.port}"
    said = origin.format(here=here)
    answer = httpx.post(f"{server.url}/api/rigs", json={"name": "x"}, headers={"Origin": said.encode("latin-1")})
    assert answer.status_code == 403
    assert answer.headers["content-type"] == "application/problem+json"
    assert httpx.get(f"{server.url}/api/rigs", headers={"Origin": said.encode("latin-1")}).status_code == 200


@pytest.mark.parametrize(
    ("host", "origin"), [("elsewhere.example", None), ("[", None), (None, "null"), (None, "http://[")]
)
def test_sockets_of_odd_hosts_and_origins_are_refused(server: Server, host: str | None, origin: str | None) -> None:
    where = f"{server.url.replace('http', 'ws')}/api/rigs/{'0' * 8}-0000-4000-8000-{'0' * 12}/events"
    headers = {"Host": host} if host else None
    with (
        pytest.raises((InvalidStatus, ConnectionClosed)) as refused,
        connect(where, origin=origin, additional_headers=headers) as opened,
    ):
        opened.recv(timeout=10)
    assert "500" not in str(refused.value)


def test_every_answer_says_what_a_page_may_do(server: Server) -> None:
    for path in ("/", "/api/rigs", "/api/rigs/none", "/assets/none.js", "/rigs/any/lines"):
        headers = httpx.get(f"{server.url}{path}").headers
        policy = headers["content-security-policy"]
        assert "default-src 'self'" in policy
        assert "frame-ancestors 'none'" in policy
        assert "script-src" not in policy
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["referrer-policy"] == "no-referrer"
        assert headers["x-frame-options"] == "DENY"
    assert "access-control-allow-origin" not in headers
    refused = httpx.get(f"{server.url}/api/rigs", headers={"Host": "elsewhere.example"})
    assert refused.headers["x-content-type-options"] == "nosniff"


@pytest.mark.parametrize(
    "path", ["/api", "/api/", "/api/none", "/api/rigs/x/y/z", "/assets/none.js", "/api/../api/none"]
)
def test_unknown_addresses_of_the_api_are_problems_and_not_the_screens_page(server: Server, path: str) -> None:
    line = raw(server, f"GET {path} HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n".encode())
    assert line.split()[1] == b"404"
    answer = httpx.get(f"{server.url}/api/none")
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["detail"] == "There is nothing at /api/none."
    wrong = httpx.put(f"{server.url}/api/rigs")
    assert wrong.status_code == 405
    assert wrong.json()["detail"] == "This address does not take that method."
    assert wrong.headers["allow"]


def test_the_contract_tells_of_problems_with_their_own_media_type() -> None:
    document = json.loads(contract())
    assert document["components"]["schemas"]["Problem"]["properties"].keys() >= {"title", "status", "detail", "place"}
    described = 0
    for methods in document["paths"].values():
        for operation in methods.values():
            for status, answer in operation["responses"].items():
                if status >= "400":
                    assert list(answer["content"]) == ["application/problem+json"]
                    described += 1
    assert described > 200
    assert "HTTPValidationError" not in json.dumps(document["paths"])


HEAVY = [
    ('{"revision":1,"edits":[' + "1," * 300_000 + "1]}", "more than 200000 values"),
    ('{"revision":' + "9" * 5000 + ',"edits":[]}', "a number of more than 64 digits"),
    ('{"revision":1,"edits":' + "[" * 5000 + "]" * 5000 + "}", "nested more than 64 deep"),
    ('{"revision":1e' + "9" * 400 + ',"edits":[]}', "digits"),
]


@pytest.mark.parametrize(("body", "reason"), HEAVY)
def test_json_that_is_too_much_is_refused_before_it_is_taken_apart(server: Server, body: str, reason: str) -> None:
    rig = httpx.post(f"{server.url}/api/rigs", json={"name": "Heavy"}).json()["id"]
    answer = httpx.post(
        f"{server.url}/api/rigs/{rig}/edits", content=body, headers={"Content-Type": "application/json"}
    )
    assert answer.status_code == 422
    assert reason in answer.json()["detail"]


def test_a_body_may_be_so_large_and_no_larger(server: Server) -> None:
    body = b'{"name":"' + b"x" * BODY_MAX_BYTES + b'"}'
    answer = httpx.post(f"{server.url}/api/rigs", content=body, headers={"Content-Type": "application/json"})
    assert answer.status_code == 413
    assert "At most 2 MiB" in answer.json()["detail"]


RIG = '{"format":"iskelo rig","gear":['


@pytest.mark.parametrize("many", [RIG + "1," * 400_000 + "1]}", RIG + "[1]," * 100_000 + "[1]]}"])
def test_a_file_of_rubbish_holds_nobody_else_up(server: Server, many: str) -> None:
    """While it is refused, others are answered; before, everybody waited for eleven seconds."""
    answer = httpx.post(f"{server.url}/api/rigs/import", content=many, timeout=60)
    assert answer.status_code == 422
    assert answer.json()["place"].startswith("gear")


def test_a_number_of_5000_digits_in_a_file_is_refused_in_words(server: Server) -> None:
    answer = httpx.post(f"{server.url}/api/rigs/import", content='{"next_number":' + "1" * 5000 + "}", timeout=60)
    assert answer.status_code == 422
    assert "a number of more than 64 digits" in answer.json()["detail"]


def test_counts_of_ids_and_names_of_addresses_are_bounded(server: Server) -> None:
    rig = httpx.post(f"{server.url}/api/rigs", json={"name": "Bounds"}).json()["id"]
    many = httpx.post(f"{server.url}/api/rigs/{rig}/checks", json={"only": ["l1"] * 2000})
    assert many.status_code == 422
    ids = [{"edit": "add_sources", "names": ["Alma"], "ids": ["s1"] * 2000}]
    assert httpx.post(f"{server.url}/api/rigs/{rig}/edits", json={"revision": 1, "edits": ids}).status_code == 422
    long = httpx.get(f"{server.url}/api/rigs/{rig}/lines/{'l' * 3000}/ways")
    assert long.status_code == 422


@pytest.mark.parametrize("name", ["\u202eamlA", "Al\u200bma", "\ufeffAlma", "A\u2066lma\u2069"])
def test_names_lose_what_cannot_be_seen(server: Server, name: str) -> None:
    answer = httpx.post(f"{server.url}/api/rigs", json={"name": name})
    assert answer.status_code == 201
    assert answer.json()["rig"]["name"] in ("Alma", "amlA")


@pytest.mark.parametrize("name", ["\u200b", "\u202e\u202d", "\u3164", "\u2800\u2800", "\u00a0", "\u200d"])
def test_names_made_of_nothing_that_can_be_seen_are_refused(server: Server, name: str) -> None:
    answer = httpx.post(f"{server.url}/api/rigs", json={"name": name})
    assert answer.status_code == 422
    assert "at least one character" in answer.json()["detail"]


def test_what_a_client_has_left_is_not_worked_on(server: Server) -> None:
    """A workbook is read by a process of its own; it is ended when who sent it goes away."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for number in range(900):
        sheet.append([f"Source {number}", *["x" * 30] * 250])
    file = io.BytesIO()
    book.save(file)
    rig = httpx.post(f"{server.url}/api/rigs", json={"name": "Left"}).json()["id"]
    where = f"{server.url}/api/rigs/{rig}/input-list/read"
    with pytest.raises(httpx.TimeoutException):
        httpx.post(where, content=file.getvalue(), timeout=httpx.Timeout(10, read=0.4))
    until = time.monotonic() + 8
    while readers(server):
        assert time.monotonic() < until, "the reader still works for nobody"
        time.sleep(0.1)


def readers(server: Server) -> list[str]:
    """The processes that read a file for this server."""
    assert server.process is not None
    children = Path(f"/proc/{server.process.pid}/task/{server.process.pid}/children").read_text().split()
    found = []
    for child in children:
        try:
            words = Path(f"/proc/{child}/cmdline").read_bytes()
        except OSError:
            continue
        if b"iskelo.formats.apart" in words:
            found.append(child)
    return found


def test_host_headers_are_read_by_their_grammar() -> None:
    assert host_of("127.0.0.1:8460") == ("127.0.0.1", 8460)
    assert host_of("[::1]") == ("::1", None)
    assert host_of("LocalHost.") == ("localhost", None)
    assert [host_of(odd) for odd in ("[", "a b", "", "a:b", "a@b", "a/b")] == [None] * 6
