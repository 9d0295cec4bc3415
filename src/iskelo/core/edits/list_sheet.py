"""A rig while an input list is read into it: what the good rows so far have made, found at once by name.

Applying each row's edits to the rig, and looking everything up anew, takes a long list time that grows with its square.
"""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from iskelo.core.edits.additions import AddLine, AddProgramPorts, AddSources, AddTracks
from iskelo.core.edits.edit import Edit, Plug, SetJack, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.index import index, leg_letter
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig

NAMES_AT_ONCE = 256
LINES_MAX, TRACKS_MAX = 1024, 512


@dataclass(frozen=True, slots=True)
class Start:
    """A source, of the rig or made for a row."""

    id: str
    name: str
    width: int
    needs_phantom: bool

    def say(self, leg: int) -> str:
        return self.name + leg_letter(leg, self.width)


@dataclass(frozen=True, slots=True)
class End:
    """A track, of the rig or made for a row."""

    id: str
    name: str
    program: Program
    width: int
    has_input: bool


@dataclass(slots=True)
class RowMade:
    """What one row makes, not yet part of the sheet: a bad row leaves nothing behind."""

    words: list[str] = field(default_factory=list)
    numbers: int = 0
    sources: list[Start] = field(default_factory=list)
    sources_set: list[tuple[SetValues, Start]] = field(default_factory=list)
    plugs: list[tuple[Plug, str]] = field(default_factory=list)
    jacks: list[SetJack] = field(default_factory=list)
    inputs: list[AddProgramPorts] = field(default_factory=list)
    tracks: list[tuple[AddTracks, End]] = field(default_factory=list)
    inputs_set: list[tuple[SetValues, End]] = field(default_factory=list)
    lines: list[AddLine] = field(default_factory=list)

    def _number(self, sheet: "Sheet") -> int:
        self.numbers += 1
        return sheet.number + self.numbers - 1

    def new_source(self, sheet: "Sheet", name: str, *, needs_phantom: bool) -> Start:
        start = Start(new(self._number(sheet)), name, 1, needs_phantom)
        self.sources.append(start)
        self.words.append(f"added microphone {name}")
        return start

    def needs(self, start: Start, phantom: bool) -> Start:
        """The source with another need of a phantom supply than it had."""
        changed = replace(start, needs_phantom=phantom)
        self.sources_set.append((SetValues(item=start.id, values={"needs_phantom": phantom}), changed))
        self.words.append(f"{start.name}: phantom supply {'yes' if phantom else 'no'}")
        return changed

    def plug(self, sheet: "Sheet", start: Port, end: Port, said: str, supply: Interface | None) -> None:
        """A lead, and the supply of its jack where ``supply`` is the box that gives it."""
        self.plugs.append((Plug(from_port=start, to_port=end), said))
        self.words.append(f"plugged {said} into {sheet.found.say(end)}")
        if supply is not None:
            self.jacks.append(SetJack(interface=supply.id, jack_in=end.number, phantom=True))
            self.words.append(f"{supply.name}, jack in {end.number}: phantom supply on")

    def new_track(self, sheet: "Sheet", program: Program, name: str, width: int, channel: int | None) -> End:
        ports: tuple[str, ...] = ()
        if channel is not None:
            ports = (self._add_input(sheet, program, name, width, channel),)
        end = End(new(self._number(sheet)), name, program, width, has_input=bool(ports))
        add = AddTracks(program=program.id, names=(name,), width=width, inputs=ports, ids=(end.id,))
        self.tracks.append((add, end))
        self.words.append(f"{program.name}: added track {name}")
        return end

    def new_input(self, sheet: "Sheet", track: End, channel: int) -> None:
        """An input for a track that has none."""
        identity = self._add_input(sheet, track.program, track.name, track.width, channel)
        self.inputs_set.append((SetValues(item=track.id, values={"input": identity}), track))
        self.words.append(f"{track.program.name}, {track.name}: input {track.name}")

    def _add_input(self, sheet: "Sheet", program: Program, name: str, width: int, channel: int) -> str:
        identity = new(self._number(sheet))
        self.inputs.append(
            AddProgramPorts(program=program.id, names=(name,), width=width, first_channel=channel, ids=(identity,))
        )
        shared = sheet.takers.get((program.id, channel))
        self.words.append(f"{program.name}: added input {name}" + (f" on the channel of {shared}" if shared else ""))
        return identity

    def line(self, edit: AddLine) -> None:
        self.lines.append(edit)
        self.words.append(f"added line {edit.name}")


