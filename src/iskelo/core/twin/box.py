"""An interface at work: converters, mixer, link, and for each driver two halves of memory each way.

The box runs on its own clock. While one half is filled from the converters, the half before it waits for
the programs; while one half is played, the other waits to be filled by them. When a period is over the
halves change places. That double buffering, the memory that sound walks through before and after it, and
nothing else, is where the twin's delays come from. Sound is worked in long stretches, many blocks at a time.
"""

import math
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.links import BANKS, LINK_LIMITS
from iskelo.core.twin.driver import DriverAtWork, EngineAtWork
from iskelo.core.twin.ring import Clock
from iskelo.core.twin.stream import STRETCH_SAMPLES, Block, Stream
from iskelo.core.twin.tap import Listener, Tap

NO_TIME = Fraction(0)

LSB = 2.0**-23
"""One step of a 24-bit converter."""


class Returns(Protocol):
    """What comes back into a box by leads from output jacks."""

    @property
    def origin(self) -> "Box": ...

    @property
    def ahead_s(self) -> Fraction: ...

    def coming(self, start: int, count: int) -> tuple[list[int], Block]:
        """The input jacks, from nought, and the voltages that come back there in these samples of the box's clock."""
        ...


AHEAD_SAMPLES = STRETCH_SAMPLES // 4


