"""Run a rig: sounds in at the sources, recorded tracks and what the destinations get out."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.ends import in_common_time
from iskelo.core.twin.engine import SOUND_TURNS
from iskelo.core.twin.program import Sound
from iskelo.core.twin.simulation import Simulation
from iskelo.core.twin.stream import Block
from iskelo.core.twin.told import Missed, Slipped, Synced


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
    told: Callable[[Missed], None] = lambda missed: None,
    slipped: Callable[[Slipped], None] = lambda slip: None,
    synced: Callable[[Synced], None] = lambda begun: None,
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
        Seeds the converters' dither, by how much each call of a program is late, how fast clocks run that nobody has
        measured, and how the blocks of devices that are not started together fall.
    progress
        Told the share done now and then; if it answers False the run stops.
    told
        Told of every program whose load meter was read, how many of its blocks were missed.
    slipped
        Told of every block that slips between two clocks.
    synced
        Told of every program that follows another's clock, when its song has begun.

    Returns
    -------
    list of TakeChannel
        Every track leg of every program on a box, then every destination leg that is plugged into one.

    Raises
    ------
    Cancelled
        When ``progress`` answered False.
    CannotFollow
        Where sound goes round faster than can be simulated.
    """
    simulation = Simulation(rig, sounds, seconds, seed, slipped)
    engine, until = simulation.engine, simulation.until
    shares = [0.0]

    def tell() -> None:
        shares[0] = engine.now / until
        if not progress(shares[0]):
            raise Cancelled
        engine.at(engine.now + until // 100 + 1, SOUND_TURNS, tell)

    engine.at(0, SOUND_TURNS, tell)
    engine.run(until)
    simulation.turn()
    for begun in simulation.synced():
        synced(begun)
    take: list[TakeChannel] = []
    for recorder, rate_hz in simulation.recorders:
        if recorder.processor is not None:
            at_work = recorder.processor
            told(Missed(recorder.program.id, recorder.program.name, at_work.missed, at_work.blocks))
        take += [TakeChannel(Port(track, "track", leg), rate_hz, tape) for (track, leg), tape in recorder.tape()]
    ears: dict[tuple[Port, int], Block] = {}
    for out in simulation.ends:
        out.play_until(out.length)
        for lead in out.leads:
            key = (lead.port, out.box.gear.rate_hz)
            sound = in_common_time(lead.heard, out.box.clock, out.box.gear.rate_hz, lead.late_s)
            ears[key] = ears[key] + sound if key in ears else sound
    take += [TakeChannel(port, rate_hz, ear) for (port, rate_hz), ear in ears.items()]
    return take
