"""The rig: one validated, immutable document."""

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from iskelo.core.rig.gear import Aggregate, Destination, Gear, Interface, Source
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Send, Track, Voice
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.rig.text import GainDb, Id, Name, Notes, clean_tag
from iskelo.core.rig.value import Settable, Value

Purpose = Literal["record", "listen"]
Side = Literal["input", "track", "voice", "bus", "output", "send", "sync"]
Item = ProgramPort | Track | Voice | Bus | Send | SyncLink
AnyGear = Source | Interface | Outboard | Aggregate | Program | Destination
SIDES: tuple[Side, ...] = ("input", "track", "voice", "bus", "output", "send", "sync")
FIELDS_OF: dict[str, str] = {
    "input": "inputs",
    "track": "tracks",
    "voice": "voices",
    "bus": "buses",
    "output": "outputs",
    "send": "sends",
    "sync": "syncs",
}
"""A program's field for the items of each side."""

PASSED_SIDES: tuple[Side, ...] = ("input", "track", "bus", "output")
"""Of what is in a program what sound passes and a line may name."""

BOX_BANKS = ("jack_in", "jack_out", "capture", "playback")


LevelDbfs = Annotated[float, Field(ge=-144, le=24, allow_inf_nan=False)]


class Broken(ValueError):
    """The document does not hold together: ``place`` says where, the text why, in a technician's words."""

    def __init__(self, place: str, reason: str) -> None:
        super().__init__(reason)
        self.place = place
        self.reason = reason


class Patch(Value):
    """One lead between two ports; a lead wired the wrong way round turns the signal over.

    ``unbalanced``: it ends in an input that hears its hot leg alone.
    """

    id: Id
    from_port: Port
    to_port: Port
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    muted: Annotated[bool, Settable("muted")] = False
    inverted: Annotated[bool, Settable("polarity reversed")] = False
    unbalanced: Annotated[bool, Settable("into an unbalanced input")] = False


Colour = Literal["none", "red", "orange", "yellow", "green", "blue", "purple", "grey"]
"""A colour that a line is marked with; on paper it is a word."""

WantedTap = Literal["any", "raw", "direct", "before the fader", "behind the fader", "a mix"]
"""At which tap of a mixer a line is wanted: raw is the input itself, before any strip."""


COMPUTER = "computer"
"""What a line may never pass that is no gear of the rig: the computer itself, and with it every program."""

Passed = Annotated[tuple[Id, ...], Field(max_length=8)]
NeverPassed = Annotated[tuple[Id | Literal["computer"], ...], Field(max_length=8)]


MIXED_AT_MOST = 64
"""So many source ports may be wanted together by one line."""


