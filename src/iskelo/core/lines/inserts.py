"""What hangs in strips, tracks and buses: by which way a sound goes out and comes back, how late and how loud."""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import Literal

from pydantic import JsonValue

from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import StripInsert
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import HeldTrip, Program, ProgramInsert, Track
from iskelo.core.routes.route import Route, passing_routes
from iskelo.core.timing.delays import Delay, delay_of
from iskelo.core.wiring.edge import Edge, legs_of


@dataclass(frozen=True, slots=True)
class Hung:
    """Something that hangs in a strip of a mixer, or in a track or a bus of a program.

    ``sends`` is where each leg goes out, ``backs`` where it comes back; ``points`` and ``pres`` are before it and
    behind it. ``program`` is None for a mixer's own.
    """

    owner: str
    what: str
    insert: StripInsert | ProgramInsert
    sends: tuple[Port, ...]
    backs: tuple[Port, ...]
    points: tuple[Port, ...]
    pres: tuple[Port, ...]
    program: Program | None = None

    def setting(self, origin: Literal["typed", "measured"] = "typed", **values: JsonValue) -> SetValues:
        """The edit that changes these fields of it and keeps the others."""
        kept = self.insert.model_dump(mode="json")
        return SetValues(item=self.owner, values={"insert": kept | values}, origin=origin)

    @property
    def unheard(self) -> Track | None:
        """The track in which it hangs, if that is not monitored: nothing is sent then, and nothing heard."""
        tracks = self.program.tracks if self.program is not None else ()
        return next((track for track in tracks if track.id == self.owner and not track.monitored), None)

    @property
    def held(self) -> HeldTrip | None:
        """What its program knows of the round trip."""
        return self.insert.held if isinstance(self.insert, ProgramInsert) else None


def hung_in(found: Index) -> Iterator[Hung]:
    """Everything that hangs anywhere in a rig."""
    for program in found.programs():
        for item, insert in program.hung():
            yield Hung(
                item.id,
                f"{found.items[item.id].side} {item.name}",
                insert,
                legs_of(insert.send, "output", item.width),
                legs_of(insert.back, "input", item.width),
                legs_of(item.id, "point" if isinstance(item, Track) else "bus", item.width),
                legs_of(item.id, "monitor" if isinstance(item, Track) else "bus_pre", item.width),
                program,
            )
    for box in found.boxes:
        for strip, hanging in box.mixer.hung() if box.mixer is not None else ():
            yield Hung(
                strip.id,
                f"strip {strip.name}",
                hanging,
                tuple(Port(box.id, "to_jack", hanging.send + leg) for leg in range(strip.width)),
                tuple(Port(box.id, "preamp", hanging.back + leg) for leg in range(strip.width)),
                legs_of(strip.id, "strip_point", strip.width),
                legs_of(strip.id, "strip_pre", strip.width),
            )


@dataclass(frozen=True)
class Trip:
    """What one leg of an insert does: its way out and back, or None if none passes; ``more`` other ways there are."""

    route: Route | None
    found: Index
    more: int = 0

    @cached_property
    def delay(self) -> Delay | None:
        return delay_of(self.route.edges, self.found) if self.route is not None else None

    @property
    def outboard(self) -> list[Outboard]:
        """The outboard gear it passes."""
        gear = [self.found.gear[edge.owner] for edge in self._edges if edge.kind == "outboard"]
        return [each for each in gear if isinstance(each, Outboard)]

    @property
    def gain_db(self) -> float:
        """What it comes back louder by, the outboard gear's own gain left aside."""
        return sum(edge.gain_db for edge in self._edges if edge.kind != "outboard")

    @property
    def whole_gain_db(self) -> float:
        """The same with what the gear in it does."""
        return sum(edge.gain_db for edge in self._edges)

    @property
    def inverted(self) -> bool:
        return self.route is not None and self.route.sign < 0

    @property
    def _edges(self) -> tuple[Edge, ...]:
        return self.route.edges if self.route is not None else ()


def trips_of(reading: Reading, hung: Hung) -> tuple[Trip, ...]:
    """What each leg of an insert does, the earliest way of each."""
    trips = []
    for send, back in zip(hung.sends, hung.backs, strict=True):
        routes = passing_routes(reading.graph, send, back)
        routes.sort(key=lambda route: delay_of(route.edges, reading.found).seconds)
        trips.append(Trip(routes[0] if routes else None, reading.found, max(0, len(routes) - 1)))
    return tuple(trips)


def round_trip(trips: tuple[Trip, ...]) -> Fraction | int | None:
    """The round trip of an insert in samples of its program's clock, that of the later leg; None if a leg has none."""
    delays = [trip.delay for trip in trips]
    return max((each.exact_samples for each in delays if each is not None), default=None) if all(delays) else None


def runs_at(hung: Hung, found: Index) -> tuple[int, int] | None:
    """The rate and the buffer that an insert's program runs at; None without a device, or inside a mixer."""
    streams = found.opened.get(hung.program.id) if hung.program is not None else None
    return (streams.device.rate_hz, streams.device.buffer_samples) if streams is not None else None
