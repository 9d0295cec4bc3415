"""The join sheet: boxes to be joined as one device, with a proposed order, master and matching, and the reasons."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from iskelo.core.device_maps import AggregateView, aggregate_views
from iskelo.core.edits.additions import AddProgram, AddProgramPorts, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit, JoinDevices, SetDevice, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading, read
from iskelo.core.rig.gear import Aggregate, Interface, Member, Source
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.text import Id, Ids, Name, clean_name
from iskelo.core.rig.value import BufferSamples, Value
from iskelo.core.timing.clocks import clock_of, master_name
from iskelo.core.timing.delays import samples_to_ms

NAME_MOST = 60

HEARD_APART_SAMPLES = 2
"""Two samples at 48 kHz have their first notch at 12 kHz, one has it where nobody hears."""


class JoinRequest(Value):
    """Boxes to join. What is None is proposed: the order, the master, which members are matched, the buffer, the name,
    whether early members wait for the latest (``pad``).

    A device that is joined already gives its boxes, in their order, each by the driver it is opened by there.
    ``names`` are for the device's inputs from 1 on, as inputs and tracks of ``program`` (None: the recorder there is);
    an empty one leaves its channel alone. ``name_sources``: what is plugged in there is called so, too.
    """

    devices: Annotated[tuple[Id, ...], Field(min_length=1, max_length=16)]
    keep_order: bool = False
    master: Id | None = None
    matched: Ids | None = None
    buffer_samples: BufferSamples | None = None
    name: Name | None = None
    program: Id | None = None
    names: Annotated[tuple[Annotated[str, Field(max_length=4000)], ...], Field(max_length=128)] = ()
    pad: bool | None = None
    name_sources: bool = False


@dataclass(frozen=True, slots=True)
class JoinSheet:
    """What would be made, why so, and the device as it would be; its inputs would come so far apart unpadded."""

    edits: tuple[Edit, ...]
    reasons: tuple[str, ...]
    device: AggregateView
    program: str | None
    buffers_samples: tuple[int, ...]
    apart_samples: int
    padded: bool


def join_sheet(reading: Reading, wanted: JoinRequest) -> JoinSheet:
    """Propose how boxes are joined.

    The steadiest clock leads. A program that is on one of the boxes now keeps its numbers: that box comes first.
    Members on other clocks are matched.

    Raises
    ------
    Refused
        If there are fewer than two boxes, or they cannot be joined.
    """
    found, rig = reading.found, reading.rig
    reasons: list[str] = []
    drivers = _drivers(found, wanted, reasons)
    boxes = [box for each in drivers if isinstance(box := found.gear[each], Interface)]
    if len(boxes) < 2:
        raise Refused("join", "mark two boxes or more, then join them")
    program = _program(found, wanted, boxes)
    leader = _leader(found, wanted, boxes, reasons)
    order = boxes if wanted.keep_order else _ordered(found, boxes, leader, program, reasons)
    members = tuple(
        _member(found, wanted, box, leader, reasons).model_copy(update={"driver": drivers[box.id]}) for box in order
    )
    name = wanted.name or free_name(" + ".join(box.name for box in order)[:NAME_MOST], (g.name for g in rig.gear))
    identity = new(1)
    join = JoinDevices(
        name=name, members=members, master=leader.id, buffer_samples=wanted.buffer_samples, ids=(identity,)
    )
    edits: list[Edit] = [join]
    if program is not None:
        edits.append(SetDevice(program=program.id, device=identity))
    named = [each for each in wanted.names if each.strip()]
    if named and program is None:
        name = free_name("Recorder", (g.name for g in rig.gear))
        edits.append(AddProgram(name=name, device=identity, ids=(new(2),)))
        program_id: str | None = new(2)
    else:
        program_id = program.id if program is not None else None
    if named and program_id is not None:
        there = index(apply(rig, tuple(edits)).rig)
        taking = there.gear[program_id] if program is not None else there.all_programs[-1]
        assert isinstance(taking, Program)
        edits += _named(there.rig, taking, program_id, wanted.names, sources=wanted.name_sources)
    view, arriving = _made(rig, edits)
    apart, padded = view.skew_samples, bool(wanted.pad)
    if padded or (wanted.pad is None and apart >= HEARD_APART_SAMPLES):
        waiting: list[Edit] = [join.model_copy(update={"align": "pad to the longest"}), *edits[1:]]
        then, still_arriving = _made(rig, waiting)
        # Not where somebody would hear themselves too late for it.
        padded = padded or still_arriving >= arriving
        edits, view = (waiting, then) if padded else (edits, view)
    if apart:
        later = f"{apart} samples = {float(samples_to_ms(apart, view.rate_hz)):.2f} ms"
        reasons.append(
            f"Early members wait {later} for the latest, so that what is recorded together comes together."
            if padded
            else f"Its inputs come {later} apart: what two of them catch combs when it is mixed."
        )
    return JoinSheet(tuple(edits), tuple(reasons), view, program_id, view.buffers_samples, apart, padded)


def _made(rig: Rig, edits: list[Edit]) -> tuple[AggregateView, int]:
    """The device as it would be, and how many lines would arrive."""
    after = read(apply(rig, tuple(edits)).rig)
    arriving = sum(state.headline == "arrives" for state in after.lines)
    # What is joined last stands last.
    return aggregate_views(after)[-1], arriving


def _drivers(found: Index, wanted: JoinRequest, reasons: list[str]) -> dict[str, str | None]:
    """The boxes that are marked, straight or by a device they are joined in, and the driver each is opened by."""
    drivers: dict[str, str | None] = {}
    for identity in wanted.devices:
        device = found.gear.get(identity)
        if isinstance(device, Interface):
            drivers.setdefault(device.id, None)
        elif isinstance(device, Aggregate):
            for member in device.members:
                drivers.setdefault(member.device, member.driver)
            names = ", ".join(found.name(member.device) for member in device.members)
            reasons.append(f"{device.name} gives its boxes, in their order: {names or 'it has none'}.")
    return drivers


def _program(found: Index, wanted: JoinRequest, boxes: list[Interface]) -> Program | None:
    """The program that gets the device: the one asked for, or a recorder on one of the boxes or without a device."""
    asked = found.gear.get(wanted.program or "")
    if isinstance(asked, Program):
        return asked
    ids = {box.id for box in boxes} | {each.id for each in found.aggregates if each.id in wanted.devices}
    recorders = [each for each in found.programs() if each.program_kind == "recorder"]
    there = [each for each in recorders if each.device in ids] or [
        each for each in recorders if each.device is None and each.hosted is None
    ]
    there = there or [each for each in recorders if any(found.reaches(each, box) for box in ids)]
    return there[0] if there else None


def _leader(found: Index, wanted: JoinRequest, boxes: list[Interface], reasons: list[str]) -> Interface:
    asked = next((box for box in boxes if box.id == wanted.master), None)
    if asked is not None:
        reasons.append(f"{asked.name} is clock master, as you said.")
        return asked

    def unsteady(box: Interface) -> float:
        measured, within = clock_of(found, found.paces[box.id].master)
        return abs(measured) if measured is not None else within

    leader = min(boxes, key=lambda box: (not box.connected, unsteady(box)))
    told = ", ".join(f"{box.name} {_off(found, box)} ppm" for box in boxes)
    alike = len({unsteady(box) for box in boxes}) == 1
    why = "the clocks are as steady as each other, and it was marked first" if alike else "the steadiest clock"
    reasons.append(f"{leader.name} is clock master: {why} ({told}).")
    return leader


def _off(found: Index, box: Interface) -> str:
    measured, within = clock_of(found, found.paces[box.id].master)
    return f"{measured:+g}" if measured is not None else f"±{within:g}"


def _ordered(
    found: Index, boxes: list[Interface], leader: Interface, program: Program | None, reasons: list[str]
) -> list[Interface]:
    joined = found.gear.get(program.device or "") if program is not None else None
    if program is not None and isinstance(joined, Aggregate):
        here = [box for box in boxes if any(member.device == box.id for member in joined.members)]
        reasons.append(f"{joined.name} comes first: {program.name} is on it, and its numbers stay.")
        return [*here, *(box for box in boxes if box not in here)]
    now = next((box for box in boxes if program is not None and program.device == box.id), None)
    first = now or leader
    if now is not None and program is not None:
        reasons.append(f"{now.name} comes first: {program.name} is on it, and its numbers stay.")
    else:
        reasons.append(f"{first.name} comes first: it is clock master, and if another is absent its numbers stay.")
    return [first, *(box for box in boxes if box is not first)]


def _member(found: Index, wanted: JoinRequest, box: Interface, leader: Interface, reasons: list[str]) -> Member:
    same = found.paces[box.id].master == found.paces[leader.id].master
    matched = box.id in wanted.matched if wanted.matched is not None else not same
    if same and box is not leader:
        reasons.append(f"{box.name} needs no matching: it runs on the clock of {_master(found, box)}.")
    elif not same and matched:
        reasons.append(f"{box.name} is matched: it runs on {_own_words(found, box)}.")
    elif not same:
        reasons.append(f"{box.name} is not matched and will slip: it runs on {_own_words(found, box)}.")
    return Member(device=box.id, matched=matched and not same)


def _master(found: Index, box: Interface) -> str:
    return master_name(found, found.paces[box.id].master)


def _own_words(found: Index, box: Interface) -> str:
    return "its own clock" if found.paces[box.id].master == box.id else f"the clock of {_master(found, box)}"


FIRST_NAMED = 3
"""New things before it are the joined device and its program."""


def _named(rig: Rig, program: Program, identity: str, names: tuple[str, ...], *, sources: bool) -> list[Edit]:
    """Names for inputs by number: an input there is renamed, with the track that takes it; else both are made.

    ``identity``: how edits name the program. ``sources``: what is plugged into the jack of that channel gets the name,
    too, where nothing else has it.
    """
    on: dict[int, ProgramPort] = {leg: item for item in program.inputs for leg in item.legs if leg is not None}
    takers = {track.input: track for track in program.tracks if track.input is not None}
    number = FIRST_NAMED
    edits: list[Edit] = []
    for channel, typed in enumerate(names, start=1):
        if not typed.strip():
            continue
        try:
            name = clean_name(typed)
        except ValueError as error:
            raise Refused(f"input {channel}", str(error)) from None
        plugged = _plugged_at(rig, program, channel) if sources else None
        taken = {gear.name.casefold() for gear in rig.gear if gear is not plugged}
        if plugged is not None and plugged.width == 1 and name.casefold() not in taken:
            edits.append(SetValues(item=plugged.id, values={"name": name}))
        there = on.get(channel)
        if there is not None:
            edits.append(SetValues(item=there.id, values={"name": name}))
            if there.id in takers:
                edits.append(SetValues(item=takers[there.id].id, values={"name": name}))
            continue
        made, number = new(number), number + 1
        edits.append(AddProgramPorts(program=identity, names=(name,), first_channel=channel, ids=(made,)))
        edits.append(AddTracks(program=identity, names=(name,), inputs=(made,)))
    return edits


def _plugged_at(rig: Rig, program: Program, channel: int) -> Source | None:
    """The source in the jack behind a channel of a program's device."""
    found = index(rig)
    streams = found.opened.get(program.id)
    there = streams.at("capture", channel) if streams is not None else None
    if there is None:
        return None
    jack = Port(there[0].box.id, "jack_in", there[1])
    lead = next((patch for patch in rig.patches if patch.to_port == jack), None)
    source = found.gear.get(lead.from_port.owner) if lead is not None else None
    return source if isinstance(source, Source) else None
