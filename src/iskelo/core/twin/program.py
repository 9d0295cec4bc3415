"""A program at work: called for every block, it records what its armed tracks take, mixes what they pass on, and
sounds its voices. The blocks between two turns of the twin go through it at once.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import FarEnd, Program, ProgramPort
from iskelo.core.twin.converter import Converter
from iskelo.core.twin.delay_line import DelayLine
from iskelo.core.twin.mixing import Heard, mixed
from iskelo.core.twin.stream import Block, Rows

Leg = tuple[str, int]
"""A track's id and one of its legs."""


class Sound(Protocol):
    """What a source plays, as samples of any clock: 1.0 RMS = 0 dBu, or for a voice 1.0 = full scale."""

    def samples(self, rate_hz: int, start: int, count: int) -> NDArray[np.float32]:
        """``count`` samples from sample ``start`` of a clock of this rate."""
        ...


class Outside:
    """What lies between a call and one of its far ends, in a run: another delay each way, somewhere in what is said."""

    def __init__(self, far: FarEnd, rate_hz: int, seed: int) -> None:
        random = np.random.default_rng(seed)
        self.from_samples = round(random.uniform(far.from_low_ms, far.from_high_ms) * rate_hz / 1000)
        self.to_samples = round(random.uniform(far.to_low_ms, far.to_high_ms) * rate_hz / 1000)


@dataclass(frozen=True, slots=True)
class FromOutside:
    """What somebody far away says, as it comes in."""

    said: Sound
    late_samples: int

    def samples(self, rate_hz: int, start: int, count: int) -> NDArray[np.float32]:
        waits = min(count, max(0, self.late_samples - start))
        heard = self.said.samples(rate_hz, start + waits - self.late_samples, count - waits)
        return np.concatenate([np.zeros(waits, np.float32), heard]) if waits else heard


@dataclass(frozen=True, slots=True)
class ToldAhead:
    """What a hosted program plays of a song: it is told a later place of it than where its leader is."""

    played: Sound
    early_samples: int

    def samples(self, rate_hz: int, start: int, count: int) -> NDArray[np.float32]:
        return self.played.samples(rate_hz, start + self.early_samples, count)


class Processor:
    """A core that a program has to itself: it begins a call a little late, and takes its time for the work.

    A block that is not ready when it is due is lost. If the core is still busy with earlier ones at that moment, the
    block is not even looked at.
    """

    def __init__(self, work_s: float, late_s: float, seed: int) -> None:
        """``work_s``: for each block; ``late_s``: at most so late a call begins."""
        self._work_s, self._late_s = work_s, late_s
        self._random = np.random.default_rng(seed)
        self._busy_until_s = 0.0
        self.blocks = self.missed = 0

    def handle(self, called_s: float, due_s: float) -> tuple[bool, bool]:
        """Whether a block is handled at all, and whether it is ready when it is due."""
        begins_s = max(called_s + self._late_s * self._random.random(), self._busy_until_s)
        self.blocks += 1
        handled = begins_s < due_s
        if handled:
            self._busy_until_s = begins_s + self._work_s
        ready = handled and self._busy_until_s <= due_s * (1 + 1e-12)
        self.missed += not ready
        return handled, ready


def work_s(program: Program, block_samples: int, rate_hz: int) -> float:
    """The time for a block, on the straight line through what the program's meter read at two buffers.

    With one reading the worse of two guesses: that none of it shrinks with the buffer, or that all of it grows.
    """
    read = [(each.buffer_samples, each.percent / 100 * each.buffer_samples / rate_hz) for each in program.load_readings]
    if not read:
        return 0.0
    (first, took_s), (last, last_took_s) = min(read), max(read)
    if first == last:
        return took_s * max(1, block_samples / first)
    slope = (last_took_s - took_s) / (last - first)
    return max(0.0, took_s + slope * (block_samples - first))


