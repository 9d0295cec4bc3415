"""Outboard gear: what a sound passes on its way through leads, such as a compressor or an echo."""

from typing import Literal

from pydantic import Field

from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes
from iskelo.core.rig.value import LevelDbu, Origins, RateHz, Value, Width


class Outboard(Value):
    """A box that is joined to others by leads alone; leg *n* of its input feeds leg *n* of its output.

    ``delay_samples`` are counted at ``rate_hz``, by its own clock: what it takes if it has converters, none if it has
    not. ``highest_dbu``: what its inputs take unclipped (None: nobody says). ``supplies_phantom``: a microphone can be
    plugged in that needs a supply. ``effects``: what comes out of it is wet, and no copy of what goes past it.
    """

    kind: Literal["outboard"] = "outboard"
    id: Id
    name: Name
    notes: Notes = ""
    width: Width = 1
    delay_samples: DelaySamples = 0
    rate_hz: RateHz = 48_000
    gain_db: GainDb = 0.0
    highest_dbu: LevelDbu | None = None
    supplies_phantom: bool = False
    effects: bool = False
    origins: Origins = Field(default_factory=dict)
