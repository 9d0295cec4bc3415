"""Any mixer: strips, taps, pans, keys, solos, inserts, mixes into mixes and mixes taken again, in any combination."""

from collections.abc import Callable

from hypothesis import strategies as st

from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Destination, Gear, Interface, Source
from iskelo.core.rig.mixers import Feed, Mix, Mixer, Strip, StripInsert, StripSource
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import PanLaw, Program, ProgramPort, Track, Voice
from iskelo.core.rig.rig import Patch, Rig
from rigs import any_rig

LAWS: tuple[PanLaw, ...] = ("0 dB", "-3 dB", "-4.5 dB", "-6 dB")
TAPS = ("direct", "before the fader", "behind the fader")
TURNS = st.sampled_from([0.0, 0.0, -6.0, -3.5, 3.0])
PANS = st.sampled_from([0.0, 0.0, -1.0, 1.0, -0.5, 0.3])
SELDOM = st.sampled_from([False, False, False, True])
WAITS = st.sampled_from([0, 0, 5, 48])


@st.composite
def any_mixer(draw: st.DrawFn, box: Interface, new: Callable[[str], str]) -> Interface:
    """A box with a mixer inside, which takes the place of its direct monitoring."""
    mixes = [
        Mix(
            id=new("mx"),
            name=f"Mix {n}",
            width=draw(st.integers(1, 2)),
            gain_db=draw(TURNS),
            muted=draw(SELDOM),
            solo_here=draw(SELDOM),
        )
        for n in range(draw(st.integers(1, 3)))
    ]
    strips = [draw(any_strip(box, mixes, new, n)) for n in range(draw(st.integers(1, 4)))]
    feeds: list[Feed] = []
    for place, mix in enumerate(mixes):
        # Mixes feed later ones only: those that come back do so by strips.
        feeds += [draw(any_feed(box, mix.id, mixes[place + 1 :], new)) for _ in range(draw(st.integers(0, 2)))]
    for strip in strips:
        feeds += [draw(any_feed(box, strip.id, mixes, new)) for _ in range(draw(st.integers(0, 3)))]
    feeds += [
        Feed(id=new("fd"), jack=jack, bank="capture", number=draw(st.integers(1, box.capture)))
        for jack in draw(st.sets(st.integers(1, box.jack_in), max_size=3))
    ]
    analogue = draw(st.booleans())
    mixer = Mixer(
        analogue=analogue,
        again_samples=draw(st.sampled_from([48, 48, 5])),
        raw_passes_core=draw(SELDOM),
        mute_kills_pre=draw(st.booleans()),
        mute_key=draw(st.sampled_from(["mutes", "moves"])),
        solo=draw(st.sampled_from(["before the fader", "behind the fader", "in place"])),
        pan_law=draw(st.sampled_from(LAWS)),
        strips=tuple(strips),
        mixes=tuple(mixes),
        feeds=once_each(feeds),
    )
    return box.model_copy(update={"direct": (), "mixer": mixer, "mixer_samples": draw(WAITS)})


@st.composite
def any_strip(draw: st.DrawFn, box: Interface, mixes: list[Mix], new: Callable[[str], str], n: int) -> Strip:
    width = draw(st.integers(1, 2))

    def source() -> StripSource:
        bank = draw(st.sampled_from(["jack_in", "jack_in", "jack_in", "playback", "mix"]))
        if bank == "mix":
            mix = draw(st.sampled_from(mixes))
            return StripSource(bank="mix", mix=mix.id, number=draw(st.integers(1, mix.width)))
        has = box.jack_in if bank == "jack_in" else box.playback
        return StripSource(bank=bank, number=draw(st.integers(1, has)))

    live = tuple(source() for _ in range(width))
    back = tuple(source() for _ in range(width)) if draw(SELDOM) else ()
    insert = None
    if draw(SELDOM) and min(box.jack_in, box.jack_out) >= width:
        insert = StripInsert(
            send=draw(st.integers(1, box.jack_out - width + 1)),
            back=draw(st.integers(1, box.jack_in - width + 1)),
            on=draw(st.booleans()),
            dry_db=draw(st.sampled_from([None, None, 0.0, -6.0])),
        )
    return Strip(
        id=new("st"),
        name=f"Strip {n}",
        live=live,
        back=back,
        plays_back=bool(back) and draw(st.booleans()),
        trim_db=draw(TURNS),
        inverted=draw(SELDOM),
        effect_delay_samples=draw(WAITS),
        insert=insert,
        muted=draw(SELDOM),
        soloed=draw(st.sampled_from([False] * 7 + [True])),
        gain_db=draw(TURNS),
        pan=draw(PANS),
    )


@st.composite
def any_feed(draw: st.DrawFn, box: Interface, item: str, mixes: list[Mix], new: Callable[[str], str]) -> Feed:
    banks = ["mix"] * bool(mixes) + ["capture"] * bool(box.capture) + ["jack_out"] * bool(box.jack_out)
    bank = draw(st.sampled_from(banks))
    has = {"capture": box.capture, "jack_out": box.jack_out}.get(bank, 1)
    width = draw(st.integers(1, min(2, has)))
    return Feed(
        id=new("fd"),
        item=item,
        bank=bank,
        to=draw(st.sampled_from(mixes)).id if bank == "mix" else None,
        number=draw(st.integers(1, has - width + 1)),
        width=width,
        tap=draw(st.sampled_from(TAPS)),
        gain_db=draw(TURNS),
        on=not draw(SELDOM),
        pan=draw(st.sampled_from([None, None, 0.0, -1.0])),
        key=draw(st.sampled_from(["always", "always", "key up", "key down"])),
    )


