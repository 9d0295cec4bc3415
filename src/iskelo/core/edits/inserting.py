"""What hangs in a track or a bus of a program, typed as a phrase; what it needs and is not there is made with it."""

import re
from typing import Literal, NamedTuple

from iskelo.core.edits import additions as a
from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, new_ids, with_gear
from iskelo.core.edits.feeds_phrase import same_figure
from iskelo.core.edits.insert_options import JACKS, TypedInsert, insert_options
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.device_streams import Bank, OpenDevice
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.insert_words import insert_phrase
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramInsert, ProgramPort, Track
from iskelo.core.rig.rig import FIELDS_OF, Rig, Side

MAIN_PAIR = 2
"""What a room is heard by is most often plugged into the first two output jacks; common practice."""


class _Way(NamedTuple):
    """One way between a program and outboard gear: the device's bank, the jacks behind it, the gear's own end."""

    bank: Bank
    jacks: Literal["jack_out", "jack_in"]
    gear: Literal["outboard_in", "outboard_out"]
    words: str


OUT = _Way("playback", "jack_out", "outboard_in", "output jack")
BACK = _Way("capture", "jack_in", "outboard_out", "input jack")

BY_CHANNELS = "say by which channels: out 3 in 5"
EXAMPLES = "the name of outboard gear, or channels: out 3 in 5, with dry -6 or bypassed"


@apply_one.register
def _(edit: e.TypeProgramInsert, rig: Rig) -> Applied:
    placed = index(rig).items.get(edit.item)
    if placed is None or not isinstance(placed.item, Track | Bus):
        raise Refused(edit.item, "there is no track and no bus with this id; it may have been removed")
    item, program = placed.item, placed.program
    place = f"{program.name}, {placed.side} {item.name}, insert"
    words = edit.text.casefold().strip()
    if item.insert is not None and edit.text.strip() == insert_phrase(program, item.insert):
        return Applied(rig, f"{place}: {edit.text.strip()}, as it was")
    done: list[str] = []
    if words in ("", "none", "-", "—"):
        insert = None
    elif words in ("in", "bypassed", "bypass"):
        if item.insert is None:
            raise Refused(place, f"nothing hangs in it yet; type {EXAMPLES}")
        insert = item.insert.model_copy(update={"on": words == "in"})
    else:
        typed = insert_options(edit.text, place)
        if any(each.name.casefold() == words for each in index(rig).outboards):
            # A name may end like an option.
            typed = TypedInsert(edit.text.strip(), on=True, dry_db=None, parallel=False)
        if typed.what:
            rig, send, back, done = _ends(rig, program, item, typed.what, place)
        elif item.insert is not None:
            send, back = item.insert.send, item.insert.back
        else:
            raise Refused(place, f"nothing hangs in it yet; type {EXAMPLES}")
        # What was found out holds for the way it was found on.
        same = item.insert is not None and (item.insert.send, item.insert.back) == (send, back)
        held = item.insert.held if item.insert is not None and same else None
        dry_db = same_figure(typed.dry_db, item.insert.dry_db) if item.insert is not None else typed.dry_db
        # Of a dry path that is shut nothing is said.
        parallel = typed.parallel if dry_db is not None or item.insert is None else item.insert.parallel
        insert = ProgramInsert(
            send=send, back=back, on=typed.on is not False, dry_db=dry_db, parallel=parallel, held=held
        )
    rig = _hung(rig, program.id, item, insert, place)
    after = index(rig).items[item.id].program
    said = "; ".join([insert_phrase(after, insert) or "none", *done])
    return Applied(rig, f"{place}: {said}")


def _hung(rig: Rig, program_id: str, item: Track | Bus, insert: ProgramInsert | None, place: str) -> Rig:
    program = index(rig).gear[program_id]
    assert isinstance(program, Program)
    field = FIELDS_OF["track" if isinstance(item, Track) else "bus"]
    items = tuple(
        changed(each, place, insert=insert) if each.id == item.id else each for each in getattr(program, field)
    )
    return with_gear(rig, program.model_copy(update={field: items}))


def _ends(rig: Rig, program: Program, item: Track | Bus, what: str, place: str) -> tuple[Rig, str, str, list[str]]:
    """The rig with all that an insert needs, its output and input there, and what was done for them, in words."""
    match = re.fullmatch(JACKS, what.strip(), re.I)
    if match:
        numbers = (int(match[1]), int(match[2]))
        _within_device(rig, program, item, numbers, place)
        return _by_channels(rig, program, item, numbers, (f"{item.name}, send", f"{item.name}, return"))
    names = [part.strip() for part in re.findall(r'(?:"(?:[^"]|"")*+"|[^"›>])+', what)]
    if len(names) == 2:
        send, back = (
            _named(ports, name, place) for ports, name in zip((program.outputs, program.inputs), names, strict=True)
        )
        return rig, send, back, []
    outboard = _outboard(rig, what, place)
    if outboard.width < item.width:
        raise Refused(place, f"{outboard.name} is mono, and {item.name} is stereo")
    rig, channels, done = _plugged(rig, program, item, outboard, place)
    rig, send, back, more = _by_channels(rig, program, item, channels, (f"To {outboard.name}", f"From {outboard.name}"))
    for other, insert in program.hung():
        if other.id != item.id and insert.on and (insert.send == send or insert.back == back):
            raise Refused(place, f"{outboard.name} hangs in {other.name} already; take it out there first")
    return rig, send, back, [*done, *more]


