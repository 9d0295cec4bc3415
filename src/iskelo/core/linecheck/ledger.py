"""The ledger of a line check: for each target, what was wanted and heard, predicted and measured."""

import math
from collections.abc import Collection
from dataclasses import dataclass, replace
from fractions import Fraction

from iskelo.core.levels.headroom import needed_db
from iskelo.core.levels.units import db_to_ratio, ratio_to_db
from iskelo.core.linecheck.drifting import Expected, expected_drift
from iskelo.core.linecheck.rows import CopyRow, Ledger, LineRow, SoundRow, TargetRow
from iskelo.core.linecheck.slipping import moved_by, moves, slips_between, tellable
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.proof import mark
from iskelo.core.lines.sides import LEFT_RIGHT
from iskelo.core.lines.state import LineState
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.rig.units import say_figure
from iskelo.core.routes.route import passing_routes
from iskelo.core.signals.comb import PERIOD_SECONDS
from iskelo.core.signals.detect import Copy, Heard
from iskelo.core.timing.delays import delay_of
from iskelo.core.twin.told import Missed, Slipped


@dataclass(frozen=True, slots=True)
class TargetHeard:
    """A take's channel with what detection heard in it."""

    target: Port
    rate_hz: int
    noise_rms: float
    heard: tuple[Heard, ...]


CANCELLED = 1e-4
"""What is left of copies that cancel is so small a share of one of them: gains are typed in tenths of a decibel."""

SAME_LEVEL_DB = 0.5
"""A measured level this close to the predicted one is that level: noise and filters move it by less."""

Prediction = tuple[int, float, int]
"""A copy's delay in samples, its level, its polarity."""


def dbfs(rms: float) -> float:
    """Level of an RMS value: a full-scale sine is 0 dBFS (AES17). Example: 0.7071 gives 0 dBFS."""
    return ratio_to_db(max(rms, 1e-12) * math.sqrt(2))


def write_ledger(
    rig: Rig,
    targets: list[TargetHeard],
    sources: list[Port],
    offset_db: float,
    only: Collection[str] | None = None,
    missed: tuple[Missed, ...] = (),
    slips: tuple[Slipped, ...] = (),
) -> Ledger:
    """Set what was heard beside what was wanted and predicted.

    Parameters
    ----------
    rig
        The rig that was run.
    targets
        What was heard at each target; sources are numbered as in ``sources``.
    offset_db
        How far above its nominal level each source was played; the ledger's levels are at nominal level.
    missed
        Programs whose work was counted: a line through one that missed a block has gaps, and is not proved.
    """
    reading = read(rig)
    wanted: dict[Port, list[tuple[LineState, Port]]] = {}
    for state in reading.lines:
        for start, end in state.line.pairs():
            wanted.setdefault(end, []).append((state, start))
    rows = tuple(
        _target(channel, target, sources, wanted.get(target.target, []), reading, offset_db, slips)
        for channel, target in enumerate(targets)
    )
    lines = tuple(
        replace(_gaps(state, missed) or _line(state, rows, reading, slips), mark=mark(state))
        for state in reading.lines
        if only is None or state.line.id in only
    )
    rows = tuple(_with_lines(row, reading, lines) for row in rows)
    return Ledger(
        rows,
        lines,
        as_wanted=sum(1 for line in lines if line.proved),
        wanted=len(lines),
        agreeing=sum(1 for row in rows if row.agrees and not row.untold),
        offset_db=offset_db,
        missed=missed,
        slips=slips,
        untold=sum(1 for row in rows if row.untold),
    )


def _with_lines(row: TargetRow, reading: Reading, lines: tuple[LineRow, ...]) -> TargetRow:
    """What is heard at a target is as wanted only if the lines that want it there are proved."""
    failed = {line.line: line for line in lines if not line.proved}
    if row.state != "as wanted":
        return row
    for state in reading.lines:
        line = failed.get(state.line.id)
        if line is not None and row.target in state.line.to_ports:
            return replace(
                row, state=state.headline if state.headline != "arrives" else "not as wanted", words=line.words
            )
    return row


