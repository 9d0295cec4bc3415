"""A program that is to record more than its box takes in, or what is plugged into another: the boxes joined for it."""

from collections.abc import Collection, Iterator

from iskelo.core.edits.base import Refused
from iskelo.core.lines.context import Reading
from iskelo.core.planner.aggregates import JoinRequest, join_sheet
from iskelo.core.planner.joining import Joining
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.programs import Program

BOXES_TRIED = 4
"""So many other boxes are considered for each program."""


def boxes_joined(reading: Reading, lines: Collection[str]) -> Iterator[Joining]:
    """What joins one more box to a program's device, for each program that these lines are to be recorded in.

    A box is considered if a source of theirs is plugged into it, or if it has a jack that nothing is plugged into.
    """
    found = reading.found
    wanted: dict[str, set[str]] = {}
    for line in (found.lines[each] for each in lines):
        starts = {port.owner for port in line.from_ports if isinstance(found.gear.get(port.owner), Source)}
        for port in line.to_ports if line.purpose == "record" else ():
            wanted.setdefault(found.items[port.owner].program.id, set()).update(starts)
    for program in found.programs():
        streams = found.opened.get(program.id)
        if program.id in wanted and streams is not None and program.device is not None and program.hosted is None:
            has = {way.box.id for way in streams.ways}
            others = [box for box in found.hardware() if box.id not in has and _takes(reading, box, wanted[program.id])]
            for box in others[:BOXES_TRIED]:
                joining = _joined(reading, program, box)
                if joining is not None:
                    yield joining


def _takes(reading: Reading, box: Interface, starts: set[str]) -> bool:
    """Whether one of these sources is plugged into a box, or could be."""
    leads = [
        patch for patch in reading.rig.patches if patch.to_port.owner == box.id and patch.to_port.bank == "jack_in"
    ]
    return any(lead.from_port.owner in starts for lead in leads) or len(leads) < box.jack_in


def _joined(reading: Reading, program: Program, box: Interface) -> Joining | None:
    """The edits that join a box behind what a program opens."""
    assert program.device is not None
    wanted = JoinRequest(devices=(program.device, box.id), keep_order=True, program=program.id)
    try:
        sheet = join_sheet(reading, wanted)
    except Refused:
        return None
    own = reading.found.name(program.device)
    words = f"Join {own} and {box.name} as {sheet.device.name} for {program.name}"
    return Joining(sheet.edits, (words,), (sheet.device.name,))
