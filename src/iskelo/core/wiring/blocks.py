"""Why sound does not pass somewhere, and the edit that opens it, if one does."""

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from pydantic import JsonValue

from iskelo.core.edits.edit import Edit, SetDevice, SetJack, SetMembers, SetValues
from iskelo.core.rig.claims import excludes
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice, driver_of
from iskelo.core.rig.gear import Aggregate, Interface, Source
from iskelo.core.rig.index import Hindrance, Index
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Bus, Program, Send, Track, insert_with
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.value import Value
from iskelo.core.values import Fact, fact
from iskelo.core.wiring.enabling import Side, enabling


class Setting(NamedTuple):
    """A ``SetValues`` yet to be made: nobody asks for most of them, and an edit is checked as it is made."""

    item: str
    values: Mapping[str, JsonValue]


class Block(NamedTuple):
    """Why an edge does not pass: the fact, the id it is about, and the edits that open it, if any do.

    ``about`` names a channel or jacks as well where there are many. Two edges shut by one switch have the same code and
    are about the same. ``unblock_fact``: what opening it comes to.
    """

    fact: Fact
    about: str
    opens: Edit | Setting | tuple[Edit, ...] | None = None
    unblock_fact: Fact | None = None

    @property
    def code(self) -> str:
        return self.fact.code

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
        none = fact("no phantom supply in gear", source=source.id, gear=box.id)
        return None if box.supplies_phantom else Block(none, source.id)
    assert isinstance(box, Interface)
    if jack in box.phantom_on:
        return None
    if jack > box.able_jacks("phantom"):
        return Block(fact("no phantom supply", source=source.id, jack=patch.to_port), source.id)
    on = SetJack(interface=box.id, jack_in=jack, phantom=True)
    off = fact("phantom supply off", source=source.id, jack=patch.to_port)
    return Block(off, f"{box.id}/{jack}", on, fact("switch phantom supply on", jack=patch.to_port))


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
        return Block(fact("no device", program=program.id), program.id)
    return shut_way(program, streams, driving, found)


def _hindered(program: Program, streams: OpenDevice, way: DeviceStream, hindrance: Hindrance, found: Index) -> Block:
    box, driver = way.box, way.driver
    match hindrance:
        case "not connected":
            connect = Setting(box.id, {"connected": True})
            return Block(fact("not connected", box=box.id), box.id, connect, fact("connect", box=box.id))
        case "link":
            return Block(fact("link", box=box.id), box.id, *_within_link(box))
        case "own period":
            return Block(fact("own period", driver=driver.kind, box=box.id), driver.id)
        case "buffer":
            return not_offered(way, found)
        case "not installed":
            install = Setting(driver.id, {"installed": True})
            said = fact("install driver", driver=driver.kind, box=box.id)
            return Block(fact("not installed", driver=driver.kind, box=box.id), driver.id, install, said)
        case "other rate":
            rate_hz = streams.device.rate_hz
            told = fact("other rate", box=box.id, rate=box.rate_hz, device=streams.device.name, device_rate=rate_hz)
            if rate_hz not in box.rates_hz:
                return Block(told, box.id)
            return Block(told, box.id, Setting(box.id, {"rate_hz": rate_hz}), fact("run at", box=box.id, rate=rate_hz))
    return _held(program, way, found)


def _within_link(box: Interface) -> tuple[Setting | None, Fact | None]:
    """The mildest change that lets a box's link carry its channels: fewer bits, else a lower rate."""
    for size in (3, 2):
        if size < box.link_sample_bytes and link_overload(box.model_copy(update={"link_sample_bytes": size})) is None:
            return Setting(box.id, {"link_sample_bytes": size}), fact("run with bits", box=box.id, bits=8 * size)
    for rate_hz in sorted(box.rates_hz, reverse=True):
        if rate_hz < box.rate_hz and link_overload(box, rate_hz) is None:
            return Setting(box.id, {"rate_hz": rate_hz}), fact("run at", box=box.id, rate=rate_hz)
    return None, None


def _held(program: Program, way: DeviceStream, found: Index) -> Block:
    box, holder = way.box, found.holder(way)
    assert holder is not None
    told = held(holder, way, found)
    free = [each for each in box.drivers if each.installed and found.in_the_way(each, program) is None]
    if free and _opens_by(program, box):
        other = SetDevice(program=program.id, device=box.id, driver=free[0].id)
        opened = fact("open by", program=program.id, box=box.id, driver=free[0].kind)
        return Block(told, way.driver.id, other, opened)
    return Block(told, way.driver.id)


def held(holder: Program, way: DeviceStream, found: Index) -> Fact:
    """Why a program cannot open a box that another has."""
    box, driver = way.box, way.driver
    by = next(each.driver for each in found.claims[box.id] if each.program is holder and excludes(each.driver, driver))
    if by is driver:
        return fact("held", holder=holder.id, driver=driver.kind, box=box.id)
    if by.kind == "system, sole use":
        return fact("held for sole use", holder=holder.id, driver=driver.kind, box=box.id)
    return fact("held against sole use", holder=holder.id, driver=by.kind, box=box.id)


def _opens_by(program: Program, box: Interface) -> bool:
    """Whether the box is the program's only device, so that the program could open it by another driver."""
    return program.device == box.id and program.output_device is None


