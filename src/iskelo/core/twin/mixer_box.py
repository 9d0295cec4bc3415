"""A box that is a mixer, at work: its channels and its output jacks are worked from its inputs and what it plays.

Two runs of the same mixer: one for the computer's channels, which must be there before the programs are called, and one
for the output jacks, which hear what the programs have given in the same turn.
"""

import math
from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from iskelo.core.twin.box import LSB, Box, convert
from iskelo.core.twin.couplings import InsideLead, Point, couplings, loud
from iskelo.core.twin.driver import DriverAtWork
from iskelo.core.twin.mixer import MixerAtWork, as_run, hears_inputs
from iskelo.core.twin.stream import STRETCH_SAMPLES, Block, Stream
from iskelo.core.twin.tap import Listener

HIGHEST_DBU = 60.0
"""What an analogue mixer carries of which nobody says what it does: more than anything gives."""


class MixerTap:
    """Some output jacks of a mixer, as somebody listens at them."""

    def __init__(self, box: "MixerBox", rows: list[int], trims: Block) -> None:
        self._box, self._rows, self._trims = box, rows, trims
        self._hears = box.hears_inputs(rows)

    @property
    def hears_directly(self) -> bool:
        """Whether something that comes in is heard there."""
        return self._hears

    def read(self, start: int, count: int) -> Block:
        """What leaves the jacks in these samples, 1.0 = full scale."""
        out: Block = self._box.leaving(start, count)[self._rows]
        np.clip(out, -self._box.ceiling, self._box.ceiling, out=out)
        out *= self._trims
        return out


class MixerBox(Box):
    """A mixer: a digital one converts at its jacks, an analogue one at its channels."""

    def set_up(self, leads: Sequence[InsideLead]) -> "MixerBox":
        """Couple its points. Time inside is that of what stands behind its preamplifiers."""
        gear, mixer = self.gear, self.gear.mixer
        assert mixer is not None
        self._analogue = mixer.analogue
        self.full_scale = math.sqrt(2) * loud(gear.output_full_scale_dbu) if mixer.analogue else 1.0
        highest_dbu = HIGHEST_DBU if mixer.highest_dbu is None else mixer.highest_dbu
        self.ceiling = math.sqrt(2) * loud(highest_dbu) / self.full_scale if mixer.analogue else 1.0
        tops = {"in": math.sqrt(2) * loud(highest_dbu) if mixer.analogue else 1.0}
        self._coupled = couplings(gear, leads)
        channels: list[Point] = [("send", "", number) for number in range(1, gear.capture + 1)]
        self._to_computer = MixerAtWork(self._coupled, channels, tops, gear.name)
        self._tops = tops
        self._to_jacks: MixerAtWork | None = None
        self._listened: set[int] = set()
        self._captured = Stream(gear.capture, self.keep_samples)
        self._out = Stream(gear.jack_out, self.keep_samples)
        self._last_random = np.zeros(max(gear.jack_in, gear.capture), np.float32)
        self._channel_gain = np.float32(1 / (math.sqrt(2) * loud(gear.input_full_scale_dbu)) / LSB)
        # What is at the computer's side of a digital mixer has no converter to pass.
        self._return_samples = gear.converter_out_samples if mixer.analogue else 0
        self.jack_samples = 0 if mixer.analogue else gear.converter_in_samples + gear.converter_out_samples
        self._inside_samples = 0 if mixer.analogue else gear.converter_in_samples
        return self

    def tap(self, rows: Sequence[int]) -> Listener:
        self._listened |= set(rows)
        return MixerTap(self, list(rows), self._trim_out[list(rows)])

    @property
    def takes_again(self) -> bool:
        """Whether what it plays comes to one of the computer's channels again."""
        return any(point[0] == "return" for point in self._to_computer.sources)

    def taken_again_ahead(self) -> list[tuple[Fraction, DriverAtWork]]:
        """How long turns may be, by each driver, so that what comes to a channel again has been given out."""
        behind = min((session.behind_samples for session in self.sessions), default=0)
        return [
            (
                (session.period_samples + session.ahead_samples + self._return_samples + behind) / self.clock.rate,
                session,
            )
            for session in self.sessions
        ]

    @property
    def direct_s(self) -> Fraction:
        return self.jack_samples / self.clock.rate

    @property
    def unheard_samples(self) -> int:
        waits = [session.behind_samples for session in self.sessions]
        return min([*waits, self.gear.converter_out_samples if not self._analogue else 0])

    @property
    def _ahead_samples(self) -> int:
        # Its channels are worked as far as its jacks are, and hear what is played.
        return 0

    def take_in(self, until: int) -> None:
        super().take_in(until)
        while (missing := self._sampled.written - self._captured.written) > 0:
            count = min(missing, STRETCH_SAMPLES)
            fresh = self._captured.behind(count)
            self._work(self._to_computer, count, fresh)
            if self._analogue:
                fresh *= self._channel_gain
                for number in range(len(fresh)):
                    noise = self._dither(number, count)
                    fresh[number] += noise[1:] - noise[:-1]
                convert(fresh)
            else:
                np.clip(fresh, -1, 1, out=fresh)

    def digital(self, start: int, count: int) -> Block:
        self.take_in(start + count)
        return self._captured.read(start - self._in_samples, count)

    def leaving(self, start: int, count: int) -> Block:
        """What leaves the output jacks in these samples, before their trims, 1.0 = full scale."""
        first = start - self.jack_samples
        super().take_in(first + count + self._in_samples)
        if self._to_jacks is None:
            # Nobody listens at the others.
            jacks: list[Point] = [
                ("out" if row in self._listened else "none", "", row + 1) for row in range(len(self._trim_out))
            ]
            self._to_jacks = MixerAtWork(self._coupled, jacks, self._tops, self.gear.name)
        while (missing := first + count - self._out.written) > 0:
            some = min(missing, STRETCH_SAMPLES)
            fresh = self._out.behind(some)
            self._work(self._to_jacks, some, fresh)
            if self._analogue:
                fresh *= np.float32(1 / self.full_scale)
        return self._out.read(first, count)

    def hears_inputs(self, rows: Sequence[int]) -> bool:
        """Whether something that comes in is heard at these output jacks, from nought, without the computer."""
        return hears_inputs(self._coupled, [("out", "", row + 1) for row in rows])

    def _work(self, mixer: MixerAtWork, count: int, out: Block) -> None:
        """Some more of a run: its inputs, and what has been played."""
        jacks = [number - 1 for kind, _, number in mixer.sources if kind == "in"]
        returns = [number - 1 for kind, _, number in mixer.sources if kind == "return"]

        def sound(start: int, rows: Block) -> None:
            width = rows.shape[1]
            if jacks:
                rows[: len(jacks)] = self._sampled.read(start, width)[as_run(jacks)]
            if returns:
                rows[len(jacks) :] = self._played(start, width)[as_run(returns)]

        mixer.work(count, sound, out)

    def _played(self, at: int, count: int) -> Block:
        """What all programs play, as it stands inside the mixer in these samples."""
        total: Block = np.zeros((self.gear.playback, count), np.float32)
        for session in self.sessions:
            begin = at + self._inside_samples - self._return_samples - session.ahead_samples
            total[: session.playback] += session.played.read(begin, count)
        if self._analogue:
            np.clip(total, -1, 1, out=total)
            total *= np.float32(self.full_scale)
        return total
