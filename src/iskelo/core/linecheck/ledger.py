"""The ledger of a line check: for each target, what was wanted and heard, predicted and measured."""

import math
from collections.abc import Collection
from dataclasses import replace

from iskelo.core.levels.units import ratio_to_db
from iskelo.core.linecheck.agreement import TargetHeard, agreement
from iskelo.core.linecheck.clips_heard import clip_rows
from iskelo.core.linecheck.drifting import Expected, expected_drift
from iskelo.core.linecheck.line_verdict import cancelled, line_verdict, say_broken_up, say_drift_heard
from iskelo.core.linecheck.predicted import Prediction, predicted_copies
from iskelo.core.linecheck.rows import CopyRow, Ledger, LineRow, SoundRow, TargetRow
from iskelo.core.linecheck.slipping import moved_by, moves, slips_between, tellable
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.findings import Headline
from iskelo.core.lines.proof import mark
from iskelo.core.lines.state import LineState
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.signals.comb import PERIOD_SECONDS
from iskelo.core.signals.listen import Copy, Heard
from iskelo.core.twin.told import Missed, Slipped, Synced
from iskelo.core.words.say import say


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
    synced: tuple[Synced, ...] = (),
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
    synced
        When followers' songs began.
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
        replace(_gaps(state, missed) or line_verdict(state, rows, reading, slips), mark=mark(state, reading.found))
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
        clips=clip_rows(reading, rows, synced),
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
    agrees, worst, untold = agreement(target, sounds, sources, reading, slips)
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
    predicted = predicted_copies(reading, source, target.target, target.rate_hz)
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
                wet_db=_wet_db(match),
                predicted_spread=match.spread if match else 0.0,
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


def _wet_db(match: Prediction | None) -> float | None:
    """By how much what effects mixes add at once makes a copy louder; None for one that is all wet."""
    if match is None:
        return 0.0
    return None if match.dry_dbfs is None else match.level_dbfs - match.dry_dbfs


def _closest(copy: Copy, predicted: list[Prediction]) -> Prediction | None:
    return min(predicted, key=lambda each: abs(each.off_by(copy.delay_samples)), default=None)


def _is_broken_up(
    reading: Reading, wanted: list[tuple[LineState, Port]], target: TargetHeard, slips: tuple[Slipped, ...]
) -> bool:
    """Whether a wanted sound slips so often that nothing of it can be told."""
    for _, start in wanted:
        met = slips_between(reading, start, target.target, slips)
        copies = predicted_copies(reading, start, target.target, target.rate_hz)
        late = max((samples for samples, *_ in copies), default=0)
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
    kinds: tuple[Headline, Headline] = ("howls", "rings")
    for kind in kinds:
        goes_round = next((finding for state, _ in wanted if (finding := state.finding(kind))), None)
        if goes_round is not None:
            return kind, say(goes_round, reading.found)
    by_source = {row.source: row for row in sounds}
    missing = [port for port in wanted_ports if port not in by_source]
    broken = next((state for state, _ in wanted if state.has("drifting")), None) if slips else None
    if broken is not None and (missing or _is_broken_up(reading, wanted, target, slips)):
        return "drifting", say_broken_up(broken, slips, reading)
    if missing:
        cancel = any(cancelled(state, port, target.target) for state, _ in wanted for port in missing)
        why = ": two copies cancel each other" if cancel else ""
        return "silent", f"{', '.join(map(reading.found.say, missing))} not heard{why}"
    doubled = [by_source[port] for port in wanted_ports if len(by_source[port].dry) > 1]
    if doubled:
        first, second = doubled[0].dry[:2]
        apart = second.delay_samples - first.delay_samples
        return "doubled", f"{doubled[0].name} heard {len(doubled[0].dry)} times, {apart:.0f} samples apart"
    off = next((finding for state, _ in wanted if (finding := state.finding("off speed"))), None)
    if off is not None:
        return "wrong speed", say(off, reading.found)
    drifts = next((state for state, _ in wanted if state.has("drifting")), None)
    if drifts is not None:
        return "drifting", say_drift_heard(drifts, [by_source[port] for port in wanted_ports], reading)
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
