"""Programs: software with audio, its inputs, tracks, voices, buses and outputs."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, JsonValue, field_validator, model_validator

from iskelo.core.rig.syncs import Bpm, SongMarker, SyncLink, TempoChange
from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes
from iskelo.core.rig.value import BufferSamples, ChannelNumber, Headroom, Margin, RateHz, Settable, Value, Width

Channels = Annotated[tuple[ChannelNumber, ...], Field(max_length=256, fail_fast=True)]
"""Channels by number, each once; one that is said twice counts once."""


class Meant(Value):
    """A box's own channel that a name stood for before the numbers of its device moved."""

    box: Id
    channel: ChannelNumber


class ProgramPort(Value):
    """A named input or output of a program; each leg is mapped to a channel of the device, or to none.

    ``returns``: of an input, the output of a program hosted by this one that it takes instead, leg by leg.
    ``meant``: what each leg stood for, where the numbers of a device of several boxes have moved since; else nothing.
    """

    id: Id
    name: Annotated[Name, Settable("name")]
    legs: Annotated[
        Annotated[tuple[ChannelNumber | None, ...], Field(min_length=1, max_length=2)], Settable("channels")
    ] = (None,)
    meant: Annotated[tuple[Meant | None, ...], Field(max_length=2)] = ()
    returns: Annotated[Id | None, Settable("takes the hosted output")] = None

    def meant_by(self, leg: int) -> Meant | None:
        """What a leg (from 1) stood for before the numbers moved; None if it stands where it was put."""
        return self.meant[leg - 1] if leg <= len(self.meant) else None


Pan = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
"""From -1, all left, to 1, all right."""

PanLaw = Literal["0 dB", "-3 dB", "-4.5 dB", "-6 dB"]
"""What a mono sound in the centre of a stereo mix loses on either side."""

Tap = Literal["before the fader", "behind the fader"]


class HeldTrip(Value):
    """What a program knows of an insert's round trip: so many samples, at this rate and buffer.

    ``origin``: it was *measured*, is what the driver *reports*, which leaves the outboard gear out, or was *computed*.
    """

    rate_hz: RateHz
    buffer_samples: BufferSamples
    samples: DelaySamples
    origin: Literal["measured", "reported", "computed"] = "measured"


class ProgramInsert(Value):
    """What hangs in a track or a bus of a program: sent by output ``send``, taken back by input ``back``.

    ``on``: in, else bypassed, and nothing is sent. ``dry_db``: the sound itself stays open beside it, so loud; None: it
    does not. ``parallel``: that is meant, and no copy. ``held``: the round trip that the program's compensation counts
    with; None: it knows of none.
    """

    send: Id
    back: Id
    on: bool = True
    dry_db: GainDb | None = None
    parallel: bool = False
    held: HeldTrip | None = None


class Straight(Value):
    """That a track is sent straight across to another program, by an output of its own, and to what it is set back."""

    output: Id
    back_to: Id


class Track(Value):
    """A recorder's track: takes one named input, or a bus, records it when armed, passes it on when monitored.

    ``output`` is a bus or an output of the program. ``soloed``: in place, the other tracks are as if they were muted.
    Where the program has a ``solo_output``, it is heard there as well, and nothing is muted.
    With a ``far_end``, a voice of the program, it is no track but an *ear*: what it takes goes to that far end instead,
    while it is armed.
    """

    id: Id
    name: Annotated[Name, Settable("name")]
    width: Annotated[Width, Settable("width")] = 1
    input: Annotated[Id | None, Settable("input")] = None
    output: Annotated[Id | None, Settable("output")] = None
    armed: Annotated[bool, Settable("armed")] = True
    monitored: Annotated[bool, Settable("monitored")] = False
    muted: Annotated[bool, Settable("muted")] = False
    soloed: Annotated[bool, Settable("solo")] = False
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    pan: Annotated[Pan, Settable("pan")] = 0.0
    effect_delay_samples: Annotated[DelaySamples, Settable("effect delay", "samples")] = 0
    insert: Annotated[ProgramInsert | None, Settable("insert")] = None
    far_end: Annotated[Id | None, Settable("goes to the far end")] = None
    straight: Straight | None = None


class Bus(Value):
    """A sum inside a program; ``output`` is another bus of it, or one of its outputs.

    ``effects``: what passes it is wet, such as reverberation, and no copy of the sound that was sent to it. Its own
    effects delay what it takes before anything leaves it; an insert hangs behind them.
    """

    id: Id
    name: Annotated[Name, Settable("name")]
    width: Annotated[Width, Settable("width")] = 2
    output: Annotated[Id | None, Settable("output")] = None
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    muted: Annotated[bool, Settable("muted")] = False
    effects: Annotated[bool, Settable("effects mix")] = False
    effect_delay_samples: Annotated[DelaySamples, Settable("effect delay", "samples")] = 0
    insert: Annotated[ProgramInsert | None, Settable("insert")] = None


