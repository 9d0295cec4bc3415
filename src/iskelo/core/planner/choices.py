"""What a station of a line can be set to: each choice with the edits it stands for.

The screen shows these under a cell and applies the one that is taken; nothing about the rig is decided there.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from iskelo.core.edits.additions import AddFeed, AddProgramPorts, AddTracks
from iskelo.core.edits.edit import Edit, Plug, Remove, SetDirect, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.jack_moves import switched_on
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Column, Port
from iskelo.core.rig.programs import Program, ProgramPort, Track, Voice
from iskelo.core.rig.text import fold_numbers


@dataclass(frozen=True, slots=True)
class Choice:
    """One thing a station can be set to: ``note`` says who uses it now; no edits mean it is so already."""

    label: str
    note: str
    current: bool
    edits: tuple[Edit, ...]


@dataclass(frozen=True, slots=True)
class Choices:
    """All choices for a station, and what to know when there are none."""

    heading: str
    choices: tuple[Choice, ...]
    note: str


def choices(reading: Reading, state: LineState, column: Column) -> Choices:
    """The choices for one station of a line."""
    match column:
        case "source":
            return Choices("Source", _sources(reading, state), "Add sources on Gear.")
        case "box_in":
            return Choices("Input jack", _jacks(reading, state), "Say a source and add an interface first.")
        case "computer_in":
            return Choices("Capture channel", _raw_channels(reading, state), _straight(reading, state))
        case "program_in":
            return Choices("Program input", _inputs(reading, state), "Say a track first; its program has the inputs.")
        case "track" if state.line.purpose == "record":
            return Choices("Track", _tracks(reading, state), "Add a recorder on Gear.")
        case "track" if state.line.at_track:
            return Choices("Heard by", _ears(reading, state), "Add a call on Gear.")
        case "track":
            return Choices("Heard through", _monitors(reading, state), "No track takes this source.")
    if state.line.purpose == "record":
        return Choices("Out", (), "A record line ends at its track. Press n for a line that is heard.")
    return Choices("Heard at", _destinations(reading, state) + _ears(reading, state), "Add headphones on Gear.")


def _sources(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    """Every source and voice: the line begins there, or there too."""
    users: dict[Port, list[str]] = {}
    for line in reading.rig.lines:
        for port in line.from_ports:
            users.setdefault(port, []).append(line.name)
    here, found, together = state.line.from_ports, [], []
    for name, ports in _beginnings(reading.found):
        named = users.get(ports[0], ())
        note = f"line {', '.join(named)}" if named else "no line yet"
        found.append(_from(state, name, note, ports))
        if here and here != ports:
            kept = tuple(port for port in here if port.owner != ports[0].owner)
            words = f"{name} too, mixed" if kept == here else f"Without {name}"
            more = (*here, *ports) if kept == here else kept
            together.append(_from(state, words, f"{len({port.owner for port in more})} in all", more, mixed=True))
    return (*found, *together)


def _beginnings(found: Index) -> Iterator[tuple[str, tuple[Port, ...]]]:
    """Where a line could begin, with its name and ports."""
    for gear in found.gear.values():
        if isinstance(gear, Source):
            yield gear.name, tuple(Port(gear.id, "out", number) for number in range(1, gear.width + 1))
    for identity, placed in found.items.items():
        if isinstance(placed.item, Voice):
            ports = tuple(Port(identity, "voice", number) for number in range(1, placed.item.width + 1))
            yield f"{placed.program.name}, {placed.item.name}", ports


def _from(state: LineState, label: str, note: str, ports: tuple[Port, ...], *, mixed: bool = False) -> Choice:
    values: dict[str, object] = {"from_ports": [list(port) for port in ports]}
    if mixed != state.line.mixed:
        values["mixed"] = mixed
    current = state.line.from_ports == ports and not mixed
    return Choice(label, note, current, () if current else (SetValues(item=state.line.id, values=values),))


def _set_line(label: str, note: str, current: bool, state: LineState, field: str, ports: tuple[Port, ...]) -> Choice:
    edit = SetValues(item=state.line.id, values={field: [list(port) for port in ports]})
    return Choice(label, note, current, () if current else (edit,))


def _jacks(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    starts = state.line.from_ports
    if not starts:
        return ()
    leads = {patch.to_port: patch for patch in reading.rig.patches}
    mine = [patch for patch in reading.rig.patches if patch.from_port in starts]
    found = []
    for box in reading.found.interfaces():
        for first in range(1, box.jack_in - len(starts) + 2):
            ends = [Port(box.id, "jack_in", first + leg) for leg in range(len(starts))]
            there = [leads[end].from_port for end in ends if end in leads]
            current = [patch.to_port for patch in mine] == ends
            jacks = fold_numbers([end.number for end in ends])
            label = f"{box.name}, jack{'s' if len(ends) > 1 else ''} {jacks}"
            note = ", ".join(map(reading.found.say, there)) if there else "free"
            edits: list[Edit] = []
            if not current:
                if mine:
                    edits.append(Remove(items=tuple(patch.id for patch in mine)))
                for start, end in zip(starts, ends, strict=True):
                    switches, said, _ = switched_on(reading.found, start, box, end.number)
                    edits += [Plug(from_port=start, to_port=end, replace=True), *switches]
                    note = "; ".join([note, *map(_briefly, said)])
            found.append(Choice(label, note, current, tuple(edits)))
    if mine:
        unplug = Remove(items=tuple(patch.id for patch in mine))
        found.append(Choice("Unplug", "plugged into nothing", False, (unplug,)))
    return tuple(found)


def _briefly(said: str) -> str:
    """What is set at a jack, without the jack. Example: 'switch phantom supply on', 'trim 20 dB'."""
    if said.startswith("Set the trim"):
        return f"trim {said.rpartition(' to ')[2]}"
    return said.partition(" on at ")[0].lower() + " on"


def _raw_channels(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    """The channels that the source's jack on a mixer could be laid on raw."""
    found = reading.found
    start = state.line.from_ports[0] if len(state.line.from_ports) == 1 else None
    jack = next((patch.to_port for patch in reading.rig.patches if patch.from_port == start), None)
    box = found.gear.get(jack.owner) if jack is not None and jack.bank == "jack_in" else None
    if jack is None or not isinstance(box, Interface) or box.mixer is None or not box.mixer.open_feeds:
        return ()
    told = []
    for number in range(1, box.capture + 1):
        feeds = [feed for feed in box.mixer.feeds if feed.bank == "capture" and number in feed.ends]
        current = any(feed.jack == jack.number for feed in feeds)
        edit = AddFeed(mixer=box.id, jack=jack.number, bank="capture", number=number, replace=True)
        note = ", ".join(found.name(feed.id) for feed in feeds) or "free"
        told.append(Choice(f"{box.name}, channel {number}, raw", note, current, () if current else (edit,)))
    return tuple(told)


