"""Rigs for tests: a small one to change by hand, and any rig at all."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, get_args

from hypothesis import strategies as st

from iskelo.core.edits.additions import (
    AddDestination,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.batch import batch as of_batch
from iskelo.core.edits.edit import Edit, Plug
from iskelo.core.lines.context import read
from iskelo.core.lines.state import LineState
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.cables import Cable
from iskelo.core.rig.check import check
from iskelo.core.rig.drivers import Driver, Offsets
from iskelo.core.rig.gear import Aggregate, Destination, DirectMonitor, Gear, Interface, Member, Source
from iskelo.core.rig.index import index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import (
    Bus,
    FarEnd,
    HeldTrip,
    Hosted,
    LoadReading,
    PanLaw,
    Program,
    ProgramInsert,
    ProgramPort,
    Send,
    Tap,
    Track,
    Voice,
)
from iskelo.core.rig.rig import Line, Patch, Rig
from iskelo.core.rig.syncs import SyncLink, Timing
from iskelo.core.snags.registry import run_rules
from iskelo.core.snags.rule import Snag
from iskelo.core.words.say import say


def batch(rig: Rig, wanted: BatchRequest) -> tuple[Edit, ...]:
    """The edits of a batch that is typed in this rig."""
    return of_batch(rig, wanted, lambda mix: read(rig).sounding_in(mix))


@dataclass
class Bench:
    """A rig under change, with its parts by name."""

    rig: Rig

    def do(self, *edits: Edit) -> "Bench":
        self.rig = apply(self.rig, edits).rig
        return self

    def id(self, name: str) -> str:
        """The id of the gear, input, track, output or line with this name; inputs come before tracks."""
        found = index(self.rig)
        for gear in self.rig.gear:
            if gear.name == name:
                return gear.id
        for identity, placed in found.items.items():
            if placed.item.name == name:
                return identity
        return next(line.id for line in self.rig.lines if line.name == name)

    def track(self, name: str) -> str:
        return next(t.id for p in index(self.rig).programs() for t in p.tracks if t.name == name)

    def out(self, name: str, leg: int = 1) -> Port:
        return Port(self.id(name), "out", leg)

    def line(self, name: str) -> LineState:
        return next(state for state in read(self.rig).lines if state.line.name == name)

    def rig_gear(self, name: str) -> Gear:
        """A piece of gear by its name."""
        return next(gear for gear in self.rig.gear if gear.name == name)

    def said(self, name: str, at: int = 0) -> str:
        """The words of a line's finding: of its headline, or of one after it."""
        return say(self.line(name).findings[at], index(self.rig))

    def snags(self, rule: str) -> list[Snag]:
        return [snag for snag in run_rules(read(self.rig)) if snag.rule == rule]

    def box(self) -> Interface:
        return index(self.rig).interfaces()[0]

    def program(self) -> Program:
        return index(self.rig).programs()[0]


def two_voices() -> Bench:
    """Two microphones on an 8 x 8 box, recorded on a track each; headphones on jacks 1 and 2; all arrives."""
    bench = Bench(Rig(name="Two voices"))
    bench.do(
        AddSources(names=("Alma", "Bertil")),
        AddInterface(name="Box", jack_in=8, jack_out=8),
        AddProgram(name="Recorder"),
        AddDestination(name="Phones"),
    )
    box, recorder, phones = bench.id("Box"), bench.id("Recorder"), bench.id("Phones")
    bench.do(
        *(
            Plug(from_port=bench.out(name), to_port=Port(box, "jack_in", jack))
            for jack, name in ((1, "Alma"), (2, "Bertil"))
        ),
        *(
            Plug(from_port=Port(box, "jack_out", jack), to_port=Port(phones, "in", leg))
            for jack, leg in ((1, 1), (2, 2))
        ),
        AddProgramPorts(program=recorder, names=("In Alma", "In Bertil"), first_channel=1),
        AddProgramPorts(program=recorder, side="output", names=("Main",), width=2, first_channel=1),
    )
    program = bench.program()
    inputs = tuple(item.id for item in program.inputs)
    bench.do(AddTracks(program=recorder, names=("T Alma", "T Bertil"), inputs=inputs, output=program.outputs[0].id))
    return bench.do(
        *(
            AddLine(name=f"L {n}", from_ports=(bench.out(n),), to_ports=(Port(bench.track(f"T {n}"), "track", 1),))
            for n in ("Alma", "Bertil")
        )
    )


