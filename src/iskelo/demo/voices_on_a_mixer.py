"""The example *Main mix and raw voices*: four voices on *Havra 16*, the main mix and every voice by itself recorded.

What is raw sounds whatever the strips do; the main mix hears faders and mutes, and Bertil through the *Anvil press*.
The director hears the main mix. Everything arrives.
"""

from iskelo.core.edits.additions import (
    AddDestination,
    AddGear,
    AddLine,
    AddOutboard,
    AddProgram,
    AddProgramPorts,
    AddSources,
    AddTracks,
)
from iskelo.core.edits.edit import (
    Edit,
    Plug,
    SetDevice,
    SetJack,
    SetTrim,
    SetValues,
    TypeFeeds,
    TypeInsert,
    TypeStripFeeds,
)
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do
from iskelo.demo.catalogue import catalogue

VOICES = ("Alma", "Bertil", "Cassia", "Dov")
PRESS_JACK = 9
"""The jack out and in that the compressor hangs at."""


def voices_on_a_mixer() -> Rig:
    """The example rig, built by the same edits a technician would make."""
    havra = next(gear for gear in catalogue() if gear.name == "Havra 16")
    rig = do(
        Rig(name="Main mix and raw voices", notes="Four voices, mixed for the room and each by itself."),
        AddSources(names=VOICES, needs_phantom=True),
        AddGear(gear=havra),
        AddOutboard(name="Anvil press"),
        AddProgram(name="Longhand"),
        AddDestination(name="Director's phones"),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    desk, press, longhand, phones = (ids[name] for name in ("Havra 16", "Anvil press", "Longhand", "Director's phones"))
    ears = (Port(phones, "in", 1), Port(phones, "in", 2))
    rig = do(
        rig,
        *(
            edit
            for jack, name in enumerate(VOICES, start=1)
            for edit in (
                Plug(from_port=Port(ids[name], "out", 1), to_port=Port(desk, "jack_in", jack)),
                SetJack(interface=desk, jack_in=jack, phantom=True),
                SetTrim(interface=desk, jack_in=jack, trim_db=36),
            )
        ),
        *(Plug(from_port=Port(desk, "jack_out", 10 + leg), to_port=ear) for leg, ear in enumerate(ears, start=1)),
        Plug(from_port=Port(desk, "jack_out", PRESS_JACK), to_port=Port(press, "outboard_in", 1)),
        Plug(from_port=Port(press, "outboard_out", 1), to_port=Port(desk, "jack_in", PRESS_JACK)),
        SetTrim(interface=desk, jack_in=PRESS_JACK, trim_db=0),
        TypeFeeds(mixer=desk, number=1, text="main"),
        TypeFeeds(mixer=desk, number=3, text="in 1-4 raw"),
        SetDevice(program=longhand, device=desk),
        AddProgramPorts(program=longhand, names=("Main",), width=2, first_channel=1),
        AddProgramPorts(program=longhand, names=VOICES, first_channel=3),
    )
    rig = do(rig, *_strips(rig))
    inputs = tuple(item.id for item in _longhand(rig).inputs)
    rig = do(
        rig,
        AddTracks(program=longhand, names=("Main",), width=2, inputs=inputs[:1]),
        AddTracks(program=longhand, names=VOICES, inputs=inputs[1:]),
    )
    main, *tracks = (track.id for track in _longhand(rig).tracks)
    lines: list[Edit] = []
    for name, track in zip(VOICES, tracks, strict=True):
        start = (Port(ids[name], "out", 1),)
        lines += [
            AddLine(name=name, from_ports=start, to_ports=(Port(track, "track", 1),)),
            AddLine(
                name=f"{name} in the mix",
                from_ports=start,
                to_ports=(Port(main, "track", 1), Port(main, "track", 2)),
                alone=False,
            ),
            AddLine(name=f"{name}, heard", purpose="listen", from_ports=start, to_ports=ears, longest_delay_ms=10),
        ]
    rig = do(rig, *lines)
    taps = [
        SetValues(item=line.id, values={"tap": "a mix" if line.name.endswith("in the mix") else "raw"})
        for line in rig.lines
        if line.purpose == "record"
    ]
    return do(rig, *taps)


def _strips(rig: Rig) -> list[Edit]:
    """Strips that are called by their voices; the compressor on Bertil's, and its return on nobody else's strip."""
    (desk,) = index(rig).boxes
    assert desk.mixer is not None
    strips = desk.mixer.strips
    named = [SetValues(item=strip.id, values={"name": name}) for strip, name in zip(strips, VOICES, strict=False)]
    return [
        *named,
        TypeInsert(strip=strips[1].id, text=f"out {PRESS_JACK} in {PRESS_JACK}"),
        TypeStripFeeds(strip=strips[PRESS_JACK - 1].id, text=""),
    ]


def _longhand(rig: Rig) -> Program:
    return index(rig).all_programs[0]
