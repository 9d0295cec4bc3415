"""Mixers: the inside of a box that mixes. Strips, mixes, and the feeds between them, the jacks and the computer.

A strip, in this order: source switch, core delay, trim, polarity, DIRECT, effects, insert, BEFORE THE FADER, mute,
fader, BEHIND THE FADER. Preamplifier gain belongs to the jack, not to the strip.
"""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, JsonValue, model_validator

from iskelo.core.rig.programs import Pan, PanLaw
from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes
from iskelo.core.rig.value import BankSize, ChannelNumber, Headroom, LevelDbu, Settable, Value, Width

StripTap = Literal["direct", "before the fader", "behind the fader"]
Key = Literal["always", "key up", "key down"]
"""Whether a feed plays whatever the mute key does, only while it is up, or only while it is pressed."""

Reason = Literal["return_joins_after_send", "return_has_no_key", "send_hears_bus_only", "not_offered"]
"""Why a mixer can never do something; ``words/`` tells it."""


class StripSource(Value):
    """What one leg of a strip takes: an input jack, a channel from the computer, or a leg of a mix."""

    bank: Literal["jack_in", "playback", "mix"] = "jack_in"
    number: ChannelNumber = 1
    mix: Id | None = None

    @model_validator(mode="after")
    def _said(self) -> "StripSource":
        if (self.mix is None) is (self.bank == "mix"):
            raise ValueError("a strip takes a jack, a channel from the computer, or a mix that is named")
        return self


class StripInsert(Value):
    """What hangs in a strip: sent out at jack ``send``, taken back at jack ``back`` (of the first leg).

    ``on``: in, else bypassed. ``dry_db``: the sound itself stays open beside it, so loud; None: it does not.
    ``parallel``: that is meant, and no copy.
    """

    send: ChannelNumber
    back: ChannelNumber
    on: bool = True
    dry_db: GainDb | None = None
    parallel: bool = False


class Strip(Value):
    """One strip. ``live`` and ``back`` say what its legs take, one or the other by its source switch."""

    id: Id
    name: Annotated[Name, Settable("name")]
    live: Annotated[Annotated[tuple[StripSource, ...], Field(min_length=1, max_length=2)], Settable("takes live")]
    back: Annotated[Annotated[tuple[StripSource, ...], Field(max_length=2)], Settable("return")] = ()
    plays_back: Annotated[bool, Settable("plays the return")] = False
    trim_db: Annotated[GainDb, Settable("trim", "dB")] = 0.0
    inverted: Annotated[bool, Settable("polarity reversed")] = False
    effect_delay_samples: Annotated[DelaySamples, Settable("effect delay", "samples")] = 0
    insert: Annotated[StripInsert | None, Settable("insert")] = None
    muted: Annotated[bool, Settable("muted")] = False
    soloed: Annotated[bool, Settable("solo")] = False
    gain_db: Annotated[GainDb, Settable("fader", "dB")] = 0.0
    pan: Annotated[Pan, Settable("pan")] = 0.0

    @model_validator(mode="after")
    def _as_wide(self) -> "Strip":
        if self.back and len(self.back) != len(self.live):
            raise ValueError("its return must be as wide as what it takes live")
        if self.plays_back and not self.back:
            raise ValueError("it has no return to be switched to")
        return self

    @property
    def width(self) -> int:
        return len(self.live)

    @property
    def sources(self) -> tuple[StripSource, ...]:
        """What it takes as its switch stands."""
        return self.back if self.plays_back else self.live

    def insert_with(self, field: str, value: JsonValue) -> dict[str, JsonValue]:
        """The values that change one field of what hangs in it and keep the others."""
        kept = self.insert.model_dump(mode="json") if self.insert is not None else {}
        return {"insert": kept | {field: value}}


class Mix(Value):
    """A sum: main, group, aux, second pair. ``solo_here``: while a strip is soloed, only that is heard on it."""

    id: Id
    name: Annotated[Name, Settable("name")]
    width: Annotated[Width, Settable("width")] = 2
    gain_db: Annotated[GainDb, Settable("fader", "dB")] = 0.0
    muted: Annotated[bool, Settable("muted")] = False
    solo_here: Annotated[bool, Settable("solo is heard here")] = False


