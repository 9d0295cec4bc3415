"""The edits that add: gear, items of programs, lines."""

from typing import Annotated, Literal

from pydantic import Field

from iskelo.core.rig.drivers import Clients, DriverKind
from iskelo.core.rig.gear import Gear
from iskelo.core.rig.mixers import Key, StripTap
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Pan, ProgramKind, Tap
from iskelo.core.rig.rig import MIXED_AT_MOST, NeverPassed, Passed, Purpose
from iskelo.core.rig.text import DelaySamples, GainDb, Id, Ids, Name
from iskelo.core.rig.value import BankSize, BufferSamples, ChannelNumber, LevelDbu, LevelUnit, RateHz, Value, Width

Names = Annotated[tuple[Name, ...], Field(min_length=1, max_length=256, fail_fast=True)]


class AddSources(Value):
    """Add sources, one for each name."""

    edit: Literal["add_sources"] = "add_sources"
    names: Names
    source_kind: Literal["microphone", "instrument", "line player"] = "microphone"
    width: Width = 1
    level_dbu: LevelDbu | None = None
    level_unit: LevelUnit = "dBu"
    needs_phantom: bool = False
    needs_high_impedance: bool = False
    ids: Ids = ()


class AddInterface(Value):
    """Add a box; capture and playback channels follow the jacks unless said."""

    edit: Literal["add_interface"] = "add_interface"
    name: Name
    jack_in: BankSize = 2
    jack_out: BankSize = 2
    capture: BankSize | None = None
    playback: BankSize | None = None
    rate_hz: RateHz = 48_000
    buffer_samples: int = 128
    safety_in_samples: DelaySamples = 24
    safety_out_samples: DelaySamples = 32


class AddProgram(Value):
    """Add a program; without a device named it opens the rig's only box, or its only cable, if there is just one.

    ``voices`` names what it sounds itself; the voices of a program that has any go to an output on channels 1–2.
    ``tracks`` names its tracks, each with an input of its own; the inputs take the device's channels from 1 on.
    Those of a mixing program are its strips: they are monitored, and go to an output on channels 1–2.
    The voices of a call are far ends, each with an ear and an input for it.
    """

    edit: Literal["add_program"] = "add_program"
    name: Name
    program_kind: ProgramKind = "recorder"
    device: Id | None = None
    voices: Annotated[tuple[Name, ...], Field(max_length=128)] = ()
    voice_width: Width = 2
    tracks: Annotated[tuple[Name, ...], Field(max_length=128)] = ()
    track_width: Width = 1
    ids: Annotated[tuple[Id, ...], Field(max_length=1)] = ()


class AddDestination(Value):
    """Add headphones, loudspeakers or a feed."""

    edit: Literal["add_destination"] = "add_destination"
    name: Name
    destination_kind: Literal["headphones", "loudspeakers", "feed"] = "headphones"
    width: Width = 2


class AddOutboard(Value):
    """Add outboard gear: what a sound passes on its way through leads."""

    edit: Literal["add_outboard"] = "add_outboard"
    name: Name
    width: Width = 1


class AddGear(Value):
    """Add a piece of gear as described, under new ids; what its name is taken by gets a number behind it."""

    edit: Literal["add_gear"] = "add_gear"
    gear: Gear
    ids: Ids = ()


class AddDriver(Value):
    """Add one more way to open a box."""

    edit: Literal["add_driver"] = "add_driver"
    interface: Id
    kind: DriverKind = "system, shared"
    capture: BankSize | None = None
    playback: BankSize | None = None
    clients: Clients = "many"
    buffer_samples: int = 512
    engine_samples: BufferSamples | None = None


class AddVoices(Value):
    """Add voices to a program: what it sounds itself. Those of a call are far ends, each with an ear of its own."""

    edit: Literal["add_voices"] = "add_voices"
    program: Id
    names: Names
    width: Width = 2
    output: Id | None = None
    ids: Ids = ()


class SpreadVoices(Value):
    """Give each voice of a program an output of its own, on ascending channels, away from a common one.

    ``voices``: which; all of them, if none are named. Without a ``first_channel`` what is a voice's own already stays
    as it is. A common output that nothing feeds any more is taken away.
    """

    edit: Literal["spread_voices"] = "spread_voices"
    program: Id
    voices: Ids = ()
    first_channel: ChannelNumber | None = None


