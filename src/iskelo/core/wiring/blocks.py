"""Why sound does not pass somewhere, in words, and the edit that opens it, if one does."""

from collections.abc import Mapping
from typing import Literal, NamedTuple

from pydantic import JsonValue

from iskelo.core.edits.edit import Edit, EnableChannels, SetDevice, SetJack, SetMembers, SetValues
from iskelo.core.rig.claims import excludes
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice, driver_of
from iskelo.core.rig.gear import Aggregate, Interface, Source
from iskelo.core.rig.index import Hindrance, Index
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Bus, Program, Send, Track
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.value import Value

Side = Literal["input", "output"]


class Setting(NamedTuple):
    """A ``SetValues`` yet to be made: nobody asks for most of them, and an edit is checked as it is made."""

    item: str
    values: Mapping[str, JsonValue]


BlockCode = Literal[
    "lead muted",
    "direct monitoring muted",
    "no phantom supply",
    "phantom supply off",
    "no device",
    "not connected",
    "link",
    "own period",
    "not installed",
    "other rate",
    "held",
    "buffer",
    "channel not shown",
    "channel not enabled",
    "not armed",
    "armed elsewhere",
    "not monitored",
    "track muted",
    "bus muted",
    "bus feeds itself",
    "send off",
]


class Block(NamedTuple):
    """Why an edge does not pass: its code, what it is about, both in words, and the edits that open it, if any do.

    ``about``: the id of the thing, with a channel or jacks where there are many. Two edges shut by one switch have the
    same code and are about the same.
    """

    code: BlockCode
    about: str
    words: str
    opens: Edit | Setting | tuple[Edit, ...] | None
    unblock_words: str

    @property
    def unblock(self) -> tuple[Edit, ...]:
        """The edits that open it; none if none do."""
        if isinstance(self.opens, Setting):
            return (SetValues(item=self.opens.item, values=dict(self.opens.values)),)
        if self.opens is None or isinstance(self.opens, Value):
            return (self.opens,) if self.opens is not None else ()
        return self.opens


def not_supplied(found: Index, patch: Patch) -> Block | None:
    """A microphone that needs a supply gives nothing at a jack where it is off."""
    source, box = found.gear[patch.from_port.owner], found.gear[patch.to_port.owner]
    jack = patch.to_port.number
    if not isinstance(source, Source) or not source.needs_phantom:
        return None
    if isinstance(box, Outboard):
        said = f"{source.name} needs phantom supply, and {box.name} gives none"
        return None if box.supplies_phantom else Block("no phantom supply", source.id, said, None, "")
    assert isinstance(box, Interface)
    if jack in box.phantom_on:
        return None
    if jack > box.able_jacks("phantom"):
        said = f"{source.name} needs phantom supply, and {found.say(patch.to_port)} has none"
        return Block("no phantom supply", source.id, said, None, "")
    on = SetJack(interface=box.id, jack_in=jack, phantom=True)
    said = f"{source.name} needs phantom supply, and it is off at {found.say(patch.to_port)}"
    return Block(
        "phantom supply off", f"{box.id}/{jack}", said, on, f"Switch phantom supply on at {found.say(patch.to_port)}"
    )


def shut_way(program: Program, streams: OpenDevice, way: DeviceStream, found: Index) -> Block | None:
    """Why nothing at all passes between a program and a box of its device; without the one that calls, none does."""
    driving = streams.driving
    assert driving is not None
    for each in (way, driving):
        hindrance = found.hindrance(streams, each)
        if hindrance:
            return _hindered(program, streams, each, hindrance, found)
    return None


def not_running(program: Program, streams: OpenDevice | None, found: Index) -> Block | None:
    """Why a program does not run: nothing calls it, for it has no device or cannot open it."""
    driving = streams.driving if streams is not None else None
    if streams is None or driving is None:
        return Block("no device", program.id, f"{program.name} has no device, so nothing runs in it", None, "")
    return shut_way(program, streams, driving, found)


def _hindered(program: Program, streams: OpenDevice, way: DeviceStream, hindrance: Hindrance, found: Index) -> Block:
    box, driver = way.box, way.driver
    match hindrance:
        case "not connected":
            said = f"{box.name} is not connected to the computer"
            return Block("not connected", box.id, said, Setting(box.id, {"connected": True}), f"Connect {box.name}")
        case "link":
            said = f"the link of {box.name} cannot carry its channels: {link_overload(box)}"
            return Block("link", box.id, said, *_within_link(box))
        case "own period":
            said = f"the {driver.kind} driver of {box.name} works in periods of its own, so it cannot be joined"
            return Block("own period", driver.id, said, None, "")
        case "buffer":
            return not_offered(way, found)
        case "not installed":
            said = f"the {driver.kind} driver of {box.name} is not installed"
            install = Setting(driver.id, {"installed": True})
            return Block("not installed", driver.id, said, install, f"Install the {driver.kind} driver of {box.name}")
        case "other rate":
            rate_hz, name = streams.device.rate_hz, streams.device.name
            said = f"{box.name} runs at {box.rate_hz / 1000:g} kHz, and {name} at {rate_hz / 1000:g}"
            if rate_hz not in box.rates_hz:
                return Block("other rate", box.id, said, None, "")
            same = Setting(box.id, {"rate_hz": rate_hz})
            return Block("other rate", box.id, said, same, f"Run {box.name} at {rate_hz / 1000:g} kHz")
    return _held(program, way, found)


