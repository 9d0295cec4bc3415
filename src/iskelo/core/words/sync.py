"""Sync in words: where clips lie, what to do about it."""

from iskelo.core.lines.clips import Clip
from iskelo.core.rig.units import say_figure


def say_clip(clip: Clip, bpm: float) -> str:
    """Where a clip lies. Example: '272 samples late (5.667 ms, 0.011 beat)'; '5.7 to 11.0 ms late'."""
    if clip.in_time:
        return "in time"
    low, high = clip.least_samples, clip.most_samples
    if clip.least == clip.most:
        way = "late" if low > 0 else "early"
        ms = abs(1000 * float(clip.least))
        beats = abs(float(clip.least)) * bpm / 60
        return f"{say_figure(abs(low), 2)} samples {way} ({ms:.3f} ms, {beats:.3f} beat)"
    low_ms, high_ms = 1000 * float(clip.least), 1000 * float(clip.most)
    if low >= 0:
        return f"{low_ms:.1f} to {high_ms:.1f} ms late"
    if high <= 0:
        return f"{-high_ms:.1f} to {-low_ms:.1f} ms early"
    return f"between {-low_ms:.1f} ms early and {high_ms:.1f} ms late"
