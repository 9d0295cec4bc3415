"""Bundles over HTTP: a rig with everything that belongs to it as one zip, written and read part by part."""

import datetime
import re
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from sqlalchemy import Engine
from sqlmodel import Session

from iskelo.api.asked import now
from iskelo.api.checks import take_part
from iskelo.api.downloads import attachment
from iskelo.api.problems import ANSWERS
from iskelo.api.sheets import beside_of, pdf_of
from iskelo.api.surveys import surveyed
from iskelo.api.views import State, answer_with
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.formats.bundle import (
    LIST,
    PART_BYTES,
    Bundle,
    BundledCheck,
    BundledRevision,
    BundledTake,
    BundleList,
    Entry,
    write_bundle,
    write_ledger,
)
from iskelo.formats.label_pdf import USUAL_HEIGHT_MM, USUAL_WIDTH_MM
from iskelo.formats.part_file import write_part
from iskelo.formats.rig_file import write_rig
from iskelo.formats.sheet_files import SheetHead, write_xlsx
from iskelo.formats.sheet_pdf import Paper
from iskelo.store import checks, parts, rigs
from iskelo.store.bundles import take_in
from iskelo.store.revisions import Faulty, rig_at

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)

TAKES_AT_MOST = 4
CHECKS_AT_MOST = 50
IN_MEMORY_BYTES = 4 * 1024 * 1024
UNSAFE = re.compile(r"[^A-Za-z0-9 ._-]+")


@router.get("/{rig_id}/bundle", response_class=Response, responses={200: {"content": {"application/zip": {}}}})
def bundle(
    rig_id: UUID,
    request: Request,
    takes: Annotated[int, Query(ge=0, le=TAKES_AT_MOST)] = TAKES_AT_MOST,
    library: Annotated[bool, Query()] = True,
    paper: Annotated[Paper, Query()] = "A4",
    date: Annotated[datetime.date | None, Query()] = None,
) -> Response:
    """A rig with its named and checked revisions, the last ``takes`` takes, its sheets, and (``library``) its parts."""
    engine: Engine = request.app.state.engine
    with Session(engine) as session:
        kept = rigs.read_rig(session, rig_id)
    if kept.fault is not None:
        raise Faulty(kept.fault)
    day = date or now().date()
    written = write_bundle(_entries(engine, rig_id, takes, paper, day, library=library), now())
    name = f"{kept.rig.name}, rev {kept.revision}, {day.isoformat()}.zip"
    return StreamingResponse(written, media_type="application/zip", headers={"Content-Disposition": attachment(name)})


