"""Ports typed as a phrase: 'mic 1-4', 'alma', 'lon new', 'lon 3, 5', 'phones', 'mic 1-15/2'."""

import re
from dataclasses import dataclass

from iskelo.core.edits.base import Refused
from iskelo.core.rig.gear import Destination, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.rig.programs import Program, Track

KIND_WORDS = {"headphones": "headphones phones", "loudspeakers": "loudspeakers speakers"}


@dataclass(frozen=True, slots=True)
class Tracks:
    """Tracks a phrase names: those of a program at these places, or new ones, maybe so many (``count``)."""

    program: Program
    tracks: tuple[Track, ...]
    new: bool
    count: int | None = None


@dataclass(frozen=True, slots=True)
class Begin:
    """Where a line begins: a source, a voice of a program, or several of them that are wanted ``mixed``.

    ``through``: the mix that is named instead of what sounds in it. ``wide``: how many channels a mix has.
    """

    name: str
    ports: tuple[Port, ...]
    kind: str
    mixed: bool = False
    through: str = ""
    wide: int | None = None

    @property
    def width(self) -> int:
        """How many channels a new track for it has."""
        return self.wide if self.wide is not None else len(self.ports)


def split_numbers(text: str, field: str) -> tuple[list[str], list[int]]:
    """The words and the numbers of a phrase. Example: 'mic 1-7/2, 9' gives ['mic'] and [1, 3, 5, 7, 9]."""
    words: list[str] = []
    numbers: list[int] = []
    for token in re.split(r"[\s,]+", text.strip().casefold()):
        match = re.fullmatch(r"(\d{1,4})(?:[-–](\d{1,4}))?(?:/(\d{1,3}))?", token)
        if match is None:
            if token:
                words.append(token)
            continue
        first, last, step = int(match[1]), int(match[2] or match[1]), int(match[3] or 1)
        if first < 1 or last < first or step < 1:
            raise Refused(field, f"{token!r} is no range; type for example 1-8, or 1-15/2 for every second one")
        numbers += range(first, last + 1, step)
    return words, numbers


def fits(words: list[str], *named: str) -> bool:
    """Whether every typed word begins a word of the names."""
    all_words = " ".join(named).casefold().split()
    return all(any(each.startswith(word) for each in all_words) for word in words)


def sources_phrase(found: Index, text: str, field: str) -> list[Begin]:
    """The sources and voices a phrase names: by name, kind or program, by their place among those; or several
    such phrases with commas.
    """
    sources = [_begin(gear) for gear in found.gear.values() if isinstance(gear, Source)]
    sources += [
        Begin(voice.name, _legs(voice.id, "voice", voice.width), f"{program.name} {program.program_kind}")
        for program in found.programs()
        for voice in program.voices
    ]
    by_name = {begin.name.casefold(): begin for begin in reversed(sources)}
    parts = [part.strip() for part in text.split(",") if part.strip()]
    if parts and all(part.casefold() in by_name for part in parts):
        return [by_name[part.casefold()] for part in parts]
    words, numbers = split_numbers(text, field)
    if not words and not numbers:
        raise Refused(field, "say which sources; for example mic 1-2")
    fitting = [begin for begin in sources if fits(words, begin.name, begin.kind)]
    if not fitting:
        phrases = _phrases(parts)
        if len(phrases) > 1:
            several = [begin for phrase in phrases for begin in sources_phrase(found, phrase, field)]
            return list(dict.fromkeys(several))
        raise Refused(field, f"no source is called {text.strip()!r}")
    if not numbers:
        return fitting
    beyond = [number for number in numbers if number > len(fitting)]
    if beyond:
        said = " ".join(words) or "sources"
        raise Refused(field, f"there are {len(fitting)} called {said!r}, so no number {beyond[0]}")
    return [fitting[number - 1] for number in numbers]


