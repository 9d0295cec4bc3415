"""Who has a box open: clients by their drivers, which of them shut each other out, and who comes first."""

from collections.abc import Iterable
from typing import NamedTuple

from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.drivers import Driver, DriverKind
from iskelo.core.rig.programs import Program

SHARED_BY_THE_SYSTEM: tuple[DriverKind, ...] = ("system, shared", "system, sole use", "wrapper")
"""Drivers that open a box through the system: one that has it for sole use shuts the others out, and is shut out."""


class Claim(NamedTuple):
    """A client that has a box open by one of its drivers, and the first program of it."""

    client: str
    program: Program
    driver: Driver


def excludes(one: Driver, other: Driver) -> bool:
    """Whether two clients cannot have a box open by these two drivers (or twice by one) at a time."""
    if one is other:
        return one.clients != "many"
    return "system, sole use" in (one.kind, other.kind) and {one.kind, other.kind} <= set(SHARED_BY_THE_SYSTEM)


def is_by(claim: Claim, way: DeviceStream) -> bool:
    """Whether a claim is the one that this way makes."""
    return claim.client == way.client and claim.driver is way.driver


def admitted(programs: Iterable[Program], opened: dict[str, OpenDevice]) -> dict[str, list[Claim]]:
    """Who has each box open: whoever comes first and can, in the rig's order, before those that let go of their device.

    A program that lets go in the background leaves its device to any other that wants it.
    """
    claims: dict[str, list[Claim]] = {}
    for program in sorted(programs, key=lambda each: each.lets_go_in_background):
        streams = opened.get(program.id)
        for way in streams.ways if streams is not None else ():
            there = claims.setdefault(way.box.id, [])
            others = [claim for claim in there if claim.client != way.client]
            if not any(is_by(claim, way) for claim in there) and not any(
                excludes(claim.driver, way.driver) for claim in others
            ):
                there.append(Claim(way.client, program, way.driver))
    return claims
