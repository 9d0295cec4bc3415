"""What is known of an insert's round trip, as computed, reported or measured, and what a measured one settles."""

from typing import Annotated, Literal

from pydantic import Field

from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.inserts import Hung, Trip, hung_in, round_trip, runs_at, trips_of
from iskelo.core.planner.measured import MOST_SAMPLES
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import HeldTrip
from iskelo.core.rig.value import Value
from iskelo.core.timing.delays import trip_of

Known = Literal["right", "nothing", "other rate", "other buffer", "wrong"]

TOLERANCE_SAMPLES = 1
"""What a figure in whole samples may be off."""


class InsertFigureRequest(Value):
    """A round trip of an insert, typed as it was measured, or (None) as it is computed or reported now."""

    item: Annotated[str, Field(max_length=17)]
    samples: int | None = None
    origin: Literal["measured", "reported", "computed"] = "measured"


def known_as(hung: Hung, at: tuple[int, int], samples: float) -> Known:
    """How what a program knows of an insert stands to what it takes; ``at``: the rate and the buffer it runs at."""
    held = hung.held
    if held is None:
        return "nothing"
    if held.rate_hz != at[0]:
        return "other rate"
    if abs(held.samples - samples) <= TOLERANCE_SAMPLES:
        return "right"
    return "other buffer" if held.buffer_samples != at[1] else "wrong"


def hung_at(reading: Reading, item: str) -> Hung:
    """What hangs in a track or a bus of a program; raises Refused."""
    found = next((each for each in hung_in(reading.found) if each.owner == item), None)
    if found is None or found.program is None:
        raise Refused("insert", "nothing hangs there now; it may have been taken out in another window")
    return found


def computed_figure(reading: Reading, hung: Hung) -> HeldTrip | None:
    """The round trip as it is computed now; None if nothing comes back."""
    samples, at = round_trip(trips_of(reading, hung)), runs_at(hung, reading.found)
    if samples is None or at is None:
        return None
    return HeldTrip(rate_hz=at[0], buffer_samples=at[1], samples=round(samples), origin="computed")


def settle_insert(reading: Reading, wanted: InsertFigureRequest) -> tuple[Edit, ...]:
    """The edits after which a program counts with this round trip, and the outboard gear takes what was measured.

    Buffers, converters and safety offsets keep their figures; what is left of a measured round trip is the gear's own.
    What a driver reports holds its way in and its way out alone.

    Raises
    ------
    Refused
        If nothing hangs there or comes back, or what was measured is less than the buffers and converters take.
    """
    hung = hung_at(reading, wanted.item)
    place = f"insert of {hung.what}"
    at = runs_at(hung, reading.found)
    if at is None or hung.program is None:
        raise Refused(place, "its program has no device; give it one first")
    if wanted.origin == "reported":
        trip = trip_of(reading.found.opened[hung.program.id], reading.found)
        return (_held(hung, at, trip.in_samples + trip.out_samples, "reported"),)
    trips = trips_of(reading, hung)
    computed = round_trip(trips)
    if computed is None:
        raise Refused(place, "nothing that it sends comes back; see what is plugged")
    if wanted.samples is None or wanted.origin == "computed":
        return (_held(hung, at, round(computed), "computed"),)
    if not 0 < wanted.samples <= MOST_SAMPLES:
        raise Refused(place, f"{wanted.samples} samples is no round trip; say 1 to {MOST_SAMPLES}")
    held = _held(hung, at, wanted.samples, "measured")
    return (*_gear_takes(trips, wanted.samples - float(computed), wanted.samples, at[0], place), held)


def _held(hung: Hung, at: tuple[int, int], samples: int, origin: Literal["measured", "reported", "computed"]) -> Edit:
    held = HeldTrip(rate_hz=at[0], buffer_samples=at[1], samples=samples, origin=origin)
    return hung.setting("measured" if origin == "measured" else "typed", held=held.model_dump(mode="json"))


def _gear_takes(trips: tuple[Trip, ...], more: float, measured: int, rate_hz: int, place: str) -> tuple[Edit, ...]:
    """The outboard gear's delay after which the round trip is what was measured; none where there is not one piece."""
    gear: dict[str, Outboard] = {each.id: each for trip in trips for each in trip.outboard}
    if len(gear) != 1:
        return ()
    (outboard,) = gear.values()
    others = measured - more - outboard.delay_samples * rate_hz / outboard.rate_hz
    samples = outboard.delay_samples + round(more * outboard.rate_hz / rate_hz)
    if samples < 0:
        raise Refused(
            place,
            f"{measured} samples is less than the {others:.0f} that buffers and converters take; "
            "correct those first, or measure again",
        )
    if samples == outboard.delay_samples and outboard.origins.get("delay_samples") == "measured":
        return ()
    return (SetValues(item=outboard.id, values={"delay_samples": samples}, origin="measured"),)
