"""The terms of delays: what a sound waits in a box, in its driver's buffers, in rings between devices and for others.

All delays are in stream time: whole samples of the clock of the box on the way (see ``docs/calculations.md``), each
term with the rate that its samples are counted at.

    capture delay  = converter in + mixer + link in + safety in + B
    playback delay = B + safety out + link out + converter out
    round trip     = capture + effects on the way + playback
    direct monitoring = converter in + mixer + converter out

A shared system driver with an engine of period M waits 2 M + B - gcd(B, M) in place of 2 B: the engine lays out
M + B - gcd(B, M) before it can promise a program whole blocks that never run dry, and plays a period later.

A driver that resamples for a program at another rate than the box is later each way by what that takes.

A box that is not called with the program hands its sound over through a ring: it waits there as long as the program's
call needs (B of the one that calls) and its margin, and in the matching filter if its rate is matched. Across clocks
these are samples of either clock; they differ by less than one over so short a time.
"""

import math
from dataclasses import dataclass
from typing import Literal

from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import FarEnd
from iskelo.core.timing.clocks import apart

RING, MATCHING, RESAMPLING = "ring between devices", "rate matching", "resampling"

MATCHING_SAMPLES = 32
"""The delay of a matching filter of 64 taps."""

MixerTerm = Literal["A/D", "D/A", "mixer", "link in", "link out"]
_IN_MIXERS: dict[MixerTerm, str] = {
    "A/D": "converter_in_samples",
    "D/A": "converter_out_samples",
    "mixer": "mixer_samples",
    "link in": "link_in_samples",
    "link out": "link_out_samples",
}

TermKind = Literal["hardware", "buffer", "program"]
TermOrigin = Literal["measured", "described", "typed", "assumed", "set"]
"""Origins of figures (see ``rig.gear``); *set*: a setting, which is exact."""


@dataclass(frozen=True, slots=True)
class Term:
    """One part of a delay: what it is, on which gear, how many samples of which rate, where the figure is from.

    ``spread``: it may be up to so many samples more, and nobody can know beforehand.
    """

    kind: TermKind
    label: str
    gear: str
    samples: int
    rate_hz: int
    origin: TermOrigin
    spread: int = 0


def buffer_waits(driver: Driver, buffer_samples: int) -> tuple[int, int]:
    """The samples waited in a driver's buffers on the way in and on the way out, at this buffer.

    Example: an engine of 480 with a buffer of 512 waits 480 + 512 - 32 = 960 in and 480 out.
    """
    engine = driver.engine
    if engine is None:
        return buffer_samples, buffer_samples
    return engine + buffer_samples - math.gcd(buffer_samples, engine), engine


def trip_terms(
    streams: OpenDevice, way: DeviceStream, bank: Literal["capture", "playback"], found: Index
) -> list[Term]:
    """From a box's jacks to the program, or from the program to its jacks."""
    if bank == "capture":
        return [*capture_terms(way.box), *take_terms(streams, way, found)]
    return [*send_terms(streams, way, found), *playback_terms(way.box)]


def _hardware(label: str, box: Interface, field: str) -> Term:
    return Term("hardware", label, box.name, getattr(box, field), box.rate_hz, box.origins.get(field, "assumed"))


def capture_terms(box: Interface) -> list[Term]:
    """From a box's input jacks to its link; of a mixer what every way there has in common; a cable has neither."""
    if box.cable is not None:
        return []
    mixer = [_hardware("mixer", box, "mixer_samples")] if box.mixer is None else []
    return [_hardware("A/D", box, "converter_in_samples"), *mixer, _hardware("link in", box, "link_in_samples")]


def mixer_terms(box: Interface, *kinds: MixerTerm) -> list[Term]:
    """Terms inside a mixer, by what they are."""
    return [_hardware(kind, box, _IN_MIXERS[kind]) for kind in kinds]


def take_terms(streams: OpenDevice, way: DeviceStream, found: Index) -> list[Term]:
    """What a sound waits between a box's link and a program that takes it."""
    into = [*_into(streams, way, found), *_converting(way)]
    own = [*capture_terms(way.box), *(term for term in into if term.label not in _OF_THE_CALLER)]
    return [*into, *_recounted(streams, way, own, found), *_padding(streams, way, "capture", found)]


def send_terms(streams: OpenDevice, way: DeviceStream, found: Index) -> list[Term]:
    """What a sound waits between a program and the link of a box it is sent to."""
    out = [*_converting(way), *_out_of(streams, way, found)]
    return [
        *_padding(streams, way, "playback", found),
        *_recounted(streams, way, [*out, *playback_terms(way.box)], found),
        *out,
    ]


def _buffer_label(way: DeviceStream, plain: str, found: Index) -> str:
    """Where every program has its own buffer, it is told whose it is."""
    return f"buffer of {found.name(way.client)}" if way.driver.own_blocks and way.client else plain


def _into(streams: OpenDevice, way: DeviceStream, found: Index) -> list[Term]:
    box, driver = way.box, way.driver
    safety = driver.safety(box.rate_hz, way.buffer_samples)
    plain = "capture buffer" if driver.engine is None else "engine and capture buffer"
    label = _buffer_label(way, plain, found)
    link = [Term("hardware", "safety in", box.name, safety.in_samples, box.rate_hz, safety.in_origin)]
    return [
        *(link if box.cable is None else []),
        Term("buffer", label, box.name, buffer_waits(driver, way.buffer_samples)[0], box.rate_hz, "set"),
        *_ring(streams, way),
    ]


