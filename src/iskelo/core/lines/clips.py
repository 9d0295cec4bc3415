"""Clips: where they lie that one program records of another which it follows, and the state of every sync link."""

from collections.abc import Iterator
from fractions import Fraction
from typing import NamedTuple

from iskelo.core.lines.context import Reading
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.routes.route import Route, passing_routes
from iskelo.core.timing.delays import delay_of
from iskelo.core.timing.sync import Begin, begin_of

NOUGHT_SAMPLES = Fraction(1, 2)
"""A clip that lies no further off is in time."""


class Clip(NamedTuple):
    """Where on a track clips of another program lie: so many seconds late at least and at most; at the track's rate."""

    track: str
    least: Fraction
    most: Fraction
    rate_hz: int

    @property
    def least_samples(self) -> float:
        return float(self.least * self.rate_hz)

    @property
    def most_samples(self) -> float:
        return float(self.most * self.rate_hz)

    @property
    def in_time(self) -> bool:
        """Whether it lies where it was played, whenever the two begin."""
        return max(abs(self.least), abs(self.most)) * self.rate_hz <= NOUGHT_SAMPLES


class SyncState(NamedTuple):
    """A link at work: who leads, who follows, when the follower begins (None: one of them does not run), its clips."""

    link: SyncLink
    leader: Program
    follower: Program
    begin: Begin | None
    clips: tuple[Clip, ...]

    @property
    def is_followed(self) -> bool:
        """Whether the clock is sent, and minded."""
        return self.link.clock and self.follower.follows_clock


def sync_states(reading: Reading) -> Iterator[SyncState]:
    """Every link of a rig."""
    found = reading.found
    for follower in found.programs():
        for link in follower.syncs:
            leader = found.gear[link.sender]
            assert isinstance(leader, Program)
            begin = begin_of(found, link)
            clips = tuple(_clips(reading, link, leader, follower, begin)) if begin is not None else ()
            yield SyncState(link, leader, follower, begin, clips)


def _clips(reading: Reading, link: SyncLink, leader: Program, follower: Program, begin: Begin) -> Iterator[Clip]:
    streams = reading.found.opened[follower.id]
    rate_hz = streams.device.rate_hz
    moved = Fraction(follower.compensates_samples, rate_hz) + Fraction(link.offset_ms) / 1000
    for track in follower.tracks:
        if track.far_end is not None:
            continue
        delays = [delay_of(route.edges, reading.found) for route in ways_to_track(reading, leader, track)]
        if not delays:
            continue
        least = min(each.seconds for each in delays) - begin.most - moved
        most = max(each.seconds + each.spread for each in delays) - begin.least - moved
        yield Clip(track.id, least, most, rate_hz)


def ways_to_track(reading: Reading, program: Program, track: Track) -> Iterator[Route]:
    """Find the ways from what a program sounds to a track, of all voices and legs."""
    for voice in program.voices:
        for leg in range(1, voice.width + 1):
            start = Port(voice.id, "voice", leg)
            by = reading.known.sound(start).by
            for end in (Port(track.id, "track", number) for number in range(1, track.width + 1)):
                if end in by:
                    yield from passing_routes(reading.graph, start, end, reading.known)
