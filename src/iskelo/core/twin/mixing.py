"""A program's mixing at work: what of each of its sounds gets to each of its outputs, how loud and how much later.

Faders, mutes, pans and sends are worked one after the other as a desk would, from the tracks and voices through buses
to the outputs. A bus is worked when all that it takes has been; those that feed themselves are kept silent. Where the
program compensates delays, what meets in a mix waits for the latest giver, muted or not.
"""

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from iskelo.core.rig.programs import Bus, PanLaw, Program, Send, Track, Voice

Sound = tuple[str, int]
"""A leg of a named input, or of a voice: its id and its number."""

Heard = dict[tuple[Sound, int], float]
"""Which sounds are there, each later by so many samples, and their gains."""


def mixed(program: Program, hosted: Sequence[Program] = ()) -> "Desk":
    """A program's mixing, worked from its inputs and voices to its outputs and to tracks that take a bus.

    ``hosted``: the programs that run in it, which have worked ahead what it takes back from them.
    """
    desk = Desk(program)
    for follower in hosted:
        assert follower.hosted is not None
        own = {voice.id for voice in follower.voices}
        theirs = mixed(follower)
        for item in program.inputs:
            if item.returns in {output.id for output in follower.outputs}:
                for leg in range(1, len(item.legs) + 1):
                    # They wait in line until it is their turn.
                    heard = _add({}, theirs.at(item.returns or "", leg), 1.0, follower.hosted.ahead_samples)
                    desk.returned[item.id, leg] = {key: gain for key, gain in heard.items() if key[0][0] in own}
    silent = {bus.id for bus in program.buses if desk.comes_back(bus)}
    for track in program.tracks:
        if track.input not in desk.buses or track.input in silent:
            desk.track(track)
    for voice in program.voices:
        desk.voice(voice)
    waiting = [bus for bus in program.buses if bus.id not in silent]
    while waiting:
        fed = {target for bus in waiting for target in desk.leads_to(bus)}
        ready = [bus for bus in waiting if bus.id not in fed]
        for bus in ready:
            desk.bus(bus)
        waiting = [bus for bus in waiting if bus not in ready]
    return desk


@dataclass(frozen=True, slots=True)
class _Arriving:
    """What a feed gives to a mix, and how late its giver is."""

    legs: dict[int, Heard]
    width: int
    pan: float | None
    latency: int
    compensated: bool = True


