"""What speed claims rest on: the best times of one run, with ratios and growth. ``./iskelo bench`` runs this.

Nothing here is a test: a slow machine is no fault. ``docs/speed.md`` keeps one run with the machine named.
"""

import os
import platform
import sys
import time
from collections.abc import Callable
from typing import TypeVar

import numpy as np

from big_rig import big_rig, by_cables, four_actors, four_programs, going_round, many_programs, two_desks
from iskelo.api.settings import quiet_collector
from iskelo.command.yardstick import yardstick_ms
from iskelo.core.answers import port_uses
from iskelo.core.edits.additions import AddInterface, AddProgram, AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Plug, SetValues
from iskelo.core.edits.input_list import InputRow, plan_rows
from iskelo.core.fractional_delay import between
from iskelo.core.linecheck.sounds import play
from iskelo.core.lines.context import read
from iskelo.core.planner.ladder import ladders
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.signals.comb import woven_comb
from iskelo.core.signals.detect import detect
from iskelo.core.survey import survey_again
from iskelo.core.twin.run import run_twin
from iskelo.demo.orrin_point import orrin_point

Made = TypeVar("Made")


def best_ms(work: Callable[[], object], times: int = 15) -> float:
    """The best of so many runs: what is above it is what else this machine does (see Python's ``timeit``).

    What comes out is thrown away when the clock has stopped.
    """
    return best_after_ms(lambda: None, lambda _: work(), times)


def best_after_ms(prepare: Callable[[], Made], work: Callable[[Made], object], times: int = 15) -> float:
    """The same for work that needs something made anew each time."""
    taken = []
    work(prepare())
    for _ in range(times):
        made = prepare()
        began = time.perf_counter()
        done = work(made)
        taken.append(1000 * (time.perf_counter() - began))
        del done
    return min(taken)


def hall(boxes: int) -> Rig:
    """Boxes of 128 inputs, a recorder on each."""
    rig = Rig()
    for number in range(boxes):
        rig = apply(rig, (AddInterface(name=f"Box {number}", jack_in=128, jack_out=2),)).rig
        rig = apply(rig, (AddProgram(name=f"Rec {number}", device=rig.gear[-1].id),)).rig
    return rig


def rows_of(count: int) -> tuple[Rig, tuple[InputRow, ...]]:
    return hall(8), tuple(
        InputRow(number=n, name=f"Line {n}", source=f"Mic {n}", box_input=f"Box {n // 128} / {n % 128 + 1}")
        for n in range(count)
    )


