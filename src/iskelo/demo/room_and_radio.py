"""What the demo has beside the recording: the room's loudspeakers by *Havra 16*, the web radio by *Wherry*.

The music beds go out of *Corvane 8* by a pair of their own, into two strips of *Havra 16*, to the room and by an aux to
the radio. The presenter speaks into *Havra 16* too, with the *Anvil press* on the insert, and is on the radio alone.
"""

from iskelo.core.edits.additions import (
    AddDestination,
    AddGear,
    AddLine,
    AddOutboard,
    AddProgramPorts,
    AddSends,
    AddSources,
)
from iskelo.core.edits.edit import Edit, Plug, SetJack, SetTrim, SetValues, TypeFeeds, TypeInsert, TypeStripFeeds
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do
from iskelo.demo.catalogue import catalogue

PRESENTER = "Presenter"
MUSIC = ("Music L", "Music R")
PRESS_JACK = 9
"""Of *Havra 16*, out and in."""


def with_room_and_radio(rig: Rig) -> Rig:
    """The demo with its room and its radio; *Corvane 8* and *Cartwheel* are there."""
    stock = {gear.name: gear for gear in catalogue()}
    rig = do(
        rig,
        AddSources(names=(PRESENTER,), needs_phantom=True),
        AddGear(gear=stock["Havra 16"]),
        AddGear(gear=stock["Wherry"]),
        AddOutboard(name="Anvil press"),
        AddDestination(name="Room loudspeakers", destination_kind="loudspeakers"),
        AddDestination(name="Web radio", destination_kind="feed", width=1),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    corvane, havra, wherry, press = (ids[name] for name in ("Corvane 8", "Havra 16", "Wherry", "Anvil press"))
    cartwheel = ids["Cartwheel"]
    player = next(program for program in index(rig).programs() if program.id == cartwheel)
    rig = do(rig, AddProgramPorts(program=cartwheel, side="output", names=("Room",), width=2, first_channel=3))
    out = _program(rig, cartwheel).outputs[-1].id
    rig = do(
        rig,
        AddSends(program=cartwheel, items=(player.voices[0].id,), to=out),
        *(Plug(from_port=Port(corvane, "jack_out", 2 + leg), to_port=Port(havra, "jack_in", leg)) for leg in (1, 2)),
        # Corvane 8 gives line level: none of a microphone's gain.
        *(SetTrim(interface=havra, jack_in=jack, trim_db=4.0) for jack in (1, 2)),
        Plug(from_port=Port(ids[PRESENTER], "out", 1), to_port=Port(havra, "jack_in", 3)),
        SetJack(interface=havra, jack_in=3, phantom=True),
        SetTrim(interface=havra, jack_in=3, trim_db=40),
        Plug(from_port=Port(havra, "jack_out", PRESS_JACK), to_port=Port(press, "outboard_in", 1)),
        Plug(from_port=Port(press, "outboard_out", 1), to_port=Port(havra, "jack_in", PRESS_JACK)),
        SetTrim(interface=havra, jack_in=PRESS_JACK, trim_db=0),
        TypeFeeds(mixer=havra, bank="jack_out", number=1, text="aux 1"),
        Plug(from_port=Port(havra, "jack_out", 1), to_port=Port(wherry, "jack_in", 1)),
        SetTrim(interface=wherry, jack_in=1, trim_db=-4.0),
        Plug(from_port=Port(wherry, "jack_out", 1), to_port=Port(ids["Web radio"], "in", 1)),
        *(
            Plug(from_port=Port(havra, "jack_out", 10 + leg), to_port=Port(ids["Room loudspeakers"], "in", leg))
            for leg in (1, 2)
        ),
    )
    strips = _mixer(rig, havra).strips
    edits: list[Edit] = [
        SetValues(item=strip.id, values={"name": name})
        for strip, name in zip(strips, (*MUSIC, PRESENTER), strict=False)
    ]
    edits += [SetValues(item=strips[0].id, values={"pan": -1.0}), SetValues(item=strips[1].id, values={"pan": 1.0})]
    edits += [TypeStripFeeds(strip=strip.id, text="main, aux 1 -6") for strip in strips[:2]]
    edits += [
        TypeStripFeeds(strip=strips[2].id, text="aux 1"),
        TypeInsert(strip=strips[2].id, text=f"out {PRESS_JACK} in {PRESS_JACK}"),
        TypeStripFeeds(strip=strips[PRESS_JACK - 1].id, text=""),
    ]
    rig = do(rig, *edits)
    bed = player.voices[0].id
    music = tuple(Port(bed, "voice", leg) for leg in (1, 2))
    room = tuple(Port(ids["Room loudspeakers"], "in", leg) for leg in (1, 2))
    radio = (Port(ids["Web radio"], "in", 1),)
    return do(
        rig,
        AddLine(name="Music, in the room", purpose="listen", from_ports=music, to_ports=room),
        AddLine(
            name="Presenter, on the radio",
            purpose="listen",
            from_ports=(Port(ids[PRESENTER], "out", 1),),
            to_ports=radio,
            alone=False,
        ),
        AddLine(name="Music, on the radio", purpose="listen", from_ports=music, to_ports=radio, alone=False),
    )


def _program(rig: Rig, identity: str) -> Program:
    return next(program for program in index(rig).programs() if program.id == identity)


def _mixer(rig: Rig, identity: str) -> Mixer:
    box = index(rig).gear[identity]
    assert isinstance(box, Interface)
    assert box.mixer is not None
    return box.mixer
