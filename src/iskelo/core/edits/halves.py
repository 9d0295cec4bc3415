"""A stereo track made two mono ones, two mono ones a stereo one; lines, sends and levels go along."""

import math
import re
from collections.abc import Mapping

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, free_name, new_ids, with_gear
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.index import Placed, index
from iskelo.core.rig.mixing import pan_gains
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort, Send, Track
from iskelo.core.rig.rig import Rig

SIDES = ("L", "R")
SILENT_DB = -144.0


@apply_one.register
def _(edit: e.SplitTrack, rig: Rig) -> Applied:
    program, track = _track(rig, edit.item)
    place = f"{program.name}, track {track.name}"
    if track.width != 2:
        raise Refused(place, "it is mono already")
    if track.insert is not None:
        raise Refused(place, "something stereo hangs in it; take that out first")
    if any(bus.id == track.input for bus in program.buses):
        raise Refused(place, "it takes a stereo bus, whose sides cannot be taken one by one")
    rig, ids = new_ids(rig, "t", 2)
    stereo = next((item for item in program.inputs if item.id == track.input), None)
    rig, program, inputs = _halves(rig, program, track, stereo)
    balance = pan_gains("0 dB", track.pan)
    names = [each.name for each in program.tracks if each.id != track.id]
    halves = [
        track.model_copy(
            update={
                "id": identity,
                "name": free_name(f"{track.name} {side}", names),
                "width": 1,
                "input": taken,
                "gain_db": _turned(track.gain_db, gain),
                # Hard to its side, where no pan law takes anything away.
                "pan": pan,
            }
        )
        for identity, side, taken, gain, pan in zip(ids, SIDES, inputs, balance, (-1.0, 1.0), strict=True)
    ]
    at = program.tracks.index(track)
    tracks = (*program.tracks[:at], *halves, *program.tracks[at + 1 :])
    rig, sends = _sent_by_both(rig, program, track.id, ids)
    program = program.model_copy(update={"tracks": tracks, "sends": sends})
    program = _without_unused(program, stereo)
    moved = {Port(track.id, "track", leg): Port(identity, "track", 1) for leg, identity in enumerate(ids, start=1)}
    rig = _ending_there(with_gear(rig, program), moved)
    return Applied(rig, f"{place}: two mono tracks, {halves[0].name} and {halves[1].name}")


@apply_one.register
def _(edit: e.JoinTracks, rig: Rig) -> Applied:
    (program, left), (other, right) = (_track(rig, identity) for identity in edit.items)
    place = f"{program.name}, tracks {left.name} and {right.name}"
    if program.id != other.id or left.id == right.id:
        raise Refused(place, "two tracks of one program can be made a pair")
    for track in (left, right):
        if track.width != 1:
            raise Refused(place, f"{track.name} is stereo already")
        if track.insert is not None:
            raise Refused(place, f"something mono hangs in {track.name}; take that out first")
        if any(bus.id == track.input for bus in program.buses):
            raise Refused(place, f"{track.name} takes a bus; a pair takes two channels of the device")
    rig, (identity,) = new_ids(rig, "t", 1)
    channels = tuple(_channel(program, track) for track in (left, right))
    taken = next((item for item in program.inputs if item.legs == channels and None not in channels), None)
    name = _common_name(left.name, right.name)
    if taken is None and channels != (None, None):
        rig, (new,) = new_ids(rig, "i", 1)
        taken = ProgramPort(id=new, name=name, legs=channels)
        program = program.model_copy(update={"inputs": (*program.inputs, taken)})
    pair = left.model_copy(
        update={
            "id": identity,
            "name": name,
            "width": 2,
            "input": taken.id if taken is not None else None,
            "armed": left.armed or right.armed,
            "monitored": left.monitored or right.monitored,
            "muted": left.muted and right.muted,
            "soloed": left.soloed or right.soloed,
            "pan": 0.0,
        }
    )
    tracks = tuple(pair if each.id == left.id else each for each in program.tracks if each.id != right.id)
    sends = tuple(
        send.model_copy(update={"item": identity, "pan": None}) if send.item == left.id else send
        for send in program.sends
        if send.item != right.id
    )
    program = program.model_copy(update={"tracks": tracks, "sends": sends})
    for track in (left, right):
        program = _without_unused(program, next((item for item in program.inputs if item.id == track.input), None))
    moved = {Port(track.id, "track", 1): Port(identity, "track", leg) for leg, track in ((1, left), (2, right))}
    lost = [f"the gain of {right.name}"] if right.gain_db != left.gain_db else []
    lost += [f"the sends of {right.name}"] if any(send.item == right.id for send in other.sends) else []
    said = f"; {' and '.join(lost)} went" if lost else ""
    return Applied(_ending_there(with_gear(rig, program), moved), f"{place}: one stereo track {name}{said}")


