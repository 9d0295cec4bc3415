"""The tables: rigs, their revisions, line checks and the takes they left."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Column, DateTime, ForeignKey, LargeBinary, Text
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Field, SQLModel


class RigRow(SQLModel, table=True):
    """A rig; ``head`` is the number of the revision it is at.

    ``archived_at``: since when it is put by. ``walkers_tick``: whoever walks with its set-up list may tick it off.
    """

    __tablename__ = "rig"

    id: UUID = Field(primary_key=True)
    made_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))
    changed_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))
    head: int
    is_demo: bool = False
    archived_at: datetime | None = Field(default=None, sa_column=Column(DateTime(timezone=True)))
    walkers_tick: bool = False


class RevisionRow(SQLModel, table=True):
    """The rig after an edit, the edits that made it, what they did in words.

    ``parent`` is the revision the edits were made on; undo goes there, redo to the newest child. ``kept_as`` is
    the name of a snapshot. The rig itself is a whole ``document``, or what changed since the parent (``delta``, see
    ``core.rig.delta``), ``depth`` steps away from a whole one; ``version`` is the form either is written in. Its name
    and sizes stand beside it, for lists.
    """

    __tablename__ = "revision"

    rig_id: UUID = Field(sa_column=Column(ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True))
    number: int = Field(primary_key=True)
    parent: int | None = None
    document: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    delta: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    depth: int = 0
    version: int
    rig_name: str = Field(sa_column=Column(Text, nullable=False))
    gear_count: int
    line_count: int
    edits: list[Any] = Field(sa_column=Column(JSONB, nullable=False))
    words: str = Field(sa_column=Column(Text, nullable=False))
    kept_as: str | None = Field(default=None, sa_column=Column(Text))
    made_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))


class CheckRow(SQLModel, table=True):
    """A line check: its job's state and progress, and the ledger once it is done.

    ``only``: of these lines alone. ``faults``: run with these faults switched on, by key and in words. ``attempt``
    counts how often it was begun, and is the right of the worker that began it last to write here.
    """

    __tablename__ = "line_check"

    id: UUID = Field(primary_key=True)
    rig_id: UUID = Field(sa_column=Column(ForeignKey("rig.id", ondelete="CASCADE"), nullable=False, index=True))
    number: int
    revision: int
    state: str
    share: float = 0.0
    stage: str = Field(sa_column=Column(Text, nullable=False))
    attempt: int = 0
    only: list[str] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    faults: list[list[str]] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    ledger: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    made_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))
    finished_at: datetime | None = Field(default=None, sa_column=Column(DateTime(timezone=True)))


class ProofRow(SQLModel, table=True):
    """The mark a line had in the newest check of it, and whether it was found there as wanted."""

    __tablename__ = "proof"

    rig_id: UUID = Field(sa_column=Column(ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True))
    line: str = Field(sa_column=Column(Text, primary_key=True))
    check_number: int
    mark: str = Field(sa_column=Column(Text, nullable=False))
    proved: bool


class CatalogueRow(SQLModel, table=True):
    """A piece of gear that somebody keeps for other rigs."""

    __tablename__ = "catalogue"

    id: UUID = Field(primary_key=True)
    name: str = Field(sa_column=Column(Text, nullable=False, unique=True))
    gear: dict[str, Any] = Field(sa_column=Column(JSONB, nullable=False))
    made_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))


class PartRow(SQLModel, table=True):
    """A part that somebody keeps; ``used_at``: when it was brought into a rig last."""

    __tablename__ = "part"

    id: UUID = Field(primary_key=True)
    name: str = Field(sa_column=Column(Text, nullable=False, unique=True))
    document: dict[str, Any] = Field(sa_column=Column(JSONB, nullable=False))
    made_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))
    used_at: datetime | None = Field(default=None, sa_column=Column(DateTime(timezone=True)))


class PartOfRow(SQLModel, table=True):
    """That a part was kept from a rig, or brought into it."""

    __tablename__ = "part_of_rig"

    part_id: UUID = Field(sa_column=Column(ForeignKey("part.id", ondelete="CASCADE"), primary_key=True))
    rig_id: UUID = Field(sa_column=Column(ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True))


class TickRow(SQLModel, table=True):
    """A step of a rig's set-up list that was done in the room, by what it said then, and by whom if that was told."""

    __tablename__ = "tick"

    rig_id: UUID = Field(sa_column=Column(ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True))
    step: str = Field(sa_column=Column(Text, primary_key=True))
    says: str = Field(sa_column=Column(Text, primary_key=True))
    by: str = Field(default="", sa_column=Column(Text, nullable=False))
    made_at: datetime = Field(sa_column=Column(DateTime(timezone=True), nullable=False))


class TakeRow(SQLModel, table=True):
    """The channels of a take that share a rate, as one WAV file; ``channels`` are their places in the ledger."""

    __tablename__ = "take"

    check_id: UUID = Field(sa_column=Column(ForeignKey("line_check.id", ondelete="CASCADE"), primary_key=True))
    rate_hz: int = Field(primary_key=True)
    channels: list[Any] = Field(sa_column=Column(JSONB, nullable=False))
    wav: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
