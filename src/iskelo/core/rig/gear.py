"""The gear of a rig: sources, interfaces with their drivers, programs, destinations."""

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from iskelo.core.rig.cables import Cable
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.programs import Channels, Program
from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes
from iskelo.core.rig.value import (
    DEFAULT_TRIM_DB,
    RATES_HZ,
    SINGLE_RATE_HZ,
    BankSize,
    BufferSamples,
    ChannelNumber,
    Headroom,
    LevelDbu,
    LevelUnit,
    Margin,
    Origins,
    Ppm,
    RateHz,
    Settable,
    Value,
    Width,
)


class Source(Value):
    """Where sound begins outside the computer.

    ``headroom_db``: how much louder than its nominal level it may become (None: what alignment leaves).
    """

    kind: Literal["source"] = "source"
    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    source_kind: Annotated[Literal["microphone", "instrument", "line player"], Settable("kind")] = "microphone"
    width: Annotated[Width, Settable("width")] = 1
    level_dbu: Annotated[LevelDbu, Settable("level", "dBu", figure=True)] = -38.0
    level_unit: Annotated[LevelUnit, Settable("level told in")] = "dBu"
    headroom_db: Annotated[Headroom | None, Settable("headroom needed", "dB")] = None
    needs_phantom: Annotated[bool, Settable("phantom supply")] = False
    needs_high_impedance: Annotated[bool, Settable("high-impedance input")] = False
    origins: Origins = Field(default_factory=dict)


LinkKind = Literal["USB full speed", "USB high speed", "PCIe-class", "built in"]
"""How a box is joined to the computer."""


ClockSource = Literal["own", "word clock", "optical", "computer", "device"]
"""What a box takes its pace from: its own crystal, another box by a lead, the computer's timer, or, a cable alone, the
device that it follows.
"""


class DirectMonitor(Value):
    """One crosspoint of direct monitoring: a jack heard at another without passing the computer."""

    jack_in: ChannelNumber
    jack_out: ChannelNumber
    gain_db: GainDb = 0.0
    muted: bool = False


