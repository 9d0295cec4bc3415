"""Rules about lines that arrive, but not as they are wanted: doubled, crowded, off speed, late."""

import itertools
import math
from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

from iskelo.core.edits.edit import Edit, Remove, SetDirect, SetLeg, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.legs import Arrival
from iskelo.core.lines.state import LineState
from iskelo.core.planner.opening import switch_of
from iskelo.core.rig.device_streams import open_box
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.text import few
from iskelo.core.routes.route import passing_routes
from iskelo.core.snags.mixer_remedies import all_but_one, closing, out_of_mixes, parted, set_back
from iskelo.core.snags.rates import one_rate
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import Remedy, Snag, distinct, if_so, rule
from iskelo.core.timing.delays import way_of
from iskelo.core.timing.growth import Buffers, Growth
from iskelo.core.timing.rates import speed
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import DEVICE_HOPS
from iskelo.core.words.say import strangers


@rule("lines", symptoms=("hollow", "echo"), explains=("line-hot", "line-other-way"))
def line_doubled(reading: Reading) -> list[Snag]:
    """The same sound arrives more than once at one place."""
    return [
        Snag(
            key=f"line-doubled:{state.line.id}",
            rule="line-doubled",
            severity="trouble",
            title=f"{state.line.name} arrives {_copies(state)} times{_apart(state)}",
            evidence=words,
            consequence=_hollow(state),
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.to_ports),
            mend=partial(undouble, reading, state),
        )
        for state, words in with_finding(reading, "doubled")
    ]


def _copies(state: LineState) -> int:
    return max(len(leg.arrivals) for leg in state.legs)


def _apart(state: LineState) -> str:
    found = next((leg.comb for leg in state.legs if leg.comb), None)
    return f", {found.delay_ms:.2f} ms apart" if found and found.delay_samples else ""


def _hollow(state: LineState) -> str:
    found = next((leg.comb for leg in state.legs if leg.comb), None)
    if found is None or found.heard is None:
        return "The copies add up to a louder sound, or cancel each other."
    if found.heard != "hollow":
        return f"It is heard {found.heard}: twice, {found.delay_ms:.1f} ms apart."
    if not found.notches_hz:
        return "The copies add up to a louder sound, or cancel each other."
    depth = "endless" if found.ripple_db is None else f"{found.ripple_db:.1f} dB"
    return (
        f"It sounds hollow: the sum dips at {', '.join(f'{hz:.0f}' for hz in found.notches_hz)} Hz and so on; "
        f"ripple {depth}."
    )


