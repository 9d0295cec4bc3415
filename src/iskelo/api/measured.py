"""What was measured or is reported of a rig, as edits; nothing here makes any."""

from dataclasses import dataclass
from threading import Lock
from uuid import UUID

from fastapi import APIRouter

from iskelo.api.asked import Database, known_of
from iskelo.api.problems import ANSWERS
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.linecheck.measuring import InsertHeard, measure_insert
from iskelo.core.linecheck.run import CannotCheck
from iskelo.core.planner.insert_figures import InsertFigureRequest, settle_insert
from iskelo.core.planner.measured import (
    FeedbackRequest,
    ReportRequest,
    RoundTripRequest,
    settle_feedback,
    settle_report,
    settle_round_trip,
)

_one_at_a_time = Lock()
"""A measuring run takes all that one core has; a second one waits for it."""


@dataclass(frozen=True, slots=True)
class InsertMeasured:
    """What a measuring run heard, in words, and the edits that take it as measured."""

    heard: InsertHeard
    words: str
    edits: tuple[Edit, ...]


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


@router.post("/{rig_id}/measure-insert")
def measure(rig_id: UUID, wanted: InsertFigureRequest, session: Database) -> InsertMeasured:
    """Send the test signal through what hangs in a track or a bus, on the twin; nothing is changed yet."""
    reading = known_of(session, rig_id).reading
    try:
        with _one_at_a_time:
            heard = measure_insert(reading.rig, wanted.item)
    except CannotCheck as cannot:
        raise Refused("measuring run", str(cannot)) from None
    measured = InsertFigureRequest(item=wanted.item, samples=round(heard.samples))
    return InsertMeasured(heard, heard.words, settle_insert(reading, measured))
