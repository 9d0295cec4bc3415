"""Acts on the names of programs: two exchanged, all from one place on shifted."""

from collections import Counter
from collections.abc import Iterator, Mapping
from itertools import combinations

from iskelo.core.acts.act import IN_A_PROGRAM, Act, Near
from iskelo.core.edits.edit import Edit, SetLeg
from iskelo.core.lines.context import Reading
from iskelo.core.rig.device_streams import CHANNELS_AT_MOST
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort, Track
from iskelo.core.rig.text import few

SHIFTS = (-1, 1, -2, 2, -8, 8)
"""By so many channels names stand off that were mapped from another place on."""


def name_acts(found: Index, about: Near) -> Iterator[Act]:
    """Every exchange of two names of which one is asked about."""
    for program, side, items, _ in _sides(found):
        yield from _exchanged(program, side, items, about)


def exchanged_names(found: Index, about: Near) -> Iterator[Act]:
    """Exchange every two names that are both asked about, and the two sides of each."""
    for program, side, items, _ in _sides(found):
        yield from _exchanged(program, side, [item for item in items if item.id in about.ids], about)


def shift_acts(found: Index, around: Near) -> Iterator[Act]:
    """Every shift of all names from one on that stands among these."""
    for program, side, items, size in _sides(found):
        yield from _shifted(program, side, items, size, around)


NAMES_AT_LEAST = 3
"""Fewer names are exchanged, or set one by one."""


def given_back_acts(reading: Reading) -> Iterator[Act]:
    """The names of a program on the channels where the sounds of their lines arrive, all in one go."""
    found = reading.found
    sounding = Counter(port for start in found.starts() for port in reading.known.sound(start).by)
    for program in found.programs():
        taken = _arriving(reading, program, sounding)
        if len(taken) < NAMES_AT_LEAST or len(set(taken.values())) < len(taken):
            continue
        edits = tuple(SetLeg(item=item, leg=leg, channel=channel) for (item, leg), channel in taken.items())
        names = [found.items[item].item.name for item, _ in taken]
        words = f"Give {few(names)} of {program.name} the channels where their sounds arrive"
        yield Act(
            "names put right", words, edits, frozenset({program.id, *(item for item, _ in taken)}), 3 * IN_A_PROGRAM
        )


def _arriving(reading: Reading, program: Program, sounding: Mapping[Port, int]) -> dict[tuple[str, int], int]:
    """By input and leg that stand wrongly for their track's line: the one channel where its sound arrives.

    ``sounding``: how many sources sound at a port.
    """
    found = reading.found
    taken: dict[tuple[str, int], int] = {}
    for state in reading.lines:
        if state.headline == "arrives":
            continue
        for start, end in state.line.pairs():
            placed = found.items.get(end.owner)
            track = placed.item if placed is not None and placed.program.id == program.id else None
            if not isinstance(track, Track) or track.input not in found.items:
                continue
            item = found.items[track.input].item
            ports = [port for port in reading.known.sound(start).by if port.bank == "capture"]
            # Where others sound too is a mix, which nobody means by its name.
            ports = [port for port in ports if sounding[port] == 1] or ports
            channels = {channel for port in ports if (channel := found.channel(program, port)) is not None}
            if isinstance(item, ProgramPort) and len(channels) == 1 and end.number <= len(item.legs):
                (channel,) = channels
                if item.legs[end.number - 1] != channel:
                    taken[item.id, end.number] = channel
    return taken


def _sides(found: Index) -> Iterator[tuple[Program, str, list[ProgramPort], int]]:
    """The names of programs that have a device, side by side, with how many channels there are."""
    for program in found.programs():
        streams = found.opened.get(program.id)
        if streams is not None:
            yield program, "input", [each for each in program.inputs if each.returns is None], streams.device.capture
            yield program, "output", list(program.outputs), streams.device.playback


def _exchanged(program: Program, side: str, items: list[ProgramPort], about: Near) -> Iterator[Act]:
    for item in items:
        if item.id in about.ids and len(set(item.legs)) == 2:
            legs = tuple(
                SetLeg(item=item.id, leg=leg, channel=channel) for leg, channel in enumerate(item.legs[::-1], start=1)
            )
            words = f"Exchange left and right of {side} {item.name} of {program.name}"
            yield Act("names", words, legs, frozenset({program.id, item.id}), IN_A_PROGRAM)
    for one, other in combinations(items, 2):
        if (
            (one.id in about.ids or other.id in about.ids)
            and len(one.legs) == len(other.legs)
            and one.legs != other.legs
        ):
            edits = tuple(
                SetLeg(item=item.id, leg=leg, channel=channel)
                for item, taken in ((one, other), (other, one))
                for leg, channel in enumerate(taken.legs, start=1)
            )
            words = f"Exchange the channels of {side}s {one.name} and {other.name} of {program.name}"
            yield Act("names", words, edits, frozenset({program.id, one.id, other.id}), 2 * IN_A_PROGRAM)


def _shifted(program: Program, side: str, items: list[ProgramPort], size: int, around: Near) -> Iterator[Act]:
    for place, first in enumerate(items):
        run = items[place:]
        if first.id not in around.ids or len(run) < 2:
            continue
        for by in SHIFTS:
            moved = [[channel + by for channel in item.legs if channel is not None] for item in run]
            if any(not 1 <= channel <= CHANNELS_AT_MOST for legs in moved for channel in legs):
                continue
            # Beyond the last channel names may be moved by mistake, and from there back.
            inside = all(channel <= size for legs in moved for channel in legs)
            edits: tuple[Edit, ...] = tuple(
                SetLeg(item=item.id, leg=leg, channel=channel + by)
                for item in (reversed(run) if by > 0 else run)
                for leg, channel in enumerate(item.legs, start=1)
                if channel is not None
            )
            much = f"{abs(by)} channel{'s' if abs(by) > 1 else ''} {'up' if by > 0 else 'down'}"
            words = f"Move the {side}s of {program.name} from {first.name} on {much}"
            touches = frozenset({program.id, *(item.id for item in run)})
            yield Act("names", words, edits, touches, 2 * IN_A_PROGRAM, inside)
