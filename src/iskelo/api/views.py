"""What the API takes and gives, beside the core's own values."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import Response
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter
from sqlmodel import Session

from iskelo.api.surveys import surveyed
from iskelo.core.compare import NowAfter
from iskelo.core.edits.edit import Edit, Edits
from iskelo.core.edits.input_list import InputRow, RowOutcome
from iskelo.core.linecheck.rows import InsertHeard, Ledger
from iskelo.core.planner.aggregates import JoinSheet
from iskelo.core.planner.swap import JackMove
from iskelo.core.rig.part import Bringing, PartKind
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import Ids, Name
from iskelo.core.survey import Survey
from iskelo.store.checks import checked_lines, take_files
from iskelo.store.queue import working
from iskelo.store.rigs import Kept
from iskelo.store.tables import CheckRow

RevisionNumber = Annotated[int, Field(ge=1, le=2_000_000_000)]


class Request(BaseModel):
    model_config = ConfigDict(extra="forbid")


class NewRig(Request):
    """A new rig; ``example`` starts from one that ships (see ``demo.examples``), ``part`` from a part that was kept,
    instead of blank.
    """

    name: Name = "New rig"
    example: Annotated[str | None, Field(max_length=40)] = None
    part: UUID | None = None


class EditRequest(Request):
    """Edits made on a revision; refused with 409 if the rig has moved on."""

    revision: RevisionNumber
    edits: Edits


class TrialRequest(Request):
    """Edits to try without making them."""

    edits: Edits


class MoveRequest(Request):
    """Undo or redo, on the revision the sender sees."""

    revision: RevisionNumber


class JumpRequest(Request):
    """Go to a revision, from the one the sender sees."""

    revision: RevisionNumber
    to: RevisionNumber


class KeepRequest(Request):
    """The name a revision is kept under; null takes it away."""

    name: Name | None


class PhraseRequest(Request):
    """Gear typed as a phrase, on the revision the sender sees."""

    revision: RevisionNumber
    text: Annotated[str, Field(max_length=4000)]


class KeepGearRequest(Request):
    """A piece of a rig's gear to keep in the catalogue."""

    rig: UUID
    gear: Annotated[str, Field(max_length=17)]


class SwapRequest(Request):
    """Another interface for this one, as a phrase or a name of the catalogue."""

    item: Annotated[str, Field(max_length=17)]
    text: Annotated[str, Field(max_length=4000)]


class KeepPartRequest(Request):
    """Gear of a rig to be kept as a part, or some kinds of what is in it; ``replace``: in place of one so called."""

    rig: UUID
    name: Name
    pieces: Annotated[Ids, Field(min_length=1)]
    kinds: Annotated[tuple[PartKind, ...], Field(max_length=16)] | None = None
    replace: bool = False


class ArchiveRequest(Request):
    """Whether a rig is put by."""

    archived: bool


class RenameRequest(Request):
    """What something is to be called."""

    name: Name


class BringRequest(Bringing):
    """A part of the library to be brought into a rig."""

    part: UUID


class BringInRequest(Request):
    """The same, on the revision the sender sees."""

    revision: RevisionNumber
    wanted: BringRequest


class CheckRequest(Request):
    """Which lines to check (null: all of them), and the faults to switch on for this run, by their keys."""

    only: Ids | None = None
    faults: Annotated[tuple[Annotated[str, Field(max_length=64)], ...], Field(max_length=64)] = ()


class RowsRequest(Request):
    """Rows of an input list, as read or as corrected by hand."""

    rows: Annotated[tuple[InputRow, ...], Field(max_length=1000, fail_fast=True)]


@dataclass(frozen=True, slots=True)
class JoinView:
    """A join sheet, what it does in words, and what it would change."""

    words: str
    sheet: JoinSheet
    trial: NowAfter


@dataclass(frozen=True, slots=True)
class State:
    """A rig and everything computed from it; ``undo`` and ``redo`` say in words what they would do.

    ``wrong``: why its revision cannot be read, in words. What is shown is then revision ``shown``, and nothing can be
    changed until some revision that can be read is gone to.
    """

    id: UUID
    revision: int
    words: str
    undo: str | None
    redo: str | None
    shown: int
    wrong: str | None
    rig: Rig
    survey: Survey


