"""The queue of line checks, kept in PostgreSQL by procrastinate; a check and its job are made in one transaction."""

from typing import Any
from uuid import UUID

import procrastinate
from procrastinate.exceptions import ConnectorException
from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlmodel import Session

LINE_CHECK = "line-check"

HEARTBEAT_SECONDS = 1.0
STALLED_SECONDS = 10.0
"""A worker that was not heard of for so long is gone, and what it had in hand is taken up by another."""

_blueprint = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


def queue_check(session: Session, check_id: UUID) -> None:
    """Put a check in the queue, in the session's own transaction: both are kept, or neither."""
    connection: Any = session.connection().connection.driver_connection
    try:
        _blueprint.configure_task(LINE_CHECK, connection=connection).defer(check_id=str(check_id))
    except ConnectorException as error:
        # A database that goes away just here is away as anywhere else.
        raise OperationalError("queueing a line check", {}, error.__cause__ or error) from error


def jobless_checks(session: Session) -> list[UUID]:
    """Checks that are not finished and that no job stands for, as after a backup that was restored."""
    found = session.execute(
        text(
            "SELECT id FROM line_check WHERE state IN ('queued', 'running') AND NOT EXISTS (SELECT 1 "
            "FROM procrastinate_jobs WHERE status IN ('todo', 'doing') AND args->>'check_id' = line_check.id::text)"
        )
    ).all()
    return [row[0] for row in found]


def working(session: Session) -> int:
    """How many workers are there."""
    found = session.execute(
        text(
            "SELECT count(*) FROM procrastinate_workers WHERE last_heartbeat > now() - :stalled * interval '1 second'"
        ),
        {"stalled": STALLED_SECONDS},
    ).scalar_one()
    return int(found)
