"""What every endpoint of a rig begins with: the database, the time, the rig as it is now."""

import contextlib
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID

from fastapi import Depends, Request
from sqlalchemy.exc import DBAPIError
from sqlmodel import Session

from iskelo.api.surveys import surveyed
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Gear
from iskelo.core.survey import Surveyed
from iskelo.demo.catalogue import catalogue
from iskelo.store import rigs
from iskelo.store.catalogue import kept_gear


def session_of(request: Request) -> Iterator[Session]:
    """A database session for one request; what is not committed is rolled back."""
    session = Session(request.app.state.engine)
    try:
        yield session
    finally:
        # The answer is on its way by now; a database that dies at this point changes nothing in it.
        with contextlib.suppress(DBAPIError):
            session.close()


Database = Annotated[Session, Depends(session_of)]


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
