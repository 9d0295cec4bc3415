"""What must hold of a program in a rig: what its items refer to, where it runs, whom it follows."""

from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.rig import Broken


def check_program(program: Program, found: Index) -> None:
    """Whether a program holds together; raises Broken with the place."""
    into, out = (found.gear.get(each or "") for each in (program.device, program.output_device))
    for device, identity in ((into, program.device), (out, program.output_device)):
        if identity is not None and not isinstance(device, Interface | Aggregate):
            raise Broken(program.name, f"its device {identity!r} is no interface of this rig")
    if out is not None and any(isinstance(each, Aggregate) for each in (into, out)):
        raise Broken(program.name, "an aggregate is input and output at once; with two devices, each is a box")
    check_driver(program.name, program.driver, into)
    check_driver(program.name, program.output_driver, out)
    inputs = {item.id for item in program.inputs}
    buses = {bus.id for bus in program.buses}
    outputs = {item.id for item in program.outputs} | buses
    far = {voice.id for voice in program.voices if voice.far is not None}
    for track in program.tracks:
        place = f"{program.name}, track {track.name}"
        if track.input is not None and track.input not in inputs and track.input not in buses:
            raise Broken(place, f"its input {track.input!r} is no input and no bus of {program.name}")
        if track.output is not None and track.output not in outputs:
            raise Broken(place, f"its output {track.output!r} is no output of {program.name}")
        if track.straight is not None and not {track.straight.output, track.straight.back_to} <= outputs:
            raise Broken(place, f"that it goes straight across tells of no output of {program.name}")
        if track.far_end is not None and track.far_end not in far:
            raise Broken(place, f"{track.far_end!r}, where it goes, is no far end of {program.name}")
    for voice in program.voices:
        if voice.output is not None and voice.output not in outputs:
            place = f"{program.name}, voice {voice.name}"
            raise Broken(place, f"its output {voice.output!r} is no output of {program.name}")
    for bus in program.buses:
        if bus.output is not None and bus.output not in outputs:
            place = f"{program.name}, bus {bus.name}"
            raise Broken(place, f"its output {bus.output!r} is no bus and no output of {program.name}")
    own = {item.id for item in program.outputs}
    for identity, words, able in (
        (program.default_output, "its default output", outputs),
        (program.solo_output, "the output at which solo is heard", own),
        (program.audition_output, "the output at which files are auditioned", own),
    ):
        if identity is not None and identity not in able:
            raise Broken(program.name, f"{words}, {identity!r}, is no output of it")
    _syncs(program, found)
    _hosted(program, found)
    _sends(program, outputs)
    _inserts(program)


def _syncs(program: Program, found: Index) -> None:
    """A program hears others, each by one link."""
    senders: set[str] = set()
    for link in program.syncs:
        place = f"{program.name}, sync link"
        if not isinstance(found.gear.get(link.sender), Program):
            raise Broken(place, f"{link.sender!r}, which sends by it, is no program of this rig")
        if link.sender == program.id:
            raise Broken(place, "a program cannot follow itself")
        if link.sender in senders:
            raise Broken(place, f"there is a link from {found.name(link.sender)} already")
        senders.add(link.sender)


def _hosted(program: Program, found: Index) -> None:
    """A hosted program has a leader with a device, or without one; its outputs are returned once each."""
    if program.hosted is not None:
        leader = found.gear.get(program.hosted.leader)
        if not isinstance(leader, Program) or leader is program:
            raise Broken(program.name, f"{program.hosted.leader!r}, in which it runs, is no other program of this rig")
        if leader.hosted is not None:
            raise Broken(program.name, f"{leader.name}, in which it runs, is hosted itself")
        if program.device is not None or program.output_device is not None:
            raise Broken(program.name, f"it runs in {leader.name}, and opens no device of its own")
    returned: set[str] = set()
    for item in program.inputs:
        if item.returns is None:
            continue
        place = f"{program.name}, input {item.name}"
        placed = found.items.get(item.returns)
        if placed is None or placed.side != "output" or placed.program.hosted is None:
            raise Broken(place, f"{item.returns!r}, which it takes, is no output of a hosted program")
        if placed.program.hosted.leader != program.id:
            raise Broken(place, f"{placed.program.name}, of which it takes an output, does not run in {program.name}")
        if item.returns in returned:
            raise Broken(place, f"another input takes output {placed.item.name} already")
        if found.bank_size(item.returns, "output") != len(item.legs):
            raise Broken(place, f"output {placed.item.name} is not as wide as it")
        returned.add(item.returns)


def _inserts(program: Program) -> None:
    """An insert goes out by an output and comes back by an input, both as wide as what it hangs in."""
    outputs, inputs = ({item.id: item for item in items} for items in (program.outputs, program.inputs))
    for item, insert in program.hung():
        what = "track" if isinstance(item, Track) else "bus"
        place = f"{program.name}, {what} {item.name}, insert"
        for end, ends, side in ((insert.send, outputs, "output"), (insert.back, inputs, "input")):
            if end not in ends:
                raise Broken(place, f"{end!r} is no {side} of {program.name}")
            width = len(ends[end].legs)
            if width != item.width:
                has, wanted = ("mono" if each == 1 else "stereo" for each in (width, item.width))
                raise Broken(place, f"{side} {ends[end].name} is {has}, and {what} {item.name} is {wanted}")


def _sends(program: Program, outputs: set[str]) -> None:
    givers: dict[str, str] = {track.id: track.name for track in program.tracks}
    givers |= {voice.id: voice.name for voice in program.voices} | {bus.id: bus.name for bus in program.buses}
    known: set[tuple[str, str, str]] = set()
    for send in program.sends:
        if send.item not in givers:
            raise Broken(f"{program.name}, send", f"{send.item!r} is no track, voice or bus of {program.name}")
        place = f"{program.name}, send of {givers[send.item]}"
        if send.to not in outputs:
            raise Broken(place, f"{send.to!r}, where it leads, is no bus and no output of {program.name}")
        if send.to == send.item:
            raise Broken(place, "a bus cannot be sent to itself")
        if (send.item, send.to, send.tap) in known:
            raise Broken(place, f"there is one to the same place, {send.tap}, already")
        known.add((send.item, send.to, send.tap))


def check_driver(place: str, driver: str | None, box: object) -> None:
    """A driver that is named is one of its device's; raises Broken."""
    if driver is not None and not (isinstance(box, Interface) and driver in {each.id for each in box.drivers}):
        raise Broken(place, f"its driver {driver!r} is none of its device's")
