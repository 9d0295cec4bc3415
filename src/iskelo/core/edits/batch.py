"""Many lines at once: from these sources, recorded there, heard there, named so, within so long."""

import re

from iskelo.core.edits.additions import AddLine, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit
from iskelo.core.edits.mixes_phrase import Sounding, beginnings
from iskelo.core.edits.new_things import new
from iskelo.core.edits.ports_phrase import Begin, Listener, destinations_phrase, tracks_phrase
from iskelo.core.edits.ways_phrase import ways_phrase
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Track
from iskelo.core.rig.rig import COMPUTER, Rig
from iskelo.core.rig.text import Typed, clean_name
from iskelo.core.rig.value import Value


class BatchRequest(Value):
    """A batch as typed; ``name`` may hold {n} for the line's number in the batch."""

    sources: Typed = ""
    record_to: Typed = ""
    heard_at: Typed = ""
    name: Typed = ""
    within: Typed = ""
    through: Typed = ""
    never_by: Typed = ""


def batch(rig: Rig, wanted: BatchRequest, sounding: Sounding) -> tuple[Edit, ...]:
    """The edits of a batch: new tracks, record lines, listen lines.

    ``sounding``: which source ports sound in a mix; a line that begins at one begins at all of them, and passes it.

    Raises
    ------
    Refused
        With the field (*From*, *Record to*, *Heard at*, *Name*, *Within*, *Through*, *Never by*) and the reason.
    """
    found = index(rig)
    sources = beginnings(found, wanted.sources, "From", sounding)
    if not wanted.record_to.strip() and not wanted.heard_at.strip():
        raise Refused("Record to", "say where they are recorded, or where they are heard")
    within_ms = _within(wanted.within)
    mixes = [source.through for source in sources if source.through]
    through = tuple(dict.fromkeys((*mixes, *ways_phrase(found, wanted.through, "Through"))))
    never_by = ways_phrase(found, wanted.never_by, "Never by", computer=True)
    names = [_name(wanted.name, source, number) for number, source in enumerate(sources, start=1)]
    edits: list[Edit] = []
    if wanted.record_to.strip():
        # What is recorded is in the computer in any case.
        if COMPUTER in never_by and not wanted.heard_at.strip():
            raise Refused("Never by", "what is recorded is in the computer; say so of what is heard")
        kept_from = tuple(each for each in never_by if each != COMPUTER)
        recorded = _recorded(rig, wanted.record_to, sources, names)
        way = {"through": through, "never_by": kept_from}
        edits += [each.model_copy(update=way) if isinstance(each, AddLine) else each for each in recorded]
    if wanted.heard_at.strip():
        ends = destinations_phrase(found, wanted.heard_at, "Heard at")
        edits += [
            AddLine(
                name=_heard_name(name, end, among=len(ends)),
                purpose="listen",
                from_ports=source.ports,
                mixed=source.mixed,
                to_ports=end.ports,
                longest_delay_ms=within_ms,
                through=through,
                never_by=never_by,
            )
            for end in ends
            for source, name in zip(sources, names, strict=True)
            # A far end is to hear everybody but itself.
            if len(ends) == 1 or not _is_own(found, end, source)
        ]
    apply(rig, tuple(edits))
    return tuple(edits)


def _heard_name(name: str, end: Listener, among: int) -> str:
    """What a listen line is called: for whom, or where there are several places, at which."""
    if end.is_ear:
        return f"{name}, for {end.name}"[:80]
    return (f"{name}, heard" if among == 1 else f"{name}, at {end.name}")[:80]


def _is_own(found: Index, end: Listener, source: Begin) -> bool:
    item = found.items[end.ports[0].owner].item if end.is_ear else None
    return isinstance(item, Track) and item.far_end == source.ports[0].owner


def _recorded(rig: Rig, text: str, sources: list[Begin], names: list[str]) -> list[Edit]:
    wanted = tracks_phrase(index(rig), text, "Record to")
    edits: list[Edit] = []
    targets: list[tuple[str, int]] = [(track.id, track.width) for track in wanted.tracks]
    if wanted.count is not None and wanted.count != len(sources):
        raise Refused("Record to", f"{len(sources)} sources and {wanted.count} new tracks: say one track for each")
    if wanted.new:
        taken = [track.name for track in wanted.program.tracks]
        for offset, (source, name) in enumerate(zip(sources, names, strict=True), start=1):
            identity = new(offset)
            track_name = free_name(name, taken)
            taken.append(track_name)
            made = AddTracks(program=wanted.program.id, names=(track_name,), width=source.width, ids=(identity,))
            edits.append(made)
            targets.append((identity, source.width))
    if len(targets) != len(sources):
        raise Refused("Record to", f"{len(sources)} sources and {len(targets)} tracks: say one track for each")
    for source, name, (track, width) in zip(sources, names, targets, strict=True):
        ends = tuple(Port(track, "track", leg) for leg in range(1, width + 1))
        edits.append(AddLine(name=name, from_ports=source.ports, mixed=source.mixed, to_ports=ends))
    return edits


def _name(pattern: str, source: Begin, number: int) -> str:
    if not pattern.strip():
        return source.name
    try:
        return clean_name(pattern.replace("{n}", str(number)))
    except ValueError as error:
        raise Refused("Name", str(error)) from None


def _within(text: str) -> float | None:
    cleaned = text.strip().casefold().removesuffix("ms").strip().replace(",", ".")
    if not cleaned:
        return None
    if not re.fullmatch(r"\d{1,5}(\.\d{1,6})?", cleaned) or not 0 < float(cleaned) <= 60_000:
        raise Refused("Within", f"{text.strip()!r} is no delay in milliseconds; type for example 10")
    return float(cleaned)