def _gaps(state: LineState, missed: tuple[Missed, ...]) -> LineRow | None:
    """The line's verdict if one of the programs on its ways missed blocks."""
    passed = {edge.owner for leg in state.legs for arrival in leg.arrivals for edge in arrival.route.edges}
    for each in missed:
        if each.missed and each.program in passed:
            words = f"gaps: {each.name} missed {each.missed} of {each.blocks} blocks"
            return LineRow(state.line.id, state.line.name, False, words)
    return None


def _target(
    channel: int,
    target: TargetHeard,
    sources: list[Port],
    wanted: list[tuple[LineState, Port]],
    reading: Reading,
    offset_db: float,
    slips: tuple[Slipped, ...],
) -> TargetRow:
    found = reading.found
    wanted_ports = list(dict.fromkeys(start for _, start in wanted))
    sounds = [
        _sound(heard, target, sources[heard.source], wanted_ports, reading, offset_db, slips) for heard in target.heard
    ]
    sounds.sort(key=lambda row: -max(copy.level_dbfs for copy in row.copies))
    state, words = _verdict(target, wanted, wanted_ports, sounds, reading, slips)
    agrees, worst, untold = _agreement(target, sounds, sources, reading, slips)
    return TargetRow(
        channel=channel,
        target=target.target,
        name=found.say(target.target),
        rate_hz=target.rate_hz,
        noise_dbfs=dbfs(target.noise_rms),
        wanted=tuple(found.say(port) for port in wanted_ports),
        sounds=tuple(sounds),
        state=state,
        words=words,
        agrees=agrees,
        worst_difference_samples=worst,
        untold=untold,
    )


def _sound(
    heard: Heard,
    target: TargetHeard,
    source: Port,
    wanted: list[Port],
    reading: Reading,
    offset_db: float,
    slips: tuple[Slipped, ...],
) -> SoundRow:
    predicted = _predicted(reading, source, target)
    clock = expected_drift(reading, source, target.target)
    met = slips_between(reading, source, target.target, slips)
    rows = []
    for copy, match in _unmoved(heard.copies, predicted, met, clock, int(PERIOD_SECONDS * target.rate_hz)):
        rows.append(
            CopyRow(
                delay_samples=round(copy.delay_samples, 3),
                delay_ms=1000 * copy.delay_samples / target.rate_hz,
                level_dbfs=dbfs(copy.gain) - offset_db,
                polarity=copy.polarity,
                predicted_samples=match[0] if match else None,
                predicted_level_dbfs=match[1] if match else None,
                predicted_polarity=match[2] if match else None,
            )
        )
    return SoundRow(
        source=source,
        name=reading.found.say(source),
        wanted=source in wanted,
        copies=tuple(rows),
        drift_ppm=round(heard.drift_ppm, 3),
        drift_known_ppm=clock.known_ppm,
        drift_worst_ppm=clock.worst_ppm,
        jumps=heard.jumps or tuple(sorted({slip.samples for slip in met if len(rows) < len(heard.copies)})),
    )


def _unmoved(
    copies: tuple[Copy, ...],
    predicted: list[Prediction],
    met: tuple[Slipped, ...],
    clock: Expected,
    period_samples: int,
) -> list[tuple[Copy, Prediction | None]]:
    """Copies with what was predicted for each; of those that slips made of one sound, the loudest."""
    told = [(copy, _closest(copy, predicted)) for copy in copies]
    if not met:
        return told
    by = moves(met)
    loudest: dict[Prediction, Copy] = {}
    others: list[tuple[Copy, Prediction | None]] = []
    for copy, _ in told:
        for each in predicted:
            within = clock.tolerance(each[0]) + clock.worst_ppm * 1e-6 * max(by)
            if moved_by(copy.delay_samples, each[0], by, within, period_samples) is not None:
                if each not in loudest or copy.gain > loudest[each].gain:
                    loudest[each] = copy
                break
        else:
            others.append((copy, _closest(copy, predicted)))
    one_each: list[tuple[Copy, Prediction | None]] = [(copy, each) for each, copy in loudest.items()]
    return sorted([*one_each, *others], key=lambda each: each[0].delay_samples)


