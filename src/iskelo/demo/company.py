"""What the demo has of programs that are joined: pads by cables, a narrator on the call, a program that mixes both.

*Soundcase* plays ten pads into the cables *Gully 1* to *3*, each pair of channels another. *Longhand* takes nine of
them by *Hall*; the third cable is missing there, so *Fire* is silent. *Gangway* takes the tenth, *Static*, with the
voices and the narrator Ines, who reads from home by *Farline*: what it mixes goes by *Corvane 8* and *Havra 16* to the
radio, and by *Gully 3* to Ines, who hears herself again in it.
"""

from iskelo.core.edits.additions import (
    AddBuses,
    AddGear,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSends,
    AddTracks,
    SpreadVoices,
)
from iskelo.core.edits.edit import (
    Edit,
    JoinDevices,
    Plug,
    Remove,
    SetLeg,
    SetMembers,
    SetTrim,
    SetValues,
    TypeStripFeeds,
)
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.gear import Aggregate, Interface, Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do, program_named
from iskelo.demo.orrin_point import orrin_point

PADS = ("Sea", "Wind", "Door", "Bell", "Gulls", "Engine", "Rain", "Crowd", "Fire", "Static")
GULLIES = ("Gully 1", "Gully 2", "Gully 3")
VOICES = ("Alma", "Bertil", "Cassia", "Dov")
NARRATOR = "Ines"
AIR_JACKS = (5, 4)
"""Of *Corvane 8* out, of *Havra 16* in: what Gangway mixes for the radio."""


def whole_company() -> Rig:
    """The whole evening: it opens with two lines silent, Dov's and *Fire*, and a few snags."""
    rig = with_company(orrin_point())
    return do(rig, SetValues(item="rig", values={"name": "Orrin Point"}))


def with_company(rig: Rig) -> Rig:
    """The demo with its pads, its call and its mixing program; *Hall*, *Longhand* and *Havra 16* are there."""
    rig = do(rig, *(AddGear(gear=new_cable(name, 8)) for name in GULLIES))
    ids = {gear.name: gear.id for gear in rig.gear}
    corvane, hall = ids["Corvane 8"], ids["Hall"]
    gullies = [ids[name] for name in GULLIES]
    joined = next(gear for gear in rig.gear if isinstance(gear, Aggregate))
    members = (*joined.members, *(Member(device=each) for each in gullies))
    rig = do(
        rig,
        *(SetValues(item=each, values={"follows": corvane}) for each in gullies),
        JoinDevices(
            name="Pads",
            members=tuple(Member(device=each) for each in gullies),
            master=gullies[0],
            buffer_samples=128,
            ids=("new1",),
        ),
        AddProgram(name="Soundcase", program_kind="sampler", voices=PADS, device="new1"),
        SetMembers(aggregate=hall, members=members),
    )
    rig = _recorded(rig)
    # Somebody joined the boxes anew for the show, and forgot the third cable.
    rig = do(rig, SetMembers(aggregate=hall, members=members[:-1]))
    return _on_air(rig, ids)


def _recorded(rig: Rig) -> Rig:
    soundcase, longhand = program_named(rig, "Soundcase"), program_named(rig, "Longhand")
    rig = do(rig, SpreadVoices(program=soundcase.id, first_channel=1))
    # Behind the sixteen channels of Corvane 8 and the two of Pellow Duo.
    rig = do(rig, AddProgramPorts(program=longhand.id, names=PADS[:-1], width=2, first_channel=19))
    inputs = tuple(item.id for item in program_named(rig, "Longhand").inputs[-len(PADS) + 1 :])
    cue = longhand.outputs[0].id
    rig = do(rig, AddTracks(program=longhand.id, names=PADS[:-1], width=2, inputs=inputs, output=cue))
    tracks = {track.name: track.id for track in program_named(rig, "Longhand").tracks}
    return do(
        rig,
        *(
            AddLine(
                name=voice.name,
                from_ports=tuple(Port(voice.id, "voice", leg) for leg in (1, 2)),
                to_ports=tuple(Port(tracks[voice.name], "track", leg) for leg in (1, 2)),
            )
            for voice in program_named(rig, "Soundcase").voices[:-1]
        ),
    )


