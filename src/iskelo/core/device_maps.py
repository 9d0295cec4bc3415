"""What screens and sheets show of clocks and of boxes joined as one: the tree, the channel maps, the names on them."""

from dataclasses import dataclass
from typing import Literal

from iskelo.core.edits.moved import moved_by_absence
from iskelo.core.lines.context import Reading
from iskelo.core.rig.clocks import COMPUTER, COMPUTER_TOLERANCE_PPM, SOCKETS
from iskelo.core.rig.device_streams import Bank, DeviceStream, OpenDevice, open_aggregate
from iskelo.core.rig.gear import Aggregate, ClockSource, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.timing.clocks import drift_of, say_drift, say_sync_tolerance, sync_tolerance_s
from iskelo.core.timing.terms import trip_terms


@dataclass(frozen=True, slots=True)
class ClockChoice:
    """A clock a box could run on: its own, the computer's, or another box's by a lead."""

    source: ClockSource
    leader: str | None
    words: str


@dataclass(frozen=True, slots=True)
class ClockRow:
    """One box in the clock tree, ``depth`` leads below its master.

    ``drift``: what its clock does to a device it is part of, where nothing makes up for it. ``tolerance``: of a box led
    by a lead, how late its reference may come, and ``reference_us`` that figure. ``pace``: how far off its own clock
    may be; empty where it runs on another.
    """

    box: str
    name: str
    depth: int
    words: str
    master: bool
    trouble: str
    drift: str
    tolerance: str
    reference_us: float | None
    pace: str
    now: ClockChoice
    choices: tuple[ClockChoice, ...]


@dataclass(frozen=True, slots=True)
class ChannelRow:
    """One channel of a device: what box's channel it is, and the names that programs have on it."""

    number: int
    box: str
    channel: int
    names: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MemberRow:
    """A member: its place in the map both ways, and how late it is; ``state``: *calls*, *same clock*, *matched* …"""

    box: str
    name: str
    driver: str
    connected: bool
    capture: str
    playback: str
    state: Literal["calls", "same clock", "matched", "free", "absent"]
    bars: str
    in_samples: int
    out_samples: int


@dataclass(frozen=True, slots=True)
class AggregateView:
    """A device made of boxes; ``moved`` are the names that stand elsewhere because a member is absent."""

    id: str
    name: str
    rate_hz: int
    buffer_samples: int
    buffers_samples: tuple[int, ...]
    members: tuple[MemberRow, ...]
    capture: tuple[ChannelRow, ...]
    playback: tuple[ChannelRow, ...]
    skew_samples: int
    moved: tuple[str, ...]


def clock_tree(reading: Reading) -> tuple[ClockRow, ...]:
    """Every box below the one whose clock it runs on."""
    found = reading.found
    followers: dict[str | None, list[Interface]] = {}
    for box in found.boxes:
        pace = found.paces[box.id]
        led = pace.leader if not pace.unlocked else None
        followers.setdefault(led, []).append(box)
    drifts = _drifts(found)
    rows: list[ClockRow] = []

    def below(leader: str | None, depth: int) -> None:
        for box in followers.get(leader, ()):
            rows.append(_clock_row(found, box, depth, drifts.get(box.id, ""), led=box.id in followers))
            below(box.id, depth + 1)

    below(None, 0)
    return tuple(rows)


def _drifts(found: Index) -> dict[str, str]:
    told: dict[str, str] = {}
    for streams in found.opened.values():
        for way in streams.ways:
            bank = "capture" if way.channels("capture") else "playback"
            drift = drift_of(found, streams, way, bank)
            if drift is not None and streams.driving is not None:
                told.setdefault(way.box.id, f"against {streams.driving.box.name}: {say_drift(drift)}")
    return told


def _clock_row(found: Index, box: Interface, depth: int, drift: str, *, led: bool) -> ClockRow:
    pace = found.paces[box.id]
    now = _now(found, box)
    own = f"{box.measured_ppm:+g} ppm, measured" if box.measured_ppm is not None else f"±{box.tolerance_ppm:g} ppm"
    if pace.master == COMPUTER:
        words = f"the computer's timer, ±{COMPUTER_TOLERANCE_PPM:g} ppm"
    elif pace.master == box.id:
        words = f"own clock, {own}"
    else:
        words = now.words
    follows = pace.leader is not None and not pace.unlocked and box.cable is None
    calls = any(way.calls and way.box.id == box.id for streams in found.opened.values() for way in streams.ways)
    master = pace.master == box.id and (led or calls) and not pace.unlocked
    return ClockRow(
        box=box.id,
        name=box.name,
        depth=depth,
        words=words,
        master=master,
        trouble=say_unlocked(found, box),
        drift=drift,
        tolerance=say_sync_tolerance(box.rate_hz) if follows else "",
        reference_us=1e6 * sync_tolerance_s(box.rate_hz)[1] if follows else None,
        pace=own if pace.master == box.id else "" if pace.leader is not None else words,
        now=now,
        choices=clock_choices(found, box),
    )


