"""An input list as a technician keeps it: each row becomes edits, or is refused with its reason.

Rows are worked through in order, each on the rig as the good rows before it left it (``list_sheet``).
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Annotated, TypeVar

from pydantic import Field

from iskelo.core.edits.additions import AddLine
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit
from iskelo.core.edits.list_sheet import LINES_MAX, TRACKS_MAX, RowMade, Sheet, Start
from iskelo.core.edits.ports_phrase import listeners
from iskelo.core.edits.ways_phrase import ways_phrase
from iskelo.core.progress import Cancelled, Progress, go_on
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Purpose, Rig
from iskelo.core.rig.text import Typed, clean_name, fold_numbers, number_behind
from iskelo.core.rig.value import Value

T = TypeVar("T")

TOLD_EVERY = 20
"""So many rows lie between two words on how far a plan is."""

_PURPOSES: dict[str, Purpose] = {
    "": "record",
    "aufnahme": "record",
    "enregistrement": "record",
    "grabar": "record",
    "registrazione": "record",
    "opname": "record",
    "hören": "listen",
    "écoute": "listen",
    "escucha": "listen",
    "ascolto": "listen",
    "luisteren": "listen",
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


_YES = {
    *("yes", "y", "x", "on", "1", "true", "+", "48", "48v", "+48v", "p48", "phantom", "✓", "✔", "•"),
    *("ja", "j", "oui", "o", "si", "sì", "sí", "tak", "ano", "da"),
}
_NO = {"no", "n", "off", "0", "false", "-", "–", "—", "none", "nein", "non", "nee", "nej", "nie", "ne"}
"""What stands in a column of supplies, without case and spaces."""

RowNumber = Annotated[int, Field(ge=0, le=10_000_000)]


class InputRow(Value):
    """One row of an input list, as typed; ``number`` is its row in the file.

    What is recorded and has something in ``heard_at`` becomes two lines, the limit being that of the heard one.
    ``phantom`` says whether the source needs a supply; a new microphone does unless it is denied. ``through``: what all
    its lines are to pass, as a phrase.
    """

    number: RowNumber = 0
    name: Typed = ""
    source: Typed = ""
    box_input: Typed = ""
    track: Typed = ""
    heard_at: Typed = ""
    purpose: Typed = ""
    limit: Typed = ""
    phantom: Typed = ""
    through: Typed = ""


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


class _Faults:
    """Everything that is wrong with a row, not only what is found first."""

    def __init__(self) -> None:
        self.found: list[_BadRow] = []

    def of(self, part: Callable[[], T], instead: T) -> T:
        """A part of the row; where it is bad, that is kept and ``instead`` goes on for it."""
        try:
            return part()
        except _BadRow as bad:
            self.found.append(bad)
            return instead

    def tell(self) -> None:
        """Raises _BadRow with all that was found, at the field of the first."""
        if self.found:
            reasons = dict.fromkeys(bad.reason for bad in self.found)
            raise _BadRow(self.found[0].field, "; ".join(reasons))


def plan_rows(rig: Rig, rows: tuple[InputRow, ...], progress: Progress = go_on) -> ListPlan:
    """Turn rows into edits; a bad row stops none of the others.

    Sources and tracks that do not exist yet are made; a track made for a row with a box input gets an input
    on the same channel. The edits stand in the order of what they make, so that a long list is made at one stroke.

    Raises
    ------
    Cancelled
        When ``progress``, which is told the share of rows done, answers that the plan is not wanted any more.
    """
    sheet = Sheet(rig)
    numbered = _by_track_number(rows)
    outcomes: list[RowOutcome] = []
    for done, row in enumerate(rows):
        if done % TOLD_EVERY == 0 and not progress(done / len(rows)):
            raise Cancelled
        try:
            made = _row(sheet, row, numbered)
        except _BadRow as bad:
            outcomes.append(RowOutcome(row.number, False, "", bad.field, bad.reason))
        else:
            sheet.keep(made)
            outcomes.append(RowOutcome(row.number, True, "; ".join(made.words), "", ""))
    edits = sheet.edits()
    if edits:
        # What all rows together make is held against the rig's limits as any edit is.
        try:
            apply(rig, edits)
        except Refused as refused:
            reason = f"{refused.place}: {refused.reason}"
            return ListPlan((), tuple(replace(each, accepted=False, words="", reason=reason) for each in outcomes))
    return ListPlan(edits, tuple(outcomes))


Numbered = Mapping[int, tuple[InputRow, ...]]
"""The rows of a list by the number of the track they ask for, where they say one."""


def _by_track_number(rows: tuple[InputRow, ...]) -> Numbered:
    numbered: dict[int, tuple[InputRow, ...]] = {}
    for row in rows:
        number = _track_number(row.track.strip())
        if number is not None:
            numbered[number] = (*numbered.get(number, ()), row)
    return numbered


def _track_number(text: str) -> int | None:
    """The track that a bare number means; '007' is a name."""
    return int(text) if re.fullmatch(r"[1-9]\d{0,5}", text, re.ASCII) else None


def _row(sheet: Sheet, row: InputRow, numbered: Numbered) -> RowMade:
    faults, made = _Faults(), RowMade()
    named = "name" if row.name.strip() or not row.source.strip() else "source"
    name = faults.of(lambda: _free_name(sheet, _name(row.name or row.source, named)), "")
    purpose = faults.of(lambda: _purpose(row.purpose), "record")
    limit_ms = faults.of(lambda: _limit(row.limit), None)
    nowhere: tuple[Interface | None, int] = (None, 0)
    box, jack = faults.of(lambda: _jack(sheet.found, row.box_input), nowhere)
    heard = purpose == "record" and bool(row.heard_at.strip())
    if heard and name:
        faults.of(lambda: _free_name(sheet, f"{name}, heard"[:80]), "")
    ears = row.heard_at if heard or row.heard_at.strip() else row.track
    listens: tuple[Port, ...] = ()
    if heard or purpose == "listen":
        listens = faults.of(lambda: _heard_at(sheet.found, ears, "heard at" if row.heard_at.strip() else "track"), ())
    phantom = faults.of(lambda: _phantom(row.phantom), None)
    nothing: tuple[str, ...] = ()
    through = faults.of(lambda: _through(sheet.found, row.through), nothing)
    source = faults.of(lambda: _source(sheet, made, _name(row.source, "source"), phantom), None)
    if source is not None and box is not None:
        faults.of(lambda: _plug(sheet, made, source, box, jack), None)
    records: tuple[Port, ...] = ()
    if source is not None and purpose == "record":
        records = faults.of(lambda: _record_at(sheet, made, row, source, (box, jack), numbered), ())
    faults.tell()
    assert source is not None
    starts = tuple(Port(source.id, "out", number) for number in range(1, source.width + 1))
    ends = records if purpose == "record" else listens
    limit = None if heard else limit_ms
    line = AddLine(
        name=name, purpose=purpose, from_ports=starts, to_ports=ends, longest_delay_ms=limit, through=through
    )
    made.line(line)
    if heard:
        more = {"name": f"{name}, heard"[:80], "purpose": "listen", "to_ports": listens, "longest_delay_ms": limit_ms}
        made.line(line.model_copy(update=more))
    return made


def _free_name(sheet: Sheet, name: str) -> str:
    if name.casefold() in sheet.lines:
        raise _BadRow("name", f"there is a line {name} already")
    if len(sheet.lines) >= LINES_MAX:
        raise _BadRow("", f"a rig has {LINES_MAX} lines at most")
    return name


def _purpose(text: str) -> Purpose:
    purpose = _PURPOSES.get(text.strip().casefold())
    if purpose is None:
        raise _BadRow("purpose", f"{text.strip()!r} is no purpose; say record or listen")
    return purpose


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


def _through(found: Index, text: str) -> tuple[str, ...]:
    try:
        return ways_phrase(found, text, "through")
    except Refused as refused:
        raise _BadRow("through", refused.reason) from None


def _phantom(text: str) -> bool | None:
    """Whether a cell wants a phantom supply; None where it says nothing."""
    said = "".join(text.casefold().split())
    if said and said not in _YES | _NO:
        raise _BadRow("phantom", f"{text.strip()!r} is neither yes nor no")
    return said in _YES if said else None


def _source(sheet: Sheet, made: RowMade, name: str, phantom: bool | None) -> Start:
    there = sheet.sources.get(name.casefold())
    if there is not None:
        return there if phantom in (None, there.needs_phantom) else made.needs(there, bool(phantom))
    other = sheet.others.get(name.casefold())
    if other is not None:
        raise _BadRow("source", f"{other} is no source but other gear of this rig")
    # As a microphone that is typed.
    return made.new_source(sheet, name, needs_phantom=phantom is not False)


def _jack(found: Index, text: str) -> tuple[Interface | None, int]:
    """The box and jack a cell names: '3', 'Corvane 8 / 3', 'corvane 3'."""
    if not text.strip():
        return None, 0
    named = number_behind(text.strip(), "/:.,#-")
    boxes = [box for box in found.hardware() if box.jack_in]
    if named is None:
        raise _BadRow("box input", f"{text.strip()!r} names no input jack; say its number, or box and number")
    wanted, number = named[0].casefold(), named[1]
    if not boxes:
        raise _BadRow("box input", "there is no interface in this rig yet; add one on Gear")
    fitting = [box for box in boxes if box.name.casefold() == wanted] or [
        box for box in boxes if box.name.casefold().startswith(wanted)
    ]
    if not fitting:
        raise _BadRow("box input", f"there is no interface {named[0]!r}")
    if len(fitting) > 1:
        names = ", ".join(box.name for box in fitting)
        raise _BadRow("box input", f"say which box: {names}")
    if not 1 <= number <= fitting[0].jack_in:
        raise _BadRow("box input", f"{fitting[0].name} has no jack in {number}; it has {fitting[0].jack_in}")
    return fitting[0], number


def _plug(sheet: Sheet, made: RowMade, source: Start, box: Interface, jack: int) -> None:
    for leg in range(source.width):
        start, end = Port(source.id, "out", leg + 1), Port(box.id, "jack_in", jack + leg)
        if end.number > box.jack_in:
            raise _BadRow("box input", f"{source.name} is stereo and {box.name} ends at jack {box.jack_in}")
        there = sheet.plugged.get(end)
        if there is not None and there[0] != start:
            raise _BadRow("box input", f"{sheet.found.say(end)} already takes {there[1]}")
        if there is None:
            phantom = source.needs_phantom and end.number <= box.able_jacks("phantom")
            made.plug(sheet, start, end, source.say(leg + 1), box if phantom else None)


def _recorders(found: Index, box: Interface | None) -> list[Program]:
    """The programs that can record what comes in at a box, or anything."""
    return [program for program in found.programs() if box is None or _takes_from(found, program, box)]


def _record_at(
    sheet: Sheet, made: RowMade, row: InputRow, source: Start, place: tuple[Interface | None, int], numbered: Numbered
) -> tuple[Port, ...]:
    found, (box, jack) = sheet.found, place
    programs = _recorders(found, box)
    if not programs:
        raise _BadRow("track", "there is no recorder on that box; add one on Gear")
    program, wanted = programs[0], row.track.strip() or source.name
    channel = None
    if box is not None and jack <= box.capture:
        channel = found.channel(program, Port(box.id, "capture", jack))
    track = sheet.track(programs, wanted)
    if track is None:
        number = _track_number(wanted)
        if max(number or 0, len(sheet.tracks[program.id]) + 1) > TRACKS_MAX:
            raise _BadRow("track", f"{program.name} has {TRACKS_MAX} tracks at most")
        if number is not None:
            _tracks_before(sheet, made, program, number, numbered)
            wanted = source.name
        track = made.new_track(sheet, program, _name(wanted, "track"), source.width, channel)
    elif not track.has_input and channel is not None:
        made.new_input(sheet, track, channel)
    return tuple(Port(track.id, "track", leg) for leg in range(1, track.width + 1))


def _tracks_before(sheet: Sheet, made: RowMade, program: Program, number: int, numbered: Numbered) -> None:
    """Make the tracks that stand before one that is asked for by its number, named by the rows that ask for them."""
    there = len(sheet.tracks[program.id])
    missing = []
    for before in range(there + 1, number):
        row = next((each for each in numbered.get(before, ()) if _goes_to(sheet.found, each, program)), None)
        if row is None:
            missing.append(before)
            continue
        try:
            name = clean_name(row.source or row.name)
        except ValueError:
            name = f"Track {before}"
        known = sheet.sources.get(name.casefold())
        made.new_track(sheet, program, name, known.width if known is not None else 1, None)
    if missing:
        only = f"{there}" if there else "none"
        unasked = f"no row asks for {fold_numbers(missing)}"
        raise _BadRow("track", f"{program.name} has no track {number}: it has {only}, and {unasked}")


def _goes_to(found: Index, row: InputRow, program: Program) -> bool:
    """Whether what a row records is recorded by this program."""
    try:
        box, _ = _jack(found, row.box_input)
    except _BadRow:
        box = None
    return _recorders(found, box)[:1] == [program]


def _takes_from(found: Index, program: Program, box: Interface) -> bool:
    streams = found.opened.get(program.id)
    return streams is None or streams.to("capture", box.id) is not None


def _heard_at(found: Index, text: str, field: str) -> tuple[Port, ...]:
    ends = listeners(found)
    wanted = text.strip().casefold()
    fitting = [gear for gear in ends if gear.name.casefold() == wanted] if wanted else ends
    if not ends:
        raise _BadRow(field, "there are no headphones or other destination in this rig yet; add them on Gear")
    if not fitting:
        raise _BadRow(field, f"there is no destination {text.strip()!r}; there is {', '.join(e.name for e in ends)}")
    if len(fitting) > 1:
        raise _BadRow(field, f"say where it is heard: {', '.join(gear.name for gear in fitting)}")
    return fitting[0].ports
