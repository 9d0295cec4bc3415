"""Tracks that come back through the strips of a mixer: which strip plays which, and which one it was recorded from."""

from typing import NamedTuple

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Mixer, Strip
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Track, Voice


class Returned(NamedTuple):
    """A track whose output alone reaches a strip's return; ``own``: the strips that it is recorded from."""

    program: Program
    track: Track
    strip: Strip
    own: tuple[Strip, ...]

    @property
    def astray(self) -> bool:
        """Whether it comes back on another strip than the one it was recorded from, which has a return too."""
        return bool(self.own) and self.strip not in self.own and any(each.back for each in self.own)


def returned_tracks(found: Index, box: Interface) -> tuple[Returned, ...]:
    """Every track that comes back on a strip of a mixer by an output of its own, in the order of the strips.

    What several tracks play to is a mix, and no track's own return. A strip that takes nothing live is meant for
    whatever comes back, and belongs to no track.
    """
    mixer = box.mixer
    if mixer is None:
        return ()
    played = {
        numbers: (program, track)
        for program in found.programs()
        for output in program.outputs
        if (numbers := _channels(found, program, output, box, "playback"))
        if (track := _only_player(program, output)) is not None
    }
    returned = []
    for strip in mixer.strips:
        numbers = tuple(source.number for source in strip.back if source.bank == "playback")
        if strip.live[0].bank == "jack_in" and numbers in played:
            program, track = played[numbers]
            returned.append(Returned(program, track, strip, _recorded_from(found, box, mixer, program, track)))
    return tuple(returned)


def _only_player(program: Program, output: ProgramPort) -> Track | None:
    """The track that alone plays to an output; None where several do, or anything else."""
    items: list[Track | Voice | Bus] = [*program.tracks, *program.voices, *program.buses]
    players = [item for item in items if item.output == output.id]
    sent = any(send.to == output.id for send in program.sends)
    return players[0] if len(players) == 1 and isinstance(players[0], Track) and not sent else None


def _channels(found: Index, program: Program, item: ProgramPort, box: Interface, bank: str) -> tuple[int, ...]:
    """The box's own channels that an input or output of a program stands on; empty if it does on none of its."""
    streams = found.opened.get(program.id)
    if streams is None:
        return ()
    ats = [streams.at("capture" if bank == "capture" else "playback", leg) for leg in item.legs if leg is not None]
    numbers = tuple(at[1] for at in ats if at is not None and at[0].box.id == box.id)
    return numbers if len(numbers) == len(item.legs) else ()


def _recorded_from(found: Index, box: Interface, mixer: Mixer, program: Program, track: Track) -> tuple[Strip, ...]:
    """The strips whose sound, or whose jack's, is on the channels that a track takes."""
    taken = next((item for item in program.inputs if item.id == track.input), None)
    numbers = _channels(found, program, taken, box, "capture") if taken is not None else ()
    feeds = [feed for feed in mixer.feeds if feed.bank == "capture" and set(feed.ends) & set(numbers)]
    items = {feed.item for feed in feeds}
    jacks = {feed.jack for feed in feeds if feed.jack is not None}
    return tuple(
        strip
        for strip in mixer.strips
        if strip.id in items or any(each.bank == "jack_in" and each.number in jacks for each in strip.live)
    )
