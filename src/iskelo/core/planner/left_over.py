"""What a plan could not serve, and why, line by line."""

from dataclasses import dataclass

from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.cable_rooms import wanted_by
from iskelo.core.rig.device_streams import CHANNELS_AT_MOST
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.text import few
from iskelo.core.words.say import say


@dataclass(frozen=True, slots=True)
class Left:
    """A line that is still silent, or not as it is wanted, and why."""

    line: str
    name: str
    why: str


def left_over(reading: Reading, *, every: bool = False) -> tuple[Left, ...]:
    """The lines of which nothing, or not all, arrives, in their order; ``every``: all that do not arrive as wanted."""
    return tuple(
        Left(state.line.id, state.line.name, _why(reading, state))
        for state in reading.lines
        if (state.headline != "arrives" if every else state.headline in ("silent", "half silent", "blocked"))
    )


def _why(reading: Reading, state: LineState) -> str:
    wanted = wanted_by(state, reading.found)
    if wanted is not None:
        for program, bank in ((wanted.receiver, "capture"), (wanted.sender, "playback")):
            full = _full(reading, program, bank, wanted.width)
            if full:
                return full
    for port in state.line.to_ports if state.headline in ("silent", "half silent") else ():
        placed = reading.found.items.get(port.owner)
        if placed is not None and placed.program.hosted is None and _all_taken(placed.program):
            program = placed.program
            return f"{program.name} opens {program.channels_at_most} channels at most, all taken by its names"
    return _occupied(reading, state) or say(state.findings[0], reading.found)


def _all_taken(program: Program) -> bool:
    """Tell whether a program opens as many inputs as it can, and its names take them all."""
    limit = program.channels_at_most
    return limit is not None and len(program.enabled_in) >= limit and not program.idle_channels("input")


def _occupied(reading: Reading, state: LineState) -> str:
    """Say that others take all inputs of outboard gear which a line names; empty where an input is free."""
    found, ours = reading.found, {port.owner for port in state.line.from_ports}
    for outboard in (each for each in found.outboards if each.id in state.line.through):
        ins = [Port(outboard.id, "outboard_in", leg) for leg in range(1, outboard.width + 1)]
        feeding = [edge.start for each in ins for edge in reading.graph.into(each)]
        others = dict.fromkeys(found.name(port.owner) for port in feeding if port.owner not in ours)
        if others and len(feeding) >= outboard.width:
            inputs = "one channel" if outboard.width == 1 else f"{outboard.width} channels"
            return f"{outboard.name} has {inputs}, taken by {few(others)}"
    return ""


def _full(reading: Reading, program: Program, bank: str, width: int) -> str:
    """That a program takes no more channels; empty if it does."""
    streams = reading.found.opened.get(program.id)
    on = program.enabled_in if bank == "capture" else program.enabled_out
    limit = program.channels_at_most
    if limit is not None and len(on) + width > limit:
        return f"{program.name} opens {limit} channels at most, and {len(on)} are open"
    has = (streams.device.capture if bank == "capture" else streams.device.playback) if streams is not None else 0
    if has + width > CHANNELS_AT_MOST:
        return f"the device of {program.name} has {has} channels, and {CHANNELS_AT_MOST} is the most"
    return ""
