"""Sync: when a follower's song begins after its leader's, and where clips then lie that one records of the other.

A MIDI clock ticks 24 times a quarter note (MIDI 1.0, from memory; mido agrees). Position nought is the first clock
after start. A sender that minds messages at block edges sends them with the block they lie in, so up to a block early;
one that stamps them sends them in time. A receiver at block edges acts at its next call, one that reads stamps a block
of its own after the time that is written on them. So a song begins

    sender / receiver      after the sender's, in stream time
    stamped / stamped      C
    edges   / stamped      C - e         e = 0 ... P - 1, 0 where songs begin with a block
    stamped / edges        q             q = 1 ... C
    edges   / edges        q - e

and a clip lies ``delay - that - what the receiver moves its takes - what the link's offset moves its song`` late. Where
both are called by one device with equal blocks, q is C. An engine with a period M of its own calls its programs up to
M - gcd early against their stream time, and not evenly.
"""

import math
from fractions import Fraction
from typing import NamedTuple

from iskelo.core.rig.device_streams import DeviceStream
from iskelo.core.rig.index import Index
from iskelo.core.rig.syncs import SyncLink

CLOCKS_PER_QUARTER = 24
"""MIDI 1.0 (from memory)."""


class Begin(NamedTuple):
    """How long after its leader's a follower's song begins, in seconds of stream time, at least and at most."""

    least: Fraction
    most: Fraction


def begin_of(found: Index, link: SyncLink) -> Begin | None:
    """When a link's follower begins after its leader; None if one of them has no device that calls it."""
    calls = _calls(found, link)
    if calls is None:
        return None
    sends, reads = calls
    block, rate_hz = reads.buffer_samples, reads.box.rate_hz
    early_least = early_most = Fraction(0)
    if link.sent == "at block edges":
        last = 0 if link.begins_at_call else sends.buffer_samples - 1
        early_most = Fraction(last + _uneven(sends), sends.box.rate_hz)
    if link.read == "stamped":
        late_least = late_most = Fraction(block, rate_hz)
    elif called_at_once(sends, reads):
        # The next call of both is a block later in stream time, however unevenly an engine calls.
        late_least = late_most = Fraction(block, rate_hz)
        inside = Fraction(0 if link.begins_at_call else block - 1, rate_hz)
        if link.sent == "stamped":
            late_least -= inside
        else:
            early_most = inside
    else:
        gap = block if reads.driver.engine is None else -(-block // reads.driver.engine) * reads.driver.engine
        late_least, late_most = Fraction(1, rate_hz), Fraction(gap + _uneven(reads), rate_hz)
    return Begin(late_least - early_most, late_most - early_least)


def _calls(found: Index, link: SyncLink) -> tuple[DeviceStream, DeviceStream] | None:
    """By which boxes the leader and the follower are called."""
    opened = (found.opened.get(link.sender), found.opened.get(found.items[link.id].program.id))
    ways = [streams.driving for streams in opened if streams is not None and streams.driving is not None]
    return (ways[0], ways[1]) if len(ways) == 2 else None


def _uneven(way: DeviceStream) -> int:
    """How much earlier than its stream time a program may be called."""
    engine = way.driver.engine
    return engine - math.gcd(way.buffer_samples, engine) if engine is not None else 0


def called_at_once(one: DeviceStream, other: DeviceStream) -> bool:
    """Whether two programs are called by the same device, at the same moments."""
    same = one.box.id == other.box.id and one.driver.id == other.driver.id
    by_one = one.client == other.client or not one.driver.own_blocks
    return same and by_one and one.buffer_samples == other.buffer_samples


def tick_samples(bpm: float, rate_hz: int) -> Fraction:
    """Between two clocks. Example: 120 bpm at 48 000 Hz: 1000 samples."""
    return Fraction(60 * rate_hz) / (CLOCKS_PER_QUARTER * Fraction(bpm))


def drift_ms_per_bar(own_bpm: float, sender_bpm: float) -> float:
    """How much later each bar of four of what is recorded begins, where two tempos are not one.

    Example: own 120, the sender's 121: -16.5 ms, that is early.
    """
    return 240_000 * (1 / sender_bpm - 1 / own_bpm)


def jitter_samples(found: Index, link: SyncLink) -> int | None:
    """Below how many samples the clocks that a follower sees lie off even ones, on one clock; None if none can be told.

    P + C less what both have in common where both are at block edges; a block where one is; else nought.
    """
    ways = _calls(found, link)
    if ways is None or ways[0].box.rate_hz != ways[1].box.rate_hz:
        return None
    played, taken = (way.buffer_samples for way in ways)
    sent, read = link.sent == "at block edges", link.read == "at block edges"
    if sent and read:
        return played + taken - math.gcd(played, taken)
    return played if sent else taken if read else 0
