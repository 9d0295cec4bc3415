"""Rules about what programs mix and play: outputs that lead nowhere, buses."""

from functools import partial

from iskelo.core.edits.additions import AddProgramPorts
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit, FillChannels, Remove, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.search import arriving, joined
from iskelo.core.rig.device_streams import Device
from iskelo.core.rig.index import leg_letter
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.text import few, fold_numbers
from iskelo.core.snags.reach import stopping_at
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy, rule
from iskelo.core.wiring.blocks import bus_in_a_circle, buses_in_circles
from iskelo.core.words.say import say_unblock


@rule("inputs and outputs")
def sockets_shared(reading: Reading) -> list[Snag]:
    """Several leads leave one output jack, which has one socket: a splitter is needed there."""
    found = reading.found
    leaving: dict[Port, list[Patch]] = {}
    for lead in found.leads("audio"):
        if lead.from_port.bank == "jack_out":
            leaving.setdefault(lead.from_port, []).append(lead)
    by_box: dict[str, list[Port]] = {}
    for port, leads in leaving.items():
        if len(leads) > 1:
            by_box.setdefault(port.owner, []).append(port)
    snags = []
    for box, ports in by_box.items():
        ends = list(dict.fromkeys(found.name(lead.to_port.owner) for port in ports for lead in leaving[port]))
        jacks = f"jack{'s' if len(ports) > 1 else ''} out {fold_numbers(sorted(port.number for port in ports))}"
        snags.append(
            Snag(
                key=f"sockets-shared:{box}",
                rule="sockets-shared",
                severity="note",
                title=f"{few(ends)} are on {jacks} of {found.name(box)}, which have one socket each"
                if len(ports) > 1
                else f"{few(ends)} are on {jacks} of {found.name(box)}, which has one socket",
                evidence="; ".join(
                    f"jack out {port.number} leads to {', '.join(found.say(lead.to_port) for lead in leaving[port])}"
                    for port in ports
                )
                + ".",
                consequence="A splitter is needed, and all of them are turned up and down together.",
                items=(box,),
                mend=partial(_sockets_of_their_own, reading, [lead for port in ports for lead in leaving[port]]),
            )
        )
    return snags


def _sockets_of_their_own(reading: Reading, leads: list[Patch]) -> tuple[Remedy, ...]:
    """For every destination but the first: its leads pulled, and what is heard there brought to it by other jacks."""
    remedies: list[Remedy] = []
    for end in list(dict.fromkeys(lead.to_port.owner for lead in leads))[1:]:
        pulled = Remove(items=tuple(lead.id for lead in leads if lead.to_port.owner == end))
        name = reading.found.name(end)
        before = set(reading.ending.get(end, ())) & arriving(reading)
        after = read(apply(reading.rig, (pulled,)).rig, reading)
        edits: list[Edit] = [pulled]
        for line in (each for each in reading.rig.lines if each.id in before):
            step = joined(after, line)
            if step is not None:
                edits += step[0].edits
                after = step[1]
        if before <= arriving(after):
            words = f"Give {name} jacks of its own" if before else f"Unplug {name}"
            remedies.append(Remedy(words, tuple(edits)))
    return distinct(remedies)


@rule("inputs and outputs", symptoms=("nothing",), explains=("line-silent", "line-half-silent"))
def output_nowhere(reading: Reading) -> list[Snag]:
    """A monitored track has no output, or an output that tracks feed has no channel."""
    snags = []
    for program in reading.found.programs():
        sent = {send.item for send in program.sends}
        for track in program.tracks:
            solo = track.soloed and program.solo_output is not None
            if track.monitored and not track.muted and track.output is None and track.id not in sent and not solo:
                snags.append(
                    Snag(
                        key=f"output-nowhere:{track.id}",
                        rule="output-nowhere",
                        severity="trouble",
                        title=f"Track {track.name} is monitored but has no output",
                        evidence=f"{program.name}, track {track.name}: monitored, output none.",
                        consequence="Nobody hears it.",
                        items=(track.id,),
                        mend=partial(_give_output, reading, program, track.id, track.name),
                    )
                )
        box = reading.found.device(program)
        fed = {track.output for track in program.tracks}
        fed |= {voice.output for voice in program.voices} | {bus.output for bus in program.buses}
        fed |= {send.to for send in program.sends}
        fed |= {insert.send for _, insert in program.hung() if insert.on}
        fed |= {program.solo_output, program.audition_output}
        for item in program.outputs:
            empty = [leg for leg, channel in enumerate(item.legs, start=1) if _no_playback(channel, box)]
            if box is not None and item.id in fed and empty:
                legs = ", ".join(leg_letter(leg, len(item.legs)).strip() or str(leg) for leg in empty)
                snags.append(
                    Snag(
                        key=f"output-nowhere:{item.id}",
                        rule="output-nowhere",
                        severity="trouble",
                        title=f"Output {item.name} of {program.name} leads nowhere",
                        evidence=f"Leg {legs} has no playback channel of {box.name}; tracks feed it.",
                        consequence="What the tracks send there is lost.",
                        items=(item.id,),
                        lines=stopping_at(reading, item.id),
                        mend=partial(_give_playback, program, item, box),
                    )
                )
    return snags