def _within_device(rig: Rig, program: Program, item: Track | Bus, numbers: tuple[int, int], place: str) -> None:
    """Refuse channels that the program's device does not have."""
    device = index(rig).device(program)
    banks: tuple[Bank, Bank] = ("playback", "capture")
    for number, bank in zip(numbers, banks, strict=True):
        last = number + item.width - 1
        if device is not None and (number < 1 or last > device.channels(bank)):
            raise Refused(place, f"{device.name} has {device.channels(bank)} {bank} channels, not {last}")


def _named(ports: tuple[ProgramPort, ...], name: str, place: str) -> str:
    quoted = len(name) > 1 and name.startswith('"') and name.endswith('"')
    name = name[1:-1].replace('""', '"') if quoted else name
    fitting = [port for port in ports if port.name == name]
    fitting = fitting or [port for port in ports if port.name.casefold() == name.casefold()]
    fitting = fitting or [port for port in ports if not quoted and port.name.casefold().startswith(name.casefold())]
    if len(fitting) != 1:
        raise Refused(
            place,
            f"{name!r} is no port of the program; type {EXAMPLES}"
            if not fitting
            else f"{name!r} could be {', '.join(port.name for port in fitting[:4])}; say which",
        )
    return fitting[0].id


def _outboard(rig: Rig, what: str, place: str) -> Outboard:
    outboards = index(rig).outboards
    wanted = what.casefold()
    fitting = [each for each in outboards if each.name.casefold() == wanted]
    fitting = fitting or [each for each in outboards if wanted and each.name.casefold().startswith(wanted)]
    if not fitting:
        there = ", ".join(each.name for each in outboards[:4])
        raise Refused(place, f"there is no outboard gear {what!r}; there is {there or 'none'}. Type {EXAMPLES}")
    if len(fitting) > 1:
        raise Refused(place, f"{what!r} could be {', '.join(each.name for each in fitting[:4])}; say which")
    return fitting[0]


def _by_channels(
    rig: Rig, program: Program, item: Track | Bus, first: tuple[int, int], names: tuple[str, str]
) -> tuple[Rig, str, str, list[str]]:
    """An output and an input on these channels of the device and those behind them; made where there are none."""
    ends, done = [], []
    sides: tuple[tuple[Side, tuple[ProgramPort, ...], tuple[int, ...]], ...] = (
        ("output", program.outputs, program.enabled_out),
        ("input", program.inputs, program.enabled_in),
    )
    for (side, ports, enabled), channel, name in zip(sides, first, names, strict=True):
        legs = tuple(range(channel, channel + item.width))
        there = next((port.id for port in ports if port.legs == legs), None)
        if there is None:
            rig, (there,) = new_ids(rig, side[0], 1)
            add = a.AddProgramPorts.model_validate(
                {
                    "program": program.id,
                    "side": side,
                    "names": (name,),
                    "width": item.width,
                    "first_channel": channel,
                    "ids": (there,),
                }
            )
            rig = apply_one(add, rig).rig
            done.append(f"{side} {name} on {channel}{f'–{legs[-1]}' if len(legs) > 1 else ''}")
        off = tuple(leg for leg in legs if leg not in enabled)
        if off:
            rig = apply_one(
                e.EnableChannels.model_validate({"program": program.id, "side": side, "channels": off}), rig
            ).rig
        ends.append(there)
    return rig, ends[0], ends[1], done


def _plugged(
    rig: Rig, program: Program, item: Track | Bus, outboard: Outboard, place: str
) -> tuple[Rig, tuple[int, int], list[str]]:
    """The first channels by which outboard gear is reached, and the leads that were missing."""
    found = index(rig)
    streams = found.opened.get(program.id)
    if streams is None:
        raise Refused(place, f"{program.name} has no device to send by; give it one first")
    done: list[str] = []
    channels: list[int] = []
    ports: list[Port] = []
    for way in (OUT, BACK):
        sent, ports = ports, _hanging(found, outboard, item.width, way)
        if not ports:
            ports = _free_jacks(found, streams, item.width, way, sent[0].number if sent else None)
            if not ports:
                pair = f"pair of {way.words}s" if item.width == 2 else way.words
                raise Refused(place, f"no {pair} of {program.name}'s device is free; {BY_CHANNELS}")
            for leg, jack in enumerate(ports, start=1):
                ends = (jack, Port(outboard.id, way.gear, leg))
                start, end = ends if way is OUT else ends[::-1]
                made = apply_one(e.Plug(from_port=start, to_port=end), rig)
                rig = made.rig
                done.append(made.words)
                if way is BACK:
                    rig, words = _line_level(rig, found, channels[0], jack, streams)
                    done += words
        channels.append(_first_channel(found, program, ports, way, outboard, place))
    return rig, (channels[0], channels[1]), done


