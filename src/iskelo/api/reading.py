"""What a rig says of itself, as screens show it: ports, clocks, joined devices, delays, the set-up list, answers."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from iskelo.api.asked import Database, known_of, state_of_line
from iskelo.api.problems import ANSWERS
from iskelo.core.answers import Answer, PortUse, answer_for, port_uses
from iskelo.core.device_maps import AggregateView, ClockRow, aggregate_views, clock_tree
from iskelo.core.edits.base import Refused
from iskelo.core.insert_view import InsertView, insert_views
from iskelo.core.mixer_view import MixerView, mixer_view
from iskelo.core.planner.budgets import LineBudget, line_budgets
from iskelo.core.planner.ladder import Ladder, ladders
from iskelo.core.responses import ResponseView, line_response
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.rig.programs import Program
from iskelo.core.survey import ArrivalView, line_ways
from iskelo.core.sync_view import Together, together

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


@router.get("/{rig_id}/ports")
def ports(rig_id: UUID, session: Database) -> list[PortUse]:
    """Every joined port with what feeds it and what it feeds."""
    return list(port_uses(known_of(session, rig_id).reading))


@router.get("/{rig_id}/together")
def sync_and_calls(rig_id: UUID, session: Database) -> Together:
    """Sync links with where clips lie, and far ends with what they hear."""
    return together(known_of(session, rig_id).reading)


@router.get("/{rig_id}/clocks")
def clocks(rig_id: UUID, session: Database) -> list[ClockRow]:
    """Every box below the one whose clock it runs on, and the clocks it could run on."""
    return list(clock_tree(known_of(session, rig_id).reading))


@router.get("/{rig_id}/aggregates")
def aggregates(rig_id: UUID, session: Database) -> list[AggregateView]:
    """Every device made of boxes: its members, its channels both ways, the names on them."""
    return list(aggregate_views(known_of(session, rig_id).reading))


@router.get("/{rig_id}/mixers/{box_id}")
def mixer(rig_id: UUID, box_id: str, session: Database) -> MixerView:
    """A box that is a mixer: its strips, mixes and feeds, and what sounds in each."""
    reading = known_of(session, rig_id).reading
    box = reading.found.gear.get(box_id)
    view = mixer_view(reading, box) if isinstance(box, Interface) else None
    if view is None:
        raise Refused("mixer", "there is no such mixer now; it may have been removed in another window")
    return view


@router.get("/{rig_id}/programs/{program_id}/inserts")
def inserts(rig_id: UUID, program_id: str, session: Database) -> list[InsertView]:
    """A program's tracks and buses, and what hangs in each."""
    reading = known_of(session, rig_id).reading
    program = reading.found.gear.get(program_id)
    if not isinstance(program, Program):
        raise Refused("inserts", "there is no such program now; it may have been removed in another window")
    return list(insert_views(reading, program))


@router.get("/{rig_id}/ladders")
def buffer_ladders(rig_id: UUID, session: Database) -> list[Ladder]:
    """Every program with a device: its delays now, and for every buffer its driver offers."""
    return list(ladders(known_of(session, rig_id).reading))


@router.get("/{rig_id}/delay-budgets")
def delay_budgets(rig_id: UUID, session: Database) -> list[LineBudget]:
    """Every line that arrives: what its delay is made of and what its limit leaves, the nearest to it first."""
    return list(line_budgets(known_of(session, rig_id).reading))


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


@router.get("/{rig_id}/lines/{line_id}/response")
def response_of_line(rig_id: UUID, line_id: str, session: Database) -> ResponseView:
    """What a line's copies do to its sound over frequency."""
    return line_response(state_of_line(known_of(session, rig_id).reading, line_id))


@router.get("/{rig_id}/lines/{line_id}/ways")
def ways_of_line(rig_id: UUID, line_id: str, session: Database) -> list[ArrivalView]:
    """Every copy of a line that arrives, its delay term by term, its level port by port."""
    reading = known_of(session, rig_id).reading
    return list(line_ways(reading, state_of_line(reading, line_id)))
