"""Where a silent line breaks off: how far the sound gets, how far back the target listens, what is missing."""

import itertools
from collections import deque
from typing import NamedTuple

from iskelo.core.rig.gear import Destination, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Strip
from iskelo.core.rig.ports import STAGE, Bank, Port
from iskelo.core.rig.programs import Program, ProgramPort, Track
from iskelo.core.routes.route import Ahead, nearest
from iskelo.core.values import Fact, fact, light
from iskelo.core.wiring.graph import Graph


class Gap(NamedTuple):
    """A break: ``ahead`` are the ports the sound reaches, ``behind`` those past them that feed the target.

    ``back`` is the port nearest to the sources from which the target ``end`` could be reached; ``fed`` tells that.
    """

    ahead: tuple[Port, ...]
    behind: tuple[Port, ...]
    back: Port
    end: Port
    missing: Fact
    fed: Fact


@light
class Behind:
    """What lies behind one target: every port that could reach it, and the gear a way to it would have to use.

    ``chain`` leads from the port nearest to the sources to the target, ``fed`` tells it. ``far`` is the way of each
    source to the furthest port before a target like this one, ``past`` what comes after such a port, and what is
    missing between.
    """

    ports: set[Port]
    chain: tuple[Port, ...]
    fed: Fact
    relevant: frozenset[str]
    far: dict[Port, tuple[Port, ...]]
    past: dict[Port, tuple[tuple[Port, ...], Fact]]


class Gaps:
    """The gaps of one rig. What lies behind a target, and how far a source gets, is worked out once for all lines."""

    def __init__(self, graph: Graph, found: Index, known: Ahead) -> None:
        self._graph, self._found, self._known = graph, found, known
        self._behind: dict[Port, Behind] = {}
        self._cabled = any(box.cable is not None for box in found.boxes)
        self._far: dict[tuple[Bank, frozenset[str]], dict[Port, tuple[Port, ...]]] = {}

    def between(self, start: Port, end: Port) -> Gap:
        """Name the exact gap between a source port and a target port that no way joins."""
        behind = self._behind.get(end)
        if behind is None:
            behind = self._behind[end] = self._look_back(end)
        ahead = behind.far.get(start)
        if ahead is None:
            ahead = behind.far[start] = self._look_ahead(start, end.bank, behind.relevant)
        past = behind.past.get(ahead[-1])
        if past is None:
            past = behind.past[ahead[-1]] = self._look_between(ahead[-1], behind, end)
        missing = _never(self._found, ahead, end) or past[1]
        return Gap(ahead, past[0], behind.chain[0], end, missing, behind.fed)

    def _look_between(self, far: Port, behind: Behind, end: Port) -> tuple[tuple[Port, ...], Fact]:
        """The ports past a break that lead to the target, and what is missing before them."""
        # From the first port past the break on; a bus may lead back to a track, which stands before it.
        mix = self._found.mix_of(end.owner) if far.bank in _BEFORE_MIXES else None
        if mix is not None and self._found.gear_of(far.owner) == self._found.gear_of(end.owner):
            past = tuple(itertools.dropwhile(lambda port: port.owner != mix.id, behind.chain))
            if past and far.bank == "input":
                return past, fact("not recorded", item=far.owner)
            if past:
                return past, fact("not sent", item=far.owner, mix=mix.id)
        past = tuple(itertools.dropwhile(lambda port: STAGE[port.bank] <= STAGE[far.bank], behind.chain)) or (end,)
        return past, _reason(self._found, far, behind.chain[0], end, behind.ports)

    def _look_back(self, end: Port) -> Behind:
        onward: dict[Port, Port] = {}
        queue = [end]
        seen = {end}
        while queue:
            port = queue.pop()
            for edge in self._graph.into(port):
                if edge.start not in seen:
                    seen.add(edge.start)
                    onward[edge.start] = port
                    queue.append(edge.start)
        chain = [nearest(seen)]
        while chain[-1] != end:
            chain.append(onward[chain[-1]])
        relevant = _relevant(self._found, seen)
        fed = fact("fed from", end=end, back=chain[0]) if chain[0] != end else fact("fed by nothing", end=end)
        return Behind(seen, tuple(chain), fed, relevant, self._far.setdefault((end.bank, relevant), {}), {})

    def _look_ahead(self, start: Port, end: Bank, relevant: frozenset[str]) -> tuple[Port, ...]:
        """The way from a source to the furthest port that it reaches before a target's bank, in gear that matters."""
        whole, gear_of = self._known.whole(start), self._found.gear_of
        far, stage = start, -1
        anywhere, highest = start, -1
        before, elsewhere = _BEFORE[end], ""
        for port in reversed(whole.by):  # What lies furthest was found last, as a rule.
            owner, bank, _ = port
            here = before.get(bank)
            if here is None:
                continue
            if here > highest or (here == highest and port > anywhere):
                anywhere, highest = port, here
            if owner != elsewhere and (here > stage or (here == stage and port > far)):
                if gear_of(owner) in relevant:
                    far, stage = port, here
                else:
                    elsewhere = owner
        if stage < 0:
            far = anywhere
        if far == start and start.bank == "voice" and end == "track" and (self._cabled or self._is_hosted(start)):
            # On its way to a cable it goes out of its program first.
            out = [port for port in whole.by if port.bank in ("output", "playback")]
            far = max(out, key=lambda port: (STAGE[port.bank], port), default=start)
        if whole.tree:
            return (start, *[edge.end for edge in whole.way(far)])
        return tuple(_chain(self._graph, start, far))

    def _is_hosted(self, start: Port) -> bool:
        placed = self._found.items.get(start.owner)
        return placed is not None and placed.program.hosted is not None