class Box:
    """One interface: its converters and its mixer, and the drivers by which programs open it."""

    def __init__(
        self,
        gear: Interface,
        jacks: Callable[[int, Block], None],
        seed: int,
        clock: Clock | None = None,
        longest_block: int = 0,
        longest_late_s: Fraction = NO_TIME,
    ) -> None:
        """``jacks(start, out)`` lays the voltages at the input jacks from a sample on into ``out``, 1.0 = 0 dBu.

        ``clock``: when it samples (None: from nought on, at its rate). ``longest_block``: of those that others than its
        drivers' own programs ask for. ``longest_late_s``: so much later what leaves the box may be looked up.
        """
        self.gear = gear
        self.clock = clock or Clock(Fraction(0), Fraction(gear.rate_hz))
        self._jacks = jacks
        self._random = np.random.default_rng(seed)
        # In a mixer the core is passed by what goes through strips alone.
        self._in_samples = gear.converter_in_samples + (gear.mixer_samples if gear.mixer is None else 0)
        fixed = self._in_samples + gear.link_in_samples + gear.link_out_samples + gear.converter_out_samples
        slowest = max(
            max((each.safety_in_samples, *(known.in_samples for known in each.offsets)))
            + 2 * (each.engine or each.buffer_samples)
            for each in gear.drivers
        )
        self.keep_samples = fixed + slowest + 2 * longest_block + 2 * STRETCH_SAMPLES
        self.keep_samples += gear.cable.margin_samples if gear.cable is not None else 0
        self.keep_samples += math.ceil(longest_late_s * self.clock.rate)
        self.returns: list[Returns] = []
        self.step_samples: int | None = None
        self._laid: Block = np.zeros((gear.jack_in, 0), np.float32)
        self._laid_until = 0
        self._sampled = Stream(gear.jack_in, self.keep_samples)
        self._converts = not gear.is_analogue
        full_scale = [trim - gear.input_full_scale_dbu for trim in gear.trims_db]
        # A sine at the full-scale level just reaches 1.0: its RMS is 1/√2 (AES17). Counted in steps.
        self._gain_in = np.array([10 ** (db / 20) / math.sqrt(2) / LSB for db in full_scale], np.float32)
        if not self._converts:
            self._gain_in = np.array([10 ** (db / 20) for db in gear.trims_db], np.float32)
        self._last_random = np.zeros(gear.jack_in, np.float32)
        self._direct = np.zeros((gear.jack_out, gear.jack_in), np.float32)
        for cross in gear.direct:
            if not cross.muted:
                self._direct[cross.jack_out - 1, cross.jack_in - 1] = 10 ** (cross.gain_db / 20)
        self._trim_out = np.array([[10 ** (db / 20)] for db in gear.output_trims_db], np.float32).reshape(-1, 1)
        self._clients: list[tuple[Driver, str]] = []
        self.sessions: list[DriverAtWork] = []
        self._shared: dict[str, DriverAtWork] = {}

    def admit(self, driver: Driver, client: str) -> bool:
        """A client asks to be let in; False if the box or the driver is not there, its link is too narrow, or another
        client is in that leaves no room for this one.
        """
        if not self.gear.connected:
            return False
        if (driver, client) not in self._clients:
            inside = [by for by, other in self._clients if other != client]
            if any(_shut_out(by, driver) for by in inside):
                return False
            self._clients.append((driver, client))
        return driver.installed and self._link_carries()

    def _link_carries(self) -> bool:
        """Whether a frame of the link holds what each way may have in it: a sample more where clocks are free."""
        limits = LINK_LIMITS.get(self.gear.link_kind)
        if limits is None:
            return True
        samples = self.gear.rate_hz // limits.frames_per_s + 1
        ways = [
            self.gear.channels_at(bank, self.gear.rate_hz) * self.gear.link_sample_bytes * samples for bank in BANKS
        ]
        return max(ways) <= limits.endpoint_bytes and sum(ways) <= limits.periodic_bytes

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

    @property
    def grace_samples(self) -> int:
        """So much later than when its turn comes may a block be handed over."""
        return 0

    @property
    def direct_s(self) -> Fraction:
        """How long a sound takes from an input jack straight to an output jack."""
        return (self._in_samples + self.gear.converter_out_samples) / self.clock.rate

    def take_in(self, until: int) -> None:
        """Let the converters sample all that leaves the mixer before this sample of the box's clock."""
        last = until - self._in_samples
        while (missing := last - self._sampled.written) > 0:
            # Where sound goes round, no more is taken in at once than has been given out. What only comes in is taken
            # in ahead of what is asked for, where turns are short: a long stretch costs as much as a few short ones.
            self._sample(min(missing, self.step_samples) if self.step_samples else max(missing, self._ahead_samples))

    @property
    def _ahead_samples(self) -> int:
        """So much is sampled at once at least, as far as nothing that comes in was given out before."""
        return 0 if self.returns else AHEAD_SAMPLES

    def digital(self, start: int, count: int) -> Block:
        """What leaves the mixer towards the computer in these samples; a view, good until more is taken in."""
        self.take_in(start + count)
        return self._sampled.read(start - self._in_samples, count)

    @property
    def unheard_samples(self) -> int:
        """So long before a turn ends does the last of what comes in by then matter: the rest is not asked for."""
        waits = [session.behind_samples for session in self.sessions]
        if self._direct.any():
            waits.append(self.gear.converter_out_samples)
        return min(waits, default=0)

    def tap(self, rows: Sequence[int]) -> Listener:
        """Some of the output jacks, to listen at; jacks from nought. Every program must have been let in before."""
        return Tap(self, list(rows), self._direct[list(rows)], self._trim_out[list(rows)])

    def _sample(self, count: int) -> None:
        start = self._sampled.written
        if self.returns:
            self._sample_with_returns(start, count)
            return
        steps = self._sampled.extend(count)
        self._jacks(start, steps)
        # One channel after the other: a stretch of one stays in the processor's nearest memory.
        for number, row in enumerate(steps):
            self._turn_up(number, row)
            if self._converts:
                convert(row)

    def _turn_up(self, number: int, sound: NDArray[np.float32]) -> None:
        """A jack's gain and, before a converter, its dither; in place."""
        sound *= self._gain_in[number]
        if self._converts:
            noise = self._dither(number, len(sound))
            sound += noise[1:]
            sound -= noise[:-1]

    def _sample_with_returns(self, start: int, count: int) -> None:
        """The same in short pieces: all but what comes back has been laid out for many of them."""
        if start + count > self._laid_until:
            rest = (
                self._laid[:, start - self._laid_until + self._laid.shape[1] :] if self._laid.shape[1] else self._laid
            )
            fresh: Block = np.zeros((self.gear.jack_in, STRETCH_SAMPLES + count), np.float32)
            self._jacks(self._laid_until, fresh)
            for number, row in enumerate(fresh):
                self._turn_up(number, row)
            self._laid = np.concatenate([rest, fresh], axis=1)
            self._laid_until += fresh.shape[1]
        at = start - self._laid_until + self._laid.shape[1]
        steps = self._sampled.extend(count)
        steps[:] = self._laid[:, at : at + count]
        for each in self.returns:
            rows, volts = each.coming(start, count)
            steps[rows] += volts * self._gain_in[rows, np.newaxis]
        if self._converts:
            convert(steps)

    def _dither(self, number: int, count: int) -> NDArray[np.float32]:
        """A channel's random numbers, the last of the stretch before first: triangular dither is their difference, one
        step either way; common practice, no published source.
        """
        noise = np.empty(count + 1, np.float32)
        noise[0] = self._last_random[number]
        self._random.random(dtype=np.float32, out=noise[1:])
        self._last_random[number] = noise[-1]
        return noise


def _shut_out(inside: Driver, asking: Driver) -> bool:
    """Whether who is in by one driver keeps out who asks for another, or for the same."""
    if inside.id == asking.id:
        return asking.clients != "many"
    by_the_system = all(each.kind != "vendor" for each in (inside, asking))
    return by_the_system and any(each.kind == "system, sole use" for each in (inside, asking))


def convert(sound: NDArray[np.float32]) -> None:
    """24-bit steps, clipped at full scale; in place."""
    np.rint(sound, out=sound)
    np.minimum(sound, np.float32(2.0**23 - 1), out=sound)
    np.maximum(sound, np.float32(-(2.0**23)), out=sound)
    sound *= np.float32(LSB)
