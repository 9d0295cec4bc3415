"""Rigs of several boxes on clocks of their own, for tests: any order of parts, any speeds, matched or not."""

import random

from iskelo.core.edits.additions import AddDestination, AddInterface, AddProgram, AddProgramPorts, AddSources
from iskelo.core.edits.edit import JoinDevices, Plug, SetOutputDevice, SetValues
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from rigs import Bench

BUFFERS = (32, 64, 128, 256, 512)


def free_clocks(seed: int, *, far_apart: bool = False, levels: bool = False) -> Bench:
    """Two or three boxes, a recorder and a sampler in either order, each on one box, on two, or on all of them joined.

    ``far_apart``: clocks of up to 2000 ppm, seldom matched, so that most of them slip while they are listened to.
    ``levels``: sounds as far as 60 dB apart.
    """
    draw, bench = random.Random(seed), Bench(Rig(name=f"Free clocks {seed}"))
    boxes = [f"Box {number}" for number in range(draw.choice([2, 2, 3]))]
    bench.do(AddSources(names=tuple(f"Mic {number}" for number in range(len(boxes)))))
    matched = 0.2 if far_apart else 0.5
    for number, name in enumerate(boxes):
        bench.do(AddInterface(name=name, jack_in=2, jack_out=2, buffer_samples=draw.choice(BUFFERS)))
        figures = {"mixer_samples": draw.choice([7, 7, 300, 8000]), "tolerance_ppm": draw.choice([10.0, 50.0, 100.0])}
        if draw.random() < 0.75:
            far = 10 ** draw.uniform(2, 3.3) if far_apart else draw.uniform(0, 130)
            figures["measured_ppm"] = round(draw.choice([-1, 1]) * far, 1)
        box = bench.do(SetValues(item=bench.id(name), values=figures)).id(name)
        bench.do(Plug(from_port=bench.out(f"Mic {number}"), to_port=Port(box, "jack_in", 1)))
        ears = bench.do(AddDestination(name=f"Ears {number}")).id(f"Ears {number}")
        bench.do(*(Plug(from_port=Port(box, "jack_out", leg), to_port=Port(ears, "in", leg)) for leg in (1, 2)))

    def on_two(program: str, first: int) -> None:
        second = bench.id(boxes[(first + 1) % len(boxes)])
        bench.do(SetOutputDevice(program=bench.id(program), device=second))
        bench.do(SetValues(item=bench.id(program), values={"matched": draw.random() < matched}))

    def recorder() -> None:
        first, how = draw.randrange(len(boxes)), draw.choice(["one box", "two boxes", "joined"])
        device, channels = bench.id(boxes[first]), 2
        if how == "joined":
            order = draw.sample(boxes, len(boxes))
            members = tuple(Member(device=bench.id(name), matched=draw.random() < matched) for name in order)
            device, channels = bench.do(JoinDevices(name="All", members=members)).id("All"), 2 * len(boxes)
        tracks = tuple(f"T{number}" for number in range(channels))
        bench.do(AddProgram(name="Recorder", device=device, tracks=tracks))
        if how == "two boxes":
            on_two("Recorder", first)
        program = bench.id("Recorder")
        bench.do(AddProgramPorts(program=program, side="output", names=("Monitor",), width=2, first_channel=1))
        for track in tracks[:2]:
            heard = {"monitored": draw.random() < 0.6, "output": bench.id("Monitor")}
            bench.do(SetValues(item=bench.track(track), values=heard))

    def sampler() -> None:
        first = draw.randrange(len(boxes))
        bench.do(
            AddProgram(name="Sampler", program_kind="sampler", device=bench.id(boxes[first]), voices=("Pad",)),
        )
        if draw.random() < 0.5:
            on_two("Sampler", first)

    parts = [recorder, sampler]
    draw.shuffle(parts)
    for part in parts:
        part()
    if levels:
        softly(bench, random.Random(seed))
    return bench


def softly(bench: Bench, draw: random.Random) -> None:
    """Give every source and voice a level of its own."""
    found = index(bench.rig)
    for gear in bench.rig.gear:
        if gear.kind == "source":
            bench.do(SetValues(item=gear.id, values={"level_dbu": round(draw.uniform(-100, -40), 1)}))
    for voice in (voice for program in found.programs() for voice in program.voices):
        bench.do(SetValues(item=voice.id, values={"level_dbfs": round(draw.uniform(-60, -6), 1)}))