_BEFORE_MIXES = ("input", "point", "monitor", "post", "voice")
"""Where in a program a sound is that could be sent to a mix of it."""

_BEFORE: dict[str, dict[str, int]] = {
    end: {
        bank: stage for bank, stage in STAGE.items() if stage <= (STAGE["input"] if end == "track" else STAGE[end] - 1)
    }
    for end in STAGE
}
"""The banks that come before a target's, and how far along they stand."""


def _relevant(found: Index, behind: set[Port]) -> frozenset[str]:
    """The gear a way to the target would have to use: what feeds it now, and the devices of its programs."""
    owners = set(found.owners(behind))
    for identity in tuple(owners):
        gear = found.gear[identity]
        if isinstance(gear, Program) and gear.id in found.opened:
            owners |= {way.box.id for way in found.opened[gear.id].ways}
    return frozenset(owners)


def _chain(graph: Graph, start: Port, end: Port) -> list[Port]:
    """The ports of the shortest way between two joined ports. Buses may lead in circles, so none is passed twice."""
    came_from: dict[Port, Port | None] = {start: None}
    queue = deque([start])
    while end not in came_from:
        port = queue.popleft()
        for edge in graph.leaving.get(port, ()):
            if edge.end not in came_from:
                came_from[edge.end] = port
                queue.append(edge.end)
    way = [end]
    while (before := came_from[way[-1]]) is not None:
        way.append(before)
    return way[::-1]


def _reason(found: Index, far: Port, back: Port, end: Port, behind: set[Port]) -> Fact:
    """What is missing."""
    target = found.owner(end)
    program = found.owner(back) if isinstance(found.owner(back), Program) else target
    match far.bank:
        case "out":
            return fact("not plugged in")
        case "outboard_in" | "outboard_out":
            return fact("leads nowhere", gear=far.owner)
        case "jack_in":
            return fact("jack without capture", number=far.number) if end.bank == "track" else _tail(found, back)
        case "capture" | "input" if isinstance(program, Program) and program.device is None:
            return fact("program without device", program=program.id)
        case "capture" if isinstance(program, Program) and (few := _too_few(found, program, far)):
            return few
        case "capture" if (unheard := _in_no_strip(found, far, back, end, behind)) is not None:
            return unheard
        case "capture" if (unfed := _fed_by_nothing(found, back)) is not None:
            return unfed
        case "capture" if end.bank == "in":
            return fact("not passed on", channel=far.number)
        case "capture":
            return _not_taken(found, far, back, behind)
        case "input":
            return _not_recorded(found, far, back, end)
        case "voice" if end.bank == "track" and not _can_be_taken(found, far):
            return fact("voice into a program")
        case "voice":
            return fact("voice without output", item=far.owner)
        case "preamp" | "strip_direct" | "strip_point" | "strip_pre" | "strip_post" | "mix" | "mix_post" if (
            unfed := _fed_by_nothing(found, back)
        ) is not None and end.bank == "track":
            return unfed
        case "strip_direct" | "strip_point" | "strip_pre" | "strip_post" if mixes := _mixes(found, far, behind):
            return fact("strip not fed", strip=far.owner, mixes=mixes)
        case "bus" | "bus_pre" | "bus_out":
            return fact("bus without output", item=far.owner)
        case "point" | "monitor" | "post" | "track":
            return fact("track without output", item=far.owner)
        case "output":
            placed = found.items[far.owner]
            if placed.program.hosted is not None:
                return _not_returned(found, far.owner, placed.program.hosted.leader, back)
            if placed.program.device is None:
                return fact("program without device", program=placed.program.id)
            assert isinstance(placed.item, ProgramPort)
            channel = placed.item.legs[far.number - 1]
            if channel is None:
                return fact("output without channel", item=far.owner)
            return fact("no such playback", channel=channel)
        case "playback" if end.bank == "track":
            return fact("no cable", box=far.owner)
        case "playback":
            return fact("playback without jack", channel=far.number)
        case "jack_out" if end.bank == "in":
            return fact("jack leads elsewhere", number=far.number, end=end)
    return _tail(found, back)