def ears(bench: Bench) -> tuple[Port, Port]:
    return Port(bench.id("Phones"), "in", 1), Port(bench.id("Phones"), "in", 2)


def heard(bench: Bench, name: str, within_ms: float | None = None) -> Bench:
    """Add a line from a source to the headphones, named 'NAME heard'."""
    return bench.do(
        AddLine(
            name=f"{name} heard",
            purpose="listen",
            from_ports=(bench.out(name),),
            to_ports=ears(bench),
            longest_delay_ms=within_ms,
        )
    )


def _clock(draw: st.DrawFn) -> dict[str, Any]:
    follows = draw(st.sampled_from(["own", "own", "word clock", "computer"]))
    return {
        "connected": draw(st.sampled_from([True, True, True, False])),
        "clock_source": follows,
        "word_clock_in": follows == "word clock" or draw(st.booleans()),
        "word_clock_out": draw(st.booleans()),
        "tolerance_ppm": draw(st.sampled_from([0.0, 10.0, 50.0, 1000.0])),
        "measured_ppm": draw(st.sampled_from([None, 0.0, 3.5, -120.0])),
    }


def _readings(draw: st.DrawFn) -> tuple[LoadReading, ...]:
    """None, one, or two of a program's load meter."""
    sizes = draw(st.lists(BUFFERS, unique=True, max_size=2))
    return tuple(LoadReading(buffer_samples=size, percent=draw(st.floats(0, 150))) for size in sizes)


def _driver_of(device: Interface | Aggregate | None) -> st.SearchStrategy[str | None]:
    drivers = device.drivers if isinstance(device, Interface) else ()
    return st.sampled_from([None, *(driver.id for driver in drivers)])


RATES = st.sampled_from([44_100, 48_000, 88_200, 96_000, 176_400, 192_000])
BUFFERS = st.sampled_from([16, 32, 48, 64, 128, 240, 256, 441, 512, 1024, 2048, 4096])
FIXED = st.integers(0, 300)
KINDS = ("vendor", "vendor", "system, shared", "wrapper", "system, sole use")
QUIET = st.sampled_from([-70.0, -50.0, -44.0, -30.0, -20.0])
"""Of leads that go back into inputs, which are set to amplify a microphone."""

GAINS = st.sampled_from([-12.0, -6.0, 0.0, 0.0, 3.0])


def _offsets(draw: st.DrawFn, rate_hz: int) -> tuple[Offsets, ...]:
    """What may be known of a driver, at this rate and others, at buffers it is set to and others."""
    places = draw(st.sets(st.tuples(st.sampled_from([rate_hz, 44_100]), BUFFERS), max_size=3))
    return tuple(
        Offsets(
            rate_hz=rate,
            buffer_samples=size,
            in_samples=draw(FIXED),
            out_samples=draw(FIXED),
            origin=draw(st.sampled_from(["measured", "described"])),
        )
        for rate, size in places
    )


PANS = st.sampled_from([0.0, 0.0, -1.0, 0.5, 1.0])


def _sends(
    draw: st.DrawFn, items: list[Track | Voice], buses: list[str], sinks: list[str], new: Callable[[str], str]
) -> tuple[Send, ...]:
    """Sends of tracks, voices and buses to buses and outputs, each to the same place by the same tap once."""
    givers = [*(item.id for item in items), *buses]
    if not givers or not sinks:
        return ()
    ways = draw(
        st.lists(
            st.tuples(st.sampled_from(givers), st.sampled_from(sinks), st.sampled_from(get_args(Tap))),
            unique=True,
            max_size=3,
        )
    )
    return tuple(
        Send(
            id=new("e"),
            item=giver,
            to=to,
            tap=tap,
            gain_db=draw(GAINS),
            pan=draw(st.one_of(st.none(), PANS)),
            on=draw(st.sampled_from([True, True, False])),
        )
        for giver, to, tap in ways
        if giver != to
    )