class DeviceAtWork(Protocol):
    """A device as its programs see it: one driver of a box, or several boxes joined."""

    block_samples: int
    rate_hz: int
    capture: int
    playback: int
    captured: Block

    @property
    def calls(self) -> range: ...

    @property
    def began(self) -> int: ...

    def called_s(self, call: int) -> float: ...

    def due_s(self, call: int) -> float: ...

    def play(self, blocks: Block, rows: Rows) -> None: ...


@dataclass(frozen=True, slots=True)
class Mix:
    """What of some channels goes to some others, with which gains; shape (rows, channels)."""

    rows: Rows
    channels: Rows
    gains: Block

    @classmethod
    def of(cls, gains: Block) -> "Mix":
        """The rows and channels of a whole matrix where there is anything."""
        rows, channels = np.flatnonzero(gains.any(axis=1)).tolist(), np.flatnonzero(gains.any(axis=0)).tolist()
        return cls(_run(rows), _run(channels), gains[np.ix_(rows, channels)])


Late = tuple[Mix, DelayLine | None]
LateVoice = tuple[Sound, Mix, DelayLine | None]


class _Matrices:
    """Gains by how much later, from captured channels and from voices, to so many rows."""

    def __init__(self, rows: int, capture: int) -> None:
        self._rows, self._capture = rows, capture
        self._captured: dict[int, Block] = {}
        self._voices: dict[tuple[Port, int], Block] = {}

    def captured(self, late: int) -> Block:
        return self._captured.setdefault(late, np.zeros((self._rows, self._capture), np.float32))

    def voice(self, port: Port, late: int) -> Block:
        return self._voices.setdefault((port, late), np.zeros((self._rows, 1), np.float32))

    def at_work(self, sounds: Mapping[Port, Sound]) -> tuple[list[Late], list[LateVoice]]:
        """Mixes with the memory of what is later; of voices those that sound."""
        mixes = [
            (mix, DelayLine(mix.gains.shape[1], late) if late else None)
            for late, gains in self._captured.items()
            if (mix := Mix.of(gains)).gains.size
        ]
        voices = [
            (sounds[port], mix, DelayLine(1, late) if late else None)
            for (port, late), gains in self._voices.items()
            if port in sounds and (mix := Mix.of(gains)).gains.size
        ]
        return mixes, voices


def _passed(
    mixes: list[Late], voices: list[LateVoice], captured: Block, voiced: Mapping[int, Block]
) -> list[tuple[Mix, Block]]:
    """Every mix with the sound that goes into it now."""
    heard = [(mix, captured[mix.channels], line) for mix, line in mixes]
    heard += [(mix, voiced[id(sound)], line) for sound, mix, line in voices]
    return [(mix, sound if line is None else line.push(sound)) for mix, sound, line in heard]