def say_unlocked(found: Index, box: Interface) -> str:
    """Why a box cannot follow the clock it is set to; empty if it can."""
    return {
        "": "",
        "no lead": f"nothing is plugged into its {box.clock_source} input",
        "loop": "follows itself in the end",
        "other rate": "its clock master runs at another rate",
    }[found.paces[box.id].unlocked]


def _now(found: Index, box: Interface) -> ClockChoice:
    leader = found.paces[box.id].leader
    if box.clock_source in SOCKETS and leader is not None:
        return ClockChoice(box.clock_source, leader, f"{box.clock_source} of {found.name(leader)}")
    if box.follows is not None:
        return ClockChoice("device", box.follows, f"follows {found.name(box.follows)}")
    words = {"own": "own clock", "computer": "the computer's timer"}.get(box.clock_source, box.clock_source)
    return ClockChoice(box.clock_source, None, words)


def clock_choices(found: Index, box: Interface) -> tuple[ClockChoice, ...]:
    """Every clock a box could run on, by the sockets it and the others have; a cable follows any device at its rate."""
    if box.cable is not None:
        others = [other for other in found.boxes if other.id != box.id and other.rate_hz == box.rate_hz]
        return (
            ClockChoice("computer", None, "the computer's timer"),
            *(ClockChoice("device", other.id, f"follows {other.name}") for other in others),
        )
    choices = [ClockChoice("own", None, "own clock")]
    for source, into in SOCKETS.items():
        out = into.replace("_in", "_out")
        if source not in box.clock_sources:
            continue
        for other in found.boxes:
            port = Port(other.id, "word_out" if out == "word_out" else "optical_out", 1)
            if other.id != box.id and found.exists(port):
                choices.append(ClockChoice(source, other.id, f"{source} of {other.name}"))
    return (*choices, ClockChoice("computer", None, "the computer's timer"))


def aggregate_views(reading: Reading) -> tuple[AggregateView, ...]:
    """Every device that is made of boxes."""
    return tuple(_aggregate(reading.found, aggregate) for aggregate in reading.found.aggregates)


def _aggregate(found: Index, aggregate: Aggregate) -> AggregateView:
    boxes = {box.id: box for box in found.boxes}
    streams = open_aggregate(aggregate, boxes, found.paces)
    programs = [program for program in found.programs() if program.device == aggregate.id]
    ways = {way.box.id: way for way in streams.ways}
    members = tuple(_member(found, streams, boxes[each.device], ways.get(each.device)) for each in aggregate.members)
    # Of a box that is not there, or cannot be opened for the device, nothing comes.
    late = [row.in_samples for row in members if not row.bars and row.capture]
    return AggregateView(
        id=aggregate.id,
        name=aggregate.name,
        rate_hz=streams.device.rate_hz,
        buffer_samples=aggregate.buffer_samples,
        buffers_samples=streams.device.buffers_samples,
        members=members,
        capture=_channels(streams, "capture", programs),
        playback=_channels(streams, "playback", programs),
        skew_samples=max(late) - min(late) if late else 0,
        moved=tuple(moved_by_absence(found, aggregate)),
    )


def _member(found: Index, streams: OpenDevice, box: Interface, way: DeviceStream | None) -> MemberRow:
    if way is None:
        return MemberRow(box.id, box.name, "", False, "", "", "absent", "not connected", 0, 0)
    state: Literal["calls", "same clock", "matched", "free"] = "free"
    if way.calls:
        state = "calls"
    elif way.same_clock:
        state = "same clock"
    elif way.matched:
        state = "matched"
    return MemberRow(
        box=box.id,
        name=box.name,
        driver=way.driver.kind,
        connected=True,
        capture=_range(way.channels("capture")),
        playback=_range(way.channels("playback")),
        state=state,
        bars=found.hindrance(streams, way),
        in_samples=sum(term.samples for term in trip_terms(streams, way, "capture", found)),
        out_samples=sum(term.samples for term in trip_terms(streams, way, "playback", found)),
    )


def _range(channels: range) -> str:
    if not channels:
        return ""
    return f"{channels[0]}–{channels[-1]}" if len(channels) > 1 else str(channels[0])


def _channels(streams: OpenDevice, bank: Bank, programs: list[Program]) -> tuple[ChannelRow, ...]:
    names: dict[int, list[str]] = {}
    for program in programs:
        for item in program.inputs if bank == "capture" else program.outputs:
            for leg, channel in enumerate(item.legs, start=1):
                if channel is not None:
                    side = (" L", " R")[leg - 1] if len(item.legs) == 2 else ""
                    names.setdefault(channel, []).append(item.name + side)
    return tuple(
        ChannelRow(number, way.box.name, place, tuple(names.get(number, ())))
        for way in streams.ways
        for place, number in enumerate(way.channels(bank), start=1)
    )
