"""The gear of a rig: sources, interfaces with their drivers, programs, destinations."""

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, field_validator, model_validator

from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes

RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
"""Sampling rates an interface may offer. AES5 (preferred sampling frequencies), from memory."""

SINGLE_RATE_HZ = 50_000
"""Rates up to here are single; up to twice as much double. AES5 sorts rates so, from memory."""

BUFFERS_SAMPLES = (16, 32, 64, 128, 256, 512, 1024, 2048, 4096)
BUFFER_MIN_SAMPLES, BUFFER_MAX_SAMPLES = 1, 8192

BankSize = Annotated[int, Field(ge=0, le=128)]
ChannelNumber = Annotated[int, Field(ge=1, le=128)]
Width = Annotated[int, Field(ge=1, le=2)]
RateHz = Annotated[int, Field(ge=8_000, le=384_000)]
BufferSamples = Annotated[int, Field(ge=BUFFER_MIN_SAMPLES, le=BUFFER_MAX_SAMPLES)]
LevelDbu = Annotated[float, Field(ge=-120, le=40, allow_inf_nan=False)]
Ppm = Annotated[float, Field(ge=-5000, le=5000, allow_inf_nan=False)]
"""How much faster a clock runs than it says, in millionths."""

DEFAULT_TRIM_DB = 38.0

Origin = Literal["measured", "described", "typed", "assumed"]
"""Where a figure is from: a measurement, the maker's description, a person, or nobody (shown with a ~)."""

Origins = Annotated[
    dict[Annotated[str, Field(max_length=40)], Origin],
    Field(max_length=32),
    AfterValidator(lambda origins: dict(sorted(origins.items()))),
]
"""Origins by the name of the figure's field, in order of names; a figure that is not named there is assumed."""

LevelUnit = Literal["dBu", "dBV"]
"""What a nominal level is told in: dBu on professional gear, dBV on consumer gear."""


class Value(BaseModel):
    """An immutable, validated part of a rig; nothing unknown is accepted."""

    model_config = ConfigDict(frozen=True, extra="forbid", json_schema_serialization_defaults_required=True)


class Source(Value):
    """Where sound begins outside the computer."""

    kind: Literal["source"] = "source"
    id: Id
    name: Name
    notes: Notes = ""
    source_kind: Literal["microphone", "instrument", "line player"] = "microphone"
    width: Width = 1
    level_dbu: LevelDbu = -38.0
    level_unit: LevelUnit = "dBu"
    needs_phantom: bool = False
    needs_high_impedance: bool = False
    origins: Origins = {}


DriverKind = Literal["vendor", "system, shared", "system, sole use", "wrapper"]
Clients = Literal["one", "many", "one, lets go in the background"]


class Driver(Value):
    """One way a computer opens an interface.

    ``capture`` and ``playback`` say how many channels it shows (None: all the box has). A driver for *one*
    client is held by the first program of the rig that opens it. A *system, shared* driver may work in periods
    of its own, ``engine_samples`` long, and hand programs their blocks out of those. One that ``resamples`` lets a
    program run at another rate than the box, and is ``resampling_samples`` later for it each way.
    """

    id: Id
    kind: DriverKind = "vendor"
    installed: bool = True
    clients: Clients = "many"
    capture: BankSize | None = None
    playback: BankSize | None = None
    buffers_samples: Annotated[tuple[BufferSamples, ...], Field(min_length=1, max_length=64)] = BUFFERS_SAMPLES
    buffer_samples: BufferSamples = 128
    engine_samples: BufferSamples | None = None
    safety_in_samples: DelaySamples = 0
    safety_out_samples: DelaySamples = 0
    resamples: bool = False
    resampling_samples: DelaySamples = 72
    origins: Origins = {}

    @property
    def engine(self) -> int | None:
        """The engine's period; other kinds of driver have none, and keep the figure for when they are shared again."""
        return self.engine_samples if self.kind == "system, shared" else None

    @field_validator("buffers_samples")
    @classmethod
    def _ascending(cls, sizes: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(sizes)))

    @model_validator(mode="after")
    def _offered(self) -> "Driver":
        if self.buffer_samples not in self.buffers_samples:
            offered = ", ".join(str(size) for size in self.buffers_samples)
            raise ValueError(f"buffer {self.buffer_samples} is not offered by this driver; it offers {offered}")
        return self


