"""Sync and calls as screens show them: every link with what it does to clips, every far end with what it hears."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from iskelo.core.lines.clips import SyncState, sync_states
from iskelo.core.lines.context import Reading
from iskelo.core.planner.mix_minus import far_places, own_routes
from iskelo.core.rig.programs import FarEnd
from iskelo.core.rig.syncs import Timing
from iskelo.core.snags.syncs import trim_ms, trimmed_state
from iskelo.core.timing.hosting import by_hand
from iskelo.core.timing.sync import drift_ms_per_bar, jitter_samples, tick_samples
from iskelo.core.words.sync import say_clip


@dataclass(frozen=True, slots=True)
class ClipView:
    """Where clips lie on one track: at least and at most, in samples, above nought late; in words."""

    track: str
    name: str
    least_samples: float
    most_samples: float
    in_time: bool
    words: str


@dataclass(frozen=True, slots=True)
class SyncView:
    """A sync link with its settings and what follows from them.

    ``trim_ms``: the offset at which most clips lie in time, with messages ``trim_sent`` and ``trim_read``; None if
    there is none, or they do already. ``tick_ms``: between two clocks; ``jitter_ms``: below so much they are seen off
    even ones; ``told``: all of it in a sentence.
    """

    id: str
    leader: str
    leader_id: str
    follower: str
    follower_id: str
    clock: bool
    notes: bool
    follows: bool
    sent: Timing
    read: Timing
    begins_at_call: bool
    offset_ms: float
    leader_bpm: float
    follower_bpm: float
    tick_ms: float
    jitter_ms: float | None
    clips: tuple[ClipView, ...]
    trim_ms: float | None
    trim_sent: Timing
    trim_read: Timing
    in_time: bool
    told: str


@dataclass(frozen=True, slots=True)
class CallView:
    """A far end: who it hears, whether itself too, and how late words are one way."""

    id: str
    program: str
    name: str
    far: FarEnd
    hears: tuple[str, ...]
    hears_itself: bool
    told: str


@dataclass(frozen=True, slots=True)
class HostedView:
    """A program that runs in another: how late what is played by hand sounds, in words."""

    id: str
    name: str
    leader: str
    ahead: Literal["short", "long"]
    ahead_samples: int
    told: str


@dataclass(frozen=True, slots=True)
class Together:
    """What programs on one computer have to do with each other beside their sound."""

    syncs: tuple[SyncView, ...]
    calls: tuple[CallView, ...]
    hosted: tuple[HostedView, ...]


def together(reading: Reading) -> Together:
    """Every sync link and every far end of a rig."""
    return Together(
        tuple(_sync(reading, state) for state in sync_states(reading)), tuple(_calls(reading)), tuple(_hosted(reading))
    )


def _hosted(reading: Reading) -> Iterator[HostedView]:
    found = reading.found
    for program in found.programs():
        if program.hosted is None:
            continue
        late = by_hand(found, program)
        told = f"{found.name(program.hosted.leader)} has no device, and calls nothing"
        if late is not None:
            low, high = f"{late.least_ms:.1f}", f"{late.most_ms:.1f}"
            played = high if low == high else f"{low} to {high}"
            again_ms = 1000 * late.replayed_samples / late.rate_hz
            replayed = f"{again_ms:.1f} ms late" if again_ms else "in time"
            told = f"played by hand it sounds {played} ms late; replayed {replayed}"
        yield HostedView(
            program.id,
            program.name,
            found.name(program.hosted.leader),
            program.hosted.ahead,
            program.hosted.ahead_samples,
            told,
        )


def _sync(reading: Reading, state: SyncState) -> SyncView:
    link, leader, follower = state.link, state.leader, state.follower
    streams = reading.found.opened.get(follower.id)
    rate_hz = streams.device.rate_hz if streams is not None else 48_000
    jitter = jitter_samples(reading.found, link)
    name, bpm = reading.found.name, leader.tempo_bpm
    clips = tuple(
        ClipView(
            clip.track,
            name(clip.track),
            round(clip.least_samples, 2) + 0.0,
            round(clip.most_samples, 2) + 0.0,
            clip.in_time,
            say_clip(clip, bpm),
        )
        for clip in state.clips
    )
    in_time = all(clip.in_time for clip in clips)
    trimmed = None if in_time or not state.is_followed else trimmed_state(reading, state)
    return SyncView(
        id=link.id,
        leader=leader.name,
        leader_id=leader.id,
        follower=follower.name,
        follower_id=follower.id,
        clock=link.clock,
        notes=link.notes,
        follows=follower.follows_clock,
        sent=link.sent,
        read=link.read,
        begins_at_call=link.begins_at_call,
        offset_ms=link.offset_ms,
        leader_bpm=bpm,
        follower_bpm=follower.tempo_bpm,
        tick_ms=float(1000 * tick_samples(bpm, rate_hz) / rate_hz),
        jitter_ms=None if jitter is None else 1000 * jitter / rate_hz,
        clips=clips,
        trim_ms=None if trimmed is None else trim_ms(trimmed),
        trim_sent=link.sent if trimmed is None else trimmed.link.sent,
        trim_read=link.read if trimmed is None else trimmed.link.read,
        in_time=in_time,
        told=_told(state),
    )


def _told(state: SyncState) -> str:
    link, leader, follower = state.link, state.leader, state.follower
    if link.clock and not follower.follows_clock:
        drift_ms = drift_ms_per_bar(follower.tempo_bpm, leader.tempo_bpm)
        return f"{follower.name} runs at its own tempo: {drift_ms:+.1f} ms a bar of four".replace("-", "−")
    if not link.clock:
        return "carries notes alone" if link.notes else "carries nothing"
    if state.begin is None:
        return "one of the two has no device, and is never called"
    if not state.clips:
        return f"nothing of {leader.name} is recorded on {follower.name}"
    worst = max(state.clips, key=lambda clip: max(abs(clip.least), abs(clip.most)))
    where = say_clip(worst, leader.tempo_bpm)
    if worst.in_time:
        return "clips lie where they were played"
    trim = trim_ms(state)
    if trim is None:
        return f"clips lie {where}, elsewhere at every start: let messages be stamped"
    return f"clips lie {where}: move them, or set the offset to {trim:g} ms"


def _calls(reading: Reading) -> Iterator[CallView]:
    found = reading.found
    for place in far_places(reading):
        assert place.voice.far is not None
        ends = set(place.ends())
        hears = dict.fromkeys(
            found.name(start.owner)
            for start in found.starts()
            if start.owner != place.voice.id and any(end in reading.known.sound(start).by for end in ends)
        )
        itself = bool(own_routes(reading, place))
        heard = f"hears {', '.join(hears)}" if hears else "hears nobody"
        spans = [
            (delay.ms, delay.most_ms)
            for state in reading.lines
            if place.voice.id in {port.owner for port in state.line.from_ports} or ends & set(state.line.to_ports)
            for delay in state.delays()
        ]
        way = ""
        if spans:
            way = f"; one way {min(low for low, _ in spans):.0f} to {max(high for _, high in spans):.0f} ms"
        told = f"{heard}{' and itself' if itself else ', not itself' if hears else ''}{way}"
        voice = place.voice
        yield CallView(voice.id, place.program.name, voice.name, place.voice.far, tuple(hears), itself, told)
