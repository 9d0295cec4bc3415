"""Why a step of the set-up list is done, and how to see that it worked."""

from collections.abc import Callable

from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.steps import SetUpStep
from iskelo.core.rig.gear import Aggregate, Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.rig.text import few

Told = tuple[str, str]
"""Why, and how to see it."""


def reasons(reading: Reading) -> Callable[[SetUpStep], Told]:
    """What to say beside each step of this rig; nothing where nothing can be said."""
    found = reading.found
    wanted: dict[Port, list[str]] = {}
    for line in reading.rig.lines:
        for port in (*line.from_ports, *line.to_ports):
            wanted.setdefault(port, []).append(line.name)

    def told(step: SetUpStep) -> Told:
        kind, _, identity = step.key.partition(":")
        if kind == "lead":
            return _lead(found, found.patches[identity], wanted)
        return TOLD[kind](found, identity) if kind in TOLD else ("", "")

    return told


def _lead(found: Index, patch: Patch, wanted: dict[Port, list[str]]) -> Told:
    start, end = patch.from_port, patch.to_port
    if end.bank in ("word_in", "optical_in"):
        return "it carries the clock", f"{found.name(end.owner)} says that it is locked"
    lines = [*wanted.get(start, ()), *wanted.get(end, ())]
    why = f"for {few(lines)}" if lines else ""
    source = found.gear.get(start.owner)
    if isinstance(source, Source):
        what = "tap it or speak" if source.source_kind == "microphone" else "play it"
        return why, f"{what}: the meter of {found.say(end)} moves, and no other"
    if end.bank == "in":
        return why, f"what is played at {found.say(start)} is heard at {found.say(end)}"
    return why, f"a tone at {found.say(start)} moves the meter of {found.say(end)}"


def _box(found: Index, identity: str) -> Told:
    box = found.gear[identity]
    assert isinstance(box, Interface)
    users = [program.name for program in found.programs() if found.reaches(program, identity)]
    why = f"{few(users)} open{'s' if len(users) == 1 else ''} it" if users else ""
    shows = f"the computer lists it with {box.capture} in and {box.playback} out"
    return why, shows


def _driver(found: Index, identity: str) -> Told:
    box, driver = found.drivers[identity]
    users: list[str] = []
    buffer = driver.buffer_samples
    for program in found.programs():
        streams = found.opened.get(program.id)
        way = next((each for each in streams.ways if each.driver.id == identity), None) if streams else None
        if way is not None:
            buffer = buffer if users else way.buffer_samples
            users.append(program.name)
    where = "its panel" if driver.set_in != "the program" else next(iter(users), "the program")
    return (
        f"by it {few(users)} reach{'es' if len(users) == 1 else ''} {box.name}" if users else "",
        f"{where} reads buffer {buffer} at {box.rate_hz / 1000:g} kHz",
    )


def _clock(found: Index, identity: str) -> Told:
    box, pace = found.gear[identity], found.paces[identity]
    assert isinstance(box, Interface)
    led = [each.name for each in found.boxes if found.paces[each.id].leader == identity]
    why = f"{few(led)} run{'s' if len(led) == 1 else ''} by it" if led else ""
    if box.cable is not None:
        return why, ""
    if pace.leader is not None:
        return f"so that it keeps time with {found.name(pace.leader)}", "its panel says locked, and the same rate"
    return why, f"its panel says internal, {box.rate_hz / 1000:g} kHz"


def _phantom(found: Index, identity: str) -> Told:
    box = found.gear[identity]
    assert isinstance(box, Interface)
    fed = [
        found.gear[patch.from_port.owner]
        for patch in found.rig.patches
        if patch.to_port.owner == identity and patch.to_port.number in box.phantom_on
    ]
    needing = list(dict.fromkeys(each.name for each in fed if isinstance(each, Source) and each.needs_phantom))
    why = f"{few(needing)} need{'s' if len(needing) == 1 else ''} it" if needing else ""
    return why, "turn what is heard down first; the lamp is on, and after a few seconds they can be heard"


def _joined(found: Index, identity: str) -> Told:
    device = found.gear[identity]
    assert isinstance(device, Aggregate)
    users = [program for program in found.programs() if program.device == identity]
    streams = found.opened.get(users[0].id) if users else None
    why = f"{few(each.name for each in users)} open{'s' if len(users) == 1 else ''} it" if users else ""
    if streams is None:
        return why, ""
    return why, f"it shows {streams.device.capture} in and {streams.device.playback} out, in that order"


def _program(found: Index, identity: str) -> Told:
    program = found.gear[identity]
    assert isinstance(program, Program)
    device = found.device(program)
    if device is None:
        return "", ""
    return "", f"it reads {device.name}, buffer {device.buffer_samples}, {device.rate_hz / 1000:g} kHz"


def _items(side: str) -> Callable[[Index, str], Told]:
    def told(found: Index, identity: str) -> Told:
        program = found.gear[identity]
        assert isinstance(program, Program)
        if side == "tracks":
            armed = sum(track.armed for track in program.tracks)
            return "", f"{armed} of {len(program.tracks)} are armed, and each moves with its own source alone"
        many = len(getattr(program, side))
        return f"tracks and sheets speak of {'these names' if many > 1 else 'this name'}", ""

    return told


def _insert(found: Index, identity: str) -> Told:
    placed = found.items.get(identity)
    return "", f"bypassing it changes what is heard on {placed.item.name}" if placed is not None else ""


def _outboard(found: Index, identity: str) -> Told:
    gear = found.gear[identity]
    assert isinstance(gear, Outboard)
    return "", "it has power, and nothing in it is bypassed"


def _sync(found: Index, identity: str) -> Told:
    placed = found.items.get(identity)
    if placed is None:
        return "", ""
    leader = found.name(placed.item.sender) if isinstance(placed.item, SyncLink) else ""
    return "", f"{placed.program.name} starts, stops and counts with {leader}"


def _always(why: str, see: str) -> Callable[[Index, str], Told]:
    return lambda _, __: (why, see)


TOLD: dict[str, Callable[[Index, str], Told]] = {
    "box": _box,
    "driver": _driver,
    "clock": _clock,
    "phantom": _phantom,
    "joined": _joined,
    "program": _program,
    "in": _items("inputs"),
    "out": _items("outputs"),
    "tracks": _items("tracks"),
    "insert": _insert,
    "set": _outboard,
    "sync": _sync,
    "mixer": _always("what is said of levels counts with it", ""),
    "strip": _always("", "sound at what it takes moves its meter, and what it feeds"),
    "mix": _always("", "a strip that feeds it moves its meter"),
    "capture": _always("", "each of these channels moves in the computer with what is named, and with nothing else"),
    "jack_out": _always("", "each of these jacks gives what is named"),
    "bus": _always("", "what is sent there moves its meter"),
    "direct": _always("it is heard without the delay of the computer", "with the programs closed it is still heard"),
}
"""By what a step's key begins with."""