def _out_of(streams: OpenDevice, way: DeviceStream, found: Index) -> list[Term]:
    box, driver = way.box, way.driver
    safety = driver.safety(box.rate_hz, way.buffer_samples)
    label = _buffer_label(way, "playback buffer" if driver.engine is None else "engine out", found)
    link = [Term("hardware", "safety out", box.name, safety.out_samples, box.rate_hz, safety.out_origin)]
    return [
        *_ring(streams, way),
        Term("buffer", label, box.name, buffer_waits(driver, way.buffer_samples)[1], box.rate_hz, "set"),
        *(link if box.cable is None else []),
    ]


def _converting(way: DeviceStream) -> list[Term]:
    """What a driver that resamples takes for it, in samples of the box."""
    if not way.converts:
        return []
    origin = way.driver.origins.get("resampling_samples", "assumed")
    return [Term("hardware", RESAMPLING, way.box.name, way.driver.resampling_samples, way.box.rate_hz, origin)]


def _ring(streams: OpenDevice, way: DeviceStream) -> list[Term]:
    driving = streams.driving
    if not way.rings or driving is None:
        return []
    waiting = buffer_waits(driving.driver, driving.buffer_samples)[0] + way.margin_samples
    terms = [Term("buffer", RING, way.box.name, waiting, way.box.rate_hz, "set")]
    if way.matched:
        terms.append(Term("buffer", MATCHING, way.box.name, MATCHING_SAMPLES, way.box.rate_hz, "set"))
    return terms


_OF_THE_CALLER = (RING, MATCHING)


def _recounted(streams: OpenDevice, way: DeviceStream, own: list[Term], found: Index) -> list[Term]:
    """The difference where samples of a matched box's clock are counted on the clock that calls, if both are known."""
    driving = streams.driving
    if not way.matched or driving is None:
        return []
    ppm = apart(found, found.paces[way.box.id].master, found.paces[driving.box.id].master).known_ppm
    samples = sum(term.samples for term in own)
    more = round(samples / (1 + ppm * 1e-6)) - samples if ppm is not None else 0
    label = f"counted on the clock of {driving.box.name}"
    return [Term("hardware", label, way.box.name, more, way.box.rate_hz, "set")]


def _padding(streams: OpenDevice, way: DeviceStream, bank: Literal["capture", "playback"], found: Index) -> list[Term]:
    """The wait of an early member for the latest one, where the aggregate lines them up."""
    aggregate = found.gear.get(way.client)
    if not isinstance(aggregate, Aggregate) or aggregate.align == "none":
        return []

    def total(each: DeviceStream) -> int:
        terms = (
            [*capture_terms(each.box), *_into(streams, each, found)]
            if bank == "capture"
            else [*_out_of(streams, each, found), *playback_terms(each.box)]
        )
        return sum(term.samples for term in terms)

    latest = max((total(each) for each in streams.ways if not found.hindrance(streams, each)), default=total(way))
    wait = max(0, latest - total(way))
    return [Term("buffer", "for the latest member", aggregate.name, wait, way.box.rate_hz, "set")]


def playback_terms(box: Interface) -> list[Term]:
    """From a box's link to its output jacks; a cable has neither."""
    if box.cable is not None:
        return []
    return [
        _hardware("link out", box, "link_out_samples"),
        _hardware("D/A", box, "converter_out_samples"),
    ]


def cable_terms(box: Interface) -> list[Term]:
    """What a cable keeps waiting between the blocks of its two ends."""
    margin = box.cable.margin_samples if box.cable is not None else 0
    return [Term("buffer", "cable margin", box.name, margin, box.rate_hz, "set")]


def falling_term(box: Interface, played_samples: int, taken_samples: int) -> Term:
    """What a cable adds or takes that starts as it falls, by the blocks of who plays and who takes.

    It must begin with so much silence that it is never dry, whenever either of them begins; that makes
    P + C - g + margin + 1 at least, and P + C - 2 samples more at most, g being what both blocks have in common; where
    that is but a sample, one less.

    Example: 128 and 128 without a margin: 256 - 127 = 129 at least, 383 at most.
    """
    least = 1 - max(2, math.gcd(played_samples, taken_samples))
    spread = played_samples + taken_samples - 2
    return Term("buffer", "as it falls", box.name, least, box.rate_hz, "set", spread)


def far_term(far: FarEnd, way: Literal["from", "to"], name: str, rate_hz: int) -> Term:
    """What a far end's voice waits before it is here, or what is here before it is heard there.

    Example: 40 to 120 ms at 48 000 Hz are 1920 samples, and up to 3840 more.
    """
    low_ms, high_ms = (far.from_low_ms, far.from_high_ms) if way == "from" else (far.to_low_ms, far.to_high_ms)
    least, most = math.floor(low_ms * rate_hz / 1000), math.ceil(high_ms * rate_hz / 1000)
    label = "from the far end" if way == "from" else "to the far end"
    return Term("hardware", label, name, least, rate_hz, "assumed" if far.assumed else "typed", most - least)


def direct_terms(box: Interface) -> list[Term]:
    """From a box's input jacks to its output jacks, without the computer."""
    return [
        _hardware("A/D", box, "converter_in_samples"),
        _hardware("mixer", box, "mixer_samples"),
        _hardware("D/A", box, "converter_out_samples"),
    ]