def _predicted(reading: Reading, source: Port, target: TargetHeard) -> list[Prediction]:
    """Delay, level and polarity of every copy that should arrive, earliest first.

    In samples of the take: a box that runs at another rate than the rig says (a fault) counts others. Copies that come
    at once are heard as one, or cancel each other.
    """
    at_once: dict[int, list[float]] = {}
    for route in passing_routes(reading.graph, source, target.target):
        delay = delay_of(route.edges, reading.found)
        samples = round(Fraction(delay.samples * target.rate_hz, delay.rate_hz or target.rate_hz))
        level = reading.found.level(source) + route.gain_db
        at_once.setdefault(samples, []).append(route.sign * db_to_ratio(level))
    copies = []
    for samples, amplitudes in sorted(at_once.items()):
        together = sum(amplitudes)
        if abs(together) > CANCELLED * max(map(abs, amplitudes)):
            copies.append((samples, ratio_to_db(abs(together)), 1 if together > 0 else -1))
    return copies


def _closest(copy: Copy, predicted: list[Prediction]) -> Prediction | None:
    return min(predicted, key=lambda each: abs(each[0] - copy.delay_samples), default=None)


def _is_broken_up(
    reading: Reading, wanted: list[tuple[LineState, Port]], target: TargetHeard, slips: tuple[Slipped, ...]
) -> bool:
    """Whether a wanted sound slips so often that nothing of it can be told."""
    for _, start in wanted:
        met = slips_between(reading, start, target.target, slips)
        late = max((samples for samples, _, _ in _predicted(reading, start, target)), default=0)
        if met and not tellable(met, late / target.rate_hz):
            return True
    return False


def _verdict(
    target: TargetHeard,
    wanted: list[tuple[LineState, Port]],
    wanted_ports: list[Port],
    sounds: list[SoundRow],
    reading: Reading,
    slips: tuple[Slipped, ...],
) -> tuple[str, str]:
    by_source = {row.source: row for row in sounds}
    missing = [port for port in wanted_ports if port not in by_source]
    broken = next((state for state, _ in wanted if state.has("drifting")), None) if slips else None
    if broken is not None and (missing or _is_broken_up(reading, wanted, target, slips)):
        return "drifting", say_broken_up(broken, slips)
    if missing:
        cancel = any(_cancelled(state, port, target.target) for state, _ in wanted for port in missing)
        why = ": two copies cancel each other" if cancel else ""
        return "silent", f"{', '.join(map(reading.found.say, missing))} not heard{why}"
    doubled = [by_source[port] for port in wanted_ports if len(by_source[port].copies) > 1]
    if doubled:
        apart = doubled[0].copies[1].delay_samples - doubled[0].copies[0].delay_samples
        return "doubled", f"{doubled[0].name} heard {len(doubled[0].copies)} times, {apart:.0f} samples apart"
    off = next((state for state, _ in wanted if state.has("off speed")), None)
    if off is not None:
        return "wrong speed", next(each.words for each in off.findings if each.kind == "off speed")
    drifts = next((state for state, _ in wanted if state.has("drifting")), None)
    if drifts is not None:
        return "drifting", say_drift_heard(drifts, [by_source[port] for port in wanted_ports])
    turned = [by_source[port].name for port in wanted_ports if by_source[port].copies[0].polarity < 0]
    if turned:
        return "wrong polarity", f"{', '.join(turned)}: polarity reversed"
    strangers = [row.name for row in sounds if not row.wanted]
    if strangers and any(state.line.alone for state, _ in wanted):
        return "others", f"{', '.join(strangers)} heard too"
    if not wanted_ports:
        return (
            "unused",
            f"hears {', '.join(strangers)}, wanted by no line" if strangers else "nothing wanted, nothing heard",
        )
    return "as wanted", "as wanted"


