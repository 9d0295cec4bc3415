"""Patch sheets: what stands on every jack and channel of a box, a cable, a device of several boxes, a program."""

from collections.abc import Iterator

from iskelo.core.device_maps import AggregateView, aggregate_views
from iskelo.core.lines.context import Reading
from iskelo.core.mixer_view import MixerView, mixer_view
from iskelo.core.paperwork.sheet import SheetTable, table
from iskelo.core.rig.gear import Aggregate, Interface
from iskelo.core.rig.index import Index, leg_letter
from iskelo.core.rig.mixing import say_pan
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, Program, ProgramPort, Track, Voice
from iskelo.core.rig.units import say_figure

Sheeted = Interface | Aggregate | Program | Outboard


def patch_tables(reading: Reading, gear: Sheeted) -> tuple[SheetTable, ...]:
    """The tables of one piece of gear."""
    if isinstance(gear, Program):
        return tuple(_program(reading, gear))
    if isinstance(gear, Aggregate):
        view = next(each for each in aggregate_views(reading) if each.id == gear.id)
        return tuple(_aggregate(view))
    if isinstance(gear, Outboard):
        return tuple(_jacks(reading.found, gear.id, gear.width, gear.width))
    if gear.cable is not None:
        return (_cable(reading.found, gear),)
    return tuple(_box(reading, gear))


def _box(reading: Reading, box: Interface) -> Iterator[SheetTable]:
    found = reading.found
    comes = {patch.to_port: patch.from_port for patch in found.rig.patches}
    rows = []
    for jack in range(1, box.jack_in + 1):
        start = comes.get(Port(box.id, "jack_in", jack))
        switches = [
            words for words, on in (("48 V", box.phantom_on), ("high impedance", box.high_impedance_on)) if jack in on
        ]
        trim = f"{say_figure(box.trims_db[jack - 1])} dB"
        direct = [str(cross.jack_out) for cross in box.direct if cross.jack_in == jack and not cross.muted]
        rows.append(
            (
                str(jack),
                found.say(start) if start is not None else "",
                trim,
                ", ".join(switches),
                f"jack out {', '.join(direct)}" if direct else "",
            )
        )
    columns = "# 0.4 > | From 2.5 | Trim 0.8 > | Switches 1.4 | Heard directly 1.4"
    yield table("Input jacks", columns, rows, "it has none")
    goes: dict[Port, list[str]] = {}
    for patch in found.rig.patches:
        goes.setdefault(patch.from_port, []).append(found.say(patch.to_port))
    leads = [
        (str(jack), "; ".join(goes.get(Port(box.id, "jack_out", jack), ())), f"{say_figure(trim)} dB")
        for jack, trim in enumerate(box.output_trims_db[: box.jack_out], start=1)
    ]
    yield table("Output jacks", "# 0.4 > | To 3 | Trim 0.8 >", leads, "it has none")
    view = mixer_view(reading, box)
    if view is not None:
        yield from _mixer(view)
    yield from _channels(found, box)


def _mixer(view: MixerView) -> Iterator[SheetTable]:
    strips = tuple(
        (
            str(strip.position),
            strip.name,
            strip.takes,
            say_figure(strip.trim_db),
            strip.insert,
            " ".join(words for words, on in (("reversed", strip.inverted), ("muted", strip.muted)) if on),
            say_figure(strip.gain_db),
            say_pan(strip.pan),
            strip.feeds,
            ", ".join(strip.contains),
        )
        for strip in view.strips
    )
    columns = "# 0.4 > | Strip 1.2 | Takes 1.2 | Trim 0.6 > | Insert 1 | Switches 0.9 | Fader 0.6 > | Pan 0.6"
    yield table("Strips", f"{columns} | Feeds 2 | Contains 1.6", strips)
    mixes = tuple(
        (mix.name, say_figure(mix.gain_db), "muted" if mix.muted else "", mix.feeds, ", ".join(mix.contains))
        for mix in view.mixes
    )
    yield table("Mixes", "Mix 1 | Fader 0.6 > | Mute 0.6 | Feeds 2 | Contains 2", mixes)
    for title, ends in (
        ("What feeds its channels for the computer", view.channels),
        ("What feeds its jacks", view.jacks),
    ):
        rows = tuple((str(end.number), end.fed_by, ", ".join(end.contains)) for end in ends if end.fed_by)
        yield table(title, "# 0.4 > | Fed by 2 | Contains 3", rows)
    never = tuple((each,) for each in view.never)
    if never:
        yield table("Never", "What cannot be 1", never)


Users = dict[tuple[str, int], list[str]]


def _users(found: Index, box: Interface) -> tuple[Users, Users]:
    """By a box's own channel, what programs take from it, and what they play to it."""
    taken: Users = {}
    played: Users = {}
    for program in found.programs():
        streams = found.opened.get(program.id)
        if streams is None:
            continue
        for items, bank, users in ((program.inputs, "capture", taken), (program.outputs, "playback", played)):
            for item in items:
                for leg, channel in enumerate(item.legs, start=1):
                    there = streams.at("capture" if bank == "capture" else "playback", channel) if channel else None
                    if there is not None and there[0].box.id == box.id:
                        name = f"{program.name}: {item.name}{leg_letter(leg, len(item.legs))}"
                        number = f" (its {channel})" if channel != there[1] else ""
                        users.setdefault((bank, there[1]), []).append(name + number)
    return taken, played


