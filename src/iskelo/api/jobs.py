"""Line checks as jobs kept in PostgreSQL: run one at a time, tell progress, stop when asked."""

import asyncio
import contextlib
import logging
import threading
import time
from collections.abc import AsyncIterator
from datetime import UTC, datetime
from uuid import UUID

import procrastinate
from pydantic import TypeAdapter
from sqlalchemy import Engine
from sqlmodel import Session

from iskelo.core.linecheck.faults import with_faults
from iskelo.core.linecheck.ledger import Ledger
from iskelo.core.linecheck.run import CannotCheck, CheckResult, run_line_check
from iskelo.core.lines.context import read
from iskelo.core.twin.run import Cancelled
from iskelo.formats.wav import write_wav
from iskelo.store import checks, rigs
from iskelo.store.database import libpq_url

log = logging.getLogger("iskelo")

TELL_EVERY_SECONDS = 0.15
ledger_adapter = TypeAdapter(Ledger)


class Jobs:
    """The queue and its one worker."""

    def __init__(self, database_url: str, engine: Engine) -> None:
        self._engine = engine
        self._stopping = threading.Event()
        self.queue = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=libpq_url(database_url)))
        self._task = self.queue.task(name="line-check")(self._run)

    async def start(self, check_id: UUID) -> None:
        """Put a check in the queue."""
        await self._task.defer_async(check_id=str(check_id))

    @contextlib.asynccontextmanager
    async def working(self) -> AsyncIterator[None]:
        """Work while the server runs; checks that an earlier stop cut off are run again."""
        async with self.queue.open_async():
            with Session(self._engine) as session:
                unfinished = checks.requeue_unfinished(session)
            for check_id in unfinished:
                await self.start(check_id)
            worker = asyncio.create_task(self._keep_working())
            try:
                yield
            finally:
                self._stopping.set()
                worker.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await worker

    async def _keep_working(self) -> None:
        while True:
            try:
                await self.queue.run_worker_async(install_signal_handlers=False, concurrency=1)
            except Exception as error:  # the database may be away for a while
                log.warning("line checks wait for the database: %s", error)
            await asyncio.sleep(1)

    def _run(self, check_id: str) -> None:
        identity = UUID(check_id)
        with Session(self._engine) as session:
            row = checks.begin(session, identity)
            if row is None:
                return
            rig, only = rigs.rig_at(session, row.rig_id, row.revision), row.only
            keys = {key for key, _ in row.faults or ()}
        at_fault = with_faults(rig, read(rig), keys)[0] if keys else None
        try:
            result = run_line_check(rig, self._progress(identity), only=only, at_fault=at_fault)
        except Cancelled:
            if not self._stopping.is_set():
                self._end(identity, "cancelled", "cancelled")
        except CannotCheck as cannot:
            self._end(identity, "failed", str(cannot))
        except Exception:
            log.exception("line check %s", check_id)
            self._end(identity, "failed", "The check broke off; this is a fault in Iskelo, not in the rig.")
        else:
            self._keep(identity, result)

    def _progress(self, identity: UUID) -> "_Teller":
        return _Teller(self._engine, identity, self._stopping)

    def _end(self, identity: UUID, state: str, stage: str) -> None:
        with Session(self._engine) as session:
            checks.finish(session, identity, state, stage, datetime.now(UTC))

    def _keep(self, identity: UUID, result: CheckResult) -> None:
        takes: dict[int, tuple[list[int], bytes]] = {}
        for rate_hz in sorted({channel.rate_hz for channel in result.take}):
            places = [place for place, channel in enumerate(result.take) if channel.rate_hz == rate_hz]
            takes[rate_hz] = (places, write_wav([result.take[place].samples for place in places], rate_hz))
        ledger = ledger_adapter.dump_python(result.ledger, mode="json")
        with Session(self._engine) as session:
            checks.finish(session, identity, "done", "done", datetime.now(UTC), ledger=ledger, takes=takes)


class _Teller:
    """Writes progress to the database now and then, and reads there whether to stop."""

    def __init__(self, engine: Engine, identity: UUID, stopping: threading.Event) -> None:
        self._engine, self._identity, self._stopping = engine, identity, stopping
        self._told = 0.0

    def __call__(self, share: float, stage: str) -> bool:
        if self._stopping.is_set():
            return False
        if time.monotonic() - self._told < TELL_EVERY_SECONDS:
            return True
        self._told = time.monotonic()
        with Session(self._engine) as session:
            return checks.tell_progress(session, self._identity, share, stage)
