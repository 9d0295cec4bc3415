"""Line checks over HTTP: start, watch, cancel; the take to download, draw and listen to."""

import asyncio
import contextlib
import json
import re
from collections.abc import Callable, Iterator
from functools import partial
from typing import Annotated
from uuid import UUID, uuid4

import numpy as np
from fastapi import APIRouter, Header, Query, Request, Response, WebSocket, WebSocketDisconnect
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from sqlalchemy import Engine
from sqlmodel import Session

from iskelo.api.asked import Database, aside, now
from iskelo.api.downloads import attachment
from iskelo.api.problems import ANSWERS
from iskelo.api.views import NO_WORKER, CheckRequest, CheckView, Wave, check_view
from iskelo.api.watches import Watches
from iskelo.core.edits.base import Refused
from iskelo.core.linecheck.faults import Fault
from iskelo.formats.wav import peaks, read_channel, write_wav
from iskelo.store import checks, rigs, ticks
from iskelo.store.checks import NoSuchCheck
from iskelo.store.queue import working
from iskelo.store.revisions import Faulty

router = APIRouter(prefix="/api", responses=ANSWERS)

PART_BYTES = 1024 * 1024
LISTEN_PEAK = 0.5
"""Peak of what is listened to: a take is played back at one loudness, whatever its level was."""


def _view(session: Session, check_id: UUID) -> CheckView:
    return check_view(session, checks.read_check(session, check_id))


@router.post("/rigs/{rig_id}/checks", status_code=202)
async def start_check(rig_id: UUID, request: Request, wanted: CheckRequest | None = None) -> CheckView:
    """Start a line check of the rig as it is now, of all lines or of some, with faults switched on or without."""
    wanted = wanted or CheckRequest()
    only = list(wanted.only) if wanted.only is not None else None
    faults = await _said(request, rig_id, wanted.faults) if wanted.faults else None
    engine: Engine = request.app.state.engine

    def started() -> CheckView:
        with Session(engine) as session:
            kept = rigs.read_rig(session, rig_id)
            if kept.fault is not None:
                raise Faulty(kept.fault)
            return check_view(session, checks.start_check(session, rig_id, uuid4(), now(), only, faults))

    return await run_in_threadpool(started)


async def _said(request: Request, rig_id: UUID, keys: tuple[str, ...]) -> list[list[str]]:
    """Faults by key with what they say; those that the rig cannot have any more are refused."""
    known = {each["key"]: each["words"] for each in json.loads(bytes((await faults(rig_id, request)).body))}
    gone = [key for key in keys if key not in known]
    if gone:
        raise Refused("faults", "one of these faults is not possible any more; the rig has changed")
    return [[key, known[key]] for key in keys]


@router.get("/rigs/{rig_id}/faults", response_model=list[Fault])
async def faults(rig_id: UUID, request: Request) -> Response:
    """What could go wrong with this rig, to be switched on for a run; nothing is changed by it."""
    return await aside(request, rig_id, "faults_in")


@router.get("/rigs/{rig_id}/checks/newest")
def newest_check(rig_id: UUID, session: Database) -> CheckView | None:
    """The rig's newest check, running or done."""
    rigs.read_rig(session, rig_id)
    row = checks.newest_check(session, rig_id)
    return _view(session, row.id) if row else None


@router.get("/checks/{check_id}")
def read_check(check_id: UUID, session: Database) -> CheckView:
    """A check with its ledger."""
    return _view(session, check_id)


@router.post("/checks/{check_id}/cancel")
def cancel_check(check_id: UUID, session: Database) -> CheckView:
    """End a check; what it was doing is dropped."""
    checks.cancel(session, check_id, now())
    return _view(session, check_id)


@router.get(
    "/checks/{check_id}/take.wav",
    response_class=Response,
    responses={200: {"content": {"audio/wav": {}}}, 206: {"content": {"audio/wav": {}}}},
)
def take_file(
    check_id: UUID,
    request: Request,
    session: Database,
    rate_hz: Annotated[int | None, Query(ge=1, le=1_000_000)] = None,
    range_wanted: Annotated[str | None, Header(alias="Range")] = None,
) -> Response:
    """The take as a multichannel WAV; a byte range of it if one is asked for."""
    files = checks.take_files(session, check_id)
    rate, size = next(((r, s) for r, _, s in files if rate_hz in (None, r)), (0, 0))
    if not size:
        raise NoSuchCheck(str(check_id))
    row = checks.read_check(session, check_id)
    day = (row.finished_at or row.made_at).strftime("%Y-%m-%d")
    rig = rigs.name_at(session, row.rig_id, row.revision)
    name = f"{rig}, rev {row.revision}, take {row.number}, {rate / 1000:g} kHz, {day}.wav"
    headers = {"Accept-Ranges": "bytes", "Content-Disposition": attachment(name)}
    part = partial(take_part, request.app.state.engine, check_id, rate)
    span = _range(range_wanted, size)
    if span is None:
        return _parts(part, 0, size, 200, headers)
    first, last = span
    if first >= size:
        return Response(status_code=416, headers={"Content-Range": f"bytes */{size}"})
    headers["Content-Range"] = f"bytes {first}-{last}/{size}"
    return _parts(part, first, last - first + 1, 206, headers)


