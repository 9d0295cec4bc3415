"""How late a route is, term by term, from the gear's own figures.

All delays are in stream time: whole samples of the clock of the box on the way (see ``docs/calculations.md``).

    capture delay  = converter in + mixer + link in + safety in + B
    playback delay = B + safety out + link out + converter out
    round trip     = capture + effects on the way + playback
    direct monitoring = converter in + mixer + converter out

A shared system driver with an engine of period M waits 2 M + B - gcd(B, M) in place of 2 B: the engine lays out
M + B - gcd(B, M) before it can promise a program whole blocks that never run dry, and plays a period later.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from iskelo.core.rig.gear import Driver, Interface, Program, Track
from iskelo.core.rig.rig import Index
from iskelo.core.wiring.graph import Edge

TermKind = Literal["hardware", "buffer", "program"]
TermOrigin = Literal["measured", "described", "typed", "assumed", "set"]
"""Origins of figures (see ``rig.gear``); *set*: a setting, which is exact."""


@dataclass(frozen=True, slots=True)
class Term:
    """One part of a delay: what it is, on which gear, how many samples, and where the figure is from."""

    kind: TermKind
    label: str
    gear: str
    samples: int
    origin: TermOrigin


@dataclass(frozen=True, slots=True)
class Delay:
    """A route's delay: its terms and the rate they are counted at; ``rate_hz`` None if nothing delays.

    ``assumed``: one of its figures, maybe one of nought, is from nobody.
    """

    terms: tuple[Term, ...]
    rate_hz: int | None
    assumed: bool = False

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
        match edge.kind:
            case "capture" | "playback" | "direct":
                box = found.gear[edge.owner]
                assert isinstance(box, Interface)
                rate_hz = box.rate_hz
                terms += _BOX_TERMS[edge.kind](box)
            case "take" | "send":
                program = found.gear[edge.owner]
                assert isinstance(program, Program)
                device, driver = found.device(program), found.driver(program)
                assert device is not None
                assert driver is not None
                rate_hz = device.rate_hz
                terms += (_take if edge.kind == "take" else _send)(device, driver)
            case "mix":
                placed = found.items[edge.owner]
                if isinstance(placed.item, Track):
                    label = f"effects on {placed.item.name}"
                    delay = placed.item.effect_delay_samples
                    terms.append(Term("program", label, placed.program.name, delay, "set"))
    assumed = any(term.origin == "assumed" for term in terms)
    return Delay(tuple(term for term in terms if term.samples), rate_hz, assumed)


def waits(driver: Driver, buffer_samples: int) -> tuple[int, int]:
    """The samples waited in a driver's buffers on the way in and on the way out, at this buffer.

    Example: an engine of 480 with a buffer of 512 waits 480 + 512 - 32 = 960 in and 480 out.
    """
    engine = driver.engine
    if engine is None:
        return buffer_samples, buffer_samples
    return engine + buffer_samples - math.gcd(buffer_samples, engine), engine


def later_by(edges: Sequence[Edge], found: Index, driver: Driver, buffer_samples: int) -> int:
    """By how many samples a route grows (or shrinks, if negative) when this driver's buffer becomes another."""
    more_in, more_out = (
        then - now
        for then, now in zip(waits(driver, buffer_samples), waits(driver, driver.buffer_samples), strict=True)
    )
    grows = 0
    for edge in edges:
        if edge.kind in ("take", "send"):
            program = found.gear[edge.owner]
            assert isinstance(program, Program)
            if found.driver(program) is driver:
                grows += more_in if edge.kind == "take" else more_out
    return grows


def hardware_samples(box: Interface, driver: Driver) -> tuple[int, int, bool]:
    """The fixed samples into the computer and out of it by a driver, and whether one of them is assumed."""
    ways = ([*_capture(box), *_take(box, driver)], [*_send(box, driver), *_playback(box)])
    totals = [sum(term.samples for term in way if term.kind == "hardware") for way in ways]
    return totals[0], totals[1], any(term.origin == "assumed" for way in ways for term in way)


def _hardware(label: str, box: Interface, field: str) -> Term:
    return Term("hardware", label, box.name, getattr(box, field), box.origins.get(field, "assumed"))


def _capture(box: Interface) -> list[Term]:
    return [
        _hardware("A/D", box, "converter_in_samples"),
        _hardware("mixer", box, "mixer_samples"),
        _hardware("link in", box, "link_in_samples"),
    ]


def _take(box: Interface, driver: Driver) -> list[Term]:
    origin = driver.origins.get("safety_in_samples", "assumed")
    label = "wait: capture buffer" if driver.engine is None else "wait: engine and capture buffer"
    return [
        Term("hardware", "safety in", box.name, driver.safety_in_samples, origin),
        Term("buffer", label, box.name, waits(driver, driver.buffer_samples)[0], "set"),
    ]


def _send(box: Interface, driver: Driver) -> list[Term]:
    origin = driver.origins.get("safety_out_samples", "assumed")
    label = "wait: playback buffer" if driver.engine is None else "wait: engine out"
    return [
        Term("buffer", label, box.name, waits(driver, driver.buffer_samples)[1], "set"),
        Term("hardware", "safety out", box.name, driver.safety_out_samples, origin),
    ]


def _playback(box: Interface) -> list[Term]:
    return [
        _hardware("link out", box, "link_out_samples"),
        _hardware("D/A", box, "converter_out_samples"),
    ]


def _direct(box: Interface) -> list[Term]:
    return [
        _hardware("A/D", box, "converter_in_samples"),
        _hardware("mixer", box, "mixer_samples"),
        _hardware("D/A", box, "converter_out_samples"),
    ]


_BOX_TERMS = {"capture": _capture, "playback": _playback, "direct": _direct}
