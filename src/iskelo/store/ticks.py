"""Ticks of the set-up list: which steps were done in the room, by what they said then."""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import func
from sqlmodel import Session, col, select

from iskelo.store.rigs import rig_row
from iskelo.store.tables import TickRow

TICKS_AT_MOST = 20_000
"""A rig keeps so many; a list of a thousand steps that changes twenty times has as many."""


@dataclass(frozen=True, slots=True)
class Tick:
    """That a step was done: which, what it said, by whom if that was told, when."""

    step: str
    says: str
    by: str
    made_at: datetime


def ticks_of(session: Session, identity: UUID) -> list[Tick]:
    """Every tick of a rig, the oldest first."""
    rows = session.exec(select(TickRow).where(TickRow.rig_id == identity).order_by(col(TickRow.made_at))).all()
    return [Tick(row.step, row.says, row.by, row.made_at) for row in rows]


def ticks_mark(session: Session, identity: UUID) -> str:
    """Something that is another when the ticks of a rig are: how many there are, and when the last was made."""
    many, last = session.exec(
        select(func.count(), func.max(TickRow.made_at)).select_from(TickRow).where(TickRow.rig_id == identity)
    ).one()
    return f"{many} {last}"


def tick(session: Session, identity: UUID, step: str, says: str, by: str, now: datetime) -> None:
    """Tick a step off as it stands now; the same again only says by whom and when."""
    rig_row(session, identity, lock=True)
    row = session.get(TickRow, (identity, step, says)) or TickRow(
        rig_id=identity, step=step, says=says, by=by, made_at=now
    )
    row.by, row.made_at = by, now
    session.add(row)
    many = session.exec(select(func.count()).select_from(TickRow).where(TickRow.rig_id == identity)).one()
    if many > TICKS_AT_MOST:
        oldest = session.exec(
            select(TickRow).where(TickRow.rig_id == identity).order_by(col(TickRow.made_at)).limit(1)
        ).first()
        if oldest is not None:
            session.delete(oldest)
    session.commit()


def untick(session: Session, identity: UUID, step: str, says: str) -> None:
    """Take a tick away again."""
    rig_row(session, identity, lock=True)
    row = session.get(TickRow, (identity, step, says))
    if row is not None:
        session.delete(row)
    session.commit()


def walkers_tick(session: Session, identity: UUID, *, allowed: bool | None = None) -> bool:
    """Whether whoever walks with a rig's list may tick it off; or say so."""
    row = rig_row(session, identity, lock=allowed is not None)
    if allowed is not None:
        row.walkers_tick = allowed
        session.add(row)
        session.commit()
    return row.walkers_tick
