"""The browser: Debian's Chromium, one page a test, at the size the screens are drawn for."""

from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from server import Server

FLAGS = (
    "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync"
)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": FLAGS.split()}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, Any]:
    return {"viewport": {"width": 1280, "height": 800}, "accept_downloads": True}


@pytest.fixture
def screen(page: Page, server: Server, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A page on the list of rigs; whatever it complains of in its console fails the test."""
    complaints: list[str] = []
    page.on("pageerror", lambda error: complaints.append(str(error)))
    page.on("console", lambda said: complaints.append(said.text) if said.type == "error" else None)
    # A test fails for what is wrong, not for a slow machine.
    page.set_default_timeout(30_000)
    expect.set_options(timeout=20_000)
    page.goto(server.url)
    yield page
    # The browser notes refused edits (4xx) and a server that is away by itself; both are made on purpose.
    expected = ["the server responded with a status of 4", "WebSocket connection to"]
    if request.node.get_closest_marker("server_away"):
        expected += ["net::ERR_CONNECTION_REFUSED", "net::ERR_CONNECTION_RESET", "net::ERR_FAILED", "status of 503"]
    assert [each for each in complaints if not any(words in each for words in expected)] == []