LinkKind = Literal["USB full speed", "USB high speed", "PCIe-class", "built in"]
"""How a box is joined to the computer."""


ClockSource = Literal["own", "word clock", "optical", "computer"]
"""What a box takes its pace from: its own crystal, another box by a lead, or the computer's timer."""


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

    Its own clock is right within ``tolerance_ppm``; ``measured_ppm`` is by how much it is fast, if somebody has
    measured that. ``connected``: it is joined to the computer now.
    """

    kind: Literal["interface"] = "interface"
    id: Id
    name: Name
    notes: Notes = ""
    jack_in: BankSize = 2
    jack_out: BankSize = 2
    capture: BankSize = 2
    playback: BankSize = 2
    optical_in: BankSize = 0
    optical_out: BankSize = 0
    rates_hz: Annotated[tuple[RateHz, ...], Field(min_length=1, max_length=16)] = RATES_HZ
    rate_hz: RateHz = 48_000
    converter_in_samples: DelaySamples = 26
    mixer_samples: DelaySamples = 7
    connected: bool = True
    clock_source: ClockSource = "own"
    tolerance_ppm: Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)] = 50.0
    measured_ppm: Ppm | None = None
    word_clock_in: bool = False
    word_clock_out: bool = False
    link_kind: LinkKind = "USB high speed"
    link_sample_bytes: Annotated[int, Field(ge=2, le=4)] = 4
    link_in_samples: DelaySamples = 0
    link_out_samples: DelaySamples = 0
    converter_out_samples: DelaySamples = 26
    input_full_scale_dbu: LevelDbu = 18.0
    output_full_scale_dbu: LevelDbu = 18.0
    trims_db: tuple[GainDb, ...] = ()
    output_trims_db: tuple[GainDb, ...] = ()
    phantom_jacks: BankSize | None = None
    phantom_on: tuple[ChannelNumber, ...] = ()
    instrument_jacks: BankSize | None = None
    high_impedance_on: tuple[ChannelNumber, ...] = ()
    direct: tuple[DirectMonitor, ...] = ()
    drivers: Annotated[tuple[Driver, ...], Field(min_length=1, max_length=8)]
    origins: Origins = {}

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

    @property
    def clock_sources(self) -> tuple[ClockSource, ...]:
        """What it can take its pace from."""
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


class Member(Value):
    """A box of an aggregate, by which of its drivers (None: the first), and whether its rate is matched."""

    device: Id
    driver: Id | None = None
    matched: bool = False


Margin = Annotated[int, Field(ge=0, le=65_536)]
"""Samples kept waiting between two devices beyond what their buffers need."""


class Aggregate(Value):
    """Boxes joined into one device, at one buffer; its channels are its members' one after the other, in order.

    The ``master`` calls the programs (None: the first member). Members on the master's clock start with it, on the
    same sample. A member on another clock hands its sound over through a ring; ``matched``, it is brought to the
    master's rate on the way, else it slips. ``align``: members that are early may wait for the latest one. With
    ``matches`` off, as when a driver joins the boxes, nothing is matched.
    """

    kind: Literal["aggregate"] = "aggregate"
    id: Id
    name: Name
    notes: Notes = ""
    members: Annotated[tuple[Member, ...], Field(max_length=16)] = ()
    master: Id | None = None
    buffer_samples: BufferSamples = 128
    margin_samples: Margin = 16
    align: Literal["none", "pad to the longest"] = "none"
    matches: bool = True

    @model_validator(mode="after")
    def _once(self) -> "Aggregate":
        if len({member.device for member in self.members}) != len(self.members):
            raise ValueError("a box can be a member of it once only")
        return self


class ProgramPort(Value):
    """A named input or output of a program; each leg is mapped to a channel of the device, or to none."""

    id: Id
    name: Name
    legs: Annotated[tuple[ChannelNumber | None, ...], Field(min_length=1, max_length=2)] = (None,)


class Track(Value):
    """A recorder's track: takes one named input, records it when armed, passes it on when monitored.

    ``output`` is a bus or an output of the program.
    """

    id: Id
    name: Name
    width: Width = 1
    input: Id | None = None
    output: Id | None = None
    armed: bool = True
    monitored: bool = False
    muted: bool = False
    gain_db: GainDb = 0.0
    effect_delay_samples: DelaySamples = 0


class Bus(Value):
    """A sum inside a program; ``output`` is another bus of it, or one of its outputs."""

    id: Id
    name: Name
    width: Width = 2
    output: Id | None = None
    gain_db: GainDb = 0.0
    muted: bool = False


class Voice(Value):
    """What a program itself sounds: a pad, a deck, a far end; its nominal level in dBFS."""

    id: Id
    name: Name
    width: Width = 2
    output: Id | None = None
    level_dbfs: Annotated[float, Field(ge=-144, le=0, allow_inf_nan=False)] = -18.0


class LoadReading(Value):
    """What a program's own meter reads: so many per cent of the time, at a buffer of this size."""

    buffer_samples: BufferSamples
    percent: Annotated[float, Field(ge=0, le=400, allow_inf_nan=False)]


