"""Rigs over HTTP: list, make, read, edit, undo, redo, go back, compare, export, import."""

from datetime import timedelta
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlmodel import Session

from iskelo.api import surveys
from iskelo.api.asked import Database, EditDatabase, at_once, now, stock
from iskelo.api.problems import ANSWERS
from iskelo.api.views import (
    ArchiveRequest,
    EditRequest,
    JumpRequest,
    KeepRequest,
    MoveRequest,
    NewRig,
    PhraseRequest,
    RevisionNumber,
    State,
    answer_with,
)
from iskelo.core.compare import NowAfter, compare_rigs
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import BringIn
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.rig.rig import Rig
from iskelo.demo.examples import EXAMPLES
from iskelo.formats.rig_file import read_rig, write_rig
from iskelo.store import parts, rigs
from iskelo.store.revisions import rig_at
from iskelo.store.rigs import Revision, RigSummary
from iskelo.store.thinning import thin, thinned

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)

Days = Annotated[int, Query(ge=0, le=3650)]


@router.get("")
def list_rigs(session: Database, find: Annotated[str, Query(max_length=80)] = "") -> list[RigSummary]:
    """All rigs, the one changed last first; with ``find`` those that hold something of that name, and what it is."""
    return rigs.find_rigs(session, find.strip()) if find.strip() else rigs.list_rigs(session)


@router.post("", status_code=201, response_model=State)
def make_rig(wanted: NewRig, session: Database) -> Response:
    """Make a blank rig, or one that starts as an example or from a part."""
    if wanted.example is not None:
        if wanted.example not in EXAMPLES:
            raise Refused("example", f"there is no example {wanted.example!r}; there is {', '.join(EXAMPLES)}")
        example = EXAMPLES[wanted.example]()
        return answer_with(session, rigs.make_rig(session, example, uuid4(), now(), "opened the example"), 201)
    rig, words = Rig(name=wanted.name), "made a blank rig"
    if wanted.part is not None:
        part = parts.read_part(session, wanted.part)
        # What it says of the computer and the recording comes along with the gear.
        rig = part.rig.model_copy(update={"name": wanted.name, "gear": (), "patches": (), "lines": ()})
        rig, words = apply(rig, (BringIn(part=part),)).rig, f"made from the part {part.name}"
    kept = rigs.make_rig(session, rig, uuid4(), now(), words)
    if wanted.part is not None:
        parts.use_part(session, wanted.part, now(), kept.id)
    return answer_with(session, kept, 201)


@router.post(
    "/import",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"type": "object", "additionalProperties": True}}},
        }
    },
    response_model=State,
)
async def import_rig(request: Request) -> Response:
    """Read a rig file as a new rig."""
    data, engine = await request.body(), request.app.state.engine

    def keep() -> Response:
        rig = read_rig(data)
        with Session(engine) as session:
            return answer_with(session, rigs.make_rig(session, rig, uuid4(), now(), "imported from a file"), 201)

    return await run_in_threadpool(keep)


@router.get("/{rig_id}", response_model=State)
def read_state(rig_id: UUID, session: Database) -> Response:
    """The rig as it is now, with its survey."""
    return answer_with(session, rigs.read_rig(session, rig_id))


@router.delete("/{rig_id}", status_code=204)
def remove_rig(rig_id: UUID, session: Database) -> None:
    """Remove a rig with its history and takes."""
    rigs.remove_rig(session, rig_id)
    surveys.forget(rig_id)


@router.post("/{rig_id}/duplicate", status_code=201, response_model=State)
def duplicate(rig_id: UUID, session: Database) -> Response:
    """A rig of its own that is as this one is now."""
    return answer_with(session, rigs.duplicate(session, rig_id, uuid4(), now()), 201)


@router.put("/{rig_id}/archived", status_code=204)
def archive(rig_id: UUID, wanted: ArchiveRequest, session: Database) -> None:
    """Put a rig by, or take it up again."""
    rigs.archive(session, rig_id, now() if wanted.archived else None)


@router.get("/{rig_id}/thinning")
def thinning(rig_id: UUID, session: Database, days: Days = 30) -> int:
    """How many revisions thinning would take away."""
    return len(thinned(session, rig_id, now() - timedelta(days=days)))


@router.post("/{rig_id}/thin")
def thin_history(rig_id: UUID, session: Database, days: Days = 30) -> list[Revision]:
    """Of the revisions older than so many days keep the last of each day, every named one, and those that were checked.

    Answers with the history that is left.
    """
    thin(session, rig_id, now() - timedelta(days=days))
    return rigs.history(session, rig_id)


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


@router.post("/{rig_id}/edits", response_model=State)
@at_once
def edit_rig(rig_id: UUID, wanted: EditRequest, session: EditDatabase) -> Response:
    """Apply edits, all or none; 409 with the newer state if the rig has moved on."""
    return answer_with(session, rigs.edit_rig(session, rig_id, wanted.revision, wanted.edits, now()))


@router.post("/{rig_id}/undo", response_model=State)
@at_once
def undo(rig_id: UUID, wanted: MoveRequest, session: EditDatabase) -> Response:
    """Take the last edit back."""
    return answer_with(session, rigs.undo(session, rig_id, wanted.revision, now()))


@router.post("/{rig_id}/redo", response_model=State)
@at_once
def redo(rig_id: UUID, wanted: MoveRequest, session: EditDatabase) -> Response:
    """Bring an edit back that was undone."""
    return answer_with(session, rigs.redo(session, rig_id, wanted.revision, now()))


@router.post("/{rig_id}/phrase", response_model=State)
@at_once
def add_by_phrase(rig_id: UUID, wanted: PhraseRequest, session: EditDatabase) -> Response:
    """Add gear typed as a phrase, such as '4 mic' or 'box 8x8 Corvane'."""
    edits = gear_phrase(wanted.text, stock(session))
    return answer_with(session, rigs.edit_rig(session, rig_id, wanted.revision, edits, now()))


@router.get("/{rig_id}/history")
def history(rig_id: UUID, session: Database) -> list[Revision]:
    """Every revision in words, the newest first."""
    return rigs.history(session, rig_id)


@router.post("/{rig_id}/jump", response_model=State)
@at_once
def jump(rig_id: UUID, wanted: JumpRequest, session: EditDatabase) -> Response:
    """Go to any revision; the others stay in the history."""
    return answer_with(session, rigs.jump(session, rig_id, wanted.revision, wanted.to, now()))


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
    """What lies between two revisions: lines, channel numbers, settings, snags."""
    then, since = rig_at(session, rig_id, earlier), rig_at(session, rig_id, later)
    return compare_rigs(then, since, f"revision {earlier} → {later}")
