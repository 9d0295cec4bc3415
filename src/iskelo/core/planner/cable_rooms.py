"""What is wanted from one program's sounds at another's tracks, and the room that cables have for it."""

from dataclasses import dataclass

from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort, Track, Voice


@dataclass(frozen=True, slots=True)
class Wanted:
    """A line from a voice of one program to a track of another, or from all that plays into one output of it, or from a
    track that it passes there.

    It crosses as wide as the track is.
    """

    state: LineState
    sender: Program
    voice: Voice | Track | ProgramPort
    receiver: Program
    track: Track

    @property
    def width(self) -> int:
        return self.track.width


@dataclass(slots=True)
class Room:
    """A cable, maybe one that is yet to be made, and which of its channels nobody has."""

    id: str
    name: str
    channels: int
    free: set[int]

    def place(self, width: int) -> int | None:
        """The first channel of a place for a sound: an odd one for a pair, one beside a lone sound for a single one."""
        if width == 2:
            return next((n for n in range(1, self.channels, 2) if {n, n + 1} <= self.free), None)
        lone = [n for n in sorted(self.free) if self._beside(n) not in self.free]
        return next(iter([*lone, *sorted(self.free)]), None)

    def _beside(self, number: int) -> int:
        return number + 1 if number % 2 else number - 1


def voice_to_track(state: LineState, found: Index) -> Wanted | None:
    """A line from a voice of one program to a track of another, of all their legs; None for any other.

    What is wider than the track is summed in its program's output, a mono sound goes to both legs of a pair.
    """
    line = state.line
    starts, ends = ({port.owner for port in ports} for ports in (line.from_ports, line.to_ports))
    if line.mixed:
        named = [each for each in line.through if each in found.items and found.items[each].side == "output"]
        programs = {found.gear_of(start) for start in starts}
        # Several that are wanted through one output of their program cross by that.
        starts = set(named) if len(named) == 1 and programs == {found.gear_of(named[0])} else starts
    if len(starts) != 1 or len(ends) != 1:
        return None
    start, end = (found.items.get(each) for each in (*starts, *ends))
    if start is None or end is None or start.program.id == end.program.id:
        return None
    voice, track = start.item, end.item
    if not isinstance(voice, Voice | ProgramPort) or not isinstance(track, Track):
        return None
    width = len(voice.legs) if isinstance(voice, ProgramPort) else len(line.from_ports)
    if (isinstance(voice, Voice) and voice.width != width) or track.width != len(line.to_ports):
        return None
    if isinstance(voice, ProgramPort) and width != track.width:
        return None
    return Wanted(state, start.program, voice, end.program, track)


def wanted_by(state: LineState, found: Index) -> Wanted | None:
    """Such a line, of programs with a device each that cables can stand beside; None for any other."""
    wanted = voice_to_track(state, found)
    if wanted is None:
        return None
    programs = (wanted.sender, wanted.receiver)
    if any(program.hosted is not None or program.output_device is not None for program in programs):
        return None
    return wanted


def rooms_for(reading: Reading, group: list[Wanted], rate_hz: int) -> list[Room]:
    """The cables of the rig that could serve, those first that both programs have, then those that one of them has.

    A channel is free if nobody plays into it or takes from it but what is laid anew.
    """
    found, sender, receiver = reading.found, group[0].sender, group[0].receiver
    laid = {item.id for each in group for item in (own_output(each, reading), own_input(each)) if item is not None}

    def shared(box: Interface) -> int:
        return -sum(found.reaches(program, box.id) for program in (sender, receiver))

    boxes = [box for box in found.boxes if box.cable is not None and box.connected and box.rate_hz == rate_hz]
    return [
        Room(box.id, box.name, box.capture, {n for n in range(1, box.capture + 1) if _is_free(reading, box, n, laid)})
        for box in sorted(boxes, key=shared)
    ]


def _is_free(reading: Reading, box: Interface, number: int, laid: set[str]) -> bool:
    """Nobody plays into this channel and nobody takes from it but these outputs and inputs."""
    graph = reading.graph
    players = {edge.start.owner for edge in graph.into(Port(box.id, "playback", number))}
    takers = {edge.end.owner for edge in graph.leaving.get(Port(box.id, "capture", number), ())}
    return players | takers <= laid


def own_output(wanted: Wanted, reading: Reading) -> ProgramPort | None:
    """The output that a voice has to itself, as wide as it, and by which it does not arrive anywhere else; the one that
    is named, if nothing arrives by it yet.
    """
    program, voice = wanted.sender, wanted.voice
    if isinstance(voice, ProgramPort):
        return voice if Port(voice.id, "output", 1) not in reading.ports_in_use else None
    if ("mix", voice.id) in reading.hops_in_use:
        return None
    outputs = [each.output for each in program.voices]
    outputs += [each.output for each in program.tracks] + [each.output for each in program.buses]
    outputs += [send.to for send in program.sends]
    own = next((item for item in program.outputs if item.id == voice.output), None)
    return own if own is not None and len(own.legs) == wanted.width and outputs.count(own.id) == 1 else None


def own_input(wanted: Wanted) -> ProgramPort | None:
    """The input that a track has to itself, as wide as it."""
    program, track = wanted.receiver, wanted.track
    users = [each.input for each in program.tracks] + [insert.back for _, insert in program.hung()]
    own = next((item for item in program.inputs if item.id == track.input), None)
    return own if own is not None and len(own.legs) == track.width and users.count(own.id) == 1 else None
