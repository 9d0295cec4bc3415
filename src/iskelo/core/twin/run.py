"""Run a rig: sounds in at the sources, recorded tracks and what the destinations get out."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.gear import Destination, Interface, Program
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.box import Box
from iskelo.core.twin.delay_line import Block
from iskelo.core.twin.engine import DEVICE_FINISHES, PROGRAM_RUNS, Engine
from iskelo.core.twin.recorder import Recorder


class Sound(Protocol):
    """A source's voltage, 1.0 RMS = 0 dBu, as samples of any clock."""

    def samples(self, rate_hz: int, start: int, count: int) -> NDArray[np.float64]:
        """``count`` samples from sample ``start`` of a clock of this rate."""
        ...


class Cancelled(Exception):
    """The run was stopped on request."""


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
        Seeds the converters' dither.
    progress
        Told the share done now and then; if it answers False the run stops.

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
    recorders: list[tuple[Recorder, int]] = []
    heard: list[tuple[Port, int, Block]] = []
    shares = [0.0]

    for number, box in enumerate(boxes.values()):
        length = int(seconds * box.rate_hz)
        actor = Box(box, _jacks(rig, box, sounds), seed + number)
        programs = [
            Recorder(gear, actor, length) for gear in rig.gear if isinstance(gear, Program) and gear.device == box.id
        ]
        recorders += [(recorder, box.rate_hz) for recorder in programs]
        leads = _leads_out(rig, box, length)
        heard += [(port, box.rate_hz, ear) for port, ear, _ in leads]
        _start(engine, actor, programs, leads)

    def tell() -> None:
        shares[0] = engine.now / until
        if not progress(shares[0]):
            raise Cancelled
        engine.at(engine.now + until // 100 + 1, PROGRAM_RUNS, tell)

    engine.at(0, PROGRAM_RUNS, tell)
    engine.run(until)
    for recorder, rate_hz in recorders:
        take += [TakeChannel(Port(track, "track", leg), rate_hz, tape) for (track, leg), tape in recorder.tape()]
    ears: dict[tuple[Port, int], Block] = {}
    for port, rate_hz, ear in heard:
        ears[(port, rate_hz)] = ears[(port, rate_hz)] + ear if (port, rate_hz) in ears else ear
    take += [TakeChannel(port, rate_hz, ear.astype(np.float32)) for (port, rate_hz), ear in ears.items()]
    return take


def _start(
    engine: Engine, actor: Box, programs: list[Recorder], leads: list[tuple[Port, Block, tuple[int, float]]]
) -> None:
    """Let a box finish its first period when it is over, and then every next one."""
    rate_hz, count = actor.box.rate_hz, actor.block_samples

    def finish() -> None:
        start = actor.period * count
        out = actor.finish_period()
        for _, ear, (jack, gain) in leads:
            room = max(0, min(count, len(ear) - start))
            ear[start : start + room] += out[jack - 1, :room] * gain
        for program in programs:
            engine.at(engine.now, PROGRAM_RUNS, program.call)
        engine.at(engine.ticks((actor.period + 1) * count, rate_hz), DEVICE_FINISHES, finish)

    engine.at(engine.ticks(count, rate_hz), DEVICE_FINISHES, finish)


def _jacks(rig: Rig, box: Interface, sounds: Mapping[Port, Sound]) -> Callable[[int, int], Block]:
    """The voltages at a box's input jacks, from the leads that are plugged there."""
    leads = [
        (
            patch.to_port.number,
            sounds[patch.from_port],
            (-1 if patch.inverted else 1) * 10 ** (patch.gain_db / 20),
        )
        for patch in rig.patches
        if patch.to_port.owner == box.id and patch.from_port in sounds and not patch.muted
    ]

    def voltages(start: int, count: int) -> Block:
        out = np.zeros((box.jack_in, count))
        for jack, sound, gain in leads:
            out[jack - 1] += gain * sound.samples(box.rate_hz, start, count)
        return out

    return voltages


def _leads_out(rig: Rig, box: Interface, length: int) -> list[tuple[Port, Block, tuple[int, float]]]:
    """The leads from a box's output jacks to destinations: port, what it hears, jack and gain."""
    ends = {gear.id for gear in rig.gear if isinstance(gear, Destination)}
    return [
        (
            patch.to_port,
            np.zeros(length),
            (
                patch.from_port.number,
                0.0 if patch.muted else (-1 if patch.inverted else 1) * 10 ** (patch.gain_db / 20),
            ),
        )
        for patch in rig.patches
        if patch.from_port.owner == box.id and patch.to_port.owner in ends
    ]
