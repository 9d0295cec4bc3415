"""Old revisions taken away by a rule: of each day the last stays, and every one that has a name or was checked."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, select
from sqlmodel import Session, col

from iskelo.store.revisions import document_at, forget
from iskelo.store.rigs import rig_row
from iskelo.store.tables import CheckRow, RevisionRow


def thinned(session: Session, identity: UUID, before: datetime) -> list[int]:
    """The revisions made before a time that nobody would miss.

    Kept are the one the rig is at, the first, those with a name, those that a line check was made of, and of every day
    (in Greenwich) the last.
    """
    head = rig_row(session, identity).head
    checked = set(session.execute(select(col(CheckRow.revision)).where(col(CheckRow.rig_id) == identity)).scalars())
    rows = session.execute(
        select(col(RevisionRow.number), col(RevisionRow.made_at), col(RevisionRow.kept_as))
        .where(col(RevisionRow.rig_id) == identity)
        .order_by(col(RevisionRow.number))
    ).all()
    last_of = {made_at.date(): number for number, made_at, _ in rows}
    kept = {1, head, *checked, *last_of.values(), *(number for number, _, name in rows if name)}
    return [number for number, made_at, _ in rows if made_at < before and number not in kept]


def thin(session: Session, identity: UUID, before: datetime) -> list[int]:
    """Take those revisions away, all or none; what was made from one of them is made from the one before it now."""
    rig_row(session, identity, lock=True)
    gone = set(thinned(session, identity, before))
    if not gone:
        return []
    rows = session.execute(
        select(RevisionRow).where(col(RevisionRow.rig_id) == identity).order_by(col(RevisionRow.number))
    ).scalars()
    parents: dict[int, int | None] = {}
    left: list[RevisionRow] = []
    for row in rows:
        parents[row.number] = row.parent
        if row.number not in gone:
            left.append(row)
    # Whole first, while everything that they are put together from is still there.
    for row in left:
        if row.parent in gone:
            if row.document is None:
                row.document, row.delta, row.depth = document_at(session, identity, row.number), None, 0
            parent: int | None = row.parent
            while parent is not None and parent in gone:
                parent = parents[parent]
            row.parent = parent
            session.add(row)
    _deepen(left)
    session.flush()
    session.execute(
        delete(RevisionRow).where(col(RevisionRow.rig_id) == identity, col(RevisionRow.number).in_(sorted(gone)))
    )
    session.commit()
    forget(identity)
    return sorted(gone)


def _deepen(left: list[RevisionRow]) -> None:
    """How far each revision is from a whole one, now that some have become whole."""
    depths: dict[int, int] = {}
    for row in left:
        depth = 0 if row.document is not None else depths.get(row.parent or 0, 0) + 1
        depths[row.number] = depth
        row.depth = depth