def _on_air(rig: Rig, ids: dict[str, str]) -> Rig:
    corvane, havra, gully = ids["Corvane 8"], ids["Havra 16"], ids["Gully 3"]
    rig = do(
        rig,
        AddProgram(name="Farline", program_kind="call", voices=(NARRATOR,), voice_width=1, device=gully),
        JoinDevices(
            name="Air",
            members=(Member(device=corvane), Member(device=gully)),
            master=corvane,
            buffer_samples=256,
            ids=("new1",),
        ),
        AddProgram(name="Gangway", program_kind="mixing program", device="new1"),
    )
    farline, gangway = program_named(rig, "Farline"), program_named(rig, "Gangway")
    rig = do(
        rig,
        # Gully 3 carries Fire on 1-2, Static on 3-4, Ines on 5, what she hears on 6.
        Remove(items=tuple(item.id for item in farline.outputs)),
        AddProgramPorts(program=farline.id, side="output", names=(NARRATOR,), first_channel=5, ids=("new1",)),
        SetValues(item=farline.voices[0].id, values={"output": "new1"}),
        SetLeg(item=farline.inputs[0].id, channel=6),
        AddProgramPorts(program=gangway.id, names=VOICES, first_channel=1),
        AddProgramPorts(program=gangway.id, names=(NARRATOR,), first_channel=16 + 5),
        AddProgramPorts(program=gangway.id, names=("Static",), width=2, first_channel=16 + 3),
        AddProgramPorts(program=gangway.id, side="output", names=("Radio",), first_channel=AIR_JACKS[0]),
        AddProgramPorts(program=gangway.id, side="output", names=("Call",), first_channel=16 + 6),
    )
    gangway = program_named(rig, "Gangway")
    radio, call = gangway.outputs
    rig = do(
        rig,
        AddBuses(program=gangway.id, names=("Programme",), width=1, output=radio.id, ids=("new1",)),
        SetValues(item="new1", values={"gain_db": -6}),
        *(
            AddTracks(
                program=gangway.id,
                names=(item.name,),
                width=len(item.legs),
                inputs=(item.id,),
                output="new1",
                armed=False,
                monitored=True,
            )
            for item in gangway.inputs
        ),
        AddSends(program=gangway.id, items=("new1",), to=call.id),
        Plug(from_port=Port(corvane, "jack_out", AIR_JACKS[0]), to_port=Port(havra, "jack_in", AIR_JACKS[1])),
        SetTrim(interface=havra, jack_in=AIR_JACKS[1], trim_db=4.0),
    )
    strip = _strip(rig, havra, AIR_JACKS[1])
    rig = do(rig, SetValues(item=strip, values={"name": "Gangway"}), TypeStripFeeds(strip=strip, text="aux 1 -6"))
    voices = {voice.name: voice for program in index(rig).programs() for voice in program.voices}
    ines, ear = voices[NARRATOR], program_named(rig, "Farline").tracks[0]
    radio_in = (Port(ids["Web radio"], "in", 1),)
    on_air: list[Edit] = [
        AddLine(
            name=f"{name}, on the radio",
            purpose="listen",
            from_ports=tuple(Port(voices[name].id, "voice", leg) for leg in range(1, voices[name].width + 1)),
            to_ports=radio_in,
            alone=False,
        )
        for name in (NARRATOR, "Static")
    ]
    for_her: list[Edit] = [
        AddLine(
            name=f"{name}, for {NARRATOR}",
            purpose="listen",
            from_ports=(Port(ids[name], "out", 1),),
            to_ports=(Port(ear.id, "track", 1),),
            alone=False,
        )
        for name in VOICES
    ]
    far = {"from_low_ms": 35, "from_high_ms": 70, "to_low_ms": 35, "to_high_ms": 70, "assumed": False}
    return do(rig, SetValues.model_validate({"item": ines.id, "values": {"far": far}}), *on_air, *for_her)


def _strip(rig: Rig, mixer: str, jack: int) -> str:
    box = index(rig).gear[mixer]
    assert isinstance(box, Interface)
    assert box.mixer is not None
    return box.mixer.strips[jack - 1].id
