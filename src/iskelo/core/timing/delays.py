"""How late a route is, term by term, from the gear's own figures.

All delays are in stream time: whole samples of the clock of the box on the way (see ``docs/calculations.md``).

    capture delay  = converter in + mixer + link in + safety in + B
    playback delay = B + safety out + link out + converter out
    round trip     = capture + effects on the way + playback
    direct monitoring = converter in + mixer + converter out
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from iskelo.core.rig.gear import Interface, Track
from iskelo.core.rig.rig import Index
from iskelo.core.wiring.graph import Edge

TermKind = Literal["hardware", "buffer", "program"]


@dataclass(frozen=True, slots=True)
class Term:
    """One part of a delay: what it is, on which gear, how many samples."""

    kind: TermKind
    label: str
    gear: str
    samples: int


@dataclass(frozen=True, slots=True)
class Delay:
    """A route's delay: its terms and the rate they are counted at; ``rate_hz`` None if nothing delays."""

    terms: tuple[Term, ...]
    rate_hz: int | None

    @property
    def samples(self) -> int:
        return sum(term.samples for term in self.terms)

    @property
    def ms(self) -> float:
        return float(samples_to_ms(self.samples, self.rate_hz)) if self.rate_hz else 0.0


def samples_to_ms(samples: int, rate_hz: int) -> Fraction:
    """Samples to milliseconds, exactly.

    Example: 128 samples at 48 000 Hz are 8/3 ms = 2.667 ms; 256 at 44 100 are 5.805 ms.
    """
    return Fraction(1000 * samples, rate_hz)


def delay_of(edges: Sequence[Edge], found: Index) -> Delay:
    """The delay along these hops.

    Parameters
    ----------
    edges
        The hops of a route, in order.
    found
        Look-ups of the rig they belong to.

    Returns
    -------
    Delay
        Terms in the order in which the sound meets them; terms of nought are left out.
    """
    terms: list[Term] = []
    rate_hz: int | None = None
    for edge in edges:
        if edge.kind in ("capture", "playback", "direct"):
            box = found.gear[edge.owner]
            assert isinstance(box, Interface)
            rate_hz = box.rate_hz
            terms += {"capture": _capture, "playback": _playback, "direct": _direct}[edge.kind](box)
        elif edge.kind == "mix":
            placed = found.items[edge.owner]
            assert isinstance(placed.item, Track)
            label = f"effects on {placed.item.name}"
            terms.append(Term("program", label, placed.program.name, placed.item.effect_delay_samples))
    return Delay(tuple(term for term in terms if term.samples), rate_hz)


def _capture(box: Interface) -> list[Term]:
    return [
        Term("hardware", "A/D", box.name, box.converter_in_samples),
        Term("hardware", "mixer", box.name, box.mixer_samples),
        Term("hardware", "link in", box.name, box.link_in_samples),
        Term("hardware", "safety in", box.name, box.driver.safety_in_samples),
        Term("buffer", "wait: capture buffer", box.name, box.driver.buffer_samples),
    ]


def _playback(box: Interface) -> list[Term]:
    return [
        Term("buffer", "wait: playback buffer", box.name, box.driver.buffer_samples),
        Term("hardware", "safety out", box.name, box.driver.safety_out_samples),
        Term("hardware", "link out", box.name, box.link_out_samples),
        Term("hardware", "D/A", box.name, box.converter_out_samples),
    ]


def _direct(box: Interface) -> list[Term]:
    return [
        Term("hardware", "A/D", box.name, box.converter_in_samples),
        Term("hardware", "mixer", box.name, box.mixer_samples),
        Term("hardware", "D/A", box.name, box.converter_out_samples),
    ]
