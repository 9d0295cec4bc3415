"""Where sound gets into boxes and out of them: what their converters sample, and what is heard at their jacks."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from iskelo.core.fractional_delay import BEFORE, TAPS, between
from iskelo.core.rig.ports import Port
from iskelo.core.twin.box import Box
from iskelo.core.twin.program import Sound
from iskelo.core.twin.ring import Clock
from iskelo.core.twin.stream import STRETCH_SAMPLES, Block

LISTENED_SAMPLES = STRETCH_SAMPLES // 2
"""So much may wait to be listened to; memories hold two stretches."""


@dataclass(frozen=True, slots=True)
class Lead:
    """What leads from an output jack to a destination, and all that went through it; it is heard ``late_s`` later."""

    port: Port
    jack: int
    gain: float
    late_s: Fraction
    heard: Block


class OutputEnd:
    """Listens at a box's output jacks, a long stretch at a time."""

    def __init__(self, box: Box, leads: list[Lead], length: int) -> None:
        self.box = box
        self.leads = leads
        self.length = length
        self._at = 0
        self._tap = box.tap([lead.jack - 1 for lead in leads])

    def listen(self, sample: int) -> None:
        """The same where turns are short: nobody waits for what is heard, and a long stretch costs as much as two short
        ones.
        """
        if sample - self._at >= LISTENED_SAMPLES:
            self.play_until(sample)

    def play_until(self, sample: int) -> None:
        """Let everything out that leaves the jacks before this sample and is already in the box."""
        ready = min(sample, self.length, *(each.played.written for each in self.box.sessions))
        while self._at < ready:
            count = min(STRETCH_SAMPLES, ready - self._at)
            if self.leads:
                out = self._tap.read(self._at, count)
                for lead, sound in zip(self.leads, out, strict=True):
                    lead.heard[self._at : self._at + count] += sound * lead.gain
            self._at += count


def sampled(
    sounds: Sequence[Sound], rate_hz: int, first: Fraction, step: Fraction, count: int
) -> Sequence[NDArray[np.float32]]:
    """What converters get of sounds that are told at a rate: ``count`` samples from ``first``, ``step`` apart."""
    if not sounds:
        return ()
    if step == 1 and first.denominator == 1:
        return [_from_nought(sound, rate_hz, int(first), count) for sound in sounds]
    whole = int(first // 1)
    positions = float(first - whole) + BEFORE + float(step) * np.arange(count, dtype=np.float64)
    told = [_from_nought(sound, rate_hz, whole - BEFORE, int(positions[-1]) + TAPS) for sound in sounds]
    return list(between(np.stack(told), positions))


def _from_nought(sound: Sound, rate_hz: int, start: int, count: int) -> NDArray[np.float32]:
    """A sound's samples; before nought there is silence."""
    early = min(count, max(0, -start))
    told = sound.samples(rate_hz, start + early, count - early) if count > early else np.zeros(0, np.float32)
    return np.concatenate([np.zeros(early, np.float32), told]) if early else told


def in_common_time(heard: NDArray[np.float32], clock: Clock, rate_hz: int, late_s: Fraction) -> NDArray[np.float32]:
    """What came out of a box on its own clock, as somebody behind leads that take so long hears it."""
    first, step = -(clock.start_s + late_s) * clock.rate, clock.rate / rate_hz
    if step == 1 and first == 0:
        return heard
    if step == 1 and first.denominator == 1:
        late = min(int(-first), len(heard))
        return np.concatenate([np.zeros(late, np.float32), heard[: len(heard) - late]])
    padded = np.concatenate([np.zeros(TAPS, np.float32), heard, np.zeros(TAPS, np.float32)])
    out = np.zeros(len(heard), np.float32)
    for start in range(0, len(heard), STRETCH_SAMPLES):
        count = min(STRETCH_SAMPLES, len(heard) - start)
        at = first + start * step
        whole = int(at // 1)
        positions = float(at - whole) + BEFORE + float(step) * np.arange(count, dtype=np.float64)
        begin = whole - BEFORE + TAPS
        if begin < 0 or begin + int(positions[-1]) + TAPS > len(padded):
            inside = np.clip(np.arange(int(positions[-1]) + TAPS) + begin, 0, len(padded) - 1)
            piece = padded[inside]
        else:
            piece = padded[begin : begin + int(positions[-1]) + TAPS]
        out[start : start + count] = between(piece[np.newaxis], positions)[0]
    return out
