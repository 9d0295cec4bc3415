"""Leads into a box's input jacks: from sources, and back from output jacks, straight or through outboard gear.

A lead carries a voltage, and outboard gear turns it up or down and gives it on later. What comes from another clock, or
falls between two samples, is looked up between them.
"""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from iskelo.core.fractional_delay import BEFORE, TAPS, between
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.twin.box import Box
from iskelo.core.twin.couplings import InsideLead
from iskelo.core.twin.ends import Lead, sampled
from iskelo.core.twin.mixer_box import MixerBox
from iskelo.core.twin.program import Sound
from iskelo.core.twin.ring import Clock
from iskelo.core.twin.stream import Block
from iskelo.core.twin.told import CannotFollow


@dataclass(frozen=True, slots=True)
class Chain:
    """Leads one behind the other, through outboard gear: where they begin, as a ratio with a sign, and how late."""

    origin: Port
    ratio: float
    late_s: Fraction


def chain_into(rig: Rig, end: Port) -> Chain | None:
    """What is plugged into an input, followed back to a source or to a box's output jack; None if nothing is."""
    plugged = {patch.to_port: patch for patch in rig.patches}
    gear = {each.id: each for each in rig.gear}
    ratio, late_s, at = 1.0, Fraction(0), end
    while (patch := plugged.get(at)) is not None:
        ratio *= 0.0 if patch.muted else (-1 if patch.inverted else 1) * 10 ** (patch.gain_db / 20)
        start = patch.from_port
        passed = gear[start.owner]
        if patch.unbalanced and isinstance(passed, Interface | Outboard) and passed.drives_both_legs:
            # Between the hot leg and ground there is half of what is between the two legs.
            ratio /= 2
        if not isinstance(passed, Outboard):
            return Chain(start, 0.0 if _lacks_supply(passed, gear[at.owner], at.number) else ratio, late_s)
        ratio *= 10 ** (passed.gain_db / 20)
        late_s += Fraction(passed.delay_samples, passed.rate_hz)
        at = Port(passed.id, "outboard_in", start.number)
    return None


def _lacks_supply(source: object, taker: object, jack: int) -> bool:
    """A microphone that needs a supply gives nothing without one."""
    if not isinstance(source, Source) or not source.needs_phantom:
        return False
    if isinstance(taker, Outboard):
        return not taker.supplies_phantom
    return isinstance(taker, Interface) and jack not in taker.phantom_on


def jacks_of(rig: Rig, box: Interface, clock: Clock, sounds: Mapping[Port, Sound]) -> Callable[[int, Block], None]:
    """Lays the voltages of sources at a box's input jacks, from the leads that are plugged there, into silence."""
    by_delay: dict[Fraction, list[tuple[int, Sound, float]]] = {}
    for jack, chain in _chains(rig, box):
        if chain.origin in sounds:
            by_delay.setdefault(chain.late_s, []).append((jack, sounds[chain.origin], chain.ratio))
    first, step = clock.start_s * box.rate_hz, box.rate_hz / clock.rate

    def voltages(start: int, out: Block) -> None:
        for late_s, leads in by_delay.items():
            begin = first + start * step - late_s * box.rate_hz
            got = sampled([sound for _, sound, _ in leads], box.rate_hz, begin, step, out.shape[1])
            for (jack, _, ratio), sound in zip(leads, got, strict=True):
                out[jack - 1] += np.float32(ratio) * sound

    return voltages


def _chains(rig: Rig, box: Interface) -> list[tuple[int, Chain]]:
    jacks = range(1, box.jack_in + 1)
    found = ((jack, chain_into(rig, Port(box.id, "jack_in", jack))) for jack in jacks)
    return [(jack, chain) for jack, chain in found if chain is not None and chain.ratio]


def inside_leads(rig: Rig, box: Interface) -> list[InsideLead]:
    """Leads from a mixer's own output jacks into its own inputs."""
    return [
        InsideLead(chain.origin.number, jack, chain.ratio, int(chain.late_s * box.rate_hz))
        for jack, chain in _chains(rig, box)
        if _is_inside(chain, box)
    ]


def _is_inside(chain: Chain, box: Interface) -> bool:
    """Whether a lead is worked inside the mixer: from itself to itself, by whole samples."""
    own = box.mixer is not None and chain.origin.owner == box.id and chain.origin.bank == "jack_out"
    return own and (chain.late_s * box.rate_hz).denominator == 1


def leads_out(rig: Rig, box: Interface, length: int) -> list[Lead]:
    """What leads from a box's output jacks to destinations."""
    ends = [
        Port(gear.id, "in", leg)
        for gear in rig.gear
        if isinstance(gear, Destination)
        for leg in range(1, gear.width + 1)
    ]
    chains = ((port, chain_into(rig, port)) for port in ends)
    return [
        Lead(port, chain.origin.number, chain.ratio, chain.late_s, np.zeros(length, np.float32))
        for port, chain in chains
        if chain is not None and chain.origin.owner == box.id
    ]


def longest_late_s(rig: Rig) -> Fraction:
    """The longest that any sound takes through outboard gear, more or less: memories are made for it."""
    return sum(
        (Fraction(each.delay_samples, each.rate_hz) for each in rig.gear if isinstance(each, Outboard)), Fraction(0)
    )


