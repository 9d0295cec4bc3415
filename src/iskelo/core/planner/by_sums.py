"""Several sounds wanted at one track, or by one far end: a mix of them in its program, with a strip for each."""

from iskelo.core.edits.additions import AddBuses, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.search import Joining, arriving, joined
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
    edits: list[Edit] = []
    words: list[str] = []
    places: list[str] = []
    for lines in _groups(reading):
        found = _mixed(reading, lines)
        if found is not None:
            joining, reading = found
            edits += joining.edits
            words += joining.words
            places += joining.places
    return (Joining(tuple(edits), tuple(words), tuple(places)), reading) if edits else None


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
    """The track where all of a line ends, which takes no bus yet; None for any other line."""
    owners = {port.owner for port in line.to_ports}
    placed = reading.found.items.get(next(iter(owners), "")) if len(owners) == 1 and line.from_ports else None
    if placed is None or not isinstance(placed.item, Track):
        return None
    buses = {bus.id for bus in placed.program.buses}
    return None if placed.item.input in buses else (placed.program, placed.item)


def _mixed(reading: Reading, lines: list[Line]) -> tuple[Joining, Reading] | None:
    """The mix of these lines in their program; None if that cannot be, or takes away what arrives."""
    there = _track(reading, lines[0])
    assert there is not None
    program, track = there
    name = free_name(f"Mix for {track.name}"[:70], [bus.name for bus in program.buses])
    made, strips = _strips(reading.rig, program, track, lines, name)
    try:
        begun = apply(reading.rig, tuple(made)).rig
        served = _served(begun, lines, strips)
    except Refused:
        return None
    if served is None:
        return None
    bus = index(begun).gear[program.id]
    assert isinstance(bus, Program)
    given: list[Edit] = [
        SetValues(item=strip, values={"output": bus.buses[-1].id, "monitored": True, "armed": False})
        for strip in strips.values()
    ]
    given.append(SetValues(item=track.id, values={"input": bus.buses[-1].id, "armed": True}))
    try:
        after = read(apply(reading.rig, (*made, *served.edits, *given)).rig, reading)
    except Refused:
        return None
    if not arriving(reading) | {line.id for line in lines} <= arriving(after):
        return None
    target = "the far end" if track.far_end is not None else f"track {track.name}"
    names = few(reading.found.name(line.from_ports[0].owner) for line in lines)
    said = (f"Make a mix {name}, with a strip for each of {names}", f"Let {target} take it")
    joining = Joining(
        (*made, *served.edits, *given),
        (said[0], *served.words, said[1]),
        (program.name, *served.places, program.name),
    )
    return joining, after


def _strips(
    rig: Rig, program: Program, track: Track, lines: list[Line], name: str
) -> tuple[list[Edit], dict[str, str]]:
    """The edits that make a strip for each source and the mix; and the strip of each line, by their ids."""
    edits: list[Edit] = [AddBuses(program=program.id, names=(name,), width=track.width)]
    taken = [each.name for each in program.tracks]
    for line in lines:
        source = index(rig).name(line.from_ports[0].owner)
        taken.append(free_name(source, taken))
        width = len(line.from_ports)
        edits.append(AddTracks(program=program.id, names=(taken[-1],), width=width, armed=False))
    after = index(apply(rig, tuple(edits)).rig).gear[program.id]
    assert isinstance(after, Program)
    new = after.tracks[len(program.tracks) :]
    return edits, {line.id: strip.id for line, strip in zip(lines, new, strict=True)}


def _served(rig: Rig, lines: list[Line], strips: dict[str, str]) -> Joining | None:
    """What brings each line to its own strip, were that its end; None if one cannot be brought there."""
    widths = {line.id: len(line.from_ports) for line in lines}
    ended = tuple(
        line.model_copy(
            update={
                "to_ports": tuple(Port(strips[line.id], "track", leg) for leg in range(1, widths[line.id] + 1)),
                "purpose": "record",
                "longest_delay_ms": None,
            }
        )
        if line.id in strips
        else line
        for line in rig.lines
    )
    reading = read(rig.model_copy(update={"lines": ended}))
    edits: list[Edit] = []
    words: list[str] = []
    places: list[str] = []
    for line in (each for each in ended if each.id in strips):
        found = join_by_cables(reading, line.id) or joined(reading, line)
        if found is None:
            if line.id in arriving(reading):
                continue
            return None
        joining, reading = found
        edits += joining.edits
        words += joining.words
        places += joining.places
    return Joining(tuple(edits), tuple(words), tuple(places))
