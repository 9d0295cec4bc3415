"""The couplings inside a mixer as it stands: which of its points hears which, how loud and how much later.

A point is an input behind its preamplifier, a return, a tap of a strip, a leg of a mix, a channel for the computer or
an output jack. Nothing here knows of ways: the sound is worked from point to point.
"""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.mixers import Feed, Mixer, Strip
from iskelo.core.twin.mixing import side_gains

Point = tuple[str, str, int]
"""What kind of point, of which strip or mix (or nothing), and its number or leg."""


class Coupling(NamedTuple):
    """One point hears another: as a ratio, so many samples later."""

    to: Point
    start: Point
    ratio: float
    samples: int


class InsideLead(NamedTuple):
    """A lead from one of a mixer's own output jacks into one of its inputs, with all that hangs in it."""

    jack_out: int
    jack_in: int
    ratio: float
    samples: int


_TAPS = {"direct": "direct", "before the fader": "pre", "behind the fader": "post"}


def loud(level_db: float) -> float:
    """A gain as a ratio."""
    return float(10.0 ** (level_db / 20))


def couplings(gear: Interface, leads: Sequence[InsideLead]) -> list[Coupling]:
    """All couplings of a mixer with gain, as its switches stand."""
    mixer = gear.mixer
    assert mixer is not None
    every = (*_strips(gear, mixer), *_mixes(mixer), *_feeds(gear, mixer), *_leads(gear, mixer, leads))
    return [each for each in every if each.ratio]


def _strips(gear: Interface, mixer: Mixer) -> Iterator[Coupling]:
    others = mixer.solo == "in place" and any(strip.soloed for strip in mixer.strips)
    for strip in mixer.strips:
        open_ = not (strip.muted and mixer.mute_key == "mutes") and not (others and not strip.soloed)
        before = 1.0 if open_ or not mixer.mute_kills_pre else 0.0
        turned = loud(strip.trim_db) * (-1 if strip.inverted else 1)
        insert = strip.insert if strip.insert is not None and strip.insert.on else None
        for leg, source in enumerate(strip.sources, start=1):
            direct, point, pre = ((tap, strip.id, leg) for tap in ("direct", "point", "pre"))
            if source.mix is not None:
                yield Coupling(direct, ("mixed", source.mix, source.number), turned, mixer.again_samples)
            else:
                taken = ("in" if source.bank == "jack_in" else "return", "", source.number)
                yield Coupling(direct, taken, turned, gear.mixer_samples)
            yield Coupling(point, direct, 1.0, strip.effect_delay_samples)
            if insert is None:
                yield Coupling(pre, point, before, 0)
            else:
                yield Coupling(("out", "", insert.send + leg - 1), point, 1.0, 0)
                yield Coupling(pre, ("in", "", insert.back + leg - 1), before, 0)
                yield Coupling(pre, point, 0.0 if insert.dry_db is None else before * loud(insert.dry_db), 0)
            yield Coupling(("post", strip.id, leg), pre, loud(strip.gain_db) * open_, 0)


def _mixes(mixer: Mixer) -> Iterator[Coupling]:
    for mix in mixer.mixes:
        for leg in range(1, mix.width + 1):
            turned = 0.0 if mix.muted else loud(mix.gain_db)
            yield Coupling(("mixed", mix.id, leg), ("mix", mix.id, leg), turned, 0)
        for strip in mixer.strips if mix.solo_here and mixer.solo != "in place" else ():
            if strip.soloed:
                pan = strip.pan if mixer.solo == "behind the fader" else None
                for leg in range(1, strip.width + 1):
                    for end, ratio in side_gains(leg, strip.width, mix.width, pan, mixer.pan_law):
                        yield Coupling(("mix", mix.id, end), (_TAPS[mixer.solo], strip.id, leg), ratio, 0)


def _feeds(gear: Interface, mixer: Mixer) -> Iterator[Coupling]:
    strips = {strip.id: strip for strip in mixer.strips}
    mixes = {mix.id: mix for mix in mixer.mixes}
    soloed = mixer.solo != "in place" and any(strip.soloed for strip in mixer.strips)
    for feed in mixer.feeds:
        if not feed.on or (feed.to is not None and mixes[feed.to].solo_here and soloed):
            continue
        if feed.jack is not None:
            waits = gear.mixer_samples if mixer.raw_passes_core else 0
            yield Coupling(("send", "", feed.number), ("in", "", feed.jack), loud(feed.gain_db), waits)
            continue
        strip = strips.get(feed.item or "")
        if strip is not None and not _key_allows(feed, strip, mixer):
            continue
        yield from _poured(feed, strip, mixer)


def _key_allows(feed: Feed, strip: Strip, mixer: Mixer) -> bool:
    if feed.key == "always" or mixer.mute_key != "moves":
        return True
    return strip.muted if feed.key == "key down" else not strip.muted


def _poured(feed: Feed, strip: Strip | None, mixer: Mixer) -> Iterator[Coupling]:
    """What one feed gives on, leg by leg."""
    widths = {mix.id: mix.width for mix in mixer.mixes}
    if strip is not None:
        tap, width, pan = _TAPS[feed.tap], strip.width, None if feed.tap == "direct" else strip.pan
    else:
        tap, width, pan = "mixed", widths[feed.item or ""], None
    pan = pan if feed.pan is None else feed.pan
    into = feed.width if feed.to is None else widths[feed.to]
    for leg in range(1, width + 1):
        for end, ratio in side_gains(leg, width, into, pan, mixer.pan_law):
            if feed.to is not None:
                to: Point = ("mix", feed.to, end)
            else:
                to = ("send" if feed.bank == "capture" else "out", "", feed.number + end - 1)
            yield Coupling(to, (tap, feed.item or "", leg), ratio * loud(feed.gain_db), 0)


def _leads(gear: Interface, mixer: Mixer, leads: Sequence[InsideLead]) -> Iterator[Coupling]:
    """Leads of its own: a digital mixer's converters stand at both ends of them."""
    for lead in leads:
        trims_db = gear.output_trims_db[lead.jack_out - 1] + gear.trims_db[lead.jack_in - 1]
        samples = lead.samples
        if not mixer.analogue:
            trims_db += gear.output_full_scale_dbu - gear.input_full_scale_dbu
            samples += gear.converter_out_samples + gear.converter_in_samples
        yield Coupling(("in", "", lead.jack_in), ("out", "", lead.jack_out), lead.ratio * loud(trims_db), samples)
