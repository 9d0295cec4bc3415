"""What a link to the computer has room for."""

from dataclasses import dataclass
from typing import Literal

from iskelo.core.rig.gear import Interface, LinkKind

BANKS: tuple[Literal["capture", "playback"], ...] = ("capture", "playback")


@dataclass(frozen=True, slots=True)
class LinkLimits:
    """USB 2.0: frames a second, bytes one endpoint may move in each, bytes all periodic traffic may (from memory).

    Full speed: 1023 bytes per 1 ms frame for one endpoint, 90 % of 1500 bytes for all. High speed: 3 x 1024 bytes per
    125 us microframe, 80 % of 7500.
    """

    frames_per_s: int
    endpoint_bytes: int
    periodic_bytes: int


LINK_LIMITS: dict[LinkKind, LinkLimits] = {
    "USB full speed": LinkLimits(1000, 1023, 1350),
    "USB high speed": LinkLimits(8000, 3072, 6000),
}
"""Links that have no such limits (built in, PCIe-class) are not named here."""


def frame_bytes(channels: int, sample_bytes: int, rate_hz: int, limits: LinkLimits) -> int:
    """The bytes of one direction in a (micro)frame, with the one sample more that a free clock may ask for.

    Example: 2 channels of 3 bytes at 48 kHz, full speed: 2 x 3 x 49 = 294.
    """
    return channels * sample_bytes * (rate_hz // limits.frames_per_s + 1) if channels else 0


def packet_samples(box: Interface) -> int | None:
    """What a USB link carries at a time: by about so much a delay differs from one start to the next.

    None for links without packets.
    Example: at 48 kHz 48 samples at full speed, 6 at high speed. USB 2.0: frames of 1 ms, microframes of 125 us.
    """
    limits = LINK_LIMITS.get(box.link_kind)
    return -(-box.rate_hz // limits.frames_per_s) if limits is not None else None


def link_overload(box: Interface, rate_hz: int | None = None) -> str | None:
    """In words, what is more than the box's link can carry at a rate (None: its own); None if all fits."""
    limits = LINK_LIMITS.get(box.link_kind)
    if limits is None:
        return None
    rate_hz = rate_hz or box.rate_hz
    total = 0
    for bank in BANKS:
        channels = box.channels_at(bank, rate_hz)
        size = frame_bytes(channels, box.link_sample_bytes, rate_hz, limits)
        if size > limits.endpoint_bytes:
            return f"{channels} {bank} channels need {size} bytes a frame; {limits.endpoint_bytes} is the most"
        total += size
    if total > limits.periodic_bytes:
        return f"both ways need {total} bytes a frame; {limits.periodic_bytes} is the most"
    return None