@dataclass(frozen=True, slots=True)
class ListView:
    """An input list as read: its rows by field, its columns' titles, and which was taken for which field.

    ``asks``: nobody has said which column is what, and no titles do.
    """

    rows: tuple[InputRow, ...]
    titles: tuple[str, ...]
    mapping: dict[str, int]
    kind: str
    notes: tuple[str, ...]
    asks: bool


@dataclass(frozen=True, slots=True)
class PlanView:
    """What the good rows of a list would do; ``trial`` is None when there are none."""

    edits: tuple[Edit, ...]
    rows: tuple[RowOutcome, ...]
    trial: NowAfter | None


@dataclass(frozen=True, slots=True)
class InsertMeasured:
    """What a run on the twin heard, in words, and the edits after which a program counts with what is computed.

    The twin plays what is assumed: what it hears proves the computation, and measures nothing.
    """

    heard: InsertHeard
    words: str
    edits: tuple[Edit, ...]


@dataclass(frozen=True, slots=True)
class FillView:
    """A fill that was computed: the numbers of each line by its id, and what would change."""

    edits: tuple[Edit, ...]
    numbers: dict[str, str]
    trial: NowAfter


@dataclass(frozen=True, slots=True)
class SwapView:
    """A swap that was computed: where every used jack goes, and what would change."""

    words: str
    edits: tuple[Edit, ...]
    trial: NowAfter
    jacks: tuple[JackMove, ...]


@dataclass(frozen=True, slots=True)
class TakeFile:
    """One WAV of a take: its rate, and the places of its channels in the ledger."""

    rate_hz: int
    channels: tuple[int, ...]
    size_bytes: int


@dataclass(frozen=True, slots=True)
class CheckView:
    """A line check: *queued*, *running*, *done*, *failed* or *cancelled*; the ledger when done.

    ``faults``: those that were switched on, in words.
    """

    id: UUID
    rig_id: UUID
    number: int
    revision: int
    state: str
    share: float
    stage: str
    only: tuple[str, ...] | None
    faults: tuple[str, ...]
    made_at: datetime
    finished_at: datetime | None
    ledger: Ledger | None
    files: tuple[TakeFile, ...]


@dataclass(frozen=True, slots=True)
class Wave:
    """A channel for drawing: lowest and highest sample of each stretch, full scale 1.0."""

    rate_hz: int
    seconds: float
    lows: tuple[float, ...]
    highs: tuple[float, ...]


def state_of(session: Session, kept: Kept) -> State:
    """A rig as it is answered: with its survey, and what the newest line check proved of it."""
    found = surveyed(kept.id, kept.rig, checked_lines(session, kept.id)).survey
    wrong = kept.fault.words if kept.fault else None
    return State(kept.id, kept.revision, kept.words, kept.undo, kept.redo, kept.shown, wrong, kept.rig, found)


_state: TypeAdapter[State] = TypeAdapter(State)


def answer_with(session: Session, kept: Kept, status: int = 200) -> Response:
    """A rig as it is answered, written straight to JSON: a large one has a megabyte of it."""
    return Response(_state.dump_json(state_of(session, kept)), status, media_type="application/json")


_ledger: TypeAdapter[Ledger] = TypeAdapter(Ledger)


NO_WORKER = "waiting: no worker is at work (./iskelo work starts one)"


def stage_of(session: Session, row: CheckRow) -> str:
    """What a check is doing; one that waits for nobody says so."""
    return NO_WORKER if row.state == "queued" and not working(session) else row.stage


def check_view(session: Session, row: CheckRow) -> CheckView:
    """A check with its files."""
    files = take_files(session, row.id)
    return CheckView(
        id=row.id,
        rig_id=row.rig_id,
        number=row.number,
        revision=row.revision,
        state=row.state,
        share=row.share,
        stage=stage_of(session, row),
        only=tuple(row.only) if row.only is not None else None,
        faults=tuple(words for _, words in row.faults or ()),
        made_at=row.made_at,
        finished_at=row.finished_at,
        ledger=_ledger.validate_python(row.ledger) if row.ledger else None,
        files=tuple(TakeFile(rate_hz, tuple(places), size) for rate_hz, places, size in files),
    )
