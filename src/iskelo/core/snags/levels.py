"""Rules about levels: clipping, the window, supplies, impedance, consumer and professional gear."""

from functools import partial
from typing import Literal

from iskelo.core.edits.edit import Edit, SetJack, SetOutputTrim, SetTrim, SetValues
from iskelo.core.levels.along import levels_along
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Destination, Interface, Source
from iskelo.core.rig.ports import Port
from iskelo.core.rig.units import CONSUMER_BELOW_PROFESSIONAL_DB, DBV_TO_DBU, PROFESSIONAL_DBU
from iskelo.core.snags.reach import lines_from, with_finding
from iskelo.core.snags.rule import Remedy, Severity, Snag, distinct, one_remedy
from iskelo.core.wiring.graph import input_gain_db

ALIGNMENT_DBFS = -18.0
"""Where an input's trim is set to. EBU R 68 alignment level, from memory."""

FAR_OFF_DB = 9.0
"""A level this far from alignment is told; common practice, no published source."""


def line_hot(reading: Reading) -> list[Snag]:
    """The nominal level clips somewhere on the route, or is above the line's window."""
    consequence = "What is above full scale is cut off; no later gain brings it back."
    return _off_level(reading, "hot", "trouble", "too loud", consequence)


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
            mend=partial(_trimmed, reading, state),
        )
        for state, words in with_finding(reading, kind)
    ]


def _trimmed(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Set the trims on the way so that the line comes at alignment, or into its window."""
    wanted = _aim(state.line.lowest_dbfs, state.line.highest_dbfs)
    remedies: list[Remedy] = []
    jacks: dict[Port, float] = {}
    outs: dict[Port, float] = {}
    for leg in state.legs:
        for arrival in leg.arrivals:
            edges = arrival.route.edges
            box_edges = [edge for edge in edges if edge.kind in ("capture", "direct")]
            if box_edges:
                jack = box_edges[0].start
                box = reading.found.gear[jack.owner]
                assert isinstance(box, Interface)
                jacks[jack] = box.trims_db[jack.number - 1] + wanted - arrival.level_dbfs
            over = [step for step in levels_along(edges, reading.found) if step.over_db > 0]
            ends = [edge for edge in edges if edge.kind == "lead out"]
            if ends and over and over[-1].port == ends[0].end:
                jack = ends[0].start
                box = reading.found.gear[jack.owner]
                assert isinstance(box, Interface)
                outs[jack] = box.output_trims_db[jack.number - 1] - over[-1].over_db
    if jacks:
        edits: list[Edit] = [
            SetTrim(interface=jack.owner, jack_in=jack.number, trim_db=max(-144.0, min(60.0, round(trim, 1))))
            for jack, trim in jacks.items()
        ]
        first, trim = next(iter(jacks.items()))
        words = f"Set the trim of {reading.found.say(first)} to {round(trim, 1):g} dB: {wanted:g} dBFS"
        remedies.append(Remedy(words, tuple(edits)))
    if outs:
        edits = [
            SetOutputTrim(interface=jack.owner, jack_out=jack.number, trim_db=max(-144.0, round(trim, 1)))
            for jack, trim in outs.items()
        ]
        first, trim = next(iter(outs.items()))
        words = f"Set the trim of {reading.found.say(first)} to {trim:.1f} dB: it just does not clip"
        remedies.insert(0, Remedy(words, tuple(edits)))
    for leg in state.legs:
        start = leg.start
        if start.bank == "voice" and leg.level_dbfs is not None and not jacks:
            level = max(-144.0, min(0.0, round(reading.found.level(start) + wanted - leg.level_dbfs)))
            words = f"Set the level of {reading.found.name(start.owner)} to {level:g} dBFS"
            remedies.append(Remedy(words, (SetValues(item=start.owner, values={"level_dbfs": level}),)))
    return distinct(remedies)


def _aim(low: float | None, high: float | None) -> float:
    """Alignment where the window takes it in, else a decibel inside the window's nearer end, in dBFS."""
    inside = 1.0 if low is None or high is None else min(1.0, (high - low) / 2)
    wanted = ALIGNMENT_DBFS if low is None else max(ALIGNMENT_DBFS, low + inside)
    return wanted if high is None else min(wanted, high - inside)


def _plugged(reading: Reading) -> list[tuple[Source, Interface, int]]:
    """Every source in an input jack."""
    found = []
    for patch in reading.rig.patches:
        if patch.to_port.bank == "jack_in":
            source, box = reading.found.gear[patch.from_port.owner], reading.found.gear[patch.to_port.owner]
            if isinstance(source, Source) and isinstance(box, Interface):
                found.append((source, box, patch.to_port.number))
    return found


def phantom_missing(reading: Reading) -> list[Snag]:
    """A microphone that needs phantom supply is in a jack where it is off, or that has none."""
    snags = []
    for source, box, jack in _plugged(reading):
        if not source.needs_phantom or jack in box.phantom_on:
            continue
        able = box.able_jacks("phantom")
        where = f"{box.name} jack in {jack}"
        snags.append(
            Snag(
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
        )
    return snags


def _supply(reading: Reading, source: Source, box: Interface, jack: int) -> tuple[Remedy, ...]:
    if jack <= box.able_jacks("phantom"):
        edit = SetJack(interface=box.id, jack_in=jack, phantom=True)
        return one_remedy(f"Switch phantom supply on at {box.name} jack in {jack}", edit)
    off = SetValues(item=source.id, values={"needs_phantom": False})
    return one_remedy(f"{source.name} has its own supply (say so on it)", off)


def high_impedance_missing(reading: Reading) -> list[Snag]:
    """An instrument that needs a high-impedance input is in a jack that is not set to it."""
    snags = []
    for source, box, jack in _plugged(reading):
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
                mend=partial(_impedance, source, box, jack),
            )
        )
    return snags


