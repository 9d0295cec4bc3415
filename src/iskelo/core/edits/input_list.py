"""An input list as a technician keeps it: each row becomes edits, or is refused with its reason.

Rows are worked through in order, each on the rig as the good rows before it left it.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import AddLine, AddProgramPorts, AddSources, AddTracks, Edit, Plug, SetJack, SetValues
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.rig import Index, Purpose, Rig, index
from iskelo.core.rig.text import clean_name
from iskelo.core.rig.value import Value

_Do = Callable[[Edit], None]

_PURPOSES: dict[str, Purpose] = {
    "": "record",
    "r": "record",
    "rec": "record",
    "record": "record",
    "recording": "record",
    "l": "listen",
    "listen": "listen",
    "hear": "listen",
    "heard": "listen",
    "monitor": "listen",
}


class InputRow(Value):
    """One row of an input list, as typed; ``number`` is its row in the file."""

    number: int = 0
    name: str = ""
    source: str = ""
    box_input: str = ""
    track: str = ""
    purpose: str = ""
    limit: str = ""


@dataclass(frozen=True, slots=True)
class RowOutcome:
    """What became of a row: its edits in words, or the field and reason for which it was refused."""

    number: int
    accepted: bool
    words: str
    field: str
    reason: str


@dataclass(frozen=True, slots=True)
class ListPlan:
    """The edits of the good rows, in order, and what became of every row."""

    edits: tuple[Edit, ...]
    rows: tuple[RowOutcome, ...]


class _BadRow(ValueError):
    def __init__(self, field: str, reason: str) -> None:
        super().__init__(reason)
        self.field = field
        self.reason = reason


def plan_rows(rig: Rig, rows: tuple[InputRow, ...]) -> ListPlan:
    """Turn rows into edits; a bad row stops none of the others.

    Sources and tracks that do not exist yet are made; a track made for a row with a box input gets an input
    on the same channel.
    """
    edits: list[Edit] = []
    outcomes: list[RowOutcome] = []
    for row in rows:
        try:
            made, after, words = _row(rig, row)
        except _BadRow as bad:
            outcomes.append(RowOutcome(row.number, False, "", bad.field, bad.reason))
        except Refused as refused:
            outcomes.append(RowOutcome(row.number, False, "", "", f"{refused.place}: {refused.reason}"))
        else:
            rig = after
            edits += made
            outcomes.append(RowOutcome(row.number, True, words, "", ""))
    return ListPlan(tuple(edits), tuple(outcomes))


def _row(rig: Rig, row: InputRow) -> tuple[list[Edit], Rig, str]:
    name = _name(row.name or row.source, "name" if row.name.strip() or not row.source.strip() else "source")
    if any(line.name.casefold() == name.casefold() for line in rig.lines):
        raise _BadRow("name", f"there is a line {name} already")
    purpose = _PURPOSES.get(row.purpose.strip().casefold())
    if purpose is None:
        raise _BadRow("purpose", f"{row.purpose.strip()!r} is no purpose; say record or listen")
    limit_ms = _limit(row.limit)
    made: list[Edit] = []
    words: list[str] = []

    def do(edit: Edit) -> None:
        nonlocal rig
        step = apply(rig, (edit,))
        rig = step.rig
        made.append(edit)
        words.append(step.words)

    source = _source(index(rig), _name(row.source, "source"))
    if source is None:
        do(AddSources(names=(_name(row.source, "source"),)))
        source = _source(index(rig), _name(row.source, "source"))
    assert source is not None
    box, jack = _jack(index(rig), row.box_input)
    if box is not None:
        _plug(rig, source, box, jack, do)
    starts = tuple(Port(source.id, "out", number) for number in range(1, source.width + 1))
    ends = _record_at(rig, row, source, box, jack, do) if purpose == "record" else _heard_at(index(rig), row.track)
    do(AddLine(name=name, purpose=purpose, from_ports=starts, to_ports=ends, longest_delay_ms=limit_ms))
    return made, rig, "; ".join(words)


def _name(text: str, field: str) -> str:
    if not text.strip():
        raise _BadRow(field, f"the {field} is missing")
    try:
        return clean_name(text)
    except ValueError as error:
        raise _BadRow(field, str(error)) from None


def _limit(text: str) -> float | None:
    cleaned = text.strip().casefold().removesuffix("ms").strip().replace(",", ".")
    if not cleaned:
        return None
    if not re.fullmatch(r"\d{1,5}(\.\d+)?", cleaned) or float(cleaned) <= 0 or float(cleaned) > 60_000:
        raise _BadRow("limit", f"{text.strip()!r} is no delay in milliseconds; say for example 10")
    return float(cleaned)


def _source(found: Index, name: str) -> Source | None:
    for gear in found.gear.values():
        if gear.name.casefold() == name.casefold():
            if isinstance(gear, Source):
                return gear
            raise _BadRow("source", f"{gear.name} is no source but other gear of this rig")
    return None


def _jack(found: Index, text: str) -> tuple[Interface | None, int]:
    """The box and jack a cell names: '3', 'Corvane 8 / 3', 'corvane 3'."""
    if not text.strip():
        return None, 0
    match = re.fullmatch(r"(.*?)[\s/:.,#-]*(\d{1,4})", text.strip())
    boxes = found.interfaces()
    if match is None:
        raise _BadRow("box input", f"{text.strip()!r} names no input jack; say its number, or box and number")
    wanted, number = match[1].strip().casefold(), int(match[2])
    if not boxes:
        raise _BadRow("box input", "there is no interface in this rig yet; add one on Gear")
    fitting = [box for box in boxes if box.name.casefold().startswith(wanted)] if wanted else boxes
    if not fitting:
        raise _BadRow("box input", f"there is no interface {match[1].strip()!r}")
    if len(fitting) > 1:
        names = ", ".join(box.name for box in fitting)
        raise _BadRow("box input", f"say which box: {names}")
    if not 1 <= number <= fitting[0].jack_in:
        raise _BadRow("box input", f"{fitting[0].name} has no jack in {number}; it has {fitting[0].jack_in}")
    return fitting[0], number


def _plug(rig: Rig, source: Source, box: Interface, jack: int, do: _Do) -> None:
    found = index(rig)
    plugged = {patch.to_port: patch.from_port for patch in rig.patches}
    for leg in range(source.width):
        start, end = Port(source.id, "out", leg + 1), Port(box.id, "jack_in", jack + leg)
        if not found.exists(end):
            raise _BadRow("box input", f"{source.name} is stereo and {box.name} ends at jack {box.jack_in}")
        there = plugged.get(end)
        if there is not None and there != start:
            raise _BadRow("box input", f"{found.say(end)} already takes {found.say(there)}")
        if there is None:
            do(Plug(from_port=start, to_port=end))
            if source.needs_phantom and end.number <= box.able_jacks("phantom"):
                do(SetJack(interface=box.id, jack_in=end.number, phantom=True))


def _record_at(rig: Rig, row: InputRow, source: Source, box: Interface | None, jack: int, do: _Do) -> tuple[Port, ...]:
    found = index(rig)
    programs = [program for program in found.programs() if box is None or _takes_from(found, program, box)]
    if not programs:
        raise _BadRow("track", "there is no recorder on that box; add one on Gear")
    program, wanted = programs[0], row.track.strip() or source.name
    track = _track(programs, wanted)
    numbers = index(rig).rig.next_number
    channel = None
    if box is not None and jack <= box.capture:
        channel = found.channel(program, Port(box.id, "capture", jack))
    if track is None:
        if wanted.isdigit():
            raise _BadRow("track", f"{program.name} has no track {wanted}; it has {len(program.tracks)}")
        port_ids: tuple[str, ...] = ()
        if channel is not None:
            port_ids = (f"i{numbers}",)
            name = _name(wanted, "track")
            do(
                AddProgramPorts(
                    program=program.id, names=(name,), width=source.width, first_channel=channel, ids=port_ids
                )
            )
        track_id = f"t{numbers + 1}"
        do(
            AddTracks(
                program=program.id,
                names=(_name(wanted, "track"),),
                width=source.width,
                inputs=port_ids,
                ids=(track_id,),
            )
        )
        return tuple(Port(track_id, "track", leg) for leg in range(1, source.width + 1))
    if track.input is None and channel is not None:
        owner = next(each for each in programs if track in each.tracks)
        identity = f"i{numbers}"
        do(
            AddProgramPorts(
                program=owner.id, names=(track.name,), width=track.width, first_channel=channel, ids=(identity,)
            )
        )
        do(SetValues(item=track.id, values={"input": identity}))
    return tuple(Port(track.id, "track", leg) for leg in range(1, track.width + 1))


def _takes_from(found: Index, program: Program, box: Interface) -> bool:
    opening = found.opened.get(program.id)
    return opening is None or opening.to("capture", box.id) is not None


def _track(programs: list[Program], wanted: str) -> Track | None:
    for program in programs:
        for position, track in enumerate(program.tracks, start=1):
            if track.name.casefold() == wanted.casefold() or wanted == str(position):
                return track
    return None


def _heard_at(found: Index, text: str) -> tuple[Port, ...]:
    ends = [gear for gear in found.gear.values() if isinstance(gear, Destination)]
    wanted = text.strip().casefold()
    fitting = [gear for gear in ends if gear.name.casefold() == wanted] if wanted else ends
    if not ends:
        raise _BadRow("track", "there are no headphones or other destination in this rig yet; add them on Gear")
    if not fitting:
        raise _BadRow("track", f"there is no destination {text.strip()!r}; there is {', '.join(e.name for e in ends)}")
    if len(fitting) > 1:
        raise _BadRow("track", f"say where it is heard: {', '.join(gear.name for gear in fitting)}")
    return tuple(Port(fitting[0].id, "in", number) for number in range(1, fitting[0].width + 1))
