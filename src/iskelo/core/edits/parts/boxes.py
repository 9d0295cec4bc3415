"""A part's box brought into one that is here: its jacks, its clock and buffers, its direct monitoring."""

from typing import Any, Literal

from iskelo.core.edits.base import gear_of, with_gear
from iskelo.core.edits.parts.mixers import mixer_jacks, settle_mixer
from iskelo.core.edits.parts.under_way import Fit, UnderWay
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import DirectMonitor, Interface
from iskelo.core.rig.value import DEFAULT_TRIM_DB

DRIVER_SETTINGS = ("buffer_samples", "engine_samples", "resampling_quality")


def settle(at: UnderWay, piece: Interface, here: str) -> None:
    """Bring a part's box into the one with the id ``here``; what that one's make is stays as it is."""
    box = gear_of(at.rig, here, Interface)
    plugged = {
        "jack_in": {p.to_port.number for p in at.rig.patches if p.to_port[:2] == (here, "jack_in")},
        "jack_out": {p.from_port.number for p in at.rig.patches if p.from_port[:2] == (here, "jack_out")},
    }
    ins, outs = _fit(at, piece, box, "jack_in"), _fit(at, piece, box, "jack_out")
    if at.wants("settings"):
        _settings(at, piece, here)
    if at.wants("inputs"):
        _inputs(at, piece, here, ins, plugged["jack_in"])
    if at.wants("outputs"):
        _outputs(at, piece, here, (ins, outs), plugged["jack_out"])
    if piece.mixer is not None and (at.wants("strips") or at.wants("mixes and feeds")):
        if gear_of(at.rig, here, Interface).mixer is None:
            at.tell(box, "strips", f"{len(piece.mixer.strips)} strips", "left out", f"{box.name} is no mixer")
        else:
            settle_mixer(at, piece, here, (ins, outs), plugged["jack_in"])


def _used(at: UnderWay, piece: Interface, bank: Literal["jack_in", "jack_out"]) -> dict[int, str]:
    """The jacks of a piece that are set somehow, that strips or feeds speak of, or that something was plugged into."""
    used: dict[int, str] = {}
    if bank == "jack_in" and at.wants("inputs"):
        used |= {number: "its trim" for number, trim in enumerate(piece.trims_db, 1) if trim != DEFAULT_TRIM_DB}
        used |= dict.fromkeys(piece.phantom_on, "phantom supply")
        used |= dict.fromkeys(piece.high_impedance_on, "high impedance")
    if at.wants("outputs"):
        if bank == "jack_out":
            used |= {number: "its trim" for number, trim in enumerate(piece.output_trims_db, 1) if trim}
        used |= {getattr(cross, bank): "direct monitoring" for cross in piece.direct}
    if piece.mixer is not None:
        used |= mixer_jacks(piece.mixer, bank, at)
    for patch in at.old.rig.patches if at.wants("leads") else ():
        for port, other in ((patch.to_port, patch.from_port), (patch.from_port, patch.to_port)):
            if port[:2] == (piece.id, bank):
                used[port.number] = at.old.say(other)
    return used


def _fit(at: UnderWay, piece: Interface, box: Interface, bank: Literal["jack_in", "jack_out"]) -> Fit:
    """Jacks keep their numbers; one that is not there has no place."""
    size = box.jack_in if bank == "jack_in" else box.jack_out

    def place(number: int) -> tuple[int | None, str]:
        if number > size:
            return None, f"{box.name} has {size} {'input' if bank == 'jack_in' else 'output'} jacks"
        return number, "the same number"

    return at.fit((piece, box), bank, size, _used(at, piece, bank), place)


def _settings(at: UnderWay, piece: Interface, here: str) -> None:
    """Rate, clock and buffers, as far as the box here offers them; those of a box that a program opens stay."""
    box = gear_of(at.rig, here, Interface)
    opened = [program.name for program in at.found.programs() if at.found.reaches(program, here)]
    update: dict[str, Any] = {"drivers": _drivers(box, piece)}
    if piece.rate_hz in box.rates_hz:
        update["rate_hz"] = piece.rate_hz
    able = {"word clock": box.word_clock_in, "optical": box.optical_in > 0, "own": True, "computer": True}
    if box.cable is None and piece.cable is None and able.get(piece.clock_source, False):
        update["clock_source"] = piece.clock_source
    if box.cable is not None and piece.follows is not None and piece.follows in at.gear:
        update |= {"clock_source": piece.clock_source, "follows": at.gear[piece.follows]}
    new = box.model_copy(update=update)
    if new == box:
        at.tell(box, "settings", "rate, clock and buffers", "same")
    elif opened and not at.asked.over_used:
        at.tell(box, "settings", "rate, clock and buffers", "stays", f"{opened[0]} opens it")
    else:
        kept = "" if piece.rate_hz in box.rates_hz else f"it does not offer {piece.rate_hz / 1000:g} kHz"
        at.tell(box, "settings", "rate, clock and buffers", "set", kept)
        at.rig = with_gear(at.rig, new)


