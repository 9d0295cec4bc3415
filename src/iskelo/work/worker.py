"""``./iskelo work``: take checks from the queue, one at a time, until told to stop; take up what others left."""

import asyncio
import contextlib
import logging
import os
import signal
import threading
import time
from collections.abc import Callable
from typing import Any

import procrastinate
from procrastinate.exceptions import ConnectorException
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError
from sqlmodel import Session

from iskelo.store import checks
from iskelo.store.database import answers, connect, libpq_url
from iskelo.store.queue import HEARTBEAT_SECONDS, LINE_CHECK, STALLED_SECONDS
from iskelo.work.line_checks import LineChecks

log = logging.getLogger("iskelo")

SWEEP_SECONDS = 3.0
PATIENCE_SECONDS = 4.0
GIVES_UP_SECONDS = 3600.0
"""A database that was away for so long does not come back, and a worker that waits for it is one that was forgotten."""
NICENESS = 5
"""Edits go first where a worker shares its computer with the server."""


def work(database_url: str, parent: int = 0) -> int:
    """Work until SIGINT or SIGTERM, or until the process ``parent`` is not ours any more (0: whoever it is)."""
    with contextlib.suppress(OSError):
        os.nice(NICENESS)
    engine = connect(database_url)
    try:
        asyncio.run(_work(database_url, engine, parent))
    finally:
        engine.dispose()
    return 0


async def _work(database_url: str, engine: Engine, parent: int) -> None:
    stopping, stop = threading.Event(), asyncio.Event()

    def end() -> None:
        stopping.set()
        stop.set()

    for sign in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        asyncio.get_running_loop().add_signal_handler(sign, end)
    line_checks = LineChecks(engine, stopping)
    gives_up_s = float(os.environ.get("ISKELO_TEST_GIVES_UP_SECONDS", GIVES_UP_SECONDS))
    there = time.monotonic()
    watch = asyncio.create_task(_watch(parent, end))
    while not stop.is_set():
        # A pool waits longer and longer between its attempts; a database that is back is to be found at once.
        patience: dict[str, Any] = {"timeout": PATIENCE_SECONDS, "reconnect_timeout": PATIENCE_SECONDS}
        connector = procrastinate.PsycopgConnector(conninfo=libpq_url(database_url), max_size=4, **patience)
        queue = procrastinate.App(connector=connector)
        queue.task(name=LINE_CHECK)(line_checks.run)
        try:
            await asyncio.to_thread(answers, engine)
            async with queue.open_async():
                there = time.monotonic()
                try:
                    await _take(queue, engine, stop)
                finally:
                    there = time.monotonic()
        except (ConnectorException, DBAPIError) as error:
            log.warning("line checks wait for the database: %s", str(error.__cause__ or error).strip().split("\n")[0])
        if time.monotonic() - there > gives_up_s:
            log.error("the database has been away for %.0f minutes; this worker ends", gives_up_s / 60)
            break
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(stop.wait(), 1)
    watch.cancel()


async def _take(queue: procrastinate.App, engine: Engine, stop: asyncio.Event) -> None:
    """Work on the queue until told to stop, or the database goes away."""
    worker = asyncio.create_task(
        queue.run_worker_async(
            install_signal_handlers=False,
            concurrency=1,
            delete_jobs="always",
            fetch_job_polling_interval=2,
            update_heartbeat_interval=HEARTBEAT_SECONDS,
            stalled_worker_timeout=STALLED_SECONDS,
        )
    )
    over = asyncio.Event()
    sweep = asyncio.create_task(_sweep(queue, engine, over))
    ended = asyncio.create_task(stop.wait())
    try:
        await asyncio.wait({worker, sweep, ended}, return_when=asyncio.FIRST_COMPLETED)
    finally:
        over.set()
        ended.cancel()
        worker.cancel()
        outcomes = await asyncio.gather(sweep, ended, worker, return_exceptions=True)
    for outcome in outcomes:
        if isinstance(outcome, Exception):
            raise outcome


async def _sweep(queue: procrastinate.App, engine: Engine, over: asyncio.Event) -> None:
    """Every few seconds, until it is over: jobs of workers that are gone are queued again, and checks that lost their
    job get one.
    """
    while not over.is_set():
        with Session(engine) as session:
            # One worker at a time: what another has just queued again, and somebody taken, is left alone.
            if await asyncio.to_thread(checks.may_sweep, session):
                for job in await queue.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
                    await queue.job_manager.retry_job(job)
                await asyncio.to_thread(checks.adopt, session)
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(over.wait(), SWEEP_SECONDS)


async def _watch(parent: int, end: Callable[[], None]) -> None:
    """End with the process that started us, however that ended."""
    while parent and os.getppid() == parent:
        await asyncio.sleep(0.5)
    if parent:
        end()