ProgramKind = Literal["recorder", "sampler", "player", "call", "mixing program", "system sounds"]


class Program(Value):
    """Software with audio: named inputs, tracks, voices of its own, buses and named outputs, on a device.

    ``driver`` is the driver of the device it opens (None: the device's first). With an ``output_device`` it plays to
    that one, which then calls it, and takes only its input from ``device``: through a ring that keeps
    ``margin_samples``, and brought to the other's rate if ``matched``. ``lets_go_in_background``:
    it gives its device up while another program is in front. ``one_file``: all armed tracks go into one file.
    ``rate_hz`` is the rate its own sound was made for and its files are written as (None: whatever its device runs at).
    ``compensates_samples``: by so much it moves what it recorded to playback by itself.
    ``load_readings`` are two readings of its load meter at different buffers, or one, or none; ``spreads_over_cores``:
    what they tell is done by several cores at a time. ``read_ahead_samples``: what only plays is worked so far ahead.
    """

    kind: Literal["program"] = "program"
    id: Id
    name: Name
    notes: Notes = ""
    program_kind: ProgramKind = "recorder"
    device: Id | None = None
    driver: Id | None = None
    output_device: Id | None = None
    output_driver: Id | None = None
    matched: bool = False
    margin_samples: Margin = 16
    rate_hz: RateHz | None = None
    lets_go_in_background: bool = False
    one_track_per_input: bool = False
    one_file: bool = False
    compensates_samples: DelaySamples = 0
    load_readings: Annotated[tuple[LoadReading, ...], Field(max_length=2)] = ()
    spreads_over_cores: bool = False
    read_ahead_samples: BufferSamples | None = None
    enabled_in: tuple[ChannelNumber, ...] = ()
    enabled_out: tuple[ChannelNumber, ...] = ()
    inputs: Annotated[tuple[ProgramPort, ...], Field(max_length=512)] = ()
    tracks: Annotated[tuple[Track, ...], Field(max_length=512)] = ()
    outputs: Annotated[tuple[ProgramPort, ...], Field(max_length=128)] = ()
    buses: Annotated[tuple[Bus, ...], Field(max_length=128)] = ()
    voices: Annotated[tuple[Voice, ...], Field(max_length=128)] = ()

    @field_validator("load_readings")
    @classmethod
    def _different(cls, readings: tuple[LoadReading, ...]) -> tuple[LoadReading, ...]:
        if len({each.buffer_samples for each in readings}) != len(readings):
            raise ValueError("two readings of its load meter must be at different buffers")
        return readings

    @field_validator("enabled_in", "enabled_out")
    @classmethod
    def _ascending(cls, channels: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(channels)))


class Destination(Value):
    """Where sound ends: headphones, loudspeakers, a feed to elsewhere. ``highest_dbu``: what it takes unclipped."""

    kind: Literal["destination"] = "destination"
    id: Id
    name: Name
    notes: Notes = ""
    destination_kind: Literal["headphones", "loudspeakers", "feed"] = "headphones"
    width: Width = 2
    highest_dbu: LevelDbu | None = None
    level_unit: LevelUnit = "dBu"


Gear = Annotated[Source | Interface | Aggregate | Program | Destination, Field(discriminator="kind")]