def _can_be_taken(found: Index, voice: Port) -> bool:
    """Whether what a program sounds can get into another: by a cable, or as it runs in that one."""
    return any(box.cable is not None for box in found.boxes) or found.items[voice.owner].program.hosted is not None


def _not_returned(found: Index, output: str, leader: str, back: Port) -> Fact:
    """What of a hosted program gets no further than its output: it has no return, or nothing takes that."""
    program = found.gear[leader]
    assert isinstance(program, Program)
    returned = next((item for item in program.inputs if item.returns == output), None)
    if returned is None:
        return fact("no return", item=output, leader=leader)
    return fact("track without input", item=back.owner) if back.bank == "track" else fact("not taken back", item=output)


def _never(found: Index, ahead: tuple[Port, ...], end: Port) -> Fact | None:
    """Why a mixer can never bring to the computer what has got so far; None where it is no question of that."""
    if end.bank != "track":
        return None
    for port in ahead:
        inside = found.mixing.get(port.owner)
        if inside is None or not isinstance(inside.item, Strip):
            continue
        for never in inside.mixer.never:
            if never.starts == "strip" and never.start == inside.item.id and never.ends != "jack_out":
                return fact("never", box=inside.box.id, strip=inside.item.id, reason=never.reason)
    return None


def _too_few(found: Index, program: Program, far: Port) -> Fact | None:
    """That a program's driver does not show the channel a sound is on; None if it does."""
    streams = found.opened.get(program.id)
    way = streams.to("capture", far.owner) if streams is not None else None
    if way is None or far.number <= way.shown("capture"):
        return None
    has = way.box.channels_at("capture", way.box.rate_hz)
    return fact("shows too few", driver=way.driver.kind, shown=way.shown("capture"), has=has)


def _fed_by_nothing(found: Index, back: Port) -> Fact | None:
    """Say that a mixer feeds nothing to the channel that a target takes; None where it is another reason."""
    box = found.gear.get(back.owner)
    if back.bank not in ("capture", "to_computer") or not isinstance(box, Interface) or box.mixer is None:
        return None
    return fact("channel fed by nothing", box=box.id, channel=back.number)


def _in_no_strip(found: Index, far: Port, back: Port, end: Port, behind: set[Port]) -> Fact | None:
    """Say that a sound at a raw channel of a mixer is in no strip of it, or in one that feeds no mix that is heard."""
    box = found.gear.get(far.owner)
    if end.bank != "in" or not isinstance(box, Interface) or box.mixer is None:
        return None
    jacks = [feed.jack for feed in box.mixer.feeds if feed.bank == "capture" and feed.jack and far.number in feed.ends]
    if not jacks:
        return None
    taken = {source.number: strip for strip in box.mixer.strips for source in strip.sources if source.bank == "jack_in"}
    strip = taken.get(jacks[0])
    if strip is None:
        return fact("in no strip", box=box.id, jack=jacks[0]) if found.gear_of(back.owner) == box.id else None
    mixes = _mixes(found, Port(strip.id, "strip_post", 1), behind)
    return fact("strip not fed", strip=strip.id, mixes=mixes) if mixes else None


def _mixes(found: Index, far: Port, behind: set[Port]) -> list[str]:
    """List the mixes of a strip's mixer that lead to the target, by their names."""
    box = found.mixing[far.owner].box.id
    reaching = (port.owner for port in sorted(behind) if port.bank == "mix" and found.mixing[port.owner].box.id == box)
    return [found.mixing[each].item_name for each in dict.fromkeys(reaching)]


def _tail(found: Index, back: Port) -> Fact:
    if isinstance(found.owner(back), Destination):
        return fact("not plugged in")
    return fact("nothing leads to", end=back)


def _not_taken(found: Index, far: Port, back: Port, behind: set[Port]) -> Fact:
    """The sound is in the computer but the target's program does not take that channel."""
    match back.bank:
        case "track" | "point" | "monitor" | "post":
            return fact("track without input", item=back.owner)
        case "input":
            item = found.items[back.owner].item
            assert isinstance(item, ProgramPort)
            channel = item.legs[back.number - 1]
            if channel is None:
                return fact("input without channel", item=item.id)
            return fact("no such input channel", item=item.id, channel=channel)
        case "capture" | "jack_in" | "out":
            taken = sorted({(port.owner, port.number) for port in behind if port.bank == "capture"})
            if all(owner == far.owner for owner, _ in taken):
                return fact("takes others", taken=[number for _, number in taken], channel=far.number)
            return fact("takes others of boxes", taken=taken, box=far.owner, channel=far.number)
    return fact("not taken", channel=far.number)


def _not_recorded(found: Index, far: Port, back: Port, end: Port) -> Fact:
    if end.bank == "track":
        if back == end:
            item = found.items[end.owner].item
            if isinstance(item, Track) and item.input is not None:
                return fact("leg not filled", input=item.input, leg=end.number)
            return fact("track without input", item=end.owner)
        return fact("takes another input", item=end.owner)
    return fact("not recorded", item=far.owner)
