"""What is found about a line's two legs together: one side silent, swapped, on both sides, apart in time or level."""

from collections.abc import Iterator, Mapping
from fractions import Fraction

from iskelo.core.lines.legs import Leg
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line
from iskelo.core.timing.copies import notches_hz

SIDES_APART_DB = 1.0
"""Two sides that differ by more are told; common practice, no published source."""

LEFT_RIGHT = ("left", "right")


def side_of(line: Line, leg: Leg) -> str:
    """Which side a leg of a line with two of them is: by its target, else by its source."""
    ports, port = (line.to_ports, leg.end) if len(line.to_ports) == 2 else (line.from_ports, leg.start)
    return LEFT_RIGHT[ports.index(port)]


def say_half(line: Line, legs: tuple[Leg, ...], quiet: list[Leg], found: Index) -> str:
    """Which sides arrive and which do not, and why not."""
    there = [side_of(line, leg) for leg in legs if leg not in quiet]
    gone = [side_of(line, leg) for leg in quiet]
    arrive = "arrives" if len(there) == 1 else "arrive"
    return f"{' and '.join(there)} {arrive}, {' and '.join(gone)} does not: {_why(quiet[0], found)}"


def _why(leg: Leg, found: Index) -> str:
    if leg.gap is not None:
        return leg.gap.short if leg.gap.ahead[-1].bank != "out" else f"{found.say(leg.start)} is not plugged in"
    if leg.arrivals:
        return "its copies cancel each other"
    return " and ".join(block.words for block in leg.blocks)


def crossed_sides(line: Line, heard: Mapping[Port, list[Port]]) -> str:
    """Left at right or right at left, instead of their own side or as well, in words; empty if both are right."""
    if len(line.from_ports) != 2 or len(line.to_ports) != 2:
        return ""
    (left, right), (left_end, right_end) = line.from_ports, line.to_ports
    at_left, at_right = heard.get(left_end, ()), heard.get(right_end, ())
    over, back = left in at_right, right in at_left
    if not (over or back):
        return ""
    if over and back:
        if left not in at_left and right not in at_right:
            return "left and right are swapped"
        return "both sides arrive on both sides: stereo becomes mono"
    strays, side = ("left", "right") if over else ("right", "left")
    own = (left in at_left) if over else (right in at_right)
    return f"{strays} arrives on the {side} side" + (" too" if own else " instead of its own")


def apart(line: Line, legs: tuple[Leg, ...], found: Index) -> Iterator[str]:
    """What lies between two sides that arrive once each: time that a sum would hear as a notch, or level."""
    arriving = [leg for leg in legs if len(leg.arrivals) == 1]
    if len(legs) < 2 or len(arriving) < len(legs):
        return
    by_delay = sorted(arriving, key=_seconds)
    first, last = by_delay[0], by_delay[-1]
    seconds = _seconds(last) - _seconds(first)
    notches = notches_hz(float(seconds), count=1)
    if notches and last.arrivals[0].delay.rate_hz is not None:
        samples = round(seconds * last.arrivals[0].delay.rate_hz)
        yield (
            f"{_named(line, last, found)} comes {samples} samples = {1000 * float(seconds):.2f} ms after "
            f"{_named(line, first, found)}; summed, the first notch is at {notches[0]:.0f} Hz"
        )
    by_level = sorted(arriving, key=lambda leg: leg.arrivals[0].level_dbfs - found.level(leg.start))
    softest, loudest = by_level[0].arrivals[0].level_dbfs, by_level[-1].arrivals[0].level_dbfs
    if loudest - softest > SIDES_APART_DB:
        yield (
            f"{_named(line, by_level[0], found)} is {loudest - softest:.1f} dB softer than "
            f"{_named(line, by_level[-1], found)}"
        )


def _named(line: Line, leg: Leg, found: Index) -> str:
    return side_of(line, leg) if len(line.pairs()) == 2 else f"{found.say(leg.start)} → {found.say(leg.end)}"


def _seconds(leg: Leg) -> Fraction:
    return leg.arrivals[0].delay.seconds