class Line(Value):
    """A wanted delivery: these source ports to those target ports, with its limits.

    ``mixed``: several sources are wanted together, and all of them must arrive; else the ports are those of one
    sound, or of its two sides.
    ``through``: the gear, strips, mixes, tracks, buses and outputs that every copy of it must pass; ``never_by``: what
    none of them may pass.
    """

    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    purpose: Annotated[Purpose, Settable("purpose")] = "record"
    from_ports: Annotated[tuple[Port, ...], Field(max_length=MIXED_AT_MOST), Settable("from")] = ()
    mixed: Annotated[bool, Settable("several sources, mixed")] = False
    to_ports: Annotated[tuple[Port, ...], Field(max_length=2), Settable("to")] = ()
    longest_delay_ms: Annotated[
        Annotated[float, Field(gt=0, le=60_000, allow_inf_nan=False)] | None, Settable("longest delay", "ms")
    ] = None
    lowest_dbfs: Annotated[LevelDbfs | None, Settable("lowest level", "dBFS")] = None
    highest_dbfs: Annotated[LevelDbfs | None, Settable("highest level", "dBFS")] = None
    alone: Annotated[bool, Settable("alone")] = False
    tap: Annotated[WantedTap, Settable("wanted tap")] = "any"
    through: Annotated[Passed, Settable("through")] = ()
    never_by: Annotated[NeverPassed, Settable("never by")] = ()
    tag: Annotated[str, AfterValidator(clean_tag), Settable("tag")] = ""
    colour: Annotated[Colour, Settable("colour")] = "none"

    @model_validator(mode="after")
    def _window(self) -> "Line":
        if self.lowest_dbfs is not None and self.highest_dbfs is not None and self.lowest_dbfs > self.highest_dbfs:
            raise ValueError(f"its lowest level {self.lowest_dbfs:g} is above its highest, {self.highest_dbfs:g} dBFS")
        return self

    @property
    def at_track(self) -> bool:
        """Whether it ends in a program: on a track, or at a far end's ear."""
        return self.purpose == "record" or any(port.bank == "track" for port in self.to_ports)

    def sounds(self) -> tuple[tuple[Port, ...], ...]:
        """Give the ports of each sound that is wanted: of a mix those of each source, else all of them."""
        if not self.mixed:
            return (self.from_ports,)
        by_owner: dict[str, list[Port]] = {}
        for port in self.from_ports:
            by_owner.setdefault(port.owner, []).append(port)
        return tuple(tuple(ports) for ports in by_owner.values())

    @property
    def width(self) -> int:
        """How many ports its widest sound has: 1 or 2, or 0 where none is said yet."""
        return max(map(len, self.sounds()), default=0)

    def pairs(self) -> tuple[tuple[Port, Port], ...]:
        """Which source port is wanted at which target port; of a mix those of every source.

        Equally wide ends pair leg by leg; a single source goes to every target leg, and both legs of a
        stereo source to a single target.
        """
        starts, ends = self.from_ports, self.to_ports
        if len(starts) == len(ends) == 1:
            return ((starts[0], ends[0]),)
        if self.mixed:
            return tuple(pair for sound in self.sounds() for pair in _joined(sound, ends))
        return _joined(starts, ends)


def _joined(starts: tuple[Port, ...], ends: tuple[Port, ...]) -> tuple[tuple[Port, Port], ...]:
    if len(starts) == len(ends):
        return tuple(zip(starts, ends, strict=True))
    return tuple((start, end) for start in starts for end in ends)


Alignment = Annotated[float, Field(ge=-60, le=0, allow_inf_nan=False)]
"""A nominal level's place under full scale: -18 dBFS by EBU R 68, -20 by SMPTE RP 155 (both from memory)."""


class Rig(Value):
    """The whole set-up. ``next_number`` is the counter ids are made from.

    Of the computer: how many ``cores`` it has, and by how much it is late in calling a program. ``show_minutes``:
    how long the recording will be, if that is known. ``alignment_dbfs``: where a nominal level stands at most.
    ``names_travel``: what is renamed is renamed wherever the same name stands.
    """

    format: Literal["iskelo rig"] = "iskelo rig"
    version: Literal[13] = 13
    name: Annotated[Name, Settable("name")] = "New rig"
    notes: Annotated[Notes, Settable("notes")] = ""
    next_number: Annotated[int, Field(ge=1, le=1_000_000_000)] = 1
    cores: Annotated[int, Field(ge=1, le=256), Settable("cores")] = 4
    jitter_ms: Annotated[
        Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)], Settable("scheduling jitter", "ms")
    ] = 0.2
    show_minutes: Annotated[
        Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)] | None,
        Settable("length of the recording", "minutes"),
    ] = None
    alignment_dbfs: Annotated[Alignment, Settable("alignment", "dBFS")] = -18.0
    names_travel: Annotated[bool, Settable("names travel")] = False
    gear: Annotated[tuple[Gear, ...], Field(max_length=4096, fail_fast=True)] = ()
    patches: Annotated[tuple[Patch, ...], Field(max_length=4096, fail_fast=True)] = ()
    lines: Annotated[tuple[Line, ...], Field(max_length=1024, fail_fast=True)] = ()