def _channels(found: Index, box: Interface) -> Iterator[SheetTable]:
    taken, played = _users(found, box)
    for title, bank, users, many in (
        ("Channels into the computer", "capture", taken, box.capture),
        ("Channels out of the computer", "playback", played, box.playback),
    ):
        rows = tuple((str(number), "; ".join(users.get((bank, number), ()))) for number in range(1, many + 1))
        yield table(title, "# 0.4 > | Programs 5", rows, "it has none")


def _cable(found: Index, cable: Interface) -> SheetTable:
    taken, played = _users(found, cable)
    rows = tuple(
        (str(number), "; ".join(played.get(("playback", number), ())), "; ".join(taken.get(("capture", number), ())))
        for number in range(1, cable.capture + 1)
    )
    return table("Channels", "# 0.4 > | Played into it 3 | Taken from it 3", rows)


def _aggregate(view: AggregateView) -> Iterator[SheetTable]:
    members = tuple((each.name, each.driver, each.capture, each.playback, each.state) for each in view.members)
    yield table("Members", "Member, in this order 1.5 | Driver 1 | In 0.8 | Out 0.8 | Clock 1", members)
    for title, channels in (("Channels in", view.capture), ("Channels out", view.playback)):
        rows = tuple((str(each.number), f"{each.box} {each.channel}", "; ".join(each.names)) for each in channels)
        yield table(title, "# 0.4 > | Is 1.5 | Programs 3", rows)


def _program(reading: Reading, program: Program) -> Iterator[SheetTable]:
    found = reading.found
    for title, items, side in (("Inputs", program.inputs, "input"), ("Outputs", program.outputs, "output")):
        rows = tuple(
            (str(position), item.name, _numbers(item), _behind(found, program, item, side))
            for position, item in enumerate(items, start=1)
        )
        yield table(title, "# 0.4 > | Name 1.5 | Channel 0.8 > | That is 2", rows, "none")
    tracks = tuple(
        (
            str(position),
            track.name,
            found.name(track.input) if track.input else "",
            _to(found, track),
            say_figure(track.gain_db),
            say_pan(track.pan),
            ", ".join(_switches(track)),
        )
        for position, track in enumerate(program.tracks, start=1)
    )
    if tracks:
        what = "Strips" if program.program_kind == "mixing program" else "Tracks"
        yield table(what, "# 0.4 > | Name 1.5 | Takes 1.3 | To 1.3 | Gain, dB 0.7 > | Pan 0.7 | Switches 1.8", tracks)
    own = tuple((voice.name, _to(found, voice), f"{say_figure(voice.level_dbfs)} dBFS") for voice in program.voices)
    if own:
        yield table("Voices", "Name 1.5 | To 1.5 | Level 1 >", own)
    buses = tuple(
        (bus.name, _to(found, bus), say_figure(bus.gain_db), "muted" if bus.muted else "") for bus in program.buses
    )
    if buses:
        yield table("Buses", "Name 1.5 | To 1.5 | Gain, dB 0.7 > | Mute 0.7", buses)
    sends = tuple(
        (
            found.name(send.item),
            found.name(send.to),
            send.tap,
            say_figure(send.gain_db),
            "" if send.on else "off",
        )
        for send in program.sends
    )
    if sends:
        yield table("Sends", "From 1.3 | To 1.3 | Tap 1.3 | dB 0.6 > | Switch 0.6", sends)


def _numbers(item: ProgramPort) -> str:
    return ", ".join(str(leg) if leg is not None else "none" for leg in item.legs)


def _behind(found: Index, program: Program, item: ProgramPort, side: str) -> str:
    """Which channel of which box it is."""
    if item.returns is not None:
        return f"return of {found.name(item.returns)}"
    streams = found.opened.get(program.id)
    said = []
    for channel in item.legs:
        bank = "capture" if side == "input" else "playback"
        there = streams.at("capture" if bank == "capture" else "playback", channel) if streams and channel else None
        if there is not None:
            said.append(f"{there[0].box.name} {there[1]}")
    return ", ".join(said)


def _to(found: Index, item: Track | Voice | Bus) -> str:
    if isinstance(item, Track) and item.far_end is not None:
        return f"far end {found.name(item.far_end)}"
    return found.name(item.output) if item.output else ""


def _switches(track: Track) -> Iterator[str]:
    for words, on in (
        ("armed", track.armed),
        ("monitored", track.monitored),
        ("muted", track.muted),
        ("solo", track.soloed),
        ("insert", track.insert is not None),
    ):
        if on:
            yield words


def _jacks(found: Index, gear: str, ins: int, outs: int) -> Iterator[SheetTable]:
    """The jacks of outboard gear."""
    comes = {patch.to_port: found.say(patch.from_port) for patch in found.rig.patches}
    rows = tuple((str(jack), comes.get(Port(gear, "outboard_in", jack), "")) for jack in range(1, ins + 1))
    yield table("In", "# 0.4 > | From 3", rows)
    goes = {patch.from_port: found.say(patch.to_port) for patch in found.rig.patches}
    rows = tuple((str(jack), goes.get(Port(gear, "outboard_out", jack), "")) for jack in range(1, outs + 1))
    yield table("Out", "# 0.4 > | To 3", rows)
