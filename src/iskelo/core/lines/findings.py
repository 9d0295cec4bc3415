"""What is found about a line: one small rule for each kind of finding, in the order in which they make headlines."""

from collections.abc import Mapping
from typing import Literal, NamedTuple, get_args

from iskelo.core.levels.along import first_short
from iskelo.core.levels.headroom import SUM_HEADROOM_DB, TOLERANCE_DB, needed_db
from iskelo.core.lines.legs import Arrival, Leg
from iskelo.core.lines.passing import goes_otherwise
from iskelo.core.lines.sides import apart, crossed_sides, half_silent, side_of
from iskelo.core.lines.sums import MEETING, Sum, Sums, met_at
from iskelo.core.lines.taps import tap_of
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line
from iskelo.core.timing.delays import latest
from iskelo.core.timing.rates import PLAIN, speed
from iskelo.core.values import Fact, fact

Headline = Literal[
    "silent",
    "half silent",
    "blocked",
    "crossed",
    "howls",
    "doubled",
    "crowded",
    "other way",
    "off speed",
    "drifting",
    "inverted",
    "other tap",
    "skewed",
    "rings",
    "late",
    "hot",
    "low",
    "arrives",
]
HEADLINES: tuple[Headline, ...] = get_args(Headline)


class Finding(NamedTuple):
    """One thing found about a line: its kind, and the fact that ``words/`` tells."""

    kind: Headline
    fact: Fact


_ARRIVES = (Finding("arrives", fact("arrives")),)

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
            findings += (_astray(line, strays) if legs else []) or _silent_or_blocked(line, quiet)
    elif quiet and (gone := half_silent(line, legs, quiet, heard)) is not None:
        findings.append(Finding("half silent", gone))
    if others:
        findings.append(Finding("crowded", fact("strangers", ports=others)))
    if len(quiet) < len(legs):
        other_way = goes_otherwise(line, legs, found)
        if other_way is not None:
            findings.append(Finding("other way", other_way))
        if True in [bool(leg.rings) for leg in legs]:
            findings += _going_round(legs)
        findings += [*_doubled(legs), *_off_speed(legs, found), *_drifting(legs), *_inverted(line, legs)]
        findings += _other_tap(line, legs)
        if len(legs) > 1:
            findings += [Finding("skewed", each) for each in apart(line, legs, found)]
        findings += [*_late(line, legs), *_hot(line, legs, found, sums), *_low(line, legs)]
    if len(findings) > 1:
        findings.sort(key=lambda finding: HEADLINES.index(finding.kind))
    return tuple(findings) or _ARRIVES


def _astray(line: Line, strays: Strays) -> list[Finding]:
    """A line that does not arrive where it is wanted, but where another one is."""
    for start in line.from_ports:
        for end, owner in strays.get(start, ()):
            if owner.purpose == line.purpose:
                return [Finding("crossed", fact("astray", start=start, end=end, owner=owner.id))]
    return []


def _silent_or_blocked(line: Line, quiet: list[Leg]) -> list[Finding]:
    """Why legs do not arrive: the first gap and the first way that is shut."""
    if not line.from_ports:
        return [Finding("silent", fact("no source"))]
    if not line.to_ports:
        return [Finding("silent", fact("no target"))]
    findings = []
    for leg in quiet:
        if leg.arrivals:
            return [Finding("silent", fact("copies cancel", copies=len(leg.arrivals), end=leg.end))]
    for leg in quiet:
        if leg.gap is not None:
            findings.append(Finding("silent", fact("gap", gap=leg.gap)))
            break
    for leg in quiet:
        if leg.blocks:
            shut = tuple(block.fact for block in leg.blocks)
            findings.append(Finding("blocked", fact("shut", start=leg.start, end=leg.end, blocks=shut)))
            break
    return findings


def _doubled(legs: tuple[Leg, ...]) -> list[Finding]:
    for leg in legs:
        if len(leg.arrivals) < 2 or not leg.sounds or _summed(leg.arrivals):
            continue
        copies = len(leg.arrivals)
        if leg.comb is None:
            return [Finding("doubled", fact("doubled", copies=copies, end=leg.end))]
        return [Finding("doubled", fact("doubled apart", copies=copies, end=leg.end, comb=leg.comb))]
    return []


def _summed(arrivals: tuple[Arrival, ...]) -> bool:
    """Whether these are but the two sides of a stereo mix, put together again at once where it becomes mono."""
    first = arrivals[0]
    passed = [(edge.kind, edge.owner) for edge in first.route.edges]
    return all(
        each.delay.seconds == first.delay.seconds
        and each.delay.spread == first.delay.spread
        and [(edge.kind, edge.owner) for edge in each.route.edges] == passed
        for each in arrivals[1:]
    )


def _going_round(legs: tuple[Leg, ...]) -> list[Finding]:
    """What goes round between a line's sources and its targets: once for each knot."""
    rings = dict.fromkeys(ring for leg in legs for ring in leg.rings if ring.is_heard)
    return [Finding("rings" if each.verdict == "rings" else "howls", fact("goes round", ring=each)) for each in rings]


