"""The demo rig: The Saltmarsh Wireless Players record *The Lamp at Orrin Point*.

Voices and effects microphones go through *Corvane 8* into *Longhand*; the director listens on headphones.
It opens with three things to mend: Dov's line is silent (two inputs share a channel), Alma is heard twice
(directly and through the recorder), and Cassia is heard too late.
"""

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
    SetDirect,
    SetLeg,
    SetTrim,
    SetValues,
)
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig, index

VOICES = ("Alma", "Bertil", "Cassia", "Dov")
EFFECTS = ("Gravel tray", "Creaking door", "Thunder sheet")
TANK = "Tank hydrophone"
EVERYONE = (*VOICES, *EFFECTS, TANK)


def orrin_point() -> Rig:
    """The demo rig, built by the same edits a technician would make."""
    rig = _do(
        Rig(name="Orrin Point", notes="Radio play with live effects. 48 kHz, performers within 10 ms."),
        AddSources(names=VOICES, needs_phantom=True),
        AddSources(names=EFFECTS, needs_phantom=True),
        AddSources(names=(TANK,), source_kind="instrument", needs_high_impedance=True),
        AddInterface(
            name="Corvane 8",
            jack_in=8,
            jack_out=8,
            buffer_samples=256,
            safety_in_samples=28,
            safety_out_samples=42,
        ),
    )
    box = next(gear for gear in rig.gear if isinstance(gear, Interface))
    rig = _do(rig, AddProgram(name="Longhand", device=box.id), AddDestination(name="Director's phones"))
    ids = {gear.name: gear.id for gear in rig.gear}
    longhand, phones = ids["Longhand"], ids["Director's phones"]
    ears = (Port(phones, "in", 1), Port(phones, "in", 2))
    leads: list[Edit] = [
        Plug(from_port=Port(ids[name], "out", 1), to_port=Port(box.id, "jack_in", jack))
        for jack, name in enumerate(EVERYONE, start=1)
    ]
    rig = _do(
        rig,
        *leads,
        Plug(from_port=Port(box.id, "jack_out", 1), to_port=ears[0]),
        Plug(from_port=Port(box.id, "jack_out", 2), to_port=ears[1]),
        SetTrim(interface=box.id, jack_in=8, trim_db=20),
        AddProgramPorts(program=longhand, names=EVERYONE, first_channel=1),
        AddProgramPorts(program=longhand, side="output", names=("Cue",), width=2, first_channel=1),
    )
    program = next(gear for gear in index(rig).programs())
    inputs = tuple(item.id for item in program.inputs)
    rig = _do(rig, AddTracks(program=longhand, names=EVERYONE, inputs=inputs, output=program.outputs[0].id))
    tracks = {track.name: track.id for track in index(rig).programs()[0].tracks}
    direct: list[Edit] = [SetDirect(interface=box.id, jack_in=jack, jack_out=ear) for jack in (1, 2) for ear in (1, 2)]
    recorded: list[Edit] = [
        AddLine(name=name, from_ports=(Port(ids[name], "out", 1),), to_ports=(Port(tracks[name], "track", 1),))
        for name in EVERYONE
    ]
    heard: list[Edit] = [
        AddLine(
            name=f"{name}, heard",
            purpose="listen",
            from_ports=(Port(ids[name], "out", 1),),
            to_ports=ears,
            longest_delay_ms=10,
        )
        for name in ("Alma", "Bertil", "Cassia")
    ]
    return _do(
        rig,
        *recorded,
        *heard,
        *direct,
        SetValues(item=tracks["Alma"], values={"monitored": True}),
        SetValues(item=tracks["Cassia"], values={"monitored": True}),
        # Somebody set up a new input and left it on the channel it came up with.
        SetLeg(item=inputs[3], channel=3),
    )


def _do(rig: Rig, *edits: Edit) -> Rig:
    return apply(rig, edits).rig
