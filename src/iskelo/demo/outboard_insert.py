"""The example *Outboard on an insert*: a voice recorded as it comes, and again behind the *Anvil press*.

The recorder plays it out by a jack of its own, the compressor gives it back to another; both takes are recorded, and
what comes back is heard. Everything arrives; the second take is later by the way out and back.
"""

from iskelo.core.edits.additions import (
    AddDestination,
    AddInterface,
    AddLine,
    AddOutboard,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit, Plug, SetDevice, SetJack, SetTrim, SetValues
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig


def outboard_insert() -> Rig:
    """The example rig, built by the same edits a technician would make."""
    rig = _do(
        Rig(name="Outboard on an insert", notes="One voice, taken as it comes and behind a compressor."),
        AddSources(names=("Alma",), needs_phantom=True),
        AddInterface(name="Corvane 8", jack_in=8, jack_out=8, safety_in_samples=28, safety_out_samples=42),
        AddOutboard(name="Anvil press"),
        AddProgram(name="Longhand"),
        AddDestination(name="Director's phones"),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    box, press, longhand = ids["Corvane 8"], ids["Anvil press"], ids["Longhand"]
    driver = index(rig).boxes[0].drivers[0].id
    rig = _do(
        rig,
        SetDevice(program=longhand, device=box, driver=driver),
        SetValues(item=driver, values={"buffer_samples": 64}),
        SetValues(item=press, values={"highest_dbu": 24.0}, origin="described"),
        SetJack(interface=box, jack_in=1, phantom=True),
        # What comes back is at line level: it needs none of a microphone's gain.
        SetTrim(interface=box, jack_in=3, trim_db=0.0),
        Plug(from_port=Port(ids["Alma"], "out", 1), to_port=Port(box, "jack_in", 1)),
        Plug(from_port=Port(box, "jack_out", 3), to_port=Port(press, "outboard_in", 1)),
        Plug(from_port=Port(press, "outboard_out", 1), to_port=Port(box, "jack_in", 3)),
        *(
            Plug(from_port=Port(box, "jack_out", leg), to_port=Port(ids["Director's phones"], "in", leg))
            for leg in (1, 2)
        ),
        AddProgramPorts(program=longhand, names=("Alma",), first_channel=1),
        AddProgramPorts(program=longhand, names=("From the press",), first_channel=3),
        AddProgramPorts(program=longhand, side="output", names=("Main",), width=2, first_channel=1),
        AddProgramPorts(program=longhand, side="output", names=("To the press",), first_channel=3),
    )
    inputs, outputs = ([item.id for item in items] for items in (_longhand(rig).inputs, _longhand(rig).outputs))
    rig = _do(
        rig,
        AddTracks(program=longhand, names=("Alma",), inputs=(inputs[0],), output=outputs[1]),
        AddTracks(program=longhand, names=("Alma, pressed",), inputs=(inputs[1],), output=outputs[0]),
    )
    first, pressed = (track.id for track in _longhand(rig).tracks)
    alma, phones = Port(ids["Alma"], "out", 1), ids["Director's phones"]
    return _do(
        rig,
        *(SetValues(item=track, values={"monitored": True}) for track in (first, pressed)),
        AddLine(name="Alma", from_ports=(alma,), to_ports=(Port(first, "track", 1),)),
        AddLine(name="Alma, pressed", from_ports=(alma,), to_ports=(Port(pressed, "track", 1),)),
        AddLine(
            name="Alma, heard",
            purpose="listen",
            from_ports=(alma,),
            to_ports=(Port(phones, "in", 1), Port(phones, "in", 2)),
            longest_delay_ms=15,
        ),
    )


def _longhand(rig: Rig) -> Program:
    return index(rig).all_programs[0]


def _do(rig: Rig, *edits: Edit) -> Rig:
    return apply(rig, edits).rig