def inserts(
    draw: st.DrawFn, width: int, outputs: Sequence[ProgramPort], inputs: Sequence[ProgramPort]
) -> ProgramInsert | None:
    """Something that hangs in a track or a bus of this width, now and then, if its program has ports as wide."""
    sends, backs = ([port.id for port in ports if len(port.legs) == width] for ports in (outputs, inputs))
    if not sends or not backs or draw(st.booleans()):
        return None
    return ProgramInsert(
        send=draw(st.sampled_from(sends)),
        back=draw(st.sampled_from(backs)),
        on=draw(st.sampled_from([True, True, False])),
        dry_db=draw(st.sampled_from([None, None, 0.0, -9.0])),
        parallel=draw(st.booleans()),
        held=draw(
            st.sampled_from(
                [
                    None,
                    HeldTrip(rate_hz=48_000, buffer_samples=256, samples=500),
                    HeldTrip(rate_hz=44_100, buffer_samples=64, samples=7, origin="reported"),
                ]
            )
        ),
    )


def _back(
    draw: st.DrawFn,
    new: Callable[[str], str],
    rate_hz: int,
    plugs: list[Port],
    jacks_out: list[Port],
    jacks_in: list[Port],
    patches: list[Patch],
) -> tuple[list[Outboard], list[Port]]:
    """Outboard gear and leads back; gives the gear, and those of its outputs that a box feeds."""
    outboards, passed = [], []
    for n in range(draw(st.integers(0, 2))):
        outboard = Outboard(
            id=new("h"),
            name=f"Outboard {n}",
            width=draw(st.integers(1, 2)),
            delay_samples=draw(st.sampled_from([0, 0, 1, 100, 777])),
            rate_hz=rate_hz,
            gain_db=draw(GAINS),
            supplies_phantom=True,
            drives_both_legs=draw(st.booleans()),
            effects=draw(st.sampled_from([False, False, True])),
        )
        outboards.append(outboard)
        # From what was there before, so that no leads go in a circle of their own.
        for leg in range(1, outboard.width + 1):
            froms = [*plugs, *jacks_out, *passed]
            if froms and draw(st.sampled_from([True, True, False])):
                feeds, into = draw(st.sampled_from(froms)), Port(outboard.id, "outboard_in", leg)
                patches.append(
                    Patch(
                        id=new("w"),
                        from_port=feeds,
                        to_port=into,
                        gain_db=draw(QUIET),
                        unbalanced=draw(st.booleans()),
                    )
                )
                if feeds not in plugs:
                    passed.append(Port(outboard.id, "outboard_out", leg))
    returned = [*jacks_out, *passed]
    for target in jacks_in if returned else ():
        if draw(st.sampled_from([True, False, False])):
            feeds, gain_db = draw(st.sampled_from(returned)), draw(QUIET)
            inverted = draw(st.booleans())
            patches.append(Patch(id=new("w"), from_port=feeds, to_port=target, gain_db=gain_db, inverted=inverted))
    return outboards, passed


