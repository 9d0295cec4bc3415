"""Rules about levels: clipping, the window, supplies, impedance, consumer and professional gear."""

import math
from functools import partial
from typing import Literal

from iskelo.core.edits.edit import SetJack, SetOutputTrim, SetTrim, SetValues
from iskelo.core.levels.along import first_short
from iskelo.core.levels.headroom import FAR_OFF_DB, TOLERANCE_DB, aim_dbfs, needed_db, nominal_dbfs
from iskelo.core.lines.context import Reading
from iskelo.core.lines.legs import Leg
from iskelo.core.lines.sides import SIDES_APART_DB
from iskelo.core.lines.state import LineState
from iskelo.core.lines.sums import met_at
from iskelo.core.planner.moving import move_lead
from iskelo.core.planner.stages import Turn, plain, stages_along, turned
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.text import few, fold_numbers
from iskelo.core.rig.units import CONSUMER_BELOW_PROFESSIONAL_DB, DBV_TO_DBU, PROFESSIONAL_DBU, say_figure
from iskelo.core.routes.route import passing_routes
from iskelo.core.snags.reach import lines_from, with_finding
from iskelo.core.snags.rule import Remedy, Severity, Snag, distinct, if_so, joining, one_remedy, rule
from iskelo.core.wiring.edge import input_gain_db, lead_gain_db


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


@rule("level", symptoms=("nothing",), explains=("line-blocked", "line-half-silent", "line-silent"))
def phantom_missing(reading: Reading) -> list[Snag]:
    """A microphone that needs phantom supply is in a jack where it is off, or that has none."""
    off: dict[str, list[Plugged]] = {}
    unable: list[Plugged] = []
    for source, box, jack in reading.plugged:
        if source.needs_phantom and jack not in box.phantom_on:
            able = jack <= box.able_jacks("phantom")
            (off.setdefault(box.id, []) if able else unable).append((source, box, jack))
    together = [_switched_off(reading, some) for some in off.values() if len(some) > 1]
    alone = [each for some in off.values() if len(some) == 1 for each in some]
    return [*together, *(_unsupplied(reading, *each) for each in (*alone, *unable)), *_unsupplied_by_outboard(reading)]


Plugged = tuple[Source, Interface, int]
"""A source, the box it is plugged into, and the jack."""


def _unsupplied(reading: Reading, source: Source, box: Interface, jack: int) -> Snag:
    """One microphone without its supply."""
    able = box.able_jacks("phantom")
    where = f"{box.name} jack in {jack}"
    return Snag(
        key=f"phantom-missing:{source.id}:{box.id}:{jack}",
        rule="phantom-missing",
        severity="stop",
        title=f"{source.name} needs phantom supply at {where}",
        evidence=f"{source.name} needs phantom supply (48 V); at {where} it is "
        + ("off." if jack <= able else f"not to be had: only the first {able} jacks have it."),
        consequence="The microphone gives no sound.",
        items=(source.id, box.id),
        lines=lines_from(reading, source.id),
        mend=partial(_supply, reading, source, box, jack),
    )


def _switched_off(reading: Reading, several: list[Plugged]) -> Snag:
    """Supplies of one box that are off where microphones need them: one cause, told once."""
    box = several[0][1]
    names, jacks = [source.name for source, _, _ in several], fold_numbers(sorted(jack for _, _, jack in several))
    edits = tuple(SetJack(interface=box.id, jack_in=jack, phantom=True) for _, _, jack in several)
    own = [if_so(f"{source.name} has a supply of its own", _without_need(source)) for source, _, _ in several]
    remedies = [Remedy(f"Switch phantom supply on at jacks in {jacks} of {box.name}", edits), *own]
    return Snag(
        key=f"phantom-missing:{box.id}",
        rule="phantom-missing",
        severity="stop",
        title=f"{few(names)} need phantom supply at {box.name} jacks in {jacks}",
        evidence=f"{', '.join(names)} need phantom supply (48 V); at {box.name} jacks in {jacks} it is off.",
        consequence="These microphones give no sound.",
        items=(*(source.id for source, _, _ in several), box.id),
        lines=tuple(dict.fromkeys(line for source, _, _ in several for line in lines_from(reading, source.id))),
        mend=partial(distinct, remedies),
    )


def _without_need(source: Source) -> SetValues:
    return SetValues(item=source.id, values={"needs_phantom": False})