def say_drift_heard(state: LineState, sounds: list[SoundRow]) -> str:
    """What was heard of a drift, in words. Example: 'drifts by +23.4 ppm; slipped by 256 samples'."""
    fastest = max((row.drift_ppm for row in sounds), key=abs, default=0.0)
    jumps = dict.fromkeys(jump for row in sounds for jump in row.jumps)
    slipped = f"; slipped by {', '.join(str(abs(jump)) for jump in jumps)} samples" if jumps else ""
    told = next(each.words for each in state.findings if each.kind == "drifting")
    return f"drifts by {fastest:+.1f} ppm{slipped}. {told[:1].upper()}{told[1:]}"


def say_broken_up(state: LineState, slips: tuple[Slipped, ...]) -> str:
    """A sound that slips so often that no two periods of the test signal are alike."""
    told = next(each.words for each in state.findings if each.kind == "drifting")
    return f"broken up by {len(slips)} slips between clocks. {told[:1].upper()}{told[1:]}"


def _agreement(
    target: TargetHeard, sounds: list[SoundRow], sources: list[Port], reading: Reading, slips: tuple[Slipped, ...]
) -> tuple[bool, float | None, str]:
    """Whether every predicted copy was heard where it was predicted, and no other; and what cannot be told of that."""
    worst: float | None = None
    agrees = True
    untold: list[str] = []
    period = int(PERIOD_SECONDS * target.rate_hz)
    by_source = {row.source: row for row in sounds}
    for source in sources:
        predicted = {samples for samples, _, _ in _predicted(reading, source, target)}
        row = by_source.get(source)
        clock = expected_drift(reading, source, target.target)
        met = slips_between(reading, source, target.target, slips)
        if met and not tellable(met, max(predicted, default=0) / target.rate_hz):
            untold.append(f"{reading.found.say(source)} slips {len(met)} times, too often for its delay to be told")
            continue
        measured = sorted({round(copy.delay_samples) for copy in row.copies}) if row else []
        agrees = (
            agrees and len(predicted) == len(measured) and (row is None or clock.fits(row.drift_ppm, slips=bool(met)))
        )
        by = moves(met)
        for copy in row.copies if row else ():
            if copy.predicted_samples is None:
                continue
            within = clock.tolerance(copy.predicted_samples) + clock.worst_ppm * 1e-6 * max(by)
            moved = moved_by(copy.delay_samples, copy.predicted_samples, by, within, period)
            agrees = agrees and moved is not None
            # What slipped before it was listened to is late, or early, by as much.
            difference = copy.delay_samples - copy.predicted_samples - (moved or 0)
            worst = difference if worst is None or abs(difference) > abs(worst) else worst
    return agrees, worst, "; ".join(untold)


def _line(state: LineState, rows: tuple[TargetRow, ...], reading: Reading, slips: tuple[Slipped, ...]) -> LineRow:
    """A line's verdict: what was heard keeps all it asks for, is what was predicted, and the plan has nothing else."""
    line = state.line
    words = _not_heard_as_wanted(state, rows, reading, slips)
    if not words and state.headline != "arrives":
        kind, said = state.findings[0]
        words = f"{kind}, by the plan: {said}"
    return LineRow(line.id, line.name, not words, words or "as wanted")


def _not_heard_as_wanted(
    state: LineState, rows: tuple[TargetRow, ...], reading: Reading, slips: tuple[Slipped, ...]
) -> str:
    line = state.line
    by_target = {row.target: row for row in rows}
    if not line.pairs():
        return "nothing to check: " + state.findings[0].words
    missing = [_missing(start, by_target.get(end), reading) for start, end in line.pairs()]
    if len(missing) > 1 and any(missing) and not all(missing) and not (slips and state.has("drifting")):
        sides = [f"{side} is {'not ' if words else ''}heard" for side, words in zip(LEFT_RIGHT, missing, strict=False)]
        return f"{', '.join(sides)}: {next(filter(None, missing))}"
    for (start, end), gone in zip(line.pairs(), missing, strict=True):
        row = by_target.get(end)
        sound = next((each for each in row.sounds if each.source == start), None) if row is not None else None
        if slips and state.has("drifting") and row is not None and (sound is None or row.untold):
            return say_broken_up(state, slips)
        if gone or row is None or sound is None:
            return f"{gone}: its copies cancel each other" if _cancelled(state, start, end) else gone
        words = _amiss(state, row, sound, reading)
        if words:
            return words
    return ""


