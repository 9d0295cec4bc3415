"""Sounds in one channel whose clocks run apart: each is listened to in what all the others leave.

Read at one clock's pace, a sound on another clock is smeared over the whole band and hides what is softer by some ten
decibels. So the loudest clock's sounds are taken out of the channel, then the next clock's are looked for in the rest,
and in the end every clock's sounds are listened to without those of all the others (Hogbom, "Aperture synthesis with a
non-regular distribution of interferometer baselines", *Astron. Astrophys. Suppl.* 15, 1974, from memory, for taking out
the strongest first).
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from iskelo.core.signals.comb import PERIODS_PLAYED, WovenComb
from iskelo.core.signals.drift import (
    CLOCKS_AT_MOST,
    COHERENT,
    Pace,
    alike,
    left_over,
    pace,
    periods_at,
    repeats,
    sound_at,
)
from iskelo.core.signals.listen import (
    Clear,
    Complex,
    Heard,
    Real,
    arrivals,
    arriving,
    clear_lines,
    gate,
    noise_power,
    rms_of_noise,
    sources_heard,
)

LEAST_PPM = 0.02
SAME_CLOCK_PPM = 0.03
ABOUT_ONE_CLOCK_PPM = 0.3
"""Drifts so close are taken for one clock's until what is on other clocks was taken out."""

ONE_PACE_PPM = 0.001
"""Paces so close are one: a neighbouring line shows 85 dB down."""

UNHEARD = 1e-8
"""Periods that differ by less than this share of their energy differ by a converter's own noise: it hides nothing."""

NEAR_LINES = 0.6
"""Lines closer than this cannot be told apart within eight seconds."""

LEFT_BEHIND = 1e-6
"""So much of a sound, as a ratio, is still there when it was taken out."""

LEAST_LEFT = 2e-8
"""Less of a channel's energy than this, 77 dB down, is what is left of the loud when it was taken out."""

SEAM_SAMPLES = 64
"""So far to each side of where periods meet a part of a sample rings, but for a third of a percent of its energy."""

_ROUNDS = 3
_SETTLED_PPM = 0.004


@dataclass(frozen=True, slots=True)
class Layer:
    """Sources on one clock, and the mean spectrum of the periods at its pace; where it slipped.

    ``periods`` are their spectra in what the layer was found in.
    """

    ppm: float
    sources: tuple[int, ...]
    spectrum: Complex
    pace: Pace
    periods: Sequence[Complex] = ()

    def read(self, channel: NDArray[np.float32] | Real, comb: WovenComb) -> list[Complex]:
        """A channel's periods at this pace, as far as nothing slipped."""
        return periods_at(channel, comb, self.ppm, self.pace.first, self.pace.last)