@st.composite
def any_rig(
    draw: st.DrawFn,
    *,
    boxes_at_most: int = 2,
    joined: bool = True,
    busy: bool = False,
    converting: bool = False,
    back: bool = False,
    cabled: bool = False,
) -> Rig:
    """Any rig that holds together: anything plugged, mapped, armed or left out, in any combination.

    ``joined``: boxes may be joined, opened in pairs, led by each other's clocks, or not connected. ``busy``: there is
    much of everything and little stands in the way, so that sound gets through. ``converting``: programs are set to
    rates of their own, which some drivers resample, and their load was read. ``back``: there is outboard gear, and
    leads go back from output jacks to input jacks. ``cabled``: there are cables among the boxes.
    """
    least = 2 if busy else 0
    numbers = iter(range(1, 10_000))

    def new(prefix: str) -> str:
        return f"{prefix}{next(numbers)}"

    boxes, programs, sources, destinations = [], [], [], []
    same_rate, rate = draw(st.sampled_from([True, True, False] if busy else [True, False])), draw(RATES)
    for n in range(draw(st.integers(min(least, boxes_at_most), boxes_at_most))):
        rate = rate if same_rate else draw(RATES)
        ins, outs = draw(st.integers(least, 5)), draw(st.integers(least, 5))
        pairs = st.tuples(st.integers(1, max(1, ins)), st.integers(1, max(1, outs)))
        crossed = draw(st.lists(pairs, unique=True, max_size=4)) if ins and outs else []
        boxes.append(
            Interface(
                id=new("b"),
                name=f"Box {n}",
                jack_in=ins,
                jack_out=outs,
                capture=draw(st.integers(least, 5)),
                playback=draw(st.integers(least, 5)),
                optical_in=draw(st.sampled_from([0, 0, 0 if busy else 2, 4])),
                optical_out=draw(st.sampled_from([0, 0, 0 if busy else 2, 4])),
                rates_hz=(rate,),
                rate_hz=rate,
                **(_clock(draw) if joined else {}),
                converter_in_samples=draw(FIXED),
                mixer_samples=draw(FIXED),
                link_in_samples=draw(FIXED),
                link_out_samples=draw(FIXED),
                converter_out_samples=draw(FIXED),
                direct=tuple(
                    DirectMonitor(jack_in=i, jack_out=o, gain_db=draw(GAINS), muted=draw(st.booleans()))
                    for i, o in crossed
                ),
                phantom_on=tuple(draw(st.sets(st.integers(1, ins)))) if ins else (),
                drives_both_legs=draw(st.booleans()),
                output_trims_db=tuple(draw(st.sampled_from([0.0, 0.0, -20.0])) for _ in range(outs)),
                drivers=tuple(
                    Driver(
                        id=new("d"),
                        kind=draw(st.sampled_from(KINDS)),
                        installed=draw(st.sampled_from([True, True, True, busy])),
                        clients=draw(st.sampled_from(["many", "many", "many" if busy else "one", "one"])),
                        capture=draw(st.sampled_from([None, None, 2])),
                        playback=draw(st.sampled_from([None, None, 2])),
                        buffers_samples=(buffer, *((64, 441, 1024) if busy else ())),
                        buffer_samples=buffer,
                        engine_samples=draw(st.sampled_from([None, None if busy else 48, 441, 480, 512])),
                        safety_in_samples=draw(FIXED),
                        safety_out_samples=draw(FIXED),
                        offsets=_offsets(draw, rate) if converting else (),
                        resamples=converting and draw(st.booleans()),
                        resampling_samples=draw(FIXED) if converting else 72,
                    )
                    for buffer in draw(st.lists(BUFFERS, min_size=1, max_size=2))
                ),
            )
        )
    boxes += _cables(draw, rate, boxes, new) if cabled else []
    for n in range(draw(st.integers(least, 3))):
        sources.append(
            Source(
                id=new("s"),
                name=f"Source {n}",
                width=draw(st.integers(1, 2)),
                level_dbu=-38,
                needs_phantom=draw(st.booleans()) and not busy,
            )
        )
    for n in range(draw(st.integers(least, 2))):
        destinations.append(Destination(id=new("x"), name=f"Ears {n}", width=draw(st.integers(1, 2))))
    aggregates = []
    if joined and boxes and (busy or draw(st.booleans())):
        members = draw(
            st.lists(
                st.sampled_from(boxes),
                min_size=max(1, min(least, len(boxes))),
                max_size=3,
                unique_by=lambda box: box.id,
            )
        )
        aggregates.append(
            Aggregate(
                id=new("g"),
                name="Joined",
                members=tuple(Member(device=box.id, matched=draw(st.booleans())) for box in members),
                master=draw(st.sampled_from([None, boxes[0].id])),
                buffer_samples=draw(st.sampled_from([64, 441, 1024])) if busy else draw(BUFFERS),
                margin_samples=draw(st.sampled_from([0, 16, 500])),
                align=draw(st.sampled_from(["none", "pad to the longest"])),
                matches=draw(st.sampled_from([True, True, False])),
            )
        )
    channels = st.integers(1, 8) if busy else st.one_of(st.none(), st.integers(1, 6))
    for n in range(draw(st.integers(least, 2))):
        ports = [
            [
                ProgramPort(id=new(p), name=f"{p} {k}", legs=tuple(draw(st.lists(channels, min_size=1, max_size=2))))
                for k in range(draw(st.integers(least, 3)))
            ]
            for p in ("i", "o")
        ]
        buses = [new("u") for _ in range(draw(st.integers(0, 2)))]
        sinks = [None, *(p.id for p in ports[1]), *buses]
        devices = [*boxes, *aggregates, *aggregates] if busy else [None, *boxes, *aggregates]
        device = draw(st.sampled_from(devices)) if boxes else None
        out = draw(st.sampled_from([None, *boxes])) if joined and isinstance(device, Interface) else None
        tracks = [
            Track(
                id=new("t"),
                name=f"Track {k}",
                width=width,
                input=draw(st.sampled_from([*([] if busy else [None]), *(p.id for p in ports[0]), *buses[:1]])),
                output=draw(st.sampled_from(sinks[1:] if busy else sinks)),
                armed=busy or draw(st.booleans()),
                monitored=busy or draw(st.booleans()),
                muted=draw(st.sampled_from([False, False, True])),
                soloed=draw(st.sampled_from([*[False] * 7, True])),
                gain_db=draw(GAINS),
                pan=draw(PANS),
                effect_delay_samples=draw(st.sampled_from([0, 0, 1, 64, 777])),
                insert=inserts(draw, width, ports[1], ports[0]) if back else None,
            )
            for k in range(draw(st.integers(least, 3)))
            for width in [draw(st.integers(1, 2))]
        ]
        voices = tuple(
            Voice(
                id=new("v"),
                name=f"Voice {k}",
                width=draw(st.integers(1, 2)),
                output=draw(st.sampled_from(sinks)),
                pan=draw(PANS),
            )
            for k in range(draw(st.integers(0, 2)))
        )
        programs.append(
            Program(
                id=new("p"),
                name=f"Program {n}",
                device=device.id if device else None,
                driver=draw(_driver_of(device)),
                output_device=out.id if out else None,
                output_driver=draw(_driver_of(out)),
                matched=draw(st.booleans()),
                margin_samples=draw(st.sampled_from([0, 16, 500])),
                buffer_samples=draw(st.sampled_from([None, 48, 64, 441, 1024])) if cabled else None,
                rate_hz=draw(st.one_of(st.none(), RATES)) if converting else None,
                read_ahead_samples=draw(st.sampled_from([None, 2048])) if converting else None,
                spreads_over_cores=converting and draw(st.booleans()),
                load_readings=_readings(draw) if converting else (),
                one_track_per_input=draw(st.sampled_from([False, False, True])),
                solo_output=draw(st.sampled_from([None, *(p.id for p in ports[1])])),
                lets_go_in_background=draw(st.sampled_from([False, False, False, True])),
                buses=tuple(
                    Bus(
                        id=bus,
                        name=bus,
                        width=width,
                        insert=inserts(draw, width, ports[1], ports[0]) if back else None,
                        output=draw(st.sampled_from(sinks)),
                        gain_db=draw(GAINS),
                        muted=draw(st.sampled_from([False, False, True])),
                        effects=draw(st.sampled_from([False, False, True])),
                        effect_delay_samples=draw(st.sampled_from([0, 0, 64, 777])),
                    )
                    for bus in buses
                    for width in [draw(st.integers(1, 2))]
                ),
                voices=voices,
                sends=_sends(draw, [*tracks, *voices], buses, sinks[1:], new),
                pan_law=draw(st.sampled_from(get_args(PanLaw))),
                mute_kills_pre=draw(st.booleans()),
                delay_compensation=draw(st.booleans()),
                enabled_in=tuple(draw(st.sets(st.integers(1, 6), min_size=2)) | set(range(1, 9 * busy))),
                enabled_out=tuple(draw(st.sets(st.integers(1, 6), min_size=2)) | set(range(1, 9 * busy))),
                inputs=tuple(ports[0]),
                outputs=tuple(ports[1]),
                tracks=tuple(tracks),
            )
        )
    jacks_in = [Port(b.id, "jack_in", n) for b in boxes for n in range(1, b.jack_in + 1)]
    jacks_out = [Port(b.id, "jack_out", n) for b in boxes for n in range(1, b.jack_out + 1)]
    plugs = [Port(s.id, "out", n) for s in sources for n in range(1, s.width + 1)]
    ends = [Port(d.id, "in", n) for d in destinations for n in range(1, d.width + 1)]
    patches = []
    outboards, passed = _back(draw, new, rate, plugs, jacks_out, jacks_in, patches) if back else ([], [])
    taken = {patch.to_port for patch in patches}
    jacks_in = [port for port in jacks_in if port not in taken]
    jacks_out += passed
    clocks_out = [Port(b.id, "word_out", 1) for b in boxes if b.word_clock_out]
    clocks_in = [Port(b.id, "word_in", 1) for b in boxes if b.word_clock_in]
    for targets, froms in ((jacks_in, plugs), (ends, jacks_out), (clocks_in, clocks_out)):
        for target in targets:
            others = [port for port in froms if port.owner != target.owner]
            if others and draw(st.sampled_from([True, True, True, False])):
                patches.append(
                    Patch(
                        id=new("w"),
                        from_port=draw(st.sampled_from(others)),
                        to_port=target,
                        gain_db=draw(GAINS),
                        muted=draw(st.sampled_from([False, False, False, True])),
                        inverted=draw(st.sampled_from([False, False, True])),
                        unbalanced=draw(st.booleans()),
                    )
                )
    starts = plugs + [Port(v.id, "voice", n) for p in programs for v in p.voices for n in range(1, v.width + 1)]
    legs = [Port(t.id, "track", n) for p in programs for t in p.tracks for n in range(1, t.width + 1)]
    lines = _lines(draw, starts, legs, ends, new)
    rig = Rig(
        name="Any",
        next_number=next(numbers),
        gear=(*sources, *boxes, *outboards, *aggregates, *programs, *destinations),
        patches=tuple(patches),
        lines=tuple(lines),
    )
    check(rig)
    return rig


