"""The gear of a rig: sources, interfaces with their drivers, programs, destinations."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from iskelo.core.rig.text import DelaySamples, GainDb, Id, Name, Notes

RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
"""Sampling rates an interface may offer. AES5 (preferred sampling frequencies), from memory."""

BUFFERS_SAMPLES = (16, 32, 64, 128, 256, 512, 1024, 2048, 4096)
BUFFER_MIN_SAMPLES, BUFFER_MAX_SAMPLES = 1, 8192

BankSize = Annotated[int, Field(ge=0, le=128)]
ChannelNumber = Annotated[int, Field(ge=1, le=128)]
Width = Annotated[int, Field(ge=1, le=2)]
RateHz = Annotated[int, Field(ge=8_000, le=384_000)]
BufferSamples = Annotated[int, Field(ge=BUFFER_MIN_SAMPLES, le=BUFFER_MAX_SAMPLES)]
LevelDbu = Annotated[float, Field(ge=-120, le=40, allow_inf_nan=False)]

DEFAULT_TRIM_DB = 38.0


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
    needs_phantom: bool = False
    needs_high_impedance: bool = False


class Driver(Value):
    """One way a computer opens an interface: the vendor's own, low-delay driver."""

    id: Id
    kind: Literal["vendor"] = "vendor"
    buffers_samples: Annotated[tuple[BufferSamples, ...], Field(min_length=1, max_length=64)] = BUFFERS_SAMPLES
    buffer_samples: BufferSamples = 128
    safety_in_samples: DelaySamples = 0
    safety_out_samples: DelaySamples = 0

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


class DirectMonitor(Value):
    """One crosspoint of direct monitoring: a jack heard at another without passing the computer."""

    jack_in: ChannelNumber
    jack_out: ChannelNumber
    gain_db: GainDb = 0.0
    muted: bool = False


class Interface(Value):
    """A box with converters and a connection to the computer.

    Jack in *n* feeds capture channel *n*, playback channel *n* feeds jack out *n*, as far as both banks
    reach. Fixed delays are whole samples at the box's rate.
    """

    kind: Literal["interface"] = "interface"
    id: Id
    name: Name
    notes: Notes = ""
    jack_in: BankSize = 2
    jack_out: BankSize = 2
    capture: BankSize = 2
    playback: BankSize = 2
    rates_hz: Annotated[tuple[RateHz, ...], Field(min_length=1, max_length=16)] = RATES_HZ
    rate_hz: RateHz = 48_000
    converter_in_samples: DelaySamples = 26
    mixer_samples: DelaySamples = 7
    link_in_samples: DelaySamples = 0
    link_out_samples: DelaySamples = 0
    converter_out_samples: DelaySamples = 26
    input_full_scale_dbu: LevelDbu = 18.0
    trims_db: tuple[GainDb, ...] = ()
    direct: tuple[DirectMonitor, ...] = ()
    driver: Driver

    @field_validator("rates_hz")
    @classmethod
    def _ascending(cls, rates: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(rates)))

    @model_validator(mode="before")
    @classmethod
    def _a_trim_per_jack(cls, data: Any) -> Any:
        """Input jacks added later come up with the default trim; trims of jacks taken away go with them."""
        if isinstance(data, dict):
            trims, jacks = data.get("trims_db", ()), data.get("jack_in", 2)
            if isinstance(trims, (list, tuple)) and isinstance(jacks, int) and 0 <= jacks <= 128:
                data = {**data, "trims_db": (*trims, *[DEFAULT_TRIM_DB] * (jacks - len(trims)))[:jacks]}
        return data

    @model_validator(mode="after")
    def _consistent(self) -> "Interface":
        if self.rate_hz not in self.rates_hz:
            offered = ", ".join(str(rate) for rate in self.rates_hz)
            raise ValueError(f"{self.rate_hz} Hz is not offered by this box; it offers {offered}")
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


class ProgramPort(Value):
    """A named input or output of a program; each leg is mapped to a channel of the device, or to none."""

    id: Id
    name: Name
    legs: Annotated[tuple[ChannelNumber | None, ...], Field(min_length=1, max_length=2)] = (None,)


class Track(Value):
    """A recorder's track: takes one named input, records it when armed, passes it on when monitored."""

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


class Program(Value):
    """Software with audio. A recorder has named inputs, tracks and named outputs on one device."""

    kind: Literal["program"] = "program"
    id: Id
    name: Name
    notes: Notes = ""
    program_kind: Literal["recorder"] = "recorder"
    device: Id | None = None
    enabled_in: tuple[ChannelNumber, ...] = ()
    enabled_out: tuple[ChannelNumber, ...] = ()
    inputs: Annotated[tuple[ProgramPort, ...], Field(max_length=512)] = ()
    tracks: Annotated[tuple[Track, ...], Field(max_length=512)] = ()
    outputs: Annotated[tuple[ProgramPort, ...], Field(max_length=128)] = ()

    @field_validator("enabled_in", "enabled_out")
    @classmethod
    def _ascending(cls, channels: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(channels)))


class Destination(Value):
    """Where sound ends: headphones, loudspeakers, a feed to elsewhere."""

    kind: Literal["destination"] = "destination"
    id: Id
    name: Name
    notes: Notes = ""
    destination_kind: Literal["headphones", "loudspeakers", "feed"] = "headphones"
    width: Width = 2


Gear = Annotated[Source | Interface | Program | Destination, Field(discriminator="kind")]
