"""Sheets over HTTP: which there are, each of them as tables, and as a file to print or to reckon with."""

import datetime
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query, Response
from pydantic import TypeAdapter
from sqlmodel import Session

from iskelo.api.asked import Database, now
from iskelo.api.downloads import attachment
from iskelo.api.problems import ANSWERS
from iskelo.api.surveys import surveyed
from iskelo.api.views import RevisionNumber
from iskelo.core.alignment import aligned
from iskelo.core.comparison_sheet import Side, comparison_sheet
from iskelo.core.edits.base import Refused
from iskelo.core.linecheck.rows import Ledger
from iskelo.core.paperwork.changes import with_changes
from iskelo.core.paperwork.sheet import Beside, Checked, OpenSnag, Sheet, SheetName
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.core.survey import Survey, survey_again
from iskelo.formats.input_list_file import write_list_csv, write_list_xlsx
from iskelo.formats.label_pdf import USUAL_HEIGHT_MM, USUAL_WIDTH_MM, HeightMm, WidthMm, write_labels
from iskelo.formats.sheet_files import SheetHead, write_csv, write_xlsx
from iskelo.formats.sheet_pdf import Paper, write_pdf
from iskelo.store import checks, rigs
from iskelo.store.revisions import rig_at
from iskelo.store.ticks import ticks_of

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)

Form = Literal["pdf", "xlsx", "csv"]
MEDIA: dict[Form, str] = {
    "pdf": "application/pdf",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "csv": "text/csv; charset=utf-8",
}
Key = Annotated[str, Query(max_length=40)]


Since = Annotated[RevisionNumber | None, Query()]
WithRig = Annotated[UUID | None, Query()]


@dataclass(frozen=True, slots=True)
class _Asked:
    """Which sheet is asked for; with change bars ``since`` a revision; or a comparison with another rig or revision."""

    rig: UUID
    key: str
    since: int | None = None
    with_rig: UUID | None = None
    with_revision: int | None = None


@router.get("/{rig_id}/sheets")
def sheets(rig_id: UUID, session: Database) -> list[SheetName]:
    """Every sheet that there is for a rig as it is now."""
    kept = rigs.read_rig(session, rig_id)
    return list(sheet_names(surveyed(rig_id, kept.rig).reading, beside_of(session, kept)))


@router.get("/{rig_id}/sheet")
def sheet(
    rig_id: UUID,
    key: Key,
    session: Database,
    since: Since = None,
    with_rig: WithRig = None,
    with_revision: Since = None,
) -> Sheet:
    """A whole sheet of a rig as it is now.

    ``since``: with bars at what is not as it was at that revision. The sheet *compare* is a comparison with the
    revision ``with_revision`` of this rig, or with the rig ``with_rig``, as it is now or at that revision.
    """
    kept = rigs.read_rig(session, rig_id)
    return _sheet(session, kept, _Asked(rig_id, key, since, with_rig, with_revision))


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
    since: Since = None,
    with_rig: WithRig = None,
    with_revision: Since = None,
) -> Response:
    """A sheet as PDF, XLSX or CSV; ``date`` is the day where it is asked for, else the one in Greenwich.

    Label strips are printed with cells of that width and height.
    """
    kept = rigs.read_rig(session, rig_id)
    found = _sheet(session, kept, _Asked(rig_id, key, since, with_rig, with_revision))
    head = SheetHead(kept.rig.name, kept.revision, (date or now().date()).isoformat())
    # An input list is there to be read again, here or elsewhere: titles and rows, and nothing above them.
    plain = key == "inputs" and since is None
    write: dict[Form, Callable[[], bytes]] = {
        "pdf": lambda: pdf_of(found, head, paper, width_mm, height_mm),
        "xlsx": lambda: write_list_xlsx(found.tables[0]) if plain else write_xlsx(found, head),
        "csv": lambda: write_list_csv(found.tables[0]) if plain else write_csv(found, head),
    }
    what = f"{found.name.title} labels" if found.name.group == "Label strips" else found.name.title
    name = f"{head.rig}, rev {head.revision}, {what}, {head.date}.{form}"
    return Response(write[form](), media_type=MEDIA[form], headers={"Content-Disposition": attachment(name)})


def _sheet(session: Session, kept: rigs.Kept, asked: _Asked) -> Sheet:
    if asked.key == "compare":
        return _comparison(session, kept, asked)
    found = surveyed(kept.id, kept.rig)
    beside = beside_of(session, kept, ledger=asked.key == "check", ticked=asked.key == "set-up")
    try:
        whole = sheet_of(found.reading, asked.key, beside)
    except KeyError:
        raise Refused("sheet", "there is no such sheet now; its gear may have been removed in another window") from None
    if asked.since is None or whole.name.group == "Label strips":
        return whole
    # What stands beside the rig, a take or what is found wrong, is that of now.
    then = survey_again(rig_at(session, kept.id, asked.since), None)
    try:
        earlier = sheet_of(then.reading, asked.key, replace(beside, snags=_open(then.survey)))
    except KeyError:
        earlier = None
    return with_changes(whole, earlier, f"revision {asked.since}")


def _comparison(session: Session, kept: rigs.Kept, asked: _Asked) -> Sheet:
    """A revision of this rig and what it is now, the earlier first; or this rig and another one."""
    here = Side(f"{kept.rig.name}, rev {kept.revision}", kept.rig)
    if asked.with_rig is None or asked.with_rig == kept.id:
        number = asked.with_revision or kept.revision
        there = Side(f"{kept.rig.name}, rev {number}", rig_at(session, kept.id, number))
        return comparison_sheet(*((there, here) if number <= kept.revision else (here, there)))
    if asked.with_revision is not None:
        number, rig = asked.with_revision, rig_at(session, asked.with_rig, asked.with_revision)
    else:
        found = rigs.read_rig(session, asked.with_rig)
        number, rig = found.revision, found.rig
    return comparison_sheet(here, Side(f"{rig.name}, rev {number}", aligned(rig, kept.rig)))


def _open(survey: Survey) -> tuple[OpenSnag, ...]:
    return tuple(OpenSnag(snag.severity, snag.title, snag.consequence) for snag in survey.snags)


_ledger: TypeAdapter[Ledger] = TypeAdapter(Ledger)


def beside_of(session: Session, kept: rigs.Kept, *, ledger: bool = False, ticked: bool = False) -> Beside:
    """What sheets tell beside the rig: the newest check that is done, and what is found wrong.

    ``ledger``: with that of the check, which may be large and which only the report of it tells. ``ticked``: with what
    is done of the set-up list.
    """
    found = checks.done_checks(session, kept.id, 1)
    checked = Checked()
    if found:
        faults = tuple(words for _, words in found[0].faults)
        heard = _ledger.validate_python(checks.read_check(session, found[0].id).ledger) if ledger else None
        checked = Checked(found[0].number, found[0].revision, faults, heard)
    steps = frozenset((tick.step, tick.says) for tick in ticks_of(session, kept.id)) if ticked else frozenset()
    return Beside(kept.revision, checked, _open(surveyed(kept.id, kept.rig).survey), steps)


def pdf_of(sheet: Sheet, head: SheetHead, paper: Paper, width_mm: float, height_mm: float) -> bytes:
    """A sheet as PDF; label strips with cells of that size."""
    if sheet.name.group == "Label strips":
        return write_labels(sheet, head, paper, width_mm, height_mm)
    return write_pdf(sheet, head, paper)
