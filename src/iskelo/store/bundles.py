"""A bundle taken in: a new rig with the revisions, checks and takes that came with it, and parts for the library."""

import json
from collections.abc import Iterator
from datetime import datetime
from uuid import UUID, uuid4

from sqlalchemy import text
from sqlmodel import Session

from iskelo.formats.bundle import Bundle, BundledTake
from iskelo.store import parts, rigs
from iskelo.store.checks import note_proofs
from iskelo.store.revisions import first_row
from iskelo.store.tables import CheckRow, RigRow


def take_in(session: Session, bundle: Bundle, identity: UUID, now: datetime) -> rigs.Kept:
    """Keep everything that a bundle holds, all or nothing.

    Its revisions become a history of their own, each made from the one before; checks keep their numbers.

    Raises
    ------
    Unreadable
        If something in it is not what it says; nothing is kept then.
    """
    listed = [*sorted(bundle.list.revisions[:-1], key=lambda each: each.number), bundle.list.revisions[-1]]
    numbers: dict[int, int] = {}
    session.add(RigRow(id=identity, made_at=now, changed_at=now, head=len(listed)))
    session.flush()
    for number, revision in enumerate(listed, start=1):
        row = first_row(identity, bundle.rig(revision), revision.words, revision.made_at)
        row.number, row.parent, row.kept_as = number, number - 1 or None, revision.kept_as
        numbers[revision.number] = number
        session.add(row)
        session.flush()
    for check in sorted(bundle.list.checks, key=lambda each: each.number):
        row_id = uuid4()
        checked = CheckRow(
            id=row_id,
            rig_id=identity,
            number=check.number,
            revision=numbers[check.revision],
            state="done",
            share=1.0,
            stage="done",
            only=list(check.only) if check.only is not None else None,
            faults=[list(each) for each in check.faults] or None,
            ledger=bundle.ledger(check),
            made_at=check.made_at,
            finished_at=check.finished_at,
        )
        session.add(checked)
        session.flush()
        note_proofs(session, checked)
        for take in check.takes:
            _keep_sound(session, row_id, take, bundle.take(take))
    parts.note_parts(session, identity, parts.add_parts(session, bundle.parts(), now))
    session.commit()
    return rigs.read_rig(session, identity)


def _keep_sound(session: Session, check: UUID, take: BundledTake, parts: Iterator[bytes]) -> None:
    """Keep a take part by part, so that it never lies in memory whole; the database puts it together."""
    session.execute(text("CREATE TEMPORARY TABLE sound (n int, part bytea) ON COMMIT DROP"))
    for number, part in enumerate(parts):
        session.execute(text("INSERT INTO sound VALUES (:n, :part)"), {"n": number, "part": part})
    session.execute(
        text(
            "INSERT INTO take (check_id, rate_hz, channels, wav) "
            "SELECT :check, :rate_hz, CAST(:channels AS jsonb), string_agg(part, ''::bytea ORDER BY n) FROM sound"
        ),
        {"check": check, "rate_hz": take.rate_hz, "channels": json.dumps(list(take.channels))},
    )
    session.execute(text("DROP TABLE sound"))
