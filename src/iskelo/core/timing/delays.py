"""How late a route is: its terms from hop to hop, their sum, and what another buffer would do to it (see ``terms``)."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Literal

from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.drivers import Offsets
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.links import BANKS
from iskelo.core.rig.mixers import Strip
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Bus, Program, Track
from iskelo.core.timing.compensation import waits
from iskelo.core.timing.doubt import Side, in_doubt
from iskelo.core.timing.terms import (
    RESAMPLING,
    MixerTerm,
    Term,
    cable_terms,
    capture_terms,
    direct_terms,
    falling_term,
    far_term,
    mixer_terms,
    playback_terms,
    send_terms,
    take_terms,
    trip_terms,
)
from iskelo.core.wiring.edge import Edge
from iskelo.core.wiring.hops import HopKind

NOTHING = Fraction(0)

UNKNOWN_RATE_HZ = 48_000
"""What is counted with where a program has no device, and so nothing runs in it."""


@dataclass(frozen=True)
class Delay:
    """A route's delay: its terms, and the rate of the target's clock; ``rate_hz`` None if nothing delays.

    The delay is the exact sum of its terms in seconds, whatever rates they are counted at: the least it can be, where
    some of them cannot be known beforehand; ``most_...`` is the most. ``assumed``: one of its figures, maybe one of
    nought, is from nobody.
    """

    terms: tuple[Term, ...]
    rate_hz: int | None
    assumed: bool = False

    @cached_property
    def exact_samples(self) -> int | Fraction:
        """The sum in samples of the target's clock."""
        rate_hz = self.rate_hz
        whole, rest = 0, Fraction(0)
        for term in self.terms:
            if term.rate_hz == rate_hz:
                whole += term.samples
            else:
                rest += Fraction(term.samples * rate_hz, term.rate_hz) if rate_hz else 0
        return whole + rest if rest else whole

    @property
    def samples(self) -> float:
        """The same as people read it: whole, or to the hundredth."""
        exact = self.exact_samples
        return exact if isinstance(exact, int) else round(float(exact), 2)

    @property
    def seconds(self) -> Fraction:
        """The exact sum."""
        return Fraction(self.exact_samples, self.rate_hz) if self.rate_hz else Fraction(0)

    @cached_property
    def ms(self) -> float:
        return float(1000 * self.exact_samples / Fraction(self.rate_hz)) if self.rate_hz else 0.0

    @cached_property
    def spread(self) -> Fraction:
        """By how many seconds more it may be."""
        return sum((Fraction(term.spread, term.rate_hz) for term in self.terms if term.spread), Fraction(0))

    @property
    def most_samples(self) -> float:
        """The most it can be, as people read it."""
        return (
            self.samples + round(float(self.spread * self.rate_hz), 2) if self.spread and self.rate_hz else self.samples
        )

    @property
    def most_ms(self) -> float:
        return self.ms + float(1000 * self.spread) if self.spread else self.ms


def latest(delays: Iterable[Delay]) -> Delay | None:
    """The delay that may take longest, the first of equals; None if there is none."""
    return max(delays, key=lambda each: each.most_ms, default=None)


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
    passed = _Passed()
    for edge in edges:
        DELAYS[edge.kind](edge, found, passed)
    told = tuple(term for term in passed.terms if term.samples or term.spread)
    # A way inside a program alone passes no device: its terms say at what rate it is counted.
    rate_hz = passed.rate_hz or (told[-1].rate_hz if told else None)
    return Delay(told, rate_hz, in_doubt(passed.doubts, passed.known))


@dataclass(slots=True)
class _Passed:
    """What a sound has met on its way so far."""

    terms: list[Term] = field(default_factory=list)
    doubts: dict[Side, bool] = field(default_factory=dict)
    known: dict[Side, Offsets] = field(default_factory=dict)
    rate_hz: int | None = None
    falling: DeviceStream | None = None

    def meet(self, box: Interface, terms: list[Term], side: Literal["in", "out", "elsewhere"]) -> None:
        """Terms of a box, with whether they are in doubt."""
        self.rate_hz = box.rate_hz
        self.terms += terms
        _doubt((box.id, side), terms, self.doubts)

    def wait_outside(self, identity: str, way: Literal["from", "to"], found: Index) -> None:
        """What a call takes outside, if this is a far end's voice or ear."""
        far = found.far_end(identity)
        if far is not None:
            term = far_term(far, way, found.name(identity), _rate_of(found.items[identity].program, found))
            self.terms.append(term)
            _doubt((identity, "elsewhere"), [term], self.doubts)


def _at_once(edge: Edge, found: Index, passed: _Passed) -> None:
    """Nothing delays there."""


def _by_box(edge: Edge, found: Index, passed: _Passed) -> None:
    box = found.gear[edge.owner]
    assert isinstance(box, Interface)
    passed.meet(box, _BOX_TERMS[edge.kind](box), _SIDES[edge.kind])


