"""Connections to the server: whoever opens one and does not ask is not waited for for ever."""

import asyncio
from typing import ClassVar

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_SECONDS = 5.0
"""A request's head comes within this time, or its connection is ended."""

HEAD_MAX_BYTES = 64 * 1024
HEADS_AT_MOST = 128
"""So many connections are waited for at a time; one more ends the one that waits longest."""


class PatientProtocol(HttpToolsProtocol):
    """HTTP/1.1 as Uvicorn speaks it, with bounds for requests of which only the beginning comes."""

    _waiting: ClassVar[dict["PatientProtocol", asyncio.TimerHandle]] = {}

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._wait_no_more()
        super().connection_lost(exc)

    def on_headers_complete(self) -> None:
        self._wait_no_more()
        super().on_headers_complete()

    def data_received(self, data: bytes) -> None:
        # The first bytes of another request on a connection that is kept.
        if self not in self._waiting and (self.cycle is None or self.cycle.response_complete):
            self._wait()
        if self in self._waiting:
            self._head_bytes += len(data)
        super().data_received(data)
        if self in self._waiting and self._head_bytes > HEAD_MAX_BYTES:
            self._give_up()

    def _wait(self) -> None:
        if len(self._waiting) >= HEADS_AT_MOST:
            next(iter(self._waiting))._give_up()
        self._head_bytes = 0
        self._waiting[self] = self.loop.call_later(HEAD_SECONDS, self._give_up)

    def _wait_no_more(self) -> None:
        timer = self._waiting.pop(self, None)
        if timer is not None:
            timer.cancel()

    def _give_up(self) -> None:
        self._wait_no_more()
        if not self.transport.is_closing():
            self.transport.close()
