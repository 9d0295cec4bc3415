"""The mix-minus of a far end: everybody but itself.

Where only its own voice passes, that feed is cut. Where what it hears is one mix that others want with the voice in
it, a new mix takes every strip but its own, and goes to the far end alone: by the way of the old one, or by an output
of its own on free channels of a cable that both programs reach.
"""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from iskelo.core.edits.additions import AddBuses, AddProgramPorts, AddSends
from iskelo.core.edits.base import free_name
from iskelo.core.edits.edit import Edit, EnableChannels, Remove, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.planner.opening import switch_of
from iskelo.core.rig.device_streams import OpenDevice
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Tap, Track, Voice
from iskelo.core.routes.route import Route, passing_routes
from iskelo.core.wiring.edge import Edge


class FarPlace(NamedTuple):
    """A far end: its program, its voice, and the ears by which it hears."""

    program: Program
    voice: Voice
    ears: tuple[Track, ...]

    def starts(self) -> tuple[Port, ...]:
        """The legs of its voice."""
        return tuple(Port(self.voice.id, "voice", leg) for leg in range(1, self.voice.width + 1))

    def ends(self) -> tuple[Port, ...]:
        """The legs of its ears."""
        return tuple(Port(ear.id, "track", leg) for ear in self.ears for leg in range(1, ear.width + 1))


class Act(NamedTuple):
    """Edits that keep a far end from hearing itself, in words."""

    words: str
    edits: tuple[Edit, ...]


def far_places(reading: Reading) -> Iterator[FarPlace]:
    """Every far end of a rig."""
    for program in reading.found.programs():
        for voice in program.voices:
            if voice.far is not None:
                yield FarPlace(program, voice, tuple(each for each in program.tracks if each.far_end == voice.id))


def own_routes(reading: Reading, place: FarPlace) -> list[Route]:
    """The ways by which a far end hears itself now."""
    return [
        route
        for start in place.starts()
        for end in place.ends()
        for route in passing_routes(reading.graph, start, end, reading.known)
    ]


def mix_minus(reading: Reading, place: FarPlace) -> Iterator[Act]:
    """What might keep a far end from hearing itself; whether it harms somebody else is tried elsewhere."""
    routes = own_routes(reading, place)
    if not routes:
        return
    shared = _of_others(reading, place)
    yield from _cuts(reading, routes, shared)
    yield from _new_mixes(reading, place, routes, shared)


def _cuts(reading: Reading, routes: Sequence[Route], shared: set[Edge]) -> Iterator[Act]:
    """Feeds that nothing passes to this far end but its own voice: one that stops every way, else one of each."""
    ways = _cut_at(reading, routes, shared)
    if not all(ways):
        return
    common = [act for act in ways[0] if all(act in way for way in ways[1:])]
    if common:
        yield from common
        return
    acts = list(dict.fromkeys(way[-1] for way in ways))
    yield Act("; ".join(act.words for act in acts), tuple(edit for act in acts for edit in act.edits))


def _cut_at(reading: Reading, routes: Sequence[Route], shared: set[Edge]) -> list[list[Act]]:
    """For each way what would cut it, where nobody else passes."""
    return [[act for edge in route.edges if edge not in shared and (act := cut(edge, reading))] for route in routes]


def _of_others(reading: Reading, place: FarPlace) -> set[Edge]:
    """The hops by which a far end hears anybody else."""
    return {
        edge
        for start in reading.found.starts()
        if start.owner != place.voice.id
        for end in place.ends()
        for route in passing_routes(reading.graph, start, end, reading.known)
        for edge in route.edges
    }


def cut(edge: Edge, reading: Reading) -> Act | None:
    """What takes a sound out at a hop for good: no mute, which is soon undone."""
    match edge.kind:
        case "mix":
            words = f"Take {_said(edge.owner, reading)} out of {_said(edge.end.owner, reading)}"
            return Act(words, (SetValues(item=edge.owner, values={"output": None}),))
        case "send":
            words = f"Take {_said(edge.start.owner, reading)} out of {_said(edge.end.owner, reading)}"
            return Act(words, (Remove(items=(edge.owner,)),))
        case "from device":
            words = f"Take {_said(edge.end.owner, reading)} off its channel"
            return Act(words, (SetLeg(item=edge.end.owner, leg=edge.end.number, channel=None),))
        case "monitor" | "direct" | "crosspoint" | "pan":
            switch = switch_of(edge, reading)
            return Act(switch.words, (switch.edit,)) if switch is not None else None
    return None


def _said(item: str, reading: Reading) -> str:
    placed = reading.found.items[item]
    return f"{placed.side} {placed.item.name}"


class _Feed(NamedTuple):
    """What an item gives to a mix."""

    item: str
    tap: Tap
    gain_db: float


