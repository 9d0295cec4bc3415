"""Line checks and their takes, as they are kept."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, text, update
from sqlmodel import Session, col, select

from iskelo.store.rigs import NoSuchRig
from iskelo.store.tables import CheckRow, RigRow, TakeRow

TAKES_KEPT = 5
"""Sound is kept of so many newest checks of a rig; ledgers of all."""

UNFINISHED = ("queued", "running")


class NoSuchCheck(LookupError):
    """There is no line check with this id, or no take of it is kept."""


def start_check(
    session: Session,
    rig_id: UUID,
    identity: UUID,
    now: datetime,
    only: list[str] | None = None,
    faults: list[list[str]] | None = None,
) -> CheckRow:
    """Queue a check of the rig as it is now, of all lines or of some; with faults, by key and in words, if any."""
    rig = session.get(RigRow, rig_id, with_for_update=True)
    if rig is None:
        raise NoSuchRig(str(rig_id))
    number = 1 + (session.exec(select(func.max(CheckRow.number)).where(CheckRow.rig_id == rig_id)).one() or 0)
    row = CheckRow(
        id=identity,
        rig_id=rig_id,
        number=number,
        revision=rig.head,
        state="queued",
        stage="waiting",
        made_at=now,
        only=only,
        faults=faults,
    )
    session.add(row)
    session.commit()
    session.refresh(row)
    return row


def read_check(session: Session, identity: UUID) -> CheckRow:
    row = session.get(CheckRow, identity)
    if row is None:
        raise NoSuchCheck(str(identity))
    return row


def newest_check(session: Session, rig_id: UUID) -> CheckRow | None:
    return session.exec(
        select(CheckRow).where(CheckRow.rig_id == rig_id).order_by(col(CheckRow.number).desc()).limit(1)
    ).first()


def checked_lines(session: Session, rig_id: UUID) -> dict[str, tuple[str, bool]]:
    """By line id: the mark it had in the newest finished check of it, and whether it was found as wanted.

    Checks of some lines stand beside the last one of all. Those with faults prove nothing.
    """
    done = (CheckRow.rig_id == rig_id, CheckRow.state == "done", col(CheckRow.faults).is_(None))
    whole = session.exec(select(func.max(CheckRow.number)).where(*done, col(CheckRow.only).is_(None))).one() or 0
    ledgers = session.exec(
        select(CheckRow.ledger).where(*done, col(CheckRow.number) >= whole).order_by(col(CheckRow.number))
    ).all()
    found: dict[str, tuple[str, bool]] = {}
    for ledger in ledgers:
        for line in ledger["lines"] if ledger else []:
            found[line["line"]] = (line["mark"], line["proved"])
    return found


def begin(session: Session, identity: UUID) -> CheckRow | None:
    """Take a queued check in hand; None if it is not there or not queued any more."""
    row = session.get(CheckRow, identity, with_for_update=True)
    if row is None or row.state != "queued":
        return None
    row.state = "cancelled" if row.cancel_wanted else "running"
    row.stage = row.state
    session.add(row)
    session.commit()
    return row if row.state == "running" else None


def tell_progress(session: Session, identity: UUID, share: float, stage: str) -> bool:
    """Note how far a check is; False if it is to stop."""
    wanted = session.execute(
        update(CheckRow)
        .where(col(CheckRow.id) == identity)
        .values(share=share, stage=stage)
        .returning(col(CheckRow.cancel_wanted))
    ).scalar_one_or_none()
    session.commit()
    return wanted is False


def ask_to_cancel(session: Session, identity: UUID) -> CheckRow:
    """Ask a check to stop; one that still waits is cancelled at once."""
    row = session.get(CheckRow, identity, with_for_update=True)
    if row is None:
        raise NoSuchCheck(str(identity))
    if row.state in UNFINISHED:
        row.cancel_wanted = True
        if row.state == "queued":
            row.state = row.stage = "cancelled"
        session.add(row)
    session.commit()
    session.refresh(row)
    return row


def finish(
    session: Session,
    identity: UUID,
    state: str,
    stage: str,
    now: datetime,
    *,
    ledger: dict[str, Any] | None = None,
    takes: dict[int, tuple[list[int], bytes]] | None = None,
) -> None:
    """Note a check's end with its ledger and its take: by rate, the channels' places and the WAV."""
    row = session.get(CheckRow, identity)
    if row is None:
        return
    row.state, row.stage, row.ledger, row.finished_at = state, stage, ledger, now
    row.share = 1.0 if state == "done" else row.share
    session.add(row)
    for rate_hz, (channels, wav) in (takes or {}).items():
        session.add(TakeRow(check_id=identity, rate_hz=rate_hz, channels=channels, wav=wav))
    session.commit()
    kept = select(CheckRow.id).where(CheckRow.rig_id == row.rig_id).order_by(col(CheckRow.number).desc())
    old = select(CheckRow.id).where(CheckRow.rig_id == row.rig_id, col(CheckRow.id).not_in(kept.limit(TAKES_KEPT)))
    session.execute(delete(TakeRow).where(col(TakeRow.check_id).in_(old)))
    session.commit()


def requeue_unfinished(session: Session) -> list[UUID]:
    """After a stop of the application: put checks that were cut off back in the queue."""
    rows = session.exec(select(CheckRow).where(col(CheckRow.state).in_(UNFINISHED))).all()
    for row in rows:
        row.state, row.share, row.stage = "queued", 0.0, "waiting"
        session.add(row)
    session.commit()
    return [row.id for row in rows]


def take_files(session: Session, identity: UUID) -> list[tuple[int, list[int], int]]:
    """The take's files: rate, places of its channels in the ledger, size in bytes."""
    rows = session.execute(
        select(TakeRow.rate_hz, TakeRow.channels, func.length(TakeRow.wav))
        .where(TakeRow.check_id == identity)
        .order_by(col(TakeRow.rate_hz))
    ).all()
    return [(rate_hz, list(channels), size) for rate_hz, channels, size in rows]


def take_bytes(session: Session, identity: UUID, rate_hz: int, start: int = 0, count: int | None = None) -> bytes:
    """A take's WAV file, or ``count`` bytes of it from ``start``."""
    part = "substring(wav from :start for :count)" if count is not None else "wav"
    found = session.execute(
        text(f"SELECT {part} FROM take WHERE check_id = :check_id AND rate_hz = :rate_hz"),
        {"check_id": identity, "rate_hz": rate_hz, "start": start + 1, "count": count},
    ).scalar_one_or_none()
    if found is None:
        raise NoSuchCheck(str(identity))
    return bytes(found)