def _track(rig: Rig, identity: str) -> tuple[Program, Track]:
    placed: Placed | None = index(rig).items.get(identity)
    if placed is None or not isinstance(placed.item, Track):
        raise Refused(identity, "there is no track with this id; it may have been removed")
    return placed.program, placed.item


def _halves(
    rig: Rig, program: Program, track: Track, stereo: ProgramPort | None
) -> tuple[Rig, Program, tuple[str | None, str | None]]:
    """The mono inputs on the channels of a stereo one; those that are there, else new ones beside it."""
    if stereo is None:
        return rig, program, (None, None)
    taken: list[str] = []
    ports = list(program.inputs)
    for side, leg in zip(SIDES, (*stereo.legs, *stereo.legs)[:2], strict=True):
        there = next((item.id for item in ports if item.legs == (leg,) and leg is not None), None)
        if there is None:
            rig, (there,) = new_ids(rig, "i", 1)
            at = next(place for place, item in enumerate(ports, start=1) if item.id == stereo.id) + len(taken)
            ports.insert(min(at, len(ports)), ProgramPort(id=there, name=_free(stereo, side, ports), legs=(leg,)))
        taken.append(there)
    return rig, program.model_copy(update={"inputs": tuple(ports)}), (taken[0], taken[1])


def _free(stereo: ProgramPort, side: str, beside: list[ProgramPort]) -> str:
    return free_name(f"{stereo.name} {side}", (item.name for item in beside))


def _sent_by_both(rig: Rig, program: Program, track: str, halves: list[str]) -> tuple[Rig, tuple[Send, ...]]:
    """A program's sends, those of a stereo track by both of its halves."""
    sends: list[Send] = []
    for send in program.sends:
        if send.item != track:
            sends.append(send)
            continue
        rig, ids = new_ids(rig, "e", 2)
        sends += [
            send.model_copy(update={"id": identity, "item": half, "pan": None})
            for identity, half in zip(ids, halves, strict=True)
        ]
    return rig, tuple(sends)


def _without_unused(program: Program, item: ProgramPort | None) -> Program:
    """The program without an input that nothing takes any more."""
    used = {track.input for track in program.tracks} | {insert.back for _, insert in program.hung()}
    if item is None or item.id in used:
        return program
    return program.model_copy(update={"inputs": tuple(each for each in program.inputs if each.id != item.id)})


def _ending_there(rig: Rig, moved: Mapping[Port, Port]) -> Rig:
    """The rig with its lines ending where their tracks are now."""
    lines = tuple(
        line.model_copy(update={"to_ports": tuple(moved.get(port, port) for port in line.to_ports)})
        if moved.keys() & set(line.to_ports)
        else line
        for line in rig.lines
    )
    return rig.model_copy(update={"lines": lines})


def _channel(program: Program, track: Track) -> int | None:
    item = next((each for each in program.inputs if each.id == track.input), None)
    return item.legs[0] if item is not None else None


def _turned(gain_db: float, ratio: float) -> float:
    return max(SILENT_DB, gain_db + 20 * math.log10(ratio)) if ratio > 1e-7 else SILENT_DB


def _common_name(left: str, right: str) -> str:
    """What a pair is called: 'Organ L' and 'Organ R' are 'Organ', 'Alma' and 'Bertil' are 'Alma, Bertil'."""
    plain = [re.sub(r"\s*(?:[lr]|left|right|\d+)$", "", name, flags=re.I) for name in (left, right)]
    return plain[0] if plain[0] and plain[0].casefold() == plain[1].casefold() else f"{left}, {right}"[:80]
