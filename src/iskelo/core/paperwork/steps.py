"""A step of the set-up list."""

from dataclasses import dataclass
from typing import Literal

Section = Literal[
    "Boxes", "Clocks", "Stage", "Outboard gear", "Mixers", "Devices of several boxes", "Programs", "Sync", "Listening"
]


@dataclass(frozen=True, slots=True)
class SetUpStep:
    """One thing to do: ``settings`` are what to set there; ``items`` what it is about, ``trouble`` what stands against
    it as the rig is now.
    """

    key: str
    section: Section
    words: str
    settings: tuple[str, ...]
    items: tuple[str, ...]
    trouble: str = ""