class Interface(Value):
    """A box with converters and a connection to the computer.

    Jack in *n* feeds capture channel *n*, playback channel *n* feeds jack out *n*, as far as both banks
    reach; the last ``optical_in`` and ``optical_out`` of the channels are those of its optical ports. Fixed
    delays are whole samples at the box's rate. The first ``phantom_jacks`` input jacks can supply a microphone,
    the first ``instrument_jacks`` can be set to high impedance (None: all of them); ``phantom_on`` and
    ``high_impedance_on`` are the jacks where that is switched on.

    A box with a ``mixer`` is one: what its jacks and channels have to do with each other is told there alone, and
    ``mixer_samples`` is the delay of its core.

    ``drives_both_legs``: its outputs drive the cold leg against ground as well, so that an unbalanced input hears half
    of what they give; else they float, and it hears all of it.

    A box with a ``cable`` is one: it has neither jacks nor converters nor a clock of its own, and what is played into
    it is captured from it. It runs on the computer's timer, or at the pace of the device that it ``follows``.

    Its own clock is right within ``tolerance_ppm``; ``measured_ppm`` is by how much it is fast, if somebody has
    measured that. ``connected``: it is joined to the computer now.
    """

    kind: Literal["interface"] = "interface"
    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    jack_in: Annotated[BankSize, Settable("input jacks")] = 2
    jack_out: Annotated[BankSize, Settable("output jacks")] = 2
    capture: Annotated[BankSize, Settable("capture channels")] = 2
    playback: Annotated[BankSize, Settable("playback channels")] = 2
    optical_in: Annotated[BankSize, Settable("optical channels in")] = 0
    optical_out: Annotated[BankSize, Settable("optical channels out")] = 0
    rates_hz: Annotated[
        Annotated[tuple[RateHz, ...], Field(min_length=1, max_length=16)], Settable("rates offered", "Hz")
    ] = RATES_HZ
    rate_hz: Annotated[RateHz, Settable("rate", "Hz")] = 48_000
    converter_in_samples: Annotated[DelaySamples, Settable("converter in", "samples", figure=True)] = 26
    mixer_samples: Annotated[DelaySamples, Settable("mixer", "samples", figure=True)] = 7
    connected: Annotated[bool, Settable("connected")] = True
    clock_source: Annotated[ClockSource, Settable("clock from")] = "own"
    tolerance_ppm: Annotated[
        Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)], Settable("clock tolerance", "ppm", figure=True)
    ] = 50.0
    measured_ppm: Annotated[Ppm | None, Settable("clock, measured", "ppm", figure=True)] = None
    word_clock_in: Annotated[bool, Settable("word clock input")] = False
    word_clock_out: Annotated[bool, Settable("word clock output")] = False
    link_kind: Annotated[LinkKind, Settable("link")] = "USB high speed"
    link_sample_bytes: Annotated[int, Field(ge=2, le=4), Settable("bytes a sample on the link")] = 4
    link_in_samples: Annotated[DelaySamples, Settable("link in", "samples", figure=True)] = 0
    link_out_samples: Annotated[DelaySamples, Settable("link out", "samples", figure=True)] = 0
    converter_out_samples: Annotated[DelaySamples, Settable("converter out", "samples", figure=True)] = 26
    input_full_scale_dbu: Annotated[LevelDbu, Settable("input full scale", "dBu", figure=True)] = 18.0
    output_full_scale_dbu: Annotated[LevelDbu, Settable("output full scale", "dBu", figure=True)] = 18.0
    drives_both_legs: Annotated[bool, Settable("outputs drive both legs against ground", figure=True)] = False
    trims_db: Annotated[tuple[GainDb, ...], Field(max_length=128)] = ()
    output_trims_db: Annotated[tuple[GainDb, ...], Field(max_length=128)] = ()
    phantom_jacks: Annotated[BankSize | None, Settable("jacks with phantom supply")] = None
    phantom_on: Annotated[Channels, Settable("phantom supply on")] = ()
    instrument_jacks: Annotated[BankSize | None, Settable("jacks for instruments")] = None
    high_impedance_on: Annotated[Channels, Settable("high impedance on")] = ()
    direct: Annotated[tuple[DirectMonitor, ...], Field(max_length=128 * 128, fail_fast=True)] = ()
    mixer: Mixer | None = None
    cable: Cable | None = None
    follows: Annotated[Id | None, Settable("follows")] = None
    drivers: Annotated[tuple[Driver, ...], Field(min_length=1, max_length=8)]
    origins: Origins = Field(default_factory=dict)

    def trim_like(self, other: "Interface", trim_db: float) -> float:
        """The trim here by which a signal is as loud behind the converter as at another box, as far as trims go."""
        return max(-144.0, min(60.0, trim_db - other.input_full_scale_dbu + self.input_full_scale_dbu))

    @field_validator("rates_hz", "phantom_on", "high_impedance_on")
    @classmethod
    def _ascending(cls, numbers: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(numbers)))

    @model_validator(mode="before")
    @classmethod
    def _a_trim_per_jack(cls, data: Any) -> Any:
        """Jacks added later come up with the default trim; trims of jacks taken away go with them."""
        if not isinstance(data, dict):
            return data
        for field, bank, default in (
            ("trims_db", "jack_in", DEFAULT_TRIM_DB),
            ("output_trims_db", "jack_out", 0.0),
        ):
            trims, jacks = data.get(field, ()), data.get(bank, 2)
            if isinstance(trims, (list, tuple)) and isinstance(jacks, int) and 0 <= jacks <= 128:
                data = {**data, field: (*trims, *[default] * (jacks - len(trims)))[:jacks]}
        return data

    @model_validator(mode="after")
    def _consistent(self) -> "Interface":
        if self.rate_hz not in self.rates_hz:
            offered = ", ".join(str(rate) for rate in self.rates_hz)
            raise ValueError(f"{self.rate_hz} Hz is not offered by this box; it offers {offered}")
        if self.clock_source == "word clock" and not self.word_clock_in:
            raise ValueError("it cannot follow a word clock: it has no word clock input")
        if self.clock_source == "optical" and not self.optical_in:
            raise ValueError("it cannot follow an optical lead: it has no optical input")
        for field, what in (("phantom_on", "phantom supply"), ("high_impedance_on", "high impedance")):
            able = self.able_jacks("phantom" if field == "phantom_on" else "instrument")
            beyond = [jack for jack in getattr(self, field) if jack > able]
            if beyond:
                raise ValueError(f"jack in {beyond[0]} has no {what}; only the first {able} have it")
        if self.cable is None and (self.clock_source == "device" or self.follows is not None):
            raise ValueError("only a cable can follow a device; a box follows another by a lead, or the computer")
        if self.cable is not None:
            self._is_a_cable()
        if self.mixer is not None and self.direct:
            raise ValueError("a mixer's strips are heard by its feeds; it has no direct monitoring beside them")
        seen = set()
        for cross in self.direct:
            if cross.jack_in > self.jack_in or cross.jack_out > self.jack_out:
                raise ValueError(
                    f"direct monitoring from jack in {cross.jack_in} to jack out {cross.jack_out}: "
                    f"this box has {self.jack_in} in and {self.jack_out} out"
                )
            if (cross.jack_in, cross.jack_out) in seen:
                raise ValueError(
                    f"direct monitoring from jack in {cross.jack_in} to jack out {cross.jack_out} is said twice"
                )
            seen.add((cross.jack_in, cross.jack_out))
        return self

    def _is_a_cable(self) -> None:
        """Raises ValueError for what a cable cannot have."""
        if self.jack_in or self.jack_out or self.optical_in or self.optical_out or self.mixer is not None:
            raise ValueError("a cable has channels, and neither jacks nor optical ports nor a mixer")
        if self.capture != self.playback:
            raise ValueError(f"a cable has as many channels in as out, not {self.playback} and {self.capture}")
        if self.clock_source not in self.clock_sources:
            raise ValueError("a cable runs on the computer's timer or follows a device")
        if (self.clock_source == "device") != (self.follows is not None):
            raise ValueError("say which device the cable follows; on the computer's timer it follows none")
        if any(driver.engine is not None or not driver.own_blocks for driver in self.drivers):
            raise ValueError("a cable serves every program at its own buffer, and has no period of its own")
        if any(driver.safety_in_samples or driver.safety_out_samples or driver.offsets for driver in self.drivers):
            raise ValueError("a cable has no safety offsets; what it keeps waiting is its margin")
        parts = (
            "converter_in_samples",
            "mixer_samples",
            "link_in_samples",
            "link_out_samples",
            "converter_out_samples",
        )
        if any(getattr(self, part) for part in parts):
            raise ValueError("a cable has no converters, no link and no mixer that could delay")

    @property
    def is_analogue(self) -> bool:
        """Its converters stand at its feeds to the computer, and what its jacks carry is not converted."""
        return self.mixer is not None and self.mixer.analogue

    @property
    def clock_sources(self) -> tuple[ClockSource, ...]:
        """What it can take its pace from."""
        if self.cable is not None:
            return ("computer", "device")
        by_lead: tuple[tuple[ClockSource, object], ...] = (
            ("word clock", self.word_clock_in),
            ("optical", self.optical_in),
        )
        return ("own", *(source for source, able in by_lead if able), "computer")

    def able_jacks(self, what: Literal["phantom", "instrument"]) -> int:
        """How many input jacks, counted from the first, can supply a microphone, or take an instrument."""
        said = self.phantom_jacks if what == "phantom" else self.instrument_jacks
        return self.jack_in if said is None else min(said, self.jack_in)

    def channels_at(self, bank: Literal["capture", "playback"], rate_hz: int) -> int:
        """How many channels of a bank the box has at a rate: its optical ones are the last, and fewer at higher rates.

        An optical port of 8 carries 4 at double rate and 2 at four times. Common practice, no published source.
        """
        has: int = getattr(self, bank)
        optical = min(has, self.optical_in if bank == "capture" else self.optical_out)
        cut = 1 if rate_hz <= SINGLE_RATE_HZ else 2 if rate_hz <= 2 * SINGLE_RATE_HZ else 4
        return has - optical + optical // cut

    def shown(self, driver: Driver, bank: Literal["capture", "playback"]) -> int:
        """How many channels of a bank this driver of the box shows, at the box's rate."""
        said = driver.capture if bank == "capture" else driver.playback
        has = self.channels_at(bank, self.rate_hz)
        return has if said is None else min(said, has)


