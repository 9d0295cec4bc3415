"""Errors as problem details (RFC 9457): a title, the reason in a technician's words, and the place."""

import logging
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from pydantic import BaseModel
from sqlalchemy.exc import DBAPIError, OperationalError
from starlette.exceptions import HTTPException

from iskelo.api.settings import Settings
from iskelo.core.edits.base import Refused, plainly
from iskelo.formats.refusal import Unreadable
from iskelo.store.catalogue import NoSuchEntry
from iskelo.store.checks import NoSuchCheck
from iskelo.store.rigs import NoSuchRig, NothingTo

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
    return JSONResponse(body, status, media_type="application/problem+json")


ANSWERS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "description": what}
    for status, what in {
        400: "The request cannot be read",
        404: "No such rig or check",
        409: "The rig has moved on, or there is nothing to undo or redo",
        413: "Too large",
        422: "Refused, with the place and the reason",
        503: "The database does not answer",
    }.items()
}


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

    @app.exception_handler(NothingTo)
    async def _nothing(_: Request, error: NothingTo) -> Response:
        return problem(409, "Nothing to do", str(error))

    @app.exception_handler(RequestValidationError)
    async def _invalid(_: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        words = [str(part).replace("_", " ") for part in first["loc"] if part != "body"]
        return problem(422, "Refused", plainly(str(first["msg"])), " › ".join(words))

    @app.exception_handler(OperationalError)
    @app.exception_handler(DBAPIError)
    async def _database(_: Request, error: DBAPIError) -> Response:
        log.error("database: %s", error)
        return problem(
            503,
            "The database does not answer",
            "The database does not answer. What was kept is safe; this change was not made. Try again shortly.",
        )

    @app.exception_handler(HTTPException)
    async def _http(request: Request, error: HTTPException) -> Response:
        page = request.method in ("GET", "HEAD") and not request.url.path.startswith(("/api", "/assets"))
        if error.status_code == 404 and page and settings.web_dir is not None:
            return FileResponse(settings.web_dir / "index.html", headers={"Cache-Control": "no-cache"})
        return problem(error.status_code, "Not possible", str(error.detail))