def _lines(
    draw: st.DrawFn, starts: list[Port], legs: list[Port], ends: list[Port], new: Callable[[str], str]
) -> list[Line]:
    """Some lines between these sources, tracks and destinations, of one source or of several."""
    lines = []
    for n in range(draw(st.integers(0, 5))):
        purpose = draw(st.sampled_from(["record", "listen"]))
        pool = legs if purpose == "record" else ends
        mixed = draw(st.sampled_from([False, False, True]))
        begin = st.lists(st.sampled_from(starts), unique=True, max_size=4 if mixed else 2)
        lines.append(
            Line(
                id=new("l"),
                name=f"Line {n}",
                purpose=purpose,
                from_ports=tuple(draw(begin)) if starts else (),
                mixed=mixed,
                to_ports=tuple(draw(st.lists(st.sampled_from(pool), unique=True, max_size=2))) if pool else (),
                longest_delay_ms=draw(st.sampled_from([None, 1.0, 10.0, 100.0])),
                alone=draw(st.booleans()),
            )
        )
    return lines


def _cables(draw: st.DrawFn, rate_hz: int, boxes: list[Interface], new: Callable[[str], str]) -> list[Interface]:
    """One cable or a few beside other boxes."""
    others = [box.id for box in boxes]
    return [_cable(draw, number, rate_hz, others, new) for number in range(draw(st.integers(1, 3)))]


