"""What a measured round trip says about the parts of a delay that nobody knows."""

from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.rig.rig import Index
from iskelo.core.rig.value import Value
from iskelo.core.rig.ways import open_box
from iskelo.core.timing.delays import trip_of, waits

MOST_SAMPLES = 100_000


class RoundTripRequest(Value):
    """A round trip that was measured by a driver at its present buffer, in samples."""

    driver: str
    round_trip_samples: int


def settle_round_trip(found: Index, wanted: RoundTripRequest) -> tuple[Edit, ...]:
    """The edits after which the driver's round trip is what was measured.

    Converters, mixer and link keep their figures; the safety offsets take up the rest, the one on the way in as far as
    it goes, and count as measured. How the rest is shared between the two ways, no round trip can tell.

    Raises
    ------
    Refused
        If the driver is gone, or the buffers and the other parts take longer than what was measured.
    """
    if wanted.driver not in found.drivers:
        raise Refused("round trip", "this driver is gone; it may have been removed in another window")
    box, driver = found.drivers[wanted.driver]
    place = f"{box.name}, round trip"
    if not 0 < wanted.round_trip_samples <= MOST_SAMPLES:
        raise Refused(place, f"{wanted.round_trip_samples} samples is no round trip; say 1 to {MOST_SAMPLES}")
    trip = trip_of(open_box(box, driver), found)
    buffers = sum(waits(driver, driver.buffer_samples))
    others = trip.in_samples + trip.out_samples - buffers - driver.safety_in_samples - driver.safety_out_samples
    rest = wanted.round_trip_samples - buffers - others
    if rest < 0:
        raise Refused(
            place,
            f"{wanted.round_trip_samples} samples is less than its buffers of {buffers} and its other parts of "
            f"{others}; correct those first, or measure again",
        )
    safety_in = min(driver.safety_in_samples, rest)
    values = {"safety_in_samples": safety_in, "safety_out_samples": rest - safety_in}
    return (SetValues(item=driver.id, values={**values}, origin="measured"),)
