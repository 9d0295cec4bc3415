"""Rules about the levels of lines: clipping, their windows, the rig's alignment, sums."""

import math
from functools import partial
from typing import Literal

from iskelo.core.levels.along import first_short
from iskelo.core.levels.headroom import TOLERANCE_DB, aim_dbfs, needed_db, nominal_dbfs
from iskelo.core.lines.context import Reading
from iskelo.core.lines.legs import Leg
from iskelo.core.lines.sides import SIDES_APART_DB
from iskelo.core.lines.state import LineState
from iskelo.core.lines.sums import met_at
from iskelo.core.planner.stages import Turn, plain, stages_along, turned
from iskelo.core.rig.units import say_figure
from iskelo.core.routes.route import passing_routes
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import Remedy, Severity, Snag, distinct, rule


@rule("level", symptoms=("distorted",))
def line_hot(reading: Reading) -> list[Snag]:
    """The nominal level clips somewhere on the route, or is above the line's window."""
    consequence = "What is above full scale is cut off; no later gain brings it back."
    return _off_level(reading, "hot", "trouble", "too loud", consequence)


@rule("level", symptoms=("too quiet",))
def line_low(reading: Reading) -> list[Snag]:
    """The nominal level at the target is under the line's window."""
    consequence = "It comes with more noise than it need, and somebody will turn it up too far."
    return _off_level(reading, "low", "risk", "too quiet", consequence)


def _off_level(
    reading: Reading, kind: Literal["hot", "low"], severity: Severity, said: str, consequence: str
) -> list[Snag]:
    return [
        Snag(
            key=f"line-{kind}:{state.line.id}",
            rule=f"line-{kind}",
            severity=severity,
            title=f"{state.line.name} is {said}: {words}",
            evidence=words,
            consequence=consequence,
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.from_ports),
            mend=partial(_turned, reading, state),
        )
        for state, words in with_finding(reading, kind)
    ]


def _turned(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Turn the stage that is wrong, or several, so that the line stands where it should."""
    found, line = reading.found, state.line
    turns: list[Turn] = []
    for leg in state.legs:
        for arrival in leg.arrivals:
            aim, edges = aim_dbfs(line, leg.start, found), arrival.route.edges
            needed = needed_db(line, leg.start, found)
            short = first_short(edges, found, needed, arrival.raised)
            if short is not None:
                edge, room = short
                # What the far end of a lead cannot take is turned down on its way there; else to where it should stand.
                last = edge.kind in ("lead out", "lead to outboard")
                before = edges[: edges.index(edge) + (edge.kind not in ("playback", "to jack"))]
                turns += turned(stages_along(before, found, aim), room - needed if last else room + aim)
                continue
            low, high = line.lowest_dbfs, line.highest_dbfs
            level = arrival.level_dbfs
            if (low is not None and level < low) or (high is not None and level > high):
                turns += turned(stages_along(edges, found, aim), aim - level)
    return distinct([*_as_remedy(turns), *_sums_down(reading, state)])


@rule("level")
def above_alignment(reading: Reading) -> list[Snag]:
    """A line stands above the rig's alignment because its window says so; how much headroom is left there."""
    return [
        Snag(
            key=f"above-alignment:{state.line.id}",
            rule="above-alignment",
            severity="note",
            title=f"{state.line.name} stands {say_figure(over_db, 1)} dB above alignment, as its window allows",
            evidence=f"{say_figure(level, 1)} dBFS, and its highest is {say_figure(state.line.highest_dbfs)} dBFS.",
            consequence=f"{say_figure(-level, 1)} dB of headroom are left above it, where alignment leaves "
            f"{say_figure(over_db - level, 1)}.",
            items=tuple(dict.fromkeys(port.owner for port in state.line.from_ports)),
            mend=partial(_to_alignment, reading, state),
        )
        for state in reading.lines
        if state.line.highest_dbfs is not None and state.headline == "arrives"
        if (loudest := _above_alignment(reading, state)) is not None
        for over_db, level in [loudest]
    ]


def _above_alignment(reading: Reading, state: LineState) -> tuple[float, float] | None:
    """By how much the loudest leg stands above where its source is to stand, and its level; None if none does."""
    levels = [(leg.level_dbfs, nominal_dbfs(leg.start, reading.found)) for leg in state.legs]
    above = [(level - nominal, level) for level, nominal in levels if level is not None and level > nominal]
    worst = max(above, default=None)
    return worst if worst is not None and worst[0] > TOLERANCE_DB else None


def _to_alignment(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Turn it down to alignment, unless its window begins above that."""
    found, line = reading.found, state.line
    turns: list[Turn] = []
    for leg in state.legs:
        aim = aim_dbfs(line, leg.start, found)
        if aim > nominal_dbfs(leg.start, found):
            return ()
        for arrival in leg.arrivals:
            if arrival.level_dbfs > aim:
                turns += turned(stages_along(arrival.route.edges, found, aim), aim - arrival.level_dbfs)
    return distinct(_as_remedy(turns))


def _as_remedy(turns: list[Turn]) -> list[Remedy]:
    """One remedy that turns several stages, each once."""
    once = {turn.stage.key: turn for turn in reversed(turns)}
    kept = [once[key] for key in dict.fromkeys(turn.stage.key for turn in turns)]
    if not kept:
        return []
    words = "; ".join(turn.words for turn in kept[:2]) + (f"; and {len(kept) - 2} more alike" if len(kept) > 2 else "")
    return [Remedy(f"Set {words}", tuple(turn.stage.make(turn.to_db) for turn in kept))]


def _sums_down(reading: Reading, state: LineState) -> list[Remedy]:
    """Where different sources add up to too much: all of them down alike, each at the last stage before the sum."""
    found = reading.found
    for leg in state.legs:
        for arrival in leg.arrivals:
            for edge in arrival.route.edges:
                met = met_at(edge)
                total = reading.sums.at(met) if met is not None else None
                if met is None or total is None or not total.is_too_loud:
                    continue
                over = math.ceil(total.over_db * 10) / 10
                turns: dict[tuple[str, ...], Turn] = {}
                for start in total.starts:
                    for route in passing_routes(reading.graph, start, met):
                        for stage in reversed(stages_along(route.edges, found, 0.0)):
                            turns[stage.key] = Turn(stage, round(stage.now_db - over, 1))
                            break
                edits = tuple(turn.stage.make(turn.to_db) for turn in turns.values())
                names = ", ".join(turn.stage.words.removeprefix("the ") for turn in turns.values())
                return [Remedy(f"Turn all that adds up there down by {plain(over)} dB: {names}", edits)]
    return []


def even_sides(reading: Reading, state: LineState) -> list[Remedy]:
    """Bring the side that is further from where it should stand to the level of the other."""
    found = reading.found
    legs = [leg for leg in state.legs if len(leg.arrivals) == 1]
    if len(legs) < 2 or len(legs) < len(state.legs):
        return []

    def off(leg: Leg) -> float:
        return leg.arrivals[0].level_dbfs - aim_dbfs(state.line, leg.start, found)

    right, wrong = sorted(legs, key=lambda leg: abs(off(leg)))[:: len(legs) - 1]
    by = off(right) - off(wrong)
    if abs(by) < SIDES_APART_DB:
        return []
    aim = aim_dbfs(state.line, wrong.start, found)
    return _as_remedy(turned(stages_along(wrong.arrivals[0].route.edges, found, aim), by))
