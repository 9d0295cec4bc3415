"""The look-ups everything else reads a rig through, made once from each."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Literal, NamedTuple

from iskelo.core.rig.claims import Claim, admitted, excludes, is_by
from iskelo.core.rig.clocks import Pace, paces
from iskelo.core.rig.device_streams import Device, DeviceStream, OpenDevice, open_program
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Aggregate, Destination, Interface, Source
from iskelo.core.rig.inside import INSIDE_BANKS, InMixer, inside_of, inside_size, say_feed
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.mixers import Feed, Mixer, Strip
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import BANK_TABLE, BANK_WORDS, CLOCK_BANKS, Port
from iskelo.core.rig.programs import Bus, FarEnd, Program, Send, Track, Voice
from iskelo.core.rig.rig import (
    BOX_BANKS,
    COMPUTER,
    FIELDS_OF,
    PASSED_SIDES,
    SIDES,
    AnyGear,
    Item,
    Line,
    Patch,
    Rig,
    Side,
)
from iskelo.core.rig.syncs import SyncLink

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
    clock each box runs on; ``ears`` are the tracks that go to far ends; ``mixing`` holds the strips, mixes and feeds of
    mixers. ``said``, ``sizes`` and ``waits`` keep what has been asked for: ports in words, how many of them a bank has,
    how long what a program mixes waits; ``told`` keeps facts in words, by what they are and not by what they say;
    ``cells`` how the ports of a line's cell are told, gear and numbers; ``called`` on which sides of a program a name
    stands.
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
    mixing: dict[str, InMixer]
    paces: dict[str, Pace]
    opened: dict[str, OpenDevice]
    claims: dict[str, list[Claim]]
    ears: frozenset[str]
    said: dict[Port, str] = field(default_factory=dict, compare=False)
    sizes: dict[tuple[str, str], int] = field(default_factory=dict, compare=False)
    waits: dict[str, dict[str, int]] = field(default_factory=dict, compare=False)
    told: dict[int, tuple[object, str]] = field(default_factory=dict, compare=False)
    cells: dict[tuple[Port, ...], tuple[str, str]] = field(default_factory=dict, compare=False)
    called: dict[tuple[str, str], list[Side]] = field(default_factory=dict, compare=False)

    def leads(self, carry: Literal["audio", "clock"]) -> list[Patch]:
        """The leads that carry sound, or those that carry a clock."""
        return [patch for patch in self.rig.patches if BANK_TABLE[patch.to_port.bank].carries == carry]

    def name(self, identity: str) -> str:
        """The name of a piece of gear, an input, a track, a voice, an output or a line."""
        if identity in self.gear:
            return self.gear[identity].name
        if identity in self.items:
            return self.items[identity].item.name
        if identity in self.mixing:
            return self.say_in_mixer(identity)
        return self.lines[identity].name

    def whole_name(self, identity: str) -> str:
        """The name of a piece of gear, or of what is in one with the gear it is in. Example: 'Cue of Longhand'.

        Where several things of a program have that name, it says which: 'track Alma of Longhand', 'track 3 Alma of …'.
        """
        if identity in self.gear:
            return self.gear[identity].name
        if identity not in self.items:
            inside = self.mixing[identity]
            return f"{inside.item_name} of {inside.box.name}"
        program, item, side, position = self.items[identity]
        sides = self._sides_of(program, item.name)
        which = f"{side} {position} " if sides.count(side) > 1 else f"{side} " if len(sides) > 1 else ""
        return f"{which}{item.name} of {program.name}"

    def _sides_of(self, program: Program, name: str) -> list[Side]:
        """On which sides of a program something that sound passes has this name."""
        if not self.called:
            for owner, item, side, _ in self.items.values():
                if side in PASSED_SIDES:
                    self.called.setdefault((owner.id, item.name.casefold()), []).append(side)
        return self.called.get((program.id, name.casefold()), [])

    def passable(self, identity: str) -> bool:
        """Whether sound passes this, so that a line may name it: no end of a line, no send and no feed."""
        if identity in self.gear:
            return not isinstance(self.gear[identity], Source | Destination)
        if identity in self.items:
            return self.items[identity].side in PASSED_SIDES
        return identity in self.mixing and bool(self.mixing[identity].item_name)

    def say_passed(self, named: Iterable[str]) -> str:
        """What a line names on its way. Example: 'Anvil press, Programme of Longhand, the computer'."""
        return ", ".join("the computer" if each == COMPUTER else self.whole_name(each) for each in named)

    def owner(self, port: Port) -> AnyGear:
        """The gear a port sits on."""
        return self.gear[self.gear_of(port.owner)]

    def holds(self, identity: str) -> bool:
        """Whether this is a piece of gear, or something in one."""
        return identity in self.gear or identity in self.items or identity in self.mixing

    def gear_of(self, identity: str) -> str:
        """The gear that this is, or is part of."""
        if identity in self.gear:
            return identity
        placed = self.items.get(identity)
        return placed.program.id if placed is not None else self.mixing[identity].box.id

    def owners(self, ports: Iterable[Port]) -> frozenset[str]:
        """The ids of the gear that ports sit on."""
        return frozenset(map(self.gear_of, {port.owner for port in ports}))

    def interfaces(self) -> list[Interface]:
        return self.boxes

    def hardware(self) -> list[Interface]:
        """The boxes that have jacks: all but cables."""
        return [box for box in self.boxes if box.cable is None]

    def programs(self) -> list[Program]:
        return self.all_programs

    def device(self, program: Program) -> Device | None:
        """The device a program has opened, if any."""
        streams = self.opened.get(program.id)
        return streams.device if streams is not None else None

    def reaches(self, program: Program, box: str) -> bool:
        """Whether a program's device is this box, or has it among others."""
        streams = self.opened.get(program.id)
        return streams is not None and any(way.box.id == box for way in streams.ways)

    def channel(self, program: Program, port: Port) -> int | None:
        """The number that a box's capture or playback channel has at a program's device; None if it has none.

        For a program without a device: the box's own.
        """
        streams = self.opened.get(program.id)
        bank: Literal["capture", "playback"] = "capture" if port.bank == "capture" else "playback"
        return port.number if streams is None else streams.channel(bank, port.owner, port.number)

    def shown(self, program: Program, bank: Literal["capture", "playback"]) -> int:
        """How many channels of its device a program is shown."""
        streams = self.opened.get(program.id)
        ways = streams.ways if streams is not None else ()
        return sum(min(len(way.channels(bank)), way.shown(bank)) for way in ways)

    def holder(self, way: DeviceStream) -> Program | None:
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

    def hindrance(self, streams: OpenDevice, way: DeviceStream) -> Hindrance:
        """Why a box of a device cannot be opened for it; empty if it can."""
        if not way.box.connected:
            return "not connected"
        if link_overload(way.box) is not None:
            return "link"
        if way.client == streams.device.id:
            if way.driver.engine is not None:
                return "own period"
            if way.buffer_samples not in way.driver.buffers_samples and not way.driver.own_blocks:
                return "buffer"
        if not way.driver.installed:
            return "not installed"
        if self.holder(way) is not None:
            return "held"
        return "other rate" if way.box.rate_hz != streams.device.rate_hz else ""

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
            case Interface(mixer=Mixer()) as box if bank in INSIDE_BANKS:
                return int(getattr(box, INSIDE_BANKS[bank]))
            case Interface() as box if bank in CLOCK_BANKS:
                return int(_has_socket(box, bank))
        inside = self.mixing.get(owner)
        if inside is not None:
            return inside_size(inside, bank)
        placed = self.items.get(owner)
        if placed is None:
            return 0
        if isinstance(placed.item, Track):
            banks = ("track", "monitor", "post", *(("point",) if placed.item.insert is not None else ()))
            return placed.item.width if bank in banks else 0
        if isinstance(placed.item, Bus):
            banks = ("bus", "bus_out", *(("bus_pre",) if placed.item.insert is not None else ()))
            return placed.item.width if bank in banks else 0
        if isinstance(placed.item, Voice):
            return placed.item.width if bank == "voice" else 0
        if isinstance(placed.item, Send | SyncLink):
            return 0
        return len(placed.item.legs) if bank == placed.side else 0

    def is_ear(self, port: Port) -> bool:
        """Whether what arrives at a port goes to a far end."""
        return port.owner in self.ears

    def runs_in(self, program: Program) -> OpenDevice | None:
        """The device that calls a program: its own, or that of the program in which it runs."""
        return self.opened.get(program.hosted.leader if program.hosted is not None else program.id)

    def mix_of(self, track: str) -> Bus | None:
        """The mix of its program that a track takes; None for one that takes something else, and for all that is no
        track.
        """
        placed = self.items.get(track)
        if placed is None or not isinstance(placed.item, Track):
            return None
        return next((bus for bus in placed.program.buses if bus.id == placed.item.input), None)

    def far_end(self, identity: str) -> FarEnd | None:
        """The far end whose voice this is, or whose ear."""
        placed = self.items.get(identity)
        item = placed.item if placed is not None else None
        if isinstance(item, Track) and item.far_end is not None:
            item = self.items[item.far_end].item
        return item.far if isinstance(item, Voice) else None

    def say_send(self, send: Send) -> str:
        """A send in words: 'send of Alma to Reverb'."""
        return f"send of {self.name(send.item)} to {self.name(send.to)}"

    def say_sync(self, link: SyncLink) -> str:
        """A sync link in words: 'sync link from Cartwheel to Longhand'."""
        return f"sync link from {self.name(link.sender)} to {self.items[link.id].program.name}"

    def say_in_mixer(self, identity: str) -> str:
        """A strip or mix by its name; a feed by what it joins: 'in 3 raw to channel 3'."""
        inside = self.mixing[identity]
        if not isinstance(inside.item, Feed):
            return inside.item.name
        return say_feed(inside.mixer, inside.item)

    def _say_inside(self, inside: InMixer, words: str) -> str:
        if isinstance(inside.item, Feed):
            return f"{inside.box.name} {words} {self.say_in_mixer(inside.item.id)}"
        kind = "strip" if isinstance(inside.item, Strip) else "mix"
        if words.startswith(kind):
            return f"{inside.box.name} {kind} {inside.item.name}{words.removeprefix(kind)}"
        return f"{inside.box.name} {kind} {inside.item.name} {words}"

    def exists(self, port: Port) -> bool:
        return 1 <= port.number <= self.bank_size(port.owner, port.bank)

    def on_stage(self, port: Port) -> bool:
        """Whether this is an input jack of a mixer's stage box: those are its last ones."""
        box = self.gear.get(port.owner) if port.bank == "jack_in" else None
        return (
            isinstance(box, Interface) and box.mixer is not None and port.number > box.jack_in - box.mixer.stage_jacks
        )

    def say(self, port: Port) -> str:
        """A port in words, as a technician would name it: 'Corvane 8 jack in 3', 'Longhand track 2 Bertil'."""
        said = self.said.get(port)
        if said is None:
            said = self.said[port] = self._say(port)
        return said

    def _say(self, port: Port) -> str:
        owner, bank, number = port
        words = BANK_WORDS[bank]
        gear = self.gear.get(owner)
        if gear is not None and bank in CLOCK_BANKS:
            return f"{gear.name} {words}"
        if gear is not None and (bank in BOX_BANKS or bank in INSIDE_BANKS):
            return f"{gear.name} {'stage ' if self.on_stage(port) else ''}{words} {number}"
        leg = leg_letter(number, self.bank_size(owner, bank))
        if gear is not None:
            return f"{gear.name} {words}".rstrip() + leg
        inside = self.mixing.get(owner)
        if inside is not None:
            return f"{self._say_inside(inside, words)}{leg}"
        placed = self.items[owner]
        if bank == "track" and self.is_ear(port):
            words = "ear"
        return f"{placed.program.name} {words} {placed.position} {placed.item.name}{leg}"


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
    mixing = {item.id: item_at for box in boxes for item, item_at in inside_of(box)}
    aggregates = [gear for gear in rig.gear if isinstance(gear, Aggregate)]
    programs = [gear for gear in rig.gear if isinstance(gear, Program)]
    pace = paces(boxes, rig.patches)
    by_id = {box.id: box for box in boxes}
    joined = {each.id: each for each in aggregates}
    tried = {program.id: open_program(program, by_id, joined, pace) for program in programs}
    opened = {identity: streams for identity, streams in tried.items() if streams is not None}
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
        mixing=mixing,
        paces=pace,
        opened=opened,
        claims=admitted(programs, opened),
        ears=frozenset(each.id for program in programs for each in program.tracks if each.far_end is not None),
    )
