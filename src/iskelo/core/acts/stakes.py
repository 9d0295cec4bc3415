"""What is at stake by an act, before it is tried: which lines it could free at most, and which it surely takes."""

from collections import Counter
from collections.abc import Iterator, Mapping
from functools import cached_property
from itertools import takewhile
from typing import Literal, NamedTuple

from iskelo.core.acts.act import Act, Near
from iskelo.core.edits.edit import Edit, SetDevice, SetLeg, SetMembers, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Aggregate, Destination, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.links import BANKS
from iskelo.core.rig.mixers import Feed
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import ProgramPort, Send
from iskelo.core.wiring.hops import DEVICE_HOPS


class Stream(NamedTuple):
    """What a program takes from a box, or gives to it."""

    program: str
    box: str
    bank: str


class Stakes:
    """Holds an act against the lines that are wrong and those that are well.

    ``wrong``: what stands near each line that is wrong; ``wanted``: those of them that an act is asked for.
    """

    def __init__(self, reading: Reading, wrong: Mapping[str, Near], wanted: frozenset[str]) -> None:
        self._reading, self._wrong, self._wanted = reading, wrong, wanted

    def can_mend(self, act: Act) -> bool:
        """Tell whether an act stands near a line that is wanted, and near more that are wrong than it surely takes."""
        about = _about(act, self._reading.found)
        near = [line for line, place in self._wrong.items() if not about.isdisjoint(place.ids)]
        if self._wanted.isdisjoint(near):
            return False
        return len(near) > len(self._taken(act))

    def _taken(self, act: Act) -> frozenset[str]:
        """Find the lines that are well and that an act surely takes.

        What passes one of two names that are exchanged may come by the other one then: of those none is sure.
        """
        legs = [edit for edit in act.edits if isinstance(edit, SetLeg)]
        if legs and Counter(map(self._channel, legs)) == Counter(leg.channel for leg in legs):
            return frozenset()
        return frozenset().union(*(self._passing.get(each, ()) for edit in act.edits for each in self._moved(edit)))

    def _channel(self, leg: SetLeg) -> int | None:
        """Give the channel that a leg of a name is on now."""
        item = self._reading.found.items[leg.item].item
        return item.legs[leg.leg - 1] if isinstance(item, ProgramPort) else None

    @cached_property
    def _passing(self) -> dict[Port | Stream, set[str]]:
        """By a leg of a name, or a stream, the lines that are well and pass it with every copy of one of their legs."""
        found: dict[Port | Stream, set[str]] = {}
        for state in self._reading.lines:
            if state.line.id not in self._wrong:
                for each in _passed(state):
                    found.setdefault(each, set()).add(state.line.id)
        return found

    def _moved(self, edit: Edit) -> Iterator[Port | Stream]:
        """Name what is on other channels, or on another box, behind an edit; what else it may do is not asked."""
        found = self._reading.found
        if isinstance(edit, SetLeg):
            placed = found.items[edit.item]
            side: Literal["input", "output"] = "input" if placed.side == "input" else "output"
            yield Port(edit.item, side, edit.leg)
        elif isinstance(edit, SetDevice) and edit.program in found.opened:
            device = found.gear.get(edit.device or "")
            members = device.members if isinstance(device, Aggregate) else ()
            kept = {edit.device, *(member.device for member in members)}
            for way in found.opened[edit.program].ways:
                if way.box.id not in kept:
                    yield from (Stream(edit.program, way.box.id, bank) for bank in BANKS)
        elif isinstance(edit, SetMembers) and not edit.keep_names:
            yield from self._displaced(edit)

    def _displaced(self, edit: SetMembers) -> Iterator[Stream]:
        """Name the streams of a device whose channels have other numbers when its members stand in another order."""
        found = self._reading.found
        device = found.gear[edit.aggregate]
        assert isinstance(device, Aggregate)
        for program in found.programs():
            streams = found.opened.get(program.id)
            if streams is None or streams.device.id != device.id:
                continue
            for bank in BANKS:
                wide = {way.box.id: len(way.channels(bank)) for way in streams.ways}
                orders = ([member.device for member in members] for members in (device.members, edit.members))
                before, after = ({box: _ahead(order, box, wide) for box in order} for order in orders)
                yield from (Stream(program.id, box, bank) for box in wide if before.get(box) != after.get(box))


def _ahead(order: list[str], box: str, wide: Mapping[str, int]) -> int:
    """Count the channels of the members in front of a box."""
    return sum(wide.get(each, 0) for each in takewhile(lambda each: each != box, order))


def _about(act: Act, found: Index) -> frozenset[str]:
    """Give the things that an act is about, the finest of them: what is in gear; else where lines begin and end."""
    if act.kind == "effects" or any(isinstance(edit, SetValues) and "soloed" in edit.values for edit in act.edits):
        # A solo shuts what is not soloed, and what is compensated waits for the effects of others.
        return act.touches
    inside = {end for each in act.touches for end in _joined_by(each, found)}
    ends = {each for each in act.touches if isinstance(found.gear.get(each), Source | Destination)}
    return frozenset(inside or ends or act.touches)


def _joined_by(identity: str, found: Index) -> Iterator[str]:
    """Give what is in gear; with a send or a feed also what it joins, for no way may pass it yet."""
    if identity in found.items:
        yield identity
        item = found.items[identity].item
        if isinstance(item, Send):
            yield from (item.item, item.to)
    elif identity in found.mixing:
        yield identity
        feed = found.mixing[identity].item
        if isinstance(feed, Feed):
            yield from (end for end in (feed.item, feed.to) if end is not None)


def _passed(state: LineState) -> Iterator[Port | Stream]:
    """Name what every copy of a leg passes of names and of streams."""
    for leg in state.legs:
        passed: list[set[Port | Stream]] = []
        for arrival in leg.arrivals:
            here: set[Port | Stream] = {port for port in arrival.route.ports if port.bank in ("input", "output")}
            for edge in arrival.route.edges:
                if edge.kind in DEVICE_HOPS:
                    box = edge.start if edge.start.bank in BANKS else edge.end
                    here.add(Stream(edge.owner, box.owner, box.bank))
            passed.append(here)
        yield from set.intersection(*passed) if passed else ()