def not_offered(way: DeviceStream, found: Index) -> Block:
    """A member does not offer the buffer of its aggregate: the nearest one that all members do."""
    told = fact("buffer", box=way.box.id, buffer=way.buffer_samples, client=way.client)
    shared = [size for size in way.driver.buffers_samples if _all_offer(way.client, size, found)]
    if not shared:
        return Block(told, way.client)
    nearest = min(shared, key=lambda size: abs(size - way.buffer_samples))
    edit = Setting(way.client, {"buffer_samples": nearest})
    return Block(told, way.client, edit, fact("run at a buffer of", client=way.client, buffer=nearest))


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
    has = box.channels_at(bank, box.rate_hz)
    if channel > has:
        told = fact("no such channel at this rate", box=box.id, rate=box.rate_hz, has=has, bank=bank, channel=channel)
        rates = [rate for rate in box.rates_hz if box.channels_at(bank, rate) >= channel]
        if not rates:
            return Block(told, about)
        return Block(told, about, Setting(box.id, {"rate_hz": rates[-1]}), fact("run at", box=box.id, rate=rates[-1]))
    shown = box.shown(driver, bank)
    told = fact("channel not shown", box=box.id, driver=driver.kind, shown=shown, bank=bank, channel=channel)
    edits, said = wider_driver(program, way, bank, channel, found)
    return Block(told, about, edits or None, said)


def wider_driver(
    program: Program, way: DeviceStream, bank: Literal["capture", "playback"], channel: int, found: Index
) -> tuple[tuple[Edit, ...], Fact | None]:
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
            said = fact("open in aggregate by", box=box.id, aggregate=joined.id, driver=other.kind)
        elif _opens_by(program, box):
            edit = SetDevice(program=program.id, device=box.id, driver=other.id)
            said = fact("open by", program=program.id, box=box.id, driver=other.kind)
        else:
            return (), None
        if other.installed:
            return (edit,), said
        install = SetValues(item=other.id, values={"installed": True})
        return (install, edit), fact("install driver and open by it", box=box.id, driver=other.kind)
    return (), None


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
    return Block(fact("bus feeds itself", bus=bus.id), bus.id, tuple(edits), fact("take off a circle", bus=bus.id))


def bus_muted(bus: Bus) -> Block | None:
    """A muted bus passes nothing on from its fader."""
    if not bus.muted:
        return None
    return Block(
        fact("bus muted", bus=bus.id), bus.id, Setting(bus.id, {"muted": False}), fact("unmute bus", bus=bus.id)
    )


def send_off(send: Send) -> Block:
    """A send that is switched off."""
    return Block(fact("send off"), send.id, Setting(send.id, {"on": True}), fact("switch the send on"))


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
    about = f"{program.id}/{side}/{channel}"
    opened = enabling(program, side, (channel,))
    if opened is None:
        at_most = program.channels_at_most
        return Block(fact("no channel left", side=side, channel=channel, program=program.id, at_most=at_most), about)
    return Block(fact("channel not enabled", side=side, channel=channel, program=program.id), about, *opened)


def not_monitored(track: Track) -> Block | None:
    """A track that is not monitored lets nothing through."""
    if track.monitored:
        return None
    opened = Setting(track.id, {"monitored": True, "muted": False})
    return Block(fact("not monitored", track=track.id), track.id, opened, fact("monitor track", track=track.id))


def not_heard(track: Track, program: Program, soloed: Sequence[str]) -> Block | None:
    """Why nothing passes a track before its fader: it is not monitored, or muted where that silences all of it."""
    return not_monitored(track) or (track_shut(track, program, soloed) if program.mute_kills_pre else None)


def insert_bypassed(item: Track | Bus) -> Block:
    """A bypassed insert is neither sent to nor heard."""
    opened = Setting(item.id, insert_with(item, "on", True))
    said = fact("insert of item bypassed", item=item.id)
    return Block(said, f"{item.id}/insert", opened, fact("put insert of item in", item=item.id))


def insert_in(item: Track | Bus) -> Block:
    """An insert without a dry path lets nothing past it."""
    opened = Setting(item.id, insert_with(item, "on", False))
    said = fact("insert of item in", item=item.id)
    return Block(said, f"{item.id}/insert", opened, fact("bypass insert of item", item=item.id))


def track_shut(track: Track, program: Program, soloed: Sequence[str]) -> Block | None:
    """A track that is muted, or beside others that are soloed in place, passes nothing on from its fader.

    ``soloed``: the program's tracks that are. Where solo is heard at an output of its own, it silences nobody.
    """
    others = bool(soloed) and not track.soloed and program.solo_output is None
    if not track.muted and not others:
        return None
    ended = tuple(SetValues(item=each, values={"soloed": False}) for each in soloed)
    if track.muted and others:
        both = (SetValues(item=track.id, values={"muted": False}), *ended)
        said = fact("track muted and others soloed", track=track.id, program=program.id)
        return Block(said, track.id, both, fact("unmute track and end solo", track=track.id))
    if track.muted:
        opened = Setting(track.id, {"muted": False})
        return Block(fact("track muted", track=track.id), track.id, opened, fact("unmute track", track=track.id))
    return Block(fact("other tracks soloed", program=program.id), f"{program.id}/solo", ended, fact("end solo"))