def _unsupplied_by_outboard(reading: Reading) -> list[Snag]:
    """Microphones in outboard gear that gives no supply."""
    found = reading.found
    snags = []
    for patch in found.rig.patches if found.outboards else ():
        source, outboard = found.gear[patch.from_port.owner], found.gear[patch.to_port.owner]
        if not isinstance(source, Source) or not isinstance(outboard, Outboard):
            continue
        if not source.needs_phantom or outboard.supplies_phantom:
            continue
        gives = SetValues(item=outboard.id, values={"supplies_phantom": True})
        own = SetValues(item=source.id, values={"needs_phantom": False})
        facts = [
            if_so(f"{outboard.name} does supply microphones", gives),
            if_so(f"{source.name} has a supply of its own", own),
        ]
        snags.append(
            Snag(
                key=f"phantom-missing:{source.id}:{outboard.id}",
                rule="phantom-missing",
                severity="stop",
                title=f"{source.name} needs phantom supply, and {outboard.name} gives none",
                evidence=f"{source.name} needs phantom supply (48 V); {outboard.name}, where it is plugged, has none.",
                consequence="The microphone gives no sound.",
                items=(source.id, outboard.id),
                lines=lines_from(reading, source.id),
                mend=partial(distinct, facts),
            )
        )
    return snags


def _supply(reading: Reading, source: Source, box: Interface, jack: int) -> tuple[Remedy, ...]:
    if jack <= box.able_jacks("phantom"):
        edit = SetJack(interface=box.id, jack_in=jack, phantom=True)
        return one_remedy(f"Switch phantom supply on at {box.name} jack in {jack}", edit)
    off = SetValues(item=source.id, values={"needs_phantom": False})
    own = if_so(f"{source.name} has a supply of its own", off)
    return distinct([*_able_jack(reading, source, box, jack), own])


@rule("level")
def phantom_into_an_output(reading: Reading) -> list[Snag]:
    """Phantom supply is on at a jack that takes an output, which wants none. Common practice, no published source."""
    found = reading.found
    snags = []
    for patch in found.rig.patches:
        if patch.from_port.bank == "out" or patch.to_port.bank != "jack_in":
            continue
        box, jack = found.gear[patch.to_port.owner], patch.to_port.number
        assert isinstance(box, Interface)
        if jack in box.phantom_on:
            where, feeds = found.say(patch.to_port), found.say(patch.from_port)
            off = SetJack(interface=box.id, jack_in=jack, phantom=False)
            snags.append(
                Snag(
                    key=f"phantom-into-an-output:{box.id}:{jack}",
                    rule="phantom-into-an-output",
                    severity="risk",
                    title=f"Phantom supply is on at {where}, which takes {feeds}",
                    evidence=f"{where} takes {feeds} and puts 48 V on it.",
                    consequence="Some outputs hum or clip with a supply on them, and a few are damaged by it.",
                    items=(box.id, patch.from_port.owner),
                    mend=partial(one_remedy, f"Switch phantom supply off at {where}", off),
                )
            )
    return snags


@rule("level", symptoms=("too quiet",))
def high_impedance_missing(reading: Reading) -> list[Snag]:
    """An instrument that needs a high-impedance input is in a jack that is not set to it."""
    snags = []
    for source, box, jack in reading.plugged:
        if not source.needs_high_impedance or jack in box.high_impedance_on:
            continue
        able = box.able_jacks("instrument")
        where = f"{box.name} jack in {jack}"
        snags.append(
            Snag(
                key=f"high-impedance-missing:{source.id}:{box.id}:{jack}",
                rule="high-impedance-missing",
                severity="risk",
                title=f"{source.name} needs a high-impedance input at {where}",
                evidence=f"{where} is not set to high impedance"
                + (f"; only the first {able} jacks can be." if jack > able else "."),
                consequence="The pickup is loaded: it sounds dull and quiet.",
                items=(source.id, box.id),
                lines=lines_from(reading, source.id),
                mend=partial(_impedance, reading, source, box, jack),
            )
        )
    return snags


