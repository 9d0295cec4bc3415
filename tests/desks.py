"""Small rigs round mixers of the catalogue, built by the edits a technician would make."""

from iskelo.core.edits.additions import AddLine
from iskelo.core.edits.edit import Edit, Plug, SetJack, SetTrim, SetValues
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Mixer, Strip
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.demo.catalogue import catalogue
from rigs import Bench


def desk_bench(*phrases: str) -> Bench:
    """A rig of gear that is typed, a name of the catalogue among them."""
    stock, bench = catalogue(), Bench(Rig(name="Desks"))
    for phrase in phrases:
        bench.do(*gear_phrase(phrase, stock))
    return bench


def mixer_of(bench: Bench, name: str) -> Mixer:
    box = bench.rig_gear(name)
    assert isinstance(box, Interface)
    assert box.mixer is not None
    return box.mixer


def strip_of(bench: Bench, desk: str, name: str) -> Strip:
    return next(strip for strip in mixer_of(bench, desk).strips if strip.name == name)


def feeds_to(bench: Bench, desk: str, channel: int) -> list[Feed]:
    return [feed for feed in mixer_of(bench, desk).feeds if feed.bank == "capture" and channel in feed.ends]


def plugged(bench: Bench, desk: str, jacks: dict[str, int], trim_db: float = 30.0) -> Bench:
    """Sources in jacks of a mixer, with the supply they need and a trim that leaves headroom."""
    box = bench.id(desk)
    edits: list[Edit] = []
    for name, jack in jacks.items():
        edits += [
            Plug(from_port=bench.out(name), to_port=Port(box, "jack_in", jack)),
            SetTrim(interface=box, jack_in=jack, trim_db=trim_db),
        ]
        if getattr(bench.rig_gear(name), "needs_phantom", False):
            edits.append(SetJack(interface=box, jack_in=jack, phantom=True))
    return bench.do(*edits)


def recorded(bench: Bench, *names: str, first: int = 1) -> Bench:
    """A line from each source to a track of the recorder, in order."""
    tracks = bench.program().tracks
    return bench.do(
        *(
            AddLine(
                name=f"L {name}",
                from_ports=(bench.out(name),),
                to_ports=(Port(tracks[place].id, "track", 1),),
            )
            for place, name in enumerate(names, start=first - 1)
        )
    )


def outboard_on(bench: Bench, desk: str, strip: str, press: str, jack_out: int, jack_in: int, *, dry: bool) -> Bench:
    """Outboard gear hung into a strip, with the dry path left open beside it or not."""
    box = bench.id(desk)
    insert = {"send": jack_out, "back": jack_in, "on": True, "dry_db": 0.0 if dry else None}
    return bench.do(
        Plug(from_port=Port(box, "jack_out", jack_out), to_port=Port(bench.id(press), "outboard_in", 1)),
        Plug(from_port=Port(bench.id(press), "outboard_out", 1), to_port=Port(box, "jack_in", jack_in)),
        # What goes out and comes back by the mixer's own converters is as loud as before.
        SetTrim(interface=box, jack_in=jack_in, trim_db=0),
        SetValues(item=strip_of(bench, desk, strip).id, values={"insert": insert}),
    )


def heard_at(bench: Bench, name: str, desk: str, jack_out: int) -> Bench:
    """A line from a source to the first leg of the phones, which are on one of the mixer's jacks."""
    phones = Port(bench.id("Phones"), "in", 1)
    return bench.do(
        Plug(from_port=Port(bench.id(desk), "jack_out", jack_out), to_port=phones),
        AddLine(name=f"{name} heard", purpose="listen", from_ports=(bench.out(name),), to_ports=(phones,)),
    )
