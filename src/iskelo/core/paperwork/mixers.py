"""The steps of the set-up list that a mixer takes: its kind, strips, mixes, and what feeds its channels and jacks."""

from collections.abc import Iterator
from typing import NamedTuple

from iskelo.core.mixer_view import takes_words
from iskelo.core.rig.feed_words import fed_by, feeds_phrase
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.insert_words import strip_insert_words
from iskelo.core.rig.mixers import Mixer, Strip
from iskelo.core.rig.mixing import say_pan
from iskelo.core.rig.ports import Port
from iskelo.core.rig.units import say_figure


class MixerStep(NamedTuple):
    """One thing to do at a mixer; ``items`` what it is about."""

    key: str
    words: str
    settings: tuple[str, ...]
    items: tuple[str, ...]


def mixer_steps(found: Index) -> Iterator[MixerStep]:
    """Box by box: how it is set, strips that something is plugged into or that are not as they come, mixes, feeds."""
    for box in found.boxes:
        if box.mixer is not None:
            yield from _steps(found, box, box.mixer)


def _steps(found: Index, box: Interface, mixer: Mixer) -> Iterator[MixerStep]:
    kind = [f"pan law {mixer.pan_law.replace('-', '−')}", f"mute key {mixer.mute_key}", f"solo {mixer.solo}"]
    if mixer.mute_kills_pre:
        kind.append("mute silences what is before the fader")
    yield MixerStep(f"mixer:{box.id}", f"{box.name}: how it mixes", tuple(kind), (box.id,))
    for strip in mixer.strips:
        settings = _strip(box, mixer, strip)
        if settings or _is_plugged(found, box, strip):
            takes = f"takes {takes_words(found, box, strip)}"
            feeds = feeds_phrase(mixer, strip)
            told = (takes, *settings, *([f"feeds {feeds}"] if feeds else []))
            yield MixerStep(f"strip:{strip.id}", f"{box.name}: strip {strip.name}", told, (box.id, strip.id))
    fed_mixes = {feed.to for feed in mixer.feeds if feed.on}
    for mix in mixer.mixes:
        settings = [f"fader {say_figure(mix.gain_db)} dB"] if mix.gain_db else []
        settings += ["muted"] if mix.muted else []
        feeds = feeds_phrase(mixer, mix)
        if settings or (feeds and mix.id in fed_mixes):
            told = (*settings, *([f"feeds {feeds}"] if feeds else []))
            yield MixerStep(f"mix:{mix.id}", f"{box.name}: mix {mix.name}", told, (box.id, mix.id))
    for bank, words, many in (
        ("capture", "channels for the computer", box.capture),
        ("jack_out", "output jacks", box.jack_out),
    ):
        fed = [(number, said) for number in range(1, many + 1) if (said := fed_by(mixer, bank, number)[0])]
        if fed:
            told = tuple(f"{number}: {said}" for number, said in fed)
            yield MixerStep(f"{bank}:{box.id}", f"{box.name}: what feeds its {words}", told, (box.id,))


def _strip(box: Interface, mixer: Mixer, strip: Strip) -> list[str]:
    """What of a strip is not as it comes."""
    settings = []
    if strip.trim_db:
        settings.append(f"trim {say_figure(strip.trim_db)} dB")
    if strip.inverted:
        settings.append("polarity reversed")
    if strip.insert is not None:
        settings.append(f"insert {strip_insert_words(strip)}{'' if strip.insert.on else ', bypassed'}")
    if strip.muted:
        settings.append("key down" if mixer.mute_key == "moves" else "muted")
    if strip.soloed:
        settings.append("solo")
    if strip.gain_db:
        settings.append(f"fader {say_figure(strip.gain_db)} dB")
    if strip.pan:
        settings.append(f"pan {say_pan(strip.pan)}")
    if strip.plays_back:
        settings.append("switched to its return")
    return settings


def _is_plugged(found: Index, box: Interface, strip: Strip) -> bool:
    jacks = {Port(box.id, "jack_in", source.number) for source in strip.live if source.bank == "jack_in"}
    return any(patch.to_port in jacks for patch in found.rig.patches)