def _drivers(box: Interface, piece: Interface) -> tuple[Driver, ...]:
    """Its drivers with the buffers that the part's have, kind by kind and in order, where they offer those."""
    left = list(piece.drivers)
    drivers = []
    for driver in box.drivers:
        same = next((each for each in left if each.kind == driver.kind), None)
        if same is None:
            drivers.append(driver)
            continue
        left.remove(same)
        update = {name: getattr(same, name) for name in DRIVER_SETTINGS}
        if same.buffer_samples not in driver.buffers_samples:
            del update["buffer_samples"]
        drivers.append(driver.model_copy(update=update))
    return tuple(drivers)


def _inputs(at: UnderWay, piece: Interface, here: str, ins: Fit, plugged: set[int]) -> None:
    """Trims and switches of the input jacks; a jack with something plugged in stays as it is."""
    box = gear_of(at.rig, here, Interface)
    trims, phantom, high = list(box.trims_db), set(box.phantom_on), set(box.high_impedance_on)
    for number, to in sorted(ins.items()):
        set_there = piece.trims_db[number - 1] if number <= len(piece.trims_db) else DEFAULT_TRIM_DB
        if to is None:
            continue
        trim = box.trim_like(piece, set_there)
        supply = number in piece.phantom_on and to <= box.able_jacks("phantom")
        impedance = number in piece.high_impedance_on and to <= box.able_jacks("instrument")
        name = f"jack in {to}"
        unable = [
            words
            for words, wanted, able in (
                ("phantom supply", number in piece.phantom_on, supply),
                ("high impedance", number in piece.high_impedance_on, impedance),
            )
            if wanted and not able
        ]
        why = f"it has no {' and no '.join(unable)}" if unable else ""
        if (trim, supply, impedance) == (trims[to - 1], to in phantom, to in high):
            at.tell(box, "inputs", name, "same", why)
        elif to in plugged and not at.asked.over_used:
            at.tell(box, "inputs", name, "stays", "something is plugged in")
        else:
            trims[to - 1] = trim
            phantom = phantom | {to} if supply else phantom - {to}
            high = high | {to} if impedance else high - {to}
            at.tell(box, "inputs", name, "set", why)
    update = {
        "trims_db": tuple(trims),
        "phantom_on": tuple(sorted(phantom)),
        "high_impedance_on": tuple(sorted(high)),
    }
    at.rig = with_gear(at.rig, box.model_copy(update=update))


def _outputs(at: UnderWay, piece: Interface, here: str, fits: tuple[Fit, Fit], plugged: set[int]) -> None:
    """Trims of the output jacks, and what is heard there directly; what somebody listens to stays as it is."""
    box = gear_of(at.rig, here, Interface)
    ins, outs = fits
    trims = list(box.output_trims_db)
    direct = {(cross.jack_in, cross.jack_out): cross for cross in box.direct}
    for number, to in sorted(outs.items()):
        if to is None:
            continue
        trim = piece.output_trims_db[number - 1] if number <= len(piece.output_trims_db) else 0.0
        heard = _crossings(piece, box, number, to, ins)
        here_now = {cross for cross in direct.values() if cross.jack_out == to}
        if (trim, set(heard)) == (trims[to - 1], here_now):
            at.tell(box, "outputs", f"jack out {to}", "same")
        elif to in plugged and not at.asked.over_used:
            at.tell(box, "outputs", f"jack out {to}", "stays", "something is plugged in")
        else:
            trims[to - 1] = trim
            direct = {place: cross for place, cross in direct.items() if place[1] != to}
            direct |= {(cross.jack_in, cross.jack_out): cross for cross in heard}
            at.tell(box, "outputs", f"jack out {to}", "set")
    update = {"output_trims_db": tuple(trims), "direct": tuple(direct.values())}
    at.rig = with_gear(at.rig, box.model_copy(update=update))


def _crossings(piece: Interface, box: Interface, number: int, to: int, ins: Fit) -> list[DirectMonitor]:
    """What the part hears directly at one of its output jacks, at the jacks that took over."""
    if box.mixer is not None:
        return []
    return [
        cross.model_copy(update={"jack_in": there, "jack_out": to})
        for cross in piece.direct
        if cross.jack_out == number and (there := ins.get(cross.jack_in)) is not None
    ]
