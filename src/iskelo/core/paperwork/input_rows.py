"""The input list of a rig: what is plugged where, recorded on which track and heard at what; it can be read again."""

from iskelo.core.edits.input_list import InputRow
from iskelo.core.paperwork.sheet import SheetTable, table
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.rig import Line
from iskelo.core.rig.units import say_figure

TITLES = ("Name", "Source", "Box input", "Track", "Heard at", "Purpose", "Limit ms", "Phantom", "Through")
FIELDS = ("name", "source", "box_input", "track", "heard_at", "purpose", "limit", "phantom", "through")
"""The fields of a row, in the order of their titles."""


def input_rows(found: Index) -> tuple[InputRow, ...]:
    """A row for each line that begins at one source.

    One that is recorded and heard from the same source, under names that go together, is one row as it was typed.
    """
    lines = [line for line in found.rig.lines if _source(found, line) is not None]
    heard = {
        (line.name.casefold(), line.from_ports): line
        for line in lines
        if line.purpose == "listen" and line.name.casefold().endswith(", heard")
    }
    merged: set[str] = set()
    rows = []
    for line in lines:
        both = heard.get((f"{line.name}, heard".casefold(), line.from_ports)) if line.purpose == "record" else None
        apart = both is not None and (line.longest_delay_ms is not None or both.through != line.through)
        if both is not None and (_heard_at(found, both) == "" or apart):
            both = None
        if both is not None:
            merged.add(both.id)
        rows.append((line, both))
    return tuple(_row(found, line, both) for line, both in rows if line.id not in merged)


def _source(found: Index, line: Line) -> Source | None:
    owner = found.gear.get(line.from_ports[0].owner) if line.from_ports and not line.mixed else None
    return owner if isinstance(owner, Source) else None


def _row(found: Index, line: Line, both: Line | None) -> InputRow:
    source = _source(found, line)
    assert source is not None
    limit = both.longest_delay_ms if both is not None else line.longest_delay_ms
    return InputRow(
        name=line.name,
        source=source.name,
        box_input=_plugged(found, source.id),
        track=found.name(line.to_ports[0].owner) if line.purpose == "record" and line.to_ports else "",
        heard_at=_heard_at(found, both or line) if both is not None or line.purpose == "listen" else "",
        purpose=line.purpose,
        limit=say_figure(limit) if limit is not None else "",
        phantom="yes" if source.needs_phantom else "no",
        through=found.say_passed(line.through),
    )


def _plugged(found: Index, source: str) -> str:
    """The jack of the source's first leg, as a list tells it: 'Corvane 8 / 3'."""
    for patch in found.rig.patches:
        box = found.gear.get(patch.to_port.owner)
        if patch.from_port[:3] == (source, "out", 1) and isinstance(box, Interface):
            return f"{box.name} / {patch.to_port.number}"
    return ""


def _heard_at(found: Index, line: Line) -> str:
    owners = {port.owner for port in line.to_ports}
    gear = found.gear.get(owners.pop()) if len(owners) == 1 else None
    return gear.name if isinstance(gear, Destination) else ""


def input_table(found: Index) -> SheetTable:
    """The input list as a table."""
    columns = (
        "Name 1.5 | Source 1.3 | Box input 1.2 | Track 1.2 | Heard at 1.2 | Purpose 0.8 | Limit ms 0.7 > | "
        "Phantom 0.7 | Through 1"
    )
    rows = (tuple(getattr(row, field) for field in FIELDS) for row in input_rows(found))
    return table("Input list", columns, rows, "no line begins at a source yet")


def input_notes(found: Index) -> tuple[str, ...]:
    """What is not on the list."""
    left = [line for line in found.rig.lines if _source(found, line) is None]
    mixed = sum(line.mixed for line in left)
    inside = len(left) - mixed
    told = [f"{inside} line{'s that begin' if inside > 1 else ' that begins'} in programs"] if inside else []
    told += [f"{mixed} line{'s' if mixed > 1 else ''} of several sources"] if mixed else []
    them = "is not on it; the line list has it" if len(left) == 1 else "are not on it; the line list has them"
    return (f"{' and '.join(told)} {them}.",) if told else ()
