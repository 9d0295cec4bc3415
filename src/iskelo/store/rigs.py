"""Rigs and their revisions: make, read, edit, undo, redo. Every function is one transaction's work."""

import contextlib
from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID

from sqlalchemy import func
from sqlalchemy import select as select_columns
from sqlmodel import Session, col, select

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import free_name
from iskelo.core.edits.edit import Edit
from iskelo.core.rig.named import where_named
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import few
from iskelo.store.parts import note_parts, parts_of
from iskelo.store.revisions import Fault, Faulty, NoSuchRig, first_row, forget, hold, next_row, rig_at
from iskelo.store.tables import RevisionRow, RigRow

LOOKED_BACK = 500
"""So many revisions before one that cannot be read are tried."""


class Stale(RuntimeError):
    """The edit was made on a revision that is not the rig's newest state."""


class NothingTo(RuntimeError):
    """There is nothing to undo, or to redo."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A rig as it is kept: its revision, what undo would take back and redo bring back, in words.

    ``fault``: its revision cannot be read; ``rig`` is then that of ``shown``, the newest one before it that can.
    """

    id: UUID
    revision: int
    rig: Rig
    words: str
    undo: str | None
    redo: str | None
    shown: int
    fault: Fault | None = None


@dataclass(frozen=True, slots=True)
class RigSummary:
    """A rig in the list of rigs; ``archived``: put by. ``holds``: what in it was looked for, in words."""

    id: UUID
    name: str
    revision: int
    changed_at: datetime
    is_demo: bool
    gear: int
    lines: int
    archived: bool
    holds: str = ""


def make_rig(session: Session, rig: Rig, identity: UUID, now: datetime, words: str, *, is_demo: bool = False) -> Kept:
    """Keep a new rig as its revision 1."""
    session.add(RigRow(id=identity, made_at=now, changed_at=now, head=1, is_demo=is_demo))
    session.flush()
    session.add(first_row(identity, rig, words, now))
    session.commit()
    return Kept(identity, 1, rig, words, None, None, 1)


def list_rigs(session: Session) -> list[RigSummary]:
    """All rigs, the one changed last first."""
    rows = session.execute(
        select_columns(
            col(RigRow.id),
            col(RigRow.changed_at),
            col(RigRow.is_demo),
            col(RevisionRow.rig_name),
            col(RevisionRow.number),
            col(RevisionRow.gear_count),
            col(RevisionRow.line_count),
            col(RigRow.archived_at),
        )
        .join(RevisionRow, (col(RevisionRow.rig_id) == RigRow.id) & (col(RevisionRow.number) == RigRow.head))
        .order_by(col(RigRow.changed_at).desc())
    ).all()
    return [
        RigSummary(identity, name, number, changed_at, is_demo, gear, lines, archived_at is not None)
        for identity, changed_at, is_demo, name, number, gear, lines, archived_at in rows
    ]


def find_rigs(session: Session, wanted: str) -> list[RigSummary]:
    """The rigs that hold something of this name, however deep, with what it is; one that cannot be read is passed over
    unless it is called so itself.
    """
    found = []
    for summary in list_rigs(session):
        try:
            holds = where_named(rig_at(session, summary.id, summary.revision), wanted)
        except Faulty:
            holds = ()
        if holds or wanted.casefold() in summary.name.casefold():
            found.append(replace(summary, holds=few(holds)))
    return found


def duplicate(session: Session, identity: UUID, copy: UUID, now: datetime) -> Kept:
    """A rig of its own that is as this one is now, under a free name, without its history."""
    rig = read_rig(session, identity).rig
    taken = [each.name for each in list_rigs(session)]
    again = rig.model_copy(update={"name": free_name(rig.name, taken)})
    made = make_rig(session, again, copy, now, f"duplicated from {rig.name}")
    note_parts(session, copy, [each.id for each in parts_of(session, identity)])
    session.commit()
    return made


def archive(session: Session, identity: UUID, since: datetime | None) -> None:
    """Put a rig by, or with None take it up again; it stays as it is."""
    row = rig_row(session, identity, lock=True)
    row.archived_at = since
    session.add(row)
    session.commit()


def has_demo(session: Session) -> bool:
    """Whether the demo was loaded into this database once."""
    return session.exec(select(RigRow.id).where(col(RigRow.is_demo))).first() is not None


def rig_row(session: Session, identity: UUID, *, lock: bool = False) -> RigRow:
    row = session.get(RigRow, identity, with_for_update=lock)
    if row is None:
        raise NoSuchRig(str(identity))
    return row


def _at(session: Session, identity: UUID, number: int) -> RevisionRow:
    revision = session.get(RevisionRow, (identity, number))
    if revision is None:
        raise NoSuchRig(f"{identity} has no revision {number}")
    return revision


def _newest_child(session: Session, identity: UUID, number: int) -> RevisionRow | None:
    return session.exec(
        select(RevisionRow)
        .where(RevisionRow.rig_id == identity, RevisionRow.parent == number)
        .order_by(col(RevisionRow.number).desc())
        .limit(1)
    ).first()


def read_rig(session: Session, identity: UUID) -> Kept:
    """The rig as it is now."""
    return _kept(session, rig_row(session, identity))


