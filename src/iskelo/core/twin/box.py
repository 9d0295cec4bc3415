"""An interface at work: converters, mixer, link, and for each driver two halves of memory each way.

The box runs on its own clock. While one half is filled from the converters, the half before it waits for
the programs; while one half is played, the other waits to be filled by them. When a period is over the
halves change places. That double buffering, the memory that sound walks through before and after it, and
nothing else, is where the twin's delays come from. What has no blocks (converters, mixer, link) is worked
in long stretches.
"""

import math
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Protocol

import numpy as np

from iskelo.core.rig.gear import Driver, Interface
from iskelo.core.twin.ring import Clock
from iskelo.core.twin.stream import Block, Stream

LSB = 2.0**-23
"""One step of a 24-bit converter."""

STRETCH_SAMPLES = 8192
"""About so many samples go through the converters in one step of work."""


class Called(Protocol):
    """A program as its driver sees it."""

    def call(self) -> None:
        """Handle the block that the driver has captured."""
        ...


class DriverAtWork:
    """One driver of a box: it shows some of the channels, to its programs, in blocks of one size."""

    def __init__(self, box: "Box", driver: Driver, block_samples: int) -> None:
        gear = box.gear
        self.box = box
        self.driver = driver
        self.rate_hz = gear.rate_hz
        self.block_samples = block_samples
        self.period_samples = driver.engine or block_samples
        self.period = 0
        self.capture, self.playback = gear.shown(driver, "capture"), gear.shown(driver, "playback")
        self._fed = min(gear.jack_in, self.capture)
        self._entering: Block = np.zeros((self.capture, self.period_samples), np.float32)
        self._behind = gear.link_in_samples + driver.safety_in_samples
        self.captured: Block = self._entering
        shape = (self.playback, self.period_samples)
        self._halves: list[Block] = [np.zeros(shape, np.float32), np.zeros(shape, np.float32)]
        self.played = Stream(self.playback, box.keep_samples + driver.safety_out_samples + self.period_samples)

    def fixed_samples(self, *, inward: bool) -> int:
        """What a sound takes between the jacks and the blocks, whatever their size."""
        gear = self.box.gear
        if inward:
            return gear.converter_in_samples + gear.mixer_samples + self._behind
        return self.driver.safety_out_samples + gear.link_out_samples + gear.converter_out_samples

    def finish_period(self) -> None:
        """The period is over: the converters' half goes to the programs, theirs to the converters."""
        start = self.period * self.period_samples - self._behind
        digital = self.box.digital(start, self.period_samples)
        if self._fed == self.capture:
            self.captured = digital[: self.capture]
        else:
            self._entering[: self._fed] = digital[: self._fed]
            self.captured = self._entering
        half = self._halves[self.period % 2]
        self.played.write(half)
        half[:] = 0
        self.period += 1

    @property
    def lead_samples(self) -> int:
        """So much of its own time must have come in elsewhere before a call can count on a whole block of it."""
        return self.block_samples

    @property
    def now(self) -> int:
        """Stream time of the call that handles the period just over."""
        return self.period * self.block_samples

    @property
    def called_s(self) -> float:
        """The moment of the call that is under way."""
        return self.period * self.period_samples / self.box.gear.rate_hz

    @property
    def due_s(self) -> float:
        """The moment at which its block must have been handed over: when the halves next change places."""
        return (self.period + 1) * self.period_samples / self.box.gear.rate_hz

    def run(self, programs: Sequence[Called]) -> None:
        """Call the programs for what was captured."""
        for program in programs:
            program.call()

    def play(self, blocks: Block) -> None:
        """A program hands over what is to be played in the next period but the running one."""
        self._halves[(self.period + 1) % 2] += blocks

    def play_first(self, blocks: Block) -> None:
        """The same on the first channels only."""
        self._halves[(self.period + 1) % 2][: len(blocks)] += blocks


class EngineAtWork(DriverAtWork):
    """A shared system driver whose engine works in periods of its own and hands programs blocks of theirs.

    What the engine captured waits until it makes a block; what the programs give back waits until the engine
    collects a period of it. So that it never finds too little there, it begins with some silence, just as much
    as a rehearsal of one common round of both shows to be needed.
    """

    def __init__(self, box: "Box", driver: Driver, block_samples: int) -> None:
        super().__init__(box, driver, block_samples)
        keep = 2 * (self.block_samples + self.period_samples)
        self._arrived, self._given = Stream(self.capture, keep), Stream(self.playback, keep)
        self._silence_samples = rehearsed_silence_samples(self.block_samples, self.period_samples)
        self._given.write(np.zeros((self.playback, self._silence_samples), np.float32))
        self._mix: Block = np.zeros((self.playback, self.block_samples), np.float32)
        self._handled = 0

    def finish_period(self) -> None:
        super().finish_period()
        self._arrived.write(self.captured)

    @property
    def lead_samples(self) -> int:
        """Its stream time runs ahead of the moment of the call, by what the engine lays out."""
        return self._silence_samples + self.period_samples

    @property
    def now(self) -> int:
        """Stream time of a call: when its block stands ready to be collected, a period before it is played."""
        return self._handled + self._silence_samples + self.period_samples

    @property
    def due_s(self) -> float:
        """When the period is played out in which the block's first sample is collected."""
        turn = (self._handled + self._silence_samples) // self.period_samples
        return (turn + 2) * self.period_samples / self.box.gear.rate_hz

    def run(self, programs: Sequence[Called]) -> None:
        """Call the programs for every whole block that has arrived; then the engine collects a period."""
        while self._arrived.written - self._handled >= self.block_samples:
            self.captured = self._arrived.read(self._handled, self.block_samples)
            self._mix[:] = 0
            super().run(programs)
            self._given.write(self._mix)
            self._handled += self.block_samples
        start = (self.period - 1) * self.period_samples
        self._halves[(self.period + 1) % 2] += self._given.read(start, self.period_samples)

    def play(self, blocks: Block) -> None:
        """A program hands over its block; the engine collects it when its turn comes."""
        self._mix += blocks

    def play_first(self, blocks: Block) -> None:
        self._mix[: len(blocks)] += blocks


