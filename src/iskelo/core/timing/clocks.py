"""Two clocks: how far apart they run, and what slips when nothing makes up for it.

A block of C samples is read at every call of one clock, out of what another clock's blocks of P samples bring. Two
clocks d ppm apart drift by fs * d * 1e-6 samples a second. When what lies between them is used up (or its room is), a
block slips: the first time after margin + 1 to margin + gcd(P, C) samples of drift, by how the blocks fell at the
start; then every time a whole block of the reader's has drifted. A fast sender has room for a block of either's, if
that is more than the margin, before the reader must skip. The twin slips at these times.

Tolerances of clocks, from memory: AES11 grade 1 1 ppm, grade 2 10 ppm; IEC 60958-3 level I 50 ppm, level II 1000 ppm;
USB 2.0, 7.1.11: 500 ppm at high speed, 2500 ppm at full speed.
"""

import math
from dataclasses import dataclass

from iskelo.core.rig.clocks import COMPUTER, COMPUTER_TOLERANCE_PPM
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index


@dataclass(frozen=True, slots=True)
class Apart:
    """How far apart two clocks run: the first is so many ppm faster than the second, or unknown; at most so many."""

    known_ppm: float | None
    worst_ppm: float


@dataclass(frozen=True, slots=True)
class Drift:
    """What two clocks with nothing between them do: samples a second, the first slip, and then how often.

    ``known``: the clocks were measured; else these are the worst that their tolerances allow.
    ``slip_samples``: so many at each slip are skipped (the sender is fast) or silent (it is slow).
    """

    known: bool
    ppm: float
    samples_per_s: float
    first_from_s: float
    first_to_s: float
    every_s: float
    slip_samples: int

    @property
    def slips_per_hour(self) -> float:
        return 3600 / self.every_s

    def lost_s(self, minutes: float, rate_hz: int) -> float:
        """Seconds of sound that are skipped or silent in a show of this length."""
        return self.slip_samples / rate_hz * 60 * minutes / self.every_s


def sync_tolerance_s(rate_hz: int) -> tuple[float, float]:
    """How far a digital audio signal may be from the reference, at outputs and at inputs: 5 % and 25 % of a frame.

    Example: at 48 kHz a frame is 20.83 us: 1.04 us and 5.21 us. Source: AES11 (from memory). What is later than that at
    an input, behind a long chain of leads say, may lock a sample off, or not at all.
    """
    return 0.05 / rate_hz, 0.25 / rate_hz


def say_sync_tolerance(rate_hz: int) -> str:
    """Example: 'locks if its reference is within 5.21 us; drives others within 1.04 us'."""
    out_s, in_s = sync_tolerance_s(rate_hz)
    return f"locks if its reference is within {1e6 * in_s:.2f} μs; drives others within {1e6 * out_s:.2f} μs"


def clock_of(found: Index, master: str) -> tuple[float | None, float]:
    """A clock's measured error and its tolerance, in ppm."""
    if master == COMPUTER:
        return None, COMPUTER_TOLERANCE_PPM
    box = found.gear[master]
    assert isinstance(box, Interface)
    return box.measured_ppm, box.tolerance_ppm


def master_name(found: Index, master: str) -> str:
    return "the computer" if master == COMPUTER else found.name(master)


def apart(found: Index, one: str, other: str) -> Apart:
    """How far apart the clocks of two masters run.

    Example: tolerances of 50 and 10 ppm are 60 ppm apart at worst.
    """
    if one == other:
        return Apart(0.0, 0.0)
    (first, first_within), (second, second_within) = clock_of(found, one), clock_of(found, other)
    if first is not None and second is not None:
        known = ((1 + first * 1e-6) / (1 + second * 1e-6) - 1) * 1e6
        return Apart(known, abs(known))
    worst = sum(
        abs(measured) if measured is not None else within
        for measured, within in ((first, first_within), (second, second_within))
    )
    return Apart(None, worst)


def drift(ppm: float, rate_hz: int, sender: int, receiver: int, margin_samples: int, *, known: bool) -> Drift | None:
    """What slips between blocks of two clocks; None if they do not drift at all.

    Parameters
    ----------
    ppm
        By so much the sender's clock is faster (slower, if negative).
    rate_hz
        The rate both run at, nearly.
    sender, receiver
        The block that is written at a time, and the block that is read.
    margin_samples
        What is kept waiting beyond what the blocks need.
    known
        Whether ``ppm`` was measured; else it is the worst case, and a slow sender slips first.

    Example: blocks of 256, 100 ppm at 48 kHz: 4.8 samples a second, a slip of 256 samples every 53.3 s.
    """
    per_second = rate_hz * abs(ppm) * 1e-6
    if per_second == 0:
        return None
    shared = math.gcd(sender, receiver)
    first = max(margin_samples, sender, receiver) if known and ppm > 0 else margin_samples
    return Drift(
        known,
        abs(ppm),
        per_second,
        (first + 1) / per_second,
        (first + shared) / per_second,
        receiver / per_second,
        receiver,
    )


def drift_of(found: Index, streams: OpenDevice, way: DeviceStream, bank: str = "capture") -> Drift | None:
    """What slips between a program and one of its boxes; None if nothing does."""
    driving = streams.driving
    if driving is None or not way.slips:
        return None
    faster = apart(found, found.paces[way.box.id].master, found.paces[driving.box.id].master)
    ppm = faster.known_ppm if faster.known_ppm is not None else faster.worst_ppm
    sender, receiver = way.buffer_samples, driving.buffer_samples
    if bank == "playback":
        ppm, sender, receiver = -ppm, receiver, sender
    known = faster.known_ppm is not None
    return drift(ppm, streams.device.rate_hz, sender, receiver, way.margin_samples, known=known)


def say_drift(found: Drift) -> str:
    """Example: '60 ppm at worst: 2.9 samples a second, the first slip after 6 to 50 s, then every 44 s'."""
    worst = "" if found.known else " at worst"
    first = say_seconds(found.first_from_s)
    if round(found.first_from_s, 1) != round(found.first_to_s, 1):
        first = f"{first} to {say_seconds(found.first_to_s)}"
    return (
        f"{found.ppm:g} ppm{worst}: {found.samples_per_s:.1f} samples a second, the first slip after {first}, "
        f"then {found.slip_samples} samples every {say_seconds(found.every_s)}"
    )


def say_seconds(seconds: float) -> str:
    """Example: '0.4 s', '44 s', '3 min 20 s', '2.5 h'."""
    if seconds < 10:
        return f"{seconds:.1f} s"
    if seconds < 90:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        minutes, rest = divmod(round(seconds), 60)
        return f"{minutes} min {rest} s" if rest else f"{minutes} min"
    return f"{seconds / 3600:.1f} h"
