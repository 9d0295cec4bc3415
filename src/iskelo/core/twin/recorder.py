"""A recorder at work: called once a block, it stores what its armed tracks take and mixes what they pass on."""

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.gear import Program, ProgramPort, Track
from iskelo.core.twin.box import Box
from iskelo.core.twin.delay_line import DelayLine

Leg = tuple[str, int]
"""A track's id and one of its legs."""


class Recorder:
    """One program on one box; ``tape`` gives what was recorded, in stream time."""

    def __init__(self, program: Program, box: Box, length: int) -> None:
        self.program = program
        self._box = box
        inputs = {item.id: item for item in program.inputs}
        outputs = {item.id: item for item in program.outputs}
        self._legs: list[Leg] = [(track.id, leg) for track in program.tracks for leg in range(1, track.width + 1)]
        # A converter's 24 bits fit a single-precision number exactly.
        self._tape = np.zeros((len(self._legs), length), np.float32)
        rows, channels = [], []
        # Which capture channel goes to which playback channel, for tracks without effects; those with one apart.
        self._straight = np.zeros((box.box.playback, box.box.capture))
        self._delayed: list[tuple[NDArray[np.float64], DelayLine]] = []
        tracks = {track.id: track for track in program.tracks}
        for row, (identity, leg) in enumerate(self._legs):
            track = tracks[identity]
            taken = inputs.get(track.input) if track.input else None
            channel = self._channel(taken, leg, program.enabled_in, box.box.capture)
            if channel is None:
                continue
            if track.armed:
                rows.append(row)
                channels.append(channel - 1)
            if track.monitored and not track.muted and track.output:
                self._pass_on(track, leg, channel, outputs[track.output])
        self._rows, self._channels = _run(rows), _run(channels)
        self._records = bool(rows)

    def _pass_on(self, track: Track, leg: int, channel: int, output: ProgramPort) -> None:
        mix = np.zeros((self._box.box.playback, self._box.box.capture))
        for end in self._ends(output, leg, track.width):
            mix[end - 1, channel - 1] += 10 ** (track.gain_db / 20)
        if track.effect_delay_samples == 0:
            self._straight += mix
        else:
            self._delayed.append((mix, DelayLine(self._box.box.capture, track.effect_delay_samples)))

    @staticmethod
    def _channel(item: ProgramPort | None, leg: int, enabled: tuple[int, ...], size: int) -> int | None:
        """The device channel behind a leg, if there is one and the program has opened it."""
        if item is None or leg > len(item.legs):
            return None
        channel = item.legs[leg - 1]
        return channel if channel is not None and channel in enabled and channel <= size else None

    def _ends(self, output: ProgramPort, leg: int, width: int) -> list[int]:
        """The playback channels a track's leg is mixed to: a mono track to every leg, stereo leg to leg."""
        if width == 1:
            legs = list(range(1, len(output.legs) + 1))
        elif len(output.legs) == 1:
            legs = [1]
        else:
            legs = [leg]
        found = (self._channel(output, end, self.program.enabled_out, self._box.box.playback) for end in legs)
        return [channel for channel in found if channel is not None]

    def call(self) -> None:
        """Handle the block captured in the period just over; its stream time begins now."""
        captured, now = self._box.captured, self._box.period * self._box.block_samples
        room = max(0, min(self._box.block_samples, self._tape.shape[1] - now))
        if room and self._records:
            self._tape[self._rows, now : now + room] = captured[self._channels, :room]
        out = self._straight @ captured
        for mix, effects in self._delayed:
            out += mix @ effects.push(captured)
        self._box.play(out)

    def tape(self) -> list[tuple[Leg, NDArray[np.float32]]]:
        """What every track's leg holds; silence where it was not armed or took nothing."""
        return list(zip(self._legs, self._tape, strict=True))


def _run(numbers: list[int]) -> slice | list[int]:
    """Neighbouring numbers as a slice, which is read and written in one piece."""
    if numbers and numbers == list(range(numbers[0], numbers[0] + len(numbers))):
        return slice(numbers[0], numbers[-1] + 1)
    return numbers