class ProgramAtWork:
    """One program on one device; ``tape`` gives what was recorded, in stream time."""

    def __init__(
        self,
        program: Program,
        driver: DeviceAtWork,
        length: int,
        sounds: Mapping[Port, Sound],
        *,
        admitted: bool = True,
        late_s: float = 0.0,
        seed: int = 1,
        resampled_samples: int | None = None,
        hosted: Sequence[Program] = (),
    ) -> None:
        """``resampled_samples``: its driver resamples for it, and takes as long. ``hosted``: what runs in it."""
        self.program = program
        # A program hands out the samples it was made of one by one; the device's clock sets their pace.
        self._own_rate_hz = program.rate_hz or driver.rate_hz
        self._into = self._out = None
        if resampled_samples is not None:
            self._into, self._out = (
                Converter(channels, resampled_samples, driver.rate_hz, self._own_rate_hz)
                for channels in (driver.capture, driver.playback)
            )
            # What is resampled to the device's rate has the speed it was made for.
            self._own_rate_hz = driver.rate_hz
        work = work_s(program, driver.block_samples, driver.rate_hz)
        self.processor = Processor(work, late_s, seed) if program.load_readings else None
        self._driver = driver
        self._open = admitted
        outside = {
            voice.id: Outside(voice.far, driver.rate_hz, seed + crc32(voice.id.encode()))
            for voice in program.voices
            if voice.far is not None
        }
        self._to_far_ends = {
            track.id: outside[track.far_end].to_samples for track in program.tracks if track.far_end is not None
        }
        sounds = {
            port: FromOutside(sound, outside[port.owner].from_samples) if port.owner in outside else sound
            for port, sound in sounds.items()
        }
        for follower in hosted:
            early = follower.hosted.ahead_samples if follower.hosted and follower.hosted.compensated else 0
            own = {voice.id for voice in follower.voices}
            sounds |= {port: ToldAhead(sound, early) for port, sound in sounds.items() if port.owner in own}
        inputs = {item.id: item for item in program.inputs}
        self._legs: list[Leg] = [(track.id, leg) for track in program.tracks for leg in range(1, track.width + 1)]
        # A converter's 24 bits fit a single-precision number exactly.
        self._tape = np.zeros((len(self._legs), length), np.float32)
        rows, channels = [], []
        tracks = {track.id: track for track in program.tracks}
        refused = _not_let_arm(program)
        for row, (identity, leg) in enumerate(self._legs):
            track = tracks[identity]
            taken = inputs.get(track.input) if track.input else None
            channel = self._channel(taken, leg, program.enabled_in, driver.capture)
            if channel is not None and track.armed and track.id not in refused:
                rows.append(row)
                channels.append(channel - 1)
        self._rows, self._channels = _run(rows), _run(channels)
        self._records = bool(rows)
        # What of captured channels and of voices goes to playback channels, and to tracks that take a bus.
        played = _Matrices(driver.playback, driver.capture)
        taken_from_buses = _Matrices(len(self._legs), driver.capture)
        desk = mixed(program, hosted)
        for item in program.outputs:
            for leg in range(1, len(item.legs) + 1):
                end = self._channel(item, leg, program.enabled_out, driver.playback)
                if end is not None:
                    self._mix_into(played, end - 1, desk.at(item.id, leg))
        for row, (identity, leg) in enumerate(self._legs):
            if tracks[identity].armed and (identity, leg) in desk.recorded:
                self._mix_into(taken_from_buses, row, desk.recorded[identity, leg])
        self._mixes, self._voices = played.at_work(sounds)
        self._tape_mixes, self._tape_voices = taken_from_buses.at_work(sounds)

    @property
    def device(self) -> DeviceAtWork:
        """What calls it."""
        return self._driver

    def takes(self) -> set[int]:
        """The device's capture channels, from nought, that it hears anything of."""
        heard = [mix.channels for mix, _ in (*self._mixes, *self._tape_mixes)]
        rows = [self._channels, *heard] if self._records else heard
        return {channel for each in rows for channel in _numbers(each)} if self._open else set()

    def plays(self) -> set[int]:
        """The device's playback channels, from nought, that it gives anything to."""
        rows = [mix.rows for mix, _ in self._mixes] + [mix.rows for _, mix, _ in self._voices]
        return {channel for each in rows for channel in _numbers(each)} if self._open else set()

    def _mix_into(self, matrices: "_Matrices", row: int, heard: Heard) -> None:
        inputs = {item.id: item for item in self.program.inputs}
        for ((identity, start), late), gain in heard.items():
            if identity in inputs:
                channel = self._channel(inputs[identity], start, self.program.enabled_in, self._driver.capture)
                if channel is not None:
                    matrices.captured(late)[row, channel - 1] += gain
            else:
                matrices.voice(Port(identity, "voice", start), late)[row, 0] += gain

    @staticmethod
    def _channel(item: ProgramPort | None, leg: int, enabled: tuple[int, ...], size: int) -> int | None:
        """The device channel behind a leg, if there is one and the program has opened it."""
        if item is None or leg > len(item.legs):
            return None
        channel = item.legs[leg - 1]
        return channel if channel is not None and channel in enabled and channel <= size else None

    def call(self) -> None:
        """Handle the blocks of the calls since the last turn."""
        driver = self._driver
        if not self._open or not driver.calls:
            return
        captured, began = driver.captured, driver.began
        if self._into is not None:
            captured = self._into.push(captured)
        handled, ready = self._in_time()
        room = max(0, min(captured.shape[1], self._tape.shape[1] - began))
        if room and self._records:
            taken = captured[self._channels, :room]
            self._tape[self._rows, began : began + room] = taken if handled is None else taken * handled[:room]
        # The memory of effects runs with the sound, whether a block is ready or not.
        count = captured.shape[1]
        voiced: dict[int, Block] = {}
        for sound, _, _ in (*self._voices, *self._tape_voices):
            if id(sound) not in voiced:
                voiced[id(sound)] = sound.samples(self._own_rate_hz, began, count)[np.newaxis]
        heard = _passed(self._mixes, self._voices, captured, voiced)
        for mix, sound_then in _passed(self._tape_mixes, self._tape_voices, captured, voiced):
            recorded = (mix.gains @ sound_then)[:, :room]
            self._tape[mix.rows, began : began + room] += recorded if handled is None else recorded * handled[:room]
        together: Block = np.zeros((driver.playback, count if self._out is not None else 0), np.float32)
        for mix, sound_then in heard:
            played = mix.gains @ sound_then
            if ready is not None:
                played *= ready
            if self._out is None:
                driver.play(played, mix.rows)
            else:
                together[mix.rows] += played
        if self._out is not None:
            driver.play(self._out.push(together), slice(None))

    def _in_time(self) -> tuple[NDArray[np.float32] | None, NDArray[np.float32] | None]:
        """Which samples are handled at all, and which are ready when they are due; None is all of them."""
        driver = self._driver
        if self.processor is None:
            return None, None
        blocks = [self.processor.handle(driver.called_s(call), driver.due_s(call)) for call in driver.calls]
        if all(ready for _, ready in blocks):
            return None, None
        handled, ready = np.repeat(np.array(blocks, np.float32), driver.block_samples, axis=0).T
        return handled, ready

    def tape(self) -> list[tuple[Leg, NDArray[np.float32]]]:
        """What every track's leg holds, and what every far end has heard; silence where nothing was taken."""
        return [(leg, self._outside(leg, tape)) for leg, tape in zip(self._legs, self._tape, strict=True)]

    def _outside(self, leg: Leg, tape: NDArray[np.float32]) -> NDArray[np.float32]:
        """What goes to a far end is heard there later."""
        late = min(self._to_far_ends.get(leg[0], 0), len(tape))
        return np.concatenate([np.zeros(late, np.float32), tape[: len(tape) - late]]) if late else tape


def _not_let_arm(program: Program) -> set[str]:
    """Tracks the program will not arm: those that take a channel an earlier one has, where it allows one."""
    inputs = {item.id: item.legs for item in program.inputs}
    busy: set[int] = set()
    refused: set[str] = set()
    for track in program.tracks if program.one_track_per_input else ():
        wanted = set(inputs.get(track.input, ())) - {None} if track.armed and track.input else set()
        if wanted & busy:
            refused.add(track.id)
        else:
            busy.update(channel for channel in wanted if channel is not None)
    return refused


def _numbers(rows: Rows) -> Iterable[int]:
    return range(rows.start, rows.stop) if isinstance(rows, slice) else rows


def _run(numbers: list[int]) -> Rows:
    """Neighbouring numbers as a slice, which is read and written in one piece."""
    if numbers and numbers == list(range(numbers[0], numbers[0] + len(numbers))):
        return slice(numbers[0], numbers[-1] + 1)
    return numbers