def _in_a_mixer(*kinds: MixerTerm) -> Callable[[Edge, Index, _Passed], None]:
    """What a hop inside a mixer adds that is always alike."""

    def add(edge: Edge, found: Index, passed: _Passed) -> None:
        box = found.gear[edge.owner]
        assert isinstance(box, Interface)
        passed.meet(box, mixer_terms(box, *kinds), _SIDES[edge.kind])

    return add


def _raw(edge: Edge, found: Index, passed: _Passed) -> None:
    inside = found.mixing[edge.owner]
    if inside.mixer.raw_passes_core:
        passed.meet(inside.box, mixer_terms(inside.box, "mixer"), "in")


def _into_a_strip(edge: Edge, found: Index, passed: _Passed) -> None:
    """The core delays what a strip takes; a mix that is taken again waits for its own turn."""
    box, mixer, _, _ = found.mixing[edge.owner]
    if edge.start.bank == "mix_post":
        again = Term("hardware", "mix taken again", box.name, mixer.again_samples, box.rate_hz, "set")
        passed.meet(box, [again], "elsewhere")
    else:
        passed.meet(box, mixer_terms(box, "mixer"), "elsewhere")


def _by_strip_effects(edge: Edge, found: Index, passed: _Passed) -> None:
    box, _, strip, _ = found.mixing[edge.owner]
    assert isinstance(strip, Strip)
    if strip.effect_delay_samples:
        label = f"effects on {strip.name}"
        passed.terms.append(Term("hardware", label, box.name, strip.effect_delay_samples, box.rate_hz, "set"))


def _by_outboard(edge: Edge, found: Index, passed: _Passed) -> None:
    gear = found.gear[edge.owner]
    assert isinstance(gear, Outboard)
    origin = gear.origins.get("delay_samples", "assumed")
    # Leads and valves take no time: only what is said to delay is in doubt.
    term = Term("hardware", "outboard", gear.name, gear.delay_samples, gear.rate_hz, origin)
    passed.terms.append(term)
    _doubt((gear.id, "elsewhere"), [term] if gear.delay_samples else [], passed.doubts)


def _by_cable(edge: Edge, found: Index, passed: _Passed) -> None:
    box = found.gear[edge.owner]
    assert isinstance(box, Interface)
    passed.meet(box, cable_terms(box), "elsewhere")


def _by_device(edge: Edge, found: Index, passed: _Passed) -> None:
    streams = found.opened[edge.owner]
    passed.rate_hz = streams.device.rate_hz
    way = way_of(streams, edge)
    terms = (take_terms if edge.kind == "from device" else send_terms)(streams, way, found)
    passed.terms += terms
    _know(way, _SIDES[edge.kind], terms, passed.doubts, passed.known)
    if way.box.cable is not None and way.box.cable.start != "aligned":
        if edge.kind == "to device":
            passed.falling = way
        elif passed.falling is not None:
            passed.terms.append(falling_term(way.box, passed.falling.buffer_samples, way.buffer_samples))


def _by_effects(edge: Edge, found: Index, passed: _Passed) -> None:
    placed = found.items[edge.owner]
    if isinstance(placed.item, Track) and placed.item.effect_delay_samples:
        label = f"effects on {placed.item.name}"
        passed.terms.append(_in_a_program(label, placed.program, placed.item.effect_delay_samples, found))


def _by_return(edge: Edge, found: Index, passed: _Passed) -> None:
    """What a hosted program works ahead, unless it is told so much earlier where the song is."""
    program = found.items[edge.start.owner].program
    hosted = program.hosted
    if hosted is not None and not hosted.compensated and hosted.ahead_samples:
        passed.terms.append(_in_a_program("worked ahead", program, hosted.ahead_samples, found))


def _to_a_far_end(edge: Edge, found: Index, passed: _Passed) -> None:
    passed.wait_outside(edge.owner, "to", found)


def _into_a_mix(edge: Edge, found: Index, passed: _Passed) -> None:
    """A feed waits where its program compensates delays; a bus's own effects delay all that it takes. What a far end
    says has come a long way before.
    """
    program = found.items[edge.owner].program
    if edge.start.bank == "voice":
        passed.wait_outside(edge.start.owner, "from", found)
    wait = waits(program, found).get(edge.owner, 0)
    if wait:
        passed.terms.append(_in_a_program("delay compensation", program, wait, found))
    bus = found.items[edge.end.owner].item
    if isinstance(bus, Bus) and bus.effect_delay_samples:
        passed.terms.append(_in_a_program(f"effects on {bus.name}", program, bus.effect_delay_samples, found))


def _in_a_program(label: str, program: Program, samples: int, found: Index) -> Term:
    """What waits inside a program is counted at the rate it runs at."""
    return Term("program", label, program.name, samples, _rate_of(program, found), "set")


def _rate_of(program: Program, found: Index) -> int:
    streams = found.runs_in(program)
    return streams.device.rate_hz if streams is not None else program.rate_hz or UNKNOWN_RATE_HZ


