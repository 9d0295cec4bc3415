"""Input lists over HTTP: read into rows, and what the rows would do."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Body, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import StringConstraints

from iskelo.api.apart import read_list_apart
from iskelo.api.asked import aside
from iskelo.api.problems import ANSWERS
from iskelo.api.views import (
    ListView,
    PlanView,
    RowsRequest,
)
from iskelo.formats.input_list_file import is_workbook, mapped_rows, read_input_list

ColumnTaken = Annotated[
    str, StringConstraints(pattern=r"^(name|source|box_input|track|heard_at|purpose|limit|phantom):\d{1,2}$")
]

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


@router.post(
    "/{rig_id}/input-list/read",
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def read_list(
    rig_id: UUID, request: Request, column: Annotated[list[ColumnTaken] | None, Query(max_length=16)] = None
) -> ListView:
    """Read an input list (CSV, pasted cells or XLSX) into rows; nothing is made yet.

    ``column`` says which column is taken for which field ('source:1'); without any, the titles decide.
    """
    data = await request.body()
    found = await (read_list_apart(request, data) if is_workbook(data) else run_in_threadpool(read_input_list, data))
    mapping = dict(each.split(":") for each in column) if column is not None else None
    taken = found.mapping if mapping is None else {field: int(place) for field, place in mapping.items()}
    notes = tuple(f"column “{title}” is filled and stands for nothing yet" for title in found.unused(taken))
    return ListView(
        mapped_rows(found, taken),
        found.titles,
        taken,
        found.kind,
        (*found.notes, *notes),
        found.asks and column is None,
    )


@router.post("/{rig_id}/input-list/plan", response_model=PlanView)
async def plan_list(rig_id: UUID, wanted: Annotated[RowsRequest, Body()], request: Request) -> Response:
    """What the good rows would do, and why each bad one is refused; nothing is made yet."""
    return await aside(request, rig_id, "rows_planned", wanted.rows)