def _cable(draw: st.DrawFn, number: int, rate_hz: int, others: list[str], new: Callable[[str], str]) -> Interface:
    """Any cable beside other boxes, on the timer or following one of them."""
    follows = draw(st.sampled_from([None, *others]))
    made = new_cable(f"Cable {number}", draw(st.integers(2, 5)))
    driver = Driver(id=new("d"), own_blocks=True, buffer_samples=draw(st.sampled_from([64, 128, 1024])))
    return made.model_copy(
        update={
            "id": new("b"),
            "rates_hz": (rate_hz,),
            "rate_hz": rate_hz,
            "clock_source": "computer" if follows is None else "device",
            "follows": follows,
            "drivers": (driver,),
            "cable": Cable(margin_samples=draw(st.sampled_from([0, 1, 32, 300]))),
        }
    )


@st.composite
def with_what_cannot_be_known(draw: st.DrawFn, rigs: st.SearchStrategy[Rig]) -> Rig:
    """The same rigs with cables that start as it falls and far ends, whose delays nobody can know beforehand."""
    rig = draw(rigs)
    recorded = {port.owner for line in rig.lines for port in line.to_ports}
    ears: list[Port] = []
    gear: list[Gear] = []
    for each in rig.gear:
        gear.append(each)
        if isinstance(each, Interface) and each.cable is not None and draw(st.booleans()):
            gear[-1] = each.model_copy(update={"cable": each.cable.model_copy(update={"start": "as it falls"})})
        if isinstance(each, Program) and each.voices and draw(st.booleans()):
            low = draw(st.tuples(st.sampled_from([0.0, 3.0, 40.0]), st.sampled_from([0.0, 3.0, 40.0])))
            far = FarEnd(
                from_low_ms=low[0],
                from_high_ms=low[0] + draw(st.sampled_from([0.0, 5.5, 80.0])),
                to_low_ms=low[1],
                to_high_ms=low[1] + draw(st.sampled_from([0.0, 5.5, 80.0])),
            )
            voice = draw(st.sampled_from(each.voices))
            heard = [track.id for track in each.tracks if track.id not in recorded and draw(st.booleans())]
            ears += [Port(t.id, "track", leg) for t in each.tracks if t.id in heard for leg in range(1, t.width + 1)]
            gear[-1] = each.model_copy(
                update={
                    "voices": tuple(v.model_copy(update={"far": far}) if v is voice else v for v in each.voices),
                    "tracks": tuple(
                        t.model_copy(update={"far_end": voice.id}) if t.id in heard else t for t in each.tracks
                    ),
                }
            )
    lines = [
        line.model_copy(update={"to_ports": (draw(st.sampled_from(ears)),)})
        if ears and line.purpose == "listen" and draw(st.booleans())
        else line
        for line in rig.lines
    ]
    rig = rig.model_copy(update={"gear": tuple(gear), "lines": tuple(lines)})
    check(rig)
    return rig


