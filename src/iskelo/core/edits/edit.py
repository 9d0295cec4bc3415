"""The edits: every change a user can make, as values. ``apply.py`` says what each does to a rig."""

from typing import Annotated, Literal

from pydantic import Field, JsonValue

from iskelo.core.rig.gear import Clients, DriverKind, Gear, Interface, Member
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import ProgramKind, Tap
from iskelo.core.rig.rig import Purpose
from iskelo.core.rig.text import DelaySamples, GainDb, Id, Ids, Name
from iskelo.core.rig.value import BankSize, BufferSamples, ChannelNumber, LevelDbu, LevelUnit, RateHz, Value, Width

Names = Annotated[tuple[Name, ...], Field(min_length=1, max_length=256, fail_fast=True)]


Jacks = Annotated[dict[ChannelNumber, ChannelNumber], Field(max_length=128)]


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
    """Add a program; without a device named it opens the rig's only interface, if there is just one.

    ``voices`` names what it sounds itself; the voices of a program that has any go to an output on channels 1–2.
    ``tracks`` names its tracks, each with an input of its own; the inputs take the device's channels from 1 on.
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
    """Add voices to a program: what it sounds itself."""

    edit: Literal["add_voices"] = "add_voices"
    program: Id
    names: Names
    width: Width = 2
    output: Id | None = None
    ids: Ids = ()


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


class SetValues(Value):
    """Change fields of one thing: gear, driver, input, track, voice, output, lead, line, or the rig itself.

    ``origin`` says where the new figures are from.
    """

    edit: Literal["set"] = "set"
    item: Annotated[str, Field(max_length=17)]
    values: Annotated[dict[str, JsonValue], Field(min_length=1, max_length=32)]
    origin: Literal["typed", "measured", "described", "assumed"] = "typed"


class RenameEverywhere(Value):
    """Give everything of one name another: source, inputs, tracks, lines (also 'NAME, heard')."""

    edit: Literal["rename_everywhere"] = "rename_everywhere"
    old: Name
    new: Name


class SetLeg(Value):
    """Map one leg of a program's input or output to a device channel, or to none."""

    edit: Literal["set_leg"] = "set_leg"
    item: Id
    leg: Annotated[int, Field(ge=1, le=2)] = 1
    channel: ChannelNumber | None = None


class FillChannels(Value):
    """Map the legs of these inputs (or outputs) to ascending channels, in order."""

    edit: Literal["fill_channels"] = "fill_channels"
    items: Annotated[Ids, Field(min_length=1, max_length=512)]
    first_channel: ChannelNumber = 1


class EnableChannels(Value):
    """Enable or disable channels of a program's device."""

    edit: Literal["enable_channels"] = "enable_channels"
    program: Id
    side: Literal["input", "output"] = "input"
    channels: Annotated[tuple[ChannelNumber, ...], Field(min_length=1, max_length=128)]
    on: bool = True


class SetDevice(Value):
    """Give a program its device, a box or an aggregate; with no channel enabled yet, all of the device's are enabled.

    Where the two devices have boxes in common, every name keeps the box's channel it had.
    """

    edit: Literal["set_device"] = "set_device"
    program: Id
    device: Id | None = None
    driver: Id | None = None


class SetOutputDevice(Value):
    """Let a program play to another box than it takes its input from, or with ``device`` None to the same.

    ``matched``: whether the input is brought to the other's rate (None: as it was).
    """

    edit: Literal["set_output_device"] = "set_output_device"
    program: Id
    device: Id | None = None
    driver: Id | None = None
    matched: bool | None = None


class JoinDevices(Value):
    """Join boxes into one device; its buffer is the nearest to theirs that all of them offer, unless said."""

    edit: Literal["join_devices"] = "join_devices"
    name: Name
    members: Annotated[tuple[Member, ...], Field(max_length=16)]
    master: Id | None = None
    buffer_samples: BufferSamples | None = None
    align: Literal["none", "pad to the longest"] = "none"
    matches: bool = True
    ids: Ids = ()


class SetMembers(Value):
    """Set an aggregate's members and their order. ``keep_names``: names follow the boxes, else the numbers stay."""

    edit: Literal["set_members"] = "set_members"
    aggregate: Id
    members: Annotated[tuple[Member, ...], Field(max_length=16)]
    keep_names: bool = True


class SetDirect(Value):
    """Set one crosspoint of direct monitoring, or with ``gain_db`` None take it away."""

    edit: Literal["set_direct"] = "set_direct"
    interface: Id
    jack_in: ChannelNumber
    jack_out: ChannelNumber
    gain_db: GainDb | None = 0.0
    muted: bool = False


class SetTrim(Value):
    """Set the input trim of one jack."""

    edit: Literal["set_trim"] = "set_trim"
    interface: Id
    jack_in: ChannelNumber
    trim_db: GainDb


class SetOutputTrim(Value):
    """Set the trim of one output jack."""

    edit: Literal["set_output_trim"] = "set_output_trim"
    interface: Id
    jack_out: ChannelNumber
    trim_db: GainDb


class SetJack(Value):
    """Switch phantom supply or high impedance of one input jack; what is None stays."""

    edit: Literal["set_jack"] = "set_jack"
    interface: Id
    jack_in: ChannelNumber
    phantom: bool | None = None
    high_impedance: bool | None = None


class SwapGear(Value):
    """Put another interface in the place of one; ``jacks_in`` and ``jacks_out`` say which jack moves where.

    Jacks that are not named keep their number; what finds no jack is unplugged.
    """

    edit: Literal["swap_gear"] = "swap_gear"
    item: Id
    gear: Interface
    jacks_in: Jacks = Field(default_factory=dict)
    jacks_out: Jacks = Field(default_factory=dict)


class Plug(Value):
    """Plug a lead; ``replace`` unplugs what was in the socket."""

    edit: Literal["plug"] = "plug"
    from_port: Port
    to_port: Port
    gain_db: GainDb = 0.0
    inverted: bool = False
    replace: bool = False


class Remove(Value):
    """Remove gear, inputs, tracks, outputs, leads or lines, and whatever hung on them."""

    edit: Literal["remove"] = "remove"
    items: Annotated[Ids, Field(min_length=1, max_length=512)]


class AddLine(Value):
    """State a wanted delivery."""

    edit: Literal["add_line"] = "add_line"
    name: Name
    purpose: Purpose = "record"
    from_ports: Annotated[tuple[Port, ...], Field(max_length=2)] = ()
    to_ports: Annotated[tuple[Port, ...], Field(max_length=2)] = ()
    longest_delay_ms: Annotated[float, Field(gt=0, le=60_000, allow_inf_nan=False)] | None = None
    alone: bool | None = None
    tag: Annotated[str, Field(max_length=80)] = ""


Edit = Annotated[
    AddSources
    | AddInterface
    | AddProgram
    | AddDestination
    | AddOutboard
    | AddGear
    | AddDriver
    | AddVoices
    | AddBuses
    | AddSends
    | AddProgramPorts
    | AddTracks
    | SetValues
    | RenameEverywhere
    | SetLeg
    | FillChannels
    | EnableChannels
    | SetDevice
    | SetOutputDevice
    | JoinDevices
    | SetMembers
    | SetDirect
    | SetTrim
    | SetOutputTrim
    | SetJack
    | SwapGear
    | Plug
    | Remove
    | AddLine,
    Field(discriminator="edit"),
]

Edits = Annotated[tuple[Edit, ...], Field(min_length=1, max_length=10_000, fail_fast=True)]
"""One user action: a list of edits that are applied together or not at all; an input list of 1 000 rows makes most."""
