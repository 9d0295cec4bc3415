"""The set-up list over HTTP with its ticks; and the same for whoever walks with it on a telephone."""

import socket
from dataclasses import dataclass, fields
from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import Field
from sqlmodel import Session

from iskelo.api.asked import Database, EditDatabase, at_once, known_of, now
from iskelo.api.problems import ANSWERS
from iskelo.api.settings import Settings
from iskelo.api.views import Request as Asked
from iskelo.core.edits.base import Refused
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.paperwork.steps import SetUpStep
from iskelo.core.rig.text import clean_tag
from iskelo.store import rigs, ticks

router = APIRouter(prefix="/api/rigs", responses=ANSWERS)


class TickRequest(Asked):
    """A step done, or not; ``says`` as it stands before whoever ticks it."""

    step: Annotated[str, Field(max_length=60)]
    says: Annotated[str, Field(max_length=32)]
    done: bool = True
    by: Annotated[str, Field(max_length=80)] = ""


class WalkersRequest(Asked):
    """Whether whoever walks with the list may tick it off."""

    may_tick: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class TickedStep(SetUpStep):
    """A step with whether it is done in the room, by whom, when; ``changed``: it was, and says something else now."""

    says: str
    done: bool
    by: str
    at: datetime | None
    changed: bool


@dataclass(frozen=True, slots=True)
class Walk:
    """What a telephone shows: the list of a rig as it is now."""

    name: str
    revision: int
    may_tick: bool
    steps: tuple[TickedStep, ...]


@dataclass(frozen=True, slots=True)
class Walkers:
    """Where a telephone finds the list (nowhere: this server answers this computer alone), and whether it may tick."""

    addresses: tuple[str, ...]
    may_tick: bool


@router.get("/{rig_id}/set-up-list")
def steps(rig_id: UUID, session: Database) -> list[TickedStep]:
    """What to plug, switch and open so that the room is as the rig says, in order; with what is done of it."""
    return _with_ticks(session, rig_id, _steps(session, rig_id))


@router.put("/{rig_id}/ticks")
@at_once
def tick(rig_id: UUID, wanted: TickRequest, session: EditDatabase) -> list[TickedStep]:
    """Tick a step off, or take its tick away; refused if it says something else by now."""
    return _ticked(session, rig_id, wanted)


def _steps(session: Session, rig_id: UUID) -> tuple[SetUpStep, ...]:
    return set_up_list(known_of(session, rig_id).reading)


def _with_ticks(session: Session, rig_id: UUID, listed: tuple[SetUpStep, ...]) -> list[TickedStep]:
    told = ticks.ticks_of(session, rig_id)
    done = {(each.step, each.says): each for each in told}
    ever = {each.step for each in told}
    found = []
    for step in listed:
        tick = done.get((step.key, step.says))
        found.append(
            TickedStep(
                **{field.name: getattr(step, field.name) for field in fields(step)},
                done=tick is not None,
                by=tick.by if tick is not None else "",
                at=tick.made_at if tick is not None else None,
                changed=tick is None and step.key in ever,
            )
        )
    return found


def _ticked(session: Session, rig_id: UUID, wanted: TickRequest) -> list[TickedStep]:
    listed = _steps(session, rig_id)
    step = next((each for each in listed if each.key == wanted.step), None)
    if step is None:
        raise Refused("step", "this step is not needed any more; the rig has changed meanwhile")
    if step.says != wanted.says:
        told = "; ".join((step.words, *step.settings))
        raise Refused("step", f"the rig has changed meanwhile; this step says now: {told}")
    try:
        by = clean_tag(wanted.by)
    except ValueError as error:
        raise Refused("name", str(error)) from None
    if wanted.done:
        ticks.tick(session, rig_id, wanted.step, wanted.says, by, now())
    else:
        ticks.untick(session, rig_id, wanted.step, wanted.says)
    return _with_ticks(session, rig_id, listed)


@router.get("/{rig_id}/walkers")
def walkers(rig_id: UUID, request: Request, session: Database) -> Walkers:
    """Where whoever walks finds the list of this rig."""
    settings: Settings = request.app.state.settings
    found = addresses() if settings.walk else ()
    port = request.url.port or 80
    return Walkers(tuple(f"http://{each}:{port}/walk/{rig_id}" for each in found), ticks.walkers_tick(session, rig_id))


@router.put("/{rig_id}/walkers")
def allow_walkers(rig_id: UUID, wanted: WalkersRequest, request: Request, session: Database) -> Walkers:
    """Let whoever walks with the list tick it off, or look only."""
    ticks.walkers_tick(session, rig_id, allowed=wanted.may_tick)
    return walkers(rig_id, request, session)


@router.get("/{rig_id}/walk")
def walk(rig_id: UUID, session: Database) -> Walk:
    """The list as a telephone shows it."""
    return _walk(session, rig_id, steps(rig_id, session))


@router.put("/{rig_id}/walk/ticks")
@at_once
def tick_walking(rig_id: UUID, wanted: TickRequest, session: EditDatabase) -> Walk:
    """Tick a step off while walking, where that is allowed."""
    if not ticks.walkers_tick(session, rig_id):
        raise Refused("tick", "this page may look only; whoever sits at the rig can allow ticks on Paper")
    return _walk(session, rig_id, _ticked(session, rig_id, wanted))


def _walk(session: Session, rig_id: UUID, found: list[TickedStep]) -> Walk:
    kept = rigs.read_rig(session, rig_id)
    return Walk(kept.rig.name, kept.revision, ticks.walkers_tick(session, rig_id), tuple(found))


def addresses() -> tuple[str, ...]:
    """The addresses of this computer in the network around it; asks nobody outside."""
    found: list[str] = []
    # Sends nothing: a datagram socket only looks up by which of its addresses it would reach that one.
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))
            found.append(probe.getsockname()[0])
        except OSError:
            pass
    try:
        for each in socket.getaddrinfo(socket.gethostname(), None, socket.AF_INET):
            found.append(str(each[4][0]))
    except OSError:
        pass
    return tuple(dict.fromkeys(each for each in found if not each.startswith("127.")))
