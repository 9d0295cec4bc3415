"""What every endpoint of a rig begins with: the database, the time, the rig as it is now."""

import contextlib
import functools
from collections.abc import AsyncIterator, Callable, Coroutine, Hashable
from datetime import UTC, datetime
from typing import Annotated, Any, ParamSpec, TypeVar
from uuid import UUID

from anyio import CapacityLimiter, to_thread
from anyio.lowlevel import RunVar
from fastapi import Depends, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError
from sqlmodel import Session

from iskelo.api.at_work import LongWork, long_work
from iskelo.api.surveys import surveyed
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Gear
from iskelo.core.survey import Surveyed
from iskelo.demo.catalogue import catalogue
from iskelo.store import rigs
from iskelo.store.catalogue import kept_gear

Given = ParamSpec("Given")
Answer = TypeVar("Answer")


async def session_of(request: Request) -> AsyncIterator[Session]:
    """A database session for one request; what is not committed is rolled back."""
    async with _limiter(_reading), _session(request.app.state.engine) as session:
        yield session


async def edit_session_of(request: Request) -> AsyncIterator[Session]:
    """The same for an edit: with connections that nobody else takes."""
    async with _limiter(_editing), _session(request.app.state.edits_engine) as session:
        yield session


@contextlib.asynccontextmanager
async def _session(engine: Engine) -> AsyncIterator[Session]:
    session = Session(engine)
    try:
        yield session
    finally:
        # The answer is known by now; a database that dies at this point changes nothing in it.
        with contextlib.suppress(DBAPIError):
            if session.in_transaction():
                await to_thread.run_sync(session.close, limiter=_limiter(_closing))


# Given back before the answer is sent: whoever is slow to take it, or leaves, holds no connection.
Database = Annotated[Session, Depends(session_of, scope="function")]
EditDatabase = Annotated[Session, Depends(edit_session_of, scope="function")]

READING_AT_ONCE = 3
"""So many requests that are no edits are worked on at a time: all of them share one interpreter with the edits."""
SESSIONS_AT_ONCE = 8
"""So many of them have a session; a connection to the database is held until the answer is written down."""
EDITING_AT_ONCE = 4

_reading: RunVar[CapacityLimiter] = RunVar("reading")
_editing: RunVar[CapacityLimiter] = RunVar("editing")
_working: RunVar[CapacityLimiter] = RunVar("working")
_closing: RunVar[CapacityLimiter] = RunVar("closing")


def _limiter(of: RunVar[CapacityLimiter]) -> CapacityLimiter:
    """The places of one event loop: whoever finds none waits in line."""
    try:
        return of.get()
    except LookupError:
        made = CapacityLimiter(SESSIONS_AT_ONCE if of is _reading else EDITING_AT_ONCE)
        of.set(made)
        return made


def at_once(endpoint: Callable[Given, Answer]) -> Callable[Given, Coroutine[Any, Any, Answer]]:
    """An endpoint that edits: it waits behind no request but other edits."""

    @functools.wraps(endpoint)
    async def first(*given: Given.args, **named: Given.kwargs) -> Answer:
        return await to_thread.run_sync(functools.partial(endpoint, *given, **named), limiter=_limiter(_working))

    return first


async def aside(request: Request, rig_id: UUID, work: LongWork, *given: Hashable) -> Response:
    """Have long work done on a rig as it is now, in another process (see ``aside.py``); it answers with JSON."""
    engine = request.app.state.engine

    def kept() -> rigs.Kept:
        with Session(engine) as session:
            return rigs.read_rig(session, rig_id)

    rig = await run_in_threadpool(kept)
    what = (rig.shown, work, given)
    said = await request.app.state.aside.ask(request, rig_id, what, functools.partial(long_work, work, rig.rig, *given))
    return Response(said, media_type="application/json")


def now() -> datetime:
    return datetime.now(UTC)


def known_of(session: Session, rig_id: UUID) -> Surveyed:
    """The rig as it is now, with everything known of it."""
    return surveyed(rig_id, rigs.read_rig(session, rig_id).rig)


def state_of_line(reading: Reading, line_id: str) -> LineState:
    """A line as it is now; refused in words if there is none."""
    state = next((each for each in reading.lines if each.line.id == line_id), None)
    if state is None:
        raise Refused("line", "there is no such line in this rig; it may have been removed")
    return state


def stock(session: Session) -> tuple[Gear, ...]:
    """Everything in the catalogue, what somebody kept first."""
    return (*(each.gear for each in kept_gear(session)), *catalogue())
