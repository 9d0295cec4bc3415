"""What a measured round trip, a driver's report or a link's feedback says about what nobody knows by itself."""

import math
from typing import Annotated, Literal

from pydantic import Field

from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.rig.device_streams import open_box
from iskelo.core.rig.drivers import Driver, Offsets
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.value import Value
from iskelo.core.timing.delays import trip_of
from iskelo.core.timing.feedback import FRACTION_BITS, feedback_word, ppm_of, rate_of
from iskelo.core.timing.terms import buffer_waits

MOST_SAMPLES = 100_000
FURTHEST_PPM = 2500
"""What USB 2.0, 7.1.11, allows a clock at full speed to be off (from memory); a word further off is another rate's."""


class RoundTripRequest(Value):
    """A round trip that was measured by a driver at its present rate and buffer, in samples."""

    driver: str
    round_trip_samples: int


class ReportRequest(Value):
    """What a driver reports at its present rate and buffer, in samples: from the jacks to a program, and back out."""

    driver: str
    in_samples: int
    out_samples: int


class FeedbackRequest(Value):
    """What a USB box asks for, in hexadecimal, as the computer's system shows it."""

    box: str
    word: Annotated[str, Field(max_length=20)]


def settle_round_trip(found: Index, wanted: RoundTripRequest) -> tuple[Edit, ...]:
    """The edits after which the driver's round trip at its present rate and buffer is what was measured.

    Converters, mixer and link keep their figures; the safety offsets take up the rest, the one on the way in as far as
    it goes, and count as measured. How the rest is shared between the two ways, no round trip can tell.

    Raises
    ------
    Refused
        If the driver is gone, or the buffers and the other parts take longer than what was measured.
    """
    box, driver = _driver(found, wanted.driver)
    place = f"{box.name}, round trip"
    if not 0 < wanted.round_trip_samples <= MOST_SAMPLES:
        raise Refused(place, f"{wanted.round_trip_samples} samples is no round trip; say 1 to {MOST_SAMPLES}")
    buffers, others = (sum(each) for each in _parts(found, box, driver))
    rest = wanted.round_trip_samples - buffers - others
    if rest < 0:
        raise Refused(
            place,
            f"{wanted.round_trip_samples} samples is less than its buffers of {buffers} and its other parts of "
            f"{others}; correct those first, or measure again",
        )
    now = driver.safety(box.rate_hz, driver.buffer_samples)
    safety_in = min(now.in_samples, rest)
    return (_known(box, driver, safety_in, rest - safety_in, "measured"),)


def settle_report(found: Index, wanted: ReportRequest) -> tuple[Edit, ...]:
    """The edits after which each way takes what the driver reports; its safety offsets take up the rest of each.

    Example: 210 samples in, with a buffer of 128, A/D 26 and mixer 7, leave 49 for the safety offset.

    Raises
    ------
    Refused
        If the driver is gone, or the buffer and the other parts of a way take longer than what is reported.
    """
    box, driver = _driver(found, wanted.driver)
    buffers, others = _parts(found, box, driver)
    rest = []
    ways = ("in", wanted.in_samples), ("out", wanted.out_samples)
    for (way, reported), buffer, other in zip(ways, buffers, others, strict=True):
        place = f"{box.name}, reported {way}"
        if not 0 < reported <= MOST_SAMPLES:
            raise Refused(place, f"{reported} samples is no delay; say 1 to {MOST_SAMPLES}")
        if reported < buffer + other:
            raise Refused(
                place,
                f"{reported} samples is less than its buffer of {buffer} and its other parts of {other}; a driver that "
                "leaves converters out reports less than it takes: correct those first",
            )
        rest.append(reported - buffer - other)
    return (_known(box, driver, rest[0], rest[1], "described"),)


def settle_feedback(found: Index, wanted: FeedbackRequest) -> tuple[Edit, ...]:
    """The edits after which a box's clock is as fast as its link says it is; one step of the word is the finest told.

    Raises
    ------
    Refused
        If the box has no such link, or the word is none, or asks for another rate than the box's.
    """
    box = found.gear.get(wanted.box)
    if not isinstance(box, Interface):
        raise Refused("feedback", "this box is gone; it may have been removed in another window")
    place = f"{box.name}, feedback"
    if box.link_kind not in FRACTION_BITS:
        raise Refused(place, f"its link is {box.link_kind}; only USB asks for samples by such words")
    try:
        word = int(wanted.word.strip(), 16)
    except ValueError:
        raise Refused(place, f"{wanted.word} is no such word; type it in hexadecimal, as 0x60000") from None
    ppm = ppm_of(word, box.rate_hz, box.link_kind)
    if abs(ppm) > FURTHEST_PPM:
        right = feedback_word(box.rate_hz, box.link_kind)
        asks = float(rate_of(word, box.link_kind))
        raise Refused(
            place,
            f"0x{word:X} asks for {asks:.0f} Hz at {box.link_kind.removeprefix('USB ')}; "
            f"{box.rate_hz} Hz is 0x{right:X}",
        )
    finest = 1_000_000 / feedback_word(box.rate_hz, box.link_kind)
    digits = max(0, -math.floor(math.log10(finest)))
    return (SetValues(item=box.id, values={"measured_ppm": round(ppm, digits)}, origin="measured"),)


def _driver(found: Index, identity: str) -> tuple[Interface, Driver]:
    if identity not in found.drivers:
        raise Refused("round trip", "this driver is gone; it may have been removed in another window")
    return found.drivers[identity]


def _parts(found: Index, box: Interface, driver: Driver) -> tuple[tuple[int, int], tuple[int, int]]:
    """In samples, in and out: what is waited in the driver's buffers, and all else but its safety offsets."""
    trip = trip_of(open_box(box, driver), found)
    buffers = buffer_waits(driver, driver.buffer_samples)
    safety = driver.safety(box.rate_hz, driver.buffer_samples)
    into = trip.in_samples - buffers[0] - safety.in_samples
    return buffers, (into, trip.out_samples - buffers[1] - safety.out_samples)


def _known(
    box: Interface, driver: Driver, in_samples: int, out_samples: int, origin: Literal["measured", "described"]
) -> Edit:
    """Keep these offsets for the present rate and buffer, in place of what was known there."""
    new = Offsets(
        rate_hz=box.rate_hz,
        buffer_samples=driver.buffer_samples,
        in_samples=in_samples,
        out_samples=out_samples,
        origin=origin,
    )
    old = driver.known_offsets(box.rate_hz, driver.buffer_samples)
    kept = [*(each for each in driver.offsets if each is not old), new]
    return SetValues(item=driver.id, values={"offsets": [each.model_dump() for each in kept]})
