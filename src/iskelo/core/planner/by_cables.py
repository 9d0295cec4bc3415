"""What one program sounds, brought to another's tracks by cables: as many as it takes, each sound on its own channels.

Lines between the same two programs are placed together: pairs before single sounds, in the lines' order, each to the
first place inside one cable, pairs on odd and even numbers, single sounds beside a lone one; cables that are there
before new ones. With sounds of one and of two channels no other order needs fewer cables.
"""

from collections.abc import Iterable, Iterator

from iskelo.core.edits.additions import AddGear, AddProgramPorts, AddSends
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import (
    Edit,
    EnableChannels,
    JoinDevices,
    SetDevice,
    SetLeg,
    SetMembers,
    SetValues,
)
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.cable_rooms import Room, Wanted, own_input, own_output, rooms_for, voice_to_track, wanted_by
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.search import arriving
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.device_streams import RATE_OF_NOTHING_HZ, Bank
from iskelo.core.rig.gear import MEMBERS_AT_MOST, Aggregate, Interface, Member
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.programs import Program, ProgramPort

NEW_CABLE_CHANNELS = 8
"""As many has a new cable where there is none to go by."""


class _Plan(Joinings):
    """Edits as they are planned, for the rig as it was before; ``named``: so many new things have a symbol already."""

    def __init__(self, reading: Reading, named: int = 0) -> None:
        super().__init__(reading)
        self.named = named

    def do(self, place: str, words: str, *edits: Edit) -> None:
        self.add(edits, (words,), (place,))

    def symbol(self) -> str:
        self.named += 1
        return new(self.named)

    def now(self) -> Index:
        """The rig with what is planned so far."""
        return index(apply(self.reading.rig, tuple(self.edits)).rig)


