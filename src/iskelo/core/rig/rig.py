"""The rig: one validated, immutable document, and the look-ups everything else reads it through."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Annotated, Literal, NamedTuple

from pydantic import AfterValidator, Field, model_validator

from iskelo.core.rig.claims import Claim, admitted, excludes, is_by
from iskelo.core.rig.clocks import Pace, paces
from iskelo.core.rig.gear import Aggregate, Destination, Driver, Gear, Interface, Source
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import BANK_WORDS, CLOCK_BANKS, Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Send, Track, Voice
from iskelo.core.rig.text import GainDb, Id, Name, Notes, clean_tag
from iskelo.core.rig.value import Settable, Value
from iskelo.core.rig.ways import Device, Opening, Way, open_program

Purpose = Literal["record", "listen"]
Side = Literal["input", "track", "voice", "bus", "output", "send"]
Item = ProgramPort | Track | Voice | Bus | Send
AnyGear = Source | Interface | Outboard | Aggregate | Program | Destination
SIDES: tuple[Side, ...] = ("input", "track", "voice", "bus", "output", "send")
FIELDS_OF: dict[str, str] = {
    "input": "inputs",
    "track": "tracks",
    "voice": "voices",
    "bus": "buses",
    "output": "outputs",
    "send": "sends",
}
"""A program's field for the items of each side."""

BOX_BANKS = ("jack_in", "jack_out", "capture", "playback")


LevelDbfs = Annotated[float, Field(ge=-144, le=24, allow_inf_nan=False)]


class Broken(ValueError):
    """The document does not hold together: ``place`` says where, the text why, in a technician's words."""

    def __init__(self, place: str, reason: str) -> None:
        super().__init__(reason)
        self.place = place
        self.reason = reason


class Patch(Value):
    """One lead between two ports; a lead wired the wrong way round turns the signal over."""

    id: Id
    from_port: Port
    to_port: Port
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    muted: Annotated[bool, Settable("muted")] = False
    inverted: Annotated[bool, Settable("polarity reversed")] = False


class Line(Value):
    """A wanted delivery: these source ports to those target ports, with its limits."""

    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    purpose: Annotated[Purpose, Settable("purpose")] = "record"
    from_ports: Annotated[tuple[Port, ...], Field(max_length=2), Settable("from")] = ()
    to_ports: Annotated[tuple[Port, ...], Field(max_length=2), Settable("to")] = ()
    longest_delay_ms: Annotated[
        Annotated[float, Field(gt=0, le=60_000, allow_inf_nan=False)] | None, Settable("longest delay", "ms")
    ] = None
    lowest_dbfs: Annotated[LevelDbfs | None, Settable("lowest level", "dBFS")] = None
    highest_dbfs: Annotated[LevelDbfs | None, Settable("highest level", "dBFS")] = None
    alone: Annotated[bool, Settable("alone")] = False
    tag: Annotated[str, AfterValidator(clean_tag), Settable("tag")] = ""

    @model_validator(mode="after")
    def _window(self) -> "Line":
        if self.lowest_dbfs is not None and self.highest_dbfs is not None and self.lowest_dbfs > self.highest_dbfs:
            raise ValueError(f"its lowest level {self.lowest_dbfs:g} is above its highest, {self.highest_dbfs:g} dBFS")
        return self

    def pairs(self) -> tuple[tuple[Port, Port], ...]:
        """Which source port is wanted at which target port.

        Equally wide ends pair leg by leg; a single source goes to every target leg, and both legs of a
        stereo source to a single target.
        """
        if len(self.from_ports) == len(self.to_ports):
            return tuple(zip(self.from_ports, self.to_ports, strict=True))
        return tuple((start, end) for start in self.from_ports for end in self.to_ports)


Alignment = Annotated[float, Field(ge=-60, le=0, allow_inf_nan=False)]
"""A nominal level's place under full scale: -18 dBFS by EBU R 68, -20 by SMPTE RP 155 (both from memory)."""


class Rig(Value):
    """The whole set-up. ``next_number`` is the counter ids are made from.

    Of the computer: how many ``cores`` it has, and by how much it is late in calling a program. ``show_minutes``:
    how long the recording will be, if that is known. ``alignment_dbfs``: where a nominal level stands at most.
    """

    format: Literal["iskelo rig"] = "iskelo rig"
    version: Literal[4] = 4
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
    gear: Annotated[tuple[Gear, ...], Field(max_length=4096, fail_fast=True)] = ()
    patches: Annotated[tuple[Patch, ...], Field(max_length=4096, fail_fast=True)] = ()
    lines: Annotated[tuple[Line, ...], Field(max_length=1024, fail_fast=True)] = ()


Hindrance = Literal["", "not connected", "link", "own period", "buffer", "not installed", "held", "other rate"]
"""Why a box cannot be opened; *link*: it cannot carry its channels; *own period* and *buffer*: by an aggregate, at its
buffer."""


class Placed(NamedTuple):
    """A program's input, track, voice, bus or output, with the side it stands on and its place there, from 1."""

    program: Program
    item: Item
    side: Side
    position: int


