"""Label strips: what to write over every jack, strip and track, a cell a channel."""

from collections.abc import Iterator

from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.sheet import SheetTable, table
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program

Labelled = Interface | Program

COLUMNS = "# 0.4 > | Label 2"


def labelled(reading: Reading) -> list[Labelled]:
    """What can be labelled: boxes that have jacks, and programs that have tracks or strips."""
    boxes: list[Labelled] = [box for box in reading.found.hardware() if box.jack_in or box.jack_out]
    return boxes + [program for program in reading.found.programs() if _tracks(program)]


def label_tables(reading: Reading, gear: Labelled) -> tuple[SheetTable, ...]:
    """The strips of one piece of gear, each with a row for every cell; what is not in use stays blank."""
    if isinstance(gear, Program):
        title = "Strips" if gear.program_kind == "mixing program" else "Tracks"
        return (table(title, COLUMNS, _tracks(gear)),)
    return tuple(_of_box(reading.found, gear))


def _tracks(program: Program) -> list[tuple[str, str]]:
    """Numbers and names; ears are no tracks."""
    return [(str(number), track.name) for number, track in enumerate(program.tracks, start=1) if track.far_end is None]


def _of_box(found: Index, box: Interface) -> Iterator[SheetTable]:
    comes = {patch.to_port: patch.from_port for patch in found.rig.patches}
    ins = [Port(box.id, "jack_in", jack) for jack in range(1, box.jack_in + 1)]
    if ins:
        names = ((str(port.number), _short(found, comes[port]) if port in comes else "") for port in ins)
        yield table("Input jacks", COLUMNS, names)
    goes: dict[Port, list[str]] = {}
    for patch in found.rig.patches:
        goes.setdefault(patch.from_port, []).append(_short(found, patch.to_port))
    outs = [Port(box.id, "jack_out", jack) for jack in range(1, box.jack_out + 1)]
    if outs:
        yield table("Output jacks", COLUMNS, ((str(port.number), " + ".join(goes.get(port, ()))) for port in outs))
    if box.mixer is not None:
        strips = ((str(number), strip.name) for number, strip in enumerate(box.mixer.strips, start=1))
        yield table("Strips", COLUMNS, strips)


def _short(found: Index, port: Port) -> str:
    """What a jack leads to or comes from, as short as it is clear: 'Alma', 'Havra 16 out 3'."""
    return found.say(port).replace(" jack ", " ")
