"""Songs over HTTP: a program's tempos and markers as Standard MIDI files."""

from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlmodel import Session

from iskelo.api.asked import Database, known_of
from iskelo.api.problems import ANSWERS
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import SetValues
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.programs import Program
from iskelo.formats.song_file import read_song, song_edit, write_song
from iskelo.store import rigs

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


@router.get(
    "/{rig_id}/programs/{program_id}/song",
    response_class=Response,
    responses={200: {"content": {"audio/midi": {}}}},
)
def song(rig_id: UUID, program_id: str, session: Database) -> Response:
    """A program's tempos and markers as a Standard MIDI file."""
    program = _program(known_of(session, rig_id).reading.found, program_id)
    return Response(
        write_song(program),
        media_type="audio/midi",
        headers={"Content-Disposition": 'attachment; filename="song.mid"'},
    )


@router.post(
    "/{rig_id}/programs/{program_id}/song",
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def read_song_of(rig_id: UUID, program_id: str, request: Request) -> SetValues:
    """The edit that gives a program the tempos and markers of a Standard MIDI file; nothing is set yet."""
    data, engine = await request.body(), request.app.state.engine

    def made() -> SetValues:
        with Session(engine) as session:
            program = _program(index(rigs.read_rig(session, rig_id).rig), program_id)
        return song_edit(program, read_song(data))

    return await run_in_threadpool(made)


def _program(found: Index, program_id: str) -> Program:
    program = found.gear.get(program_id)
    if not isinstance(program, Program):
        raise Refused("program", "there is no such program in this rig; it may have been removed")
    return program
