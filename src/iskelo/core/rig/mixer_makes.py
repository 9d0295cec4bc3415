"""Insides of mixers as they come: a digital one of any size, and two kinds of analogue ones.

Figures are plausible and assumed; ids mean nothing outside, gear that is added gets its own.
"""

from collections.abc import Iterator, Sequence

from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Key, Mix, Mixer, Never, Strip, StripSource


def _ids() -> Iterator[str]:
    number = 0
    while True:
        number += 1
        yield f"n{number}"


def digital(
    strips: int,
    *,
    auxes: int,
    groups: int,
    jack_out: int,
    capture: int,
    playback: int,
    stage_jacks: int = 0,
) -> Mixer:
    """A strip a jack, each with the computer's channel of its number as return; raw inputs and the main pair for the
    computer; auxes on the first output jacks, the main pair on the last two.
    """
    ids = _ids()
    main = Mix(id=next(ids), name="Main", solo_here=False)
    several = [Mix(id=next(ids), name=f"Aux {n}", width=1) for n in range(1, auxes + 1)]
    sums = [Mix(id=next(ids), name=f"Group {n}") for n in range(1, groups + 1)]
    rows = [
        Strip(
            id=next(ids),
            name=f"Strip {n}",
            live=(StripSource(number=n),),
            back=(StripSource(bank="playback", number=n),) if n <= playback else (),
        )
        for n in range(1, strips + 1)
    ]
    feeds = [Feed(id=next(ids), item=strip.id, to=main.id) for strip in rows]
    feeds += [Feed(id=next(ids), item=group.id, to=main.id) for group in sums]
    feeds += [
        Feed(id=next(ids), item=aux.id, bank="jack_out", number=n)
        for n, aux in enumerate(several, start=1)
        if n <= jack_out - 2
    ]
    if jack_out >= 2:
        feeds.append(Feed(id=next(ids), item=main.id, bank="jack_out", number=jack_out - 1, width=2))
    raw = min(strips, capture)
    feeds += [Feed(id=next(ids), jack=n, bank="capture", number=n) for n in range(1, raw + 1)]
    if capture >= raw + 2:
        feeds.append(Feed(id=next(ids), item=main.id, bank="capture", number=raw + 1, width=2))
    return Mixer(
        again_samples=48,
        solo="in place",
        pan_law="-3 dB",
        stage_jacks=stage_jacks,
        strips=tuple(rows),
        mixes=(main, *several, *sums),
        feeds=tuple(feeds),
    )


def fixed_send(monos: int, stereos: int, *, moves: bool) -> Mixer:
    """An analogue mixer whose two channels for the computer hear the main mix alone, before the return joins it.

    Its last strip is that return: two jacks behind those of the strips; the strip before it is the computer's sound.
    Jack outputs 1-2 are the main pair, 3-4 the phones. ``moves``: the mute key moves a strip to a second pair, which
    goes to the phones.
    """
    ids = _ids()
    bus, main, phones = (Mix(id=next(ids), name=name) for name in ("Main mix", "Main out", "Phones"))
    pair = Mix(id=next(ids), name="Second pair") if moves else None
    rows = _strips(ids, monos, stereos)
    computer = Strip(
        id=next(ids), name="Computer", live=tuple(StripSource(bank="playback", number=leg) for leg in (1, 2))
    )
    back = monos + 2 * stereos
    behind = Strip(id=next(ids), name="Return", live=tuple(StripSource(number=back + leg) for leg in (1, 2)))
    up: Key = "key up" if moves else "always"
    feeds = [_fixed(ids, strip.id, bus.id, up) for strip in rows]
    if pair is not None:
        feeds += [_fixed(ids, strip.id, pair.id, "key down") for strip in rows]
        feeds.append(Feed(id=next(ids), item=pair.id, to=phones.id, fixed=True))
    feeds += [
        Feed(id=next(ids), item=bus.id, bank="capture", number=1, width=2, fixed=True),
        Feed(id=next(ids), item=bus.id, to=main.id, fixed=True),
        Feed(id=next(ids), item=main.id, bank="jack_out", number=1, width=2, fixed=True),
        Feed(id=next(ids), item=phones.id, bank="jack_out", number=3, width=2, fixed=True),
        Feed(id=next(ids), item=main.id, to=phones.id),
        Feed(id=next(ids), item=computer.id, to=phones.id),
        Feed(id=next(ids), item=computer.id, to=main.id, on=False),
        Feed(id=next(ids), item=behind.id, to=main.id),
        Feed(id=next(ids), item=behind.id, to=phones.id, on=False),
    ]
    never = [
        Never(starts="strip", start=strip.id, ends="mix", end=bus.id, reason="return_joins_after_send")
        for strip in (computer, behind)
    ]
    if pair is not None:
        never += [
            Never(starts="strip", start=strip.id, ends="mix", end=pair.id, reason="return_has_no_key")
            for strip in (computer, behind)
        ]
    return Mixer(
        analogue=True,
        highest_dbu=22.0,
        mute_kills_pre=not moves,
        mute_key="moves" if moves else "mutes",
        solo="behind the fader" if moves else "before the fader",
        open_feeds=False,
        strips=(*rows, computer, behind),
        mixes=(bus, main, phones) if pair is None else (bus, main, phones, pair),
        feeds=tuple(feeds),
        never=(
            *never,
            *(Never(starts=what, ends="capture", reason="send_hears_bus_only") for what in ("jack_in", "strip", "mix")),
        ),
    )