@router.post(
    "/import-bundle",
    status_code=201,
    response_model=State,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def import_bundle(request: Request) -> Response:
    """Take a bundle in as a new rig."""
    engine: Engine = request.app.state.engine
    with tempfile.SpooledTemporaryFile(IN_MEMORY_BYTES) as file:
        async for part in request.stream():
            await run_in_threadpool(file.write, part)
        file.seek(0)

        def keep() -> Response:
            with Session(engine) as session:
                return answer_with(session, take_in(session, Bundle(file), uuid4(), now()), 201)

        return await run_in_threadpool(keep)


@dataclass(frozen=True, slots=True)
class _Sound:
    """A take's file in the database."""

    check: UUID
    rate_hz: int
    size: int


def _entries(
    engine: Engine, rig_id: UUID, takes: int, paper: Paper, day: datetime.date, *, library: bool
) -> Iterator[Entry]:
    """Everything of a bundle; each is made when it is written."""
    with Session(engine) as session:
        kept = rigs.read_rig(session, rig_id)
        done, sounds = _checks(session, rig_id, takes)
        revisions = _revisions(session, kept, {check.revision for check in done.values()})
        listed_numbers = {revision.number for revision in revisions}
        done = {check_id: check for check_id, check in done.items() if check.revision in listed_numbers}
        sounds = {name: sound for name, sound in sounds.items() if sound.check in done}
        of_library = parts.parts_of(session, rig_id) if library else []
        beside = beside_of(session, kept, ledger=True, ticked=True)
    part_files = {f"parts/{n} {_plain(each.part.name)}.part.json": each.part for n, each in enumerate(of_library, 1)}
    reading = surveyed(rig_id, kept.rig).reading
    names = {f"sheets/{n:03d} {_plain(each.title)}": each for n, each in enumerate(sheet_names(reading, beside), 1)}
    books = [name for name, each in names.items() if each.group == "Lists"]
    listed = BundleList(
        revisions=revisions,
        checks=tuple(done.values()),
        parts=tuple(part_files),
        sheets=(*(f"{name}.pdf" for name in names), *(f"{name}.xlsx" for name in books)),
    )
    yield Entry(LIST, [listed.model_dump_json(indent=2).encode()])
    for revision in revisions:
        yield Entry(revision.file, _made(partial(_rig, engine, rig_id, revision.number)))
    for check_id, check in done.items():
        yield Entry(check.ledger, _made(partial(_ledger, engine, check_id)))
    for name, part in part_files.items():
        yield Entry(name, [write_part(part)])
    head = SheetHead(kept.rig.name, kept.revision, day.isoformat())
    for name, each in names.items():
        sheet = sheet_of(reading, each.key, beside)
        yield Entry(f"{name}.pdf", [pdf_of(sheet, head, paper, USUAL_WIDTH_MM, USUAL_HEIGHT_MM)], packed=False)
        if name in books:
            yield Entry(f"{name}.xlsx", [write_xlsx(sheet, head)], packed=False)
    for name, sound in sounds.items():
        yield Entry(name, _wav(engine, sound), packed=False)


def _checks(session: Session, rig_id: UUID, takes: int) -> tuple[dict[UUID, BundledCheck], dict[str, _Sound]]:
    """The checks that are done, the oldest first, by id; and the files of the last takes, by name."""
    found: dict[UUID, BundledCheck] = {}
    sounds: dict[str, _Sound] = {}
    with_sound = 0
    for about in checks.done_checks(session, rig_id, CHECKS_AT_MOST):
        files = checks.take_files(session, about.id)
        taken: list[BundledTake] = []
        if files and with_sound < takes:
            with_sound += 1
            for rate, places, size in files:
                name = f"takes/take {about.number}, {rate} Hz.wav".replace(",", "")
                taken.append(BundledTake(rate_hz=rate, channels=tuple(places), file=name))
                sounds[name] = _Sound(about.id, rate, size)
        found[about.id] = BundledCheck(
            number=about.number,
            revision=about.revision,
            only=about.only,
            faults=about.faults,
            made_at=about.made_at,
            finished_at=about.finished_at,
            ledger=f"checks/check {about.number}.json",
            takes=tuple(taken),
        )
    return dict(reversed(found.items())), sounds


def _revisions(session: Session, kept: rigs.Kept, checked: set[int]) -> tuple[BundledRevision, ...]:
    """The revisions that were checked, those with a name, and last the one that the rig is at."""
    told = {each.number: each for each in rigs.history(session, kept.id)}
    wanted = (checked | {number for number, each in told.items() if each.kept_as}) & told.keys() - {kept.revision}
    # What cannot be read would end the file in the middle.
    whole = [number for number in sorted(wanted) if _reads(session, kept.id, number)]
    return tuple(
        BundledRevision(
            number=number,
            words=told[number].words[:4000],
            made_at=told[number].made_at,
            kept_as=told[number].kept_as,
            file=f"revisions/{number}.rig.json",
        )
        for number in (*whole, kept.revision)
    )


def _reads(session: Session, rig_id: UUID, number: int) -> bool:
    try:
        rig_at(session, rig_id, number)
    except Faulty:
        return False
    return True


def _made(make: Callable[[], bytes]) -> Iterator[bytes]:
    """Something that is made only when it is its turn."""
    yield make()


def _rig(engine: Engine, rig_id: UUID, number: int) -> bytes:
    with Session(engine) as session:
        return write_rig(rig_at(session, rig_id, number))


def _ledger(engine: Engine, check_id: UUID) -> bytes:
    with Session(engine) as session:
        return write_ledger(checks.read_check(session, check_id).ledger)


def _wav(engine: Engine, sound: _Sound) -> Iterator[bytes]:
    for at in range(0, sound.size, PART_BYTES):
        yield take_part(engine, sound.check, sound.rate_hz, at, min(PART_BYTES, sound.size - at))


def _plain(name: str) -> str:
    """A name that every system takes for a file."""
    return UNSAFE.sub("-", name).strip(" .-")[:60] or "unnamed"
