"""The example *Outboard on an insert*: two voices heard together, one of them through the *Anvil press*.

The recorder sends Alma's track out by a jack of its own, the compressor gives it back to another; what it made of her
is recorded on a track of its own. Bertil waits for her in the mix, for the program knows how long the insert takes.
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
from iskelo.core.edits.edit import Plug, SetDevice, SetJack, SetValues, TypeProgramInsert
from iskelo.core.lines.context import read
from iskelo.core.planner.insert_figures import InsertFigureRequest, settle_insert
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do

VOICES = ("Alma", "Bertil")
DELAY_SAMPLES = 71
"""What the *Anvil press* was measured to take: it has converters of its own."""


def outboard_insert() -> Rig:
    """The example rig, built by the same edits a technician would make."""
    rig = do(
        Rig(name="Outboard on an insert", notes="Two voices in one mix, one of them through a compressor."),
        AddSources(names=VOICES, needs_phantom=True),
        AddInterface(name="Corvane 8", jack_in=8, jack_out=8, safety_in_samples=28, safety_out_samples=42),
        AddOutboard(name="Anvil press"),
        AddProgram(name="Longhand"),
        AddDestination(name="Director's phones"),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    box, press, longhand = ids["Corvane 8"], ids["Anvil press"], ids["Longhand"]
    driver = index(rig).boxes[0].drivers[0].id
    ears = tuple(Port(ids["Director's phones"], "in", leg) for leg in (1, 2))
    rig = do(
        rig,
        SetDevice(program=longhand, device=box, driver=driver),
        SetValues(item=driver, values={"buffer_samples": 64}),
        SetValues(item=press, values={"highest_dbu": 24.0}, origin="described"),
        SetValues(item=press, values={"delay_samples": DELAY_SAMPLES}, origin="measured"),
        *(SetJack(interface=box, jack_in=jack, phantom=True) for jack in (1, 2)),
        *(
            Plug(from_port=Port(ids[name], "out", 1), to_port=Port(box, "jack_in", jack))
            for jack, name in enumerate(VOICES, start=1)
        ),
        *(Plug(from_port=Port(box, "jack_out", leg), to_port=ear) for leg, ear in enumerate(ears, start=1)),
        AddProgramPorts(program=longhand, names=VOICES, first_channel=1),
        AddProgramPorts(program=longhand, side="output", names=("Main",), width=2, first_channel=1),
        SetValues(item=longhand, values={"delay_compensation": True}),
    )
    inputs, main = [item.id for item in _longhand(rig).inputs], _longhand(rig).outputs[0].id
    rig = do(rig, AddTracks(program=longhand, names=VOICES, inputs=tuple(inputs), output=main, monitored=True))
    alma, bertil = (track.id for track in _longhand(rig).tracks)
    rig = do(rig, TypeProgramInsert(item=alma, text="Anvil press"))
    back = _longhand(rig).inputs[-1].id
    rig = do(rig, AddTracks(program=longhand, names=("Alma, pressed",), inputs=(back,)))
    pressed = _longhand(rig).tracks[-1].id
    computed = InsertFigureRequest(item=alma, origin="computed")
    return do(
        rig,
        *settle_insert(read(rig), computed),
        *(
            AddLine(
                name=name, from_ports=(Port(ids[source], "out", 1),), to_ports=(Port(track, "track", 1),), through=way
            )
            for name, source, track, way in (
                ("Alma", "Alma", alma, ()),
                ("Bertil", "Bertil", bertil, ()),
                ("Alma, pressed", "Alma", pressed, (press,)),
            )
        ),
        *(
            AddLine(
                name=f"{name}, heard",
                purpose="listen",
                from_ports=(Port(ids[name], "out", 1),),
                to_ports=ears,
                longest_delay_ms=20,
            )
            for name in VOICES
        ),
    )


def _longhand(rig: Rig) -> Program:
    return index(rig).all_programs[0]
