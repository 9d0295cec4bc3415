"""News of rigs as PostgreSQL tells them: one connection listens for a whole server, pages wait at what it hears."""

import asyncio
import contextlib
from collections.abc import Iterator
from uuid import UUID

import psycopg

from iskelo.store.database import libpq_url

CHANNEL = "iskelo_news"
AGAIN_SECONDS = 1.0
"""A database that is away is asked again so often."""


class News:
    """Wakes whoever waits for a rig when it, or a check of it, has moved on; everybody when the database comes or goes.

    Nothing is told but that there is something: who is woken looks for himself, so news that come while he looks are
    not missed, and many of them at once are one.
    """

    def __init__(self, database_url: str) -> None:
        self._url = libpq_url(database_url)
        self._waiting: dict[UUID, set[asyncio.Event]] = {}

    @contextlib.contextmanager
    def of(self, rig: UUID) -> Iterator[asyncio.Event]:
        """Set whenever there may be something new of a rig; whoever has seen it clears it."""
        woken = asyncio.Event()
        self._waiting.setdefault(rig, set()).add(woken)
        try:
            yield woken
        finally:
            left = self._waiting[rig]
            left.discard(woken)
            if not left:
                del self._waiting[rig]

    async def listen(self) -> None:
        """Listen until cancelled; a connection that breaks is made again."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self._url, autocommit=True) as connection:
                    await connection.execute(f"LISTEN {CHANNEL}")
                    # What was told while nobody listened.
                    self._wake_all()
                    async for told in connection.notifies():
                        self._wake(told.payload)
            except (psycopg.Error, OSError):
                self._wake_all()
                await asyncio.sleep(AGAIN_SECONDS)

    def _wake(self, payload: str) -> None:
        with contextlib.suppress(ValueError):
            for woken in self._waiting.get(UUID(payload), ()):
                woken.set()

    def _wake_all(self) -> None:
        for some in self._waiting.values():
            for woken in some:
                woken.set()