class Send(Value):
    """What a track, a voice or a bus (``item``) gives to a bus or an output (``to``) besides its own output.

    ``tap``: before its fader, so that the fader does not touch it, or behind it. ``pan``: None for the track's own.
    """

    id: Id
    item: Id
    to: Id
    tap: Annotated[Tap, Settable("tap")] = "behind the fader"
    gain_db: Annotated[GainDb, Settable("gain", "dB")] = 0.0
    pan: Annotated[Pan | None, Settable("pan")] = None
    on: Annotated[bool, Settable("on")] = True

    @property
    def name(self) -> str:
        """What it is called beside other items; whose it is and where it leads, ``Index.say_send`` tells."""
        return "send"


FarMs = Annotated[float, Field(ge=0, le=800, allow_inf_nan=False)]
"""Milliseconds one way of a call; more than twice what G.114 calls acceptable is no call."""


class FarEnd(Value):
    """What a voice of a far end, and what goes to its ear, waits on the way outside: at least and at most, in ms.

    Network, packets, the buffer that evens them out, and the far end's own box, all together. ``assumed``: nobody has
    said so.
    """

    from_low_ms: FarMs = 40.0
    from_high_ms: FarMs = 120.0
    to_low_ms: FarMs = 40.0
    to_high_ms: FarMs = 120.0
    assumed: bool = True

    @model_validator(mode="after")
    def _ascending(self) -> "FarEnd":
        for low, high in ((self.from_low_ms, self.from_high_ms), (self.to_low_ms, self.to_high_ms)):
            if low > high:
                raise ValueError(f"the least delay, {low:g} ms, is above the most, {high:g} ms")
        return self


class Voice(Value):
    """What a program itself sounds: a pad, a deck, a far end; its nominal level in dBFS, its headroom as a source's.

    ``far``: it is somebody who speaks at the far end of a call.
    """

    id: Id
    name: Annotated[Name, Settable("name")]
    width: Annotated[Width, Settable("width")] = 2
    output: Annotated[Id | None, Settable("output")] = None
    pan: Annotated[Pan, Settable("pan")] = 0.0
    level_dbfs: Annotated[
        Annotated[float, Field(ge=-144, le=0, allow_inf_nan=False)], Settable("level", "dBFS")
    ] = -18.0
    headroom_db: Annotated[Headroom | None, Settable("headroom needed", "dB")] = None
    far: Annotated[FarEnd | None, Settable("far end")] = None


def insert_with(item: Track | Bus, field: str, value: JsonValue) -> dict[str, JsonValue]:
    """The values that change one field of what hangs in a track or a bus, and keep the others."""
    kept = item.insert.model_dump(mode="json") if item.insert is not None else {}
    return {"insert": kept | {field: value}}


class Hosted(Value):
    """Where a program runs that has no device: in the calls of its ``leader``, locked to it to the sample.

    It works so many samples ahead, with its *short* buffer while somebody plays it by hand, or the *long* one while it
    only replays. ``compensated``: it is told so much earlier where the leader's song is that nothing replayed is late.
    ``stamped``: what is played by hand sounds at the time that is written on it, else at the next call.
    """

    leader: Id
    ahead: Annotated[Literal["short", "long"], Settable("works ahead")] = "short"
    short_samples: Annotated[DelaySamples, Settable("short buffer", "samples")] = 0
    long_samples: Annotated[DelaySamples, Settable("long buffer", "samples")] = 1024
    compensated: Annotated[bool, Settable("told earlier")] = True
    stamped: Annotated[bool, Settable("minds when notes were played")] = False

    @property
    def ahead_samples(self) -> int:
        """How far ahead it works now."""
        return self.short_samples if self.ahead == "short" else self.long_samples


class LoadReading(Value):
    """What a program's own meter reads: so many per cent of the time, at a buffer of this size."""

    buffer_samples: BufferSamples
    percent: Annotated[float, Field(ge=0, le=400, allow_inf_nan=False)]


ProgramKind = Literal["recorder", "sampler", "player", "call", "mixing program", "system sounds"]


