"""Rules about what gear needs of where it is plugged in: supplies, impedance, consumer and professional levels."""

from functools import partial

from iskelo.core.edits.edit import SetJack, SetOutputTrim, SetTrim, SetValues
from iskelo.core.levels.headroom import FAR_OFF_DB
from iskelo.core.lines.context import Reading
from iskelo.core.planner.moving import move_lead
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.text import few, fold_numbers
from iskelo.core.rig.units import CONSUMER_BELOW_PROFESSIONAL_DB, DBV_TO_DBU, PROFESSIONAL_DBU, say_figure
from iskelo.core.snags.reach import lines_from
from iskelo.core.snags.rule import Remedy, Snag, distinct, if_so, joining, one_remedy, rule
from iskelo.core.wiring.edge import input_gain_db, lead_gain_db


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
