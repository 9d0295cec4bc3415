"""Several sounds wanted at one track, or by one far end: a mix of them in its program, with a strip for each."""

from iskelo.core.edits.additions import AddBuses, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.search import arriving, joined
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.rig import Line, Rig
from iskelo.core.rig.text import few


def join_by_sums(reading: Reading) -> tuple[Joining, Reading] | None:
    """Mix what is wanted together: lines of several sources that end at one track and are not to be alone there.

    Returns
    -------
    tuple of Joining and Reading, or None
        The edits, with the rig as it is then; None if there are no such lines, or none can be served so.
    """
    made = Joinings(reading)
    for lines in _groups(reading):
        found = _mixed(made.reading, lines)
        if found is not None:
            made.take(*found)
    return made.found()


def _groups(reading: Reading) -> list[list[Line]]:
    """The lines by the track where they end, where there are several and not all arrive; what comes by a bus already
    has its mix.
    """
    groups: dict[str, list[Line]] = {}
    for line in reading.rig.lines:
        track = _track(reading, line)
        if track is not None and (track[1].far_end is not None or not line.alone):
            groups.setdefault(track[1].id, []).append(line)
    sounding = arriving(reading)
    return [
        lines
        for lines in groups.values()
        if len({line.from_ports[0].owner for line in lines}) > 1 and any(line.id not in sounding for line in lines)
    ]


def _track(reading: Reading, line: Line) -> tuple[Program, Track] | None:
    """The track where all of a line ends, which takes no mix yet; None for any other line."""
    owners = {port.owner for port in line.to_ports}
    placed = reading.found.items.get(next(iter(owners), "")) if len(owners) == 1 and line.from_ports else None
    if placed is None or not isinstance(placed.item, Track) or reading.found.mix_of(placed.item.id) is not None:
        return None
    return placed.program, placed.item


def _mixed(reading: Reading, lines: list[Line]) -> tuple[Joining, Reading] | None:
    """The mix of these lines in their program; None if that cannot be, or takes away what arrives."""
    there = _track(reading, lines[0])
    assert there is not None
    program, track = there
    name = free_name(f"Mix for {track.name}"[:70], [bus.name for bus in program.buses])
    try:
        begun, made, strips = _begun(reading.rig, program, track, lines, name)
        served = _served(begun, strips)
        if served is None:
            return None
        mix = _program(begun, program.id).buses[-1].id
        given: list[Edit] = [
            SetValues(item=strip, values={"output": mix, "monitored": True, "armed": False})
            for strip in strips.values()
        ]
        given.append(SetValues(item=track.id, values={"input": mix, "armed": True}))
        edits = (*made, *served.edits, *given)
        after = read(apply(reading.rig, edits).rig, reading)
    except Refused:
        return None
    if not arriving(reading) | strips.keys() <= arriving(after):
        return None
    names = few(reading.found.name(line.from_ports[0].owner) for line in lines)
    target = "the far end" if track.far_end is not None else f"track {track.name}"
    words = (f"Make a mix {name}, with a strip for each of {names}", *served.words, f"Let {target} take it")
    return Joining(edits, words, (program.name, *served.places, program.name)), after


def _begun(
    rig: Rig, program: Program, track: Track, lines: list[Line], name: str
) -> tuple[Rig, list[Edit], dict[str, str]]:
    """The rig with the mix and a strip for each source, the edits that make them, and by line the id of its strip."""
    edits: list[Edit] = [AddBuses(program=program.id, names=(name,), width=track.width)]
    taken = [each.name for each in program.tracks]
    for line in lines:
        taken.append(free_name(index(rig).name(line.from_ports[0].owner), taken))
        edits.append(AddTracks(program=program.id, names=(taken[-1],), width=len(line.from_ports), armed=False))
    begun = apply(rig, tuple(edits)).rig
    new = _program(begun, program.id).tracks[len(program.tracks) :]
    return begun, edits, {line.id: strip.id for line, strip in zip(lines, new, strict=True)}


def _program(rig: Rig, identity: str) -> Program:
    program = index(rig).gear[identity]
    assert isinstance(program, Program)
    return program


def _served(rig: Rig, strips: dict[str, str]) -> Joining | None:
    """Find what brings each line to its own strip, as if it were to end there; None if one cannot be brought there."""
    lines = tuple(_ending_at(line, strips[line.id]) if line.id in strips else line for line in rig.lines)
    made = Joinings(read(rig.model_copy(update={"lines": lines})))
    for line in (each for each in lines if each.id in strips):
        found = join_by_cables(made.reading, line.id) or joined(made.reading, line)
        if found is not None:
            made.take(*found)
        elif line.id not in arriving(made.reading):
            return None
    return made.made()


def _ending_at(line: Line, strip: str) -> Line:
    """Make the line that it would be if it were recorded on a strip."""
    ports = tuple(Port(strip, "track", leg) for leg in range(1, len(line.from_ports) + 1))
    return line.model_copy(update={"to_ports": ports, "purpose": "record", "longest_delay_ms": None})