def _new_mixes(reading: Reading, place: FarPlace, routes: Sequence[Route], shared: set[Edge]) -> Iterator[Act]:
    """A mix of everybody else instead of the last one that the own voice passes on its way back."""
    found = reading.found
    passed = [edge for edge in routes[0].edges if edge.end.bank == "bus"]
    if not passed:
        return
    placed = found.items[passed[-1].end.owner]
    old, program = placed.item, placed.program
    assert isinstance(old, Bus)
    carriers = {edge.start.owner for route in routes for edge in route.edges}
    feeds = list(_feeds(program, old, carriers, 0.0))
    if not feeds:
        return
    name = free_name(f"All but {place.voice.name}", [bus.name for bus in program.buses])
    mix = new(1)
    made: list[Edit] = [AddBuses(program=program.id, names=(name,), width=old.width, ids=(mix,))]
    for tap, gain_db in dict.fromkeys((feed.tap, feed.gain_db) for feed in feeds):
        items = tuple(feed.item for feed in feeds if (feed.tap, feed.gain_db) == (tap, gain_db))
        made.append(AddSends(program=program.id, items=items, to=mix, tap=tap, gain_db=gain_db))
    if old.gain_db:
        made.append(SetValues(item=mix, values={"gain_db": old.gain_db}))
    said = f"Make a mix {name} of everything in {old.name} but {place.voice.name}"
    beside = [route for route in routes if all(edge.end.owner != old.id for edge in route.edges)]
    cuts = _cut_at(reading, beside, shared)
    apart = list(dict.fromkeys(acts[-1] for acts in cuts if acts))
    leaving = next((edge for edge in reversed(routes[0].edges) if edge.start == Port(old.id, "bus_out", 1)), None)
    if leaving is not None and all(cuts) and leaving.end.bank == "output" and leaving.kind in ("mix", "send"):
        sink = leaving.end.owner
        off = (
            SetValues(item=old.id, values={"output": None}) if leaving.kind == "mix" else Remove(items=(leaving.owner,))
        )
        instead = (SetValues(item=mix, values={"output": sink}), off)
        words = "; ".join([f"{said}, and send that to {found.name(sink)} instead", *(act.words for act in apart)])
        yield Act(words, (*made, *instead, *(edit for act in apart for edit in act.edits)))
    for ear in place.ears:
        if ear.input == old.id and not beside:
            yield Act(f"{said}, for {place.voice.name}", (*made, SetValues(item=ear.id, values={"input": mix})))
    for words, own in _own_ways(reading, place, routes[0], mix):
        yield Act(f"{said}, {words}", (*made, *own))


def _feeds(program: Program, mix: Bus, carriers: set[str], gain_db: float) -> Iterator[_Feed]:
    """What a mix takes of others than the own voice; of a group that has it the others one by one."""
    buses = {bus.id: bus for bus in program.buses}
    given: list[_Feed] = [
        _Feed(item.id, "behind the fader", gain_db)
        for items in (program.tracks, program.voices, program.buses)
        for item in items
        if item.output == mix.id
    ]
    given += [
        _Feed(send.item, send.tap, gain_db + send.gain_db) for send in program.sends if send.to == mix.id and send.on
    ]
    for feed in given:
        if feed.item not in carriers:
            yield feed
        elif feed.item in buses and not buses[feed.item].effects:
            group = buses[feed.item]
            yield from _feeds(program, group, carriers, feed.gain_db + group.gain_db)


def _own_ways(reading: Reading, place: FarPlace, route: Route, mix: str) -> Iterator[tuple[str, tuple[Edit, ...]]]:
    """A way of its own for a mix: an output on channels of a cable that nobody uses, and the ear's input there."""
    found = reading.found
    sent = [edge for edge in route.edges if edge.kind == "to device"]
    taken = [edge for edge in route.edges if edge.kind == "from device"]
    if not sent or not taken or not any(edge.kind == "cable" for edge in route.edges):
        return
    sender, taker = found.gear[sent[-1].owner], found.gear[taken[-1].owner]
    item = found.items[taken[-1].end.owner].item
    assert isinstance(sender, Program)
    assert isinstance(taker, Program)
    assert isinstance(item, ProgramPort)
    if taker.id != place.program.id:
        return
    out, into = found.opened[sender.id], found.opened[taker.id]
    width = len(item.legs)
    for box in _cables_between(out, into):
        first = _free_run(reading, box, width)
        if first is None:
            continue
        numbers = range(first, first + width)
        channels_out = [out.channel("playback", box.id, number) for number in numbers]
        channels_in = [into.channel("capture", box.id, number) for number in numbers]
        if None in channels_out or None in channels_in:
            continue
        there = [channel for channel in channels_out if channel is not None]
        here = [channel for channel in channels_in if channel is not None]
        output = new(2)
        edits: list[Edit] = [
            AddProgramPorts(
                program=sender.id,
                side="output",
                names=(free_name(f"To {place.voice.name}", [each.name for each in sender.outputs]),),
                width=width,
                first_channel=there[0],
                ids=(output,),
            ),
            SetValues(item=mix, values={"output": output}),
        ]
        edits += [SetLeg(item=item.id, leg=leg, channel=channel) for leg, channel in enumerate(here, start=1)]
        shut = (
            (sender, "output", [each for each in there if each not in sender.enabled_out]),
            (taker, "input", [each for each in here if each not in taker.enabled_in]),
        )
        for program, side, channels in shut:
            if channels:
                edits.append(
                    EnableChannels.model_validate({"program": program.id, "side": side, "channels": tuple(channels)})
                )
        said = f"{first}" if width == 1 else f"{first}–{first + width - 1}"
        yield f"and send it by channel {said} of {box.name}", tuple(edits)
        return


def _cables_between(out: OpenDevice, into: OpenDevice) -> Iterator[Interface]:
    """The cables that one program plays into and another takes from."""
    for way in out.ways:
        if way.box.cable is not None and any(each.box.id == way.box.id for each in into.ways):
            yield way.box


def _free_run(reading: Reading, box: Interface, width: int) -> int | None:
    """The first channels of a cable that nobody plays into, and none takes from; a pair begins at an odd one."""
    into, leaving = reading.graph.into, reading.graph.leaving
    for first in range(1, box.playback - width + 2, width):
        ports = range(first, first + width)
        if not any(
            into(Port(box.id, "playback", number))
            or [edge for edge in leaving.get(Port(box.id, "capture", number), ()) if edge.kind == "from device"]
            for number in ports
        ):
            return first
    return None
