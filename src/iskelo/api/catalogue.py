"""The catalogue over HTTP: what can be added to a rig, what somebody kept, files to share."""

from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlmodel import Session

from iskelo.api.asked import Database, now
from iskelo.api.problems import ANSWERS
from iskelo.api.views import KeepGearRequest
from iskelo.core.edits.base import Refused
from iskelo.core.rig.gear import Aggregate, Gear
from iskelo.demo.catalogue import catalogue
from iskelo.formats.catalogue_file import read_catalogue, write_catalogue
from iskelo.store import catalogue as kept
from iskelo.store import rigs

router = APIRouter(prefix="/api/catalogue", responses=ANSWERS)


@dataclass(frozen=True, slots=True)
class Entry:
    """A piece of the catalogue; ``id`` None: it ships with Iskelo and cannot be taken out."""

    id: UUID | None
    gear: Gear


@router.get("")
def list_catalogue(session: Database) -> list[Entry]:
    """Every piece: those somebody kept, then those that ship."""
    own = [Entry(each.id, each.gear) for each in kept.kept_gear(session)]
    names = {entry.gear.name.casefold() for entry in own}
    return own + [Entry(None, gear) for gear in catalogue() if gear.name.casefold() not in names]


@router.post("", status_code=201)
def keep_in_catalogue(wanted: KeepGearRequest, session: Database) -> list[Entry]:
    """Keep a piece of a rig's gear."""
    gear = next((each for each in rigs.read_rig(session, wanted.rig).rig.gear if each.id == wanted.gear), None)
    if gear is None:
        raise Refused("gear", "there is no such gear in this rig; it may have been removed")
    if isinstance(gear, Aggregate):
        raise Refused("gear", f"{gear.name} is made of this rig's boxes; keep those instead")
    kept.keep_gear(session, (gear,), now())
    return list_catalogue(session)


@router.get("/export", response_class=Response, responses={200: {"content": {"application/json": {}}}})
def export_catalogue(session: Database) -> Response:
    """Everything somebody kept, as a file; nothing kept yet: what ships."""
    own = tuple(each.gear for each in kept.kept_gear(session)) or catalogue()
    return Response(
        write_catalogue(own),
        media_type="application/json",
        headers={"Content-Disposition": 'attachment; filename="iskelo.catalogue.json"'},
    )


@router.post(
    "/import",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {
                "application/json": {"schema": {"type": "object"}},
                "application/octet-stream": {"schema": {"type": "string", "format": "binary"}},
            },
        }
    },
)
async def import_catalogue(request: Request) -> list[Entry]:
    """Keep every piece of a catalogue file, or the box of a USB description (Audio Class 1.0 or 2.0)."""
    data, engine = await request.body(), request.app.state.engine

    def keep() -> list[Entry]:
        gear = read_catalogue(data)
        with Session(engine) as session:
            kept.keep_gear(session, gear, now())
            return list_catalogue(session)

    return await run_in_threadpool(keep)


@router.delete("/{entry_id}")
def forget(entry_id: UUID, session: Database) -> list[Entry]:
    """Take a piece that was kept out again."""
    kept.forget_gear(session, entry_id)
    return list_catalogue(session)
