"""Sheets over HTTP: which there are, each of them as tables, and as a file to print or to reckon with."""

import datetime
from collections.abc import Callable
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query, Response

from iskelo.api.asked import Database, now
from iskelo.api.downloads import attachment
from iskelo.api.problems import ANSWERS
from iskelo.api.surveys import surveyed
from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.sheet import Sheet, SheetName
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.formats.label_pdf import USUAL_HEIGHT_MM, USUAL_WIDTH_MM, HeightMm, WidthMm, write_labels
from iskelo.formats.sheet_files import SheetHead, write_csv, write_xlsx
from iskelo.formats.sheet_pdf import Paper, write_pdf
from iskelo.store import rigs

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)

Form = Literal["pdf", "xlsx", "csv"]
MEDIA: dict[Form, str] = {
    "pdf": "application/pdf",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "csv": "text/csv; charset=utf-8",
}
Key = Annotated[str, Query(max_length=40)]


@router.get("/{rig_id}/sheets")
def sheets(rig_id: UUID, session: Database) -> list[SheetName]:
    """Every sheet that there is for a rig as it is now."""
    return list(sheet_names(surveyed(rig_id, rigs.read_rig(session, rig_id).rig).reading))


@router.get("/{rig_id}/sheet")
def sheet(rig_id: UUID, key: Key, session: Database) -> Sheet:
    """A whole sheet of a rig as it is now."""
    return _sheet(surveyed(rig_id, rigs.read_rig(session, rig_id).rig).reading, key)


@router.get(
    "/{rig_id}/sheet-file",
    response_class=Response,
    responses={200: {"content": {each: {} for each in MEDIA.values()}}},
)
def sheet_file(
    rig_id: UUID,
    key: Key,
    session: Database,
    form: Annotated[Form, Query()] = "pdf",
    paper: Annotated[Paper, Query()] = "A4",
    date: Annotated[datetime.date | None, Query()] = None,
    width_mm: Annotated[WidthMm, Query()] = USUAL_WIDTH_MM,
    height_mm: Annotated[HeightMm, Query()] = USUAL_HEIGHT_MM,
) -> Response:
    """A sheet as PDF, XLSX or CSV; ``date`` is the day where it is asked for, else the one in Greenwich.

    Label strips are printed with cells of that width and height.
    """
    kept = rigs.read_rig(session, rig_id)
    found = _sheet(surveyed(rig_id, kept.rig).reading, key)
    head = SheetHead(kept.rig.name, kept.revision, (date or now().date()).isoformat())
    write: dict[Form, Callable[[], bytes]] = {
        "pdf": lambda: (
            write_labels(found, head, paper, width_mm, height_mm)
            if found.name.group == "Label strips"
            else write_pdf(found, head, paper)
        ),
        "xlsx": lambda: write_xlsx(found, head),
        "csv": lambda: write_csv(found, head),
    }
    what = f"{found.name.title} labels" if found.name.group == "Label strips" else found.name.title
    name = f"{head.rig}, rev {head.revision}, {what}, {head.date}.{form}"
    return Response(write[form](), media_type=MEDIA[form], headers={"Content-Disposition": attachment(name)})


def _sheet(reading: Reading, key: str) -> Sheet:
    try:
        return sheet_of(reading, key)
    except KeyError:
        raise Refused("sheet", "there is no such sheet now; its gear may have been removed in another window") from None