def _within_link(box: Interface) -> tuple[Setting | None, str]:
    """The mildest change that lets a box's link carry its channels: fewer bits, else a lower rate."""
    for size in (3, 2):
        if size < box.link_sample_bytes and link_overload(box.model_copy(update={"link_sample_bytes": size})) is None:
            return Setting(box.id, {"link_sample_bytes": size}), f"Run {box.name} with {8 * size} bits on its link"
    for rate_hz in sorted(box.rates_hz, reverse=True):
        if rate_hz < box.rate_hz and link_overload(box, rate_hz) is None:
            return Setting(box.id, {"rate_hz": rate_hz}), f"Run {box.name} at {rate_hz / 1000:g} kHz"
    return None, ""


def _held(program: Program, way: DeviceStream, found: Index) -> Block:
    box, holder = way.box, found.holder(way)
    assert holder is not None
    said = say_held(holder, way, found)
    free = [each for each in box.drivers if each.installed and found.in_the_way(each, program) is None]
    if free and _opens_by(program, box):
        other = SetDevice(program=program.id, device=box.id, driver=free[0].id)
        return Block(
            "held", way.driver.id, said, other, f"Let {program.name} open {box.name} by its {free[0].kind} driver"
        )
    return Block("held", way.driver.id, said, None, "")


def say_held(holder: Program, way: DeviceStream, found: Index) -> str:
    """Why a program cannot open a box that another has, in words."""
    box, driver = way.box, way.driver
    by = next(each.driver for each in found.claims[box.id] if each.program is holder and excludes(each.driver, driver))
    if by is driver:
        return f"{holder.name} holds the {driver.kind} driver of {box.name}, which takes one program at a time"
    if by.kind == "system, sole use":
        return f"{holder.name} has {box.name} for its sole use, which shuts its {driver.kind} driver out"
    return f"{holder.name} has {box.name} by its {by.kind} driver, so nobody can have it for sole use"


def _opens_by(program: Program, box: Interface) -> bool:
    """Whether the box is the program's only device, so that the program could open it by another driver."""
    return program.device == box.id and program.output_device is None


def not_offered(way: DeviceStream, found: Index) -> Block:
    """A member does not offer the buffer of its aggregate: the nearest one that all members do."""
    name = found.name(way.client)
    said = f"{way.box.name} does not offer the buffer {way.buffer_samples} of {name}"
    shared = [size for size in way.driver.buffers_samples if _all_offer(way.client, size, found)]
    if not shared:
        return Block("buffer", way.client, said, None, "")
    nearest = min(shared, key=lambda size: abs(size - way.buffer_samples))
    edit = Setting(way.client, {"buffer_samples": nearest})
    return Block("buffer", way.client, said, edit, f"Run {name} at a buffer of {nearest}")


def _all_offer(aggregate: str, size: int, found: Index) -> bool:
    joined = found.gear[aggregate]
    assert isinstance(joined, Aggregate)
    boxes = ((found.gear[member.device], member.driver) for member in joined.members)
    return all(size in driver_of(box, driver).buffers_samples for box, driver in boxes if isinstance(box, Interface))


def not_shown(
    program: Program, way: DeviceStream, bank: Literal["capture", "playback"], channel: int, found: Index
) -> Block:
    box, driver = way.box, way.driver
    about = f"{box.id}/{bank}/{channel}"
    if channel > box.channels_at(bank, box.rate_hz):
        said = f"at {box.rate_hz / 1000:g} kHz {box.name} has {box.channels_at(bank, box.rate_hz)} {bank} channels"
        rates = [rate for rate in box.rates_hz if box.channels_at(bank, rate) >= channel]
        if not rates:
            return Block("channel not shown", about, f"{said}, not {channel}", None, "")
        slower = Setting(box.id, {"rate_hz": rates[-1]})
        return Block(
            "channel not shown", about, f"{said}, not {channel}", slower, f"Run {box.name} at {rates[-1] / 1000:g} kHz"
        )
    said = f"the {driver.kind} driver of {box.name} shows {box.shown(driver, bank)} {bank} channels, not {channel}"
    edits, words = wider_driver(program, way, bank, channel, found)
    return Block("channel not shown", about, said, edits or None, words)


