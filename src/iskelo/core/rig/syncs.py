"""Sync links: what one program sends to another by a virtual MIDI port, and how either end keeps time."""

from typing import Annotated, Literal

from pydantic import Field

from iskelo.core.rig.text import Id, Name
from iskelo.core.rig.value import Settable, Value

Bpm = Annotated[float, Field(ge=10, le=999, allow_inf_nan=False)]
"""Quarter notes a minute."""

Quarters = Annotated[float, Field(ge=0, le=1_000_000, allow_inf_nan=False)]
"""A place in a song, in quarter notes from its beginning."""

Timing = Literal["at block edges", "stamped"]
"""Whether an end of a link minds messages when its program is called, or at the time that is written on them."""


class TempoChange(Value):
    """From a place of a song on, another tempo."""

    at_quarters: Quarters
    bpm: Bpm


class SongMarker(Value):
    """A place of a song with a name."""

    at_quarters: Quarters
    name: Name


class SyncLink(Value):
    """A virtual MIDI port by which a program hears another, the ``sender``: its clock with start and stop, its notes.

    ``sent`` and ``read``: how the sender and this program mind time. ``begins_at_call``: the sender's songs begin
    where a block does. This program begins ``offset_ms`` later than what it is told, or earlier.
    """

    id: Id
    sender: Id
    clock: Annotated[bool, Settable("carries the clock")] = True
    notes: Annotated[bool, Settable("carries notes")] = False
    sent: Annotated[Timing, Settable("sent")] = "at block edges"
    read: Annotated[Timing, Settable("read")] = "at block edges"
    begins_at_call: Annotated[bool, Settable("songs begin where a block does")] = True
    offset_ms: Annotated[
        Annotated[float, Field(ge=-10_000, le=10_000, allow_inf_nan=False)], Settable("sync offset", "ms")
    ] = 0.0

    @property
    def name(self) -> str:
        """What it is called beside other items; from whom it is, ``Index.say_sync`` tells."""
        return "sync link"
