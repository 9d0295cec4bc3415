"""One line check, from the queue to its ledger; whatever happens on the way, it ends or is taken up again."""

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError
from sqlmodel import Session

from iskelo.core.held import give_back
from iskelo.core.linecheck.faults import with_faults
from iskelo.core.linecheck.rows import Ledger
from iskelo.core.linecheck.run import CannotCheck, CheckResult, run_line_check
from iskelo.core.lines.context import read
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.run import Cancelled
from iskelo.formats.told_wav import TakeTold, told
from iskelo.formats.wav import write_wav
from iskelo.store import checks
from iskelo.store.revisions import Faulty, NoSuchRig, rig_at

log = logging.getLogger("iskelo")

TELL_EVERY_SECONDS = 0.15
DATABASE_AWAY_SECONDS = 120.0
"""So long a result is held for a database that is away; then the check is left to be run again."""

_ledger = TypeAdapter(Ledger)


class LineChecks:
    """Runs checks on one database; ``stopping`` ends the one that is under way."""

    def __init__(self, engine: Engine, stopping: threading.Event) -> None:
        self._engine, self._stopping = engine, stopping

    def run(self, check_id: str) -> None:
        """Run a check that is in the queue, or was left by another worker."""
        identity = UUID(check_id)
        with Session(self._engine) as session:
            row = checks.begin(session, identity, datetime.now(UTC))
            if row is None:
                return
            attempt, only = row.attempt, row.only
            about = (row.revision, row.number, row.made_at)
            keys = {key for key, _ in row.faults or ()}
            try:
                rig = rig_at(session, row.rig_id, row.revision)
            except (Faulty, NoSuchRig) as error:
                self._end(identity, attempt, "failed", str(error))
                return
        try:
            result = self._checked(identity, attempt, rig, only, keys)
            if result is not None:
                self._keep(identity, attempt, result, TakeTold(rig.name, *about, ()))
        finally:
            give_back()

    def _checked(
        self, identity: UUID, attempt: int, rig: Rig, only: list[str] | None, keys: set[str]
    ) -> CheckResult | None:
        """What a check found; None if it did not come to its end."""
        teller = _Teller(self._engine, identity, attempt, self._stopping)
        try:
            at_fault = with_faults(rig, read(rig), keys)[0] if keys else None
            return run_line_check(rig, teller, only=only, at_fault=at_fault)
        except Cancelled:
            if self._stopping.is_set():
                self._insist(lambda session: checks.put_back(session, identity, attempt))
        except CannotCheck as cannot:
            self._end(identity, attempt, "failed", str(cannot))
        except MemoryError:
            self._end(identity, attempt, "failed", "This computer has not enough memory for a check of this rig.")
        except Exception:
            log.exception("line check %s", identity)
            self._end(identity, attempt, "failed", "The check broke off; this is a fault in Iskelo, not in the rig.")
        return None

    def _end(self, identity: UUID, attempt: int, state: str, stage: str) -> None:
        self._insist(lambda session: checks.finish(session, identity, attempt, state, stage, datetime.now(UTC)))

    def _keep(self, identity: UUID, attempt: int, result: CheckResult, about: TakeTold) -> None:
        takes: dict[int, tuple[list[int], bytes]] = {}
        for rate_hz in sorted({channel.rate_hz for channel in result.take}):
            places = [place for place, channel in enumerate(result.take) if channel.rate_hz == rate_hz]
            wav = write_wav([result.take[place].samples for place in places], rate_hz)
            names = tuple(result.ledger.targets[place].name for place in places)
            takes[rate_hz] = (places, told(wav, replace(about, channels=names)))
        ledger = _ledger.dump_python(result.ledger, mode="json")
        self._insist(
            lambda session: checks.finish(
                session, identity, attempt, "done", "done", datetime.now(UTC), ledger=ledger, takes=takes
            )
        )

    def _insist(self, write: Callable[[Session], object]) -> None:
        """Write to the database, again and again while it is away; what is written twice counts once."""
        until = time.monotonic() + DATABASE_AWAY_SECONDS
        while True:
            try:
                with Session(self._engine) as session:
                    write(session)
                return
            except DBAPIError as error:
                if time.monotonic() > until or self._stopping.wait(1):
                    raise
                log.warning("a line check's result waits for the database: %s", error)


class _Teller:
    """Writes progress to the database now and then, and finds there whether to stop; a database that is away is not."""

    def __init__(self, engine: Engine, identity: UUID, attempt: int, stopping: threading.Event) -> None:
        self._engine, self._identity, self._attempt, self._stopping = engine, identity, attempt, stopping
        self._told = 0.0

    def __call__(self, share: float, stage: str) -> bool:
        if self._stopping.is_set():
            return False
        if time.monotonic() - self._told < TELL_EVERY_SECONDS:
            return True
        self._told = time.monotonic()
        try:
            with Session(self._engine) as session:
                return checks.tell_progress(session, self._identity, self._attempt, share, stage)
        except DBAPIError:
            return True
