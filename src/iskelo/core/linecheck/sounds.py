"""The test signal as the sources of a rig play it."""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from iskelo.core.held import Held
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.signals.comb import PERIOD_SECONDS, PERIODS_PLAYED, WovenComb, woven_comb


def source_ports(rig: Rig) -> list[Port]:
    """Every port where sound begins, in order: slot k of the comb belongs to the k-th."""
    return index(rig).starts()


@dataclass
class CombSound:
    """One source's slot of the comb, played over and over at a level, for as many periods as are wanted."""

    waves: dict[int, NDArray[np.float32]] = field(default_factory=dict)

    def samples(self, rate_hz: int, start: int, count: int) -> NDArray[np.float32]:
        wave = self.waves[rate_hz]
        period = PERIOD_SECONDS * rate_hz
        if start >= PERIODS_PLAYED * period:
            return np.zeros(count, np.float32)
        first = start % period
        if first + count > len(wave):
            return np.resize(np.roll(wave[:period], -first), count)
        return wave[first : first + count]


COMBS_KEPT = 16
"""A comb is some 0.4 MB, and takes longer to weave than a small rig takes to be heard."""

_kept: Held[tuple[int, int, int, int], WovenComb] = Held(COMBS_KEPT)


def _woven(sources: int, rate_hz: int, lowest_hz: int, seed: int, told: Callable[[float], None]) -> WovenComb:
    """A comb, woven once: the same sizes give the same comb, and a rig is checked again and again.

    What leaves a box at one rate may come into one at another: so all rates of a rig share the lines and phases of the
    lowest, which reach the least far up.
    """
    told(0.0)
    key = (sources, rate_hz, lowest_hz, seed)
    comb = _kept.get(key)
    if comb is not None:
        return comb
    if rate_hz == lowest_hz:
        return _kept.keep(key, woven_comb(sources, rate_hz, seed, told))
    return _kept.keep(key, replace(_woven(sources, lowest_hz, lowest_hz, seed, told), rate_hz=rate_hz))


def play(
    rig: Rig, rates_hz: Iterable[int], offset_db: float, seed: int, told: Callable[[float], None] = lambda share: None
) -> tuple[dict[int, WovenComb], dict[Port, CombSound]]:
    """Weave a comb for every rate in use and give each source port its slot, at its nominal level.

    Parameters
    ----------
    offset_db
        Played so much above (below, if negative) each source's nominal level.
    told
        Told the share done of each comb's weaving.
    """
    ports = source_ports(rig)
    found = index(rig)
    combs: dict[int, WovenComb] = {}
    sounds = {port: CombSound() for port in ports}
    if not ports:
        return combs, sounds
    rates = sorted(rates_hz)
    for rate_hz in rates:
        combs[rate_hz] = _woven(len(ports), rate_hz, rates[0], seed, told)
        waves = combs[rate_hz].waveforms
        for slot, port in enumerate(ports):
            wave = waves[slot] * 10 ** ((found.level(port) + offset_db) / 20)
            if port.bank == "voice":
                # In the computer 1.0 is full scale, and a sine there has an RMS of 1/√2 (AES17).
                wave = wave / math.sqrt(2)
            wave = wave.astype(np.float32)
            # Half as much again, so that a block that runs over the period's end needs no joining.
            sounds[port].waves[rate_hz] = np.concatenate([wave, wave[: len(wave) // 2]])
    return combs, sounds
