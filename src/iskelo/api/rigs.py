"""Rigs over HTTP: list, make, read, edit, try, undo, redo, export, import, input lists."""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Body, Depends, Query, Request, Response
from sqlmodel import Session

from iskelo.api.problems import ANSWERS
from iskelo.api.views import (
    EditRequest,
    JumpRequest,
    KeepRequest,
    ListView,
    MoveRequest,
    NewRig,
    PhraseRequest,
    PlanView,
    RemedyView,
    RevisionNumber,
    RowsRequest,
    State,
    TrialRequest,
    state_of,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest, batch
from iskelo.core.edits.input_list import plan_rows
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.lines.context import read
from iskelo.core.lines.stations import Column
from iskelo.core.planner.choices import Choices, choices
from iskelo.core.planner.join import join_all
from iskelo.core.rig.rig import Rig
from iskelo.core.snags.registry import find_snags
from iskelo.core.survey import NowAfter, PortUse, compare_rigs, port_uses, trial
from iskelo.demo.orrin_point import orrin_point
from iskelo.formats.input_list_file import read_input_list
from iskelo.formats.rig_file import read_rig, write_rig
from iskelo.store import rigs
from iskelo.store.rigs import Revision, RigSummary

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


def session_of(request: Request) -> Iterator[Session]:
    """A database session for one request; what is not committed is rolled back."""
    with Session(request.app.state.engine) as session:
        yield session


Database = Annotated[Session, Depends(session_of)]


def now() -> datetime:
    return datetime.now(UTC)


@router.get("")
def list_rigs(session: Database) -> list[RigSummary]:
    """All rigs, the one changed last first."""
    return rigs.list_rigs(session)


@router.post("", status_code=201)
def make_rig(wanted: NewRig, session: Database) -> State:
    """Make a blank rig, or one that starts as the demo."""
    if wanted.example not in (None, "orrin-point"):
        raise Refused("example", f"there is no example {wanted.example!r}; there is orrin-point")
    if wanted.example:
        return state_of(session, rigs.make_rig(session, orrin_point(), uuid4(), now(), "opened the example"))
    return state_of(session, rigs.make_rig(session, Rig(name=wanted.name), uuid4(), now(), "made a blank rig"))


@router.post(
    "/import",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"type": "object", "additionalProperties": True}}},
        }
    },
)
async def import_rig(request: Request) -> State:
    """Read a rig file as a new rig."""
    rig = read_rig(await request.body())
    with Session(request.app.state.engine) as session:
        return state_of(session, rigs.make_rig(session, rig, uuid4(), now(), "imported from a file"))


@router.get("/{rig_id}")
def read_state(rig_id: UUID, session: Database) -> State:
    """The rig as it is now, with its survey."""
    return state_of(session, rigs.read_rig(session, rig_id))


@router.delete("/{rig_id}", status_code=204)
def remove_rig(rig_id: UUID, session: Database) -> None:
    """Remove a rig with its history and takes."""
    rigs.remove_rig(session, rig_id)


@router.get("/{rig_id}/export", response_class=Response, responses={200: {"content": {"application/json": {}}}})
def export_rig(rig_id: UUID, session: Database) -> Response:
    """The rig as a JSON file."""
    kept = rigs.read_rig(session, rig_id)
    slug = "-".join("".join(c if c.isascii() and c.isalnum() else " " for c in kept.rig.name).split()) or "rig"
    return Response(
        write_rig(kept.rig),
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{slug}.rig.json"'},
    )


@router.post("/{rig_id}/edits")
def edit_rig(rig_id: UUID, wanted: EditRequest, session: Database) -> State:
    """Apply edits, all or none; 409 with the newer state if the rig has moved on."""
    return state_of(session, rigs.edit_rig(session, rig_id, wanted.revision, wanted.edits, now()))


@router.post("/{rig_id}/trial")
def try_edits(rig_id: UUID, wanted: TrialRequest, session: Database) -> NowAfter:
    """What edits would do, without making them."""
    return trial(rigs.read_rig(session, rig_id).rig, wanted.edits)


@router.post("/{rig_id}/undo")
def undo(rig_id: UUID, wanted: MoveRequest, session: Database) -> State:
    """Take the last edit back."""
    return state_of(session, rigs.undo(session, rig_id, wanted.revision, now()))


@router.post("/{rig_id}/redo")
def redo(rig_id: UUID, wanted: MoveRequest, session: Database) -> State:
    """Bring an edit back that was undone."""
    return state_of(session, rigs.redo(session, rig_id, wanted.revision, now()))


