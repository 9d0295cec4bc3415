"""Rules about how programs open their devices."""

from functools import partial
from typing import Literal

from iskelo.core.edits.edit import Edit, SetDevice, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.planner.moving import on_another_box, then_joined
from iskelo.core.rig.device_streams import DeviceStream
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.links import BANKS
from iskelo.core.rig.programs import Program
from iskelo.core.rig.text import fold_numbers
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.reach import lines_of_program, with_finding
from iskelo.core.snags.rule import REMEDIES_AT_MOST, Remedy, Snag, distinct, if_so, joining, one_remedy, rule
from iskelo.core.wiring.blocks import held, wider_driver
from iskelo.core.words.say import say

Bank = Literal["capture", "playback"]


@rule("driver", symptoms=("nothing",), explains=("line-silent",))
def program_without_device(reading: Reading) -> list[Snag]:
    """A program has no device, so nothing gets in or out of it; the system's sounds may well be kept silent."""
    snags = []
    for program in reading.found.programs():
        if program.hosted is not None:
            continue
        wanted = program.program_kind != "system sounds" or lines_of_program(reading, program)
        device = reading.found.gear.get(program.device or "")
        empty = isinstance(device, Aggregate) and not device.members
        if (program.device is None or empty) and wanted:
            snags.append(
                Snag(
                    key=f"program-without-device:{program.id}",
                    rule="program-without-device",
                    severity="stop",
                    title=f"{program.name} has no device"
                    + (f": {reading.found.name(program.device)} has no boxes" if empty and program.device else ""),
                    evidence=f"{program.name} has {len(program.inputs)} inputs and {len(program.outputs)} outputs, "
                    "and no interface to take them from.",
                    consequence="It neither records nor plays anything.",
                    items=(program.id,),
                    lines=lines_of_program(reading, program),
                    mend=partial(_give_device, reading, program),
                )
            )
    return snags


def _give_device(reading: Reading, program: Program) -> tuple[Remedy, ...]:
    return tuple(
        Remedy(f"Give {program.name} the device {box.name}", (SetDevice(program=program.id, device=box.id),))
        for box in sorted(reading.found.interfaces(), key=lambda each: each.cable is not None)[:3]
    )


def _ways(reading: Reading) -> list[tuple[Program, DeviceStream]]:
    """Every way of a program to a box; on an aggregate one for each member."""
    found = reading.found
    return [
        (program, way)
        for program in found.programs()
        for way in (found.opened[program.id].ways if program.id in found.opened else ())
    ]


def _opened(reading: Reading) -> list[tuple[Program, Interface, Driver]]:
    """Every box that a program opens, and by which driver."""
    return [(program, way.box, way.driver) for program, way in _ways(reading)]


def _other_drivers(reading: Reading, program: Program, box: Interface, driver: Driver) -> list[Remedy]:
    """Opening the same box by another of its installed drivers that has room."""
    remedies: list[Remedy] = []
    if program.device != box.id or program.output_device is not None:
        return remedies
    for other in box.drivers:
        if other is not driver and other.installed and reading.found.in_the_way(other, program) is None:
            edit = SetDevice(program=program.id, device=box.id, driver=other.id)
            remedies.append(Remedy(f"Let {program.name} open {box.name} by its {other.kind} driver", (edit,)))
    return remedies