def _kept(session: Session, row: RigRow) -> Kept:
    told = session.exec(
        select(RevisionRow.parent, RevisionRow.words).where(
            RevisionRow.rig_id == row.id, RevisionRow.number == row.head
        )
    ).first()
    if told is None:
        raise NoSuchRig(f"{row.id} has no revision {row.head}")
    parent, words = told
    redo = session.exec(
        select(RevisionRow.words)
        .where(RevisionRow.rig_id == row.id, RevisionRow.parent == row.head)
        .order_by(col(RevisionRow.number).desc())
        .limit(1)
    ).first()
    shown, rig, fault = _readable(session, row.id, row.head)
    undo = words if parent is not None else None
    return Kept(row.id, row.head, rig, words, undo, redo, shown, fault)


def _readable(session: Session, identity: UUID, head: int) -> tuple[int, Rig, Fault | None]:
    """The revision a rig is at; where that cannot be read, the newest before it that can, and what is wrong."""
    try:
        return head, rig_at(session, identity, head), None
    except Faulty as faulty:
        fault = faulty.fault
    earlier = session.exec(
        select(RevisionRow.number)
        .where(RevisionRow.rig_id == identity, RevisionRow.number < head)
        .order_by(col(RevisionRow.number).desc())
        .limit(LOOKED_BACK)
    ).all()
    for number in earlier:
        with contextlib.suppress(Faulty):
            return number, rig_at(session, identity, number), fault
    raise Faulty(fault)


def edit_rig(session: Session, identity: UUID, on_revision: int, edits: tuple[Edit, ...], now: datetime) -> Kept:
    """Apply edits that were made on a revision and keep the result as a new one.

    Raises
    ------
    NoSuchRig, Stale, Faulty
        If the rig is gone, has moved on since, or cannot be read.
    Refused
        If an edit would break the rig; nothing is kept then.
    """
    row = rig_row(session, identity, lock=True)
    if row.head != on_revision:
        raise Stale
    before = rig_at(session, identity, row.head)
    applied = apply(before, edits)
    newest = session.exec(select(func.max(RevisionRow.number)).where(RevisionRow.rig_id == identity)).one()
    number = (newest or 0) + 1
    session.add(next_row(session, identity, number, (row.head, before), applied.rig, edits, applied.words, now))
    row.head, row.changed_at = number, now
    session.add(row)
    session.commit()
    hold(identity, number, applied.rig)
    return Kept(identity, number, applied.rig, applied.words, applied.words, None, number)


def undo(session: Session, identity: UUID, on_revision: int, now: datetime) -> Kept:
    """Go back to the revision before; raises NothingTo at the first one."""
    row = rig_row(session, identity, lock=True)
    if row.head != on_revision:
        raise Stale
    parent = _at(session, identity, row.head).parent
    if parent is None:
        raise NothingTo("There is nothing to undo.")
    return _move(session, row, parent, now)


def redo(session: Session, identity: UUID, on_revision: int, now: datetime) -> Kept:
    """Go forward again to the newest revision made from this one; raises NothingTo if there is none."""
    row = rig_row(session, identity, lock=True)
    if row.head != on_revision:
        raise Stale
    child = _newest_child(session, identity, row.head)
    if child is None:
        raise NothingTo("There is nothing to redo.")
    return _move(session, row, child.number, now)


def _move(session: Session, row: RigRow, number: int, now: datetime) -> Kept:
    row.head, row.changed_at = number, now
    session.add(row)
    session.commit()
    return _kept(session, row)


def remove_rig(session: Session, identity: UUID) -> None:
    """Remove a rig with all its revisions, checks and takes."""
    session.delete(rig_row(session, identity, lock=True))
    session.commit()
    forget(identity)


def head_of(session: Session, identity: UUID) -> int | None:
    """The number of the revision a rig is at; None if there is no such rig."""
    return session.exec(select(RigRow.head).where(RigRow.id == identity)).first()


@dataclass(frozen=True, slots=True)
class Revision:
    """A revision in the history: what was done in words, the revision it was done on, its snapshot's name."""

    number: int
    parent: int | None
    words: str
    made_at: datetime
    kept_as: str | None


def name_at(session: Session, identity: UUID, number: int) -> str:
    """What a rig was called at a revision; 'A rig' if that is not known any more."""
    name = session.exec(
        select(RevisionRow.rig_name).where(RevisionRow.rig_id == identity, RevisionRow.number == number)
    ).first()
    return name or "A rig"


def history(session: Session, identity: UUID) -> list[Revision]:
    """Every revision of a rig, the newest first."""
    rig_row(session, identity)
    columns = (
        col(RevisionRow.number),
        col(RevisionRow.parent),
        col(RevisionRow.words),
        col(RevisionRow.made_at),
        col(RevisionRow.kept_as),
    )
    rows = session.execute(
        select_columns(*columns).where(col(RevisionRow.rig_id) == identity).order_by(columns[0].desc())
    ).all()
    return [Revision(*row) for row in rows]


def jump(session: Session, identity: UUID, on_revision: int, to: int, now: datetime) -> Kept:
    """Go to any revision of a rig; nothing is lost, for all others stay in the history."""
    row = rig_row(session, identity, lock=True)
    if row.head != on_revision:
        raise Stale
    _at(session, identity, to)
    return _move(session, row, to, now)


def keep_as(session: Session, identity: UUID, number: int, name: str | None) -> None:
    """Name a revision as a snapshot, or with None take its name away."""
    revision = _at(session, identity, number)
    revision.kept_as = name
    session.add(revision)
    session.commit()
