"""The example *Two voices on one box*: the smallest rig that is whole. Everything arrives, heard within 10 ms."""

from iskelo.core.edits.additions import (
    AddDestination,
    AddGear,
    AddLine,
    AddProgram,
    AddSources,
)
from iskelo.core.edits.edit import Edit, Plug, SetDirect, SetJack
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.demo.building import do
from iskelo.demo.catalogue import catalogue

VOICES = ("Alma", "Bertil")


def two_voices_on_one_box() -> Rig:
    """The example rig, built by the same edits a technician would make."""
    pellow = next(gear for gear in catalogue() if gear.name == "Pellow Duo")
    rig = do(
        Rig(name="Two voices on one box", notes="Two voices recorded, each by itself, and heard directly."),
        AddSources(names=VOICES, needs_phantom=True),
        AddGear(gear=pellow),
        AddDestination(name="Director's phones"),
    )
    ids = {gear.name: gear.id for gear in rig.gear}
    box, phones = ids["Pellow Duo"], ids["Director's phones"]
    rig = do(rig, AddProgram(name="Longhand", device=box, tracks=VOICES))
    tracks = [track.id for track in index(rig).all_programs[0].tracks]
    ears = (Port(phones, "in", 1), Port(phones, "in", 2))
    edits: list[Edit] = [
        Plug(from_port=Port(box, "jack_out", leg), to_port=ear) for leg, ear in enumerate(ears, start=1)
    ]
    for jack, (name, track) in enumerate(zip(VOICES, tracks, strict=True), start=1):
        start = Port(ids[name], "out", 1)
        edits += [
            Plug(from_port=start, to_port=Port(box, "jack_in", jack)),
            SetJack(interface=box, jack_in=jack, phantom=True),
            *(SetDirect(interface=box, jack_in=jack, jack_out=leg) for leg in (1, 2)),
            AddLine(name=name, from_ports=(start,), to_ports=(Port(track, "track", 1),)),
            AddLine(name=f"{name}, heard", purpose="listen", from_ports=(start,), to_ports=ears, longest_delay_ms=10),
        ]
    return do(rig, *edits)