def rehearsed_silence_samples(block: int, period: int) -> int:
    """How much silence must lie before the first block, so that a period can be collected at every turn.

    Goes through one common round of both, counting what has been captured and not handed on, and what has
    been handed over and not collected.
    """
    waiting = ready = lowest = 0
    for _ in range(math.lcm(block, period) // period):
        waiting += period
        ready += waiting // block * block - period
        waiting %= block
        lowest = min(lowest, ready)
    return -lowest


class Box:
    """One interface: its converters and its mixer, and the drivers by which programs open it."""

    def __init__(
        self,
        gear: Interface,
        jacks: Callable[[int, int], Block],
        seed: int,
        clock: Clock | None = None,
        longest_block: int = 0,
    ) -> None:
        """``jacks(start, count)`` gives the voltages at the input jacks, shape (jack_in, count), 1.0 = 0 dBu.

        ``clock``: when it samples (None: from nought on, at its rate). ``longest_block``: of those that others than its
        drivers' own programs ask for.
        """
        self.gear = gear
        self.clock = clock or Clock(Fraction(0), Fraction(gear.rate_hz))
        self._jacks = jacks
        self._random = np.random.default_rng(seed)
        self._in_samples = gear.converter_in_samples + gear.mixer_samples
        fixed = self._in_samples + gear.link_in_samples + gear.link_out_samples + gear.converter_out_samples
        slowest = max(each.safety_in_samples + 2 * (each.engine or each.buffer_samples) for each in gear.drivers)
        self.keep_samples = fixed + slowest + 2 * longest_block + 2 * STRETCH_SAMPLES
        self._sampled = Stream(gear.jack_in, self.keep_samples)
        full_scale = [trim - gear.input_full_scale_dbu for trim in gear.trims_db]
        # A sine at the full-scale level just reaches 1.0: its RMS is 1/√2 (AES17). Counted in steps.
        self._gain_in = np.array([[10 ** (db / 20) / math.sqrt(2) / LSB] for db in full_scale], np.float32)
        self._gain_in = self._gain_in.reshape(-1, 1)
        self._last_random = np.zeros((gear.jack_in, 1), np.float32)
        self._direct = np.zeros((gear.jack_out, gear.jack_in), np.float32)
        for cross in gear.direct:
            if not cross.muted:
                self._direct[cross.jack_out - 1, cross.jack_in - 1] = 10 ** (cross.gain_db / 20)
        self._monitors = bool(self._direct.any())
        self._trim_out = np.array([[10 ** (db / 20)] for db in gear.output_trims_db], np.float32).reshape(-1, 1)
        self._clients: dict[str, str] = {}
        self.sessions: list[DriverAtWork] = []
        self._shared: dict[str, DriverAtWork] = {}

    def admit(self, driver: Driver, client: str) -> bool:
        """A client asks to be let in; False if the box or the driver is not there, or the driver has its only one."""
        if not self.gear.connected or not driver.installed:
            return False
        return driver.clients == "many" or self._clients.setdefault(driver.id, client) == client

    def shared(self, driver: Driver) -> DriverAtWork:
        """The driver at its own buffer, for all programs that open it straight."""
        if driver.id not in self._shared:
            self._shared[driver.id] = self.session(driver, driver.buffer_samples)
        return self._shared[driver.id]

    def session(self, driver: Driver, block_samples: int) -> DriverAtWork:
        """The driver at a buffer of its client's."""
        opened = (EngineAtWork if driver.engine else DriverAtWork)(self, driver, block_samples)
        self.sessions.append(opened)
        return opened

    def digital(self, start: int, count: int) -> Block:
        """What leaves the mixer towards the computer in these samples of the box's clock."""
        at = start - self._in_samples
        while self._sampled.written < at + count:
            self._sample(max(STRETCH_SAMPLES, count))
        return self._sampled.read(at, count)

    def analogue_out(self, start: int, count: int) -> Block:
        """What leaves the output jacks in these samples, 1.0 = full scale."""
        out = np.zeros((self.gear.jack_out, count), np.float32)
        at = start - self.gear.converter_out_samples
        if self._monitors:
            out += self._direct @ self.digital(at, count)
        for each in self.sessions:
            wide = min(each.playback, self.gear.jack_out)
            behind = self.gear.link_out_samples + each.driver.safety_out_samples
            out[:wide] += each.played.read(at - behind, count)[:wide]
        np.clip(out, -1, 1, out=out)
        out *= self._trim_out
        return out

    def _sample(self, count: int) -> None:
        """Gain, triangular dither of one step either way, 24-bit steps, clipped at full scale.

        The dither is the difference of neighbouring random numbers; common practice, no published source.
        """
        steps = self._jacks(self._sampled.written, count)
        steps *= self._gain_in
        random = self._random.random((self.gear.jack_in, count), np.float32)
        steps += random
        steps[:, 1:] -= random[:, :-1]
        steps[:, :1] -= self._last_random
        self._last_random = random[:, -1:]
        np.round(steps, out=steps)
        np.clip(steps, -(2.0**23), 2.0**23 - 1, out=steps)
        steps *= LSB
        self._sampled.write(steps)
