"""The rehearsal (``company`` is the whole evening): The Saltmarsh Wireless Players record *The Lamp at Orrin Point*.

Voices and effects microphones go through *Corvane 8* into *Longhand*, the reed organ through *Pellow Duo*; *Hall* joins
the two boxes. The director listens on headphones. *Cartwheel* plays the music beds; the computer's own sounds use
*Corvane 8* by its system driver. The room and the web radio hang on *Havra 16* and *Wherry* (``room_and_radio.py``).
It opens with five things to mend: Dov's line is silent (two inputs share a channel),
Alma is heard twice (directly and through the recorder), Cassia is heard too late, the computer's beeps are in the
phones, and *Pellow Duo* runs on its own clock, so the organ drifts.
"""

from pydantic import JsonValue

from iskelo.core.edits.additions import (
    AddDestination,
    AddDriver,
    AddInterface,
    AddLine,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.edit import Edit, JoinDevices, Plug, SetDevice, SetDirect, SetLeg, SetTrim, SetValues
from iskelo.core.planner.measured import ReportRequest, settle_report
from iskelo.core.rig.gear import Interface, Member, Source
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do
from iskelo.demo.room_and_radio import with_room_and_radio

VOICES = ("Alma", "Bertil", "Cassia", "Dov")
EFFECTS = ("Gravel tray", "Creaking door", "Thunder sheet")
TANK = "Tank hydrophone"
ORGAN = "Reed organ"
EVERYONE = (*VOICES, *EFFECTS, TANK)


def orrin_point() -> Rig:
    """The demo rig, built by the same edits a technician would make."""
    return with_room_and_radio(recording())


def recording() -> Rig:
    """What of it records, and what the director hears."""
    rig = do(
        Rig(name="Orrin Point, rehearsal", notes="Radio play with live effects. 48 kHz, performers within 10 ms."),
        AddSources(names=VOICES, needs_phantom=True),
        AddSources(names=EFFECTS, needs_phantom=True),
        AddSources(names=(ORGAN,), width=2, needs_phantom=True),
        AddSources(names=(TANK,), source_kind="instrument", needs_high_impedance=True),
        AddInterface(
            name="Corvane 8",
            jack_in=8,
            jack_out=8,
            capture=16,
            playback=16,
            buffer_samples=256,
            safety_in_samples=28,
            safety_out_samples=42,
        ),
    )
    box = next(gear for gear in rig.gear if isinstance(gear, Interface))
    rig = _described(rig, box)
    rig, hall, pellow = _joined(rig, box)
    rig = do(rig, AddProgram(name="Longhand", device=hall), AddDestination(name="Director's phones"))
    ids = {gear.name: gear.id for gear in rig.gear}
    longhand, phones = ids["Longhand"], ids["Director's phones"]
    ears = (Port(phones, "in", 1), Port(phones, "in", 2))
    leads: list[Edit] = [
        Plug(from_port=Port(ids[name], "out", 1), to_port=Port(box.id, "jack_in", jack))
        for jack, name in enumerate(EVERYONE, start=1)
    ]
    rig = do(
        rig,
        *leads,
        Plug(from_port=Port(box.id, "jack_out", 1), to_port=ears[0]),
        Plug(from_port=Port(box.id, "jack_out", 2), to_port=ears[1]),
        SetTrim(interface=box.id, jack_in=8, trim_db=20),
        SetValues(item=box.id, values={"phantom_on": [1, 2, 3, 4, 5, 6, 7], "high_impedance_on": [8]}),
        *(Plug(from_port=Port(ids[ORGAN], "out", leg), to_port=Port(pellow, "jack_in", leg)) for leg in (1, 2)),
        SetValues(item=pellow, values={"phantom_on": [1, 2]}),
        AddProgramPorts(program=longhand, names=EVERYONE, first_channel=1),
        # Behind the sixteen channels of Corvane 8.
        AddProgramPorts(program=longhand, names=(ORGAN,), width=2, first_channel=17),
        AddProgramPorts(program=longhand, side="output", names=("Cue",), width=2, first_channel=1),
    )
    program = next(gear for gear in index(rig).programs())
    inputs = tuple(item.id for item in program.inputs)
    cue = program.outputs[0].id
    rig = do(
        rig,
        AddTracks(program=longhand, names=EVERYONE, inputs=inputs[:-1], output=cue),
        AddTracks(program=longhand, names=(ORGAN,), width=2, inputs=inputs[-1:], output=cue),
    )
    tracks = {track.name: track.id for track in index(rig).programs()[0].tracks}
    rig = do(
        rig,
        AddProgram(name="Cartwheel", program_kind="player", voices=("Music bed",), device=box.id),
        AddProgram(name="System sounds", program_kind="system sounds", voices=("Beeps",), device=box.id),
    )
    shared = index(rig).interfaces()[0].drivers[1]
    beeps = next(gear.id for gear in rig.gear if gear.name == "System sounds")
    music = next(voice.id for program in index(rig).programs() for voice in program.voices)
    rig = do(rig, SetDevice(program=beeps, device=box.id, driver=shared.id))
    direct: list[Edit] = [SetDirect(interface=box.id, jack_in=jack, jack_out=ear) for jack in (1, 2) for ear in (1, 2)]
    recorded: list[Edit] = [
        AddLine(name=name, from_ports=(Port(ids[name], "out", 1),), to_ports=(Port(tracks[name], "track", 1),))
        for name in EVERYONE
    ]
    organ = AddLine(
        name=ORGAN,
        from_ports=tuple(Port(ids[ORGAN], "out", leg) for leg in (1, 2)),
        to_ports=tuple(Port(tracks[ORGAN], "track", leg) for leg in (1, 2)),
    )
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
    return do(
        rig,
        *recorded,
        organ,
        *heard,
        AddLine(
            name="Music, heard",
            purpose="listen",
            from_ports=(Port(music, "voice", 1), Port(music, "voice", 2)),
            to_ports=ears,
        ),
        *direct,
        SetValues(item=tracks["Alma"], values={"monitored": True}),
        SetValues(item=tracks["Cassia"], values={"monitored": True}),
        # What Longhand's own meter read in the rehearsal, and how long the show will be.
        SetValues(
            item=longhand,
            values={
                "load_readings": [
                    {"buffer_samples": 256, "percent": 38},
                    {"buffer_samples": 512, "percent": 30},
                ]
            },
        ),
        SetValues(item="rig", values={"show_minutes": 90}),
        # Somebody set up a new input and left it on the channel it came up with.
        SetLeg(item=inputs[3], channel=3),
    )


def _joined(rig: Rig, box: Interface) -> tuple[Rig, str, str]:
    """The second box, and both joined as *Hall*; nobody has matched the second one's clock yet."""
    rig = do(
        rig,
        AddInterface(name="Pellow Duo", jack_in=2, jack_out=2, safety_in_samples=24, safety_out_samples=32),
    )
    pellow = index(rig).boxes[1]
    hall = f"g{rig.next_number}"
    rig = do(
        rig,
        SetValues(item=box.id, values={"optical_in": 8, "optical_out": 8}),
        SetValues(item=box.id, values={"tolerance_ppm": 10}, origin="described"),
        SetValues(item=pellow.id, values={"link_kind": "USB full speed", "link_sample_bytes": 3}),
        SetValues(item=pellow.id, values={"tolerance_ppm": 50}, origin="described"),
        JoinDevices(
            name="Hall",
            members=(Member(device=box.id), Member(device=pellow.id)),
            master=box.id,
            buffer_samples=256,
            ids=(hall,),
        ),
    )
    return rig, hall, pellow.id


def _described(rig: Rig, box: Interface) -> Rig:
    """The box's figures as its maker describes them, and the system's own driver, which shows two channels."""
    figures = ("converter_in_samples", "mixer_samples", "link_in_samples", "link_out_samples", "converter_out_samples")
    values: dict[str, JsonValue] = {name: getattr(box, name) for name in figures}
    values |= {"input_full_scale_dbu": 18.0, "output_full_scale_dbu": 18.0}
    safety: dict[str, JsonValue] = {"safety_in_samples": 28, "safety_out_samples": 42}
    metered = [
        SetValues(item=each.id, values={"level_dbu": each.level_dbu}, origin="measured")
        for each in rig.gear
        if isinstance(each, Source)
    ]
    rig = do(
        rig,
        *metered,
        SetValues(item=box.id, values=values, origin="described"),
        SetValues(item=box.drivers[0].id, values=safety, origin="described"),
        AddDriver(interface=box.id, capture=2, playback=2, buffer_samples=512, engine_samples=480),
    )
    shared = index(rig).interfaces()[0].drivers[1]
    none: dict[str, JsonValue] = {"safety_in_samples": 0, "safety_out_samples": 0}
    # What the system reports of its driver at 512 leaves nothing for safety offsets: 993 samples in, 506 out.
    reports = settle_report(index(rig), ReportRequest(driver=shared.id, in_samples=993, out_samples=506))
    return do(rig, SetValues(item=shared.id, values=none, origin="described"), *reports)
