"""Rigs over HTTP: list, make, read, edit, try, undo, redo, export, import, input lists."""

import contextlib
import threading
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Body, Depends, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import StringConstraints
from sqlalchemy.exc import DBAPIError
from sqlmodel import Session

from iskelo.api.apart import read_list_apart, while_there
from iskelo.api.problems import ANSWERS
from iskelo.api.surveys import surveyed
from iskelo.api.views import (
    EditRequest,
    FillView,
    JoinView,
    JumpRequest,
    KeepRequest,
    ListView,
    MoveRequest,
    NewRig,
    PhraseRequest,
    PlanSteps,
    PlanView,
    RevisionNumber,
    RowsRequest,
    State,
    SwapRequest,
    SwapView,
    TrialRequest,
    WholePlan,
    answer_with,
)
from iskelo.core.answers import Answer, PortUse, answer_for, port_uses
from iskelo.core.compare import NowAfter, compare_rigs, trial
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest, batch
from iskelo.core.edits.input_list import plan_rows
from iskelo.core.edits.phrases import gear_phrase, interface_phrase
from iskelo.core.joined import AggregateView, ClockRow, aggregate_views, clock_tree
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.lines.stations import Column
from iskelo.core.paperwork.set_up import SetUpStep, set_up_list
from iskelo.core.planner.budgets import LineBudget, line_budgets
from iskelo.core.planner.choices import Choices, choices
from iskelo.core.planner.fill import FillRequest, fill
from iskelo.core.planner.join import join_all
from iskelo.core.planner.joining import JoinRequest, join_sheet
from iskelo.core.planner.ladder import Ladder, ladders
from iskelo.core.planner.swap import plan_swap
from iskelo.core.remedies import TriedRemedy, tried_remedies
from iskelo.core.rig.gear import Gear, Interface
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import ArrivalView, Surveyed, line_ways
from iskelo.demo.catalogue import catalogue
from iskelo.demo.examples import EXAMPLES
from iskelo.formats.input_list_file import is_workbook, mapped_rows, read_input_list
from iskelo.formats.rig_file import read_rig, write_rig
from iskelo.store import rigs
from iskelo.store.catalogue import kept_gear
from iskelo.store.revisions import rig_at
from iskelo.store.rigs import Revision, RigSummary

ColumnTaken = Annotated[
    str, StringConstraints(pattern=r"^(name|source|box_input|track|heard_at|purpose|limit):\d{1,2}$")
]

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


def session_of(request: Request) -> Iterator[Session]:
    """A database session for one request; what is not committed is rolled back."""
    session = Session(request.app.state.engine)
    try:
        yield session
    finally:
        # The answer is on its way by now; a database that dies at this point changes nothing in it.
        with contextlib.suppress(DBAPIError):
            session.close()


Database = Annotated[Session, Depends(session_of)]


def now() -> datetime:
    return datetime.now(UTC)


@router.get("")
def list_rigs(session: Database) -> list[RigSummary]:
    """All rigs, the one changed last first."""
    return rigs.list_rigs(session)


@router.post("", status_code=201, response_model=State)
def make_rig(wanted: NewRig, session: Database) -> Response:
    """Make a blank rig, or one that starts as an example."""
    if wanted.example is not None:
        if wanted.example not in EXAMPLES:
            raise Refused("example", f"there is no example {wanted.example!r}; there is {', '.join(EXAMPLES)}")
        example = EXAMPLES[wanted.example]()
        return answer_with(session, rigs.make_rig(session, example, uuid4(), now(), "opened the example"), 201)
    return answer_with(session, rigs.make_rig(session, Rig(name=wanted.name), uuid4(), now(), "made a blank rig"), 201)


@router.post(
    "/import",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"type": "object", "additionalProperties": True}}},
        }
    },
    response_model=State,
)
async def import_rig(request: Request) -> Response:
    """Read a rig file as a new rig."""
    data, engine = await request.body(), request.app.state.engine

    def keep() -> Response:
        rig = read_rig(data)
        with Session(engine) as session:
            return answer_with(session, rigs.make_rig(session, rig, uuid4(), now(), "imported from a file"), 201)

    return await run_in_threadpool(keep)


@router.get("/{rig_id}", response_model=State)
def read_state(rig_id: UUID, session: Database) -> Response:
    """The rig as it is now, with its survey."""
    return answer_with(session, rigs.read_rig(session, rig_id))


@router.delete("/{rig_id}", status_code=204)
def remove_rig(rig_id: UUID, session: Database) -> None:
    """Remove a rig with its history and takes."""
    rigs.remove_rig(session, rig_id)


