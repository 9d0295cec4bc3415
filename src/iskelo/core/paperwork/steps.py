"""A step of the set-up list."""

from dataclasses import dataclass
from typing import Literal

Section = Literal[
    "Boxes", "Clocks", "Stage", "Outboard gear", "Mixers", "Devices of several boxes", "Programs", "Sync", "Listening"
]


@dataclass(frozen=True, slots=True)
class SetUpStep:
    """One thing to do: ``settings`` are what to set there; ``items`` what it is about, ``trouble`` what stands against
    it as the rig is now. ``why`` it is done, and how to ``see`` that it worked, where that can be said. ``says``: a
    digest of what it says whatever things are called, to which a tick belongs.
    """

    key: str
    section: Section
    words: str
    settings: tuple[str, ...]
    items: tuple[str, ...]
    trouble: str = ""
    why: str = ""
    see: str = ""
    says: str = ""
