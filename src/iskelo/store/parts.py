"""Parts kept for other rigs."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid4

from sqlalchemy import func
from sqlalchemy import select as select_columns
from sqlmodel import Session, col, select

from iskelo.core.edits.base import Refused, free_name
from iskelo.core.rig.part import Part
from iskelo.store.tables import PartOfRow, PartRow


class NoSuchPart(LookupError):
    """There is no part with this id."""


@dataclass(frozen=True, slots=True)
class KeptPart:
    """A part somebody kept; ``used_at``: when it was brought in last."""

    id: UUID
    part: Part
    made_at: datetime
    used_at: datetime | None


def kept_parts(session: Session) -> list[KeptPart]:
    """Every part, the one used or kept last first."""
    last = func.coalesce(col(PartRow.used_at), col(PartRow.made_at))
    rows = session.exec(select(PartRow).order_by(last.desc(), col(PartRow.name))).all()
    return [KeptPart(row.id, Part.model_validate(row.document), row.made_at, row.used_at) for row in rows]


def parts_of(session: Session, rig: UUID) -> list[KeptPart]:
    """The parts that were kept from a rig or brought into it, the one used or kept last first."""
    its = set(session.exec(select(PartOfRow.part_id).where(PartOfRow.rig_id == rig)).all())
    return [each for each in kept_parts(session) if each.id in its]


def note_parts(session: Session, rig: UUID, found: Iterable[UUID]) -> None:
    """Write down that parts are a rig's, uncommitted; once."""
    for part in found:
        session.merge(PartOfRow(part_id=part, rig_id=rig))


def _named(session: Session, name: str) -> PartRow | None:
    # Compared here: what a small letter is, the database may see otherwise.
    names = session.execute(select_columns(col(PartRow.id), col(PartRow.name))).all()
    found = next((identity for identity, other in names if other.casefold() == name.casefold()), None)
    return session.get(PartRow, found) if found is not None else None


def keep_part(session: Session, part: Part, now: datetime, *, replace: bool, rig: UUID | None = None) -> UUID:
    """Keep a part, of that ``rig``; raises Refused if there is one of its name, unless it is to be replaced."""
    row = _named(session, part.name)
    if row is not None and not replace:
        raise Refused("part", f"there is a part called {row.name} already; keep it in its place, or under another name")
    row = row or PartRow(id=uuid4(), name=part.name, document={}, made_at=now)
    row.name, row.document, row.made_at = part.name, part.model_dump(mode="json"), now
    session.add(row)
    session.flush()
    if rig is not None:
        note_parts(session, rig, (row.id,))
    session.commit()
    return row.id


def add_parts(session: Session, found: Iterable[Part], now: datetime) -> list[UUID]:
    """Add parts that are not here yet, uncommitted; one that says something else than that of its name here comes under
    a free name.

    Returns
    -------
    list of UUID
        Each of them as it is kept here.
    """
    here = {each.part.name.casefold(): (each.part, each.id) for each in kept_parts(session)}
    kept = []
    for part in found:
        same, identity = here.get(part.name.casefold(), (None, uuid4()))
        if same != part:
            name = free_name(part.name, [each.name for each, _ in here.values()])
            new, identity = part.model_copy(update={"name": name}), uuid4()
            session.add(PartRow(id=identity, name=name, document=new.model_dump(mode="json"), made_at=now))
            here[name.casefold()] = (new, identity)
        kept.append(identity)
    session.flush()
    return kept


def _row(session: Session, identity: UUID) -> PartRow:
    row = session.get(PartRow, identity)
    if row is None:
        raise NoSuchPart(str(identity))
    return row


def read_part(session: Session, identity: UUID) -> Part:
    """A part by its id."""
    return Part.model_validate(_row(session, identity).document)


def use_part(session: Session, identity: UUID, now: datetime, rig: UUID) -> Part:
    """A part that is brought into a rig now: it stands first from here on, and is one of that rig's."""
    row = _row(session, identity)
    row.used_at = now
    session.add(row)
    note_parts(session, rig, (identity,))
    session.commit()
    return Part.model_validate(row.document)


def rename_part(session: Session, identity: UUID, name: str) -> None:
    """Call a part something else; raises Refused if another one is called so."""
    row, other = _row(session, identity), _named(session, name)
    if other is not None and other.id != identity:
        raise Refused("part", f"there is a part called {other.name} already")
    row.name, row.document = name, {**row.document, "name": name}
    session.add(row)
    session.commit()


def forget_part(session: Session, identity: UUID) -> None:
    """Take a part out."""
    session.delete(_row(session, identity))
    session.commit()