@router.get("/{rig_id}/export", response_class=Response, responses={200: {"content": {"application/json": {}}}})
def export_rig(rig_id: UUID, session: Database) -> Response:
    """The rig as a JSON file."""
    kept = rigs.read_rig(session, rig_id)
    slug = "-".join("".join(c if c.isascii() and c.isalnum() else " " for c in kept.rig.name).split()) or "rig"
    return Response(
        write_rig(kept.rig),
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{slug}.rig.json"'},
    )


@router.post("/{rig_id}/edits", response_model=State)
def edit_rig(rig_id: UUID, wanted: EditRequest, session: Database) -> Response:
    """Apply edits, all or none; 409 with the newer state if the rig has moved on."""
    return answer_with(session, rigs.edit_rig(session, rig_id, wanted.revision, wanted.edits, now()))


@router.post("/{rig_id}/trial")
def try_edits(rig_id: UUID, wanted: TrialRequest, session: Database) -> NowAfter:
    """What edits would do, without making them."""
    known = known_of(session, rig_id)
    return trial(known.reading.rig, wanted.edits, known)


@router.post("/{rig_id}/undo", response_model=State)
def undo(rig_id: UUID, wanted: MoveRequest, session: Database) -> Response:
    """Take the last edit back."""
    return answer_with(session, rigs.undo(session, rig_id, wanted.revision, now()))


@router.post("/{rig_id}/redo", response_model=State)
def redo(rig_id: UUID, wanted: MoveRequest, session: Database) -> Response:
    """Bring an edit back that was undone."""
    return answer_with(session, rigs.redo(session, rig_id, wanted.revision, now()))


@router.post("/{rig_id}/phrase", response_model=State)
def add_by_phrase(rig_id: UUID, wanted: PhraseRequest, session: Database) -> Response:
    """Add gear typed as a phrase, such as '4 mic' or 'box 8x8 Corvane'."""
    edits = gear_phrase(wanted.text, _stock(session))
    return answer_with(session, rigs.edit_rig(session, rig_id, wanted.revision, edits, now()))


@router.post("/{rig_id}/batch")
def plan_batch(rig_id: UUID, wanted: BatchRequest, session: Database) -> TriedRemedy:
    """What a batch of lines would do; nothing is made yet."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    edits = batch(rig, wanted)
    return TriedRemedy(apply(rig, edits).words, edits, trial(rig, edits, known))


@router.get("/{rig_id}/plan")
def plan_all(rig_id: UUID, session: Database) -> WholePlan | None:
    """The smallest changes that make every silent or blocked line arrive; null if there is nothing to do."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    joining = join_all(known.reading)
    if joining is None:
        return None
    steps = tuple(PlanSteps(gear, words) for gear, words in joining.by_place())
    return WholePlan(steps, joining.edits, trial(rig, joining.edits, known))


@router.get("/{rig_id}/ports")
def ports(rig_id: UUID, session: Database) -> list[PortUse]:
    """Every joined port with what feeds it and what it feeds."""
    return list(port_uses(known_of(session, rig_id).reading))


@router.get("/{rig_id}/history")
def history(rig_id: UUID, session: Database) -> list[Revision]:
    """Every revision in words, the newest first."""
    return rigs.history(session, rig_id)


@router.post("/{rig_id}/jump", response_model=State)
def jump(rig_id: UUID, wanted: JumpRequest, session: Database) -> Response:
    """Go to any revision; the others stay in the history."""
    return answer_with(session, rigs.jump(session, rig_id, wanted.revision, wanted.to, now()))


@router.put("/{rig_id}/history/{number}/name", status_code=204)
def keep_as(rig_id: UUID, number: RevisionNumber, wanted: KeepRequest, session: Database) -> None:
    """Keep a revision under a name: a snapshot."""
    rigs.keep_as(session, rig_id, number, wanted.name)


@router.get("/{rig_id}/compare")
def compare_revisions(
    rig_id: UUID,
    session: Database,
    earlier: Annotated[RevisionNumber, Query()],
    later: Annotated[RevisionNumber, Query()],
) -> NowAfter:
    """What lies between two revisions: lines, channel numbers, settings, snags."""
    then, since = rig_at(session, rig_id, earlier), rig_at(session, rig_id, later)
    return compare_rigs(then, since, f"revision {earlier} → {later}")


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
    swap = plan_swap(reading, old, interface_phrase(wanted.text, _stock(session)))
    edits = (swap.edit,)
    return SwapView(apply(rig, edits).words, edits, trial(rig, edits, known), swap.jacks)


@router.get("/{rig_id}/clocks")
def clocks(rig_id: UUID, session: Database) -> list[ClockRow]:
    """Every box below the one whose clock it runs on, and the clocks it could run on."""
    return list(clock_tree(known_of(session, rig_id).reading))