DELAYS: dict[HopKind, Callable[[Edge, Index, _Passed], None]] = {
    "lead in": _at_once,
    "lead back": _at_once,
    "lead to outboard": _at_once,
    "outboard": _by_outboard,
    "capture": _by_box,
    "direct": _by_box,
    "preamp": _in_a_mixer("A/D"),
    "analogue preamp": _at_once,
    "raw": _raw,
    "source": _into_a_strip,
    "effects": _by_strip_effects,
    "past": _at_once,
    "dry": _at_once,
    "insert send": _at_once,
    "insert return": _at_once,
    "strip fader": _at_once,
    "crosspoint": _at_once,
    "pan": _at_once,
    "solo": _at_once,
    "mix fader": _at_once,
    "to jack": _in_a_mixer("D/A"),
    "analogue to jack": _at_once,
    "to computer": _in_a_mixer("link in"),
    "analogue to computer": _in_a_mixer("A/D", "link in"),
    "from computer": _in_a_mixer("link out"),
    "analogue from computer": _in_a_mixer("link out", "D/A"),
    "from device": _by_device,
    "return": _by_return,
    "record": _at_once,
    "to far end": _to_a_far_end,
    "monitor": _by_effects,
    "track past": _at_once,
    "track solo": _at_once,
    "track dry": _at_once,
    "track send": _at_once,
    "track return": _at_once,
    "fader": _at_once,
    "mix": _into_a_mix,
    "send": _into_a_mix,
    "to device": _by_device,
    "cable": _by_cable,
    "playback": _by_box,
    "lead out": _at_once,
}
"""What each kind of hop adds to a delay."""

_SIDES: dict[HopKind, Literal["in", "out", "elsewhere"]] = {
    "capture": "in",
    "from device": "in",
    "to device": "out",
    "playback": "out",
    "direct": "elsewhere",
    "preamp": "in",
    "to computer": "in",
    "analogue to computer": "in",
    "from computer": "out",
    "analogue from computer": "out",
    "to jack": "out",
}


def _doubt(side: Side, terms: list[Term], doubts: dict[Side, bool]) -> None:
    doubts[side] = doubts.get(side, False) or any(term.origin == "assumed" for term in terms)


def _know(
    way: DeviceStream,
    side: Literal["in", "out", "elsewhere"],
    terms: list[Term],
    doubts: dict[Side, bool],
    known: dict[Side, Offsets],
) -> None:
    """Note what is known of a way's driver, and what in doubt; no total covers what resampling takes."""
    box = way.box.id
    _doubt((box, side), [term for term in terms if term.label != RESAMPLING], doubts)
    _doubt((box, "elsewhere"), [term for term in terms if term.label == RESAMPLING], doubts)
    offsets = way.driver.known_offsets(way.box.rate_hz, way.buffer_samples)
    if offsets is not None:
        known[box, side] = offsets


def way_of(streams: OpenDevice, edge: Edge) -> DeviceStream:
    """The way to the box that a program takes this from, or sends it to."""
    way = (
        streams.to("capture", edge.start.owner)
        if edge.kind == "from device"
        else streams.to("playback", edge.end.owner)
    )
    assert way is not None
    return way


@dataclass(frozen=True, slots=True)
class Trip:
    """The way into a program's device and out of it, in samples."""

    in_samples: int
    out_samples: int
    assumed: bool
    assumed_in: bool
    assumed_out: bool


def trip_of(streams: OpenDevice, found: Index) -> Trip:
    """The round trip by the box that calls, or where it has no channels that way, by the first that has."""
    into, out = (_main_way(streams, bank) for bank in BANKS)
    terms_in, terms_out = (
        trip_terms(streams, into, "capture", found),
        trip_terms(streams, out, "playback", found),
    )
    doubts: dict[Side, bool] = {}
    known: dict[Side, Offsets] = {}
    _know(into, "in", terms_in, doubts, known)
    _know(out, "out", terms_out, doubts, known)

    def one(side: Literal["in", "out"]) -> bool:
        alone = {each: offsets for each, offsets in known.items() if each[1] == side}
        return in_doubt({each: doubt for each, doubt in doubts.items() if each[1] in (side, "elsewhere")}, alone)

    return Trip(
        in_samples=sum(term.samples for term in terms_in),
        out_samples=sum(term.samples for term in terms_out),
        assumed=in_doubt(doubts, known),
        assumed_in=one("in"),
        assumed_out=one("out"),
    )


def _main_way(streams: OpenDevice, bank: Literal["capture", "playback"]) -> DeviceStream:
    ways = sorted(streams.ways, key=lambda way: (not way.channels(bank), not way.calls))
    return ways[0]


_BOX_TERMS: dict[HopKind, Callable[[Interface], list[Term]]] = {
    "capture": capture_terms,
    "playback": playback_terms,
    "direct": direct_terms,
}
