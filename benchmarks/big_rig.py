"""A made-up rig of any size, for benchmarks and for the test that works on a large one."""

from pydantic import JsonValue

from iskelo.core.edits.additions import (
    AddDestination,
    AddFeed,
    AddGear,
    AddInterface,
    AddLine,
    AddMixes,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit, JoinDevices, Plug, SetDevice, SetValues
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.lines.context import read
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.rig.gear import Aggregate, Member, Source
from iskelo.core.rig.index import index
from iskelo.core.rig.mixer_makes import new_mixer
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig


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


def many_programs(count: int) -> Rig:
    """Players on one box, each with its load meter read, each heard within a limit in one pair of phones."""
    rig = apply(
        Rig(name=f"{count} programs"),
        (AddInterface(name="Box", jack_in=64, jack_out=64), AddDestination(name="Phones")),
    ).rig
    box, phones = rig.gear[0].id, rig.gear[1].id
    ears = (Port(phones, "in", 1), Port(phones, "in", 2))
    leads = tuple(Plug(from_port=Port(box, "jack_out", ear), to_port=Port(phones, "in", ear)) for ear in (1, 2))
    rig = apply(rig, leads).rig
    for number in range(1, count + 1):
        player = AddProgram(name=f"Player {number}", program_kind="player", voices=("Music",), device=box)
        rig = apply(rig, (player,)).rig
        program = index(rig).programs()[-1]
        voice = program.voices[0].id
        meter: JsonValue = [{"buffer_samples": 128, "percent": 5}, {"buffer_samples": 256, "percent": 4}]
        line = AddLine(
            name=f"Music {number}",
            purpose="listen",
            from_ports=(Port(voice, "voice", 1), Port(voice, "voice", 2)),
            to_ports=ears,
            longest_delay_ms=20,
        )
        rig = apply(rig, (SetValues(item=program.id, values={"load_readings": meter}), line)).rig
    return rig


def four_actors(*, matched: bool) -> Rig:
    """Two boxes of 16 joined as one, a recorder of all 32 and a player on them.

    ``matched``: the second box runs on its own clock and is matched; else the first one leads it.
    """
    rig = apply(
        Rig(name="Four actors"),
        (
            AddInterface(name="First", jack_in=16, jack_out=16, buffer_samples=64),
            AddInterface(name="Second", jack_in=16, jack_out=16, buffer_samples=64),
            AddSources(names=tuple(f"Mic {n}" for n in range(1, 33))),
        ),
    ).rig
    first, second = (box.id for box in index(rig).boxes)
    mics = [gear.id for gear in rig.gear if gear.name.startswith("Mic")]
    device = f"g{rig.next_number}"
    leads = tuple(
        Plug(from_port=Port(mic, "out", 1), to_port=Port(second if n > 16 else first, "jack_in", (n - 1) % 16 + 1))
        for n, mic in enumerate(mics, start=1)
    )
    return apply(
        rig,
        (
            *(() if matched else _led(first, second)),
            JoinDevices(
                name="Both", members=(Member(device=first), Member(device=second, matched=matched)), ids=(device,)
            ),
            AddProgram(name="Recorder", device=device, tracks=tuple(f"Track {n}" for n in range(1, 33))),
            AddProgram(name="Player", program_kind="player", voices=("Music",), device=device),
            *leads,
        ),
    ).rig


def _led(leader: str, follower: str) -> tuple[Edit, ...]:
    """A word clock from one box to another."""
    return (
        SetValues(item=leader, values={"word_clock_out": True}),
        SetValues(item=follower, values={"word_clock_in": True}),
        Plug(from_port=Port(leader, "word_out", 1), to_port=Port(follower, "word_in", 1)),
        SetValues(item=follower, values={"clock_source": "word clock"}),
    )


def going_round(loops: int, buffer: int) -> Rig:
    """A box of 16 with a recorder that plays every input on; so many outputs lead back into inputs, dying away."""
    rig = apply(
        Rig(name="Going round"),
        (
            AddInterface(name="Box", jack_in=16, jack_out=16, buffer_samples=buffer),
            AddSources(names=tuple(f"Player {n}" for n in range(1, 9)), source_kind="line player"),
        ),
    ).rig
    box = rig.gear[0].id
    rig = apply(rig, (AddProgram(name="Rec", device=box, tracks=tuple(f"T {n}" for n in range(1, 17))),)).rig
    recorder = index(rig).all_programs[0].id
    outputs = AddProgramPorts(
        program=recorder, side="output", names=tuple(f"O {n}" for n in range(1, 17)), first_channel=1
    )
    rig = apply(rig, (outputs,)).rig
    program = index(rig).all_programs[0]
    edits: list[Edit] = []
    for track, out in zip(program.tracks, program.outputs, strict=True):
        values: dict[str, JsonValue] = {"output": out.id, "monitored": True, "gain_db": -10.0}
        edits.append(SetValues(item=track.id, values=values))
    players = [gear.id for gear in rig.gear if gear.kind == "source"]
    edits += [
        Plug(from_port=Port(player, "out", 1), to_port=Port(box, "jack_in", jack))
        for jack, player in enumerate(players, start=1)
    ]
    edits += [
        Plug(from_port=Port(box, "jack_out", 8 + n), to_port=Port(box, "jack_in", 8 + n), gain_db=-40.0)
        for n in range(1, loops + 1)
    ]
    return apply(rig, tuple(edits)).rig


def two_desks() -> Rig:
    """Two mixers of 32 strips and 16 mixes, every strip in every mix, 64 raw channels recorded; one clock."""
    rig = Rig(name="Two desks")
    for number in (1, 2):
        rig = apply(rig, (AddGear(gear=new_mixer(f"Desk {number}", 32, analogue=False)),)).rig
    desks = index(rig).boxes
    for desk in desks:
        assert desk.mixer is not None
        names = tuple(f"Mix {n}" for n in range(1, 17 - len(desk.mixer.mixes)))
        rig = apply(rig, (AddMixes(mixer=desk.id, names=names, width=1),)).rig
    edits: list[Edit] = []
    for desk in index(rig).boxes:
        assert desk.mixer is not None
        edits += [
            AddFeed(mixer=desk.id, item=strip.id, to=mix.id, tap="before the fader", gain_db=-10)
            for strip in desk.mixer.strips
            for mix in desk.mixer.mixes[1:]
        ]
    first, second = (desk.id for desk in desks)
    edits += [
        AddSources(names=tuple(f"Microphone {n}" for n in range(1, 65))),
        AddDestination(name="Ears"),
        SetValues(item=first, values={"word_clock_out": True}),
        SetValues(item=second, values={"word_clock_in": True, "clock_source": "word clock"}),
        Plug(from_port=Port(first, "word_out", 1), to_port=Port(second, "word_in", 1)),
        *(
            AddProgram(name=f"Recorder {n}", device=desk, tracks=tuple(f"Track {n} {k}" for k in range(1, 33)))
            for n, desk in ((1, first), (2, second))
        ),
    ]
    rig = apply(rig, tuple(edits)).rig
    sources = [gear.id for gear in rig.gear if gear.kind == "source"]
    tracks = [track.id for program in index(rig).programs() for track in program.tracks]
    ears = next(gear.id for gear in rig.gear if gear.kind == "destination")
    return apply(
        rig,
        (
            *(
                Plug(from_port=Port(source, "out", 1), to_port=Port((first, second)[n // 32], "jack_in", n % 32 + 1))
                for n, source in enumerate(sources)
            ),
            Plug(from_port=Port(first, "jack_out", 7), to_port=Port(ears, "in", 1)),
            *(
                AddLine(name=f"Line {n}", from_ports=(Port(source, "out", 1),), to_ports=(Port(track, "track", 1),))
                for n, (source, track) in enumerate(zip(sources, tracks, strict=True), start=1)
            ),
        ),
    ).rig


def by_cables(sounds: int, *gear: str, width: int = 2) -> Rig:
    """A sampler with so many sounds, each wanted on its own track of a recorder; nothing joins them yet."""
    rig = Rig(name="By cables")
    wide = "stereo" if width == 2 else "mono"
    for phrase in (*gear, f"{wide} sampler Soundcase {sounds}", f"{wide} recorder Longhand {sounds}"):
        rig = apply(rig, gear_phrase(phrase)).rig
    sampler, recorder = (index(rig).gear[gear.id] for gear in rig.gear if gear.name in ("Soundcase", "Longhand"))
    assert isinstance(sampler, Program)
    assert isinstance(recorder, Program)
    lines = [
        AddLine(
            name=voice.name,
            purpose="record",
            from_ports=tuple(Port(voice.id, "voice", leg) for leg in range(1, width + 1)),
            to_ports=tuple(Port(track.id, "track", leg) for leg in range(1, width + 1)),
        )
        for voice, track in zip(sampler.voices, recorder.tracks, strict=True)
    ]
    return apply(rig, tuple(lines)).rig


def four_programs() -> Rig:
    """Twelve stereo sounds of a sampler by three cables to a recorder, which records eight microphones of a box beside
    them; a player and a second recorder on the box: 32 channels recorded from sources, all at a buffer of 64.
    """
    rig = by_cables(12, "box 8x8 Havra", "8 mic")
    joining = join_all(read(rig))
    assert joining is not None
    rig = apply(rig, joining.edits).rig
    for phrase in ("recorder Second 8", "player Cartwheel 2"):
        rig = apply(rig, gear_phrase(phrase)).rig
    recorder = next(gear for gear in rig.gear if gear.name == "Second")
    assert isinstance(recorder, Program)
    mics = [gear for gear in rig.gear if isinstance(gear, Source)]
    lines = [
        AddLine(
            name=mic.name,
            purpose="record",
            from_ports=(Port(mic.id, "out", 1),),
            to_ports=(Port(track.id, "track", 1),),
        )
        for mic, track in zip(mics, recorder.tracks, strict=True)
    ]
    rig = apply(rig, tuple(lines)).rig
    joining = join_all(read(rig))
    assert joining is not None
    rig = apply(rig, joining.edits).rig
    named = {gear.name: gear.id for gear in rig.gear}
    rig = apply(rig, (SetDevice(program=named["Cartwheel"], device=named["Havra"]),)).rig
    buffers = [gear.id for gear in rig.gear if isinstance(gear, Aggregate)]
    buffers += [driver.id for box in index(rig).boxes for driver in box.drivers if box.cable is None]
    return apply(rig, tuple(SetValues(item=item, values={"buffer_samples": 64}) for item in buffers)).rig