@router.get("/{rig_id}/aggregates")
def aggregates(rig_id: UUID, session: Database) -> list[AggregateView]:
    """Every device made of boxes: its members, its channels both ways, the names on them."""
    return list(aggregate_views(known_of(session, rig_id).reading))


@router.post("/{rig_id}/join")
def plan_join(rig_id: UUID, wanted: JoinRequest, session: Database) -> JoinView:
    """How boxes would be joined as one device, why so, and what that does; nothing is made yet."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    sheet = join_sheet(known.reading, wanted)
    return JoinView(apply(rig, sheet.edits).words, sheet, trial(rig, sheet.edits, known))


@router.get("/{rig_id}/ladders")
def buffer_ladders(rig_id: UUID, session: Database) -> list[Ladder]:
    """Every program with a device: its delays now, and for every buffer its driver offers."""
    return list(ladders(known_of(session, rig_id).reading))


@router.get("/{rig_id}/delay-budgets")
def delay_budgets(rig_id: UUID, session: Database) -> list[LineBudget]:
    """Every line that arrives: what its delay is made of and what its limit leaves, the nearest to it first."""
    return list(line_budgets(known_of(session, rig_id).reading))


@router.get("/{rig_id}/set-up-list")
def set_up(rig_id: UUID, session: Database) -> list[SetUpStep]:
    """Everything to plug, switch, choose and open so that the room is as the rig says, in the order it is done."""
    return list(set_up_list(known_of(session, rig_id).reading))


@router.get("/{rig_id}/answer")
def port_answer(
    rig_id: UUID,
    session: Database,
    owner: Annotated[str, Query(max_length=17)],
    bank: Annotated[Bank, Query()],
    number: Annotated[int, Query(ge=1, le=128)],
) -> Answer:
    """What arrives at any port and where it goes on to."""
    try:
        return answer_for(known_of(session, rig_id).reading, Port(owner, bank, number))
    except KeyError:
        raise Refused("port", "there is no such port now; it may have been removed in another window") from None


@router.get("/{rig_id}/lines/{line_id}/ways")
def ways_of_line(rig_id: UUID, line_id: str, session: Database) -> list[ArrivalView]:
    """Every copy of a line that arrives, its delay term by term, its level port by port."""
    reading = known_of(session, rig_id).reading
    return list(line_ways(reading, _state_of_line(reading, line_id)))


@router.get("/{rig_id}/remedies")
def remedies(rig_id: UUID, snag: Annotated[str, Query(max_length=200)], session: Database) -> list[TriedRemedy]:
    """The remedies of a snag, best first, each with what it would change."""
    known = known_of(session, rig_id)
    rig = known.reading.rig
    found = next((each for each in known.snags if each.key == snag), None)
    return list(tried_remedies(rig, found, known)) if found else []


@router.get("/{rig_id}/lines/{line_id}/choices")
def station_choices(rig_id: UUID, line_id: str, column: Annotated[Column, Query()], session: Database) -> Choices:
    """What a station of a line can be set to."""
    reading = known_of(session, rig_id).reading
    return choices(reading, _state_of_line(reading, line_id), column)


def known_of(session: Session, rig_id: UUID) -> Surveyed:
    """The rig as it is now, with everything known of it."""
    return surveyed(rig_id, rigs.read_rig(session, rig_id).rig)


def _state_of_line(reading: Reading, line_id: str) -> LineState:
    state = next((each for each in reading.lines if each.line.id == line_id), None)
    if state is None:
        raise Refused("line", "there is no such line in this rig; it may have been removed")
    return state


def _stock(session: Session) -> tuple[Gear, ...]:
    """Everything in the catalogue, what somebody kept first."""
    return (*(each.gear for each in kept_gear(session)), *catalogue())


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


@router.post("/{rig_id}/input-list/plan")
async def plan_list(rig_id: UUID, wanted: Annotated[RowsRequest, Body()], request: Request) -> PlanView:
    """What the good rows would do, and why each bad one is refused; nothing is made yet.

    Given up when who asked has left.
    """
    engine, left = request.app.state.engine, threading.Event()

    def plan() -> PlanView:
        with Session(engine) as session:
            known = known_of(session, rig_id)
        rig = known.reading.rig
        planned = plan_rows(rig, wanted.rows, lambda _: not left.is_set())
        tried = trial(rig, planned.edits, known) if planned.edits and not left.is_set() else None
        return PlanView(planned.edits, planned.rows, tried)

    try:
        return await while_there(request, run_in_threadpool(plan))
    finally:
        left.set()