def _straight(reading: Reading, state: LineState) -> str:
    for start in state.line.from_ports:
        for port in _captured(reading, start):
            return (
                f"On {reading.found.name(port.owner)} jack in {port.number} feeds capture channel {port.number}; "
                "choose the jack, or the program's input."
            )
    return "The box's input jack decides the channel; choose the jack."


def _captured(reading: Reading, start: Port) -> list[Port]:
    """The capture channels that a source port reaches without a program, those by the fewest hops first."""
    found: list[Port] = []
    seen, queue = {start}, [start]
    for port in queue:
        for edge in reading.graph.leaving.get(port, ()):
            if edge.end.bank == "capture":
                found.append(edge.end)
            elif edge.end not in seen and edge.block is None:
                seen.add(edge.end)
                queue.append(edge.end)
    return list(dict.fromkeys(found))


def _channels(reading: Reading, state: LineState, program: Program) -> list[int]:
    """For each source port of the line the first channel it comes on at the program's device; none if one lacks."""
    if program.id not in reading.found.opened:
        return []
    found = []
    for start in state.line.from_ports:
        numbers = (reading.found.channel(program, port) for port in _captured(reading, start))
        here = [number for number in numbers if number is not None]
        if not here:
            return []
        found.append(here[0])
    # What is mixed before the program comes by the same channels.
    found = list(dict.fromkeys(found)) if state.line.mixed else found
    return found if len(found) <= 2 else []


