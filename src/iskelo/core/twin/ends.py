"""Where sound gets into boxes and out of them: what their converters sample, and what is heard at their jacks."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from iskelo.core.between import BEFORE, TAPS, between
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.box import Box
from iskelo.core.twin.program import Sound
from iskelo.core.twin.ring import Clock
from iskelo.core.twin.stream import STRETCH_SAMPLES, Block


@dataclass(frozen=True, slots=True)
class Lead:
    """A lead from an output jack to a destination, and all that went through it."""

    port: Port
    jack: int
    gain: float
    heard: Block


class OutputEnd:
    """Listens at a box's output jacks, a long stretch at a time."""

    def __init__(self, box: Box, leads: list[Lead], length: int) -> None:
        self.box = box
        self.leads = leads
        self.length = length
        self._at = 0

    def play_until(self, sample: int) -> None:
        """Let everything out that leaves the jacks before this sample and is already in the box."""
        ready = min(sample, self.length, *(each.played.written for each in self.box.sessions))
        while self._at < ready:
            count = min(STRETCH_SAMPLES, ready - self._at)
            if self.leads:
                out = self.box.analogue_out(self._at, count, [lead.jack - 1 for lead in self.leads])
                for lead, sound in zip(self.leads, out, strict=True):
                    lead.heard[self._at : self._at + count] += sound * lead.gain
            self._at += count


def jacks_of(rig: Rig, box: Interface, clock: Clock, sounds: Mapping[Port, Sound]) -> Callable[[int, Block], None]:
    """Lays the voltages at a box's input jacks, from the leads that are plugged there, into silence."""
    # A microphone that needs a supply gives nothing without one.
    hungry = {gear.id for gear in rig.gear if isinstance(gear, Source) and gear.needs_phantom}
    leads = [
        (
            patch.to_port.number,
            sounds[patch.from_port],
            (-1 if patch.inverted else 1) * 10 ** (patch.gain_db / 20),
        )
        for patch in rig.patches
        if patch.to_port.owner == box.id
        and patch.from_port in sounds
        and not patch.muted
        and not (patch.from_port.owner in hungry and patch.to_port.number not in box.phantom_on)
    ]

    first, step = clock.start_s * box.rate_hz, box.rate_hz / clock.rate

    def voltages(start: int, out: Block) -> None:
        got = sampled([sound for _, sound, _ in leads], box.rate_hz, first + start * step, step, out.shape[1])
        for (jack, _, gain), sound in zip(leads, got, strict=True):
            out[jack - 1] += np.float32(gain) * sound

    return voltages


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


def in_common_time(heard: NDArray[np.float32], clock: Clock, rate_hz: int) -> NDArray[np.float32]:
    """What came out of a box on its own clock, as somebody beside it hears it."""
    first, step = -clock.start_s * clock.rate, clock.rate / rate_hz
    if step == 1 and first == 0:
        return heard
    if step == 1 and first.denominator == 1:
        late = int(-first)
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


def leads_out(rig: Rig, box: Interface, length: int) -> list[Lead]:
    """The leads from a box's output jacks to destinations."""
    ends = {gear.id for gear in rig.gear if isinstance(gear, Destination)}
    return [
        Lead(
            patch.to_port,
            patch.from_port.number,
            0.0 if patch.muted else (-1 if patch.inverted else 1) * 10 ** (patch.gain_db / 20),
            np.zeros(length, np.float32),
        )
        for patch in rig.patches
        if patch.from_port.owner == box.id and patch.to_port.owner in ends
    ]