@dataclass(frozen=True, slots=True)
class Index:
    """Look-ups by id, made once from a rig; a driver stands there with the box it opens.

    ``opened`` says how each program that has a device reaches it, ``claims`` who has each box open, ``paces`` whose
    clock each box runs on. ``said``, ``sizes`` and ``waits`` keep what has been asked for: ports in words, how many of
    them a bank has, how long what a program mixes waits.
    """

    rig: Rig
    gear: dict[str, AnyGear]
    items: dict[str, Placed]
    lines: dict[str, Line]
    patches: dict[str, Patch]
    boxes: list[Interface]
    all_programs: list[Program]
    drivers: dict[str, tuple[Interface, Driver]]
    aggregates: list[Aggregate]
    outboards: list[Outboard]
    paces: dict[str, Pace]
    opened: dict[str, Opening]
    claims: dict[str, list[Claim]]
    said: dict[Port, str] = field(default_factory=dict, compare=False)
    sizes: dict[tuple[str, str], int] = field(default_factory=dict, compare=False)
    waits: dict[str, dict[str, int]] = field(default_factory=dict, compare=False)

    def name(self, identity: str) -> str:
        """The name of a piece of gear, an input, a track, a voice, an output or a line."""
        if identity in self.gear:
            return self.gear[identity].name
        if identity in self.items:
            return self.items[identity].item.name
        return self.lines[identity].name

    def owner(self, port: Port) -> AnyGear:
        """The gear a port sits on."""
        return self.gear[port.owner] if port.owner in self.gear else self.items[port.owner].program

    def owners(self, ports: Iterable[Port]) -> frozenset[str]:
        """The ids of the gear that ports sit on."""
        gear, items = self.gear, self.items
        said = {port.owner for port in ports}
        return frozenset(each if each in gear else items[each].program.id for each in said)

    def interfaces(self) -> list[Interface]:
        return self.boxes

    def programs(self) -> list[Program]:
        return self.all_programs

    def device(self, program: Program) -> Device | None:
        """The device a program has opened, if any."""
        opening = self.opened.get(program.id)
        return opening.device if opening is not None else None

    def reaches(self, program: Program, box: str) -> bool:
        """Whether a program's device is this box, or has it among others."""
        opening = self.opened.get(program.id)
        return opening is not None and any(way.box.id == box for way in opening.ways)

    def channel(self, program: Program, port: Port) -> int | None:
        """The number that a box's capture or playback channel has at a program's device; None if it has none.

        For a program without a device: the box's own.
        """
        opening = self.opened.get(program.id)
        bank: Literal["capture", "playback"] = "capture" if port.bank == "capture" else "playback"
        return port.number if opening is None else opening.channel(bank, port.owner, port.number)

    def shown(self, program: Program, bank: Literal["capture", "playback"]) -> int:
        """How many channels of its device a program is shown."""
        opening = self.opened.get(program.id)
        ways = opening.ways if opening is not None else ()
        return sum(min(len(way.channels(bank)), way.shown(bank)) for way in ways)

    def holder(self, way: Way) -> Program | None:
        """The other program that keeps a box from being opened by this way: see ``admitted``.

        The client is the program, or the aggregate that it is on with others.
        """
        # Nobody has a driver that is only tried.
        holders = (
            claim.program
            for claim in self.claims.get(way.box.id, ())
            if claim.client != way.client and excludes(claim.driver, way.driver)
        )
        return None if any(is_by(claim, way) for claim in self.claims.get(way.box.id, ())) else next(holders, None)

    def hindrance(self, opening: Opening, way: Way) -> Hindrance:
        """Why a box of a device cannot be opened for it; empty if it can."""
        if not way.box.connected:
            return "not connected"
        if link_overload(way.box) is not None:
            return "link"
        if way.client == opening.device.id:
            if way.driver.engine is not None:
                return "own period"
            if way.buffer_samples not in way.driver.buffers_samples:
                return "buffer"
        if not way.driver.installed:
            return "not installed"
        if self.holder(way) is not None:
            return "held"
        return "other rate" if way.box.rate_hz != opening.device.rate_hz else ""

    def in_the_way(self, driver: Driver, program: Program) -> Program | None:
        """The other program that keeps this one from opening its box by this driver; None if it can."""
        box, _ = self.drivers[driver.id]
        return next(
            (
                claim.program
                for claim in self.claims.get(box.id, ())
                if claim.program.id != program.id and excludes(claim.driver, driver)
            ),
            None,
        )

    def level(self, port: Port) -> float:
        """Nominal level of a source's port in dBu, or of a program's voice in dBFS."""
        gear = self.gear.get(port.owner)
        if isinstance(gear, Source):
            return gear.level_dbu
        item = self.items[port.owner].item
        assert isinstance(item, Voice)
        return item.level_dbfs

    def starts(self) -> list[Port]:
        """Every port where sound begins: those of sources, then those of programs' voices."""
        found = []
        for gear in self.gear.values():
            if isinstance(gear, Source):
                found += [Port(gear.id, "out", number) for number in range(1, gear.width + 1)]
        for program in self.all_programs:
            for voice in program.voices:
                found += [Port(voice.id, "voice", number) for number in range(1, voice.width + 1)]
        return found

    def bank_size(self, owner: str, bank: str) -> int:
        """How many ports of this bank the owner has; 0 if it has no such bank."""
        key = (owner, bank)
        if key not in self.sizes:
            self.sizes[key] = self._bank_size(owner, bank)
        return self.sizes[key]

    def _bank_size(self, owner: str, bank: str) -> int:
        match self.gear.get(owner):
            case Source(width=width) if bank == "out":
                return width
            case Destination(width=width) if bank == "in":
                return width
            case Outboard(width=width) if bank in ("outboard_in", "outboard_out"):
                return width
            case Interface() as box if bank in BOX_BANKS:
                return int(getattr(box, bank))
            case Interface() as box if bank in CLOCK_BANKS:
                return int(_has_socket(box, bank))
        placed = self.items.get(owner)
        if placed is None:
            return 0
        if isinstance(placed.item, Track):
            return placed.item.width if bank in ("track", "monitor", "post") else 0
        if isinstance(placed.item, Bus):
            return placed.item.width if bank in ("bus", "bus_out") else 0
        if isinstance(placed.item, Voice):
            return placed.item.width if bank == "voice" else 0
        if isinstance(placed.item, Send):
            return 0
        return len(placed.item.legs) if bank == placed.side else 0

    def say_send(self, send: Send) -> str:
        """A send in words: 'send of Alma to Reverb'."""
        return f"send of {self.name(send.item)} to {self.name(send.to)}"

    def exists(self, port: Port) -> bool:
        return 1 <= port.number <= self.bank_size(port.owner, port.bank)

    def say(self, port: Port) -> str:
        """A port in words, as a technician would name it: 'Corvane 8 jack in 3', 'Longhand track 2 Bertil'."""
        said = self.said.get(port)
        if said is None:
            said = self.said[port] = self._say(port)
        return said

    def _say(self, port: Port) -> str:
        words, width = BANK_WORDS[port.bank], self.bank_size(port.owner, port.bank)
        placed = self.items.get(port.owner)
        if placed is None:
            if port.bank in CLOCK_BANKS:
                return f"{self.gear[port.owner].name} {words}"
            if port.bank in BOX_BANKS:
                return f"{self.gear[port.owner].name} {words} {port.number}"
            said = f"{self.gear[port.owner].name} {words}".rstrip()
            return f"{said}{leg_letter(port.number, width)}"
        place = f"{placed.program.name} {words} {placed.position} {placed.item.name}"
        return place + leg_letter(port.number, width)


