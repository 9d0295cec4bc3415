"""A line check on the twin: play, run, listen, compare."""

import math
from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np

from iskelo.core.linecheck.agreement import TargetHeard
from iskelo.core.linecheck.ledger import write_ledger
from iskelo.core.linecheck.predicted import rounds_at
from iskelo.core.linecheck.rows import Ledger
from iskelo.core.linecheck.sounds import play, source_ports
from iskelo.core.lines.context import read
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.signals.comb import PERIOD_SECONDS, PERIODS_PLAYED, TAIL_SECONDS, WovenComb
from iskelo.core.signals.detect import detect
from iskelo.core.signals.listen import COPIES_AT_MOST, Heard
from iskelo.core.twin.run import Cancelled, TakeChannel, run_twin
from iskelo.core.twin.told import CannotFollow, Missed, Slipped, Synced

SEED = 1

MOMENT_SECONDS = 0.01
"""Long enough to see what a rig has to be heard at."""

WEAVING_SHARE, TWIN_SHARE, DETECTION_SHARE = 0.35, 0.45, 0.2
"""Rough shares of the time that weaving, running and listening take, for an honest progress bar."""

Progress = Callable[[float, str], bool]


class CannotCheck(ValueError):
    """There is nothing to play or nothing to hear; the text says what is missing."""


@dataclass(frozen=True, slots=True)
class CheckResult:
    """What a check leaves behind: the ledger and the take it was read from."""

    ledger: Ledger
    take: list[TakeChannel]


def run_line_check(
    rig: Rig,
    progress: Progress = lambda share, stage: True,
    *,
    only: Collection[str] | None = None,
    at_fault: Rig | None = None,
) -> CheckResult:
    """Prove a rig's lines with sound on the twin.

    Parameters
    ----------
    rig
        A rig that holds together.
    progress
        Told the share done (0 … 1) and the stage in words; if it answers False the check stops.
    only
        Listen for these lines alone; every source is played all the same, for others may be heard with them.
    at_fault
        The rig with faults switched on (see ``linecheck.faults``): this one is run, and what is heard is set beside
        what the rig without them promises, as in a room where nobody knows of them.

    Raises
    ------
    CannotCheck
        When there is no source to play or no target to hear.
    Cancelled
        When ``progress`` answered False.
    """
    sources = source_ports(rig)
    if not sources:
        raise CannotCheck("There is no source to play: add a microphone or another source on Gear.")
    really = at_fault or rig
    box_rates_hz = {gear.rate_hz for each in (rig, really) for gear in each.gear if isinstance(gear, Interface)}
    if not box_rates_hz:
        raise CannotCheck("There is no interface to run: add one on Gear.")
    own_rates_hz = _rates_of_voices(rig)
    rates_hz = sorted(box_rates_hz | set(own_rates_hz.values()))
    # Where all sources meet, their powers add: play that much softer so that the sum stays as loud as one.
    offset_db = -10 * math.log10(len(sources))
    combs, sounds = play(
        rig, rates_hz, offset_db, SEED, lambda share: _step(progress, WEAVING_SHARE * share, "weaving the test signal")
    )
    # What was made for a higher rate than it runs at takes longer.
    slowest = max(1.0, max(own_rates_hz.values(), default=0) / min(box_rates_hz))
    seconds = PERIODS_PLAYED * PERIOD_SECONDS * slowest + TAIL_SECONDS

    def running(share: float) -> bool:
        played = share * seconds
        return progress(WEAVING_SHARE + TWIN_SHARE * share, f"running the rig, {played:.1f} of {seconds:.1f} s")

    missed: list[Missed] = []
    slips: list[Slipped] = []
    synced: list[Synced] = []
    try:
        take = run_twin(
            *(really, sounds, seconds),
            seed=SEED,
            progress=running,
            told=missed.append,
            slipped=slips.append,
            synced=synced.append,
        )
    except CannotFollow as cannot:
        raise CannotCheck(str(cannot)) from None
    if at_fault is not None:
        take = [*take, *_silent(rig, take, seconds)]
    if not take:
        raise CannotCheck("There is nothing to hear: no track, and nothing plugged into headphones or loudspeakers.")
    if only is not None:
        ends = {port for line in rig.lines if line.id in only for port in line.to_ports}
        take = [channel for channel in take if channel.port in ends]
        if not take:
            raise CannotCheck("None of these lines has a target that can be heard.")
    heard = []
    reading = read(rig)
    for number, channel in enumerate(take):
        _step(
            progress,
            WEAVING_SHARE + TWIN_SHARE + DETECTION_SHARE * number / len(take),
            f"listening, {number + 1} of {len(take)}",
        )
        heard.append(_listen(channel, combs, sources, own_rates_hz, rounds_at(reading, channel.port, sources)))
    ledger = write_ledger(rig, heard, sources, offset_db, only, tuple(missed), tuple(slips), tuple(synced))
    _step(progress, 1.0, "done")
    return CheckResult(ledger, take)


def _silent(rig: Rig, take: list[TakeChannel], seconds: float) -> list[TakeChannel]:
    """What is there without the faults and gave nothing at all with them."""
    there = {channel.port for channel in take}
    return [
        TakeChannel(each.port, each.rate_hz, np.zeros(int(seconds * each.rate_hz), np.float32))
        for each in run_twin(rig, {}, MOMENT_SECONDS)
        if each.port not in there
    ]


def _rates_of_voices(rig: Rig) -> dict[Port, int]:
    """The rate each voice was made for, where its program says one."""
    found = index(rig)
    programs = {port: found.items[port.owner].program for port in found.starts() if port.bank == "voice"}
    return {
        port: program.rate_hz
        for port, program in programs.items()
        if program.rate_hz is not None and program.hosted is None and not _resampled(found, program)
    }


def _resampled(found: Index, program: Program) -> bool:
    streams = found.opened.get(program.id)
    return streams is not None and streams.converts


def _listen(
    channel: TakeChannel, combs: dict[int, WovenComb], sources: list[Port], own_rates_hz: dict[Port, int], rounds: int
) -> TargetHeard:
    """What is heard in a channel: at its own rate, and what was made for another rate as if it were at that one.

    ``rounds``: so many copies more are to be looked for, of what goes round. A program at the wrong rate hands out its
    samples one by one all the same, so they are the comb of its own rate.
    """
    heard: list[Heard] = []
    noise_rms = 0.0
    taken = channel.samples
    odd = {port: rate for port, rate in own_rates_hz.items() if rate != channel.rate_hz}
    for rate_hz in (channel.rate_hz, *sorted(set(odd.values()))):
        if PERIODS_PLAYED * combs[rate_hz].period_samples > len(taken):
            continue
        found = detect(taken[np.newaxis], combs[rate_hz], COPIES_AT_MOST + rounds)
        if rate_hz == channel.rate_hz:
            noise_rms = float(found.noise_rms[0])
        heard += [each for each in found.heard if odd.get(sources[each.source], channel.rate_hz) == rate_hz]
    return TargetHeard(channel.port, channel.rate_hz, noise_rms, tuple(heard))


def _step(progress: Progress, share: float, stage: str) -> None:
    if not progress(share, stage):
        raise Cancelled
