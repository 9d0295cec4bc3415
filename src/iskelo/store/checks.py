"""Line checks and their takes, as they are kept."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import delete, func, text, update
from sqlalchemy import select as select_columns
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from iskelo.store.queue import jobless_checks, queue_check
from iskelo.store.revisions import NoSuchRig
from iskelo.store.tables import CheckRow, ProofRow, RigRow, TakeRow

TAKES_KEPT = 5
"""Sound is kept of so many newest checks of a rig."""
CHECKS_KEPT = 100
"""So many newest checks of a rig are kept, and those that today's verdicts rest on."""
ATTEMPTS = 3
"""A check that breaks off so often is given up."""
SWEEP_LOCK = 0x15CE11
"""Advisory lock: one worker at a time looks for what others left."""

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
    session.flush()
    queue_check(session, identity)
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


@dataclass(frozen=True, slots=True)
class CheckProgress:
    """How far a check is, without its ledger."""

    id: UUID
    state: str
    share: float
    stage: str


def newest_progress(session: Session, rig_id: UUID) -> CheckProgress | None:
    """How far a rig's newest check is; None if there was none."""
    columns = (CheckRow.id, CheckRow.state, CheckRow.share, CheckRow.stage)
    row = session.execute(
        select_columns(*map(col, columns))
        .where(col(CheckRow.rig_id) == rig_id)
        .order_by(col(CheckRow.number).desc())
        .limit(1)
    ).first()
    return CheckProgress(*row) if row is not None else None


@dataclass(frozen=True, slots=True)
class DoneCheck:
    """What there is to know of a check that is done, without its ledger, which may be large."""

    id: UUID
    number: int
    revision: int
    only: tuple[str, ...] | None
    faults: tuple[tuple[str, str], ...]
    made_at: datetime
    finished_at: datetime


def done_checks(session: Session, rig_id: UUID, most: int) -> list[DoneCheck]:
    """The newest checks that are done, the newest first."""
    columns = (CheckRow.id, CheckRow.number, CheckRow.revision, CheckRow.only, CheckRow.faults)
    rows = session.execute(
        select_columns(*map(col, columns), col(CheckRow.made_at), col(CheckRow.finished_at))
        .where(col(CheckRow.rig_id) == rig_id, col(CheckRow.state) == "done", col(CheckRow.ledger).is_not(None))
        .order_by(col(CheckRow.number).desc())
        .limit(most)
    ).all()
    return [
        DoneCheck(
            identity,
            number,
            revision,
            tuple(only) if only is not None else None,
            tuple((key, words) for key, words in faults or ()),
            made_at,
            finished_at or made_at,
        )
        for identity, number, revision, only, faults, made_at, finished_at in rows
    ]


def checked_lines(session: Session, rig_id: UUID) -> dict[str, tuple[str, bool]]:
    """By line id: the mark it had in the newest finished check of it, and whether it was found as wanted.

    Checks of some lines stand beside the last one of all. Those with faults prove nothing.
    """
    rows = session.execute(
        select_columns(col(ProofRow.line), col(ProofRow.mark), col(ProofRow.proved)).where(
            col(ProofRow.rig_id) == rig_id
        )
    ).all()
    return {line: (mark, proved) for line, mark, proved in rows}


def note_proofs(session: Session, check: CheckRow) -> None:
    """Keep what a check that is done says of its lines, uncommitted: what a newer one has said of them stays.

    One of all lines also takes away what earlier ones said of lines that there are no more.
    """
    if not check.ledger or check.faults:
        return
    # Two checks of a rig may end at one moment; nobody else takes this lock, so nobody waits for sound to be kept.
    session.execute(text("SELECT pg_advisory_xact_lock(hashtext(:rig))"), {"rig": f"proofs {check.rig_id}"})
    if _newest_whole(session, check.rig_id) > check.number:
        return
    if check.only is None:
        older = (col(ProofRow.rig_id) == check.rig_id, col(ProofRow.check_number) < check.number)
        session.execute(delete(ProofRow).where(*older))
    found = {line["line"]: line for line in check.ledger.get("lines", ())}
    if not found:
        return
    new = insert(ProofRow).values(
        [
            {
                "rig_id": check.rig_id,
                "line": line,
                "check_number": check.number,
                "mark": told["mark"],
                "proved": told["proved"],
            }
            for line, told in found.items()
        ]
    )
    taken = {name: new.excluded[name] for name in ("check_number", "mark", "proved")}
    session.execute(
        new.on_conflict_do_update(
            index_elements=["rig_id", "line"],
            set_=taken,
            where=col(ProofRow.check_number) < new.excluded.check_number,
        )
    )


def _done(rig_id: UUID) -> tuple[Any, ...]:
    return (CheckRow.rig_id == rig_id, CheckRow.state == "done", col(CheckRow.faults).is_(None))


def _newest_whole(session: Session, rig_id: UUID) -> int:
    """The number of a rig's newest finished check of all its lines; 0 if there is none."""
    found = session.exec(select(func.max(CheckRow.number)).where(*_done(rig_id), col(CheckRow.only).is_(None))).one()
    return found or 0