def _phrases(parts: list[str]) -> list[str]:
    """Put numbers that stand alone behind what they count. Example: 'mic 1' and '3' become 'mic 1, 3'."""
    phrases: list[str] = []
    for part in parts:
        if phrases and re.fullmatch(r"[\d\s/–-]+", part):
            phrases[-1] += f", {part}"
        else:
            phrases.append(part)
    return phrases


def _begin(source: Source) -> Begin:
    return Begin(source.name, _legs(source.id, "out", source.width), source.source_kind)


def _legs(owner: str, bank: Bank, width: int) -> tuple[Port, ...]:
    return tuple(Port(owner, bank, number) for number in range(1, width + 1))


def _recorders(found: Index) -> list[Program]:
    """Programs that can record: recorders and mixing programs, and whatever else has tracks."""
    kinds = ("recorder", "mixing program")
    return [
        each
        for each in found.programs()
        if each.program_kind in kinds or any(track.far_end is None for track in each.tracks)
    ]


def tracks_phrase(found: Index, text: str, field: str) -> Tracks:
    """The tracks a phrase names: 'lon new' for new ones, 'lon 3-6' for those at these places."""
    words, numbers = split_numbers(text, field)
    new = "new" in words
    words = [word for word in words if word != "new"]
    fitting = [each for each in _recorders(found) if fits(words, each.name, each.program_kind)]
    if not fitting:
        raise Refused(field, f"no recorder is called {text.strip()!r}" if words else "there is no recorder yet")
    if len(fitting) > 1:
        raise Refused(field, f"say which: {', '.join(each.name for each in fitting)}")
    program = fitting[0]
    if new:
        return Tracks(program, (), True, len(numbers) or None)
    if not numbers:
        raise Refused(field, f"say which tracks of {program.name}: their numbers, or new")
    beyond = [number for number in numbers if number > len(program.tracks)]
    if beyond:
        said = f"{program.name} has {len(program.tracks)} tracks, so no track {beyond[0]}"
        raise Refused(field, f"{said}; say new instead of the numbers to make some")
    tracks = tuple(program.tracks[number - 1] for number in numbers)
    ears = [track.name for track in tracks if track.far_end is not None]
    if ears:
        raise Refused(field, f"what {ears[0]} takes goes to a far end and is not recorded; say it under Heard at")
    return Tracks(program, tracks, False)


@dataclass(frozen=True, slots=True)
class Listener:
    """Where something is listened at: a destination, or the ear of a far end."""

    name: str
    ports: tuple[Port, ...]
    kind: str

    @property
    def is_ear(self) -> bool:
        return self.ports[0].bank == "track"


def listeners(found: Index) -> list[Listener]:
    """Every destination of a rig, then the ears of far ends."""
    ends = [
        Listener(gear.name, _legs(gear.id, "in", gear.width), KIND_WORDS.get(gear.destination_kind, "feed"))
        for gear in found.gear.values()
        if isinstance(gear, Destination)
    ]
    ends += [
        Listener(
            track.name, _legs(track.id, "track", track.width), f"{program.name} {program.program_kind} ear far end"
        )
        for program in found.programs()
        for track in program.tracks
        if track.far_end is not None
    ]
    return ends


def destinations_phrase(found: Index, text: str, field: str) -> list[Listener]:
    """The destinations or far ends' ears a phrase names, by name or kind: 'headphones', 'far end 1-3'."""
    words, numbers = split_numbers(text, field)
    fitting = [each for each in listeners(found) if fits(words, each.name, each.kind)]
    if not fitting:
        raise Refused(field, f"no destination is called {text.strip()!r}")
    beyond = [number for number in numbers if number > len(fitting)]
    if beyond:
        raise Refused(field, f"there are {len(fitting)} of these, so no number {beyond[0]}")
    if numbers:
        return [fitting[number - 1] for number in dict.fromkeys(numbers)]
    if len(fitting) > 1:
        raise Refused(field, f"say which: {', '.join(each.name for each in fitting)}")
    return fitting
