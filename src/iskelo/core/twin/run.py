"""Run a rig: sounds in at the sources, recorded tracks and what the destinations get out."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.gear import Destination, Interface, Program, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.box import STRETCH_SAMPLES, Box, DriverAtWork
from iskelo.core.twin.engine import DEVICE_FINISHES, PROGRAM_RUNS, Engine
from iskelo.core.twin.program import ProgramAtWork, Sound
from iskelo.core.twin.stream import Block


class Cancelled(Exception):
    """The run was stopped on request."""


@dataclass(frozen=True, slots=True)
class Missed:
    """How many of a program's blocks were not ready in time."""

    program: str
    name: str
    missed: int
    blocks: int


@dataclass(frozen=True, slots=True)
class TakeChannel:
    """What one target got: a track's leg or a destination's leg, from the moment the sources started."""

    port: Port
    rate_hz: int
    samples: NDArray[np.float32]


def run_twin(
    rig: Rig,
    sounds: Mapping[Port, Sound],
    seconds: float,
    *,
    seed: int = 1,
    progress: Callable[[float], bool] = lambda share: True,
    told: Callable[[Missed], None] = lambda missed: None,
) -> list[TakeChannel]:
    """Run the rig's gear block by block.

    Parameters
    ----------
    rig
        A rig that holds together.
    sounds
        What each source port plays from time nought; others are silent.
    seconds
        How long to run.
    seed
        Seeds the converters' dither, and by how much each call of a program is late.
    progress
        Told the share done now and then; if it answers False the run stops.
    told
        Told of every program whose load meter was read, how many of its blocks were missed.

    Returns
    -------
    list of TakeChannel
        Every track leg of every program on a box, then every destination leg that is plugged into one.

    Raises
    ------
    Cancelled
        When ``progress`` answered False.
    """
    boxes = {gear.id: gear for gear in rig.gear if isinstance(gear, Interface)}
    engine = Engine([box.rate_hz for box in boxes.values()] or [1])
    until = int(seconds * engine.ticks_per_second)
    take: list[TakeChannel] = []
    recorders: list[tuple[ProgramAtWork, int]] = []
    ends: list[_OutputEnd] = []
    shares = [0.0]

    for number, gear in enumerate(boxes.values()):
        length = int(seconds * gear.rate_hz)
        box = Box(gear, _jacks(rig, gear, sounds), seed + number)
        out = _OutputEnd(box, _leads_out(rig, gear, length), length)
        ends.append(out)
        for driver in box.drivers:
            programs = [
                ProgramAtWork(
                    program, driver, length, sounds, late_s=rig.jitter_ms / 1000, seed=seed + 7919 * (place + 1)
                )
                for place, program in enumerate(rig.gear)
                if isinstance(program, Program) and program.device == gear.id and box.driver(program.driver) is driver
            ]
            recorders += [(program, gear.rate_hz) for program in programs]
            _start(engine, driver, programs, out)

    def tell() -> None:
        shares[0] = engine.now / until
        if not progress(shares[0]):
            raise Cancelled
        engine.at(engine.now + until // 100 + 1, PROGRAM_RUNS, tell)

    engine.at(0, PROGRAM_RUNS, tell)
    engine.run(until)
    for recorder, rate_hz in recorders:
        if recorder.processor is not None:
            at_work = recorder.processor
            told(Missed(recorder.program.id, recorder.program.name, at_work.missed, at_work.blocks))
        take += [TakeChannel(Port(track, "track", leg), rate_hz, tape) for (track, leg), tape in recorder.tape()]
    ears: dict[tuple[Port, int], Block] = {}
    for out in ends:
        out.play_until(out.length)
        for lead in out.leads:
            key = (lead.port, out.box.gear.rate_hz)
            ears[key] = ears[key] + lead.heard if key in ears else lead.heard
    take += [TakeChannel(port, rate_hz, ear) for (port, rate_hz), ear in ears.items()]
    return take


@dataclass(frozen=True, slots=True)
class _Lead:
    """A lead from an output jack to a destination, and all that went through it."""

    port: Port
    jack: int
    gain: float
    heard: Block


class _OutputEnd:
    """Listens at a box's output jacks, a long stretch at a time."""

    def __init__(self, box: Box, leads: list[_Lead], length: int) -> None:
        self.box = box
        self.leads = leads
        self.length = length
        self._at = 0

    def play_until(self, sample: int) -> None:
        """Let everything out that leaves the jacks before this sample and is already in the box."""
        ready = min(sample, self.length, *(each.played.written for each in self.box.drivers))
        while self._at < ready:
            count = min(STRETCH_SAMPLES, ready - self._at)
            if self.leads:
                out = self.box.analogue_out(self._at, count)
                for lead in self.leads:
                    lead.heard[self._at : self._at + count] += out[lead.jack - 1] * lead.gain
            self._at += count

    def due(self) -> bool:
        """Whether a whole stretch is waiting."""
        return min(each.played.written for each in self.box.drivers) - self._at >= STRETCH_SAMPLES


def _start(engine: Engine, driver: DriverAtWork, programs: list[ProgramAtWork], out: _OutputEnd) -> None:
    """Let a driver finish its first period when it is over, and then every next one."""
    rate_hz, count = driver.box.gear.rate_hz, driver.period_samples

    def run_programs() -> None:
        driver.run(programs)

    def finish() -> None:
        driver.finish_period()
        if programs:
            engine.at(engine.now, PROGRAM_RUNS, run_programs)
        if out.due():
            out.play_until(out.length)
        engine.at(engine.ticks((driver.period + 1) * count, rate_hz), DEVICE_FINISHES, finish)

    engine.at(engine.ticks(count, rate_hz), DEVICE_FINISHES, finish)


def _jacks(rig: Rig, box: Interface, sounds: Mapping[Port, Sound]) -> Callable[[int, int], Block]:
    """The voltages at a box's input jacks, from the leads that are plugged there."""
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

    def voltages(start: int, count: int) -> Block:
        out = np.zeros((box.jack_in, count), np.float32)
        for jack, sound, gain in leads:
            out[jack - 1] += gain * sound.samples(box.rate_hz, start, count)
        return out

    return voltages


def _leads_out(rig: Rig, box: Interface, length: int) -> list[_Lead]:
    """The leads from a box's output jacks to destinations."""
    ends = {gear.id for gear in rig.gear if isinstance(gear, Destination)}
    return [
        _Lead(
            patch.to_port,
            patch.from_port.number,
            0.0 if patch.muted else (-1 if patch.inverted else 1) * 10 ** (patch.gain_db / 20),
            np.zeros(length, np.float32),
        )
        for patch in rig.patches
        if patch.from_port.owner == box.id and patch.to_port.owner in ends
    ]
