"""What edits would do, before they are made: trials, batches, plans, swaps, joins, remedies."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request, Response

from iskelo.api.asked import Database, aside, known_of, state_of_line, stock
from iskelo.api.problems import ANSWERS
from iskelo.api.views import (
    FillView,
    JoinView,
    SwapRequest,
    SwapView,
    TrialRequest,
)
from iskelo.core.compare import NowAfter, trial
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest, batch
from iskelo.core.edits.phrases import interface_phrase
from iskelo.core.plan import Plan
from iskelo.core.planner.aggregates import JoinRequest, join_sheet
from iskelo.core.planner.choices import Choices, choices
from iskelo.core.planner.fill import FillRequest, fill
from iskelo.core.planner.meters import MeterCheck, MetersRequest, meter_check
from iskelo.core.planner.swap import plan_swap
from iskelo.core.remedies import Remedies, TriedRemedy
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Column

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


@router.post("/{rig_id}/trial")
def try_edits(rig_id: UUID, wanted: TrialRequest, session: Database) -> NowAfter:
    """What edits would do, without making them."""
    known = known_of(session, rig_id)
    return trial(known.reading.rig, wanted.edits, known)


@router.post("/{rig_id}/batch")
def plan_batch(rig_id: UUID, wanted: BatchRequest, session: Database) -> TriedRemedy:
    """What a batch of lines would do; nothing is made yet."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    edits = batch(rig, wanted, known.reading.sounding_in)
    made = trial(rig, edits, known)
    return TriedRemedy(made.words, edits, made)


@router.get("/{rig_id}/plan", response_model=Plan | None)
async def plan_all(rig_id: UUID, request: Request, rest: Annotated[bool, Query()] = False) -> Response:
    """The smallest changes that make every silent or blocked line arrive, with ``rest`` also what mends the others; and
    what they leave. Null if no change is known.
    """
    return await aside(request, rig_id, "plan_of", rest)


@router.post("/{rig_id}/fill")
def plan_fill(rig_id: UUID, wanted: FillRequest, session: Database) -> FillView:
    """What filling a column of lines ascending would do; nothing is made yet."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    filling = fill(rig, wanted)
    return FillView(filling.edits, filling.numbers, trial(rig, filling.edits, known))


@router.post("/{rig_id}/swap")
def plan_swap_of(rig_id: UUID, wanted: SwapRequest, session: Database) -> SwapView:
    """What another interface in the place of one would do; nothing is made yet."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    reading = known.reading
    old = reading.found.gear.get(wanted.item)
    if not isinstance(old, Interface):
        raise Refused("swap", "only an interface can be swapped for another one")
    swap = plan_swap(reading, old, interface_phrase(wanted.text, stock(session)))
    edits = (swap.edit,)
    made = trial(rig, edits, known)
    return SwapView(made.words, edits, made, swap.jacks)


@router.post("/{rig_id}/join")
def plan_join(rig_id: UUID, wanted: JoinRequest, session: Database) -> JoinView:
    """How boxes would be joined as one device, why so, and what that does; nothing is made yet."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    sheet = join_sheet(known.reading, wanted)
    made = trial(rig, sheet.edits, known)
    return JoinView(made.words, sheet, made)


@router.get("/{rig_id}/remedies", response_model=Remedies)
async def remedies(rig_id: UUID, request: Request, snag: Annotated[str, Query(max_length=200)]) -> Response:
    """The remedies of a snag, best first, each with what it would change."""
    return await aside(request, rig_id, "remedies_for", snag)


@router.post("/{rig_id}/lines/{line_id}/meters")
def meters_of_line(rig_id: UUID, line_id: str, wanted: MetersRequest, session: Database) -> MeterCheck:
    """What the meters on a line's way should read for one tone, and what two that were read say."""
    reading = known_of(session, rig_id).reading
    return meter_check(reading, state_of_line(reading, line_id), wanted)


@router.get("/{rig_id}/lines/{line_id}/choices")
def station_choices(rig_id: UUID, line_id: str, column: Annotated[Column, Query()], session: Database) -> Choices:
    """What a station of a line can be set to."""
    reading = known_of(session, rig_id).reading
    return choices(reading, state_of_line(reading, line_id), column)
