"""Songs as Standard MIDI files: their tempos and their markers, in one track.

Written as format 1.0 (type 0) with 480 ticks a quarter note; read from any type, whose tempo changes and markers of all
tracks count. A file that counts frames instead of quarter notes has no tempo to be read.
"""

import io
from dataclasses import dataclass

import mido

from iskelo.core.edits.edit import SetValues
from iskelo.core.rig.programs import Program
from iskelo.core.rig.syncs import SongMarker, TempoChange
from iskelo.core.rig.text import NAME_MAX_CHARACTERS, clean_name
from iskelo.formats.refusal import Unreadable

TICKS_PER_QUARTER = 480
DEFAULT_BPM = 120.0
"""What a Standard MIDI file has until it says otherwise (from memory; mido agrees)."""

LARGEST_BYTES = 4_000_000
MOST = 512
"""So many tempos and markers does a program keep."""

SLOWEST_BPM, FASTEST_BPM = 10.0, 999.0


@dataclass(frozen=True, slots=True)
class Song:
    """A tempo, the later ones by where they begin, and markers."""

    tempo_bpm: float
    later_tempos: tuple[TempoChange, ...]
    markers: tuple[SongMarker, ...]


def write_song(program: Program) -> bytes:
    """A program's tempos and markers as a Standard MIDI file."""
    events = [(0.0, mido.MetaMessage("track_name", name=_latin(program.name)))]
    tempos = [(0.0, program.tempo_bpm), *((each.at_quarters, each.bpm) for each in program.later_tempos)]
    events += [(at, mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm))) for at, bpm in tempos]
    events += [(each.at_quarters, mido.MetaMessage("marker", text=_latin(each.name))) for each in program.markers]
    track = mido.MidiTrack()
    before = 0
    for at, message in sorted(events, key=lambda event: event[0]):
        ticks = round(at * TICKS_PER_QUARTER)
        track.append(message.copy(time=ticks - before))
        before = ticks
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_QUARTER)
    file.tracks.append(track)
    written = io.BytesIO()
    file.save(file=written)
    return written.getvalue()


def song_edit(program: Program, song: Song) -> SetValues:
    """The edit that gives a program a song's tempos and markers."""
    values = {
        "tempo_bpm": song.tempo_bpm,
        "later_tempos": [each.model_dump(mode="json") for each in song.later_tempos],
        "markers": [each.model_dump(mode="json") for each in song.markers],
    }
    return SetValues.model_validate({"item": program.id, "values": values})


def _latin(text: str) -> str:
    """Text as such files hold it; what they cannot hold becomes a question mark."""
    return text.encode("latin-1", "replace").decode("latin-1")


def read_song(data: bytes) -> Song:
    """The tempos and markers of a Standard MIDI file.

    Raises
    ------
    Unreadable
        If it is none, is too large, or counts frames instead of quarter notes.
    """
    if len(data) > LARGEST_BYTES:
        raise Unreadable("", f"it is larger than {LARGEST_BYTES // 1_000_000} MB")
    try:
        file = mido.MidiFile(file=io.BytesIO(data), clip=True)
    except (OSError, EOFError, ValueError, KeyError, IndexError, LookupError, TypeError) as error:
        raise Unreadable("", f"this is no Standard MIDI file that can be read: {error or 'it ends too soon'}") from None
    if not 1 <= file.ticks_per_beat < 0x8000:
        raise Unreadable("division", "it counts frames of film, and not quarter notes: it has no tempo")
    tempos: dict[float, float] = {}
    markers: list[SongMarker] = []
    for track in file.tracks:
        ticks = 0
        for message in track:
            ticks += message.time
            at = ticks / file.ticks_per_beat
            if message.type == "set_tempo" and message.tempo > 0:
                tempos[at] = round(min(FASTEST_BPM, max(SLOWEST_BPM, mido.tempo2bpm(message.tempo))), 4)
            elif message.type == "marker" and (name := _name(message.text)):
                markers.append(SongMarker(at_quarters=at, name=name))
    first = tempos.pop(0.0, DEFAULT_BPM)
    later = tuple(TempoChange(at_quarters=at, bpm=bpm) for at, bpm in sorted(tempos.items()))
    if len(later) > MOST or len(markers) > MOST:
        raise Unreadable("", f"it has {len(later)} later tempos and {len(markers)} markers; {MOST} of each is the most")
    return Song(first, later, tuple(sorted(markers, key=lambda each: each.at_quarters)))


def _name(text: str) -> str:
    """A marker's text as a name; empty if there is nothing to read in it."""
    try:
        return clean_name("".join(each for each in text if each.isprintable())[:NAME_MAX_CHARACTERS])
    except ValueError:
        return ""
