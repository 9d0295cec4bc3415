"""An interface at work: converters, mixer, link, and two halves of memory each way.

The box runs on its own clock. While one half is filled from the converters, the half before it waits for
the programs; while one half is played, the other waits to be filled by them. When a period is over the
halves change places. That double buffering, the delay lines before and after it, and nothing else, is where
the twin's delays come from.
"""

import math
from collections.abc import Callable

import numpy as np

from iskelo.core.rig.gear import Interface
from iskelo.core.twin.delay_line import Block, DelayLine

LSB = 2.0**-23
"""One step of a 24-bit converter."""

SAMPLED_AT_ONCE = 8192
"""About so many samples go through the converters in one step of work."""


class Box:
    """One interface: ``finish_period`` runs its hardware for the period that is just over."""

    def __init__(self, box: Interface, jacks: Callable[[int, int], Block], seed: int) -> None:
        """``jacks(start, count)`` gives the voltages at the input jacks, shape (jack_in, count), 1.0 = 0 dBu."""
        self.box = box
        self.block_samples = box.driver.buffer_samples
        self.period = 0
        self._jacks = jacks
        self._random = np.random.default_rng(seed)
        self._converter_in = DelayLine(box.jack_in, box.converter_in_samples)
        self._mixer = DelayLine(box.jack_in, box.mixer_samples)
        self._to_computer = DelayLine(box.capture, box.link_in_samples + box.driver.safety_in_samples)
        self._from_computer = DelayLine(box.playback, box.driver.safety_out_samples + box.link_out_samples)
        self._converter_out = DelayLine(box.jack_out, box.converter_out_samples)
        shape_in, shape_out = (box.capture, self.block_samples), (box.playback, self.block_samples)
        self.captured: Block = np.zeros(shape_in)
        self._playing: list[Block] = [np.zeros(shape_out), np.zeros(shape_out)]
        full_scale = [trim - box.input_full_scale_dbu for trim in box.trims_db]
        # A sine at the full-scale level just reaches 1.0: its RMS is 1/√2 (AES17).
        self._gain_in = np.array([[10 ** (db / 20) / math.sqrt(2)] for db in full_scale]).reshape(-1, 1)
        self._direct = np.zeros((box.jack_out, box.jack_in))
        for cross in box.direct:
            if not cross.muted:
                self._direct[cross.jack_out - 1, cross.jack_in - 1] = 10 ** (cross.gain_db / 20)
        self._entering: Block = np.zeros(shape_in)
        self._sampled_ahead: Block = np.zeros((box.jack_in, 0))
        self._sampled_at = 0
        self._straight_in = min(box.jack_in, box.capture)
        self._straight_out = min(box.jack_out, box.playback)

    def finish_period(self) -> Block:
        """Run one period; leave its capture block to the programs; return what left the output jacks."""
        digital = self._mixer.push(self._converter_in.push(self._next_sampled()))
        self._entering[: self._straight_in] = digital[: self._straight_in]
        self.captured = self._to_computer.push(self._entering)
        half = self._playing[self.period % 2]
        from_computer = self._from_computer.push(half)
        half[:] = 0
        out = self._direct @ digital
        out[: self._straight_out] += from_computer[: self._straight_out]
        self.period += 1
        np.maximum(np.minimum(out, 1, out=out), -1, out=out)
        return self._converter_out.push(out)

    def play(self, blocks: Block) -> None:
        """A program hands over what is to be played on every channel in the next period but the running one."""
        self._playing[(self.period + 1) % 2] += blocks

    def _next_sampled(self) -> Block:
        """One period of samples. Sampling has no memory, so many periods are sampled at a time."""
        count = self.block_samples
        if self._sampled_at + count > self._sampled_ahead.shape[1]:
            many = count * max(1, SAMPLED_AT_ONCE // count)
            self._sampled_ahead = self._sampled(self._jacks(self.period * count, many))
            self._sampled_at = 0
        at = self._sampled_at
        self._sampled_at += count
        return self._sampled_ahead[:, at : at + count]

    def _sampled(self, voltages: Block) -> Block:
        """Gain, dither of one step either way (triangular), 24-bit steps, clipped at full scale."""
        scaled = voltages * self._gain_in
        dither = self._random.random(scaled.shape) - self._random.random(scaled.shape)
        sampled: Block = np.clip(np.round(scaled / LSB + dither) * LSB, -1, 1 - LSB)
        return sampled