def begin(session: Session, identity: UUID, now: datetime) -> CheckRow | None:
    """Take a check in hand; None if it is not there, or ended.

    One that is running was left by another worker: it is begun again, or, when it was left too often, given up.
    ``attempt`` of the row is from now on the right to write to it.
    """
    row = session.get(CheckRow, identity, with_for_update=True)
    if row is None or row.state not in UNFINISHED:
        return None
    if row.attempt >= ATTEMPTS:
        row.state, row.finished_at = "failed", now
        row.stage = (
            f"Given up after {ATTEMPTS} attempts: each broke off, the last one at “{row.stage}”. The worker may have "
            "been ended, or be short of memory."
        )
    else:
        row.attempt += 1
        row.state, row.share = "running", 0.0
        row.stage = "starting" if row.attempt == 1 else f"starting again, attempt {row.attempt} of {ATTEMPTS}"
    session.add(row)
    session.commit()
    return row if row.state == "running" else None


def _mine(identity: UUID, attempt: int) -> tuple[Any, ...]:
    return (col(CheckRow.id) == identity, col(CheckRow.attempt) == attempt, col(CheckRow.state) == "running")


def tell_progress(session: Session, identity: UUID, attempt: int, share: float, stage: str) -> bool:
    """Note how far a check is; False if it is to stop: it was cancelled, or another worker has it now."""
    done = session.execute(
        update(CheckRow).where(*_mine(identity, attempt)).values(share=share, stage=stage).returning(col(CheckRow.id))
    ).scalar_one_or_none()
    session.commit()
    return done is not None


def cancel(session: Session, identity: UUID, now: datetime) -> CheckRow:
    """End a check that waits or runs; its worker finds so and stops."""
    row = session.get(CheckRow, identity, with_for_update=True)
    if row is None:
        raise NoSuchCheck(str(identity))
    if row.state in UNFINISHED:
        row.state = row.stage = "cancelled"
        row.finished_at = now
        session.add(row)
    session.commit()
    session.refresh(row)
    return row


def put_back(session: Session, identity: UUID, attempt: int) -> None:
    """Queue a check again whose worker is being stopped in good order; that is no failed attempt."""
    values = {"state": "queued", "share": 0.0, "stage": "waiting", "attempt": attempt - 1}
    done = session.execute(
        update(CheckRow).where(*_mine(identity, attempt)).values(**values).returning(col(CheckRow.id))
    ).scalar_one_or_none()
    if done is not None:
        queue_check(session, identity)
    session.commit()


def finish(
    session: Session,
    identity: UUID,
    attempt: int,
    state: str,
    stage: str,
    now: datetime,
    *,
    ledger: dict[str, Any] | None = None,
    takes: dict[int, tuple[list[int], bytes]] | None = None,
) -> bool:
    """Note a check's end with its ledger and its take: by rate, the channels' places and the WAV.

    False, and nothing is kept, if it was cancelled or another worker has it now.
    """
    row = session.exec(select(CheckRow).where(*_mine(identity, attempt)).with_for_update()).first()
    if row is None:
        session.rollback()
        return False
    row.state, row.stage, row.ledger, row.finished_at = state, stage, ledger, now
    row.share = 1.0 if state == "done" else row.share
    session.add(row)
    for rate_hz, (channels, wav) in (takes or {}).items():
        session.add(TakeRow(check_id=identity, rate_hz=rate_hz, channels=channels, wav=wav))
    session.flush()
    if state == "done":
        note_proofs(session, row)
    _let_go(session, row.rig_id)
    session.commit()
    return True


def _let_go(session: Session, rig_id: UUID) -> None:
    """Takes and ledgers of old checks; never what today's verdicts rest on."""
    numbers = select(CheckRow.number).where(CheckRow.rig_id == rig_id).order_by(col(CheckRow.number).desc())
    for kept, what in ((TAKES_KEPT, TakeRow), (CHECKS_KEPT, CheckRow)):
        oldest = session.exec(numbers.offset(kept - 1).limit(1)).first()
        if oldest is None:
            continue
        old = select(CheckRow.id).where(CheckRow.rig_id == rig_id, CheckRow.number < oldest)
        if what is TakeRow:
            session.execute(delete(TakeRow).where(col(TakeRow.check_id).in_(old)))
            continue
        whole = _newest_whole(session, rig_id)
        session.execute(delete(CheckRow).where(col(CheckRow.id).in_(old), col(CheckRow.number) < whole))


def may_sweep(session: Session) -> bool:
    """Whether nobody else looks for what was left just now; true until the session's transaction ends."""
    found = session.execute(text("SELECT pg_try_advisory_xact_lock(:key)"), {"key": SWEEP_LOCK}).scalar_one()
    return bool(found)


def adopt(session: Session) -> int:
    """Queue the unfinished checks that no job stands for, as after a backup that was restored; how many there were."""
    left = jobless_checks(session)
    for identity in left:
        queue_check(session, identity)
    session.commit()
    return len(left)


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