def _has_socket(box: Interface, bank: str) -> bool:
    """Whether a clock can get in or out of a box there."""
    able = {
        "word_in": box.word_clock_in,
        "word_out": box.word_clock_out,
        "optical_in": box.optical_in > 0,
        "optical_out": box.optical_out > 0,
    }
    return able[bank]


def leg_letter(number: int, width: int) -> str:
    """' L' or ' R' for a leg of a stereo pair, nothing for a single one."""
    return f" {'LR'[number - 1]}" if width == 2 else ""


def index(rig: Rig) -> Index:
    """Look-ups for a rig; those made last are kept, for an edit asks for its rig's again and again."""
    return _index(_Same(rig))


class _Same:
    """Is equal to what holds the very same rig, whatever it says; comparing two of them in full would be dear."""

    __slots__ = ("rig",)

    def __init__(self, rig: Rig) -> None:
        self.rig = rig

    def __hash__(self) -> int:
        return id(self.rig)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.rig is self.rig


@lru_cache(maxsize=4)
def _index(same: _Same) -> Index:
    rig = same.rig
    items: dict[str, Placed] = {}
    for gear in rig.gear:
        if isinstance(gear, Program):
            for side in SIDES:
                members: tuple[Item, ...] = getattr(gear, FIELDS_OF[side])
                for position, item in enumerate(members, start=1):
                    items[item.id] = Placed(gear, item, side, position)
    boxes = [gear for gear in rig.gear if isinstance(gear, Interface)]
    aggregates = [gear for gear in rig.gear if isinstance(gear, Aggregate)]
    programs = [gear for gear in rig.gear if isinstance(gear, Program)]
    pace = paces(boxes, rig.patches)
    by_id = {box.id: box for box in boxes}
    joined = {each.id: each for each in aggregates}
    tried = {program.id: open_program(program, by_id, joined, pace) for program in programs}
    opened = {identity: opening for identity, opening in tried.items() if opening is not None}
    return Index(
        rig=rig,
        gear={gear.id: gear for gear in rig.gear},
        items=items,
        lines={line.id: line for line in rig.lines},
        patches={patch.id: patch for patch in rig.patches},
        boxes=boxes,
        all_programs=programs,
        drivers={driver.id: (box, driver) for box in boxes for driver in box.drivers},
        aggregates=aggregates,
        outboards=[gear for gear in rig.gear if isinstance(gear, Outboard)],
        paces=pace,
        opened=opened,
        claims=admitted(programs, opened),
    )
