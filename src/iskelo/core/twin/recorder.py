"""A recorder at work: called once a block, it stores what its armed tracks take and mixes what they pass on."""

import numpy as np

from iskelo.core.rig.gear import Program, ProgramPort
from iskelo.core.twin.box import Box
from iskelo.core.twin.delay_line import Block, DelayLine


class Recorder:
    """One program on one box. ``tape[(track id, leg)]`` holds what was recorded, in stream time."""

    def __init__(self, program: Program, box: Box, length: int) -> None:
        self.program = program
        self._box = box
        inputs = {item.id: item for item in program.inputs}
        outputs = {item.id: item for item in program.outputs}
        self.tape: dict[tuple[str, int], Block] = {}
        self._takes: list[tuple[tuple[str, int], int]] = []
        self._passes: list[tuple[int, float, list[int], DelayLine]] = []
        for track in program.tracks:
            taken = inputs.get(track.input) if track.input else None
            for leg in range(1, track.width + 1):
                self.tape[(track.id, leg)] = np.zeros(length)
                channel = self._channel(taken, leg, program.enabled_in, box.box.capture)
                if channel is None:
                    continue
                if track.armed:
                    self._takes.append(((track.id, leg), channel))
                if track.monitored and not track.muted and track.output:
                    ends = self._ends(outputs[track.output], leg, track.width)
                    gain = 10 ** (track.gain_db / 20)
                    self._passes.append((channel, gain, ends, DelayLine(1, track.effect_delay_samples)))

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
        for key, channel in self._takes:
            tape = self.tape[key]
            room = max(0, min(self._box.block_samples, len(tape) - now))
            tape[now : now + room] = captured[channel - 1, :room]
        for channel, gain, ends, effects in self._passes:
            sound = effects.push(captured[channel - 1 : channel])[0] * gain
            for end in ends:
                self._box.play(end, sound)
