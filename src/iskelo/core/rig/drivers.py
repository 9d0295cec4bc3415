"""Drivers: the ways a computer opens an interface, and what is known of their delays."""

from typing import Annotated, Literal, NamedTuple

from pydantic import Field, field_validator, model_validator

from iskelo.core.rig.text import DelaySamples, Id
from iskelo.core.rig.value import (
    BUFFERS_SAMPLES,
    BankSize,
    BufferSamples,
    Origin,
    Origins,
    RateHz,
    Settable,
    Value,
)

DriverKind = Literal["vendor", "system, shared", "system, sole use", "wrapper"]


Clients = Literal["one", "many", "one, lets go in the background"]


class Offsets(Value):
    """A driver's safety offsets at one rate and buffer: *measured*, or as the driver *described* them."""

    rate_hz: RateHz
    buffer_samples: BufferSamples
    in_samples: DelaySamples
    out_samples: DelaySamples
    origin: Literal["measured", "described"] = "measured"


class Safety(NamedTuple):
    """A driver's safety offsets as they are counted with, and where they are from."""

    in_samples: int
    out_samples: int
    in_origin: Origin
    out_origin: Origin


Quality = Literal["quick", "good", "best"]
"""How long the filter is by which a driver resamples."""

FILTER_TAPS: dict[Quality, int] = {"quick": 32, "good": 128, "best": 512}
"""A filter of linear phase is later by half of it."""


class Driver(Value):
    """One way a computer opens an interface.

    ``capture`` and ``playback`` say how many channels it shows (None: all the box has). A driver for *one* client
    is held by the first program of the rig that opens it. A *system, shared* driver may work in periods of its own,
    ``engine_samples`` long, and hand programs their blocks out of those. One that ``resamples`` lets a program run
    at another rate than the box, and is ``resampling_samples`` later for it each way, by the quality that is chosen
    (None: nobody knows which). ``set_in``: where its buffer and the box's rate are set. With ``own_blocks`` every
    program has the buffer that it asks for itself. ``offsets`` are its safety offsets where they are known, by rate
    and buffer; at other rates they are ``safety_in_samples`` and ``safety_out_samples``.
    """

    id: Id
    kind: Annotated[DriverKind, Settable("kind")] = "vendor"
    installed: Annotated[bool, Settable("installed")] = True
    clients: Annotated[Clients, Settable("programs at a time")] = "many"
    capture: Annotated[BankSize | None, Settable("capture channels shown")] = None
    playback: Annotated[BankSize | None, Settable("playback channels shown")] = None
    buffers_samples: Annotated[
        Annotated[tuple[BufferSamples, ...], Field(min_length=1, max_length=64)], Settable("buffers offered", "samples")
    ] = BUFFERS_SAMPLES
    buffer_samples: Annotated[BufferSamples, Settable("buffer", "samples")] = 128
    set_in: Annotated[Literal["the program", "its own panel"], Settable("buffer and rate are set in")] = "the program"
    own_blocks: Annotated[bool, Settable("every program at its own buffer")] = False
    engine_samples: Annotated[BufferSamples | None, Settable("engine period", "samples")] = None
    safety_in_samples: Annotated[DelaySamples, Settable("safety offset in", "samples", figure=True)] = 0
    safety_out_samples: Annotated[DelaySamples, Settable("safety offset out", "samples", figure=True)] = 0
    offsets: Annotated[tuple[Offsets, ...], Field(max_length=64), Settable("safety offsets known")] = ()
    resamples: Annotated[bool, Settable("resamples for programs at another rate")] = False
    resampling_samples: Annotated[DelaySamples, Settable("resampling", "samples", figure=True)] = 72
    resampling_quality: Annotated[Quality | None, Settable("resampling quality")] = None
    origins: Origins = Field(default_factory=dict)

    @property
    def engine(self) -> int | None:
        """The engine's period; other kinds of driver have none, and keep the figure for when they are shared again."""
        return self.engine_samples if self.kind == "system, shared" else None

    def known_offsets(self, rate_hz: int, buffer_samples: int) -> Offsets | None:
        """What is known at just this rate and buffer."""
        here = (rate_hz, buffer_samples)
        return next((each for each in self.offsets if (each.rate_hz, each.buffer_samples) == here), None)

    def safety(self, rate_hz: int, buffer_samples: int) -> Safety:
        """The safety offsets at a rate and buffer: those known there, else at the nearest buffer at that rate.

        Fixed delays differ from rate to rate, so what is known at another one says nothing.
        """
        here = [each for each in self.offsets if each.rate_hz == rate_hz]
        if here:
            near = min(here, key=lambda each: (abs(each.buffer_samples - buffer_samples), each.buffer_samples))
            # What was found at another buffer is the best guess there is, and a guess.
            origin: Origin = near.origin if near.buffer_samples == buffer_samples else "assumed"
            return Safety(near.in_samples, near.out_samples, origin, origin)
        origins = (self.origins.get(field, "assumed") for field in ("safety_in_samples", "safety_out_samples"))
        return Safety(self.safety_in_samples, self.safety_out_samples, *origins)

    @field_validator("offsets")
    @classmethod
    def _once(cls, offsets: tuple[Offsets, ...]) -> tuple[Offsets, ...]:
        known = {(each.rate_hz, each.buffer_samples): each for each in offsets}
        if len(known) != len(offsets):
            raise ValueError("two sets of safety offsets are for the same rate and buffer")
        return tuple(known[place] for place in sorted(known))

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
