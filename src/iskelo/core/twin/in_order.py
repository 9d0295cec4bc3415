"""In which order programs are worked within a turn, so that those that play into cables come before those that take
from them; and how long a turn may be where they take from each other.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from iskelo.core.twin.aggregates import JoinedAtWork
from iskelo.core.twin.cable_box import CableBox
from iskelo.core.twin.driver import Called, DriverAtWork

End = tuple[DriverAtWork, set[int]]
"""An end of a cable, and which of its channels, from nought, are passed there."""


@dataclass(slots=True)
class Caller:
    """A driver that calls programs, with the ends of cables that these take from and play into."""

    session: DriverAtWork
    called: Sequence[Called]
    takes: list[End] = field(default_factory=list)
    plays: list[End] = field(default_factory=list)
    ends: list[DriverAtWork] = field(default_factory=list)


def callers_of(called: Sequence[tuple[DriverAtWork, Sequence[Called]]]) -> list[Caller]:
    """Every driver that calls programs, with the ends of cables that these have."""
    callers = []
    for session, programs in called:
        caller = Caller(session, programs)
        for program in programs:
            for end, into, out in _ends(session, program):
                if isinstance(end.box, CableBox):
                    caller.ends.append(end)
                    caller.takes.append((end, into))
                    caller.plays.append((end, out))
                    end.box.players += [end] if out else []
        callers.append(caller)
    return callers


def _ends(session: DriverAtWork, program: Called) -> Iterator[tuple[DriverAtWork, set[int], set[int]]]:
    """The drivers behind a program's device, with the channels that it takes and plays."""
    takes, plays = program.takes(), program.plays()
    if not isinstance(program, JoinedAtWork):
        yield session, takes, plays
        return
    taken = played = 0
    for part in program.parts:
        if part.session is not None:
            into = {channel - taken for channel in takes if taken <= channel < taken + part.rows_in}
            out = {channel - played for channel in plays if played <= channel < played + part.rows_out}
            yield part.session, into, out
        taken, played = taken + part.capture, played + part.playback


def in_order(callers: Sequence[Caller]) -> tuple[list[Caller], Fraction | None]:
    """The callers, those that play into a cable before those that take from it, and the longest turn in seconds.

    Where some play into each other's cables, or into their own, what is taken was played in an earlier turn: a turn
    must be no longer than a block of whoever plays and the cable's memory. None: it may be as long as it likes.
    """
    left = {
        place: {other for other, player in enumerate(callers) if any(_heard(taker, player))}
        for place, taker in enumerate(callers)
    }
    order: list[Caller] = []
    limits: list[Fraction] = []
    while left:
        ready = [place for place, before in left.items() if not before & left.keys()]
        if not ready:
            # A circle: the one that the fewest hold up goes on, and hears them a turn later.
            ready = [min(left, key=lambda each: (len(left[each] & left.keys()), each))]
            for other in left[ready[0]] & left.keys():
                limits += (_ahead_s(played, taken) for played, taken in _heard(callers[ready[0]], callers[other]))
        for place in ready:
            order.append(callers[place])
            del left[place]
    return order, min(limits, default=None)


def _heard(taker: Caller, player: Caller) -> Iterator[tuple[DriverAtWork, DriverAtWork]]:
    """The ends at which one plays what another takes, and those at which it is taken."""
    for end, out in player.plays:
        for taken, into in taker.takes:
            if end.box is taken.box and out & into:
                yield end, taken


def _ahead_s(played: DriverAtWork, taken: DriverAtWork) -> Fraction:
    """How long before it is captured a sound has been played by this end of a cable, at least."""
    box = played.box
    assert isinstance(box, CableBox)
    return (played.period_samples + box.between_samples(played, taken)) / box.clock.rate
