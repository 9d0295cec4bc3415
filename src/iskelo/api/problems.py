"""Errors as problem details (RFC 9457): a title, the reason in a technician's words, and the place."""

import logging
import shutil
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse, JSONResponse, Response
from psycopg.errors import DiskFull
from pydantic import BaseModel
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from iskelo.api.apart import Left
from iskelo.api.aside import Unfinished
from iskelo.api.settings import Settings
from iskelo.core.edits.base import Refused, plainly
from iskelo.formats.refusal import Unreadable
from iskelo.store.catalogue import NoSuchEntry
from iskelo.store.checks import NoSuchCheck
from iskelo.store.parts import NoSuchPart
from iskelo.store.revisions import Faulty, NoSuchRig
from iskelo.store.rigs import NothingTo

log = logging.getLogger("iskelo")


class Problem(BaseModel):
    """A problem-details answer; ``place`` names the field, gear or row it is about."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    place: str = ""


def problem(status: int, title: str, detail: str, place: str = "", **more: Any) -> JSONResponse:
    body = Problem(title=title, status=status, detail=detail, place=place).model_dump() | more
    return JSONResponse(body, status, media_type=PROBLEM)


PROBLEM = "application/problem+json"

ANSWERS: dict[int | str, dict[str, Any]] = {
    status: {"description": what, "content": {PROBLEM: {"schema": {"$ref": "#/components/schemas/Problem"}}}}
    for status, what in {
        400: "The request cannot be read",
        403: "Not from one of Iskelo's own pages",
        404: "No such rig, check, piece or address",
        409: "The rig has moved on, cannot be read, or there is nothing to undo or redo",
        413: "Too large",
        422: "Refused, with the place and the reason",
        408: "What was sent did not come in time",
        503: "The database does not answer, or too many ask at once",
        507: "The disk is full",
    }.items()
}
"""What any request may be answered with beside its own."""

CLIENT_LEFT = 499
"""Nobody reads this answer: who asked has gone."""

DISK_FULL_BYTES = 16 * 1024 * 1024


MAYBE = "This change may have been made or not: the rig is read again as soon as that can be done."
AGAIN = "Try again shortly."


def _disk_is_full(settings: Settings) -> bool:
    """Whether a database that has gone away found no room: PostgreSQL stops when it cannot write."""
    try:
        return settings.data_dir is not None and shutil.disk_usage(settings.data_dir).free < DISK_FULL_BYTES
    except OSError:
        return False


def install(app: FastAPI, settings: Settings) -> None:
    """Turn every known error into its answer; nothing is a bare 500."""

    @app.exception_handler(Refused)
    async def _refused(_: Request, error: Refused) -> Response:
        return problem(422, "Refused", error.reason, error.place)

    @app.exception_handler(Unreadable)
    async def _unreadable(_: Request, error: Unreadable) -> Response:
        return problem(422, "The file cannot be read", error.reason, error.place)

    @app.exception_handler(NoSuchRig)
    async def _no_rig(_: Request, __: NoSuchRig) -> Response:
        return problem(404, "No such rig", "There is no such rig here; it may have been removed.")

    @app.exception_handler(NoSuchCheck)
    async def _no_check(_: Request, __: NoSuchCheck) -> Response:
        return problem(404, "No such take", "There is no such check, or its sound is not kept any more.")

    @app.exception_handler(NoSuchEntry)
    async def _no_entry(_: Request, __: NoSuchEntry) -> Response:
        return problem(404, "No such entry", "There is no such piece in the catalogue; it may have been taken out.")

    @app.exception_handler(NoSuchPart)
    async def _no_part(_: Request, __: NoSuchPart) -> Response:
        return problem(404, "No such part", "There is no such part here; it may have been taken out.")

    @app.exception_handler(NothingTo)
    async def _nothing(_: Request, error: NothingTo) -> Response:
        return problem(409, "Nothing to do", str(error))

    @app.exception_handler(Left)
    @app.exception_handler(ClientDisconnect)
    async def _left(_: Request, __: Exception) -> Response:
        return Response(status_code=CLIENT_LEFT)

    @app.exception_handler(RequestValidationError)
    async def _invalid(_: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        words = [str(part).replace("_", " ") for part in first["loc"] if part != "body"]
        return problem(
            422, "Refused", plainly(first["type"], first.get("ctx", {}), str(first["msg"])), " › ".join(words)
        )

    @app.exception_handler(Faulty)
    async def _faulty(_: Request, error: Faulty) -> Response:
        words = f"{error.fault.words} It can be looked at, and an earlier revision gone back to; it cannot be changed."
        return problem(409, "The rig cannot be read", words, error.fault.place)

    @app.exception_handler(Unfinished)
    async def _unfinished(_: Request, error: Unfinished) -> Response:
        return problem(422, "Given up", str(error))

    @app.exception_handler(PoolTimeout)
    async def _busy(request: Request, _: PoolTimeout) -> Response:
        log.error("every connection to the database is in use")
        return problem(503, "Busy", f"Too many ask at once, and nothing was changed. {AGAIN}")

    @app.exception_handler(DBAPIError)
    async def _database(request: Request, error: DBAPIError) -> Response:
        log.error("database: %s", error)
        writes = request.method not in ("GET", "HEAD")
        # What is wrong with the data is no database that is away.
        if isinstance(error, IntegrityError):
            words = "Something was kept under the same name, or taken away, at the same moment; nothing was changed."
            return problem(422, "Refused", f"{words} {AGAIN}")
        if isinstance(error, DataError):
            return problem(422, "Refused", "This holds something that cannot be kept; nothing was changed.")
        if not isinstance(error, OperationalError | InterfaceError):
            return _our_fault(writes)
        if isinstance(error.orig, DiskFull) or _disk_is_full(settings):
            words = "The disk is full, so nothing can be kept. Make room; what was kept is safe."
            return problem(507, "The disk is full", f"{words} {MAYBE}" if writes else words)
        words = "The database does not answer. What was kept is safe."
        return problem(503, "The database does not answer", f"{words} {MAYBE}" if writes else f"{words} {AGAIN}")

    @app.exception_handler(Exception)
    async def _unforeseen(request: Request, _: Exception) -> Response:
        return _our_fault(request.method not in ("GET", "HEAD"))

    @app.exception_handler(HTTPException)
    async def _http(request: Request, error: HTTPException) -> Response:
        if error.status_code == 404:
            if _is_screen(request) and settings.web_dir is not None:
                return FileResponse(settings.web_dir / "index.html", headers={"Cache-Control": "no-cache"})
            return problem(404, "No such address", f"There is nothing at {request.url.path[:200]}.")
        words = "This address does not take that method." if error.status_code == 405 else str(error.detail)
        answer = problem(error.status_code, "Not possible", words)
        answer.headers.update(error.headers or {})
        return answer


def _our_fault(writes: bool) -> Response:
    words = "This is a fault in Iskelo, not in the rig; what was kept is safe."
    return problem(500, "A fault in Iskelo", f"{words} {MAYBE}" if writes else words)


def _is_screen(request: Request) -> bool:
    """Whether an address is one of the screens' own: they find their way by themselves, from one page."""
    first = request.url.path.split("/")[1]
    return request.method in ("GET", "HEAD") and first not in ("api", "assets")


def described(app: FastAPI) -> dict[str, Any]:
    """The contract, with what a problem looks like: it has a media type of its own."""
    if app.openapi_schema is None:
        document = get_openapi(title=app.title, version=app.version, routes=app.routes)
        document.setdefault("components", {}).setdefault("schemas", {})["Problem"] = Problem.model_json_schema()
        app.openapi_schema = document
    return app.openapi_schema
