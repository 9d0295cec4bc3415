"""A program's tracks and buses as a table of what hangs in them: by which ways, how late, how loud, what is known."""

from fractions import Fraction
from typing import Literal

from iskelo.core.lines.context import Reading
from iskelo.core.lines.inserts import Hung, hung_in, round_trip, runs_at, trips_of
from iskelo.core.planner.insert_figures import Known, known_as
from iskelo.core.rig.insert_words import insert_phrase
from iskelo.core.rig.programs import Bus, Program, Track
from iskelo.core.values import light


@light
class TripView:
    """What an insert does: jacks and gear on its way, the round trip computed now, its level and polarity.

    ``held_samples`` is what its program counts with, ``known`` how that stands to what it takes.
    """

    way: str
    samples: float | None
    ms: float | None
    assumed: bool
    gain_db: float | None
    inverted: bool
    held_samples: int | None
    held_origin: Literal["", "measured", "reported", "computed"]
    known: Known


@light
class InsertView:
    """One row: a track or a bus; ``phrase`` is what hangs in it as it could be typed, empty if nothing does."""

    id: str
    side: str
    position: int
    name: str
    width: int
    phrase: str
    on: bool
    trip: TripView | None


def insert_views(reading: Reading, program: Program) -> tuple[InsertView, ...]:
    """Every track and bus of a program, with what hangs in it."""
    hung = {each.owner: each for each in hung_in(reading.found) if each.program is program}
    items: tuple[Track | Bus, ...] = (*program.tracks, *program.buses)
    return tuple(
        InsertView(
            id=item.id,
            side=reading.found.items[item.id].side,
            position=reading.found.items[item.id].position,
            name=item.name,
            width=item.width,
            phrase=insert_phrase(program, item.insert),
            on=item.insert is not None and item.insert.on,
            trip=_trip(reading, hung[item.id]) if item.id in hung else None,
        )
        for item in items
    )


def _as_measured(hung: Hung, at: tuple[int, int] | None, samples: Fraction | int | None) -> bool:
    held = hung.held
    if held is None or held.origin != "measured" or samples is None:
        return False
    return at == (held.rate_hz, held.buffer_samples) and known_as(hung, at, float(samples)) == "right"


_PASSED = ("jack_out", "outboard_in", "jack_in")


def _trip(reading: Reading, hung: Hung) -> TripView:
    found, trips = reading.found, trips_of(reading, hung)
    samples, at = round_trip(trips), runs_at(hung, found)
    route = trips[0].route
    ports = [port for port in route.ports if port.bank in _PASSED] if route is not None else []
    way = " › ".join(found.name(p.owner) if p.bank == "outboard_in" else found.say(p) for p in ports)
    held = hung.held
    delays = [trip.delay for trip in trips if trip.delay is not None]
    return TripView(
        way=f"{way or 'nothing comes back'}{'; not monitored, so nothing is sent' if hung.unheard else ''}",
        samples=round(float(samples), 2) if samples is not None else None,
        ms=1000 * float(samples) / at[0] if samples is not None and at is not None else None,
        # What was measured here and now is not in doubt, whatever its parts are.
        assumed=any(each.assumed for each in delays) and not _as_measured(hung, at, samples),
        gain_db=trips[0].whole_gain_db if route is not None else None,
        inverted=any(trip.inverted for trip in trips),
        held_samples=held.samples if held is not None else None,
        held_origin=held.origin if held is not None else "",
        known=known_as(hung, at, float(samples)) if samples is not None and at is not None else "nothing",
    )