def _off_speed(legs: tuple[Leg, ...], found: Index) -> list[Finding]:
    """What a program sounds runs at its device's rate, and so does what it records, whatever it believes.

    Two that cancel each other leave a file that is right here alone, and a sound that is wrong where it is heard.
    """
    for leg in legs:
        if not leg.arrivals:
            continue
        plays, keeps = (
            speed(found, found.items[port.owner].program) if port.bank == bank else PLAIN
            for port, bank in ((leg.start, "voice"), (leg.end, "track"))
        )
        if plays != 1 and keeps != 1:
            both = fact("off speed twice", start=leg.start, ratio=plays, end=leg.end, kept=1 / keeps)
            return [Finding("off speed", both)]
        if plays != 1:
            return [Finding("off speed", fact("off speed", start=leg.start, ratio=plays))]
        if keeps != 1:
            return [Finding("off speed", fact("recorded off speed", end=leg.end, ratio=1 / keeps))]
    return []


def _drifting(legs: tuple[Leg, ...]) -> list[Finding]:
    """Sound that passes between two clocks with nothing to make up for it."""
    for leg in legs:
        for arrival in leg.arrivals:
            if arrival.drift is not None:
                return [Finding("drifting", arrival.drift)]
    return []


def _late(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    if line.longest_delay_ms is None:
        return []
    worst = latest(arrival.delay for leg in legs for arrival in leg.arrivals)
    if worst is None or worst.most_ms <= line.longest_delay_ms:
        return []
    limit_ms, ms = line.longest_delay_ms, worst.ms
    if worst.spread:
        if ms <= limit_ms:
            return [Finding("late", fact("may be late", ms=ms, most_ms=worst.most_ms, limit_ms=limit_ms))]
        return [Finding("late", fact("late in any case", ms=ms, most_ms=worst.most_ms, limit_ms=limit_ms))]
    return [Finding("late", fact("late", ms=ms, over_ms=ms - limit_ms, limit_ms=limit_ms))]


def _inverted(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    """Sound whose polarity is reversed on the way, and where."""
    if -1 not in [arrival.route.sign for leg in legs for arrival in leg.arrivals]:
        return []
    sounding = [leg for leg in legs if leg.sounds]
    turned = [leg for leg in sounding if any(arrival.sign < 0 for arrival in leg.arrivals)]
    if not turned:
        return []
    by = [lead for leg in turned for each in leg.arrivals for lead in _turns(each)]
    if len(turned) < len(sounding) and line.mixed:
        starts = tuple({leg.start.owner: leg.start for leg in turned}.values())
        return [Finding("inverted", fact("some of a mix inverted", starts=starts, by=by))]
    if len(turned) < len(sounding):
        sides = tuple(dict.fromkeys(side_of(line, leg) for leg in turned))
        return [Finding("inverted", fact("one side inverted", sides=sides, by=by))]
    return [Finding("inverted", fact("inverted", by=by))]


def _other_tap(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    """Sound that is taken at another tap of a mixer than the line wants."""
    if line.tap == "any" or line.purpose != "record":
        return []
    for leg in legs:
        for arrival in leg.arrivals:
            tap = tap_of(arrival.route.edges)
            if tap != line.tap:
                return [Finding("other tap", fact("other tap", tap=fact(tap), wanted=fact(line.tap), end=leg.end))]
    return []


def _turns(arrival: Arrival) -> list[Fact]:
    """The leads that reverse what arrives by this way; two of them make it right again."""
    leads = [edge for edge in arrival.route.edges if edge.sign < 0 and arrival.sign < 0]
    return [
        fact("the strip", strip=edge.owner)
        if edge.kind == "source"
        else fact("the lead", start=edge.start, end=edge.end)
        for edge in leads
    ]


def _hot(line: Line, legs: tuple[Leg, ...], found: Index, sums: Sums) -> list[Finding]:
    """Where there is less headroom than there must be, by itself or in a sum; else a level above the line's window."""
    for leg in legs:
        needed = needed_db(line, leg.start, found)
        for arrival in leg.arrivals:
            short = first_short(arrival.route.edges, found, needed, arrival.raised)
            if short is not None:
                edge, room = short
                told = {"start": leg.start, "end": edge.end}
                if room < 0:
                    return [Finding("hot", fact("clips", **told, over_db=-room))]
                return [Finding("hot", fact("little headroom", **told, room_db=room, needed_db=needed))]
    for leg in legs:
        for arrival in leg.arrivals:
            for met in [met_at(edge) for edge in arrival.route.edges if edge.kind in MEETING]:
                total = sums.at(met) if met is not None else None
                if met is not None and total is not None and total.is_too_loud:
                    return [Finding("hot", _too_loud(total, met))]
    if line.highest_dbfs is not None:
        loudest = max((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
        if loudest is not None and loudest > line.highest_dbfs + TOLERANCE_DB:
            return [Finding("hot", fact("above its highest", level=loudest, limit=line.highest_dbfs))]
    return []


def _too_loud(total: Sum, at: Port) -> Fact:
    """A sum that leaves too little headroom, against full scale or against what a mix carries."""
    others, level, wanted = len({start.owner for start in total.starts}) - 1, total.level, SUM_HEADROOM_DB
    if at.bank != "mix":
        return fact("sum too loud", others=others, level=level, at=at, needed_db=wanted)
    carried = {"unit": total.unit, "highest": total.highest}
    return fact("sum too loud in a mix", others=others, level=level, at=at, needed_db=wanted, **carried)


def _low(line: Line, legs: tuple[Leg, ...]) -> list[Finding]:
    if line.lowest_dbfs is not None:
        softest = min((leg.level_dbfs for leg in legs if leg.level_dbfs is not None), default=None)
        if softest is not None and softest < line.lowest_dbfs - TOLERANCE_DB:
            return [Finding("low", fact("under its lowest", level=softest, limit=line.lowest_dbfs))]
    return []