def _hanging(found: Index, outboard: Outboard, width: int, way: _Way) -> list[Port]:
    """The jacks that outboard gear hangs on, in order; none unless all of its legs do."""
    leads = [(patch.from_port, patch.to_port) for patch in found.rig.patches]
    jacks: list[Port] = []
    for leg in range(1, width + 1):
        end = Port(outboard.id, way.gear, leg)
        others = [start if stop == end else stop for start, stop in leads if end in (start, stop)]
        # What comes out may lead to several places.
        jacks += [other for other in others if other.bank == way.jacks][:1]
    return jacks if len(jacks) == width else []


def _free_jacks(found: Index, streams: OpenDevice, width: int, way: _Way, like: int | None) -> list[Port]:
    """Neighbouring jacks that nothing is plugged into and no name stands on, a pair best on an odd number; or none.

    Out best behind the first pair, which is the room's; back by the same numbers as out (``like``), which are
    remembered.
    """
    taken = {port for patch in found.rig.patches for port in (patch.from_port, patch.to_port)}
    taken |= {Port(box, way.jacks, number) for box, number in _named_channels(found, way.bank)}
    if way is OUT:
        taken |= {Port(box.id, "jack_out", cross.jack_out) for box in found.boxes for cross in box.direct}
    main = MAIN_PAIR if way is OUT else 0

    def wish(first: int) -> tuple[bool, bool, bool, int]:
        return first != like, width == 2 and first % 2 == 0, first <= main, first

    for stream in streams.ways:
        box = stream.box
        if box.mixer is not None:
            continue
        most = min(getattr(box, way.jacks), stream.shown(way.bank))
        for first in sorted(range(1, most - width + 2), key=wish):
            jacks = [Port(box.id, way.jacks, number) for number in range(first, first + width)]
            if not taken & set(jacks):
                return jacks
    return []


def _named_channels(found: Index, bank: Bank) -> set[tuple[str, int]]:
    """The channels of boxes that any program's inputs or outputs stand on."""
    named = set()
    for program in found.programs():
        streams = found.opened.get(program.id)
        ports = program.outputs if bank == "playback" else program.inputs
        for leg in (leg for port in ports for leg in port.legs if leg is not None):
            there = streams.at(bank, leg) if streams is not None else None
            if there is not None:
                named.add((there[0].box.id, there[1]))
    return named


def _first_channel(found: Index, program: Program, jacks: list[Port], way: _Way, outboard: Outboard, place: str) -> int:
    """The number that the channel behind the first of neighbouring jacks has at the program's device."""
    first = jacks[0]
    box = found.gear[first.owner]
    if isinstance(box, Interface) and box.mixer is not None:
        raise Refused(place, f"{outboard.name} hangs on {box.name}, which mixes; {BY_CHANNELS}")
    channel = found.channel(program, Port(first.owner, way.bank, first.number))
    if channel is None or jacks != [first._replace(number=first.number + leg) for leg in range(len(jacks))]:
        raise Refused(
            place, f"{outboard.name} does not hang on neighbouring jacks of {program.name}'s device; {BY_CHANNELS}"
        )
    return channel


def _line_level(rig: Rig, found: Index, out: int, jack: Port, streams: OpenDevice) -> tuple[Rig, list[str]]:
    """What comes back is at line level: the trim that makes up for the full scales of both ends, phantom supply off."""
    there = streams.at("playback", out)
    box = found.gear[jack.owner]
    assert isinstance(box, Interface)
    if there is None:
        return rig, []
    sender, number = there[0].box, there[1]
    trim_db = box.input_full_scale_dbu - sender.output_full_scale_dbu - sender.output_trims_db[number - 1]
    words = []
    if abs(box.trims_db[jack.number - 1] - trim_db) > 0.05:
        made = apply_one(e.SetTrim(interface=box.id, jack_in=jack.number, trim_db=round(trim_db, 1)), rig)
        rig, words = made.rig, [made.words]
    if jack.number in box.phantom_on:
        made = apply_one(e.SetJack(interface=box.id, jack_in=jack.number, phantom=False), rig)
        rig, words = made.rig, [*words, made.words]
    return rig, words
