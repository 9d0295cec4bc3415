"""How a revision is kept: a whole document now and then, between them what changed; and read back into a rig."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import ValidationError
from sqlalchemy import text
from sqlmodel import Session, select

from iskelo.core.edits.base import first_reason, path_of
from iskelo.core.edits.edit import Edit
from iskelo.core.held import Held
from iskelo.core.rig.check import check
from iskelo.core.rig.delta import delta, patched
from iskelo.core.rig.migrations import brought_up
from iskelo.core.rig.rig import Broken, Rig
from iskelo.store.tables import RevisionRow

WHOLE_EVERY = 50
"""At most so many steps lie between a revision and the whole document it is read back from."""

REVISIONS_HELD = 24
"""Rigs held in memory, the newest ones read or made; neighbours share what they have in common."""

VERSION: int = Rig.model_fields["version"].default


class NoSuchRig(LookupError):
    """There is no rig, or no revision of it, with this id."""


@dataclass(frozen=True, slots=True)
class Fault:
    """Why a revision cannot be read: its number, the place in the document, the reason."""

    revision: int
    place: str
    reason: str

    @property
    def words(self) -> str:
        where = f"{self.place}: " if self.place else ""
        return f"Revision {self.revision} of this rig cannot be read: {where}{self.reason}."


class Faulty(ValueError):
    """A revision that is kept, and is no rig: see ``fault``."""

    def __init__(self, fault: Fault) -> None:
        super().__init__(fault.words)
        self.fault = fault


_held: Held[tuple[UUID, int], Rig] = Held(REVISIONS_HELD)


def hold(identity: UUID, number: int, rig: Rig) -> Rig:
    """Keep a revision in memory: it never changes once it is kept."""
    return _held.keep((identity, number), rig)


def forget(identity: UUID) -> None:
    """Let go of a rig that is removed."""
    _held.forget(lambda key: key[0] == identity)


def first_row(identity: UUID, rig: Rig, words: str, now: datetime) -> RevisionRow:
    """A rig's first revision."""
    return _row(identity, 1, None, rig, (), words, now, document=rig.model_dump(mode="json"))


def next_row(
    session: Session,
    identity: UUID,
    number: int,
    parent: tuple[int, Rig],
    rig: Rig,
    edits: tuple[Edit, ...],
    words: str,
    now: datetime,
) -> RevisionRow:
    """The revision that edits make from another one, whole or as what changed since."""
    on, before = parent
    depth, version = session.exec(
        select(RevisionRow.depth, RevisionRow.version).where(RevisionRow.rig_id == identity, RevisionRow.number == on)
    ).one()
    if depth + 1 >= WHOLE_EVERY or version != VERSION:
        return _row(identity, number, on, rig, edits, words, now, document=rig.model_dump(mode="json"))
    return _row(identity, number, on, rig, edits, words, now, change=delta(before, rig), depth=depth + 1)


def _row(
    identity: UUID,
    number: int,
    parent: int | None,
    rig: Rig,
    edits: tuple[Edit, ...],
    words: str,
    now: datetime,
    *,
    document: dict[str, Any] | None = None,
    change: dict[str, Any] | None = None,
    depth: int = 0,
) -> RevisionRow:
    return RevisionRow(
        rig_id=identity,
        number=number,
        parent=parent,
        document=document,
        delta=change,
        depth=depth,
        version=VERSION,
        rig_name=rig.name,
        gear_count=len(rig.gear),
        line_count=len(rig.lines),
        edits=[edit.model_dump(mode="json") for edit in edits],
        words=words,
        made_at=now,
    )


_CHAIN = text(
    """
    WITH RECURSIVE chain AS (
      SELECT number, parent, document, delta, depth FROM revision WHERE rig_id = :rig AND number = :number
      UNION ALL
      SELECT r.number, r.parent, r.document, r.delta, r.depth FROM revision r JOIN chain c
        ON r.rig_id = :rig AND r.number = c.parent AND r.number < c.number WHERE c.document IS NULL
    )
    SELECT document, delta FROM chain ORDER BY depth
    """
)


def document_at(session: Session, identity: UUID, number: int) -> dict[str, Any]:
    """A revision's whole document as it was kept, put together from what changed; unchecked.

    Raises
    ------
    NoSuchRig
        If there is no such revision.
    Faulty
        If it cannot be put together.
    """
    rows = session.execute(_CHAIN, {"rig": identity, "number": number}).all()
    if not rows:
        raise NoSuchRig(f"{identity} has no revision {number}")
    document: Any = rows[0][0]
    try:
        for _, change in rows[1:]:
            document = patched(document, change)
    except (KeyError, TypeError, AttributeError):
        document = None
    if not isinstance(document, dict):
        raise Faulty(Fault(number, "", "what was kept of it is not whole"))
    return document


def rig_at(session: Session, identity: UUID, number: int) -> Rig:
    """The rig as it was at a revision.

    Raises
    ------
    NoSuchRig, Faulty
        If there is no such revision, or what is kept of it is no rig.
    """
    held = _held.get((identity, number))
    if held is not None:
        return held
    document = document_at(session, identity, number)
    try:
        rig = Rig.model_validate(brought_up(document))
        check(rig)
    except ValidationError as error:
        place, reason = first_reason(error)
        raise Faulty(Fault(number, path_of(place), reason)) from None
    except Broken as broken:
        raise Faulty(Fault(number, broken.place, broken.reason)) from None
    return hold(identity, number, rig)
