"""Gear kept for other rigs."""

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid4

from pydantic import TypeAdapter
from sqlalchemy import func
from sqlmodel import Session, col, select

from iskelo.core.rig.gear import Gear
from iskelo.store.tables import CatalogueRow

_gear: TypeAdapter[Gear] = TypeAdapter(Gear)


class NoSuchEntry(LookupError):
    """There is no such piece in the catalogue."""


@dataclass(frozen=True, slots=True)
class KeptGear:
    """A piece somebody kept."""

    id: UUID
    gear: Gear


def kept_gear(session: Session) -> list[KeptGear]:
    """Every piece that was kept, by name."""
    rows = session.exec(select(CatalogueRow).order_by(func.lower(col(CatalogueRow.name)))).all()
    return [KeptGear(row.id, _gear.validate_python(row.gear)) for row in rows]


def keep_gear(session: Session, gear: tuple[Gear, ...], now: datetime) -> None:
    """Keep pieces; one of the same name is replaced."""
    # Compared here: what a small letter is, the database may see otherwise.
    here = {row.name.casefold(): row for row in session.exec(select(CatalogueRow)).all()}
    for piece in gear:
        row = here.get(piece.name.casefold()) or CatalogueRow(id=uuid4(), name=piece.name, gear={}, made_at=now)
        here[piece.name.casefold()] = row
        row.name, row.gear = piece.name, piece.model_dump(mode="json")
        session.add(row)
        session.flush()
    session.commit()


def forget_gear(session: Session, identity: UUID) -> None:
    """Take a piece out of the catalogue."""
    row = session.get(CatalogueRow, identity)
    if row is None:
        raise NoSuchEntry(str(identity))
    session.delete(row)
    session.commit()
