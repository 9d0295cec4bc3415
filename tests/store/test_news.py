"""News of rigs: whoever waits is woken when PostgreSQL tells of a change, by whomever, and misses none."""

import asyncio
from uuid import UUID, uuid4

import psycopg
from sqlmodel import Session

from iskelo.core.edits.edit import SetValues
from iskelo.store import checks, rigs
from iskelo.store.database import libpq_url
from iskelo.store.news import News
from store.test_rigs import NOW, made

PATIENCE_SECONDS = 20


def rename(session: Session, rig: UUID, name: str) -> None:
    revision = rigs.read_rig(session, rig).revision
    rigs.edit_rig(session, rig, revision, (SetValues(item="rig", values={"name": name}),), NOW)


async def woken(event: asyncio.Event) -> None:
    await asyncio.wait_for(event.wait(), PATIENCE_SECONDS)
    event.clear()


async def _waiting_pages(session: Session, database_url: str) -> None:
    mine, other = made(session).id, made(session).id
    news = News(database_url)
    listening = asyncio.create_task(news.listen())
    with news.of(mine) as here, news.of(mine) as here_too, news.of(other) as elsewhere:
        # The connection stands.
        await asyncio.gather(woken(here), woken(here_too), woken(elsewhere))
        await asyncio.to_thread(rename, session, mine, "Two")
        await asyncio.gather(woken(here), woken(here_too))
        assert not elsewhere.is_set()
        check = await asyncio.to_thread(checks.start_check, session, mine, uuid4(), NOW)
        await woken(here)
        await asyncio.to_thread(checks.cancel, session, check.id, NOW)
        await woken(here)
        # Changes that come while nobody looks are told once he does.
        for name in ("Three", "Four", "Five"):
            await asyncio.to_thread(rename, session, mine, name)
        await woken(here)
        # The connection breaks: everybody looks, and again when it stands.
        with psycopg.connect(libpq_url(database_url), autocommit=True) as connection:
            connection.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                "WHERE query LIKE 'LISTEN%' AND datname = current_database()"
            )
        await asyncio.gather(woken(here), woken(elsewhere))
        await asyncio.gather(woken(here), woken(elsewhere))
        await asyncio.to_thread(rename, session, other, "Six")
        await woken(elsewhere)
    assert not news._waiting
    listening.cancel()


def test_whoever_waits_is_woken_by_any_change_and_after_any_break(session: Session, database_url: str) -> None:
    asyncio.run(_waiting_pages(session, database_url))
