"""Faults that can be switched on for one run of the twin, to see and hear what they do; the rig itself stays as it is.

Each is an edit or several that would make the rig wrong the way rooms go wrong. A run with faults proves nothing.
"""

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Literal

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, Remove, SetOutputTrim, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.inserts import hung_in
from iskelo.core.rig.clocks import COMPUTER
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Strip
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.units import say_figure

Area = Literal["boxes", "clocks", "computer", "leads", "supply", "mixers", "inserts", "outputs"]

SLOW_PPM = 200.0
"""What a clock is off by that is much out of order: four times what a box of 50 ppm promises."""

COMES_UP_DB = -20.0
"""What an output's trim comes up at in boxes that forget theirs."""

LATE_SHARE = 1.5
"""A computer that calls late does so by up to so many of the longest buffers."""


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that could go wrong, and the edits that make it so."""

    key: str
    area: Area
    words: str
    edits: tuple[Edit, ...]


def faults_of(reading: Reading) -> tuple[Fault, ...]:
    """Every fault that this rig could have and that makes a difference to it, by area."""
    found = reading.found
    every = (
        *(*_boxes(found), *_clocks(found), *_computer(found), *_leads(found), *_supply(found)),
        *(*_mixers(reading), *_inserts(reading), *_outputs(found)),
    )
    return tuple(fault for fault in every if _possible(reading.rig, fault))


def with_faults(rig: Rig, reading: Reading, keys: Collection[str]) -> tuple[Rig, tuple[Fault, ...]]:
    """The rig with these faults, and which of them there are.

    A fault that another one makes impossible is left out: a lead of a box that is gone, say.
    """
    made: list[Fault] = []
    for fault in faults_of(reading):
        if fault.key in keys:
            try:
                rig = apply(rig, fault.edits).rig
            except Refused:
                continue
            made.append(fault)
    return rig, tuple(made)


def _possible(rig: Rig, fault: Fault) -> bool:
    try:
        apply(rig, fault.edits)
    except Refused:
        return False
    return True


def _opened(found: Index) -> list[Interface]:
    """The boxes that programs open, each once."""
    boxes = {way.box.id: way.box for streams in found.opened.values() for way in streams.ways}
    return list(boxes.values())


def _boxes(found: Index) -> Iterator[Fault]:
    for box in _opened(found):
        if box.connected:
            off = SetValues(item=box.id, values={"connected": False})
            yield Fault(f"off:{box.id}", "boxes", f"{box.name} is not there", (off,))
    for box in _opened(found):
        others = [rate for rate in box.rates_hz if rate != box.rate_hz]
        if others:
            # A box left at the other of the two usual rates is what happens; else the nearest it has.
            wrong = min(others, key=lambda rate: abs(rate - box.rate_hz))
            set_rate = SetValues(item=box.id, values={"rate_hz": wrong})
            yield Fault(f"rate:{box.id}", "boxes", f"{box.name} comes up at {wrong / 1000:g} kHz", (set_rate,))


def _clocks(found: Index) -> Iterator[Fault]:
    opened = _opened(found)
    masters = {found.paces[box.id].master for box in opened}
    for box in opened:
        # A clock that nothing else is held against is right by itself.
        if box.id in masters - {COMPUTER} and len(masters) > 1:
            ppm = (box.measured_ppm or 0.0) - SLOW_PPM
            slow = SetValues(item=box.id, values={"measured_ppm": ppm})
            words = f"The clock of {box.name} runs {SLOW_PPM:g} ppm slower than it should"
            yield Fault(f"slow:{box.id}", "clocks", words, (slow,))
    for patch in found.leads("clock"):
        words = f"The clock lead into {found.say(patch.to_port)} is out"
        yield Fault(f"out:{patch.id}", "clocks", words, (Remove(items=(patch.id,)),))


def _computer(found: Index) -> Iterator[Fault]:
    longest_ms = max(
        (
            1000 * streams.device.buffer_samples / streams.device.rate_hz
            for identity, streams in found.opened.items()
            if any(program.id == identity and program.load_readings for program in found.programs())
        ),
        default=0.0,
    )
    if longest_ms:
        late_ms = round(LATE_SHARE * longest_ms, 1)
        words = f"The computer wakes programs up to {late_ms:g} ms late"
        yield Fault("late", "computer", words, (SetValues(item="rig", values={"jitter_ms": late_ms}),))


def _leads(found: Index) -> Iterator[Fault]:
    """Those that are out first: they are what is looked for first."""
    leads = [patch for patch in found.leads("audio") if not patch.muted]
    said = {patch.id: f"{found.say(patch.from_port)} → {found.say(patch.to_port)}" for patch in leads}
    for patch in leads:
        yield Fault(f"out:{patch.id}", "leads", f"{said[patch.id]} is out", (Remove(items=(patch.id,)),))
    for patch in leads:
        over = SetValues(item=patch.id, values={"inverted": not patch.inverted})
        yield Fault(f"over:{patch.id}", "leads", f"{said[patch.id]} has its polarity reversed", (over,))


def _supply(found: Index) -> Iterator[Fault]:
    for box in found.boxes:
        if box.phantom_on:
            off = SetValues(item=box.id, values={"phantom_on": []})
            yield Fault(f"phantom:{box.id}", "supply", f"Phantom supply is off on {box.name}", (off,))


def _mixers(reading: Reading) -> Iterator[Fault]:
    """Strips that sound passes: muted, or moved by their key; left on their return, or live."""
    found = reading.found
    passed = {
        port.owner
        for state in reading.lines
        for leg in state.legs
        for arrival in leg.arrivals
        for port in arrival.route.ports
    }
    for inside in found.mixing.values():
        strip = inside.item
        if not isinstance(strip, Strip) or strip.id not in passed:
            continue
        said = f"of {inside.box.name}, strip {strip.name},"
        moves = inside.mixer.mute_key == "moves"
        key = "is up" if strip.muted else "is pressed"
        words = f"The key {said} {key}" if moves else f"Strip {strip.name} of {inside.box.name} is muted"
        if moves or not strip.muted:
            yield Fault(f"mute:{strip.id}", "mixers", words, (_set(strip.id, "muted", not strip.muted),))
        if strip.back:
            left = "on its return" if not strip.plays_back else "live"
            words = f"Strip {strip.name} of {inside.box.name} is left {left}"
            yield Fault(f"source:{strip.id}", "mixers", words, (_set(strip.id, "plays_back", not strip.plays_back),))


def _inserts(reading: Reading) -> Iterator[Fault]:
    for hung in hung_in(reading.found):
        if hung.insert.on:
            words = f"The insert of {hung.what} is bypassed"
            yield Fault(f"bypass:{hung.owner}", "inserts", words, (hung.setting(on=False),))


def _outputs(found: Index) -> Iterator[Fault]:
    """Output jacks in use that come up turned down."""
    used = dict.fromkeys(patch.from_port for patch in found.leads("audio") if patch.from_port.bank == "jack_out")
    for jack in used:
        box = found.gear[jack.owner]
        if isinstance(box, Interface) and box.output_trims_db[jack.number - 1] > COMES_UP_DB:
            down = SetOutputTrim(interface=box.id, jack_out=jack.number, trim_db=COMES_UP_DB)
            words = f"{found.say(jack)} comes up at {say_figure(COMES_UP_DB)} dB"
            yield Fault(f"down:{box.id}:{jack.number}", "outputs", words, (down,))


def _set(item: str, field: str, value: bool) -> SetValues:
    return SetValues(item=item, values={field: value})
