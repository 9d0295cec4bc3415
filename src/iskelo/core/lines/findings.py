"""What is found about a line: one small rule for each kind of finding, in the order in which they make headlines."""

from collections.abc import Mapping
from typing import Literal, NamedTuple, get_args

from iskelo.core.levels.along import first_short
from iskelo.core.levels.headroom import SUM_HEADROOM_DB, TOLERANCE_DB, needed_db
from iskelo.core.lines.legs import Arrival, Leg
from iskelo.core.lines.rings import say_ringing
from iskelo.core.lines.sides import apart, crossed_sides, say_half, side_of
from iskelo.core.lines.sums import Sums
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line
from iskelo.core.rig.units import say_figure
from iskelo.core.timing.copies import Comb
from iskelo.core.timing.rates import say_speed, speed

Headline = Literal[
    "silent",
    "half silent",
    "blocked",
    "crossed",
    "howls",
    "doubled",
    "crowded",
    "off speed",
    "drifting",
    "inverted",
    "skewed",
    "rings",
    "late",
    "hot",
    "low",
    "arrives",
]
HEADLINES: tuple[Headline, ...] = get_args(Headline)


class Finding(NamedTuple):
    """One thing found about a line: its kind and what is told with it, in words."""

    kind: Headline
    words: str


_ARRIVES = (Finding("arrives", "arrives once, within its limits"),)

Strays = dict[Port, list[tuple[Port, Line]]]
"""For each source port the guarded targets where it sounds although no line wants it there, and whose they are."""


def findings_of(
    line: Line,
    legs: tuple[Leg, ...],
    found: Index,
    heard: Mapping[Port, list[Port]],
    strays: Strays,
    others: tuple[Port, ...],
    sums: Sums,
) -> tuple[Finding, ...]:
    """Everything found about a line, the headline first.

    Parameters
    ----------
    heard
        Which source ports sound at each target port now.
    others
        The ports of sounds that arrive at the line's targets unwanted.
    sums
        What different sources add up to at playback channels.
    """
    quiet = [leg for leg in legs if not leg.sounds]
    findings: list[Finding] = []
    crossed = crossed_sides(line, heard)
    if crossed:
        findings.append(Finding("crossed", crossed))
    if len(quiet) == len(legs):
        if not crossed:
            findings += (_astray(line, found, strays) if legs else []) or _silent_or_blocked(line, quiet, found)
    elif quiet:
        findings.append(Finding("half silent", say_half(line, legs, quiet, found)))
    if others:
        findings.append(Finding("crowded", f"{', '.join(map(found.say, others))} arrives there too, though alone"))
    if len(quiet) < len(legs):
        if any(leg.rings for leg in legs):
            findings += _going_round(legs, found)
        findings += [*_doubled(legs, found), *_off_speed(legs, found), *_drifting(legs), *_inverted(line, legs, found)]
        findings += [Finding("skewed", words) for words in apart(line, legs, found)]
        findings += [*_late(line, legs), *_hot(line, legs, found, sums), *_low(line, legs)]
    if len(findings) > 1:
        findings.sort(key=lambda finding: HEADLINES.index(finding.kind))
    return tuple(findings) or _ARRIVES


def _astray(line: Line, found: Index, strays: Strays) -> list[Finding]:
    """A line that does not arrive where it is wanted, but where another one is."""
    for start in line.from_ports:
        for end, owner in strays.get(start, ()):
            if owner.purpose == line.purpose:
                said = f"{found.say(start)} arrives at {found.say(end)}, where {owner.name} belongs"
                return [Finding("crossed", said)]
    return []


def _silent_or_blocked(line: Line, quiet: list[Leg], found: Index) -> list[Finding]:
    """Why legs do not arrive: the first gap and the first way that is shut."""
    if not line.from_ports:
        return [Finding("silent", "no source is said yet")]
    if not line.to_ports:
        return [Finding("silent", "no target is said yet")]
    findings = []
    for leg in quiet:
        if leg.arrivals:
            said = f"{len(leg.arrivals)} copies at {found.say(leg.end)} cancel each other: nothing is left"
            return [Finding("silent", said)]
    for leg in quiet:
        if leg.gap is not None:
            findings.append(Finding("silent", leg.gap.words(found)))
            break
    for leg in quiet:
        if leg.blocks:
            said = " and ".join(block.words for block in leg.blocks)
            findings.append(Finding("blocked", f"{found.say(leg.start)} → {found.say(leg.end)}: {said}"))
            break
    return findings