def leads_of(count: int) -> tuple[Rig, tuple[Plug, ...]]:
    rig = hall(16)
    names = [f"Mic {n}" for n in range(count)]
    rig = apply(rig, tuple(AddSources(names=tuple(names[n : n + 250])) for n in range(0, count, 250))).rig
    sources = [gear.id for gear in rig.gear if gear.kind == "source"]
    boxes = [gear.id for gear in rig.gear if gear.kind == "interface"]
    return rig, tuple(
        Plug(from_port=Port(source, "out", 1), to_port=Port(boxes[n // 128], "jack_in", n % 128 + 1))
        for n, source in enumerate(sources)
    )


def yardstick() -> str:
    """How fast this machine is just now; others may be keeping it busy, and figures of two runs compare by this."""
    return f"Yardstick: a million steps of a plain Python loop take {yardstick_ms(15):.0f} ms"


def many_at_once() -> None:
    print("\nMany at once (target: 1 000 rows 3 s, 2 000 plugs 3 s; four times as many take four times as long)")
    for words, counts, prepare, work in (
        ("rows of a list planned", (250, 1000), rows_of, lambda made: plan_rows(*made)),
        ("leads plugged in one edit", (500, 2000), leads_of, lambda made: apply(*made)),
    ):
        base = None
        for count in counts:
            made = prepare(count)
            ms = best_ms(lambda work=work, made=made: work(made), times=3)
            base = base or ms
            print(f"  {count:5} {words}: {ms:8.1f} ms   {ms / base:5.1f} x that of {counts[0]}")


def twins() -> None:
    """How many times faster than real time rigs of several kinds run."""
    print("\nTwin (target: 20 times real time)")
    for channels, buffer in ((16, 64), (16, 256), (32, 64)):
        rig = big_rig(channels, buffer=buffer)
        _, sounds = play(rig, [48_000], -12, 1)
        ms = best_ms(lambda rig=rig, sounds=sounds: run_twin(rig, sounds, 4.0), times=3)
        print(f"  {channels:3} channels, buffer {buffer:4}: {4000 / ms:6.1f} times real time")
    for words, matched in (("on one clock", False), ("the second one matched", True)):
        rig = four_actors(matched=matched)
        _, sounds = play(rig, [48_000], -12, 1)
        ms = best_ms(lambda rig=rig, sounds=sounds: run_twin(rig, sounds, 4.0), times=3)
        print(f"   32 channels, buffer   64, two boxes {words}, two programs: {4000 / ms:6.1f} times real time")
    rig = two_desks()
    _, sounds = play(rig, [48_000], -12, 1)
    ms = best_ms(lambda rig=rig, sounds=sounds: run_twin(rig, sounds, 4.0), times=3)
    print(
        f"   64 channels, buffer  128, two mixers of 32 strips, 16 mixes: {4000 / ms:6.1f} times real time (target 10)"
    )
    rig = four_programs()
    _, sounds = play(rig, [48_000], -12, 1)
    ms = best_ms(lambda: run_twin(rig, sounds, 4.0), times=3)
    print(f"   32 channels, buffer   64, four programs, three cables: {4000 / ms:6.1f} times real time (target 10)")
    for buffer in (32, 64, 128):
        rig = going_round(8, buffer)
        _, sounds = play(rig, [48_000], -12, 1)
        ms = best_ms(lambda rig=rig, sounds=sounds: run_twin(rig, sounds, 4.0), times=3)
        print(f"   16 channels, buffer {buffer:4}, 8 of them go round: {4000 / ms:6.1f} times real time (target 10)")


def plans_by_cables() -> None:
    """How long a plan takes that adds cables, joins them and maps both ends, for so many lines between two programs."""
    print("\nPlan by cables (target: 32 lines 2 s, 128 lines 10 s)")
    for lines in (16, 32, 64):
        reading = read(by_cables(lines, "box 8x8 Havra" if lines < 64 else "mic"))
        ms = best_ms(lambda reading=reading: join_all(reading), times=3)
        print(f"  {lines:4} stereo lines: {ms / 1000:6.2f} s")
    rig = by_cables(128, "mic", width=1)
    reading = read(rig)
    plan = join_all(reading)
    assert plan is not None
    after = read(apply(rig, plan.edits).rig)
    cables = sum(box.cable is not None for box in after.found.boxes)
    served = sum(state.headline == "arrives" for state in after.lines)
    bound = -(-128 // 8)
    ms = best_ms(lambda: join_all(reading), times=3)
    said = f"{served} served by {cables} cables; at least {bound}: gap {cables - bound}"
    print(f"   128 single lines: {ms / 1000:6.2f} s, {said}")


def main() -> None:
    quiet_collector()
    whose = "the system's own" if sys.base_prefix == "/usr" else "another build"
    python = f"Python {platform.python_version()} ({whose})"
    print(f"{platform.machine()}, {os.cpu_count()} cores, {python}, NumPy {np.__version__}\n")
    print(yardstick() + "\n")
    print("Survey (target: 64 lines 20 ms, 512 lines 50 ms)")
    rigs = {lines: big_rig(lines) for lines in (64, 128, 256, 512)}
    base = None
    for lines, rig in rigs.items():
        ms = best_ms(lambda rig=rig: survey_again(rig, None))
        base = base or ms
        ports = len(port_uses(read(rig)))
        print(f"  {lines:4} lines, {ports:5} ports: {ms:8.1f} ms   {ms / base:5.1f} x that of 64 lines")
    print("\nOne edit applied and surveyed, from nothing and from the survey before it")
    for name, rig in (("demo", orrin_point()), ("512 lines", rigs[512])):
        box = index(rig).interfaces()[-1]
        for what, edit in (
            ("a line's limit", SetValues(item=rig.lines[0].id, values={"longest_delay_ms": 7})),
            ("a box's mixer delay", SetValues(item=box.id, values={"mixer_samples": 9})),
        ):
            new = apply(rig, (edit,)).rig
            cold = best_ms(lambda rig=rig, edit=edit: survey_again(apply(rig, (edit,)).rig, None))
            first = best_after_ms(
                lambda rig=rig: survey_again(rig, None),
                lambda known, rig=rig, edit=edit: survey_again(apply(rig, (edit,)).rig, known),
            )
            known = survey_again(new, survey_again(rig, None))
            later = best_ms(lambda rig=rig, edit=edit, known=known: survey_again(apply(rig, (edit,)).rig, known))
            print(
                f"  {name:10} {what:20} {cold:8.1f} ms from nothing, {first:8.1f} ms the first edit, "
                f"{later:8.1f} ms every later one: {cold / later:5.1f} times sooner"
            )
    desks = two_desks()
    ms = best_ms(lambda: survey_again(desks, None))
    edges = len(read(desks).graph.edges())
    print(f"\nTwo mixers of 32 strips, 16 mixes, 64 raw channels: {ms:.1f} ms, {edges} hops (target 50 ms)")
    many_at_once()
    print("\nLadder of every program (target: 40 programs 100 ms)")
    for programs in (10, 40):
        reading = read(many_programs(programs))
        ms = best_ms(lambda reading=reading: ladders(reading))
        print(f"  {programs:3} programs: {ms:8.1f} ms")
    plans_by_cables()
    twins()
    print("\nDetection (target: 3 times one real FFT a channel)")
    for count in (16, 32):
        comb = woven_comb(count, 48_000)
        wave = 0.02 * np.tile(comb.waveforms, (1, 5))
        take = np.stack(
            [wave[k] + 1e-4 * np.random.default_rng(k).standard_normal(wave.shape[1]) for k in range(count)]
        )
        fft = best_ms(lambda take=take: [np.fft.rfft(row) for row in take], times=3)
        ms = best_ms(lambda take=take, comb=comb: detect(take, comb), times=3)
        print(f"  {count} x {count}: {ms / 1000:6.2f} s, {ms / fft:5.1f} times the FFTs alone")
    comb = woven_comb(16, 48_000)
    wave = 0.02 * np.tile(comb.waveforms[:4], (1, 6))
    at = 400 + 1.00006 * np.arange(wave.shape[1] - 48_000, dtype=np.float64)
    drifting = between(wave.astype(np.float32), at)
    fft = best_ms(lambda: [np.fft.rfft(row) for row in drifting], times=3)
    ms = best_ms(lambda: detect(drifting, comb), times=3)
    print(f"  4 channels that drift: {ms / 1000:6.2f} s, {ms / fft:5.1f} times the FFTs alone (target 6)")


if __name__ == "__main__":
    main()