def second_pair(monos: int, stereos: int) -> Mixer:
    """An analogue mixer whose two channels for the computer hear its second pair, to which a key moves strips.

    The computer's sound comes to the last strip, which has no key.
    """
    ids = _ids()
    main, pair, phones = (Mix(id=next(ids), name=name) for name in ("Main", "Second pair", "Phones"))
    rows = _strips(ids, monos, stereos)
    computer = Strip(
        id=next(ids), name="Computer", live=tuple(StripSource(bank="playback", number=leg) for leg in (1, 2))
    )
    feeds = [_fixed(ids, strip.id, main.id, "key up") for strip in rows]
    feeds += [_fixed(ids, strip.id, pair.id, "key down") for strip in rows]
    feeds += [
        Feed(id=next(ids), item=pair.id, bank="capture", number=1, width=2, fixed=True),
        Feed(id=next(ids), item=pair.id, to=main.id, on=False),
        Feed(id=next(ids), item=main.id, bank="jack_out", number=1, width=2, fixed=True),
        Feed(id=next(ids), item=phones.id, bank="jack_out", number=3, width=2, fixed=True),
        Feed(id=next(ids), item=main.id, to=phones.id),
        Feed(id=next(ids), item=pair.id, to=phones.id, on=False),
        Feed(id=next(ids), item=computer.id, to=main.id),
    ]
    return Mixer(
        analogue=True,
        highest_dbu=22.0,
        mute_key="moves",
        solo="behind the fader",
        open_feeds=False,
        strips=(*rows, computer),
        mixes=(main, pair, phones),
        feeds=tuple(feeds),
        never=(
            Never(starts="strip", start=computer.id, ends="mix", end=pair.id, reason="return_has_no_key"),
            *(Never(starts=what, ends="capture", reason="not_offered") for what in ("jack_in", "strip", "mix")),
        ),
    )


def _strips(ids: Iterator[str], monos: int, stereos: int) -> Sequence[Strip]:
    rows = [Strip(id=next(ids), name=f"Strip {n}", live=(StripSource(number=n),)) for n in range(1, monos + 1)]
    for number in range(stereos):
        first = monos + 2 * number + 1
        legs = (StripSource(number=first), StripSource(number=first + 1))
        rows.append(Strip(id=next(ids), name=f"Strip {first}–{first + 1}", live=legs))
    return rows


def _fixed(ids: Iterator[str], item: str, to: str, key: Key) -> Feed:
    return Feed(id=next(ids), item=item, to=to, key=key, fixed=True)


def new_mixer(name: str, strips: int, *, analogue: bool) -> Interface:
    """A mixer nobody has described yet: a digital one with its strips' raw inputs and the main pair on its channels, or
    an analogue one whose key moves strips to the second pair, which is what the computer hears.
    """
    if analogue:
        return Interface(
            id="n1",
            name=name,
            jack_in=strips,
            jack_out=4,
            capture=2,
            playback=2,
            converter_in_samples=30,
            mixer_samples=0,
            converter_out_samples=30,
            output_full_scale_dbu=10.0,
            drivers=(Driver(id="n2"),),
            mixer=second_pair(strips - 2 * (strips // 4), strips // 4),
        )
    channels = strips + 2
    return Interface(
        id="n1",
        name=name,
        jack_in=strips,
        jack_out=8,
        capture=channels,
        playback=channels,
        converter_in_samples=34,
        mixer_samples=16,
        converter_out_samples=34,
        input_full_scale_dbu=22.0,
        output_full_scale_dbu=22.0,
        drivers=(Driver(id="n2"),),
        mixer=digital(strips, auxes=4, groups=2, jack_out=8, capture=channels, playback=channels),
    )