def _doubled(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    for leg in legs:
        if len(leg.arrivals) < 2 or not leg.sounds:
            continue
        said = f"{len(leg.arrivals)} arrivals at {found.say(leg.end)}"
        if leg.comb is None:
            return [Finding("doubled", said)]
        return [Finding("doubled", f"{said}, {say_comb(leg.comb)}")]
    return []


def say_comb(found: Comb) -> str:
    """Two copies in words: how far apart, which notches."""
    if found.delay_samples == 0:
        return "both at the same time" + (", one with its polarity reversed" if found.inverted else "")
    apart = f"{found.delay_samples:g} samples = {found.delay_ms:.2f} ms apart"
    if not found.notches_hz:
        return apart
    turned = ", one with its polarity reversed" if found.inverted else ""
    return f"{apart}{turned}; notches {', '.join(f'{hz:.0f}' for hz in found.notches_hz)} Hz"


def _going_round(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    """What goes round between a line's sources and its targets: once for each knot."""
    rings = dict.fromkeys(ring for leg in legs for ring in leg.rings if ring.is_heard)
    return [Finding("rings" if each.verdict == "rings" else "howls", say_ringing(each, found)) for each in rings]


def _off_speed(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    """What a program sounds itself runs at its device's rate, whatever it was made for."""
    for leg in legs:
        if not leg.arrivals or leg.start.bank != "voice":
            continue
        program = found.items[leg.start.owner].program
        ratio = speed(found, program)
        if ratio != 1:
            return [Finding("off speed", f"{found.say(leg.start)} plays {say_speed(ratio)}")]
    return []


def _drifting(legs: tuple[Leg, ...]) -> list[Finding]:
    """Sound that passes between two clocks with nothing to make up for it."""
    for leg in legs:
        for arrival in leg.arrivals:
            if arrival.drift:
                return [Finding("drifting", arrival.drift)]
    return []


def _late(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    if line.longest_delay_ms is None:
        return []
    worst = max((a.delay for leg in legs for a in leg.arrivals), key=lambda delay: delay.ms, default=None)
    if worst is None or worst.ms <= line.longest_delay_ms:
        return []
    over = worst.ms - line.longest_delay_ms
    return [Finding("late", f"{worst.ms:.2f} ms, {over:.2f} ms over its limit of {line.longest_delay_ms:g} ms")]


def _inverted(line: Line, legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    """Sound whose polarity is reversed on the way, and where."""
    sounding = [leg for leg in legs if leg.sounds]
    turned = [leg for leg in sounding if any(arrival.sign < 0 for arrival in leg.arrivals)]
    if not turned:
        return []
    where = " and ".join(dict.fromkeys(lead for leg in turned for each in leg.arrivals for lead in _turns(each, found)))
    if len(turned) < len(sounding):
        sides = " and ".join(dict.fromkeys(side_of(line, leg) for leg in turned))
        return [Finding("inverted", f"the polarity of the {sides} side is reversed, of the other not: by {where}")]
    return [Finding("inverted", f"it arrives with its polarity reversed: by {where}")]


def _turns(arrival: Arrival, found: Index) -> list[str]:
    """The leads that reverse what arrives by this way; two of them make it right again."""
    leads = [edge for edge in arrival.route.edges if edge.sign < 0 and arrival.sign < 0]
    return [f"the lead {found.say(edge.start)} → {found.say(edge.end)}" for edge in leads]


def _hot(line: Line, legs: tuple[Leg, ...], found: Index, sums: Sums) -> list[Finding]:
    """Where there is less headroom than there must be, by itself or in a sum; else a level above the line's window."""
    for leg in legs:
        needed = needed_db(line, leg.start, found)
        for arrival in leg.arrivals:
            short = first_short(arrival.route.edges, found, needed)
            if short is not None:
                edge, room = short
                who, where = found.say(leg.start), found.say(edge.end)
                if room < 0:
                    return [Finding("hot", f"{who} is {-room:.1f} dB above full scale at {where}: it clips")]
                return [Finding("hot", f"{who} has {room:.1f} dB of headroom at {where}, {needed:g} are wanted")]
    for leg in legs:
        for arrival in leg.arrivals:
            for edge in arrival.route.edges:
                total = sums.at(edge.start) if edge.kind == "playback" else None
                if total is not None and total.level_dbfs > TOLERANCE_DB - SUM_HEADROOM_DB:
                    others = len({start.owner for start in total.starts}) - 1
                    said = f"with {others} other source{'s' if others > 1 else ''} it adds up to"
                    where = f"{say_figure(total.level_dbfs, 1)} dBFS at {found.say(edge.start)}"
                    return [Finding("hot", f"{said} {where}; {SUM_HEADROOM_DB:g} dB of headroom are wanted there")]
    if line.highest_dbfs is not None:
        loudest = max((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
        if loudest is not None and loudest > line.highest_dbfs + TOLERANCE_DB:
            return [
                Finding(
                    "hot", f"{say_figure(loudest, 1)} dBFS, above its highest of {say_figure(line.highest_dbfs)} dBFS"
                )
            ]
    return []


def _low(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    if line.lowest_dbfs is not None:
        softest = min((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
        if softest is not None and softest < line.lowest_dbfs - TOLERANCE_DB:
            return [
                Finding(
                    "low", f"{say_figure(softest, 1)} dBFS, under its lowest of {say_figure(line.lowest_dbfs)} dBFS"
                )
            ]
    return []