def take_part(engine: Engine, check_id: UUID, rate_hz: int, start: int, count: int) -> bytes:
    """A stretch of a take; the connection is given back before anybody is sent it, for they may be slow, or gone."""
    with Session(engine) as session:
        return checks.take_bytes(session, check_id, rate_hz, start, count)


def _parts(part: Callable[[int, int], bytes], start: int, count: int, status: int, headers: dict[str, str]) -> Response:
    """A stretch of a take, read part by part: a large one never lies in memory whole, nor is read for nobody."""

    def read() -> Iterator[bytes]:
        for at in range(start, start + count, PART_BYTES):
            yield part(at, min(PART_BYTES, start + count - at))

    headers["Content-Length"] = str(count)
    return StreamingResponse(read(), status, media_type="audio/wav", headers=headers)


def _range(wanted: str | None, size: int) -> tuple[int, int] | None:
    """First and last byte of a single range (RFC 9110, 14.1.2); None to send everything."""
    match = re.fullmatch(r"bytes=(\d{0,15})-(\d{0,15})", wanted or "")
    if match is None or match[0] == "bytes=-":
        return None
    if not match[1]:
        return max(0, size - int(match[2])), size - 1
    last = min(int(match[2]), size - 1) if match[2] else size - 1
    first = int(match[1])
    return (first, last) if first <= last or first >= size else None


def _channel(session: Session, check_id: UUID, place: int) -> tuple[np.ndarray[tuple[int], np.dtype[np.float32]], int]:
    for rate_hz, places, size in checks.take_files(session, check_id):
        if place in places:

            def part(start: int, count: int, rate_hz: int = rate_hz) -> bytes:
                return checks.take_bytes(session, check_id, rate_hz, start, count)

            return read_channel(part, size, places.index(place)), rate_hz
    raise NoSuchCheck(str(check_id))


@router.get("/checks/{check_id}/wave")
def wave(
    check_id: UUID,
    channel: Annotated[int, Query(ge=0, le=10_000)],
    session: Database,
    bins: Annotated[int, Query(ge=1, le=4000)] = 800,
    first: Annotated[float, Query(ge=0, le=1)] = 0.0,
    last: Annotated[float, Query(ge=0, le=1)] = 1.0,
) -> Wave:
    """A channel of the take for drawing, between two shares of its length."""
    samples, rate_hz = _channel(session, check_id, channel)
    part = samples[int(first * len(samples)) : max(int(last * len(samples)), int(first * len(samples)) + 1)]
    drawn = peaks(part, bins)
    return Wave(rate_hz, len(samples) / rate_hz, tuple(low for low, _ in drawn), tuple(high for _, high in drawn))


@router.get("/checks/{check_id}/listen.wav", response_class=Response, responses={200: {"content": {"audio/wav": {}}}})
def listen(check_id: UUID, channel: Annotated[int, Query(ge=0, le=10_000)], session: Database) -> Response:
    """One channel of the take for both ears, brought to an even loudness."""
    samples, rate_hz = _channel(session, check_id, channel)
    peak = float(np.abs(samples).max()) if len(samples) else 0.0
    loud = samples * (LISTEN_PEAK / peak) if peak > 1e-5 else samples
    return Response(write_wav([loud, loud], rate_hz), media_type="audio/wav", headers={"Cache-Control": "no-store"})


@router.websocket("/rigs/{rig_id}/events")
async def events(socket: WebSocket, rig_id: UUID) -> None:
    """Tell a page whenever the rig's revision or its newest check changes."""
    watches: Watches = socket.app.state.watches
    await socket.accept()

    async def listening() -> None:
        """Ends when the page has gone; nothing that it says matters."""
        while True:
            await socket.receive_text()

    gone = asyncio.create_task(listening())
    try:
        async with watches.of(rig_id) as seen:
            while not gone.done():
                waiting = asyncio.create_task(seen.get())
                await asyncio.wait({gone, waiting}, return_when=asyncio.FIRST_COMPLETED)
                if not waiting.done():
                    waiting.cancel()
                    continue
                told = waiting.result()
                if told is None:
                    await socket.close(1000)
                    return
                await socket.send_text(told)
    except WebSocketDisconnect:
        return
    finally:
        gone.cancel()
        with contextlib.suppress(WebSocketDisconnect, asyncio.CancelledError, RuntimeError):
            await gone


def look(engine: Engine, rig_id: UUID) -> str | None:
    """What a page is told of a rig, as JSON; None when there is no such rig any more."""
    with Session(engine) as session:
        revision = rigs.head_of(session, rig_id)
        if revision is None:
            return None
        row = checks.newest_progress(session, rig_id)
        check = None
        if row is not None:
            stage = NO_WORKER if row.state == "queued" and not working(session) else row.stage
            check = {"id": str(row.id), "state": row.state, "share": round(row.share, 3), "stage": stage}
        return json.dumps({"revision": revision, "check": check, "ticks": ticks.ticks_mark(session, rig_id)})
