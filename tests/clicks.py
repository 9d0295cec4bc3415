"""Sounds for the twin, and what the prediction says becomes of a click."""

import numpy as np

from iskelo.core.levels.along import full_scale_dbu
from iskelo.core.lines.context import read
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.routes.route import passing_routes
from iskelo.core.timing.delays import delay_of

CLICK_AT_SECONDS = 0.2
"""Later than the first block of any program, and than any box begins."""
CLICK_DBU = -48.0
HEARD_RATIO = 1e-3
"""A copy is a sample this much above nothing; the converter's dither stays below 1e-6."""


class Click:
    """One sample at a source, at a level that no sum in these rigs brings to full scale."""

    def samples(self, rate_hz: int, start: int, count: int) -> np.ndarray:
        out = np.zeros(count, np.float32)
        at = round(CLICK_AT_SECONDS * rate_hz) - start
        if 0 <= at < count:
            out[at] = 10 ** (CLICK_DBU / 20)
        return out


class Noise:
    def __init__(self, seed: int, level_dbu: float) -> None:
        self.wave = np.random.default_rng(seed).standard_normal(400_000) * 10 ** (level_dbu / 20)

    def samples(self, rate_hz: int, start: int, count: int) -> np.ndarray:
        return self.wave[start : start + count].astype(np.float32)


def predicted(rig: Rig, start: Port, end: Port) -> dict[int, float]:
    """Amplitude by delay, from the routes: what the prediction says a click becomes."""
    reading = read(rig)
    copies: dict[int, float] = {}
    routes = passing_routes(reading.graph, start, end)
    rings = reading.rings.between(start, end, reading.known)
    rate_hz = delay_of(routes[0].edges, reading.found).rate_hz if routes else None
    # A converter turns a sine of the full-scale level into 1.0, so a click of RMS units into 1/sqrt(2).
    click = 10 ** (CLICK_DBU / 20) / (1 if start.bank == "voice" else np.sqrt(2))
    if rings:
        for seconds, ratio in reading.rings.copies(routes, rings, down_to_db=-140):
            delay = round(seconds * (rate_hz or 1))
            copies[delay] = copies.get(delay, 0.0) + click * ratio
        return {delay: amplitude for delay, amplitude in copies.items() if abs(amplitude) > HEARD_RATIO * 1e-3}
    for route in routes:
        delay = round(delay_of(route.edges, reading.found).exact_samples)
        level_db = route.gain_db - full_scale_dbu(route.edges, reading.found)
        copies[delay] = copies.get(delay, 0.0) + click * route.sign * 10 ** (level_db / 20)
    return {delay: amplitude for delay, amplitude in copies.items() if abs(amplitude) > HEARD_RATIO * 1e-3}


def measured(samples: np.ndarray, rate_hz: int) -> dict[int, float]:
    """Amplitude by delay: every sample that is not the converter's dither."""
    at = round(CLICK_AT_SECONDS * rate_hz)
    return {int(n) - at: float(samples[n]) for n in np.flatnonzero(np.abs(samples) > 3e-6)}