class Desk:
    """What has got where so far: what each mix takes, and what tracks that take a bus record."""

    def __init__(self, program: Program) -> None:
        self._program = program
        self.buses = {bus.id: bus for bus in program.buses}
        self._widths = {bus.id: bus.width for bus in program.buses}
        self._widths |= {item.id: len(item.legs) for item in program.outputs}
        self._inputs = {item.id: len(item.legs) for item in program.inputs}
        self._sends: defaultdict[str, list[Send]] = defaultdict(list)
        for send in program.sends:
            if send.on:
                self._sends[send.item].append(send)
        self._arriving: defaultdict[str, list[_Arriving]] = defaultdict(list)
        self.recorded: dict[Sound, Heard] = {}
        self.returned: dict[Sound, Heard] = {}

    def at(self, sink: str, leg: int) -> Heard:
        """What is heard at a leg of a mix: all that arrives, together in time if the program sees to that."""
        total: Heard = {}
        latest = self._latest(sink)
        for each in self._arriving[sink]:
            wait = latest - each.latency if self._program.delay_compensation and each.compensated else 0
            for start, heard in each.legs.items():
                for end, gain in side_gains(start, each.width, self._widths[sink], each.pan, self._program.pan_law):
                    if end == leg:
                        _add(total, heard, gain, wait)
        return total

    def _latest(self, sink: str) -> int:
        return max((each.latency for each in self._arriving[sink] if each.compensated), default=0)

    def track(self, track: Track) -> None:
        """A track that takes a named input, or nothing that sounds; what it records is the input itself."""
        taken: dict[int, Heard] = {}
        if track.input in self._inputs:
            legs = range(1, min(track.width, self._inputs[track.input]) + 1)
            taken = {leg: self._taken(track.input, leg) for leg in legs}
            if (track.input, 1) in self.returned:
                self.recorded |= {(track.id, leg): heard for leg, heard in taken.items()}
        self._strip(track, taken, 0)

    def _taken(self, item: str, leg: int) -> Heard:
        """What comes in at an input: its channel, or what a hosted program has laid ready."""
        return self.returned.get((item, leg), {((item, leg), 0): 1.0})

    def voice(self, voice: Voice) -> None:
        legs: dict[int, Heard] = {leg: {((voice.id, leg), 0): 1.0} for leg in range(1, voice.width + 1)}
        self._give(voice, legs, legs, _Arriving({}, voice.width, voice.pan, 0))

    def bus(self, bus: Bus) -> None:
        """A bus that has taken all it takes, and the tracks that take it."""
        late = bus.effect_delay_samples
        point = {leg: _add({}, self.at(bus.id, leg), 1.0, late) for leg in range(1, bus.width + 1)}
        pre, known = self._inserted(bus, point)
        post = {leg: _turned(heard, bus.gain_db) for leg, heard in pre.items()} if not bus.muted else {}
        latency = self._latest(bus.id) + late + known
        self._give(bus, pre, post, _Arriving({}, bus.width, None, latency))
        for track in self._program.tracks:
            if track.input == bus.id:
                taken = {leg: heard for leg, heard in post.items() if leg <= track.width}
                self.recorded |= {(track.id, leg): heard for leg, heard in taken.items()}
                self._strip(track, taken, latency)

    def _strip(self, track: Track, taken: dict[int, Heard], latency: int) -> None:
        """A track that is monitored: its effects, then what is taken before the fader, then the fader."""
        if not track.monitored:
            return
        late = track.effect_delay_samples
        pre, known = self._inserted(track, {leg: _add({}, heard, 1.0, late) for leg, heard in taken.items()})
        apart = self._program.solo_output
        others = apart is None and any(each.soloed for each in self._program.tracks)
        shut = track.muted or (others and not track.soloed)
        post = {leg: _turned(heard, track.gain_db) for leg, heard in pre.items()} if not shut else {}
        if shut and self._program.mute_kills_pre:
            pre = {}
        how = _Arriving({}, track.width, track.pan, latency + late + known)
        self._give(track, pre, post, how)
        if apart is not None and track.soloed and apart != track.output:
            self._arriving[apart].append(replace(how, legs=post, compensated=False))

    def _inserted(self, item: Track | Bus, point: dict[int, Heard]) -> tuple[dict[int, Heard], int]:
        """What is behind an insert, and by how much the program counts that as late; its send goes out at once."""
        insert = item.insert
        if insert is None or not insert.on:
            return point, 0
        self._arriving[insert.send].append(_Arriving(point, item.width, None, 0, compensated=False))
        dry = insert.dry_db
        behind = {}
        for leg in range(1, item.width + 1):
            back: Heard = dict(self._taken(insert.back, leg))
            behind[leg] = _add(back, point.get(leg, {}), 10.0 ** (dry / 20), 0) if dry is not None else back
        return behind, insert.held.samples if insert.held is not None else 0

    def leads_to(self, bus: Bus) -> set[str]:
        """The buses that one feeds: by its output, its sends, or a track that takes it."""
        givers = [bus.id, *(track.id for track in self._program.tracks if track.monitored and track.input == bus.id)]
        outputs = {bus.output, *(track.output for track in self._program.tracks if track.id in givers)}
        targets = {send.to for giver in givers for send in self._sends[giver]} | outputs
        return {target for target in targets if target in self.buses}

    def comes_back(self, bus: Bus) -> bool:
        """Whether what a bus feeds leads back to it."""
        seen: set[str] = set()
        ahead = [*self.leads_to(bus)]
        while ahead:
            here = ahead.pop()
            if here == bus.id:
                return True
            if here not in seen:
                seen.add(here)
                ahead += self.leads_to(self.buses[here])
        return False

    def _give(self, item: Track | Voice | Bus, pre: dict[int, Heard], post: dict[int, Heard], how: _Arriving) -> None:
        """What an item gives on by its own output and its sends; a mix is not panned (None)."""
        if item.output is not None:
            self._arriving[item.output].append(replace(how, legs=post))
        for send in self._sends[item.id]:
            legs = pre if send.tap == "before the fader" else post
            turned = {leg: _turned(heard, send.gain_db) for leg, heard in legs.items()}
            pan = how.pan if send.pan is None else send.pan
            self._arriving[send.to].append(replace(how, legs=turned, pan=pan))


def side_gains(leg: int, width: int, into: int, pan: float | None, law: PanLaw) -> list[tuple[int, float]]:
    """To which legs a leg goes, and how loud: mono by the pan law, stereo by balance; a sound that is not panned (None)
    goes to both sides at its own level.
    """
    if into == 1:
        return [(1, 1.0)]
    if pan is None:
        return [(leg, 1.0)] if width == 2 else [(1, 1.0), (2, 1.0)]
    balance = (1 - max(pan, 0.0), 1 + min(pan, 0.0))
    if width == 2:
        return [(leg, balance[leg - 1])]
    if law == "0 dB":
        return list(enumerate(balance, start=1))
    # cos² and sin² of a quarter turn, told by the sine of twice the angle.
    turn = math.sin(math.pi * pan / 2)
    power = (max(0.0, (1 - turn) / 2), max(0.0, (1 + turn) / 2))
    linear = ((1 - pan) / 2, (1 + pan) / 2)
    if law == "-6 dB":
        return list(enumerate(linear, start=1))
    if law == "-3 dB":
        return [(side, math.sqrt(share)) for side, share in enumerate(power, start=1)]
    return [(side, math.sqrt(math.sqrt(power[side - 1]) * linear[side - 1])) for side in (1, 2)]


def _add(there: Heard, heard: Heard, gain: float, later: int) -> Heard:
    """What is there with more of it, turned and later by so many samples."""
    for (sound, late), level in heard.items():
        key = (sound, late + later)
        there[key] = there.get(key, 0.0) + level * gain
    return there


def _turned(heard: Heard, gain_db: float) -> Heard:
    gain = 10.0 ** (gain_db / 20)
    return {sound: level * gain for sound, level in heard.items()}