def _able_jack(reading: Reading, source: Source, box: Interface, jack: int) -> list[Remedy]:
    """Plugging a source into a free jack that can supply or load it, of the same box first; what hears it follows."""
    remedies = []
    lead = next(patch for patch in reading.rig.patches if patch.to_port == Port(box.id, "jack_in", jack))
    for other in (box, *(each for each in reading.found.boxes if each is not box)):
        able = min(
            other.able_jacks("phantom") if source.needs_phantom else other.jack_in,
            other.able_jacks("instrument") if source.needs_high_impedance else other.jack_in,
        )
        free = (Port(other.id, "jack_in", number) for number in range(1, able + 1))
        to = next((port for port in free if not reading.graph.into(port)), None)
        moved = move_lead(reading, lead, to) if to is not None else None
        if moved is not None:
            remedies.append(joining(moved))
    return remedies


def _impedance(reading: Reading, source: Source, box: Interface, jack: int) -> tuple[Remedy, ...]:
    if jack <= box.able_jacks("instrument"):
        edit = SetJack(interface=box.id, jack_in=jack, high_impedance=True)
        return one_remedy(f"Set {box.name} jack in {jack} to high impedance", edit)
    off = SetValues(item=source.id, values={"needs_high_impedance": False})
    own = if_so(f"{source.name} goes through a box of its own that does it", off)
    return distinct([*_able_jack(reading, source, box, jack), own])


@rule("level", symptoms=("too quiet", "distorted"))
def consumer_and_professional(reading: Reading) -> list[Snag]:
    """Consumer gear (-10 dBV) and professional gear (+4 dBu) are joined without making up the 11.8 dB."""
    snags = []
    for source, box, jack in reading.plugged:
        if source.level_unit != "dBV" or source.source_kind != "line player":
            continue
        level = source.level_dbu + input_gain_db(box, jack)
        if level > reading.rig.alignment_dbfs - FAR_OFF_DB:
            continue
        trim = round(box.trims_db[jack - 1] + reading.rig.alignment_dbfs - level, 1)
        edit = SetTrim(interface=box.id, jack_in=jack, trim_db=max(-144.0, min(60.0, trim)))
        snags.append(
            Snag(
                key=f"consumer-and-professional:{source.id}:{box.id}:{jack}",
                rule="consumer-and-professional",
                severity="risk",
                title=f"{source.name} is consumer gear in a professional input",
                evidence=f"Its {say_figure(source.level_dbu - DBV_TO_DBU, 1)} dBV are "
                f"{say_figure(source.level_dbu, 1)} dBu, "
                f"{PROFESSIONAL_DBU - source.level_dbu:.1f} dB under +4 dBu; {box.name} jack in {jack} "
                f"makes {say_figure(level, 1)} dBFS of it.",
                consequence=f"It comes about {CONSUMER_BELOW_PROFESSIONAL_DB:.1f} dB too quiet, with more noise.",
                items=(source.id, box.id),
                lines=lines_from(reading, source.id),
                mend=partial(one_remedy, f"Set the trim of {box.name} jack in {jack} to {say_figure(trim)} dB", edit),
            )
        )
    return [*snags, *_into_consumer_gear(reading)]


def _into_consumer_gear(reading: Reading) -> list[Snag]:
    snags = []
    for patch in reading.rig.patches:
        if patch.to_port.bank != "in":
            continue
        box, end = reading.found.gear[patch.from_port.owner], reading.found.gear[patch.to_port.owner]
        if not isinstance(box, Interface) or not isinstance(end, Destination) or end.level_unit != "dBV":
            continue
        jack = patch.from_port.number
        level = reading.rig.alignment_dbfs + box.output_full_scale_dbu + box.output_trims_db[jack - 1]
        level += lead_gain_db(patch, box)
        over = level - (PROFESSIONAL_DBU - CONSUMER_BELOW_PROFESSIONAL_DB)
        if over < FAR_OFF_DB:
            continue
        trim = max(-144.0, round(box.output_trims_db[jack - 1] - over, 1))
        edit = SetOutputTrim(interface=box.id, jack_out=jack, trim_db=trim)
        snags.append(
            Snag(
                key=f"consumer-and-professional:{end.id}:{patch.to_port.number}",
                rule="consumer-and-professional",
                severity="risk",
                title=f"{end.name} is consumer gear on a professional output",
                evidence=f"{box.name} jack out {jack} gives {say_figure(level, 1)} dBu at "
                f"{say_figure(reading.rig.alignment_dbfs)} dBFS; consumer gear expects −7.8.",
                consequence=f"It comes {over:.1f} dB too loud and distorts.",
                items=(end.id, box.id),
                mend=partial(one_remedy, f"Set the trim of {box.name} jack out {jack} to {say_figure(trim)} dB", edit),
            )
        )
    return snags