def bring_back(rig: Rig, boxes: Mapping[str, Box]) -> None:
    """Join the leads that go back from output jacks to input jacks.

    Raises
    ------
    CannotFollow
        Where sound goes round by direct monitoring without any delay, or between clocks faster than can be looked up.
    """
    for box in boxes.values():
        groups: dict[tuple[str, Fraction], list[tuple[int, Chain]]] = {}
        for jack, chain in _chains(rig, box.gear):
            if chain.origin.bank == "jack_out" and not _is_inside(chain, box.gear):
                groups.setdefault((chain.origin.owner, chain.late_s), []).append((jack, chain))
        for (origin, late_s), some in groups.items():
            box.returns.append(_Returned(box, boxes[origin], late_s, some))
    _in_steps(boxes)


class _Returned:
    """Leads from some output jacks of one box into some input jacks of another, all as late as each other."""

    def __init__(self, box: Box, origin: Box, late_s: Fraction, leads: Iterable[tuple[int, Chain]]) -> None:
        leads = list(leads)
        self.origin = origin
        self._into = [jack - 1 for jack, _ in leads]
        self._tap = origin.tap([chain.origin.number - 1 for _, chain in leads])
        # Full scale is a sine's peak, 1.0; its RMS in volts over 0 dBu is what leaves the jack (AES17).
        full = math.sqrt(2) * 10 ** (origin.gear.output_full_scale_dbu / 20)
        self._ratios = np.array([[full * chain.ratio] for _, chain in leads], np.float32)
        ours, theirs = box.clock, origin.clock
        self._step = theirs.rate / ours.rate
        self._first = (ours.start_s - late_s - theirs.start_s) * theirs.rate
        self.exact = self._step == 1 and self._first.denominator == 1
        self._offset = int(self._first)
        self.rings_directly = self._tap.hears_directly
        # How much earlier than what comes in it is what leaves the origin's converters, at least.
        self.ahead_s = late_s - (0 if self.exact else Fraction(TAPS - BEFORE) / theirs.rate)

    def coming(self, start: int, count: int) -> tuple[list[int], Block]:
        """The input jacks, from nought, and the voltages that come back there in these samples of the box's clock."""
        if self.exact:
            got = self._tap.read(self._offset + start, count)
        else:
            at = self._first + start * self._step
            whole = int(at // 1)
            positions = float(at - whole) + BEFORE + float(self._step) * np.arange(count, dtype=np.float64)
            told = self._tap.read(whole - BEFORE, int(positions[-1]) + TAPS)
            got = between(told, positions)
        got *= self._ratios
        return self._into, got


def _in_steps(boxes: Mapping[str, Box]) -> None:
    """Let boxes that hear each other directly take in no more at once than has been given out."""
    far = Fraction(10**9)
    names = list(boxes)
    by: dict[tuple[str, str], Fraction] = {}
    for name, box in boxes.items():
        for each in box.returns:
            if isinstance(each, _Returned) and each.rings_directly:
                key = (name, each.origin.gear.id)
                by[key] = min(by.get(key, far), each.ahead_s + each.origin.direct_s)
    shortest = dict(by)
    for middle in names:
        for start in names:
            for end in names:
                through = shortest.get((start, middle), far) + shortest.get((middle, end), far)
                if through < shortest.get((start, end), far):
                    shortest[start, end] = through
    for name, box in boxes.items():
        round_s = shortest.get((name, name))
        if round_s is not None:
            box.step_samples = int(round_s * box.clock.rate)
            if box.step_samples < 1:
                raise CannotFollow(
                    f"Sound goes round through {box.gear.name} by direct monitoring faster than can be simulated: "
                    "give its converters the delay they have, or open the circle."
                )


def _recorded(boxes: Mapping[str, Box]) -> set[str]:
    """The boxes that programs are called by, and those that lead into them: what comes in there is wanted before the
    programs play. Any other box is listened to after they have.
    """
    recorded = {name for name, box in boxes.items() if box.sessions}
    ahead = list(recorded)
    while ahead:
        for each in boxes[ahead.pop()].returns:
            origin = each.origin.gear.id
            if origin not in recorded:
                recorded.add(origin)
                ahead.append(origin)
    return recorded


def played_ahead_s(boxes: Mapping[str, Box]) -> Fraction | None:
    """How long a turn of the sound may be, so that all that comes back has been given out; None if nothing does."""
    limits = []
    recorded = _recorded(boxes)
    for name, box in boxes.items():
        if isinstance(box, MixerBox) and box.takes_again:
            limits += box.taken_again_ahead()
        for each in box.returns if name in recorded else ():
            for session in each.origin.sessions:
                ahead = session.ahead_samples + each.origin.gear.converter_out_samples + box.unheard_samples
                limits.append(((session.period_samples + ahead) / each.origin.clock.rate + each.ahead_s, session))
    if not limits:
        return None
    shortest = min(limit for limit, _ in limits)
    sessions = {id(session): session for _, session in limits}
    if len(sessions) == 1:
        # Turns that end where its periods do find a whole period more in the memory that is played.
        (session,) = sessions.values()
        if not session.box.clock.start_s:
            period_s = session.period_samples / session.box.clock.rate
            return max(period_s, (shortest + period_s) // period_s * period_s)
    if shortest <= 0:
        raise CannotFollow(
            "What is played comes back to another clock sooner than can be simulated: use larger buffers."
        )
    return shortest