def _impedance(source: Source, box: Interface, jack: int) -> tuple[Remedy, ...]:
    if jack <= box.able_jacks("instrument"):
        edit = SetJack(interface=box.id, jack_in=jack, high_impedance=True)
        return one_remedy(f"Set {box.name} jack in {jack} to high impedance", edit)
    off = SetValues(item=source.id, values={"needs_high_impedance": False})
    return one_remedy(f"{source.name} goes through a box of its own that does it (say so on it)", off)


def consumer_and_professional(reading: Reading) -> list[Snag]:
    """Consumer gear (-10 dBV) and professional gear (+4 dBu) are joined without making up the 11.8 dB."""
    snags = []
    for source, box, jack in _plugged(reading):
        if source.level_unit != "dBV" or source.source_kind != "line player":
            continue
        level = source.level_dbu + input_gain_db(box, jack)
        if level > ALIGNMENT_DBFS - FAR_OFF_DB:
            continue
        trim = round(box.trims_db[jack - 1] + ALIGNMENT_DBFS - level, 1)
        edit = SetTrim(interface=box.id, jack_in=jack, trim_db=max(-144.0, min(60.0, trim)))
        snags.append(
            Snag(
                key=f"consumer-and-professional:{source.id}:{box.id}:{jack}",
                rule="consumer-and-professional",
                severity="risk",
                title=f"{source.name} is consumer gear in a professional input",
                evidence=f"Its {source.level_dbu - DBV_TO_DBU:.1f} dBV are {source.level_dbu:.1f} dBu, "
                f"{PROFESSIONAL_DBU - source.level_dbu:.1f} dB under +4 dBu; {box.name} jack in {jack} "
                f"makes {level:.1f} dBFS of it.",
                consequence=f"It comes about {CONSUMER_BELOW_PROFESSIONAL_DB:.1f} dB too quiet, with more noise.",
                items=(source.id, box.id),
                lines=lines_from(reading, source.id),
                mend=partial(one_remedy, f"Set the trim of {box.name} jack in {jack} to {trim:g} dB", edit),
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
        level = ALIGNMENT_DBFS + box.output_full_scale_dbu + box.output_trims_db[jack - 1] + patch.gain_db
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
                evidence=f"{box.name} jack out {jack} gives {level:.1f} dBu at -18 dBFS; consumer gear expects -7.8.",
                consequence=f"It comes {over:.1f} dB too loud and distorts.",
                items=(end.id, box.id),
                mend=partial(one_remedy, f"Set the trim of {box.name} jack out {jack} to {trim:g} dB", edit),
            )
        )
    return snags
