"""A program's mixing at work: what of each of its sounds gets to each of its outputs, how loud and how much later.

Faders, mutes, pans and sends are worked one after the other as a desk would, from the tracks and voices through buses
to the outputs. A bus is worked when all that it takes has been; those that feed themselves are kept silent.
"""

import math
from collections import defaultdict
from collections.abc import Iterable

from iskelo.core.rig.programs import Bus, Program, Send, Track, Voice

Sound = tuple[str, int]
"""A leg of a named input, or of a voice: its id and its number."""

Heard = dict[tuple[Sound, int], float]
"""Which sounds are there, each later by so many samples, and their gains."""


def mixed(program: Program) -> dict[tuple[str, int], Heard]:
    """What is heard at each leg of each output of a program, by the output's id and the leg."""
    desk = _Desk(program)
    for track in program.tracks:
        desk.track(track)
    for voice in program.voices:
        desk.voice(voice)
    waiting = list(program.buses)
    while waiting:
        fed = {target for bus in waiting for target in desk.leads_to(bus)}
        ready = [bus for bus in waiting if bus.id not in fed]
        for bus in ready:
            desk.bus(bus)
        if not ready:
            # What is left feeds itself, or takes from what does.
            kept = [bus for bus in waiting if not desk.comes_back(bus)]
            waiting = [bus for bus in waiting if bus in kept]
            if not kept:
                break
            continue
        waiting = [bus for bus in waiting if bus not in ready]
    return {(item.id, leg): desk.at[item.id, leg] for item in program.outputs for leg in range(1, len(item.legs) + 1)}


class _Desk:
    """What has got where so far."""

    def __init__(self, program: Program) -> None:
        self.at: defaultdict[tuple[str, int], Heard] = defaultdict(dict)
        self._program = program
        self._widths = {bus.id: bus.width for bus in program.buses}
        self._widths |= {item.id: len(item.legs) for item in program.outputs}
        self._inputs = {item.id: len(item.legs) for item in program.inputs}
        self._sends: defaultdict[str, list[Send]] = defaultdict(list)
        for send in program.sends:
            if send.on:
                self._sends[send.item].append(send)

    def track(self, track: Track) -> None:
        """A track that is monitored: its effects, then what is taken before the fader, then the fader."""
        if track.input is None or not track.monitored:
            return
        legs = range(1, min(track.width, self._inputs[track.input]) + 1)
        pre: dict[int, Heard] = {leg: {((track.input, leg), track.effect_delay_samples): 1.0} for leg in legs}
        silent = track.muted and self._program.mute_kills_pre
        post = {leg: _turned(heard, track.gain_db) for leg, heard in pre.items()} if not track.muted else {}
        self._give(track, {} if silent else pre, post, track.width, track.pan)

    def voice(self, voice: Voice) -> None:
        legs: dict[int, Heard] = {leg: {((voice.id, leg), 0): 1.0} for leg in range(1, voice.width + 1)}
        self._give(voice, legs, legs, voice.width, voice.pan)

    def bus(self, bus: Bus) -> None:
        pre = {leg: self.at[bus.id, leg] for leg in range(1, bus.width + 1)}
        post = {leg: _turned(heard, bus.gain_db) for leg, heard in pre.items()} if not bus.muted else {}
        self._give(bus, pre, post, bus.width, None)

    def leads_to(self, bus: Bus) -> Iterable[str]:
        """The buses that one feeds."""
        targets = {send.to for send in self._sends[bus.id]} | ({bus.output} if bus.output is not None else set())
        return targets & {each.id for each in self._program.buses}

    def comes_back(self, bus: Bus) -> bool:
        """Whether what a bus feeds leads back to it."""
        by_id = {each.id: each for each in self._program.buses}
        seen: set[str] = set()
        ahead = [*self.leads_to(bus)]
        while ahead:
            here = ahead.pop()
            if here == bus.id:
                return True
            if here not in seen:
                seen.add(here)
                ahead += self.leads_to(by_id[here])
        return False

    def _give(
        self, item: Track | Voice | Bus, pre: dict[int, Heard], post: dict[int, Heard], width: int, pan: float | None
    ) -> None:
        """What an item gives on; a mix is not panned (None)."""
        if item.output is not None:
            self._into(item.output, post, width, pan)
        for send in self._sends[item.id]:
            legs = pre if send.tap == "before the fader" else post
            turned = {leg: _turned(heard, send.gain_db) for leg, heard in legs.items()}
            self._into(send.to, turned, width, pan if send.pan is None else send.pan)

    def _into(self, sink: str, legs: dict[int, Heard], width: int, pan: float | None) -> None:
        """Add legs to an output or a bus, panned."""
        for leg, heard in legs.items():
            for end, gain in self._sides(leg, width, self._widths[sink], pan):
                there = self.at[sink, end]
                for sound, level in heard.items():
                    there[sound] = there.get(sound, 0.0) + level * gain

    def _sides(self, leg: int, width: int, into: int, pan: float | None) -> list[tuple[int, float]]:
        if into == 1:
            return [(1, 1.0)]
        if pan is None:
            return [(leg, 1.0)] if width == 2 else [(1, 1.0), (2, 1.0)]
        balance = (1 - max(pan, 0.0), 1 + min(pan, 0.0))
        if width == 2:
            return [(leg, balance[leg - 1])]
        if self._program.pan_law == "0 dB":
            return list(enumerate(balance, start=1))
        # cos² and sin² of a quarter turn, told by the sine of twice the angle.
        turn = math.sin(math.pi * pan / 2)
        power = (max(0.0, (1 - turn) / 2), max(0.0, (1 + turn) / 2))
        linear = ((1 - pan) / 2, (1 + pan) / 2)
        if self._program.pan_law == "-6 dB":
            return list(enumerate(linear, start=1))
        if self._program.pan_law == "-3 dB":
            return [(side, math.sqrt(share)) for side, share in enumerate(power, start=1)]
        return [(side, math.sqrt(math.sqrt(power[side - 1]) * linear[side - 1])) for side in (1, 2)]


def _turned(heard: Heard, gain_db: float) -> Heard:
    gain = 10.0 ** (gain_db / 20)
    return {sound: level * gain for sound, level in heard.items()}