def join_by_cables(reading: Reading, only: str | None = None) -> tuple[Joining, Reading] | None:
    """Bring silent lines from programs to other programs' tracks by cables; ``only``: that line alone.

    Returns
    -------
    tuple of Joining and Reading, or None
        The edits, with the rig as it is then; None if there is no such line, or none of them can be helped so. A line
        that would take away what arrives is left as it is.
    """
    made = Joinings(reading)
    named = 0
    waiting = _groups(reading, only)
    while waiting:
        lines = waiting.pop(0)
        group = _wanted_of(made.reading, lines)
        plan = _Plan(made.reading, named)
        after = _tried(plan, group)
        if after is not None:
            made.take(plan.made(), after)
            named = plan.named
        elif len(group) > 1:
            # What cannot be helped together may be helped in part.
            ids = [each.state.line.id for each in group]
            waiting[:0] = [ids[: len(ids) // 2], ids[len(ids) // 2 :]]
    return made.found()


def cross_by_cables(reading: Reading, group: list[Wanted]) -> tuple[Joining, Reading] | None:
    """Bring what is wanted between two programs over by cables; None if that cannot be, or takes away what arrives."""
    plan = _Plan(reading)
    after = _tried(plan, group)
    return (plan.made(), after) if after is not None else None


def _tried(plan: _Plan, group: list[Wanted]) -> Reading | None:
    """The rig with a group's lines joined; None if that cannot be, or takes away what arrives."""
    before = plan.reading
    if not group:
        return None
    try:
        _join(plan, group)
        after = read(apply(before.rig, tuple(plan.edits)).rig, before)
    except Refused:
        return None
    sounding = arriving(after)
    served = {each.state.line.id for each in group}
    return after if arriving(before) | served <= sounding and plan.edits else None


def _groups(reading: Reading, only: str | None) -> list[list[str]]:
    """The lines that cables could help, by the two programs."""
    groups: dict[tuple[str, str], list[str]] = {}
    sounding = arriving(reading)
    for state in reading.lines:
        wanted = wanted_by(state, reading.found)
        if wanted is not None and state.line.id not in sounding and only in (None, state.line.id):
            groups.setdefault((wanted.sender.id, wanted.receiver.id), []).append(state.line.id)
    return list(groups.values())


def _wanted_of(reading: Reading, lines: list[str]) -> list[Wanted]:
    """These lines as the rig is now, the widest first."""
    states = [reading.traced[line].state for line in lines]
    group = [wanted for state in states if (wanted := wanted_by(state, reading.found)) is not None]
    return sorted(group, key=lambda each: -each.width)


def _join(plan: _Plan, group: list[Wanted]) -> None:
    """Place every line of two programs, bring the cables into both devices, and map both ends."""
    sender, receiver = group[0].sender, group[0].receiver
    rate_hz = _rate_hz(plan.reading.found, receiver, sender)
    cables = rooms_for(plan.reading, group, rate_hz)
    size = cables[0].channels if cables else NEW_CABLE_CHANNELS
    placed: list[tuple[Wanted, Room, int]] = []
    for wanted in group:
        for cable in cables:
            first = cable.place(wanted.width)
            if first is not None:
                break
        else:
            cable = _new_cable(plan, cables, max(size, wanted.width), rate_hz, (receiver, sender))
            cables.append(cable)
            first = cable.place(wanted.width)
            assert first is not None
        cable.free -= set(range(first, first + wanted.width))
        placed.append((wanted, cable, first))
    used = list({cable.id: cable for _, cable, _ in placed}.values())
    _one_clock(plan, used, (receiver, sender), rate_hz)
    for program in (sender, receiver):
        _open(plan, program, used)
    _map(plan, placed)


def _rate_hz(found: Index, *programs: Program) -> int:
    devices = [found.device(program) for program in programs]
    return next((device.rate_hz for device in devices if device is not None), RATE_OF_NOTHING_HZ)


def _new_cable(plan: _Plan, cables: Iterable[Room], size: int, rate_hz: int, programs: tuple[Program, Program]) -> Room:
    """One more cable, which follows the box that one of the programs is called by, if there is one at its rate."""
    found = plan.reading.found
    taken = [*(gear.name for gear in plan.reading.rig.gear), *(cable.name for cable in cables)]
    base = next((cable.name.rstrip("0123456789 ") for cable in cables), "") or "Cable"
    # One called Gully is followed by Gully 2, as Gully 1 is.
    first = base if base in taken else f"{base} 1"
    name = free_name(base if first in taken else first, [*taken, base])
    made = new_cable(name, size)
    rates = tuple(sorted({*made.rates_hz, rate_hz}))
    identity = plan.symbol()
    gear = made.model_copy(update={"rate_hz": rate_hz, "rates_hz": rates})
    edits: list[Edit] = [AddGear(gear=gear, ids=(identity,))]
    words = f"Add cable {name} of {size} channels"
    leader = _leader(found, programs, rate_hz)
    if leader is not None:
        edits.append(SetValues(item=identity, values={"follows": leader.id}))
        words += f", following {leader.name}"
    plan.do(name, words, *edits)
    return Room(identity, name, size, set(range(1, size + 1)))


def _leader(found: Index, programs: Iterable[Program], rate_hz: int) -> Interface | None:
    """The box that one of the programs is called by, if it is none but a box and runs at this rate."""
    for program in programs:
        streams = found.opened.get(program.id)
        driving = streams.driving if streams is not None else None
        if driving is not None and driving.box.cable is None and driving.box.rate_hz == rate_hz:
            return driving.box
    return None


def _one_clock(plan: _Plan, cables: list[Room], programs: tuple[Program, Program], rate_hz: int) -> None:
    """Let cables that nobody has opened yet follow the box that calls, so that nothing slips."""
    found = plan.reading.found
    leader = _leader(found, programs, rate_hz)
    for cable in cables:
        box = found.gear.get(cable.id)
        if leader is None or not isinstance(box, Interface) or box.follows is not None:
            continue
        if found.paces[leader.id].master == found.paces[box.id].master:
            continue
        if not any(found.reaches(program, box.id) for program in found.programs()):
            edit = SetValues(item=box.id, values={"follows": leader.id})
            plan.do(box.name, f"Let {box.name} follow {leader.name}", edit)


def _open(plan: _Plan, program: Program, cables: list[Room]) -> None:
    """Bring the cables into a program's device, behind what is there."""
    found = plan.now()
    missing = [cable for cable in cables if not _has(found, program, cable)]
    if not missing:
        return
    names = _and([cable.name for cable in missing])
    members = tuple(Member(device=cable.id) for cable in missing)
    device = found.gear.get(program.device or "") or _needed_box(plan.reading, program)
    there = len(device.members) if isinstance(device, Aggregate) else 1 if device is not None else 0
    if there + len(missing) > MEMBERS_AT_MOST:
        raise Refused(program.name, f"a device is made of {MEMBERS_AT_MOST} at most")
    if isinstance(device, Aggregate):
        edit = SetMembers(aggregate=device.id, members=(*device.members, *members))
        plan.do(device.name, f"Take {names} into {device.name}", edit)
        return
    if device is None and len(missing) == 1:
        plan.do(program.name, f"Open {names}", SetDevice(program=program.id, device=missing[0].id))
        return
    driver = program.driver if program.device is not None else None
    own = (Member(device=device.id, driver=driver),) if isinstance(device, Interface) else ()
    name = free_name(f"{program.name} device", (gear.name for gear in found.gear.values()))
    identity = plan.symbol()
    master = device.id if isinstance(device, Interface) else None
    joined = JoinDevices(name=name, members=(*own, *members), master=master, ids=(identity,))
    whole = _and([*([device.name] if isinstance(device, Interface) else []), *(cable.name for cable in missing)])
    plan.do(program.name, f"Join {whole} as {name}", joined)
    plan.do(program.name, f"Open {name}", SetDevice(program=program.id, device=identity))


def _needed_box(reading: Reading, program: Program) -> Interface | None:
    """The box that a program without a device is to have beside its cables: by which it is heard, or hears sources.

    The one that most programs are on; None if nothing is wanted from it but what goes from program to program.
    """
    found = reading.found
    own = {*(voice.id for voice in program.voices), *(track.id for track in program.tracks)}
    wanted = any(
        (line.from_ports and line.from_ports[0].owner in own and line.purpose == "listen" and not line.at_track)
        or (
            line.from_ports
            and line.from_ports[0].bank == "out"
            and any(port.owner in own for port in line.to_ports)
            # What comes through another program comes by its cable.
            and not any(isinstance(found.gear[found.gear_of(each)], Program) for each in line.through)
        )
        for line in reading.rig.lines
    )
    heard = any(track.monitored and track.output is not None for track in program.tracks)
    boxes = found.hardware() if wanted or heard else []
    return max(boxes, key=lambda box: sum(found.reaches(each, box.id) for each in found.programs()), default=None)


def _and(names: list[str]) -> str:
    """Example: 'Gully 1, Gully 2 and Gully 3'."""
    return " and ".join([*([", ".join(names[:-1])] if len(names) > 1 else []), names[-1]])


def _has(found: Index, program: Program, cable: Room) -> bool:
    """Whether a program's device has a cable already; a new one has its name."""
    streams = found.opened.get(program.id)
    return streams is not None and any(way.box.name == cable.name for way in streams.ways)


def _map(plan: _Plan, placed: list[tuple[Wanted, Room, int]]) -> None:
    """Lay every voice on an output of its own, and let its track take an input of its own."""
    found = plan.now()
    by_name = {box.name: box.id for box in found.boxes}
    # With a member back in a device, what stood on it stands there again and is not set anew.
    placed = [(voice_to_track(wanted.state, found) or wanted, cable, first) for wanted, cable, first in placed]
    enabled: dict[tuple[str, Bank], list[int]] = {}
    for wanted, cable, first in placed:
        ends: tuple[tuple[Program, Bank], ...] = ((wanted.sender, "playback"), (wanted.receiver, "capture"))
        for program, bank in ends:
            channels = list(_channels(found, program, bank, by_name[cable.name], first, wanted.width))
            enabled.setdefault((program.id, bank), []).extend(channels)
            if bank == "playback":
                _output(plan, wanted, channels)
            else:
                _input(plan, wanted, channels)
    for (program_id, bank), channels in enabled.items():
        opened = found.gear[program_id]
        assert isinstance(opened, Program)
        on = opened.enabled_in if bank == "capture" else opened.enabled_out
        missing = tuple(channel for channel in channels if channel not in on)
        if missing:
            side = "input" if bank == "capture" else "output"
            edit = EnableChannels.model_validate({"program": program_id, "side": side, "channels": missing})
            plan.do(opened.name, f"Enable {side} channels {missing[0]} to {missing[-1]}", edit)


def _channels(found: Index, program: Program, bank: Bank, box: str, first: int, width: int) -> Iterator[int]:
    streams = found.opened[program.id]
    for number in range(first, first + width):
        channel = streams.channel(bank, box, number)
        if channel is None:
            raise Refused(program.name, "its device has no room for so many channels")
        yield channel


def _say(channels: list[int]) -> str:
    return f"{channels[0]}" if len(channels) == 1 else f"{channels[0]}–{channels[-1]}"


def _moved(item: ProgramPort, channels: list[int]) -> list[Edit]:
    """What sets an input or output to these channels; nothing where it is there."""
    if list(item.legs) == channels:
        return []
    return [SetLeg(item=item.id, leg=leg, channel=channel) for leg, channel in enumerate(channels, start=1)]


def _output(plan: _Plan, wanted: Wanted, channels: list[int]) -> None:
    """The voice's own output on these channels, if it has one; else a new one."""
    program, voice = wanted.sender, wanted.voice
    own = own_output(wanted, plan.reading)
    if own is not None:
        legs = _moved(own, channels)
        if legs:
            plan.do(program.name, f"Set output {own.name} to {_say(channels)}", *legs)
        return
    if isinstance(voice, ProgramPort):
        raise Refused(program.name, f"its output {voice.name} plays elsewhere, and lines arrive by that")
    identity = plan.symbol()
    made = AddProgramPorts(
        program=program.id,
        side="output",
        names=(free_name(voice.name, [each.name for each in program.outputs]),),
        width=wanted.width,
        first_channel=channels[0],
        ids=(identity,),
    )
    give: Edit = SetValues(item=voice.id, values={"output": identity})
    if ("mix", voice.id) in plan.reading.hops_in_use:
        give = AddSends(program=program.id, items=(voice.id,), to=identity)
    plan.do(program.name, f"Give {voice.name} an output of its own on {_say(channels)}", made, give)


def _input(plan: _Plan, wanted: Wanted, channels: list[int]) -> None:
    """The track's own input on these channels, if it has one; else a new one."""
    program, track = wanted.receiver, wanted.track
    arm = [] if track.armed else [SetValues(item=track.id, values={"armed": True})]
    own = own_input(wanted)
    if own is not None:
        legs = _moved(own, channels)
        if legs:
            plan.do(program.name, f"Set input {own.name} to {_say(channels)}", *legs, *arm)
        elif arm:
            plan.do(program.name, f"Arm track {track.name}", *arm)
        return
    identity = plan.symbol()
    made = AddProgramPorts(
        program=program.id, names=(wanted.voice.name,), width=track.width, first_channel=channels[0], ids=(identity,)
    )
    take = SetValues(item=track.id, values={"input": identity})
    plan.do(program.name, f"Let track {track.name} take {wanted.voice.name} from {_say(channels)}", made, take, *arm)