def _no_playback(channel: int | None, box: Device | None) -> bool:
    return channel is None or (box is not None and channel > box.playback)


def _give_output(reading: Reading, program: Program, track: str, name: str) -> tuple[Remedy, ...]:
    remedies = [
        Remedy(f"Send track {name} to {output.name}", (SetValues(item=track, values={"output": output.id}),))
        for output in program.outputs[:2]
    ]
    if not program.outputs:
        identity = new(1)
        made = AddProgramPorts(
            program=program.id, side="output", names=("Main",), width=2, first_channel=1, ids=(identity,)
        )
        given = SetValues(item=track, values={"output": identity})
        remedies.append(Remedy(f"Add an output Main on channels 1–2 and send track {name} to it", (made, given)))
    remedies.append(Remedy(f"Stop monitoring track {name}", (SetValues(item=track, values={"monitored": False}),)))
    return distinct(remedies)


def _give_playback(program: Program, item: ProgramPort, box: Device) -> tuple[Remedy, ...]:
    used = {channel for each in program.outputs if each.id != item.id for channel in each.legs}
    width = len(item.legs)
    for first in range(1, box.playback - width + 2):
        if not used & set(range(first, first + width)):
            last = f"–{first + width - 1}" if width > 1 else ""
            edit = FillChannels(items=(item.id,), first_channel=first)
            return one_remedy(f"Set output {item.name} to channel {first}{last}", edit)
    return ()


@rule("inputs and outputs", symptoms=("nothing",))
def unused_bus(reading: Reading) -> list[Snag]:
    """A bus that nothing feeds, or that leads nowhere."""
    snags = []
    for program in reading.found.programs():
        fed = {track.output for track in program.tracks}
        fed |= {voice.output for voice in program.voices} | {bus.output for bus in program.buses}
        fed |= {send.to for send in program.sends}
        for bus in program.buses:
            leads = (
                bus.output is not None or bus.insert is not None or any(send.item == bus.id for send in program.sends)
            )
            leads = leads or any(track.input == bus.id for track in program.tracks)
            if bus.id in fed and leads:
                continue
            reason = "nothing feeds it" if bus.id not in fed else "it leads nowhere"
            snags.append(
                Snag(
                    key=f"unused-bus:{bus.id}",
                    rule="unused-bus",
                    severity="note" if bus.id not in fed else "trouble",
                    title=f"Bus {bus.name} of {program.name}: {reason}",
                    evidence=f"{program.name}, bus {bus.name}: {reason}.",
                    consequence="It does nothing." if bus.id not in fed else "What is sent to it is heard by nobody.",
                    items=(bus.id,),
                    mend=partial(_use_bus, program, bus, bus.id in fed),
                )
            )
    return snags


def _use_bus(program: Program, bus: Bus, fed: bool) -> tuple[Remedy, ...]:
    remedies = []
    if fed and program.outputs:
        edit = SetValues(item=bus.id, values={"output": program.outputs[0].id})
        remedies.append(Remedy(f"Send bus {bus.name} to {program.outputs[0].name}", (edit,)))
    remedies.append(Remedy(f"Remove bus {bus.name}", (Remove(items=(bus.id,)),)))
    return distinct(remedies)


@rule("inputs and outputs", symptoms=("howls", "nothing"), explains=("line-blocked", "line-silent"))
def bus_feeds_itself(reading: Reading) -> list[Snag]:
    """A bus feeds itself, straight or through other buses; programs keep such a bus silent."""
    snags = []
    for program in reading.found.programs():
        circle = buses_in_circles(program)
        members = [bus for bus in program.buses if bus.id in circle]
        for bus in members[:1]:
            names = " › ".join(each.name for each in members)
            snags.append(
                Snag(
                    key=f"bus-feeds-itself:{bus.id}",
                    rule="bus-feeds-itself",
                    severity="trouble",
                    title=f"Bus {bus.name} of {program.name} feeds itself",
                    evidence=f"{program.name}: {names} › {members[0].name}.",
                    consequence="It howls, or the program keeps it silent.",
                    items=tuple(each.id for each in members),
                    mend=partial(_break_circle, reading, program, bus),
                )
            )
    return snags


def _break_circle(reading: Reading, program: Program, bus: Bus) -> tuple[Remedy, ...]:
    block = bus_in_a_circle(program, bus, buses_in_circles(program))
    remedies = [
        Remedy(f"Send bus {bus.name} to {output.name}", (SetValues(item=bus.id, values={"output": output.id}),))
        for output in program.outputs[:2]
        if {edit.item for edit in block.unblock if isinstance(edit, SetValues)} == {bus.id}
    ]
    return distinct([*remedies, Remedy(say_unblock(block, reading.found), block.unblock)])
