"""Filling a column of lines ascending: jacks, program channels, tracks or output jacks, one after the other."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from iskelo.core.edits.additions import AddProgramPorts
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, Plug, Remove, SetJack, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Column, Port
from iskelo.core.rig.programs import Program, ProgramPort, Track
from iskelo.core.rig.rig import Line, Rig
from iskelo.core.rig.text import Ids, fold_numbers
from iskelo.core.rig.value import Value


class FillRequest(Value):
    """Which lines, in order, which column, from which number, and how far apart."""

    lines: Ids = ()
    column: Column = "program_in"
    start: Annotated[int, Field(ge=-1000, le=1000)] = 1
    step: Annotated[int, Field(ge=-1000, le=1000)] = 1


@dataclass(frozen=True, slots=True)
class Filling:
    """The edits of a fill, and the number or numbers each line gets, by its id."""

    edits: tuple[Edit, ...]
    numbers: dict[str, str]


def fill(rig: Rig, wanted: FillRequest) -> Filling:
    """The edits that give the lines of a column ascending numbers; a stereo line takes two of them.

    Raises
    ------
    Refused
        With the field (*Start*, *Step*, *Column*) or the line, and the reason.
    """
    if not 1 <= wanted.start <= 128:
        raise Refused("Start", f"{wanted.start} is no port number; say 1 to 128")
    if not 1 <= wanted.step <= 64:
        raise Refused("Step", f"{wanted.step} is no step; say 1 for every one, 2 for every second one")
    lines = {line.id: line for line in rig.lines}
    edits: list[Edit] = []
    told: dict[str, str] = {}
    number = wanted.start
    for identity in wanted.lines:
        line = lines.get(identity)
        if line is None:
            raise Refused(identity, "this line is gone; it may have been removed in another window")
        found = index(rig)
        # Of a mix every source has a jack of its own.
        width = max(1, len(line.from_ports) if wanted.column == "box_in" else line.width)
        numbers = [number + wanted.step * leg for leg in range(width)]
        told[identity] = fold_numbers(numbers)
        made = _one(found, line, wanted.column, numbers)
        number += wanted.step * width
        if made:
            rig = apply(rig, made).rig
            edits += made
    if not edits:
        raise Refused("Column", "they ascend like this already")
    return Filling(tuple(edits), told)


def _one(found: Index, line: Line, column: Column, numbers: list[int]) -> tuple[Edit, ...]:
    match column:
        case "box_in" | "computer_in":
            return _jacks(found, line, numbers)
        case "program_in":
            return _channels(found, line, numbers)
        case "track" if line.purpose == "record":
            return _tracks(found, line, numbers[0])
        case "out" if line.purpose == "listen" and not line.at_track:
            return _outputs(found, line, numbers)
    raise Refused("Column", "only input jacks, program inputs, tracks of record lines and output jacks can be filled")


def _jacks(found: Index, line: Line, numbers: list[int]) -> tuple[Edit, ...]:
    mine = [patch for patch in found.rig.patches if patch.from_port in line.from_ports]
    boxes = [found.gear[patch.to_port.owner] for patch in mine] or list(found.hardware())
    if not line.from_ports or not boxes:
        raise Refused(line.name, "say its source first, and add an interface")
    box = boxes[0]
    if not isinstance(box, Interface):
        raise Refused(
            line.name, f"it is plugged into {box.name}, and comes to a box by that; plug that where it is wanted"
        )
    ends = [Port(box.id, "jack_in", number) for number in numbers]
    if not all(found.exists(end) for end in ends):
        raise Refused(line.name, f"{box.name} has no jack in {numbers[-1]}; it has {box.jack_in}")
    if [patch.to_port for patch in mine] == ends:
        return ()
    edits: list[Edit] = [Remove(items=tuple(patch.id for patch in mine))] if mine else []
    for start, end in zip(line.from_ports, ends, strict=True):
        edits.append(Plug(from_port=start, to_port=end, replace=True))
        source = found.gear.get(start.owner)
        if isinstance(source, Source) and source.needs_phantom and end.number <= box.able_jacks("phantom"):
            edits.append(SetJack(interface=box.id, jack_in=end.number, phantom=True))
    return tuple(edits)


def _program_of(found: Index, line: Line) -> tuple[Program, Track]:
    for port in line.to_ports:
        placed = found.items.get(port.owner)
        if placed is not None and isinstance(placed.item, Track):
            return placed.program, placed.item
    raise Refused(line.name, "it ends on no track, so it has no program input to fill")


def _channels(found: Index, line: Line, numbers: list[int]) -> tuple[Edit, ...]:
    program, track = _program_of(found, line)
    size = found.device(program)
    if size is not None and numbers[-1] > size.capture:
        raise Refused(line.name, f"{size.name} has no capture channel {numbers[-1]}; it has {size.capture}")
    placed = found.items.get(track.input or "")
    if placed is not None and isinstance(placed.item, ProgramPort):
        legs = placed.item.legs
        return tuple(
            SetLeg(item=placed.item.id, leg=leg, channel=number)
            for leg, number in enumerate(numbers[: len(legs)], start=1)
            if legs[leg - 1] != number
        )
    identity = new(1)
    made = AddProgramPorts(program=program.id, names=(track.name,), width=len(numbers), ids=(identity,))
    mapped = [SetLeg(item=identity, leg=leg, channel=number) for leg, number in enumerate(numbers, start=1)]
    return (made, *mapped, SetValues(item=track.id, values={"input": identity}))


def _tracks(found: Index, line: Line, number: int) -> tuple[Edit, ...]:
    programs = [found.owner(port) for port in line.to_ports] or list(found.programs())
    if not programs or not isinstance(programs[0], Program):
        raise Refused(line.name, "there is no recorder yet")
    program = programs[0]
    if number > len(program.tracks):
        raise Refused(line.name, f"{program.name} has no track {number}; it has {len(program.tracks)}")
    track = program.tracks[number - 1]
    ends = tuple(Port(track.id, "track", leg) for leg in range(1, track.width + 1))
    if ends == line.to_ports:
        return ()
    return (SetValues(item=line.id, values={"to_ports": [list(end) for end in ends]}),)


def _outputs(found: Index, line: Line, numbers: list[int]) -> tuple[Edit, ...]:
    ends = [port for port in line.to_ports if isinstance(found.gear.get(port.owner), Destination)]
    leads = {patch.to_port: patch.from_port for patch in found.rig.patches}
    boxes = [found.gear[leads[end].owner] for end in ends if end in leads] or list(found.hardware())
    if not ends or not boxes:
        raise Refused(line.name, "say where it is heard first, and add an interface")
    box = boxes[0]
    step = numbers[1] - numbers[0] if len(numbers) > 1 else 1
    starts = [Port(box.id, "jack_out", numbers[0] + step * leg) for leg in range(len(ends))]
    if not all(found.exists(start) for start in starts):
        raise Refused(line.name, f"{box.name} has no jack out {starts[-1].number}")
    return tuple(
        Plug(from_port=start, to_port=end, replace=True)
        for start, end in zip(starts, ends, strict=True)
        if leads.get(end) != start
    )
