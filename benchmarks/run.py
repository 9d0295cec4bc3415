"""What speed claims rest on: medians of one run, with ratios and growth. ``./iskelo bench`` runs this.

Nothing here is a test: a slow machine is no fault. ``docs/speed.md`` keeps one run with the machine named.
"""

import os
import platform
import statistics
import time
from collections.abc import Callable

import numpy as np

from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import (
    AddDestination,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
    Edit,
    Plug,
    SetValues,
)
from iskelo.core.linecheck.sounds import play
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig, index
from iskelo.core.signals.comb import woven_comb
from iskelo.core.signals.detect import detect
from iskelo.core.survey import port_uses, survey
from iskelo.core.twin.run import run_twin
from iskelo.demo.orrin_point import orrin_point


def big_rig(lines: int, *, buffer: int = 64) -> Rig:
    """So many microphones on boxes of 64 jacks, a recorder a box, a line each; every second one is heard too."""
    rig = Rig(name=f"{lines} lines")
    per_box = min(64, lines)
    rig = apply(rig, (AddDestination(name="Phones"),)).rig
    phones = rig.gear[0].id
    for box_number in range(-(-lines // per_box)):
        names = tuple(f"Mic {box_number}.{n}" for n in range(1, per_box + 1))
        rig = apply(
            rig,
            (
                AddInterface(name=f"Box {box_number}", jack_in=per_box, jack_out=per_box, buffer_samples=buffer),
                AddSources(names=names),
            ),
        ).rig
        found = index(rig)
        box = found.interfaces()[-1]
        mics = [gear.id for gear in rig.gear if gear.name in names]
        rig = apply(rig, (AddProgram(name=f"Recorder {box_number}", device=box.id),)).rig
        program = index(rig).programs()[-1]
        rig = apply(rig, (AddProgramPorts(program=program.id, names=names, first_channel=1),)).rig
        rig = apply(
            rig, (AddProgramPorts(program=program.id, side="output", names=("Main",), width=2, first_channel=1),)
        ).rig
        program = index(rig).programs()[-1]
        inputs = tuple(item.id for item in program.inputs)
        rig = apply(rig, (AddTracks(program=program.id, names=names, inputs=inputs, output=program.outputs[0].id),)).rig
        tracks = index(rig).programs()[-1].tracks
        edits: list[Edit] = []
        for jack, (mic, track) in enumerate(zip(mics, tracks, strict=True), start=1):
            start = Port(mic, "out", 1)
            edits.append(Plug(from_port=start, to_port=Port(box.id, "jack_in", jack)))
            if jack % 2:
                edits.append(AddLine(name=track.name, from_ports=(start,), to_ports=(Port(track.id, "track", 1),)))
            else:
                edits.append(SetValues(item=track.id, values={"monitored": True}))
                ears = (Port(phones, "in", 1), Port(phones, "in", 2))
                edits.append(AddLine(name=track.name, purpose="listen", from_ports=(start,), to_ports=ears))
        if box_number == 0:
            edits += [Plug(from_port=Port(box.id, "jack_out", ear), to_port=Port(phones, "in", ear)) for ear in (1, 2)]
        rig = apply(rig, tuple(edits)).rig
    return rig


def median_ms(work: Callable[[], object], times: int = 7) -> float:
    taken = []
    work()
    for _ in range(times):
        began = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - began))
    return statistics.median(taken)


def main() -> None:
    print(f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}, NumPy {np.__version__}\n")
    print("Survey (target: 64 lines 20 ms, 512 lines 50 ms)")
    rigs = {lines: big_rig(lines) for lines in (64, 128, 256, 512)}
    base = None
    for lines, rig in rigs.items():
        ms = median_ms(lambda rig=rig: survey(rig))
        base = base or ms
        ports = len(port_uses(rig))
        print(f"  {lines:4} lines, {ports:5} ports: {ms:8.1f} ms   {ms / base:5.1f} x that of 64 lines")
    print("\nOne edit applied and surveyed")
    for name, rig in (("demo", orrin_point()), ("512 lines", rigs[512])):
        edit = SetValues(item="rig", values={"name": "Else"})
        ms = median_ms(lambda rig=rig, edit=edit: survey(apply(rig, (edit,)).rig))
        print(f"  {name:10} {ms:8.1f} ms")
    print("\nTwin (target: 20 times real time)")
    for channels, buffer in ((16, 64), (16, 256), (32, 64)):
        rig = big_rig(channels, buffer=buffer)
        _, sounds = play(rig, [48_000], -12, 1)
        ms = median_ms(lambda rig=rig, sounds=sounds: run_twin(rig, sounds, 4.0), times=3)
        print(f"  {channels:3} channels, buffer {buffer:4}: {4000 / ms:6.1f} times real time")
    print("\nDetection (target: 3 times one real FFT a channel)")
    for count in (16, 32):
        comb = woven_comb(count, 48_000)
        wave = 0.02 * np.tile(comb.waveforms, (1, 5))
        take = np.stack(
            [wave[k] + 1e-4 * np.random.default_rng(k).standard_normal(wave.shape[1]) for k in range(count)]
        )
        fft = median_ms(lambda take=take: [np.fft.rfft(row) for row in take], times=3)
        ms = median_ms(lambda take=take, comb=comb: detect(take, comb), times=3)
        print(f"  {count} x {count}: {ms / 1000:6.2f} s, {ms / fft:5.1f} times the FFTs alone")


if __name__ == "__main__":
    main()