class Feed(Value):
    """What a strip, a mix or (raw) an input jack gives to a mix, to the computer, or to output jacks.

    ``item`` is the strip or mix; or ``jack`` the input, behind its preamplifier and before any strip. ``bank`` and
    ``to`` or ``number`` say where it leads: a mix, or the first of ``width`` channels or jacks. ``fixed``: the gear's
    own, which nobody can switch or take away.
    """

    id: Id
    item: Id | None = None
    jack: ChannelNumber | None = None
    bank: Literal["mix", "capture", "jack_out"] = "mix"
    to: Id | None = None
    number: ChannelNumber = 1
    width: Width = 1
    tap: Annotated[StripTap, Settable("tap")] = "behind the fader"
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    on: Annotated[bool, Settable("on")] = True
    pan: Annotated[Pan | None, Settable("pan")] = None
    key: Annotated[Key, Settable("with the mute key")] = "always"
    fixed: bool = False

    @model_validator(mode="after")
    def _joins_two(self) -> "Feed":
        if (self.item is None) is (self.jack is None):
            raise ValueError("a feed begins at a strip, at a mix, or at an input jack")
        if (self.to is None) is (self.bank == "mix"):
            raise ValueError("a feed leads to a mix that is named, or to channels or jacks by number")
        if self.jack is not None and (self.bank != "capture" or self.width != 1):
            raise ValueError("what is raw goes straight to one of the computer's channels")
        return self

    @property
    def is_raw(self) -> bool:
        return self.jack is not None

    @property
    def ends(self) -> range:
        """The channels or jacks that it takes."""
        return range(self.number, self.number + self.width)


class Never(Value):
    """What the gear can never do: from these to those, and why. A bank without an item or number is all of it."""

    starts: Literal["playback", "jack_in", "mix", "strip"]
    start: Id | None = None
    ends: Literal["capture", "jack_out", "mix"]
    end: Id | None = None
    reason: Reason


class Mixer(Value):
    """The inside of a box that mixes.

    ``analogue``: its converters stand at its feeds to the computer, and levels inside are in dBu; else at its jacks,
    and they are in dBFS. ``highest_dbu``: what an analogue one carries. ``again_samples``: what a mix waits before a
    strip takes it. ``raw_passes_core``: a raw channel waits in the core like a strip. ``mute_kills_pre``: the mute
    silences what is before the fader too. ``mute_key``: it mutes, or *moves* a strip to the feeds with the key down.
    ``solo``: where solo listens, or *in place* of the others. ``open_feeds``: feeds can be made freely; else only those
    that are there. ``stage_jacks``: so many of the input jacks, the last ones, are on a stage box.
    """

    analogue: Annotated[bool, Settable("analogue")] = False
    highest_dbu: Annotated[LevelDbu | None, Settable("highest level inside", "dBu")] = None
    headroom_db: Annotated[Headroom | None, Settable("headroom inside", "dB")] = None
    again_samples: Annotated[DelaySamples, Settable("a mix taken again", "samples")] = 0
    raw_passes_core: Annotated[bool, Settable("raw channels pass the mixer's core")] = False
    mute_kills_pre: Annotated[bool, Settable("mute silences what is before the fader")] = False
    mute_key: Annotated[Literal["mutes", "moves"], Settable("the mute key")] = "mutes"
    solo: Annotated[Literal["before the fader", "behind the fader", "in place"], Settable("solo")] = "before the fader"
    pan_law: Annotated[PanLaw, Settable("pan law")] = "-3 dB"
    open_feeds: bool = True
    stage_jacks: BankSize = 0
    notes: Annotated[Notes, Settable("notes")] = ""
    strips: Annotated[tuple[Strip, ...], Field(max_length=128)] = ()
    mixes: Annotated[tuple[Mix, ...], Field(max_length=64)] = ()
    feeds: Annotated[tuple[Feed, ...], Field(max_length=4096)] = ()
    never: Annotated[tuple[Never, ...], Field(max_length=64)] = ()

    def items(self) -> Iterator[Strip | Mix | Feed]:
        """Strips, mixes and feeds, which all have ids."""
        yield from self.strips
        yield from self.mixes
        yield from self.feeds

    def hung(self) -> Iterator[tuple[Strip, StripInsert]]:
        """Its strips in which something hangs, with that."""
        for strip in self.strips:
            if strip.insert is not None:
                yield strip, strip.insert

    def feed_width(self, feed: Feed) -> int:
        """How many legs a feed begins with."""
        widths = {each.id: each.width for each in self.strips} | {each.id: each.width for each in self.mixes}
        return widths.get(feed.item or "", 1)
