"""The example *Two boxes as one*: six named inputs of *Corvane 8* and *Pellow Duo*, which are joined as *Both*.

The steadier clock leads, the other box is matched and its inputs line up with the first one's; everything arrives.
"""

from iskelo.core.edits.additions import (
    AddDestination,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.edit import Edit, JoinDevices, Plug, SetValues
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do

ON_CORVANE = ("Alma", "Bertil", "Cassia", "Dov")
ON_PELLOW = ("Gravel tray", "Creaking door")


def two_boxes() -> Rig:
    """The example rig, built by the same edits a technician would make."""
    rig = do(
        Rig(name="Two boxes as one", notes="Four voices on one box, two effects on the other, one recorder."),
        AddSources(names=(*ON_CORVANE, *ON_PELLOW), needs_phantom=True),
        AddInterface(name="Corvane 8", jack_in=8, jack_out=8, safety_in_samples=28, safety_out_samples=42),
        AddInterface(name="Pellow Duo", jack_in=2, jack_out=2),
        AddDestination(name="Director's phones"),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    corvane, pellow, phones = ids["Corvane 8"], ids["Pellow Duo"], ids["Director's phones"]
    both = f"g{rig.next_number}"
    rig = do(
        rig,
        SetValues(item=corvane, values={"tolerance_ppm": 10, "phantom_on": [1, 2, 3, 4]}, origin="described"),
        SetValues(item=pellow, values={"tolerance_ppm": 50, "phantom_on": [1, 2]}, origin="described"),
        JoinDevices(
            name="Both",
            members=(Member(device=corvane), Member(device=pellow, matched=True)),
            master=corvane,
            buffer_samples=64,
            align="pad to the longest",
            ids=(both,),
        ),
        AddProgram(name="Longhand", device=both),
    )
    longhand = index(rig).all_programs[0].id
    # Behind the eight channels of Corvane 8.
    rig = do(
        rig,
        AddProgramPorts(program=longhand, names=ON_CORVANE, first_channel=1),
        AddProgramPorts(program=longhand, names=ON_PELLOW, first_channel=9),
    )
    inputs = tuple(item.id for item in index(rig).all_programs[0].inputs)
    rig = do(rig, AddTracks(program=longhand, names=(*ON_CORVANE, *ON_PELLOW), inputs=inputs))
    tracks = {track.name: track.id for track in index(rig).all_programs[0].tracks}
    return do(
        rig,
        *(_plug(ids[name], corvane, jack) for jack, name in enumerate(ON_CORVANE, start=1)),
        *(_plug(ids[name], pellow, jack) for jack, name in enumerate(ON_PELLOW, start=1)),
        *(Plug(from_port=Port(corvane, "jack_out", leg), to_port=Port(phones, "in", leg)) for leg in (1, 2)),
        *(
            AddLine(name=name, from_ports=(Port(ids[name], "out", 1),), to_ports=(Port(tracks[name], "track", 1),))
            for name in (*ON_CORVANE, *ON_PELLOW)
        ),
    )


def _plug(source: str, box: str, jack: int) -> Edit:
    return Plug(from_port=Port(source, "out", 1), to_port=Port(box, "jack_in", jack))
