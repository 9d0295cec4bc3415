"""Where clips really lie: what was heard of a leader on a follower's track, by when the follower's song began."""

from fractions import Fraction

from iskelo.core.linecheck.drifting import expected_drift
from iskelo.core.linecheck.rows import ClipRow, TargetRow
from iskelo.core.lines.clips import NOUGHT_SAMPLES, Clip, SyncState, sync_states
from iskelo.core.lines.context import Reading
from iskelo.core.rig.units import say_figure
from iskelo.core.twin.told import Synced


def clip_rows(reading: Reading, targets: tuple[TargetRow, ...], synced: tuple[Synced, ...]) -> tuple[ClipRow, ...]:
    """A row for every track that records of a leader, of the links whose songs have begun."""
    began = {each.link: each.after_s for each in synced}
    return tuple(
        _row(reading, state, clip, targets, began[state.link.id])
        for state in sync_states(reading)
        if state.link.id in began
        for clip in state.clips
    )


def _row(reading: Reading, state: SyncState, clip: Clip, targets: tuple[TargetRow, ...], began_s: Fraction) -> ClipRow:
    voices = {voice.id for voice in state.leader.voices}
    heard = [
        (row, sound)
        for row in targets
        if row.target.owner == clip.track
        for sound in row.sounds
        if sound.source.owner in voices and sound.dry
    ]
    measured = agrees = None
    words = f"nothing of {state.leader.name} is heard there"
    if heard:
        row, sound = heard[0]
        moved_s = began_s + Fraction(state.link.offset_ms) / 1000
        late = sound.dry[0].delay_samples - float(moved_s * row.rate_hz) - state.follower.compensates_samples
        measured = round(late, 2) + 0.0
        within = expected_drift(reading, sound.source, row.target).tolerance(abs(late))
        agrees = clip.least_samples - within <= late <= clip.most_samples + within
        way = "late" if measured > 0 else "early"
        in_time = abs(measured) <= NOUGHT_SAMPLES
        words = "in time" if in_time else f"{say_figure(abs(measured), 2)} samples {way}"
        if clip.least != clip.most:
            words += " at this start; it is another at the next one"
    return ClipRow(
        link=state.link.id,
        leader=state.leader.name,
        follower=state.follower.name,
        track=clip.track,
        name=reading.found.name(clip.track),
        predicted_least=round(clip.least_samples, 2) + 0.0,
        predicted_most=round(clip.most_samples, 2) + 0.0,
        measured=measured,
        agrees=bool(agrees),
        in_time=clip.in_time and measured is not None and abs(measured) <= NOUGHT_SAMPLES,
        words=words,
    )
