"""What is found about a line's legs together: one side or source silent, sides swapped, on both sides, apart."""

from collections.abc import Iterator, Mapping, Sequence
from fractions import Fraction

from iskelo.core.lines.legs import Leg
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line
from iskelo.core.timing.copies import notches_hz
from iskelo.core.values import Fact, fact

SIDES_APART_DB = 1.0
"""Two sides that differ by more are told; common practice, no published source."""

SWAPPED = fact("sides swapped")

LEFT_RIGHT = ("left", "right")


def side_of(line: Line, leg: Leg) -> str:
    """Which side a leg of a sound with two of them is: by its target, else by its source."""
    ports, port = (line.to_ports, leg.end) if len(line.to_ports) == 2 else (line.from_ports, leg.start)
    return LEFT_RIGHT[ports.index(port)]


def half_silent(line: Line, legs: tuple[Leg, ...], quiet: list[Leg], heard: Mapping[Port, list[Port]]) -> Fact | None:
    """Which sides, or of a mix which sources, arrive and which do not, and why not.

    None if of a mix all do, some with their sides swapped: that is told for itself.
    """
    if line.mixed:
        swapped = {
            sound[0].owner
            for sound in line.sounds()
            if len(sound) == len(line.to_ports) == 2 and _crossed(sound, line.to_ports, heard) == SWAPPED
        }
        silent = [leg for leg in quiet if leg.start.owner not in swapped]
        return _some_silent(line, silent) if silent else None
    there = [side_of(line, leg) for leg in legs if leg not in quiet]
    gone = [side_of(line, leg) for leg in quiet]
    arrive = "arrives" if len(there) == 1 else "arrive"
    return fact("some sides silent", there=there, arrive=arrive, gone=gone, why=_why(quiet[0]))


def _some_silent(line: Line, quiet: list[Leg]) -> Fact:
    """Which sources of a mix do not arrive, or not whole."""
    ports = [leg.start for leg in quiet]
    silent = tuple({port.owner: port for port in ports}.values())
    return fact("some of a mix silent", silent=silent, of=len(line.sounds()), why=_why(quiet[0]))


def _why(leg: Leg) -> Fact:
    if leg.gap is not None:
        unplugged = leg.gap.ahead[-1].bank == "out"
        return fact("source not plugged in", source=leg.start) if unplugged else leg.gap.missing
    if leg.arrivals:
        return fact("its copies cancel")
    return fact("shut by", blocks=tuple(block.fact for block in leg.blocks))


def crossed_sides(line: Line, heard: Mapping[Port, list[Port]]) -> Fact | None:
    """Left at right or right at left, instead of their own side or as well; None if both are right."""
    if len(line.to_ports) != 2:
        return None
    sounds = (sound for sound in line.sounds() if len(sound) == 2)
    for sound in sounds:
        crossed = _crossed(sound, line.to_ports, heard)
        if crossed is not None:
            return fact("of a mix", start=sound[0], what=crossed) if line.mixed else crossed
    return None


def _crossed(sound: tuple[Port, ...], ends: tuple[Port, ...], heard: Mapping[Port, list[Port]]) -> Fact | None:
    (left, right), (left_end, right_end) = sound, ends
    at_left, at_right = heard.get(left_end, ()), heard.get(right_end, ())
    over, back = left in at_right, right in at_left
    if not (over or back):
        return None
    if over and back:
        if left not in at_left and right not in at_right:
            return SWAPPED
        return fact("both on both")
    strays, side = ("left", "right") if over else ("right", "left")
    own = (left in at_left) if over else (right in at_right)
    return fact("on the other side too" if own else "on the other side", stray=strays, side=side)


def apart(line: Line, legs: tuple[Leg, ...], found: Index) -> Iterator[Fact]:
    """What lies between two sides that arrive once each: time that a sum would hear as a notch, or level.

    Different sources of a mix are not held against each other.
    """
    for sound in line.sounds():
        yield from _apart(line, [leg for leg in legs if leg.start in sound] if line.mixed else legs, found)


def _apart(line: Line, legs: Sequence[Leg], found: Index) -> Iterator[Fact]:
    arriving = [leg for leg in legs if len(leg.arrivals) == 1]
    if len(legs) < 2 or len(arriving) < len(legs):
        return
    by_delay = sorted(arriving, key=_seconds)
    first, last = by_delay[0], by_delay[-1]
    seconds = _seconds(last) - _seconds(first)
    notches = notches_hz(float(seconds), count=1)
    if notches and last.arrivals[0].delay.rate_hz is not None:
        samples = round(seconds * last.arrivals[0].delay.rate_hz)
        ms, named = 1000 * float(seconds), {"last": _named(line, last), "first": _named(line, first)}
        yield fact("sides apart", **named, samples=samples, ms=ms, notch_hz=notches[0])
    by_level = sorted(arriving, key=lambda leg: leg.arrivals[0].level_dbfs - found.level(leg.start))
    softest, loudest = by_level[0].arrivals[0].level_dbfs, by_level[-1].arrivals[0].level_dbfs
    if loudest - softest > SIDES_APART_DB:
        named = {"softest": _named(line, by_level[0]), "loudest": _named(line, by_level[-1])}
        yield fact("sides apart in level", **named, by_db=loudest - softest)


def _named(line: Line, leg: Leg) -> Fact:
    if len(line.pairs()) == 2:
        return fact(side_of(line, leg))
    return fact("leg", start=leg.start, end=leg.end)


def _seconds(leg: Leg) -> Fraction:
    return leg.arrivals[0].delay.seconds