def _missing(start: Port, row: TargetRow | None, reading: Reading) -> str:
    if row is None:
        return f"nothing is heard of {reading.found.say(start)}: its target is not plugged in"
    if all(each.source != start for each in row.sounds):
        return f"{reading.found.say(start)} is not heard at {row.name}"
    return ""


def _cancelled(state: LineState, start: Port, end: Port) -> bool:
    return any(leg.arrivals and not leg.sounds for leg in state.legs if (leg.start, leg.end) == (start, end))


def _amiss(state: LineState, row: TargetRow, sound: SoundRow, reading: Reading) -> str:
    """What of a sound that is heard is not as its line wants it; empty if nothing is."""
    line, copy = state.line, sound.copies[0]
    if len(sound.copies) > 1:
        apart = sound.copies[1].delay_samples - copy.delay_samples
        return f"{len(sound.copies)} copies at {row.name}, {apart:.0f} samples apart"
    if copy.polarity < 0:
        return f"{sound.name} has its polarity reversed at {row.name}"
    if line.alone and any(each.source not in line.from_ports for each in row.sounds):
        others = ", ".join(each.name for each in row.sounds if each.source not in line.from_ports)
        return f"{others} heard at {row.name} too"
    if state.has("off speed"):
        return next(each.words for each in state.findings if each.kind == "off speed")
    if state.has("drifting"):
        return say_drift_heard(state, [sound])
    if line.longest_delay_ms is not None and copy.delay_ms > line.longest_delay_ms + 1e-3:
        return f"{copy.delay_ms:.2f} ms, its limit is {line.longest_delay_ms:g} ms"
    return _level_amiss(state, sound, copy, reading) or _unpredicted(row, sound, copy, reading)


def _level_amiss(state: LineState, sound: SoundRow, copy: CopyRow, reading: Reading) -> str:
    line, level = state.line, copy.level_dbfs
    if line.lowest_dbfs is not None and level < line.lowest_dbfs - SAME_LEVEL_DB:
        return f"{say_figure(level, 1)} dBFS, its lowest is {say_figure(line.lowest_dbfs)} dBFS"
    if line.highest_dbfs is not None and level > line.highest_dbfs + SAME_LEVEL_DB:
        return f"{say_figure(level, 1)} dBFS, its highest is {say_figure(line.highest_dbfs)} dBFS"
    if level > SAME_LEVEL_DB:
        return f"{level:.1f} dB above full scale: it clips"
    needed = needed_db(line, sound.source, reading.found)
    if line.purpose == "record" and -level < needed - SAME_LEVEL_DB:
        return f"{-level:.1f} dB of headroom, {needed:g} are wanted"
    return ""


def _unpredicted(row: TargetRow, sound: SoundRow, copy: CopyRow, reading: Reading) -> str:
    """Where what was heard is not what was predicted, the plan is of another rig than this one."""
    if copy.predicted_samples is None or copy.predicted_level_dbfs is None:
        return f"{sound.name} is heard at {row.name}, where the plan has no way for it"
    within = expected_drift(reading, sound.source, row.target).tolerance(copy.predicted_samples)
    if abs(copy.delay_samples - copy.predicted_samples) > within:
        return f"heard after {copy.delay_samples:.1f} samples, predicted {copy.predicted_samples}"
    if abs(copy.level_dbfs - copy.predicted_level_dbfs) > SAME_LEVEL_DB:
        return f"heard at {say_figure(copy.level_dbfs, 1)} dBFS, predicted {say_figure(copy.predicted_level_dbfs, 1)}"
    return ""