class Program(Value):
    """Software with audio: named inputs, tracks, voices of its own, buses and named outputs, on a device.

    ``hosted``: it has no device and runs in another program. ``driver`` is the driver of the device it opens (None:
    the device's first). With an ``output_device`` it plays to that one, which then calls it, and takes only its
    input from ``device``: through a ring that keeps ``margin_samples``, and brought to the other's rate if
    ``matched``.
    ``buffer_samples``: the
    buffer it asks for where its device lets every program have its own (None: the driver's). ``lets_go_in_background``:
    it gives its device up while another program is in front. ``one_file``: all armed tracks go into one file.
    ``rate_hz`` is the rate its own sound was made for and its files are written as (None: whatever its device runs at).
    ``pan_law``: of mono sounds in stereo mixes. ``mute_kills_pre``: a muted track's sends before the fader
    are silent too. ``delay_compensation``: what meets in a mix waits for the latest, so that effects part no copies.
    ``compensates_samples``: by so much it moves what it recorded to playback by itself.
    ``load_readings`` are two readings of its load meter at different buffers, or one, or none; ``spreads_over_cores``:
    what they tell is done by several cores at a time. ``read_ahead_samples``: what only plays is worked so far ahead.
    Its song begins at ``tempo_bpm``, with other tempos and names at later places; with ``follows_clock`` it takes
    tempo, start and stop from its ``syncs``, the links by which it hears other programs. ``channels_at_most``: so many
    does it open each way (None: as many as there are).
    ``default_output``: where tracks, voices and buses that are added go, one of its outputs or buses.
    ``solo_output``: solo is not in place; what is soloed is heard at this output as well, and nothing else is silenced.
    ``audition_output``: where a person hears files before they are used.
    """

    kind: Literal["program"] = "program"
    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    program_kind: Annotated[ProgramKind, Settable("kind")] = "recorder"
    hosted: Annotated[Hosted | None, Settable("runs in")] = None
    device: Id | None = None
    driver: Annotated[Id | None, Settable("driver")] = None
    output_device: Id | None = None
    output_driver: Id | None = None
    matched: Annotated[bool, Settable("input matched to the output's rate")] = False
    margin_samples: Annotated[Margin, Settable("ring buffer margin between its devices", "samples")] = 16
    buffer_samples: Annotated[BufferSamples | None, Settable("buffer", "samples")] = None
    rate_hz: Annotated[RateHz | None, Settable("rate", "Hz")] = None
    lets_go_in_background: Annotated[bool, Settable("lets its device go in the background")] = False
    one_track_per_input: Annotated[bool, Settable("one track an input")] = False
    one_file: Annotated[bool, Settable("all tracks in one file")] = False
    pan_law: Annotated[PanLaw, Settable("pan law")] = "0 dB"
    mute_kills_pre: Annotated[bool, Settable("mute silences sends before the fader")] = False
    delay_compensation: Annotated[bool, Settable("delay compensation")] = False
    compensates_samples: Annotated[DelaySamples, Settable("moves overdubs by itself", "samples")] = 0
    load_readings: Annotated[tuple[LoadReading, ...], Field(max_length=2), Settable("load meter")] = ()
    spreads_over_cores: Annotated[bool, Settable("spreads its work over cores")] = False
    read_ahead_samples: Annotated[BufferSamples | None, Settable("read-ahead for what only plays", "samples")] = None
    tempo_bpm: Annotated[Bpm, Settable("tempo", "bpm")] = 120.0
    later_tempos: Annotated[tuple[TempoChange, ...], Field(max_length=512), Settable("later tempos")] = ()
    markers: Annotated[tuple[SongMarker, ...], Field(max_length=512), Settable("markers")] = ()
    follows_clock: Annotated[bool, Settable("follows a sync clock")] = False
    channels_at_most: Annotated[ChannelNumber | None, Settable("opens at most", "channels")] = None
    default_output: Annotated[Id | None, Settable("default output")] = None
    solo_output: Annotated[Id | None, Settable("solo is heard at")] = None
    audition_output: Annotated[Id | None, Settable("files are auditioned at")] = None
    enabled_in: Annotated[Channels, Settable("enabled inputs")] = ()
    enabled_out: Annotated[Channels, Settable("enabled outputs")] = ()
    inputs: Annotated[tuple[ProgramPort, ...], Field(max_length=512)] = ()
    tracks: Annotated[tuple[Track, ...], Field(max_length=512)] = ()
    outputs: Annotated[tuple[ProgramPort, ...], Field(max_length=256)] = ()
    buses: Annotated[tuple[Bus, ...], Field(max_length=128)] = ()
    voices: Annotated[tuple[Voice, ...], Field(max_length=128)] = ()
    sends: Annotated[tuple[Send, ...], Field(max_length=2048)] = ()
    syncs: Annotated[tuple[SyncLink, ...], Field(max_length=64)] = ()

    def hung(self) -> Iterator[tuple[Track | Bus, ProgramInsert]]:
        """Its tracks and buses in which something hangs, with that."""
        several: tuple[tuple[Track | Bus, ...], ...] = (self.tracks, self.buses)
        for items in several:
            for item in items:
                if item.insert is not None:
                    yield item, item.insert

    @field_validator("load_readings")
    @classmethod
    def _different(cls, readings: tuple[LoadReading, ...]) -> tuple[LoadReading, ...]:
        if len({each.buffer_samples for each in readings}) != len(readings):
            raise ValueError("two readings of its load meter must be at different buffers")
        return readings

    @model_validator(mode="after")
    def _no_more_channels(self) -> "Program":
        limit = self.channels_at_most
        for on, side in ((self.enabled_in, "input"), (self.enabled_out, "output")):
            if limit is not None and len(on) > limit:
                enabled = f"{len(on)} {side} channels are enabled"
                raise ValueError(f"it opens {limit} channels at most each way, and {enabled}")
        return self

    def idle_channels(self, side: Literal["input", "output"], wanted: tuple[int, ...] = ()) -> tuple[int, ...]:
        """List the open channels that none of its names takes, without those that are wanted."""
        items, on = (self.inputs, self.enabled_in) if side == "input" else (self.outputs, self.enabled_out)
        taken = {leg for item in items for leg in item.legs} | set(wanted)
        return tuple(channel for channel in on if channel not in taken)

    @field_validator("enabled_in", "enabled_out")
    @classmethod
    def _ascending(cls, channels: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(channels)))
