"""Sounds that are to pass a program on their way to another: a strip for each in the first, a cable from there."""

from iskelo.core.edits.additions import AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.by_cables import cross_by_cables
from iskelo.core.planner.cable_rooms import Wanted
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.search import arriving, joined, mixed_up
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.rig import Line


def join_by_programs(reading: Reading, only: str | None = None) -> tuple[Joining, Reading] | None:
    """Bring sources to tracks through another program that their lines name: over a strip of it, then by a cable.

    Returns
    -------
    tuple of Joining and Reading, or None
        The edits, with the rig as it is then; None if there are no such lines, or none can be served so.
    """
    made = Joinings(reading)
    for line in reading.rig.lines:
        passed = _passed(made.reading.found, line) if only in (None, line.id) else None
        if passed is None or line.id in arriving(made.reading):
            continue
        try:
            found = _through(made.reading, line, passed)
        except Refused:
            continue
        if found is not None:
            made.take(*found)
    return made.found()


def _passed(found: Index, line: Line) -> Program | None:
    """The one program that a record line passes by name on its way from a source to another program's track."""
    ends = {found.gear_of(port.owner) for port in line.to_ports}
    named = [gear for each in line.through if isinstance(gear := found.gear[found.gear_of(each)], Program)]
    of_source = all(port.bank == "out" for port in line.from_ports)
    if line.purpose != "record" or line.mixed or not of_source or len(named) != 1 or named[0].id in ends:
        return None
    return named[0]


def _through(reading: Reading, line: Line, program: Program) -> tuple[Joining, Reading] | None:
    """Bring a line to a strip of a program, and from there to its track; raises Refused if an edit cannot be."""
    before, made = reading, Joinings(reading)
    strip = _strip_of(reading, line, program)
    if strip is None:
        name = free_name(before.found.name(line.from_ports[0].owner), [each.name for each in program.tracks])
        # Its id is known when it is made; later steps are for the rig as it is then.
        add = AddTracks(program=program.id, names=(name,), width=len(line.from_ports), armed=False, ids=(new(1),))
        after = read(apply(reading.rig, (add,)).rig, reading)
        made.take(Joining((add,), (f"Add a track {name}",), (program.name,)), after)
        strip = _tracks(after, program)[-1]
    to_strip = tuple(Port(strip.id, "track", leg) for leg in range(1, strip.width + 1))
    part = line.model_copy(update={"to_ports": to_strip, "through": (), "never_by": (), "longest_delay_ms": None})
    instead = tuple(part if each.id == line.id else each for each in made.reading.rig.lines)
    found = joined(read(made.reading.rig.model_copy(update={"lines": instead})), part)
    if found is not None:
        made.take(found[0], read(apply(made.reading.rig, found[0].edits).rig, made.reading))
    monitored: tuple[Edit, ...] = (SetValues(item=strip.id, values={"monitored": True, "muted": False}),)
    made.take(
        Joining(monitored, (f"Monitor track {strip.name}",), (program.name,)),
        read(apply(made.reading.rig, monitored).rig, made.reading),
    )
    across = _across(made.reading, line, strip.id)
    crossed = cross_by_cables(made.reading, [across]) if across is not None else None
    if crossed is None:
        return None
    made.take(*crossed)
    served = arriving(before) | {line.id} <= arriving(made.reading)
    return made.found() if served and mixed_up(made.reading) <= mixed_up(before) else None


def _tracks(reading: Reading, program: Program) -> tuple[Track, ...]:
    now = reading.found.gear[program.id]
    assert isinstance(now, Program)
    return now.tracks


def _strip_of(reading: Reading, line: Line, program: Program) -> Track | None:
    """Find the track of a program that has this sound already, or where another line wants it; else a free one."""
    recorded = [each for each in reading.rig.lines if each.purpose == "record" and each.to_ports]
    wanted = {each.to_ports[0].owner for each in recorded if each.from_ports == line.from_ports}
    taken = {each.to_ports[0].owner for each in recorded}
    sounding = {port.owner for port in reading.known.sound(line.from_ports[0]).by if port.bank == "monitor"}
    fitting = [each for each in program.tracks if each.width == len(line.from_ports) and each.far_end is None]
    known = next((each for each in fitting if each.id in wanted | sounding), None)
    free = (each for each in fitting if each.id not in taken and not reading.sounding_in(each.id))
    return known or next(free, None)


def _across(reading: Reading, line: Line, strip: str) -> Wanted | None:
    """Say what is to cross from the strip to the line's track, as the programs are now."""
    start, end = reading.found.items[strip], reading.found.items[line.to_ports[0].owner]
    if not isinstance(start.item, Track) or not isinstance(end.item, Track):
        return None
    return Wanted(reading.traced[line.id].state, start.program, start.item, end.program, end.item)