def wider_driver(
    program: Program, way: DeviceStream, bank: Literal["capture", "playback"], channel: int, found: Index
) -> tuple[tuple[Edit, ...], str]:
    """Opening a box by a driver that shows a channel, installed first where it must be; no edits if there is none."""
    box, joined = way.box, found.gear.get(way.client)
    fit = [
        other
        for other in box.drivers
        if other is not way.driver and box.shown(other, bank) >= channel and found.in_the_way(other, program) is None
    ]
    for other in sorted(fit, key=lambda each: not each.installed):
        if isinstance(joined, Aggregate):
            members = tuple(
                each.model_copy(update={"driver": other.id}) if each.device == box.id else each
                for each in joined.members
            )
            edit: Edit = SetMembers(aggregate=joined.id, members=members)
            words = f"Open {box.name} in {joined.name} by its {other.kind} driver"
        elif _opens_by(program, box):
            edit = SetDevice(program=program.id, device=box.id, driver=other.id)
            words = f"Let {program.name} open {box.name} by its {other.kind} driver"
        else:
            return (), ""
        if other.installed:
            return (edit,), words
        install = SetValues(item=other.id, values={"installed": True})
        return (install, edit), f"Install the {other.kind} driver of {box.name}, and open {box.name} by it"
    return (), ""


def bus_in_a_circle(program: Program, bus: Bus, circles: set[str]) -> Block:
    """What a bus feeds leads back to it, and programs stop that; opened by all that leads from it into a circle."""
    edits: list[Edit] = []
    if bus.output in circles:
        edits.append(SetValues(item=bus.id, values={"output": None}))
    on = [send for send in program.sends if send.on and send.to in circles]
    edits += [SetValues(item=send.id, values={"on": False}) for send in on if send.item == bus.id]
    back = {send.item for send in on} | {track.id for track in program.tracks if track.output in circles}
    takers = [track for track in program.tracks if track.input == bus.id and track.monitored and track.id in back]
    edits += [SetValues(item=track.id, values={"monitored": False}) for track in takers]
    return Block(
        "bus feeds itself",
        bus.id,
        f"bus {bus.name} feeds itself",
        tuple(edits),
        f"Take bus {bus.name} off what leads back to it",
    )


def bus_muted(bus: Bus) -> Block | None:
    """A muted bus passes nothing on from its fader."""
    if not bus.muted:
        return None
    return Block(
        "bus muted", bus.id, f"bus {bus.name} is muted", Setting(bus.id, {"muted": False}), f"Unmute bus {bus.name}"
    )


def send_off(send: Send) -> Block:
    """A send that is switched off."""
    return Block("send off", send.id, "a send is off", Setting(send.id, {"on": True}), "Switch the send on")


def buses_in_circles(program: Program) -> set[str]:
    """The buses that feed themselves, straight or through others: by outputs, sends, and tracks that take them."""
    buses = {bus.id for bus in program.buses}
    onward: dict[str, set[str]] = {bus.id: {bus.output} & buses for bus in program.buses if bus.output is not None}
    sent: dict[str, set[str]] = {}
    for send in program.sends:
        if send.on and send.to in buses:
            sent.setdefault(send.item, set()).add(send.to)
    for bus in program.buses:
        onward.setdefault(bus.id, set()).update(sent.get(bus.id, ()))
    for track in program.tracks:
        if track.monitored and track.input in buses:
            leads = sent.get(track.id, set()) | ({track.output} & buses if track.output is not None else set())
            onward.setdefault(track.input, set()).update(leads)
    found = set()
    for start, first in onward.items():
        seen: set[str] = set()
        queue = list(first)
        while queue:
            at = queue.pop()
            if at not in seen:
                seen.add(at)
                queue += onward.get(at, ())
        if start in seen:
            found.add(start)
    return found


def not_enabled(program: Program, side: Side, channel: int) -> Block:
    opened = EnableChannels(program=program.id, side=side, channels=(channel,))
    return Block(
        "channel not enabled",
        f"{program.id}/{side}/{channel}",
        f"{side} channel {channel} is not enabled in {program.name}",
        opened,
        f"Enable {side} channel {channel} in {program.name}",
    )


def not_heard(track: Track, program: Program) -> Block | None:
    """Why nothing passes a track before its fader: it is not monitored, or muted where that silences all of it."""
    if not track.monitored:
        opened = Setting(track.id, {"monitored": True, "muted": False})
        return Block(
            "not monitored", track.id, f"track {track.name} is not monitored", opened, f"Monitor track {track.name}"
        )
    return track_muted(track) if program.mute_kills_pre else None


def track_muted(track: Track) -> Block | None:
    """A muted track passes nothing on from its fader."""
    if not track.muted:
        return None
    return Block(
        "track muted",
        track.id,
        f"track {track.name} is muted",
        Setting(track.id, {"muted": False}),
        f"Unmute track {track.name}",
    )
