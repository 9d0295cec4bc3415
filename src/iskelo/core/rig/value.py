"""What gear is made of: figures with their bounds, where they are from, and immutable values."""

from typing import Annotated, Literal, NamedTuple

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

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
Headroom = Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)]
"""How far above its nominal level a sound may go, in dB."""

Ppm = Annotated[float, Field(ge=-5000, le=5000, allow_inf_nan=False)]
"""How much faster a clock runs than it says, in millionths."""

Margin = Annotated[int, Field(ge=0, le=65_536)]
"""How far from each other a ring keeps its two ends, in samples."""

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


class Settable(NamedTuple):
    """Said of a field that a person may set: what screens and the history call it, its unit, and whether where its
    figure is from is kept.
    """

    name: str
    unit: str = ""
    figure: bool = False

    @property
    def label(self) -> str:
        """Example: 'buffer (samples)'."""
        return f"{self.name} ({self.unit})" if self.unit else self.name


class Value(BaseModel):
    """An immutable, validated part of a rig; nothing unknown is accepted."""

    model_config = ConfigDict(frozen=True, extra="forbid", json_schema_serialization_defaults_required=True)

    def __hash__(self) -> int:
        """Equal values have one hash, also those that hold tables by name, which have none of their own."""
        given = tuple(map(self.__dict__.__getitem__, type(self).model_fields))
        try:
            return hash(given)
        except TypeError:
            return _hash_of(given)


def _hash_of(value: object) -> int:
    if isinstance(value, dict):
        return hash(frozenset((name, _hash_of(each)) for name, each in value.items()))
    if isinstance(value, list | tuple):
        return hash(tuple(map(_hash_of, value)))
    return hash(value)
