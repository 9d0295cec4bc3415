"""Outboard gear: what a sound passes on its way through leads, such as a compressor or an echo."""

from typing import Annotated, Literal

from pydantic import Field

from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes
from iskelo.core.rig.value import LevelDbu, Origins, RateHz, Settable, Value, Width


class Outboard(Value):
    """A box that is joined to others by leads alone; leg *n* of its input feeds leg *n* of its output.

    ``delay_samples`` are counted at ``rate_hz``, by its own clock: what it takes if it has converters, none if it has
    not. ``highest_dbu``: what its inputs take unclipped (None: nobody says). ``supplies_phantom``: a microphone can be
    plugged in that needs a supply. ``drives_both_legs``: as of a box's outputs. ``effects``: what comes out of it is
    wet, and no copy of what goes past it.
    """

    kind: Literal["outboard"] = "outboard"
    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    width: Annotated[Width, Settable("width")] = 1
    delay_samples: Annotated[DelaySamples, Settable("delay", "samples", figure=True)] = 0
    rate_hz: Annotated[RateHz, Settable("its rate", "Hz")] = 48_000
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    highest_dbu: Annotated[LevelDbu | None, Settable("highest level", "dBu", figure=True)] = None
    drives_both_legs: Annotated[bool, Settable("outputs drive both legs against ground", figure=True)] = False
    supplies_phantom: Annotated[bool, Settable("supplies phantom power")] = False
    effects: Annotated[bool, Settable("effects (wet)")] = False
    origins: Origins = Field(default_factory=dict)