def once_each(feeds: list[Feed]) -> tuple[Feed, ...]:
    """Feeds without those that say the same twice."""
    return tuple({(f.item, f.jack, f.to, f.bank, f.number, f.tap, f.key): f for f in feeds}.values())


@st.composite
def any_mixing_rig(draw: st.DrawFn, *, back: bool = False) -> Rig:
    """Any rig in which each box is a mixer or may be one."""
    rig = draw(any_rig(joined=False, busy=True, back=back))
    number = rig.next_number

    def new(prefix: str) -> str:
        nonlocal number
        number += 1
        return f"{prefix}{number - 1}"

    gear = tuple(
        draw(any_mixer(each, new))
        if isinstance(each, Interface) and draw(st.sampled_from([True, True, False]))
        else each
        for each in rig.gear
    )
    return Rig.model_validate(rig.model_dump() | {"gear": [each.model_dump() for each in gear], "next_number": number})


@st.composite
def full_desk(draw: st.DrawFn, *, back: bool = False, playing: bool = True) -> Rig:
    """One mixer with something in every jack: a source, or a lead from one of its own outputs; all of its channels
    recorded, some of them monitored, all of its output jacks heard.
    """
    jacks_in, jacks_out, channels = draw(st.integers(2, 5)), draw(st.integers(2, 4)), draw(st.integers(2, 5))
    numbers = iter(range(1, 1000))

    def new(prefix: str) -> str:
        return f"{prefix}{next(numbers)}"

    box = Interface(
        id=new("b"),
        name="Desk",
        jack_in=jacks_in,
        jack_out=jacks_out,
        capture=channels,
        playback=jacks_out,
        converter_in_samples=draw(st.integers(0, 40)),
        converter_out_samples=draw(st.integers(0, 40)),
        link_in_samples=draw(WAITS),
        link_out_samples=draw(WAITS),
        input_full_scale_dbu=draw(st.sampled_from([18.0, 22.0, 10.0])),
        output_full_scale_dbu=draw(st.sampled_from([18.0, 22.0, 10.0])),
        trims_db=tuple(draw(st.sampled_from([20.0, 30.0])) for _ in range(jacks_in)),
        output_trims_db=tuple(draw(st.sampled_from([0.0, -20.0])) for _ in range(jacks_out)),
        drivers=(Driver(id=new("d"), buffer_samples=draw(st.sampled_from([32, 64, 128]))),),
    )
    box = draw(any_mixer(box, new))
    gear: list[Gear] = [box]
    patches: list[Patch] = []
    back_from = draw(st.sets(st.integers(1, jacks_in), max_size=2)) if back else set()
    for jack in range(1, jacks_in + 1):
        end = Port(box.id, "jack_in", jack)
        if jack not in back_from:
            source = Source(id=new("s"), name=f"S{jack}", level_dbu=-38.0)
            gear.append(source)
            patches.append(Patch(id=new("p"), from_port=Port(source.id, "out", 1), to_port=end, gain_db=draw(TURNS)))
            continue
        start = Port(box.id, "jack_out", draw(st.integers(1, jacks_out)))
        if draw(st.booleans()):
            press = Outboard(id=new("o"), name=f"O{jack}", delay_samples=draw(WAITS), gain_db=draw(TURNS))
            gear.append(press)
            patches.append(Patch(id=new("p"), from_port=start, to_port=Port(press.id, "outboard_in", 1)))
            start = Port(press.id, "outboard_out", 1)
        patches.append(Patch(id=new("p"), from_port=start, to_port=end, gain_db=-40.0, inverted=draw(SELDOM)))
    for jack in range(1, jacks_out + 1):
        ears = Destination(id=new("e"), name=f"E{jack}", width=1)
        gear.append(ears)
        patches.append(Patch(id=new("p"), from_port=Port(box.id, "jack_out", jack), to_port=Port(ears.id, "in", 1)))
    inputs = [ProgramPort(id=new("i"), name=f"In {n}", legs=(n,)) for n in range(1, channels + 1)]
    outputs = [ProgramPort(id=new("u"), name=f"Out {n}", legs=(n,)) for n in range(1, jacks_out + 1)]
    tracks = [
        Track(
            id=new("t"),
            name=f"T{n}",
            input=each.id,
            output=draw(st.sampled_from(outputs)).id,
            monitored=playing and draw(SELDOM),
            gain_db=-30.0,
        )
        for n, each in enumerate(inputs)
    ]
    voices = [Voice(id=new("v"), name=f"V{n}", output=each.id, level_dbfs=-18.0) for n, each in enumerate(outputs)]
    gear.append(
        Program(
            id=new("r"),
            name="Recorder",
            device=box.id,
            inputs=tuple(inputs),
            outputs=tuple(outputs),
            tracks=tuple(tracks),
            voices=tuple(voices) if playing else (),
            enabled_in=tuple(range(1, channels + 1)),
            enabled_out=tuple(range(1, jacks_out + 1)),
        )
    )
    return Rig(gear=tuple(gear), patches=tuple(patches), next_number=next(numbers))
