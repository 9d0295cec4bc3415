"""The line list and the timing sheet: what is wanted, by which numbers it comes, how late and how loud."""

from iskelo.core.device_maps import clock_tree
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.paperwork.sheet import SheetTable, table
from iskelo.core.rig.ports import COLUMNS
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Line
from iskelo.core.rig.units import say_figure
from iskelo.core.stations import Station, stations
from iskelo.core.timing.delays import Delay, latest, trip_of
from iskelo.core.words.say import say

_TITLES = {"source": "From", "out": "Heard at"}
"""What a station's column is called on paper, where it is another word than its own."""


def line_table(reading: Reading) -> SheetTable:
    """Every line with the numbers at all its stations, its delay, its level, and whether it arrives."""
    places = " | ".join(f"{_TITLES.get(each, each.replace('_', ' ').capitalize())} 1.2" for each in COLUMNS)
    columns = f"# 0.4 > | Line 1.5 | For 0.7 | Tag 0.8 | {places} | Delay, ms 0.9 > | dBFS 0.7 > | State 1.2"
    rows = (_line(reading, position, state) for position, state in enumerate(reading.lines, start=1))
    return table("Lines", columns, rows, "no line is wanted yet")


def _line(reading: Reading, position: int, state: LineState) -> tuple[str, ...]:
    levels = [leg.level_dbfs for leg in state.legs if leg.level_dbfs is not None]
    more = f" +{len(state.findings) - 1}" if len(state.findings) > 1 else ""
    state_words = state.headline if state.headline == "arrives" else f"{state.headline}{more}"
    return (
        str(position),
        state.line.name,
        state.line.purpose,
        _tag(state.line),
        *(_station(each) for each in stations(state, reading.found)),
        say_delay(latest(state.delays())),
        say_figure(round(max(levels), 1), 1) if levels else "",
        state_words,
    )


def _tag(line: Line) -> str:
    """Its tag, and its colour as a word: paper is black."""
    return ", ".join(each for each in (line.tag, line.colour if line.colour != "none" else "") if each)


def _station(station: Station) -> str:
    """A cell: gear and number, or what is wrong there."""
    if station.state in ("gap", "blocked") and station.trouble:
        return f"({station.trouble})"
    copies = f" ×{station.copies}" if station.copies > 1 else ""
    if station.column == "track":
        return f"{station.number} {station.label}{copies}".strip()
    # Many names end in a number themselves.
    return " · ".join(each for each in (station.label, f"{station.number}{copies}") if each)


def say_delay(delay: Delay | None) -> str:
    """A delay in ms, with ``~`` if something of it is assumed, as a range where it cannot be known beforehand."""
    if delay is None:
        return ""
    about = "~" if delay.assumed else ""
    return f"{about}{delay.ms:.2f}" + (f" to {delay.most_ms:.2f}" if delay.spread else "")


def troubles_table(reading: Reading) -> SheetTable:
    """What does not arrive as it is wanted, in words."""
    rows = tuple(
        (str(position), state.line.name, "; ".join(say(each, reading.found).rstrip(".") for each in state.findings))
        for position, state in enumerate(reading.lines, start=1)
        if state.headline != "arrives"
    )
    return table("Not as wanted", "# 0.3 > | Line 1.2 | What is wrong 6", rows, "every line arrives as it is wanted")


def clock_table(reading: Reading) -> SheetTable:
    """Every box below the one whose clock it runs on."""
    rows = tuple(
        (
            "– " * row.depth + row.name,
            _rate(reading, row.box),
            row.words,
            row.pace,
            "; ".join(each for each in (row.trouble, row.drift, row.tolerance) if each),
        )
        for row in clock_tree(reading)
    )
    columns = "Box 1.4 | Rate 0.7 > | Clock 1.6 | Its own, off by 1 | Mind 3"
    return table("Clocks", columns, rows, "there is no box yet")


def _rate(reading: Reading, box: str) -> str:
    found = next(each for each in reading.found.boxes if each.id == box)
    return f"{found.rate_hz / 1000:g} kHz"


def program_table(reading: Reading) -> SheetTable:
    """Every program with its device, its buffer and its delays."""
    columns = "Program 1.3 | Opens 1.5 | Rate 0.7 > | Buffer 0.7 > | In, ms 0.8 > | Out, ms 0.8 > | Round trip, ms 1 >"
    rows = (_program(reading, program) for program in reading.found.programs())
    return table("Programs", f"{columns} | samples 0.8 >", rows, "there is no program yet")


def _program(reading: Reading, program: Program) -> tuple[str, ...]:
    streams = reading.found.opened.get(program.id)
    if streams is None or streams.driving is None:
        where = "no device"
        if program.hosted is not None:
            where = f"runs in {reading.found.name(program.hosted.leader)}"
        return (program.name, where, "", "", "", "", "", "")
    trip, rate_hz = trip_of(streams, reading.found), streams.driving.box.rate_hz
    samples = (trip.in_samples, trip.out_samples, trip.in_samples + trip.out_samples)
    doubts = (trip.assumed_in, trip.assumed_out, trip.assumed)
    said = (f"{'~' if doubt else ''}{1000 * each / rate_hz:.2f}" for each, doubt in zip(samples, doubts, strict=True))
    buffer = str(streams.driving.buffer_samples)
    return (program.name, streams.device.name, f"{rate_hz / 1000:g} kHz", buffer, *said, str(samples[-1]))


def limit_table(reading: Reading) -> SheetTable:
    """The lines with a limit, those nearest to it first."""
    found = []
    for state in reading.lines:
        limit_ms, delay = state.line.longest_delay_ms, latest(state.delays())
        if limit_ms is not None and delay is not None:
            row = (state.line.name, say_delay(delay), f"{limit_ms:g}", say_figure(limit_ms - delay.most_ms, 2))
            found.append((limit_ms - delay.most_ms, row))
    rows = (row for _, row in sorted(found, key=lambda each: each[0]))
    columns = "Line 2 | Delay, ms 1 > | Limit, ms 1 > | Left, ms 1 >"
    return table("Limits", columns, rows, "no line that arrives has a limit")
