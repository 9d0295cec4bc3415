"""A line's verdict: whether what was heard keeps all that the line asks for, and is what was predicted."""

from iskelo.core.levels.headroom import needed_db
from iskelo.core.linecheck.drifting import expected_drift
from iskelo.core.linecheck.rows import CopyRow, LineRow, SoundRow, TargetRow
from iskelo.core.lines.context import Reading
from iskelo.core.lines.sides import LEFT_RIGHT
from iskelo.core.lines.state import LineState
from iskelo.core.rig.ports import Port
from iskelo.core.rig.units import say_figure
from iskelo.core.twin.told import Slipped
from iskelo.core.words.say import say

SAME_LEVEL_DB = 0.5
"""A measured level this close to the predicted one is that level: noise and filters move it by less."""


def line_verdict(
    state: LineState, rows: tuple[TargetRow, ...], reading: Reading, slips: tuple[Slipped, ...]
) -> LineRow:
    """A line's verdict: what was heard keeps all it asks for, is what was predicted, and the plan has nothing else."""
    line = state.line
    howls = state.finding("howls")
    words = f"it howls: {say(howls, reading.found)}" if howls is not None else ""
    words = words or _not_heard_as_wanted(state, rows, reading, slips)
    if not words and state.headline != "arrives":
        words = f"{state.headline}, by the plan: {say(state.findings[0], reading.found)}"
    return LineRow(line.id, line.name, not words, words or _as_wanted(state))


def _as_wanted(state: LineState) -> str:
    """What is said of a line that is proved: of one that starts as it falls, no proof holds for the next start."""
    falls = [delay for delay in state.delays() if delay.spread]
    if not falls:
        return "as wanted"
    least, most = min(delay.ms for delay in falls), max(delay.most_ms for delay in falls)
    return f"as wanted at this start; another one comes after {least:.2f} to {most:.2f} ms"


def _not_heard_as_wanted(
    state: LineState, rows: tuple[TargetRow, ...], reading: Reading, slips: tuple[Slipped, ...]
) -> str:
    line = state.line
    by_target = {row.target: row for row in rows}
    if not line.pairs():
        return "nothing to check: " + say(state.findings[0], reading.found)
    missing = [_missing(start, by_target.get(end), reading) for start, end in line.pairs()]
    if len(missing) > 1 and any(missing) and not all(missing) and not (slips and state.has("drifting")):
        if line.mixed:
            gone = {start.owner for (start, _), words in zip(line.pairs(), missing, strict=True) if words}
            return f"{len(gone)} of {len(line.sounds())} sources not heard: {next(filter(None, missing))}"
        sides = [f"{side} is {'not ' if words else ''}heard" for side, words in zip(LEFT_RIGHT, missing, strict=False)]
        return f"{', '.join(sides)}: {next(filter(None, missing))}"
    for (start, end), lost in zip(line.pairs(), missing, strict=True):
        row = by_target.get(end)
        sound = next((each for each in row.sounds if each.source == start), None) if row is not None else None
        if slips and state.has("drifting") and row is not None and (sound is None or row.untold):
            return say_broken_up(state, slips, reading)
        if lost or row is None or sound is None:
            return f"{lost}: its copies cancel each other" if cancelled(state, start, end) else lost
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


def cancelled(state: LineState, start: Port, end: Port) -> bool:
    return any(leg.arrivals and not leg.sounds for leg in state.legs if (leg.start, leg.end) == (start, end))


def _amiss(state: LineState, row: TargetRow, sound: SoundRow, reading: Reading) -> str:
    """What of a sound that is heard is not as its line wants it; empty if nothing is."""
    if not sound.dry:
        return f"{sound.name} is heard at {row.name} through effects mixes alone"
    line, copy = state.line, sound.dry[0]
    if len(sound.dry) > 1:
        apart = sound.dry[1].delay_samples - copy.delay_samples
        return f"{len(sound.dry)} copies at {row.name}, {apart:.0f} samples apart"
    if copy.polarity < 0:
        return f"{sound.name} has its polarity reversed at {row.name}"
    if line.alone and any(each.source not in line.from_ports for each in row.sounds):
        others = ", ".join(each.name for each in row.sounds if each.source not in line.from_ports)
        return f"{others} heard at {row.name} too"
    off = state.finding("off speed")
    if off is not None:
        return say(off, reading.found)
    if state.has("drifting"):
        return say_drift_heard(state, [sound], reading)
    if line.longest_delay_ms is not None and copy.delay_ms > line.longest_delay_ms + 1e-3:
        return f"{copy.delay_ms:.2f} ms, its limit is {line.longest_delay_ms:g} ms"
    return _level_amiss(state, sound, copy, reading) or _unpredicted(row, sound, copy, reading)


def _level_amiss(state: LineState, sound: SoundRow, copy: CopyRow, reading: Reading) -> str:
    line, level = state.line, copy.level_dbfs - (copy.wet_db or 0.0)
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
    if abs(copy.difference or 0.0) > within:
        most = f" to {copy.predicted_samples + copy.predicted_spread:g}" if copy.predicted_spread else ""
        return f"heard after {copy.delay_samples:.1f} samples, predicted {copy.predicted_samples:g}{most}"
    if abs(copy.level_dbfs - copy.predicted_level_dbfs) > SAME_LEVEL_DB:
        return f"heard at {say_figure(copy.level_dbfs, 1)} dBFS, predicted {say_figure(copy.predicted_level_dbfs, 1)}"
    return ""


def say_drift_heard(state: LineState, sounds: list[SoundRow], reading: Reading) -> str:
    """What was heard of a drift, in words. Example: 'drifts by +23.4 ppm; slipped by 256 samples'."""
    fastest = max((row.drift_ppm for row in sounds), key=abs, default=0.0)
    jumps = dict.fromkeys(jump for row in sounds for jump in row.jumps)
    slipped = f"; slipped by {', '.join(str(abs(jump)) for jump in jumps)} samples" if jumps else ""
    told = _say_drifting(state, reading)
    return f"drifts by {fastest:+.1f} ppm{slipped}. {told[:1].upper()}{told[1:]}"


def say_broken_up(state: LineState, slips: tuple[Slipped, ...], reading: Reading) -> str:
    """A sound that slips so often that no two periods of the test signal are alike."""
    told = _say_drifting(state, reading)
    return f"broken up by {len(slips)} slips between clocks. {told[:1].upper()}{told[1:]}"


def _say_drifting(state: LineState, reading: Reading) -> str:
    drifting = state.finding("drifting")
    assert drifting is not None
    return say(drifting, reading.found)