def _target_track(reading: Reading, state: LineState) -> tuple[Program, Track] | None:
    for port in state.line.to_ports:
        placed = reading.found.items.get(port.owner)
        if placed is not None and isinstance(placed.item, Track):
            return placed.program, placed.item
    for leg in state.legs:
        for port in leg.way.ports if leg.way else ():
            placed = reading.found.items.get(port.owner)
            if placed is not None and isinstance(placed.item, Track):
                return placed.program, placed.item
    return None


def _inputs(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    target = _target_track(reading, state)
    if target is None:
        return ()
    program, track = target
    channels = _channels(reading, state, program)
    takers: dict[str, list[str]] = {}
    for each in program.tracks:
        if each.input:
            takers.setdefault(each.input, []).append(each.name)
    found: list[Choice] = []
    for position, item in enumerate(program.inputs, start=1):
        used = takers.get(item.id, [])
        on = fold_numbers([channel for channel in item.legs if channel]) or "none"
        note = f"channel {on}" + (f", {', '.join(used)}" if used else "")
        current = track.input == item.id
        give = SetValues(item=track.id, values={"input": item.id})
        found.append(Choice(f"{position} {item.name}", note, current, () if current else (give,)))
        if channels and len(channels) == len(item.legs) and list(item.legs) != channels:
            legs: tuple[Edit, ...] = tuple(
                SetLeg(item=item.id, leg=leg, channel=channel) for leg, channel in enumerate(channels, start=1)
            )
            moved = (*legs, *(() if current else (give,)))
            label = f"{position} {item.name}, on channel {fold_numbers(channels)}"
            found.append(Choice(label, f"now {note}", False, moved))
    if channels:
        identity = new(1)
        name = reading.found.name(state.line.from_ports[0].owner)
        made = AddProgramPorts(
            program=program.id, names=(name,), width=len(channels), first_channel=channels[0], ids=(identity,)
        )
        give = SetValues(item=track.id, values={"input": identity})
        found.append(Choice(f"New input {name}", f"channel {fold_numbers(channels)}", False, (made, give)))
    if track.input is not None:
        off = SetValues(item=track.id, values={"input": None})
        found.append(Choice("None", f"track {track.name} takes no input", False, (off,)))
    return tuple(found)


def _tracks(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    users: dict[str, list[str]] = {}
    for line in reading.rig.lines:
        for port in line.to_ports:
            users.setdefault(port.owner, []).append(line.name)
    found = []
    for program in reading.found.programs():
        for position, track in enumerate(program.tracks, start=1):
            if track.far_end is not None:
                continue
            ports = tuple(Port(track.id, "track", leg) for leg in range(1, track.width + 1))
            named = users.get(track.id, ())
            note = f"line {', '.join(named)}" if named else "free"
            label = f"{program.name} {position} {track.name}"
            found.append(_set_line(label, note, state.line.to_ports == ports, state, "to_ports", ports))
        width = max(1, state.line.width)
        identity = new(1)
        made = AddTracks(program=program.id, names=(state.line.name,), width=width, ids=(identity,))
        ends = [[identity, "track", leg] for leg in range(1, width + 1)]
        aim = SetValues(item=state.line.id, values={"to_ports": ends})
        found.append(Choice(f"New track {state.line.name}", f"in {program.name}, armed", False, (made, aim)))
    return tuple(found)


def _ears(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    """The ears of far ends."""
    found = []
    for program in reading.found.programs():
        for track in program.tracks:
            if track.far_end is not None:
                ports = tuple(Port(track.id, "track", leg) for leg in range(1, track.width + 1))
                note = f"far end of {program.name}"
                found.append(_set_line(track.name, note, state.line.to_ports == ports, state, "to_ports", ports))
    return tuple(found)


def _monitors(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    found: list[Choice] = []
    starts = set(state.line.from_ports)
    for program in reading.found.programs():
        for position, track in enumerate(program.tracks, start=1):
            if track.input is None or not starts & _sources_of(reading, track.input):
                continue
            label = f"{program.name} {position} {track.name}"
            on = track.monitored and not track.muted
            hear = SetValues(item=track.id, values={"monitored": True, "muted": False})
            stop = SetValues(item=track.id, values={"monitored": False})
            found.append(Choice(f"Monitor {label}", "monitored" if on else "not monitored", on, () if on else (hear,)))
            if on:
                found.append(Choice(f"Stop monitoring {label}", "recorded all the same", False, (stop,)))
    for start in state.line.from_ports:
        for edge in reading.graph.leaving.get(start, ()):
            box = reading.found.owner(edge.end)
            if isinstance(box, Interface):
                found += _direct_choices(reading, state, box, edge.end.number)
    return tuple(found)


def _direct_choices(reading: Reading, state: LineState, box: Interface, jack_in: int) -> list[Choice]:
    outs = sorted(
        {
            patch.from_port.number
            for patch in reading.rig.patches
            if patch.to_port in state.line.to_ports and patch.from_port.owner == box.id
        }
    )
    if not outs:
        return []
    now = {cross.jack_out for cross in box.direct if cross.jack_in == jack_in and not cross.muted}
    on = set(outs) <= now
    where = f"jack in {jack_in} at jack out {fold_numbers(outs)} of {box.name}"
    hear: tuple[Edit, ...] = tuple(SetDirect(interface=box.id, jack_in=jack_in, jack_out=out) for out in outs)
    stop: tuple[Edit, ...] = tuple(
        SetDirect(interface=box.id, jack_in=jack_in, jack_out=out, gain_db=None) for out in outs
    )
    found = [Choice(f"Directly, {where}", "on" if on else "off", on, () if on else hear)]
    if now & set(outs):
        found.append(Choice(f"Stop direct monitoring of {where}", "", False, stop))
    return found


def _sources_of(reading: Reading, item: str) -> set[Port]:
    """The source ports that reach a program's input by leads and converters."""
    placed = reading.found.items[item]
    found: set[Port] = set()
    if not isinstance(placed.item, ProgramPort):
        return found
    for leg in range(1, len(placed.item.legs) + 1):
        for taken in reading.graph.into(Port(item, "input", leg)):
            for converted in reading.graph.into(taken.start):
                found |= {lead.start for lead in reading.graph.into(converted.start)}
    return found


def _destinations(reading: Reading, state: LineState) -> tuple[Choice, ...]:
    leads = {patch.to_port: patch for patch in reading.rig.patches}
    found = []
    for gear in reading.found.gear.values():
        if not isinstance(gear, Destination):
            continue
        ports = tuple(Port(gear.id, "in", number) for number in range(1, gear.width + 1))
        jacks = [leads[port].from_port for port in ports if port in leads]
        note = f"on {reading.found.say(jacks[0])}" if jacks else "not plugged in"
        found.append(_set_line(gear.name, note, state.line.to_ports == ports, state, "to_ports", ports))
    for port in state.line.to_ports[:1]:
        heard_at = reading.found.gear.get(port.owner)
        if not isinstance(heard_at, Destination):
            continue
        gear = heard_at
        for box in reading.found.interfaces():
            for first in range(1, box.jack_out - gear.width + 2, gear.width):
                starts = [Port(box.id, "jack_out", first + leg) for leg in range(gear.width)]
                ends = [Port(gear.id, "in", 1 + leg) for leg in range(gear.width)]
                now = [leads[end].from_port if end in leads else None for end in ends] == starts
                plug: tuple[Edit, ...] = tuple(
                    Plug(from_port=start, to_port=end, replace=True) for start, end in zip(starts, ends, strict=True)
                )
                label = f"{gear.name} on {box.name} out {fold_numbers([start.number for start in starts])}"
                found.append(Choice(label, "plugged" if now else "", now, () if now else plug))
    return tuple(found)
