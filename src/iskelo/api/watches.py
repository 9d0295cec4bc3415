"""What pages are told of a rig: looked up once for all of them, however many there are."""

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass, field
from uuid import UUID

from iskelo.store.news import News

LOOK_SECONDS = 30.0
"""A rig that is watched is looked at so often anyway, should news ever fail to come."""
PAUSE_SECONDS = 0.04
"""Between two looks: what is told in quick succession is seen at once."""

AWAY = json.dumps({"database": "does not answer"})

Told = asyncio.Queue[str | None]
"""What a page has not been sent yet, which is the newest or nothing; None: there is no such rig any more."""


@dataclass(slots=True)
class _Watch:
    """A rig that pages look at; ``told``: what all of them know, or are about to."""

    pages: set[Told] = field(default_factory=set)
    told: str | None = ""
    task: "asyncio.Task[None] | None" = None


class Watches:
    """The rigs that pages look at; ``look`` looks one up."""

    def __init__(self, news: News, look: Callable[[UUID], Awaitable[str | None]]) -> None:
        self._news, self._look = news, look
        self._watches: dict[UUID, _Watch] = {}

    @contextlib.asynccontextmanager
    async def of(self, rig: UUID) -> AsyncIterator[Told]:
        """What a page is to be told, from now on."""
        watch = self._watches.get(rig)
        if watch is None:
            watch = self._watches[rig] = _Watch()
            watch.task = asyncio.create_task(self._watched(rig, watch))
        page: Told = asyncio.Queue(maxsize=1)
        watch.pages.add(page)
        if watch.told != "":
            _tell(page, watch.told)
        try:
            yield page
        finally:
            watch.pages.discard(page)
            if not watch.pages and self._watches.get(rig) is watch:
                del self._watches[rig]
                assert watch.task is not None
                watch.task.cancel()

    async def _watched(self, rig: UUID, watch: _Watch) -> None:
        with self._news.of(rig) as woken:
            while True:
                woken.clear()
                try:
                    seen = await self._look(rig)
                except Exception:
                    seen = AWAY
                if seen != watch.told:
                    watch.told = seen
                    for page in tuple(watch.pages):
                        _tell(page, seen)
                await asyncio.sleep(PAUSE_SECONDS)
                with contextlib.suppress(TimeoutError):
                    await asyncio.wait_for(woken.wait(), LOOK_SECONDS)


def _tell(page: Told, seen: str | None) -> None:
    """The newest alone: a page that is slow is told no more for it."""
    with contextlib.suppress(asyncio.QueueEmpty):
        page.get_nowait()
    page.put_nowait(seen)
