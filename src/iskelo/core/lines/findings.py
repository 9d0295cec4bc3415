"""What is found about a line: one small rule for each kind of finding, in the order in which they make headlines."""

from collections.abc import Mapping
from typing import Literal, NamedTuple

from iskelo.core.levels.along import first_clip
from iskelo.core.lines.legs import Leg
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Index, Line
from iskelo.core.timing.copies import Comb
from iskelo.core.timing.rates import say_speed, speed

Headline = Literal[
    "silent", "blocked", "crossed", "doubled", "crowded", "off speed", "drifting", "late", "hot", "low", "arrives"
]
HEADLINES: tuple[Headline, ...] = (
    "silent",
    "blocked",
    "crossed",
    "doubled",
    "crowded",
    "off speed",
    "drifting",
    "late",
    "hot",
    "low",
    "arrives",
)


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
) -> tuple[Finding, ...]:
    """Everything found about a line, the headline first.

    Parameters
    ----------
    heard
        Which source ports sound at each target port now.
    others
        The ports of sounds that arrive at the line's targets unwanted.
    """
    quiet = [leg for leg in legs if not leg.arrivals]
    findings: list[Finding] = []
    if _swapped(line, heard):
        findings.append(Finding("crossed", "left and right are swapped"))
    elif len(quiet) == len(legs):
        findings += (_astray(line, found, strays) if legs else []) or _silent_or_blocked(line, quiet, found)
    elif quiet:
        findings += _silent_or_blocked(line, quiet, found)
    if others:
        findings.append(Finding("crowded", f"{', '.join(map(found.say, others))} arrives there too, though alone"))
    if len(quiet) < len(legs):
        findings += [*_doubled(legs, found), *_off_speed(legs, found), *_drifting(legs), *_late(line, legs)]
        findings += [*_hot(line, legs, found), *_low(line, legs)]
    if len(findings) > 1:
        findings.sort(key=lambda finding: HEADLINES.index(finding.kind))
    return tuple(findings) or _ARRIVES


def _swapped(line: Line, heard: Mapping[Port, list[Port]]) -> bool:
    """Whether both legs arrive, but left at right and right at left."""
    if len(line.from_ports) != 2 or len(line.to_ports) != 2:
        return False
    (left, right), (left_end, right_end) = line.from_ports, line.to_ports
    at_left, at_right = heard.get(left_end, ()), heard.get(right_end, ())
    return right in at_left and left in at_right and left not in at_left and right not in at_right


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
        if len(leg.arrivals) < 2:
            continue
        said = f"{len(leg.arrivals)} arrivals at {found.say(leg.end)}"
        if leg.comb is None:
            return [Finding("doubled", said)]
        return [Finding("doubled", f"{said}, {say_comb(leg.comb)}")]
    return []


def say_comb(found: Comb) -> str:
    """Two copies in words: how far apart, which notches."""
    if found.delay_samples == 0:
        return "both at the same time" + (", cancelling each other" if found.inverted else "")
    apart = f"{found.delay_samples} samples = {found.delay_ms:.2f} ms apart"
    if not found.notches_hz:
        return apart
    turned = ", one turned over" if found.inverted else ""
    return f"{apart}{turned}; notches {', '.join(f'{hz:.0f}' for hz in found.notches_hz)} Hz"


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


def _hot(line: Line, legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    for leg in legs:
        for arrival in leg.arrivals:
            clip = first_clip(arrival.route.edges, found)
            if clip is not None:
                at, over_db = clip
                said = f"{found.say(leg.start)} is {over_db:.1f} dB above full scale at {found.say(at)}"
                return [Finding("hot", f"{said}: it clips")]
    if line.highest_dbfs is not None:
        loudest = max((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
        if loudest is not None and loudest > line.highest_dbfs:
            return [Finding("hot", f"{loudest:.1f} dBFS, above its highest of {line.highest_dbfs:g} dBFS")]
    return []


def _low(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    if line.lowest_dbfs is not None:
        softest = min((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
        if softest is not None and softest < line.lowest_dbfs:
            return [Finding("low", f"{softest:.1f} dBFS, under its lowest of {line.lowest_dbfs:g} dBFS")]
    return []
