"""Changes that take something away from where lines pass: each with what lets those lines arrive again."""

from collections.abc import Collection

from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, Plug, Remove, SetDevice
from iskelo.core.lines.context import Reading, read
from iskelo.core.planner.jack_moves import switched_on
from iskelo.core.planner.joining import Joining
from iskelo.core.planner.search import joined
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Patch

LINES_AT_MOST = 32
"""More lines than these are not joined anew by one remedy; each takes a search of its own."""


def then_joined(
    reading: Reading, edits: tuple[Edit, ...], words: tuple[str, ...], lines: Collection[str]
) -> Joining | None:
    """Edits, and behind them what makes these lines arrive again; None if a line cannot, or there are too many."""
    if len(lines) > LINES_AT_MOST:
        return None
    try:
        after = read(apply(reading.rig, edits).rig, reading)
    except Refused:
        return None
    for state in after.lines:
        if state.line.id not in lines or all(leg.arrivals for leg in state.legs):
            continue
        found = joined(after, state.line)
        if found is None:
            return None
        joining, after = found
        edits, words = (*edits, *joining.edits), (*words, *joining.words)
    return Joining(edits, words)


def move_lead(reading: Reading, lead: Patch, to: Port) -> Joining | None:
    """A lead pulled where it is and plugged into a free jack, which is set for its source; what hears it follows."""
    found = reading.found
    box = found.gear[to.owner]
    assert isinstance(box, Interface)
    edits: tuple[Edit, ...] = (
        Remove(items=(lead.id,)),
        Plug(from_port=lead.from_port, to_port=to, gain_db=lead.gain_db, inverted=lead.inverted),
    )
    switches, said, _ = switched_on(found, lead.from_port, box, to.number)
    words = (f"Move {found.say(lead.from_port)} from {found.say(lead.to_port)} to {found.say(to)}", *said)
    lines = [state.line.id for state in reading.lines if lead.from_port in state.line.from_ports]
    return then_joined(reading, (*edits, *switches), words, lines)


def on_another_box(reading: Reading, program: Program, box: Interface, lines: Collection[str]) -> Joining | None:
    """A program opened on another box, with the leads of its lines moved there."""
    found = reading.found
    driver = next((each for each in box.drivers if each.installed and found.in_the_way(each, program) is None), None)
    if driver is None or not box.connected:
        return None
    edit = SetDevice(program=program.id, device=box.id, driver=driver.id)
    words = (f"Let {program.name} open {box.name} by its {driver.kind} driver",)
    return then_joined(reading, (edit,), words, lines)