@st.composite
def programs_joined(draw: st.DrawFn, rigs: st.SearchStrategy[Rig]) -> Rig:
    """The same rigs with all that programs may have to do with each other: calls, hosts, returns, clocks, notes."""
    rig = draw(with_what_cannot_be_known(rigs))
    programs = {gear.id: gear for gear in rig.gear if isinstance(gear, Program)}
    number = rig.next_number
    order = draw(st.permutations(list(programs)))
    if len(order) > 1 and draw(st.booleans()):
        leader, follower = programs[order[0]], programs[order[1]]
        bare = dict.fromkeys(("device", "driver", "output_device", "output_driver"))
        hosted = Hosted(
            leader=leader.id,
            ahead=draw(st.sampled_from(["short", "long"])),
            long_samples=draw(st.sampled_from([0, 64, 1024])),
            compensated=draw(st.booleans()),
            stamped=draw(st.booleans()),
        )
        programs[follower.id] = follower.model_copy(update={"hosted": hosted, **bare})
        returns = []
        for item in follower.outputs:
            if draw(st.booleans()):
                legs = (None,) * len(item.legs)
                returns.append(ProgramPort(id=f"i{number}", name=f"Return {number}", legs=legs, returns=item.id))
                number += 1
        tracks = tuple(
            track.model_copy(update={"input": draw(st.sampled_from(returns)).id})
            if returns and draw(st.booleans())
            else track
            for track in leader.tracks
        )
        programs[leader.id] = leader.model_copy(update={"inputs": (*leader.inputs, *returns), "tracks": tracks})
    for identity in order:
        links = []
        for sender in order:
            if sender != identity and draw(st.booleans()):
                links.append(
                    SyncLink(
                        id=f"y{number}",
                        sender=sender,
                        clock=draw(st.booleans()),
                        notes=draw(st.booleans()),
                        sent=draw(st.sampled_from(get_args(Timing))),
                        read=draw(st.sampled_from(get_args(Timing))),
                        begins_at_call=draw(st.booleans()),
                        offset_ms=draw(st.sampled_from([0.0, 5.667, -3.0])),
                    )
                )
                number += 1
        follows = draw(st.booleans())
        programs[identity] = programs[identity].model_copy(update={"syncs": tuple(links), "follows_clock": follows})
    gear = tuple(programs.get(each.id, each) for each in rig.gear)
    rig = rig.model_copy(update={"gear": gear, "next_number": number})
    check(rig)
    return rig


def as_one_speed(rig: Rig) -> Rig:
    """The same rig with every clock exactly right, though they are different clocks."""
    gear = [
        each.model_copy(
            update={
                "measured_ppm": 0.0,
                "clock_source": "own" if each.clock_source == "computer" and each.cable is None else each.clock_source,
            }
        )
        if isinstance(each, Interface)
        else each
        for each in rig.gear
    ]
    return rig.model_copy(update={"gear": tuple(gear)})
