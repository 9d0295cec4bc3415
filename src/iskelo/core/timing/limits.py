"""How late a sound may be for what it is wanted for, with the source of each figure; ITU and EBU from memory."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Limit:
    """One budget: for what, at most how late in milliseconds, and who says so."""

    purpose: str
    longest_ms: float
    source: str


LIMITS = (
    Limit("performers hearing themselves", 10, "common practice, no published source"),
    Limit("director and crew", 30, "common practice, no published source"),
    Limit("call without echo control", 25, "ITU-T G.131"),
    Limit("call, one way, comfortable", 150, "ITU-T G.114"),
    Limit("call, one way, at most", 400, "ITU-T G.114"),
    Limit("with picture, broadcast", 60, "EBU R 37"),
    Limit("with picture, not noticed", 125, "ITU-R BT.1359"),
    Limit("with picture, acceptable", 185, "ITU-R BT.1359"),
)
"""Sound that is late, not early: picture forgives more of that."""