class SpreadTracks(Value):
    """Send each track of a program to an output of its own besides, on ascending channels, where others take them.

    ``tracks``: which; all of them but ears, if none are named. They begin behind the last channel in use, unless a
    ``first_channel`` is said. ``tap``: behind the fader, what is taken there follows fader, mute and solo.
    """

    edit: Literal["spread_tracks"] = "spread_tracks"
    program: Id
    tracks: Ids = ()
    first_channel: ChannelNumber | None = None
    tap: Tap = "before the fader"


class AddReturns(Value):
    """Let a hosted program's outputs appear in its leader, each as an input of the same name and width.

    ``outputs``: which; those that have no return yet, if none are named.
    """

    edit: Literal["add_returns"] = "add_returns"
    program: Id
    outputs: Ids = ()
    ids: Ids = ()


class AddSync(Value):
    """Let a program hear another by a virtual MIDI port; with the clock, it follows that one."""

    edit: Literal["add_sync"] = "add_sync"
    sender: Id
    receiver: Id
    clock: bool = True
    notes: bool = False
    ids: Annotated[tuple[Id, ...], Field(max_length=1)] = ()


class AddBuses(Value):
    """Add buses to a program: sums inside it."""

    edit: Literal["add_buses"] = "add_buses"
    program: Id
    names: Names
    width: Width = 2
    output: Id | None = None
    ids: Ids = ()


class AddSends(Value):
    """Send tracks, voices or buses to a bus or an output besides their own outputs; those that are sent there stay."""

    edit: Literal["add_sends"] = "add_sends"
    program: Id
    items: Annotated[Ids, Field(min_length=1, max_length=512)]
    to: Id
    tap: Tap = "behind the fader"
    gain_db: GainDb = 0.0


class AddProgramPorts(Value):
    """Add named inputs or outputs; their legs take ascending channels from ``first_channel``."""

    edit: Literal["add_program_ports"] = "add_program_ports"
    program: Id
    side: Literal["input", "output"] = "input"
    names: Names
    width: Width = 1
    first_channel: ChannelNumber | None = None
    ids: Ids = ()


class AddTracks(Value):
    """Add tracks; ``inputs`` gives each its input, in order."""

    edit: Literal["add_tracks"] = "add_tracks"
    program: Id
    names: Names
    width: Width = 1
    inputs: Annotated[tuple[Id | None, ...], Field(max_length=512)] = ()
    output: Id | None = None
    armed: bool = True
    monitored: bool = False
    ids: Ids = ()


class AddStrips(Value):
    """Add strips to a mixer; their legs take its jacks, ascending from ``first_jack``."""

    edit: Literal["add_strips"] = "add_strips"
    mixer: Id
    names: Names
    width: Width = 1
    first_jack: ChannelNumber = 1
    ids: Ids = ()


class AddMixes(Value):
    """Add mixes to a mixer: auxes, groups, another pair."""

    edit: Literal["add_mixes"] = "add_mixes"
    mixer: Id
    names: Names
    width: Width = 2
    ids: Ids = ()


class AddFeed(Value):
    """Let a strip, a mix or (raw) an input jack feed a mix, channels for the computer, or output jacks.

    ``replace``: other feeds to these channels or jacks are taken away.
    """

    edit: Literal["add_feed"] = "add_feed"
    mixer: Id
    item: Id | None = None
    jack: ChannelNumber | None = None
    bank: Literal["mix", "capture", "jack_out"] = "mix"
    to: Id | None = None
    number: ChannelNumber = 1
    width: Width = 1
    tap: StripTap = "behind the fader"
    gain_db: GainDb = 0.0
    on: bool = True
    pan: Pan | None = None
    key: Key = "always"
    replace: bool = False
    ids: Annotated[tuple[Id, ...], Field(max_length=1)] = ()


class AddLine(Value):
    """State a wanted delivery."""

    edit: Literal["add_line"] = "add_line"
    name: Name
    purpose: Purpose = "record"
    from_ports: Annotated[tuple[Port, ...], Field(max_length=MIXED_AT_MOST)] = ()
    mixed: bool = False
    to_ports: Annotated[tuple[Port, ...], Field(max_length=2)] = ()
    longest_delay_ms: Annotated[float, Field(gt=0, le=60_000, allow_inf_nan=False)] | None = None
    alone: bool | None = None
    through: Passed = ()
    never_by: NeverPassed = ()
    tag: Annotated[str, Field(max_length=80)] = ""
