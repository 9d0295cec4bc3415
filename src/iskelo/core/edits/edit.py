"""The edits: every change a user can make, as values. ``apply.py`` says what each does to a rig."""

from typing import Annotated, Literal

from pydantic import Field, JsonValue

from iskelo.core.edits.additions import (
    AddBuses,
    AddDestination,
    AddDriver,
    AddFeed,
    AddGear,
    AddInterface,
    AddLine,
    AddMixes,
    AddOutboard,
    AddProgram,
    AddProgramPorts,
    AddReturns,
    AddSends,
    AddSources,
    AddStrips,
    AddSync,
    AddTracks,
    AddVoices,
    SpreadTracks,
    SpreadVoices,
)
from iskelo.core.rig.gear import Interface, Member
from iskelo.core.rig.part import Bringing, Part
from iskelo.core.rig.ports import Port
from iskelo.core.rig.text import GainDb, Id, Ids, Name
from iskelo.core.rig.value import BufferSamples, ChannelNumber, Value, Width

Jacks = Annotated[dict[ChannelNumber, ChannelNumber], Field(max_length=128)]


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


class RefillPorts(Value):
    """Make a program's inputs or outputs just what its device has: one for every channel, or ``width`` 2 every pair.

    What is in use stays; what nobody uses and does not fit goes.
    """

    edit: Literal["refill_ports"] = "refill_ports"
    program: Id
    side: Literal["input", "output"] = "input"
    width: Width = 1


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


class SendStraight(Value):
    """Send a track of one program past its mix straight to another that mixes it, by a free channel of a cable."""

    edit: Literal["send_straight"] = "send_straight"
    item: Id
    to: Id


class SetBack(Value):
    """Set a track that was sent straight across back to the mix it came from."""

    edit: Literal["set_back"] = "set_back"
    item: Id


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


class SetMixer(Value):
    """Change settings of a box that is a mixer: its pan law, what its mute key does, where solo listens."""

    edit: Literal["set_mixer"] = "set_mixer"
    mixer: Id
    values: Annotated[dict[str, JsonValue], Field(min_length=1, max_length=32)]


class SetCable(Value):
    """Change how a cable hands sound on: its margin."""

    edit: Literal["set_cable"] = "set_cable"
    cable: Id
    values: Annotated[dict[str, JsonValue], Field(min_length=1, max_length=8)]


class TypeFeeds(Value):
    """Feed a mixer's channels or output jacks from ``number`` on, as a phrase says: 'main', 'in 1-4 raw', 'aux 3 pre'.

    What fed them before is taken away; an empty phrase only takes away.
    """

    edit: Literal["type_feeds"] = "type_feeds"
    mixer: Id
    bank: Literal["capture", "jack_out"] = "capture"
    number: ChannelNumber
    text: Annotated[str, Field(max_length=4000)]


class TypeStripFeeds(Value):
    """Let a strip feed what a phrase says and nothing else: 'main, aux 1 -6 pre, usb 3 raw'."""

    edit: Literal["type_strip_feeds"] = "type_strip_feeds"
    strip: Id
    text: Annotated[str, Field(max_length=8000)]


class TypeInsert(Value):
    """Hang something in a strip: 'out 3 in 3', with 'dry -6' or 'bypassed'; 'bypassed' or 'in' alone switch it."""

    edit: Literal["type_insert"] = "type_insert"
    strip: Id
    text: Annotated[str, Field(max_length=80)]


class TypeProgramInsert(Value):
    """Hang something in a track or a bus of a program: 'Anvil press', 'out 3 in 5 dry -6', 'To tape > From tape'.

    Ports, channels and leads that are missing are made. 'bypassed' or 'in' alone switch it, 'none' takes it out.
    """

    edit: Literal["type_program_insert"] = "type_program_insert"
    item: Id
    text: Annotated[str, Field(max_length=500)]


class SplitTrack(Value):
    """Make a stereo track two mono ones, each on its side; lines that ended at its legs end there."""

    edit: Literal["split_track"] = "split_track"
    item: Id


class JoinTracks(Value):
    """Make two mono tracks one stereo track, the first on the left; lines that ended there end at its legs."""

    edit: Literal["join_tracks"] = "join_tracks"
    items: Annotated[Ids, Field(min_length=2, max_length=2)]


class UseStageBox(Value):
    """Let strips of a mixer take the jacks of its stage box, or (``on`` off) its own of the same numbers."""

    edit: Literal["use_stage_box"] = "use_stage_box"
    mixer: Id
    strips: Annotated[Ids, Field(min_length=1, max_length=128)]
    on: bool = True


class SwitchReturns(Value):
    """Switch every strip of a mixer that has a return to it, or (``on`` off) to what it takes live."""

    edit: Literal["switch_returns"] = "switch_returns"
    mixer: Id
    on: bool = True


class SwapGear(Value):
    """Put another interface in the place of one; ``jacks_in`` and ``jacks_out`` say which jack moves where.

    Jacks that are not named keep their number; what finds no jack is unplugged.
    """

    edit: Literal["swap_gear"] = "swap_gear"
    item: Id
    gear: Interface
    jacks_in: Jacks = Field(default_factory=dict)
    jacks_out: Jacks = Field(default_factory=dict)


class BringIn(Bringing):
    """Bring a part in, as ``Bringing`` says."""

    edit: Literal["bring_in"] = "bring_in"
    part: Part


class Plug(Value):
    """Plug a lead; ``replace`` unplugs what was in the socket."""

    edit: Literal["plug"] = "plug"
    from_port: Port
    to_port: Port
    gain_db: GainDb = 0.0
    inverted: bool = False
    unbalanced: bool = False
    replace: bool = False


class Remove(Value):
    """Remove gear, inputs, tracks, outputs, leads or lines, and whatever hung on them."""

    edit: Literal["remove"] = "remove"
    items: Annotated[Ids, Field(min_length=1, max_length=512)]


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
    | AddReturns
    | SpreadVoices
    | SpreadTracks
    | AddSends
    | AddSync
    | AddProgramPorts
    | AddTracks
    | AddStrips
    | AddMixes
    | AddFeed
    | SetValues
    | RenameEverywhere
    | SetLeg
    | FillChannels
    | RefillPorts
    | EnableChannels
    | SetDevice
    | SetOutputDevice
    | JoinDevices
    | SetMembers
    | SetDirect
    | SendStraight
    | SetBack
    | SetTrim
    | SetOutputTrim
    | SetJack
    | SetMixer
    | SetCable
    | TypeFeeds
    | TypeStripFeeds
    | TypeInsert
    | TypeProgramInsert
    | SplitTrack
    | JoinTracks
    | UseStageBox
    | SwitchReturns
    | SwapGear
    | BringIn
    | Plug
    | Remove
    | AddLine,
    Field(discriminator="edit"),
]

Edits = Annotated[tuple[Edit, ...], Field(min_length=1, max_length=10_000, fail_fast=True)]
"""One user action: a list of edits that are applied together or not at all; an input list of 1 000 rows makes most."""
