"""Drivers at work: two halves of memory each way that change places, and an engine with periods of its own."""

import math
from typing import TYPE_CHECKING, Protocol

import numpy as np

from iskelo.core.rig.drivers import Driver
from iskelo.core.twin.stream import Block, Rows, Stream

if TYPE_CHECKING:
    from iskelo.core.twin.box import Box


class Called(Protocol):
    """A program as its driver sees it."""

    def call(self) -> None:
        """Handle what the driver has captured in the calls since the last turn."""
        ...

    def takes(self) -> set[int]:
        """The capture channels, from nought, that it hears anything of."""
        ...

    def plays(self) -> set[int]:
        """The playback channels, from nought, that it gives anything to."""
        ...


class DriverAtWork:
    """One driver of a box: it shows some of the channels, to its programs, in blocks of one size.

    Which call handles which samples is settled block by block; the sound of all calls since the last turn is worked at
    once: ``captured`` holds what they captured, from stream time ``began`` on.
    """

    def __init__(self, box: "Box", driver: Driver, block_samples: int) -> None:
        gear = box.gear
        self.box = box
        self.driver = driver
        self.rate_hz = gear.rate_hz
        self.block_samples = block_samples
        self.period_samples = driver.engine or block_samples
        self.capture, self.playback = gear.shown(driver, "capture"), gear.shown(driver, "playback")
        by_jacks = gear.mixer is None and gear.cable is None
        self._fed = min(gear.jack_in, self.capture) if by_jacks else self.capture
        self._safety = driver.safety(gear.rate_hz, block_samples)
        self.behind_samples = gear.link_in_samples + self._safety.in_samples
        self._finished = self._fresh = 0
        self._calls = range(0)
        self.captured: Block = np.zeros((self.capture, 0), np.float32)
        self._mix: Block = np.zeros((self.playback, 0), np.float32)
        keep = box.keep_samples + self._safety.out_samples + 2 * self.period_samples
        self.played = Stream(self.playback, keep)
        # While one half of the memory is played the programs fill the other one: both begin silent.
        self.played.write(np.zeros((self.playback, 2 * self.period_samples), np.float32))

    def fixed_samples(self, *, inward: bool) -> int:
        """What a sound takes between the jacks and the blocks, whatever their size."""
        gear = self.box.gear
        if inward:
            mixer = gear.mixer_samples if gear.mixer is None else 0
            return gear.converter_in_samples + mixer + self.behind_samples
        return self.ahead_samples + gear.converter_out_samples

    @property
    def ahead_samples(self) -> int:
        """What a sound takes between the half that is played and the converters."""
        return self._safety.out_samples + self.box.gear.link_out_samples

    @property
    def lead_samples(self) -> int:
        """So much of its own time must have come in elsewhere before a call can count on a whole block of it."""
        return self.block_samples

    def calls_by(self, period: int) -> int:
        """How many calls have been made when so many periods are over."""
        return period

    def now(self, call: int) -> int:
        """Stream time of a call: when the period that it handles was over."""
        return (call + 1) * self.block_samples

    def called_s(self, call: int) -> float:
        """The moment of a call."""
        return (call + 1) * self.period_samples / self.rate_hz

    def due_s(self, call: int) -> float:
        """The moment at which its block must have been handed over: when the halves next change places."""
        return ((call + 2) * self.period_samples + self.box.grace_samples) / self.rate_hz

    @property
    def calls(self) -> range:
        """The calls since the last turn."""
        return self._calls

    @property
    def began(self) -> int:
        """Stream time of the first of them."""
        return self.now(self._calls.start)

    def finish(self, periods: int) -> None:
        """So many periods are over; the box takes in what its converters got."""
        self._calls = range(self.calls_by(self._finished), self.calls_by(periods))
        self._fresh = periods - self._finished
        self._finished = periods
        self.box.take_in(periods * self.period_samples - self.behind_samples)

    def take_in(self, start: int, count: int) -> Block:
        """What the box gives the computer in these samples."""
        return self.box.digital(start, count)

    def hand_in(self) -> None:
        """The programs get what was captured."""
        count = self._fresh * self.period_samples
        digital = self.take_in(self._finished * self.period_samples - self.behind_samples - count, count)
        if self._fed == self.capture:
            self.captured = digital[: self.capture]
        else:
            self.captured = np.zeros((self.capture, count), np.float32)
            self.captured[: self._fed] = digital[: self._fed]
        self._mix = self.played.extend(len(self._calls) * self.block_samples)

    def play(self, blocks: Block, rows: Rows) -> None:
        """A program hands over what these channels are to play in the next period but the running one."""
        self._mix[rows] += blocks


class EngineAtWork(DriverAtWork):
    """A shared system driver whose engine works in periods of its own and hands programs blocks of theirs.

    What the engine captured waits until it makes a block; what the programs give back waits until the engine
    collects a period of it. So that it never finds too little there, it begins with some silence, just as much
    as a rehearsal of one common round of both shows to be needed.
    """

    def __init__(self, box: "Box", driver: Driver, block_samples: int) -> None:
        super().__init__(box, driver, block_samples)
        self._arrived = Stream(self.capture, box.keep_samples + 2 * (self.block_samples + self.period_samples))
        self._silence_samples = rehearsed_silence_samples(self.block_samples, self.period_samples)
        self.played.write(np.zeros((self.playback, self._silence_samples), np.float32))

    @property
    def lead_samples(self) -> int:
        """Its stream time runs ahead of the moment of the call, by what the engine lays out."""
        return self._silence_samples + self.period_samples

    def calls_by(self, period: int) -> int:
        """A call for every whole block that has arrived."""
        return period * self.period_samples // self.block_samples

    def now(self, call: int) -> int:
        """Stream time of a call: when its block stands ready to be collected, a period before it is played."""
        return call * self.block_samples + self._silence_samples + self.period_samples

    def called_s(self, call: int) -> float:
        """At the end of the period in which the last of its block has arrived."""
        return -(-(call + 1) * self.block_samples // self.period_samples) * self.period_samples / self.rate_hz

    def due_s(self, call: int) -> float:
        """When the period is played out in which the block's first sample is collected."""
        turn = (call * self.block_samples + self._silence_samples) // self.period_samples
        return (turn + 2) * self.period_samples / self.rate_hz

    def hand_in(self) -> None:
        super().hand_in()
        self._arrived.write(self.captured)
        first, count = self._calls.start * self.block_samples, len(self._calls) * self.block_samples
        self.captured = self._arrived.read(first, count)


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
