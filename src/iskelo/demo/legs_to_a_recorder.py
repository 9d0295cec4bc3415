"""The example *Voices before the faders*: one program mixes four voices for the room, another records them.

*Gangway* plays its mix into the room by *Corvane 8*, and sends every voice on before its fader, each by a channel of
the cable *Gully*; the mix goes there too. *Longhand* records from the first to the last of them: who moves a fader,
mutes a voice or solos another one changes what the room hears, and the recorded mix, but no recorded voice.
"""

from iskelo.core.edits.additions import (
    AddBuses,
    AddDestination,
    AddGear,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSends,
    AddSources,
    AddTracks,
    SpreadTracks,
)
from iskelo.core.edits.edit import Edit, JoinDevices, Plug, SetJack, SetValues
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.gear import Member
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do, program_named

VOICES = ("Alma", "Bertil", "Cassia", "Dov")
ROOM = "Room loudspeakers"


def legs_to_a_recorder() -> Rig:
    """The example rig, built by the same edits a technician would make."""
    rig = do(
        Rig(name="Voices before the faders", notes="One program mixes for the room, another one records."),
        AddSources(names=VOICES, needs_phantom=True),
        AddInterface(name="Corvane 8", jack_in=8, jack_out=8, safety_in_samples=28, safety_out_samples=42),
        AddGear(gear=new_cable("Gully", 8)),
        AddDestination(name=ROOM, destination_kind="loudspeakers"),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    box, gully = ids["Corvane 8"], ids["Gully"]
    rooms = tuple(Port(ids[ROOM], "in", leg) for leg in (1, 2))
    rig = do(
        rig,
        SetValues(item=gully, values={"follows": box}),
        JoinDevices(
            name="Air",
            members=(Member(device=box), Member(device=gully)),
            master=box,
            buffer_samples=128,
            ids=("new1",),
        ),
        AddProgram(name="Gangway", program_kind="mixing program", device="new1"),
        AddProgram(name="Longhand", device=gully),
        *(SetJack(interface=box, jack_in=jack, phantom=True) for jack in range(1, len(VOICES) + 1)),
        *(
            Plug(from_port=Port(ids[name], "out", 1), to_port=Port(box, "jack_in", jack))
            for jack, name in enumerate(VOICES, start=1)
        ),
        *(Plug(from_port=Port(box, "jack_out", leg), to_port=end) for leg, end in enumerate(rooms, start=1)),
    )
    rig = _recorded(_mixed(rig))
    tracks = {track.name: track.id for track in program_named(rig, "Longhand").tracks}
    mix = tuple(Port(tracks["Mix"], "track", leg) for leg in (1, 2))
    wanted: list[Edit] = []
    for name in VOICES:
        source = (Port(ids[name], "out", 1),)
        wanted += [
            AddLine(name=name, from_ports=source, to_ports=(Port(tracks[name], "track", 1),)),
            AddLine(name=f"{name}, in the mix", from_ports=source, to_ports=mix, alone=False),
            AddLine(
                name=f"{name}, in the room",
                purpose="listen",
                from_ports=source,
                to_ports=rooms,
                longest_delay_ms=10,
                alone=False,
            ),
        ]
    rig = do(rig, *wanted)
    return do(
        rig,
        *(
            SetValues(item=line.id, values={"tap": "before the fader" if line.alone else "a mix"})
            for line in rig.lines
            if line.purpose == "record"
        ),
    )


def _mixed(rig: Rig) -> Rig:
    """Gangway: four strips to one mix, which goes to the room and, behind the voices, to the cable."""
    gangway = program_named(rig, "Gangway")
    rig = do(
        rig,
        AddProgramPorts(program=gangway.id, names=VOICES, first_channel=1),
        AddProgramPorts(program=gangway.id, side="output", names=("Room",), width=2, first_channel=1),
    )
    gangway = program_named(rig, "Gangway")
    taken, room = tuple(item.id for item in gangway.inputs), gangway.outputs[0].id
    # Behind the eight channels of Corvane 8: Gully 1 to 4, and the mix on 5-6.
    first = 8 + 1
    rig = do(
        rig,
        AddBuses(program=gangway.id, names=("Mix",), output=room, ids=("new1",)),
        SetValues(item="new1", values={"gain_db": -6}),
        AddTracks(program=gangway.id, names=VOICES, inputs=taken, output="new1", armed=False, monitored=True),
        SpreadTracks(program=gangway.id, first_channel=first),
        AddProgramPorts(
            program=gangway.id,
            side="output",
            names=("Mix",),
            width=2,
            first_channel=first + len(VOICES),
            ids=("new1",),
        ),
    )
    gangway = program_named(rig, "Gangway")
    return do(rig, AddSends(program=gangway.id, items=(gangway.buses[0].id,), to=gangway.outputs[-1].id))


def _recorded(rig: Rig) -> Rig:
    """Longhand: from the first channel to the last of what Gangway gives it."""
    longhand = program_named(rig, "Longhand")
    rig = do(
        rig,
        AddProgramPorts(program=longhand.id, names=VOICES, first_channel=1),
        AddProgramPorts(program=longhand.id, names=("Mix",), width=2, first_channel=1 + len(VOICES)),
    )
    *voices, mix = (item.id for item in program_named(rig, "Longhand").inputs)
    return do(
        rig,
        AddTracks(program=longhand.id, names=VOICES, inputs=tuple(voices)),
        AddTracks(program=longhand.id, names=("Mix",), width=2, inputs=(mix,)),
    )