MEMBERS_AT_MOST = 16
"""So many boxes can be joined into one device."""


class Member(Value):
    """A box of an aggregate, by which of its drivers (None: the first), and whether its rate is matched."""

    device: Id
    driver: Id | None = None
    matched: bool = False


class Aggregate(Value):
    """Boxes joined into one device, at one buffer; its channels are its members' one after the other, in order.

    The ``master`` calls the programs (None: the first member). Members on the master's clock start with it, on the
    same sample. A member on another clock hands its sound over through a ring; ``matched``, it is brought to the
    master's rate on the way, else it slips. ``align``: members that are early may wait for the latest one. With
    ``matches`` off, as when a driver joins the boxes, nothing is matched.
    """

    kind: Literal["aggregate"] = "aggregate"
    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    members: Annotated[tuple[Member, ...], Field(max_length=MEMBERS_AT_MOST)] = ()
    master: Annotated[Id | None, Settable("clock master")] = None
    buffer_samples: Annotated[BufferSamples, Settable("buffer", "samples")] = 128
    margin_samples: Annotated[Margin, Settable("ring buffer margin", "samples")] = 16
    align: Annotated[Literal["none", "pad to the longest"], Settable("align members")] = "none"
    matches: Annotated[bool, Settable("can match rates")] = True

    @model_validator(mode="after")
    def _once(self) -> "Aggregate":
        if len({member.device for member in self.members}) != len(self.members):
            raise ValueError("a box can be a member of it once only")
        return self


class Destination(Value):
    """Where sound ends: headphones, loudspeakers, a feed to elsewhere. ``highest_dbu``: what it takes unclipped."""

    kind: Literal["destination"] = "destination"
    id: Id
    name: Annotated[Name, Settable("name")]
    notes: Annotated[Notes, Settable("notes")] = ""
    destination_kind: Annotated[Literal["headphones", "loudspeakers", "feed"], Settable("kind")] = "headphones"
    width: Annotated[Width, Settable("width")] = 2
    highest_dbu: Annotated[LevelDbu | None, Settable("highest level", "dBu")] = None
    level_unit: Annotated[LevelUnit, Settable("level told in")] = "dBu"


Gear = Annotated[Source | Interface | Outboard | Aggregate | Program | Destination, Field(discriminator="kind")]