@router.post("/{rig_id}/phrase")
def add_by_phrase(rig_id: UUID, wanted: PhraseRequest, session: Database) -> State:
    """Add gear typed as a phrase, such as '4 mic' or 'box 8x8 Corvane'."""
    edits = gear_phrase(wanted.text)
    return state_of(session, rigs.edit_rig(session, rig_id, wanted.revision, edits, now()))


@router.post("/{rig_id}/batch")
def plan_batch(rig_id: UUID, wanted: BatchRequest, session: Database) -> RemedyView:
    """What a batch of lines would do; nothing is made yet."""
    rig = rigs.read_rig(session, rig_id).rig
    edits = batch(rig, wanted)
    return RemedyView(apply(rig, edits).words, edits, trial(rig, edits))


@router.get("/{rig_id}/plan")
def plan_all(rig_id: UUID, session: Database) -> RemedyView | None:
    """The smallest changes that make every silent or blocked line arrive; null if there is nothing to do."""
    rig = rigs.read_rig(session, rig_id).rig
    joining = join_all(read(rig))
    if joining is None:
        return None
    return RemedyView("; ".join(dict.fromkeys(joining.words)), joining.edits, trial(rig, joining.edits))


@router.get("/{rig_id}/ports")
def ports(rig_id: UUID, session: Database) -> list[PortUse]:
    """Every joined port with what feeds it and what it feeds."""
    return list(port_uses(rigs.read_rig(session, rig_id).rig))


@router.get("/{rig_id}/history")
def history(rig_id: UUID, session: Database) -> list[Revision]:
    """Every revision in words, the newest first."""
    return rigs.history(session, rig_id)


@router.post("/{rig_id}/jump")
def jump(rig_id: UUID, wanted: JumpRequest, session: Database) -> State:
    """Go to any revision; the others stay in the history."""
    return state_of(session, rigs.jump(session, rig_id, wanted.revision, wanted.to, now()))


@router.put("/{rig_id}/history/{number}/name", status_code=204)
def keep_as(rig_id: UUID, number: RevisionNumber, wanted: KeepRequest, session: Database) -> None:
    """Keep a revision under a name: a snapshot."""
    rigs.keep_as(session, rig_id, number, wanted.name)


@router.get("/{rig_id}/compare")
def compare_revisions(
    rig_id: UUID,
    session: Database,
    earlier: Annotated[RevisionNumber, Query()],
    later: Annotated[RevisionNumber, Query()],
) -> NowAfter:
    """What lies between two revisions: lines, channel numbers, snags."""
    then, since = rigs.rig_at(session, rig_id, earlier), rigs.rig_at(session, rig_id, later)
    return compare_rigs(then, since, f"revision {earlier} → {later}")


@router.get("/{rig_id}/remedies")
def remedies(rig_id: UUID, snag: Annotated[str, Query(max_length=200)], session: Database) -> list[RemedyView]:
    """The remedies of a snag, best first, each with what it would change."""
    rig = rigs.read_rig(session, rig_id).rig
    found = next((each for each in find_snags(read(rig)) if each.key == snag), None)
    return [
        RemedyView(remedy.words, remedy.edits, trial(rig, remedy.edits)) for remedy in (found.mend() if found else ())
    ]


@router.get("/{rig_id}/lines/{line_id}/choices")
def station_choices(rig_id: UUID, line_id: str, column: Annotated[Column, Query()], session: Database) -> Choices:
    """What a station of a line can be set to."""
    reading = read(rigs.read_rig(session, rig_id).rig)
    state = next((each for each in reading.lines if each.line.id == line_id), None)
    if state is None:
        raise Refused("line", "there is no such line in this rig; it may have been removed")
    return choices(reading, state, column)


@router.post(
    "/{rig_id}/input-list/read",
    openapi_extra={"requestBody": {"required": True, "content": {"text/csv": {"schema": {"type": "string"}}}}},
)
async def read_list(rig_id: UUID, request: Request) -> ListView:
    """Read a CSV input list into rows; nothing is made yet."""
    found = read_input_list(await request.body())
    return ListView(found.rows, found.mapping, found.left_out, found.separator, found.encoding)


@router.post("/{rig_id}/input-list/plan")
def plan_list(rig_id: UUID, wanted: Annotated[RowsRequest, Body()], session: Database) -> PlanView:
    """What the good rows would do, and why each bad one is refused; nothing is made yet."""
    rig = rigs.read_rig(session, rig_id).rig
    plan = plan_rows(rig, wanted.rows)
    return PlanView(plan.edits, plan.rows, trial(rig, plan.edits) if plan.edits else None)
