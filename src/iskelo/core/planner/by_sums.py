"""Several sounds wanted at one track, or by one far end: a mix of them in its program, with a strip for each.

They are wanted by lines of their own, or by one line that has several sources.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from string import ascii_lowercase

from iskelo.core.edits.additions import AddBuses, AddSends, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.search import arriving, joined, mixed_up
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, Track
from iskelo.core.rig.rig import Line, Rig
from iskelo.core.rig.text import few, fold_names
from iskelo.core.routes.route import passing_routes


def join_by_sums(reading: Reading, only: str | None = None) -> tuple[Joining, Reading] | None:
    """Mix what is wanted together: lines of several sources that end at one track and are not to be alone there.

    ``only``: the one line of several sources that is asked for.

    Returns
    -------
    tuple of Joining and Reading, or None
        The edits, with the rig as it is then; None if there are no such lines, or none can be served so.
    """
    made = Joinings(reading)
    for lines in _groups(reading):
        found = _mixed(made.reading, lines) if only is None or only in {line.id for line in lines} else None
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
        if track is not None and (track[1].far_end is not None or not line.alone or line.mixed):
            groups.setdefault(track[1].id, []).append(line)
    sounding = arriving(reading)
    return [
        lines
        for lines in groups.values()
        if len({port.owner for line in lines for port in line.from_ports}) > 1
        and any(line.id not in sounding for line in lines)
    ]


def _parts(lines: Iterable[Line]) -> list[Line]:
    """Make a line of each sound that these want, each sound once."""
    parts: dict[tuple[Port, ...], Line] = {}
    for line in lines:
        for place, sound in enumerate(line.sounds()):
            # Such a line is never kept; its number is that of the line that it is a part of.
            letters = ascii_lowercase[place // 26] + ascii_lowercase[place % 26]
            identity = f"{letters}{line.id.lstrip(ascii_lowercase)}"
            update = {"id": identity, "name": identity, "from_ports": sound, "mixed": False}
            parts.setdefault(sound, line.model_copy(update=update) if line.mixed else line)
    return list(parts.values())


def _track(reading: Reading, line: Line) -> tuple[Program, Track] | None:
    """The track where all of a line ends, if it has no mix yet or one that can have more; None for any other line."""
    owners = {port.owner for port in line.to_ports}
    placed = reading.found.items.get(next(iter(owners), "")) if len(owners) == 1 and line.from_ports else None
    if placed is None or not isinstance(placed.item, Track):
        return None
    mix = reading.found.mix_of(placed.item.id)
    # What is wanted by lines of their own and comes by a bus has its mix already.
    if mix is not None and not (line.mixed and isinstance(mix, Bus)):
        return None
    return placed.program, placed.item


def _mixed(reading: Reading, lines: list[Line]) -> tuple[Joining, Reading] | None:
    """Make the mix of these lines in their program; None if that cannot be, or takes away what arrives.

    A sound that is recorded on a track of its own is sent from there, if that mixes nothing up; else it gets a strip.
    """
    there = _track(reading, lines[0])
    assert there is not None
    program, track = there
    mix = reading.found.mix_of(track.id)
    parts = [part for part in _parts(lines) if mix is None or not _reaches(reading, part)]
    own = _own_tracks(reading, program, track, parts)
    for sent_from in (own, {}) if own else ({},):
        try:
            found = _by_strips(reading, _Wanted(program, track, mix, lines, parts, sent_from))
        except Refused:
            continue
        if found is not None:
            return found
    return None


@dataclass(frozen=True, slots=True)
class _Wanted:
    """Says what a track is to take: the sounds of its lines that it lacks, in the mix that it takes if it has one.

    ``own``: by part the track on which its sound is recorded by itself.
    """

    program: Program
    track: Track
    mix: Bus | None
    lines: list[Line]
    parts: list[Line]
    own: dict[str, str]


def _own_tracks(reading: Reading, program: Program, track: Track, parts: list[Line]) -> dict[str, str]:
    """Find, by part, the other track of the program where a line ends that wants this very sound alone."""
    tracks = {each.id: each for each in program.tracks if each.id != track.id and each.far_end is None}
    alone = {
        line.from_ports: line.to_ports[0].owner
        for line in reading.rig.lines
        if line.purpose == "record" and not line.mixed and line.to_ports and line.to_ports[0].owner in tracks
    }
    return {
        part.id: alone[part.from_ports]
        for part in parts
        if part.from_ports in alone and tracks[alone[part.from_ports]].width == len(part.from_ports)
    }


def _by_strips(reading: Reading, wanted: _Wanted) -> tuple[Joining, Reading] | None:
    """Find what brings every sound to a strip, and the strips to the mix; raises Refused if an edit cannot be."""
    program, track, mix = wanted.program, wanted.track, wanted.mix
    called = track.name if track.name.casefold().startswith("mix") else f"Mix for {track.name}"[:70]
    name = mix.name if mix is not None else free_name(called, [bus.name for bus in program.buses])
    begun, made, strips = _begun(reading.rig, wanted, "" if mix is not None else name)
    served = _served(begun, {line.id for line in wanted.lines}, wanted.parts, strips)
    if served is None:
        return None
    bus = mix.id if mix is not None else _program(begun, program.id).buses[-1].id
    new = [strip for part, strip in strips.items() if part not in wanted.own]
    sent = [strip for part, strip in strips.items() if part in wanted.own]
    given: list[Edit] = [
        SetValues(item=strip, values={"output": bus, "monitored": True, "armed": False}) for strip in new
    ]
    given += [SetValues(item=strip, values={"monitored": True}) for strip in sent]
    given += [AddSends(program=program.id, items=tuple(sent), to=bus)] if sent else []
    if mix is None:
        given.append(SetValues(item=track.id, values={"input": bus, "armed": True}))
    edits = (*made, *served.edits, *given)
    after = read(apply(reading.rig, edits).rig, reading)
    if not arriving(reading) | {line.id for line in wanted.lines} <= arriving(after):
        return None
    if sent and not mixed_up(after) <= mixed_up(reading):
        return None
    return _told(reading, wanted, served, edits, name), after


def _told(reading: Reading, wanted: _Wanted, served: Joining, edits: tuple[Edit, ...], name: str) -> Joining:
    """Say the mix as commands."""
    said = {part.id: reading.found.name(part.from_ports[0].owner) for part in wanted.parts}
    strips = few(fold_names(name for part, name in said.items() if part not in wanted.own))
    sent = few(fold_names(reading.found.name(track) for track in wanted.own.values()))
    begin = f"Make a mix {name}" if wanted.mix is None else ""
    if strips:
        begin = f"{begin}, with a strip for each of {strips}" if begin else f"Give {strips} a strip, into {name}"
    words = [*([begin] if begin else []), *served.words]
    words += [f"Monitor {sent} and send them to {name}"] if sent else []
    if wanted.mix is None:
        target = "the far end" if wanted.track.far_end is not None else f"track {wanted.track.name}"
        words.append(f"Let {target} take it")
    places = [wanted.program.name] * len(words)
    first = 1 if begin else 0
    places[first : first + len(served.words)] = served.places
    return Joining(edits, tuple(words), tuple(places))


def _reaches(reading: Reading, part: Line) -> bool:
    """Tell whether a sound of a mix arrives whole."""
    return all(passing_routes(reading.graph, start, end) for start, end in part.pairs())


def _begun(rig: Rig, wanted: _Wanted, name: str) -> tuple[Rig, list[Edit], dict[str, str]]:
    """Give the rig with the mix, if it has a ``name``, and a strip for each sound; the edits that make these; and, by
    part, the id of its strip.
    """
    program = wanted.program
    edits: list[Edit] = [AddBuses(program=program.id, names=(name,), width=wanted.track.width)] if name else []
    taken = [each.name for each in program.tracks]
    parts = [part for part in wanted.parts if part.id not in wanted.own]
    for part in parts:
        taken.append(free_name(index(rig).name(part.from_ports[0].owner), taken))
        edits.append(AddTracks(program=program.id, names=(taken[-1],), width=len(part.from_ports), armed=False))
    begun = apply(rig, tuple(edits)).rig
    new = _program(begun, program.id).tracks[len(program.tracks) :]
    strips = {part.id: strip.id for part, strip in zip(parts, new, strict=True)}
    return begun, edits, {part.id: wanted.own.get(part.id) or strips[part.id] for part in wanted.parts}


def _program(rig: Rig, identity: str) -> Program:
    program = index(rig).gear[identity]
    assert isinstance(program, Program)
    return program


def _served(rig: Rig, instead_of: set[str], parts: list[Line], strips: dict[str, str]) -> Joining | None:
    """Find what brings each sound to its own strip, as if it were to end there and not where its line ends; None if one
    cannot be brought there.
    """
    wanted = [_ending_at(part, strips[part.id]) for part in parts]
    others = (line for line in rig.lines if line.id not in instead_of)
    made = Joinings(read(rig.model_copy(update={"lines": (*others, *wanted)})))
    for line in wanted:
        found = join_by_cables(made.reading, line.id) or joined(made.reading, line)
        if found is not None:
            made.take(*found)
        elif line.id not in arriving(made.reading):
            return None
    return made.made()


def _ending_at(part: Line, strip: str) -> Line:
    """Make the line that it would be if it were recorded on a strip."""
    ports = tuple(Port(strip, "track", leg) for leg in range(1, len(part.from_ports) + 1))
    return part.model_copy(update={"to_ports": ports, "purpose": "record", "longest_delay_ms": None})