def undouble(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Close one of the ways: direct monitoring, the program's monitoring, or the second lead."""
    remedies: list[Remedy] = set_back(reading, state)
    closers: dict[tuple[bool, str], list[Edit]] = {}
    for leg in state.legs:
        for arrival in leg.arrivals if len(leg.arrivals) > 1 else ():
            inside = closing(reading, arrival, leg.arrivals)
            if inside is not None:
                remedies.append(inside)
                continue
            direct, words, edit = _closer(reading, arrival)
            if edit is not None and edit not in closers.setdefault((direct, words), []):
                closers[direct, words].append(edit)
    remedies += all_but_one(reading, state)
    # Keep what is quickest to the ear first: stop the program's copy when there is a direct one.
    for (_, words), edits in sorted(closers.items(), key=lambda each: each[0][0]):
        remedies.append(Remedy(words, tuple(edits)))
    return distinct([*remedies, *out_of_mixes(reading, state)])


def _closer(reading: Reading, arrival: Arrival) -> tuple[bool, str, Edit | None]:
    """Whether a copy comes directly, and what closes its way, in words and as an edit."""
    for edge in arrival.route.edges:
        if edge.kind == "direct":
            box = reading.found.gear[edge.owner]
            edit = SetDirect(interface=box.id, jack_in=edge.start.number, jack_out=edge.end.number, gain_db=None)
            return True, f"Stop direct monitoring of jack in {edge.start.number} on {box.name}", edit
        if edge.kind == "monitor":
            name = reading.found.name(edge.owner)
            return False, f"Stop monitoring track {name}", SetValues(item=edge.owner, values={"monitored": False})
    for edge in reversed(arrival.route.edges):
        if edge.kind == "lead in":
            words = f"Unplug {reading.found.say(edge.start)} from {reading.found.say(edge.end)}"
            return False, words, Remove(items=(edge.owner,))
    return False, "", None


@rule("lines", symptoms=("wrong pitch",))
def line_off_speed(reading: Reading) -> list[Snag]:
    """What a program sounds or records plays at another speed than it was made for."""
    return [
        Snag(
            key=f"line-off-speed:{state.line.id}",
            rule="line-off-speed",
            severity="trouble",
            title=f"{state.line.name} plays at the wrong speed",
            evidence=words,
            consequence="It is out of tune and ends at the wrong time.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in _timed(state)),
            mend=partial(_at_one_rate, reading, state),
        )
        for state, words in with_finding(reading, "off speed")
    ]


def _at_one_rate(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    for port in _timed(state):
        program = reading.found.items[port.owner].program
        box = reading.found.device(program)
        if box is not None and speed(reading.found, program) != 1:
            remedies += one_rate(program, box)
    return distinct(remedies)


def _timed(state: LineState) -> tuple[Port, ...]:
    """Where a program's own rate decides how fast it plays: what sounds in it, and what it records."""
    return tuple(port for port in (*state.line.from_ports, *state.line.to_ports) if port.bank in ("voice", "track"))


@rule("lines", symptoms=("others",))
def line_crowded(reading: Reading) -> list[Snag]:
    """Another sound arrives at the target of a line that wants to be alone there."""
    return [
        Snag(
            key=f"line-crowded:{state.line.id}",
            rule="line-crowded",
            severity="trouble",
            title=f"{state.line.name} is not alone: {_coming(reading, state)} too",
            evidence=words,
            consequence="The sounds cannot be parted again afterwards.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.to_ports),
            mend=partial(_part, reading, state),
        )
        for state, words in with_finding(reading, "crowded")
    ]


def _part(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    shared = SetValues(item=state.line.id, values={"alone": False})
    return (
        *parted(reading, state),
        *send_away(reading, state),
        if_so(f"Others may arrive there with {state.line.name}", shared),
    )


def send_away(reading: Reading, state: LineState) -> Iterator[Remedy]:
    """Unpatch the way of the unwanted sound where it is not shared with the wanted one."""
    shared = {(e.start, e.end) for leg in state.legs for arrival in leg.arrivals for e in arrival.route.edges}
    edits: list[Edit] = []
    words: list[str] = []
    for start in state.others:
        for end in state.line.to_ports:
            for route in passing_routes(reading.graph, start, end):
                for edge in route.edges:
                    if (edge.start, edge.end) in shared:
                        continue
                    edit, said = _cut(reading, edge)
                    if edit is not None and edit not in edits:
                        edits.append(edit)
                        words.append(said)
                        break
    if edits:
        yield Remedy("; ".join(words), tuple(edits))


def _cut(reading: Reading, edge: Edge) -> tuple[Edit | None, str]:
    found, owner, start_number, end = reading.found, edge.owner, edge.start.number, edge.end
    match edge.kind:
        case "direct":
            edit: Edit = SetDirect(interface=owner, jack_in=start_number, jack_out=end.number, gain_db=None)
            return edit, f"Stop direct monitoring of jack in {start_number} on {found.name(owner)}"
        case "from device":
            return SetLeg(
                item=end.owner, leg=end.number, channel=None
            ), f"Take input {found.name(end.owner)} off channel {start_number}"
        case "record":
            return SetValues(item=owner, values={"input": None}), f"Take track {found.name(owner)} off its input"
        case "monitor":
            return SetValues(item=owner, values={"monitored": False}), f"Stop monitoring track {found.name(owner)}"
    switch = switch_of(edge, reading) if owner in found.mixing else None
    return (switch.edit, switch.words) if switch is not None else (None, "")


def _coming(reading: Reading, state: LineState) -> str:
    """Who comes with a line. Example: 'Bertil comes'."""
    names = strangers(state.others, reading.found)
    return f"{few(names)} come{'s' if len(names) == 1 else ''}"


@rule("lines", symptoms=("late", "echo"))
def line_late(reading: Reading) -> list[Snag]:
    """A line takes longer than its longest delay."""
    return [
        Snag(
            key=f"line-late:{state.line.id}",
            rule="line-late",
            severity="trouble",
            title=f"{state.line.name} is late: {words}",
            evidence=f"{words}; the sum stands in the tape measure.",
            consequence="Performers who hear themselves later than about 10 ms begin to drag."
            if state.line.purpose == "listen"
            else "It lands later than the line allows.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.to_ports),
            root=f"late:{waits[0].owner}" if len(waits := _buffers_of(reading, state)) == 1 else "",
            mend=partial(_sooner, reading, state),
        )
        for state, words in with_finding(reading, "late")
    ]


class _Buffer(NamedTuple):
    """A buffer that a line waits in: of a driver, or of an aggregate; the sizes it could have."""

    owner: str
    name: str
    now: int
    sizes: tuple[int, ...]


def _sooner(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """The smallest change of any buffer on its way that brings the line under its limit; else direct monitoring."""
    remedies = smaller_buffers(reading, state, state.line.longest_delay_ms)
    if state.line.purpose == "listen":
        remedies += direct_instead(reading, state)
    return distinct(remedies)


def smaller_buffers(reading: Reading, state: LineState, limit: float | None) -> list[Remedy]:
    """One buffer made smaller, each as little as brings a line under a limit in ms; two only where none does alone."""
    buffers = _buffers_of(reading, state)
    if limit is None:
        return []
    growth = Growth(reading.found)
    copies = [arrival for leg in state.legs for arrival in leg.arrivals]
    found: list[tuple[float, Remedy]] = []
    for count in (1, 2):
        for some in itertools.combinations(buffers, count):
            choices = itertools.product(*([size for size in each.sizes if size < each.now] for each in some))
            steps = (
                (sum(math.log2(each.now / size) for each, size in zip(some, sizes, strict=True)), sizes)
                for sizes in choices
            )
            for change, sizes in sorted(steps):
                set_to = tuple((each.owner, size) for each, size in zip(some, sizes, strict=True))
                # The copy that is the latest now need not be it then.
                latest_ms = max(_with_buffers_ms(copy, growth, set_to) for copy in copies)
                if latest_ms <= limit:
                    said = " and of ".join(f"{each.name} to {size}" for each, size in zip(some, sizes, strict=True))
                    edits = tuple(SetValues(item=owner, values={"buffer_samples": size}) for owner, size in set_to)
                    found.append((change, Remedy(f"Set the buffer of {said}: {latest_ms:.2f} ms", edits)))
                    break
        if found:
            break
    return [remedy for _, remedy in sorted(found, key=lambda each: each[0])[:2]]


def _with_buffers_ms(copy: Arrival, growth: Growth, buffers: Buffers) -> float:
    return float(1000 * (copy.delay.seconds + copy.delay.spread + growth.with_buffers(copy.route.edges, buffers)))


def _buffers_of(reading: Reading, state: LineState) -> list[_Buffer]:
    """Every buffer that the line's copies wait in, the one of the latest copy first."""
    copies = [arrival for leg in state.legs for arrival in leg.arrivals]
    buffers: dict[str, _Buffer] = {}
    for copy in sorted(copies, key=lambda arrival: -arrival.delay.ms):
        for edge in copy.route.edges:
            if edge.kind not in DEVICE_HOPS:
                continue
            streams = reading.found.opened[edge.owner]
            passed = way_of(streams, edge)
            for way in (passed, streams.driving):
                if way is None:
                    continue
                by_device = way.client == streams.device.id or way.driver.own_blocks
                device = streams.device if by_device else open_box(way.box, way.driver).device
                name, owner = device.name, device.buffer_id
                if owner == edge.owner:
                    name = f"{reading.found.name(owner)} on {name}"
                buffers.setdefault(owner, _Buffer(owner, name, device.buffer_samples, device.buffers_samples))
    return list(buffers.values())


def direct_instead(reading: Reading, state: LineState) -> list[Remedy]:
    """Hearing a line directly, in the box, where it is heard through a program of the same box now."""
    edits: list[Edit] = []
    tracks: list[str] = []
    crossings: dict[tuple[str, int, int], str] = {}
    for leg in state.legs:
        for arrival in leg.arrivals:
            ends = {edge.kind: edge for edge in arrival.route.edges}
            if "direct" in ends or not {"capture", "playback", "monitor"} <= ends.keys():
                continue
            jack_in, jack_out = ends["capture"].start, ends["playback"].end
            if jack_in.owner != jack_out.owner:
                continue
            box = reading.found.gear[jack_in.owner]
            assert isinstance(box, Interface)
            crossings[(box.id, jack_in.number, jack_out.number)] = box.name
            track = ends["monitor"].owner
            if track not in tracks:
                tracks.append(track)
    if not crossings:
        return []
    for box_id, jack_in_number, jack_out_number in crossings:
        edits.append(SetDirect(interface=box_id, jack_in=jack_in_number, jack_out=jack_out_number, gain_db=0.0))
    edits += [SetValues(item=track, values={"monitored": False}) for track in tracks]
    box_name = next(iter(crossings.values()))
    names = ", ".join(reading.found.name(track) for track in tracks)
    return [Remedy(f"Monitor directly on {box_name} instead of through track {names}", tuple(edits))]