class Sheet:
    """A rig with what the good rows have made so far."""

    def __init__(self, rig: Rig) -> None:
        self.found = index(rig)
        self.number = 1
        self.lines = {line.name.casefold() for line in rig.lines}
        self.sources = {
            gear.name.casefold(): Start(gear.id, gear.name, gear.width, gear.needs_phantom)
            for gear in rig.gear
            if isinstance(gear, Source)
        }
        self.others = {gear.name.casefold(): gear.name for gear in rig.gear if not isinstance(gear, Source)}
        self.plugged = {patch.to_port: (patch.from_port, self.found.say(patch.from_port)) for patch in rig.patches}
        self.tracks = {
            program.id: [
                End(track.id, track.name, program, track.width, track.input is not None) for track in program.tracks
            ]
            for program in self.found.programs()
        }
        self.takers = {
            (program.id, leg): item.name
            for program in self.found.programs()
            for item in program.inputs
            for leg in item.legs
            if leg is not None
        }
        self._named: dict[tuple[str, str], int] = {}
        for program, tracks in self.tracks.items():
            for place, track in enumerate(tracks):
                self._named.setdefault((program, track.name.casefold()), place)
        self._made: list[RowMade] = []

    def track(self, programs: list[Program], wanted: str) -> End | None:
        """The track of this name or number, the first of both, in the first program that has one."""
        for program in programs:
            tracks = self.tracks[program.id]
            places = [self._named.get((program.id, wanted.casefold()), len(tracks))]
            if wanted.isascii() and wanted.isdigit() and str(int(wanted[:9])) == wanted:
                places.append(int(wanted) - 1)
            place = min((each for each in places if each >= 0), default=len(tracks))
            if place < len(tracks):
                return tracks[place]
        return None

    def keep(self, made: RowMade) -> None:
        """Take in what a good row makes."""
        self._made.append(made)
        self.number += made.numbers
        self.sources |= {each.name.casefold(): each for each in made.sources}
        self.sources |= {each.name.casefold(): each for _, each in made.sources_set}
        self.plugged |= {plug.to_port: (plug.from_port, said) for plug, said in made.plugs}
        self.lines |= {line.name.casefold() for line in made.lines}
        for ports in made.inputs:
            first = ports.first_channel or 1
            self.takers |= {(ports.program, first + leg): ports.names[0] for leg in range(ports.width)}
        for _, end in made.tracks:
            tracks = self.tracks[end.program.id]
            self._named.setdefault((end.program.id, end.name.casefold()), len(tracks))
            tracks.append(end)
        for _, end in made.inputs_set:
            tracks = self.tracks[end.program.id]
            tracks[tracks.index(end)] = replace(end, has_input=True)

    def edits(self) -> tuple[Edit, ...]:
        """Everything the good rows make, each kind together: many of one kind are made as one."""
        made = self._made
        return (
            *_sources_together([start for each in made for start in each.sources]),
            *(values for each in made for values, _ in each.sources_set),
            *(plug for each in made for plug, _ in each.plugs),
            *(jack for each in made for jack in each.jacks),
            *_ports_together([ports for each in made for ports in each.inputs]),
            *_tracks_together([tracks for each in made for tracks, _ in each.tracks]),
            *(values for each in made for values, _ in each.inputs_set),
            *(line for each in made for line in each.lines),
        )


def _sources_together(starts: list[Start]) -> Iterator[AddSources]:
    """Microphones with the same need of a phantom supply that follow each other, as one edit."""
    for needs_phantom, grouped in itertools.groupby(starts, key=lambda start: start.needs_phantom):
        alike = tuple(grouped)
        for first in range(0, len(alike), NAMES_AT_ONCE):
            some = alike[first : first + NAMES_AT_ONCE]
            names, ids = tuple(start.name for start in some), tuple(start.id for start in some)
            yield AddSources(names=names, ids=ids, needs_phantom=needs_phantom)


def _ports_together(edits: list[AddProgramPorts]) -> list[AddProgramPorts]:
    """Inputs of one program whose channels follow each other, as one edit."""
    together: list[AddProgramPorts] = []
    for each in edits:
        last = together[-1] if together else None
        if (
            last is not None
            and (last.program, last.width) == (each.program, each.width)
            and len(last.names) < NAMES_AT_ONCE
            and last.first_channel is not None
            and each.first_channel == last.first_channel + last.width * len(last.names)
        ):
            update = {"names": last.names + each.names, "ids": last.ids + each.ids}
            together[-1] = last.model_copy(update=update)
        else:
            together.append(each)
    return together


def _tracks_together(edits: list[AddTracks]) -> list[AddTracks]:
    """Tracks of one program that are alike in all but name, as one edit."""
    together: list[AddTracks] = []
    for each in edits:
        last = together[-1] if together else None
        if (
            last is not None
            and (last.program, last.width, bool(last.inputs)) == (each.program, each.width, bool(each.inputs))
            and len(last.names) < NAMES_AT_ONCE
        ):
            update = {"names": last.names + each.names, "inputs": last.inputs + each.inputs, "ids": last.ids + each.ids}
            together[-1] = last.model_copy(update=update)
        else:
            together.append(each)
    return together
