"""Parts over HTTP: kept, listed, shared as files, and what bringing one in would do."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlmodel import Session

from iskelo.api.asked import Database, EditDatabase, at_once, known_of, now
from iskelo.api.downloads import attachment
from iskelo.api.problems import ANSWERS
from iskelo.api.views import BringInRequest, BringRequest, KeepPartRequest, RenameRequest, State, answer_with
from iskelo.core.compare import NowAfter, trial
from iskelo.core.edits.edit import BringIn
from iskelo.core.edits.parts.bringing import bring
from iskelo.core.edits.parts.keeping import keep, kinds_of
from iskelo.core.edits.parts.under_way import PartRow, PieceRow, PortRow
from iskelo.core.rig.part import Bringing, Part, PartKind
from iskelo.core.rig.text import Ids
from iskelo.formats.part_file import read_part, write_part
from iskelo.store import parts, rigs

router = APIRouter(prefix="/api", responses=ANSWERS)


@dataclass(frozen=True, slots=True)
class PartEntry:
    """A part in the library: its pieces by name, what of them it holds; ``used_at``: when it was brought in last."""

    id: UUID
    name: str
    kinds: tuple[PartKind, ...]
    pieces: tuple[str, ...]
    made_at: datetime
    used_at: datetime | None


@dataclass(frozen=True, slots=True)
class BringView:
    """What bringing a part in would do; nothing is made yet.

    ``choices``: by each piece's id the gear here that it could be brought into; ``offers``: how many things here
    nobody uses and the part does not have.
    """

    pieces: tuple[PieceRow, ...]
    choices: dict[str, tuple[tuple[str, str], ...]]
    rows: tuple[PartRow, ...]
    ports: tuple[PortRow, ...]
    offers: int
    trial: NowAfter


@router.get("/parts")
def list_parts(session: Database) -> list[PartEntry]:
    """Every part that was kept, the one used last first."""
    return [
        PartEntry(
            each.id,
            each.part.name,
            each.part.kinds,
            tuple(gear.name for gear in each.part.rig.gear if gear.id in each.part.pieces),
            each.made_at,
            each.used_at,
        )
        for each in parts.kept_parts(session)
    ]


@router.post("/parts", status_code=201)
def keep_part(wanted: KeepPartRequest, session: Database) -> list[PartEntry]:
    """Keep gear of a rig as a part."""
    part = keep(rigs.read_rig(session, wanted.rig).rig, wanted.pieces, wanted.name, wanted.kinds)
    parts.keep_part(session, part, now(), replace=wanted.replace, rig=wanted.rig)
    return list_parts(session)


@router.post(
    "/parts/import",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"type": "object", "additionalProperties": True}}},
        }
    },
)
async def import_part(request: Request) -> list[PartEntry]:
    """Keep the part of a file; under a free name if another one is called so, and once only if it is here already."""
    data, engine = await request.body(), request.app.state.engine

    def kept() -> list[PartEntry]:
        part = read_part(data)
        with Session(engine) as session:
            parts.add_parts(session, (part,), now())
            session.commit()
            return list_parts(session)

    return await run_in_threadpool(kept)


@router.get("/parts/{part_id}/file", response_class=Response, responses={200: {"content": {"application/json": {}}}})
def part_file(part_id: UUID, session: Database) -> Response:
    """A part as a file to share."""
    part = parts.read_part(session, part_id)
    disposition = attachment(f"{part.name}.part.json")
    return Response(write_part(part), media_type="application/json", headers={"Content-Disposition": disposition})


@router.put("/parts/{part_id}/name")
def rename_part(part_id: UUID, wanted: RenameRequest, session: Database) -> list[PartEntry]:
    """Call a part something else."""
    parts.rename_part(session, part_id, wanted.name)
    return list_parts(session)


@router.delete("/parts/{part_id}")
def forget_part(part_id: UUID, session: Database) -> list[PartEntry]:
    """Take a part out of the library."""
    parts.forget_part(session, part_id)
    return list_parts(session)


@router.get("/rigs/{rig_id}/keepable")
def keepable(rig_id: UUID, session: Database, piece: Annotated[Ids, Query(max_length=1024)]) -> list[PartKind]:
    """What there is to keep of some of a rig's gear."""
    return list(kinds_of(rigs.read_rig(session, rig_id).rig, piece))


@router.post("/rigs/{rig_id}/bring-in/trial")
def try_to_bring_in(rig_id: UUID, wanted: BringRequest, session: Database) -> BringView:
    """What bringing a part in would do: what becomes of everything, where channels go, Now and After."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    edit = _edit(parts.read_part(session, wanted.part), wanted)
    brought = bring(rig, edit)
    choices = {
        piece.piece: tuple((gear.id, gear.name) for gear in rig.gear if gear.kind == piece.kind)
        for piece in brought.pieces
    }
    offers = sum(row.does in ("not needed", "removed") for row in brought.rows)
    return BringView(brought.pieces, choices, brought.rows, brought.ports, offers, trial(rig, (edit,), known))


@router.post("/rigs/{rig_id}/bring-in", response_model=State)
@at_once
def bring_in(rig_id: UUID, wanted: BringInRequest, session: EditDatabase) -> Response:
    """Bring a part in; it stands first in the library from here on."""
    part = parts.read_part(session, wanted.wanted.part)
    kept = rigs.edit_rig(session, rig_id, wanted.revision, (_edit(part, wanted.wanted),), now())
    parts.use_part(session, wanted.wanted.part, now(), rig_id)
    return answer_with(session, kept)


def _edit(part: Part, wanted: BringRequest) -> BringIn:
    return BringIn(part=part, **{name: getattr(wanted, name) for name in Bringing.model_fields})