def restless(lying: list[Complex], comb: WovenComb, there: NDArray[np.int64], found: Collection[Heard]) -> bool:
    """Whether something soft drifts in a channel whose loud sounds are steady, from its periods as they lie.

    A source that seems to be there and is not the same in the last period as in the first one drifts, and so does what
    repeats at a lag in the lines that nobody plays.
    """
    left = left_over(lying, comb, there)
    if any(abs(each.ppm) > LEAST_PPM or each.coherence < COHERENT for each in left.values()):
        return True
    steadily = [each.source for each in found]
    nobodys = np.zeros(comb.period_samples // 2 + 1, bool)
    nobodys[np.delete(comb.lines, steadily, axis=0)] = True
    return alike(lying[1] * lying[0].conj() * nobodys, comb)


def heard_by_clock(
    channel: int, recorded: NDArray[np.float32] | Real, comb: WovenComb, tests: int, lying: list[Complex] | None = None
) -> tuple[float, list[Heard]]:
    """The noise of a channel that is not the same from period to period, and what is heard in it, clock by clock.

    ``lying`` are the spectra of its analysed periods as they lie, if known.
    """
    lying = lying or periods_at(recorded, comb, 0.0, 1, PERIODS_PLAYED - 1)
    layers, last = _peeled(recorded, comb, lying)
    for _ in range(_ROUNDS if len(layers) > 1 else 0):
        before, layers = layers, _again(recorded, comb, layers, tests)
        if _settled(before, layers):
            break
    heard: list[Heard] = []
    noise_rms = rms_of_noise(np.mean(lying, axis=0), comb)
    softer: dict[int, tuple[float, Layer, Clear]] = {}
    placed = {source for layer in layers for source in layer.sources}
    others: list[tuple[Layer, NDArray[np.float32] | Real]] = []
    if last is not None:
        rest = recorded - _sounds(layers, comb, len(recorded))
        others = [(Layer(ppm, (), np.zeros(0, complex), last), rest) for ppm in last.clocks_ppm]
    for layer, clean in [*_each_alone(recorded, comb, layers), *others]:
        clear = _clear(comb, layers, layer)
        spectra = layer.periods if clean is recorded else layer.read(clean, comb)
        spectrum = np.mean(spectra, axis=0)
        noise = noise_power(spectrum, comb)
        noise_rms = min(noise_rms, rms_of_noise(spectrum, comb))
        audible = set(map(int, gate(spectrum, comb, noise)))
        here = sorted(audible & set(layer.sources))
        heard += sources_heard(channel, spectrum, comb, here, tests, (layer.ppm, layer.pace.jumps), clear)
        # What is too soft to show its clock is on the one where there is most of it.
        for source, left in left_over(spectra, comb, sorted(audible - placed), clear).items():
            energy = float(np.sum(np.abs(spectrum[comb.lines[source]]) ** 2)) * left.coherence
            if energy > softer.get(source, (0.0,))[0]:
                softer[source] = (energy, Layer(layer.ppm, (source,), spectrum, layer.pace), clear)
    for _, layer, clear in softer.values():
        clock = (layer.ppm, layer.pace.jumps)
        heard += sources_heard(channel, layer.spectrum, comb, layer.sources, tests, clock, clear)
    # What is left of the loudest when it was taken out is no sound.
    least = LEFT_BEHIND * max((copy.gain for each in heard for copy in each.copies), default=0.0)
    real = [replace(each, copies=tuple(copy for copy in each.copies if copy.gain > least)) for each in heard]
    return noise_rms, sorted((each for each in real if each.copies), key=lambda each: each.source)


def _peeled(
    recorded: NDArray[np.float32] | Real, comb: WovenComb, lying: list[Complex]
) -> tuple[list[Layer], Pace | None]:
    """The clocks of a channel, the loudest first, with their sources; and the pace of what is left, if it has one."""
    layers: list[Layer] = []
    rest = recorded
    found = pace(rest, comb, lying=lying)
    while len(layers) < CLOCKS_AT_MOST:
        new = _on_clocks(rest, comb, found, {source for layer in layers for source in layer.sources})
        layers += new
        if not new or found.last <= found.first:
            break
        if len(layers) == 1 and _is_all(layers[0], comb):
            return layers, None
        rest = rest - _sounds(new, comb, len(recorded))
        inside = slice(found.first * comb.period_samples, (found.last + 1) * comb.period_samples)
        if _energy(rest[inside]) <= LEAST_LEFT * _energy(recorded[inside]) or not repeats(rest, comb, found.first):
            return layers, None
        found = pace(rest, comb, found.first, found.last)
    return layers, found


def _is_all(layer: Layer, comb: WovenComb) -> bool:
    """Whether the only clock found is all there is: what its sources leave of its periods is little or mere noise.

    A period on this clock is no whole number of samples. What the part of a sample makes that is too many or too few
    lies where one period meets the next, and is not counted: no sound keeps to so few samples. Nor is what of it is
    missing in the sources' own lines, which is spread over all the period.
    """
    period = comb.period_samples
    others = np.ones(period // 2 + 1, bool)
    others[comb.lines[list(layer.sources)].ravel()] = False
    rest = np.stack(layer.periods[:2]) * others
    waves: Real = scipy.fft.irfft(rest, n=period)
    left = _energy(waves.ravel())
    waves[:, :SEAM_SAMPLES] = waves[:, -SEAM_SAMPLES:] = 0
    away = _energy(waves.ravel())
    masked = len(layer.sources) / len(comb.lines)
    spread = (left - away) * masked / (1 - masked)
    # By Parseval's theorem: a half spectrum holds half the energy, times the number of samples.
    whole = sum(_energy(each.view(float)) for each in layer.periods[:2]) * 2 / period
    if away - spread <= LEAST_LEFT * whole:
        return True
    early, late = scipy.fft.rfft(waves)
    return not alike(late * early.conj(), comb)


def _energy(samples: NDArray[np.float32] | Real) -> float:
    exact = samples.astype(np.float64, copy=False)
    return float(exact @ exact)


def _on_clocks(rest: NDArray[np.float32] | Real, comb: WovenComb, found: Pace, known: set[int]) -> list[Layer]:
    """Every clock found is tried: a source is on the one where its lines are most alike from period to period."""
    best: dict[int, tuple[float, float]] = {}
    read: dict[float, list[Complex]] = {}
    for ppm in (round(each, 3) for each in found.clocks_ppm):
        spectra = read[ppm] = periods_at(rest, comb, ppm, found.first, found.last)
        spectrum = np.mean(spectra, axis=0)
        there = [int(each) for each in gate(spectrum, comb, noise_power(spectrum, comb))]
        for source, left in left_over(spectra, comb, [each for each in there if each not in known]).items():
            energy = float(np.sum(np.abs(spectrum[comb.lines[source]]) ** 2)) * left.coherence
            if left.coherence > COHERENT and energy > best.get(source, (0.0, 0.0))[0]:
                best[source] = (energy, ppm + left.ppm)
    groups = _on_one_clock({source: ppm for source, (_, ppm) in best.items()}, ABOUT_ONE_CLOCK_PPM)
    return [_layer(rest, comb, sources, ppm, found, read) for sources, ppm in groups]


def _layer(
    rest: NDArray[np.float32] | Real,
    comb: WovenComb,
    sources: Iterable[int],
    ppm: float,
    at: Pace,
    read: Mapping[float, list[Complex]],
) -> Layer:
    """Sources on one clock in the rest of a channel, of which the periods at some paces were read already."""
    there = min(read, key=lambda each: abs(each - ppm))
    exact = round(ppm, 3) if abs(ppm) > LEAST_PPM else 0.0
    pace_ppm = there if abs(there - ppm) <= ONE_PACE_PPM and exact else exact
    bare = Layer(pace_ppm, tuple(sources), np.zeros(0, complex), at)
    spectra = read[pace_ppm] if pace_ppm in read else bare.read(rest, comb)
    return replace(bare, spectrum=np.mean(spectra, axis=0), periods=spectra)


def _again(recorded: NDArray[np.float32] | Real, comb: WovenComb, layers: Sequence[Layer], tests: int) -> list[Layer]:
    """Every clock once more, without the sounds of all the others.

    Where another clock's line falls on a source's own, the one cannot be told from the other: there it is taken for
    what the source's copies make of it.
    """
    again: list[Layer] = []
    for layer, clean in _each_alone(recorded, comb, layers):
        clear = _clear(comb, layers, layer)
        spectra = layer.read(clean, comb)
        left = left_over(spectra, comb, layer.sources, clear)
        drifts = {source: layer.ppm + each.ppm for source, each in left.items()}
        for sources, ppm in _on_one_clock(drifts):
            new = _layer(clean, comb, sources, ppm, layer.pace, {layer.ppm: spectra})
            for source in sources:
                delays, gains = arrivals(new.spectrum, comb, source, tests, clear)
                own = clear_lines(comb, source, clear)
                lines = comb.lines[source]
                new.spectrum[lines] = np.where(own, new.spectrum[lines], arriving(comb, source, delays, gains))
            again.append(new)
    return again


def _clear(comb: WovenComb, layers: Sequence[Layer], but: Layer) -> Clear:
    """The lines on which nothing falls, at a layer's pace, of what is on other clocks."""
    clear = np.ones(comb.period_samples // 2 + 1, bool)
    for other in layers:
        if other is but:
            continue
        falls = comb.lines[list(other.sources)].ravel() * ((1 + but.ppm * 1e-6) / (1 + other.ppm * 1e-6))
        for near in (np.floor(falls), np.ceil(falls)):
            on = near[np.abs(falls - near) < NEAR_LINES].astype(np.int64)
            clear[on[on < len(clear)]] = False
    return clear


def _settled(before: Sequence[Layer], layers: Sequence[Layer]) -> bool:
    was = {source: layer.ppm for layer in before for source in layer.sources}
    return all(abs(was[source] - layer.ppm) <= _SETTLED_PPM for layer in layers for source in layer.sources)


def _each_alone(
    recorded: NDArray[np.float32] | Real, comb: WovenComb, layers: Sequence[Layer]
) -> list[tuple[Layer, NDArray[np.float32] | Real]]:
    """Every clock with what the channel is without the sounds of all the others."""
    if len(layers) < 2:
        return [(layer, recorded) for layer in layers]
    sounds = [_sounds([layer], comb, len(recorded)) for layer in layers]
    rest = recorded - sum(sounds)
    return [(layer, rest + sound) for layer, sound in zip(layers, sounds, strict=True)]


def _sounds(layers: Iterable[Layer], comb: WovenComb, samples: int) -> Real:
    """What the sources of some clocks sound like in the periods in which they were listened to."""
    total = np.zeros(samples)
    for layer in layers:
        lines = comb.lines[list(layer.sources)].ravel()
        spectrum = np.zeros_like(layer.spectrum)
        spectrum[lines] = layer.spectrum[lines]
        total += sound_at(spectrum, comb, layer.ppm, layer.pace.first, layer.pace.last, samples)
    return total


def _on_one_clock(drifts_ppm: dict[int, float], within: float = SAME_CLOCK_PPM) -> list[tuple[list[int], float]]:
    """Sources whose drifts are one clock's, with the mean of them."""
    groups: list[list[int]] = []
    for source in sorted(drifts_ppm, key=lambda each: drifts_ppm[each]):
        if groups and drifts_ppm[source] - drifts_ppm[groups[-1][-1]] < within:
            groups[-1].append(source)
        else:
            groups.append([source])
    return [(group, float(np.mean([drifts_ppm[source] for source in group]))) for group in groups]
