"""What was measured or is reported of a rig, as edits; nothing here makes any."""

from uuid import UUID

from fastapi import APIRouter, Request, Response

from iskelo.api.asked import Database, aside, known_of
from iskelo.api.problems import ANSWERS
from iskelo.api.views import InsertMeasured
from iskelo.core.edits.edit import Edit
from iskelo.core.planner.insert_figures import InsertFigureRequest, settle_insert
from iskelo.core.planner.measured import (
    FeedbackRequest,
    ReportRequest,
    RoundTripRequest,
    settle_feedback,
    settle_report,
    settle_round_trip,
)

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


@router.post("/{rig_id}/round-trip")
def plan_round_trip(rig_id: UUID, wanted: RoundTripRequest, session: Database) -> list[Edit]:
    """The edits after which a driver's round trip is what was measured; nothing is made yet."""
    return list(settle_round_trip(known_of(session, rig_id).reading.found, wanted))


@router.post("/{rig_id}/reported")
def plan_report(rig_id: UUID, wanted: ReportRequest, session: Database) -> list[Edit]:
    """The edits after which each way takes what a driver reports; nothing is made yet."""
    return list(settle_report(known_of(session, rig_id).reading.found, wanted))


@router.post("/{rig_id}/feedback")
def plan_feedback(rig_id: UUID, wanted: FeedbackRequest, session: Database) -> list[Edit]:
    """The edits after which a box's clock is what its link asks for; nothing is made yet."""
    return list(settle_feedback(known_of(session, rig_id).reading.found, wanted))


@router.post("/{rig_id}/insert-figure")
def plan_insert_figure(rig_id: UUID, wanted: InsertFigureRequest, session: Database) -> list[Edit]:
    """The edits after which a program counts with this round trip of an insert; nothing is made yet."""
    return list(settle_insert(known_of(session, rig_id).reading, wanted))


@router.post("/{rig_id}/measure-insert", response_model=InsertMeasured)
async def measure(rig_id: UUID, wanted: InsertFigureRequest, request: Request) -> Response:
    """Send the test signal through what hangs in a track or a bus, on the twin; nothing is changed yet."""
    return await aside(request, rig_id, "measured_in", wanted.item)
