"""What a run of the twin tells beside its sound."""

from dataclasses import dataclass
from fractions import Fraction


class CannotFollow(Exception):
    """The rig holds something that cannot be simulated; the text says what, in a technician's words."""


@dataclass(frozen=True, slots=True)
class Slipped:
    """A block that slipped between two clocks: which device, which box of it, when, and how many samples.

    ``inward``: on the way from the box to the programs.
    """

    device: str
    box: str
    inward: bool
    time_s: float
    samples: int


@dataclass(frozen=True, slots=True)
class Missed:
    """How many of a program's blocks were not ready in time."""

    program: str
    name: str
    missed: int
    blocks: int


@dataclass(frozen=True, slots=True)
class Synced:
    """A follower's song that began: so many seconds after its leader's, by the samples of both."""

    link: str
    after_s: Fraction