@rule("driver", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def driver_not_installed(reading: Reading) -> list[Snag]:
    """A program opens its device by a driver that is not installed."""
    return [
        Snag(
            key=f"driver-not-installed:{driver.id}:{program.id}",
            rule="driver-not-installed",
            severity="stop",
            title=f"The {driver.kind} driver of {box.name} is not installed",
            evidence=f"{program.name} opens {box.name} by its {driver.kind} driver, which is not installed.",
            consequence=f"{program.name} finds no device and neither records nor plays.",
            items=(driver.id, program.id),
            lines=lines_of_program(reading, program),
            root=f"driver:{driver.id}",
            mend=partial(_install, reading, program, box, driver),
        )
        for program, box, driver in _opened(reading)
        if not driver.installed
    ]


def _install(reading: Reading, program: Program, box: Interface, driver: Driver) -> tuple[Remedy, ...]:
    install = SetValues(item=driver.id, values={"installed": True})
    remedy = Remedy(f"Install the {driver.kind} driver of {box.name}", (install,))
    return distinct([remedy, *_other_drivers(reading, program, box, driver)])


@rule("driver", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def driver_held(reading: Reading) -> list[Snag]:
    """A driver that takes one program at a time is held by another one."""
    snags = []
    for program, way in _ways(reading):
        box, driver, holder = way.box, way.driver, reading.found.holder(way)
        if holder is None or not driver.installed:
            continue
        words = say(held(holder, way, reading.found), reading.found)
        many = SetValues(item=driver.id, values={"clients": "many"})
        snags.append(
            Snag(
                key=f"driver-held:{program.id}:{driver.id}",
                rule="driver-held",
                severity="stop",
                title=f"{holder.name} holds {box.name}, so {program.name} cannot open it",
                evidence=f"{words[:1].upper()}{words[1:]}; {holder.name} came first.",
                consequence=f"{program.name} neither records nor plays until {holder.name} lets go.",
                items=(program.id, holder.id, driver.id),
                lines=lines_of_program(reading, program),
                mend=partial(_share, reading, program, way, holder, many),
            )
        )
    return snags


def _share(reading: Reading, program: Program, way: DeviceStream, holder: Program, many: Edit) -> tuple[Remedy, ...]:
    """Another driver of the box, another box, or the box given up: by the holder while it is behind, or for good."""
    box, driver = way.box, way.driver
    lines = lines_of_program(reading, program)
    remedies = _other_drivers(reading, program, box, driver)
    if program.device == box.id:
        for other in reading.found.boxes:
            moved = on_another_box(reading, program, other, lines) if other is not box else None
            remedies += [joining(moved)] if moved is not None else []
    lost = len(lines_of_program(reading, holder))
    if not holder.lets_go_in_background:
        falls = f"; its {lost} lines fall silent then" if lost else ""
        let_go = SetValues(item=holder.id, values={"lets_go_in_background": True})
        remedies.append(
            Remedy(f"Let {holder.name} give {box.name} up while {program.name} is in front{falls}", (let_go,))
        )
    taken = SetDevice(program=holder.id, device=None)
    remedies.append(Remedy(f"Take {box.name} away from {holder.name}", (taken,)))
    if way.driver.clients != "many":
        remedies.append(if_so(f"The {driver.kind} driver of {box.name} takes many programs after all", many))
    return distinct(remedies, 2 * REMEDIES_AT_MOST)


@rule("driver", symptoms=("nothing",), explains=("line-blocked", "line-silent", "line-half-silent"))
def driver_shows_too_few(reading: Reading) -> list[Snag]:
    """A driver does not show channels of its box that a program is mapped to, or that a line's sound comes in on."""
    snags = []
    for program, way in _ways(reading):
        box, driver = way.box, way.driver
        for bank in BANKS:
            shown, has = box.shown(driver, bank), box.channels_at(bank, box.rate_hz)
            if shown >= has or not driver.installed:
                continue
            mapped = {each for each in _mapped(reading, program, bank, box) if shown < each <= has}
            come_in = _come_in(reading, program, box, shown) if bank == "capture" else {}
            beyond = sorted(mapped | set(come_in))
            if not beyond:
                continue
            numbers = fold_numbers(beyond)
            waiting = tuple(dict.fromkeys(line for lines in come_in.values() for line in lines))
            said = f"{program.name} is mapped to" if mapped else f"What {program.name} should record comes in on"
            snags.append(
                Snag(
                    key=f"driver-shows-too-few:{program.id}:{driver.id}:{bank}",
                    rule="driver-shows-too-few",
                    severity="stop",
                    title=f"The {driver.kind} driver of {box.name} shows {shown} of {has} {bank} channels",
                    evidence=f"{said} {bank} {numbers}; its driver shows {shown}.",
                    consequence="Nothing passes on the channels that are not shown.",
                    items=(program.id, driver.id),
                    lines=tuple(dict.fromkeys((*waiting, *lines_of_program(reading, program)))) if mapped else waiting,
                    mend=partial(_show_more, reading, program, way, bank, beyond, waiting),
                )
            )
    return snags


def _come_in(reading: Reading, program: Program, box: Interface, shown: int) -> dict[int, list[str]]:
    """The box's channels that are not shown and that lines to this program break off at, with those lines."""
    found: dict[int, list[str]] = {}
    for state, _ in (*with_finding(reading, "silent"), *with_finding(reading, "half silent")):
        for leg in state.legs:
            far = leg.gap.ahead[-1] if leg.gap is not None else None
            placed = reading.found.items.get(leg.end.owner)
            if far is None or placed is None or placed.program.id != program.id:
                continue
            if far.bank == "capture" and far.owner == box.id and far.number > shown:
                found.setdefault(far.number, []).append(state.line.id)
    return found


def _show_more(
    reading: Reading, program: Program, way: DeviceStream, bank: Bank, beyond: list[int], waiting: tuple[str, ...]
) -> tuple[Remedy, ...]:
    """Another driver of the box, another of its jacks, or another box; with what the waiting lines need besides."""
    remedies: list[Remedy] = []
    edits, said = wider_driver(program, way, bank, beyond[-1], reading.found)
    if said is not None:
        words = say(said, reading.found)
        joined = then_joined(reading, edits, (words,), waiting)
        remedies.append(joining(joined) if joined is not None else Remedy(words, edits))
    for line in waiting[:1]:
        remedies += joining_remedies(reading, next(state for state in reading.lines if state.line.id == line))
    return distinct(remedies)


def _mapped(reading: Reading, program: Program, bank: Bank, box: Interface) -> set[int]:
    """The channels of a box that a program's names are mapped to."""
    streams = reading.found.opened[program.id]
    items = program.inputs if bank == "capture" else program.outputs
    there = [streams.at(bank, leg) for item in items for leg in item.legs if leg]
    return {each[1] for each in there if each is not None and each[0].box.id == box.id}


@rule("driver", symptoms=("nothing",))
def lets_go_in_background(reading: Reading) -> list[Snag]:
    """A program that records or plays is told to let its device go while another program is in front."""
    snags = []
    for program, box, driver in _opened(reading):
        driver_does = driver.clients == "one, lets go in the background"
        busy = bool(program.voices) or any(track.armed or track.monitored for track in program.tracks)
        if not busy or not (program.lets_go_in_background or driver_does):
            continue
        if program.lets_go_in_background:
            who, edit = program.name, SetValues(item=program.id, values={"lets_go_in_background": False})
            words = f"Let {program.name} keep its device in the background"
        else:
            who, edit = f"the {driver.kind} driver", SetValues(item=driver.id, values={"clients": "one"})
            words = f"Keep the {driver.kind} driver of {box.name} open in the background"
        snags.append(
            Snag(
                key=f"lets-go-in-background:{program.id}:{driver.id}",
                rule="lets-go-in-background",
                severity="risk",
                title=f"{program.name} falls silent in the background",
                evidence=f"When another program comes to the front, {who} gives {box.name} up.",
                consequence="Recording and monitoring stop the moment somebody clicks elsewhere.",
                items=(program.id, driver.id),
                mend=partial(one_remedy, words, edit),
            )
        )
    return snags


@rule("driver", symptoms=("others",))
def system_sounds_on_a_recording_device(reading: Reading) -> list[Snag]:
    """The computer's own sounds play through a box that is recorded from."""
    snags = []
    recording = {
        box.id: program.name
        for program, box, _ in _opened(reading)
        if program.program_kind == "recorder" and any(track.armed for track in program.tracks)
    }
    for program, box, _ in _opened(reading):
        if program.program_kind == "system sounds" and box.id in recording:
            others = [each for each in reading.found.hardware() if each.id not in recording]
            # What leads on from another box is somebody's room or feed: no place for a beep.
            heard = {patch.from_port.owner for patch in reading.found.leads("audio")}
            others = [each for each in others if each.id not in heard or each.link_kind == "built in"]
            snags.append(
                Snag(
                    key=f"system-sounds-on-a-recording-device:{program.id}:{box.id}",
                    rule="system-sounds-on-a-recording-device",
                    severity="risk",
                    title=f"The computer's own sounds play through {box.name}",
                    evidence=f"{program.name} has the device {box.name}, from which {recording[box.id]} records.",
                    consequence="A beep lands in the headphones in the middle of a take, or changes the box's rate.",
                    items=(program.id, box.id),
                    mend=partial(_send_elsewhere, program, others),
                )
            )
    return snags


def _send_elsewhere(program: Program, others: list[Interface]) -> tuple[Remedy, ...]:
    remedies = [
        Remedy(f"Send {program.name} to {box.name}", (SetDevice(program=program.id, device=box.id),)) for box in others
    ]
    silent = Remedy(f"Take the device away from {program.name}", (SetDevice(program=program.id, device=None),))
    return distinct([*remedies, silent])
