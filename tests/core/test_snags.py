"""Every rule: it finds its snag, its first remedy mends it, and a sound rig has none."""

import math
from collections.abc import Callable

import networkx
import pytest

from iskelo.core.edits.additions import (
    AddBuses,
    AddDestination,
    AddDriver,
    AddGear,
    AddInterface,
    AddLine,
    AddOutboard,
    AddProgram,
    AddProgramPorts,
    AddSync,
    AddTracks,
)
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import (
    Edit,
    EnableChannels,
    JoinDevices,
    Plug,
    Remove,
    SetCable,
    SetDevice,
    SetDirect,
    SetJack,
    SetLeg,
    SetMembers,
    SetOutputDevice,
    SetOutputTrim,
    SetTrim,
    SetValues,
    SwapGear,
    TypeFeeds,
    TypeProgramInsert,
)
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.lines.context import read
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.cable_makes import new_cable
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.mixer_makes import new_mixer
from iskelo.core.rig.ports import Port
from iskelo.core.rig.units import CONSUMER_BELOW_PROFESSIONAL_DB
from iskelo.core.snags.registry import ALL_SYMPTOMS, RULES, find_snags, run_rules
from rigs import Bench, batch, ears, heard, two_voices


def monitored(bench: Bench, on: bool = True) -> SetValues:
    return SetValues(item=bench.track("T Alma"), values={"monitored": on})


def read_load(program: str, at_128: float, at_256: float) -> SetValues:
    """What a program's own meter reads at two buffers."""
    readings = [{"buffer_samples": 128, "percent": at_128}, {"buffer_samples": 256, "percent": at_256}]
    return SetValues(item=program, values={"load_readings": readings})


def off_speed(bench: Bench) -> tuple[Edit, ...]:
    """A player set to 44.1 kHz on a box at 48 kHz, heard in the phones."""
    number = bench.rig.next_number
    voice = Port(f"v{number + 2}", "voice", 1)
    return (
        AddProgram(name="Deck", program_kind="player", voices=("Music",), device=bench.id("Box")),
        SetValues(item=f"p{number}", values={"rate_hz": 44_100}),
        AddLine(name="Music heard", purpose="listen", from_ports=(voice,), to_ports=ears(bench)),
    )


def joined(bench: Bench, **values: object) -> tuple[Edit, ...]:
    """A second box, joined behind the first, Bertil's microphone on it; ``values`` are the second box's."""
    number = bench.rig.next_number
    second, both = f"b{number}", f"g{number + 2}"
    return (
        AddInterface(name="Second", jack_in=2, jack_out=2),
        SetValues(item=second, values={"word_clock_in": True, "word_clock_out": True}),
        SetValues(item=bench.id("Box"), values={"word_clock_in": True, "word_clock_out": True}),
        JoinDevices(name="Both", members=(Member(device=bench.id("Box")), Member(device=second))),
        SetDevice(program=bench.id("Recorder"), device=both),
        Plug(from_port=Port(bench.out("Bertil").owner, "out", 1), to_port=Port(second, "jack_in", 1)),
        SetLeg(item=bench.id("In Bertil"), channel=9),
        *((SetValues(item=second, values={**values}),) if values else ()),
    )


def led(bench: Bench, **values: object) -> tuple[Edit, ...]:
    """The same with the second box led by the first one's word clock."""
    number = bench.rig.next_number
    lead = Plug(from_port=Port(bench.id("Box"), "word_out", 1), to_port=Port(f"b{number}", "word_in", 1))
    return (*joined(bench), lead, SetValues(item=f"b{number}", values={"clock_source": "word clock", **values}))


def matched(bench: Bench) -> tuple[Edit, ...]:
    number = bench.rig.next_number
    members = (Member(device=bench.id("Box")), Member(device=f"b{number}", matched=True))
    return (*joined(bench), SetMembers(aggregate=f"g{number + 2}", members=members))


def turned_round(bench: Bench) -> tuple[Edit, ...]:
    """The members in the other order, while the numbers stay."""
    number = bench.rig.next_number
    members = (Member(device=f"b{number}"), Member(device=bench.id("Box")))
    return (*led(bench), SetMembers(aggregate=f"g{number + 2}", members=members, keep_names=False))


def hung(bench: Bench, text: str = "Anvil press") -> tuple[Edit, ...]:
    """Outboard gear in Alma's track, which is monitored."""
    return (
        AddOutboard(name="Anvil press"),
        monitored(bench),
        TypeProgramInsert(item=bench.track("T Alma"), text=text),
    )


def cabled(bench: Bench) -> tuple[Edit, ...]:
    """A sampler that plays into a cable."""
    number = bench.rig.next_number
    cable, sampler = f"b{number}", f"p{number + 2}"
    return (
        *gear_phrase("cable 2 Gully"),
        AddProgram(name="Soundcase", program_kind="sampler", voices=("Pad",)),
        SetDevice(program=sampler, device=cable),
    )


def hosted_pad(bench: Bench, ahead: str = "short") -> tuple[Edit, ...]:
    """A sampler in the recorder: its pad is recorded there, monitored, and heard within 5 ms."""
    made = Bench(bench.rig)
    sampler, recorder = f"p{made.rig.next_number}", bench.id("Recorder")
    begin: tuple[Edit, ...] = (
        AddProgram(name="Soundcase", program_kind="sampler", voices=("Pad",)),
        SetValues(item=sampler, values={"hosted": {"leader": recorder, "ahead": ahead}}),
    )
    made.do(*begin)
    wanted = BatchRequest(sources="pad", record_to="recorder new", heard_at="head", within="8")
    wishes = batch(made.rig, wanted)
    planned = join_all(read(made.do(*wishes).rig))
    assert planned is not None
    return (*begin, *wishes, *planned.edits)


def falling_pad(bench: Bench) -> tuple[Edit, ...]:
    """A pad that a second recorder takes by a cable whose ends start as it falls."""
    number = bench.rig.next_number
    recorder = f"p{number + 5}"
    return (
        *cabled(bench),
        SetCable(cable=f"b{number}", values={"start": "as it falls"}),
        AddProgram(name="Longhand", device=f"b{number}", tracks=("Pad",), track_width=2, ids=(recorder,)),
        AddLine(
            name="Pad",
            from_ports=tuple(Port(f"v{number + 4}", "voice", leg) for leg in (1, 2)),
            to_ports=tuple(Port(f"t{number + 7}", "track", leg) for leg in (1, 2)),
        ),
    )


def player(bench: Bench) -> tuple[Edit, ...]:
    """A player with a bed of music, without a device."""
    return (AddProgram(name="Cartwheel", program_kind="player", voices=("Bed",)),)


def led_by(bench: Bench) -> tuple[Edit, ...]:
    """The recorder follows a player's clock."""
    return (*player(bench), AddSync(sender=f"p{bench.rig.next_number}", receiver=bench.id("Recorder")))


def recorded_bed(bench: Bench) -> tuple[Edit, ...]:
    """The recorder takes that bed by a cable, behind nothing that is stamped."""
    number = bench.rig.next_number
    cable = f"b{number + 4}"
    recorder = bench.id("Recorder")
    return (
        *led_by(bench),
        *gear_phrase("cable 2 Gully"),
        Remove(items=tuple(item.id for item in bench.program().outputs)),
        SetDevice(program=f"p{number}", device=cable),
        SetDevice(program=recorder, device=cable),
        AddProgramPorts(program=recorder, names=("Bed",), width=2, first_channel=1, ids=("new1",)),
        AddTracks(program=recorder, names=("Bed",), width=2, inputs=("new1",)),
    )


def called(bench: Bench) -> tuple[Edit, ...]:
    """A call with one far end, on the only box."""
    return (AddProgram(name="Farline", program_kind="call", voices=("Ines",), voice_width=1, device=bench.id("Box")),)


def recorded_by_another(bench: Bench) -> tuple[AddLine]:
    """What Recorder mixes of Alma goes by a cable to Tape, which records it again."""
    bench.do(AddGear(gear=new_cable("Gully", 8)))
    bench.do(
        SetOutputDevice(program=bench.id("Recorder"), device=bench.id("Gully")),
        AddProgram(name="Tape", device=bench.id("Gully"), tracks=("Again",)),
    )
    again = Port(bench.track("Again"), "track", 1)
    return (AddLine(name="Again", from_ports=(bench.out("Alma"),), to_ports=(again,)),)


Break = Callable[[Bench], tuple[Edit, ...]]
BREAKS: dict[str, Break] = {
    "cable-margin-small": lambda b: (
        *cabled(b),
        SetCable(cable=f"b{b.rig.next_number}", values={"margin_samples": 2}),
    ),
    "cable-to-itself": lambda b: (
        *cabled(b),
        AddProgramPorts(program=f"p{b.rig.next_number + 2}", names=("Again",), width=2, first_channel=1),
    ),
    "cable-starts-as-it-falls": falling_pad,
    "sockets-shared": lambda b: (
        AddDestination(name="Second pair"),
        Plug(from_port=Port(b.box().id, "jack_out", 1), to_port=Port(f"x{b.rig.next_number}", "in", 1)),
    ),
    "played-by-hand-is-late": lambda b: hosted_pad(b, "long"),
    "hosted-takes-lie-off": lambda b: (
        *hosted_pad(b),
        *(SetValues(item=track.id, values={"armed": False}) for track in b.program().tracks),
        SetValues(item=b.id("Recorder"), values={"compensates_samples": 370}),
    ),
    "return-not-made": lambda b: (
        *player(b),
        SetValues(item=f"p{b.rig.next_number}", values={"hosted": {"leader": b.id("Recorder")}}),
    ),
    "clock-not-followed": lambda b: (
        *led_by(b),
        SetValues(item=b.id("Recorder"), values={"follows_clock": False}),
    ),
    "clock-not-sent": lambda b: (SetValues(item=b.id("Recorder"), values={"follows_clock": True}), *player(b)),
    "two-clocks": lambda b: (
        *led_by(b),
        AddProgram(name="Second", program_kind="player", ids=("new1",)),
        AddSync(sender="new1", receiver=b.id("Recorder")),
    ),
    "followers-in-a-circle": lambda b: (
        *led_by(b),
        AddSync(sender=b.id("Recorder"), receiver=f"p{b.rig.next_number}"),
    ),
    "clips-lie-off": recorded_bed,
    "notes-come-twice": lambda b: (
        *player(b),
        AddProgram(name="Soundcase", program_kind="sampler", ids=("new1",)),
        AddSync(sender=f"p{b.rig.next_number}", receiver=b.id("Recorder"), clock=False, notes=True),
        AddSync(sender=b.id("Recorder"), receiver="new1", clock=False, notes=True),
        AddSync(sender=f"p{b.rig.next_number}", receiver="new1", clock=False, notes=True),
    ),
    "far-end-hears-itself": lambda b: (
        *called(b),
        AddBuses(program=f"p{b.rig.next_number}", names=("Both",), ids=("new1",)),
        SetValues(item=f"v{b.rig.next_number + 2}", values={"output": "new1"}),
        SetValues(item=f"t{b.rig.next_number + 4}", values={"input": "new1"}),
    ),
    "far-end-late": lambda b: (
        *called(b),
        SetValues(
            item=f"v{b.rig.next_number + 2}",
            values={"far": {"from_low_ms": 160, "from_high_ms": 420, "assumed": False}},
        ),
        AddLine(
            name="Ines, heard",
            purpose="listen",
            from_ports=(Port(f"v{b.rig.next_number + 2}", "voice", 1),),
            to_ports=(Port(b.id("Phones"), "in", 1),),
        ),
    ),
    "box-not-connected": lambda b: (SetValues(item=b.id("Box"), values={"connected": False}),),
    "boxes-at-different-rates": lambda b: led(b, rate_hz=44_100),
    "clock-loop": lambda b: (
        *led(b),
        Plug(from_port=Port(f"b{b.rig.next_number}", "word_out", 1), to_port=Port(b.id("Box"), "word_in", 1)),
        SetValues(item=b.id("Box"), values={"clock_source": "word clock"}),
    ),
    "clock-not-locked": lambda b: joined(b, clock_source="word clock"),
    "two-masters": lambda b: led(b, clock_source="own"),
    "clocks-drift": joined,
    "line-drifting": joined,
    "member-absent": lambda b: (*led(b), SetValues(item=b.id("Box"), values={"connected": False})),
    "master-not-a-member": lambda b: (
        *led(b),
        AddInterface(name="Third"),
        SetValues(item=f"g{b.rig.next_number + 2}", values={"master": f"b{b.rig.next_number + 5}"}),
    ),
    "numbers-moved": turned_round,
    "member-order": lambda b: (
        *led(b),
        # Somebody put the numbers in as they are with the members the other way round.
        SetLeg(item=b.id("In Alma"), channel=3),
        SetLeg(item=b.id("In Bertil"), channel=1),
    ),
    "member-cannot-join": lambda b: (
        *led(b),
        SetValues(item=f"b{b.rig.next_number + 1}", values={"buffers_samples": [64, 128], "buffer_samples": 64}),
        SetValues(item=f"g{b.rig.next_number + 2}", values={"buffer_samples": 256}),
    ),
    "members-differ-in-delay": lambda b: led(b, converter_in_samples=90),
    "matched-member-adds-delay": matched,
    "program-without-device": lambda b: (SetDevice(program=b.id("Recorder"), device=None),),
    "program-at-another-rate": lambda b: (SetValues(item=b.id("Recorder"), values={"rate_hz": 44_100}),),
    "driver-resamples": lambda b: (
        SetValues(item=b.id("Recorder"), values={"rate_hz": 44_100}),
        SetValues(item=b.box().drivers[0].id, values={"resamples": True}),
    ),
    "rate-set-in-two-places": lambda b: (
        SetValues(item=b.id("Recorder"), values={"rate_hz": 48_000}),
        AddProgram(name="Deck", program_kind="player", voices=("Music",), device=b.id("Box")),
        SetValues(item=f"p{b.rig.next_number}", values={"rate_hz": 44_100}),
    ),
    "line-off-speed": off_speed,
    "rate-cuts-channels": lambda b: (
        SetValues(item=b.id("Box"), values={"optical_in": 8, "rate_hz": 96_000}),
        SetLeg(item=b.id("In Bertil"), channel=5),
    ),
    "work-exceeds-buffer": lambda b: (read_load(b.id("Recorder"), 110, 90),),
    "programs-crowd-the-computer": lambda b: (
        read_load(b.id("Recorder"), 50, 30),
        AddProgram(name="Mixing", program_kind="mixing program", device=b.id("Box")),
        read_load(f"p{b.rig.next_number}", 50, 30),
    ),
    "link-over-budget": lambda b: (
        SetValues(item=b.id("Box"), values={"link_kind": "USB full speed", "capture": 4, "playback": 4}),
    ),
    "file-passes-4-gib": lambda b: (
        SetValues(item=b.id("Recorder"), values={"one_file": True}),
        SetValues(item="rig", values={"show_minutes": 300}),
    ),
    "two-inputs-on-one-channel": lambda b: (SetLeg(item=b.id("In Bertil"), channel=1),),
    "leg-without-channel": lambda b: (SetLeg(item=b.id("In Alma"), channel=None),),
    "channel-not-enabled": lambda b: (EnableChannels(program=b.id("Recorder"), channels=(1, 2), on=False),),
    "output-nowhere": lambda b: (
        monitored(b),
        SetValues(item=b.track("T Alma"), values={"output": None}),
    ),
    "armed-without-input": lambda b: (SetValues(item=b.track("T Alma"), values={"input": None}),),
    "one-side-silent": lambda b: (
        AddTracks(program=b.id("Recorder"), names=("Wide",), width=2, inputs=(b.id("In Alma"),)),
    ),
    "line-half-silent": lambda b: (
        Remove(items=(next(patch.id for patch in b.rig.patches if patch.to_port == ears(b)[1]),)),
    ),
    "line-inverted": lambda b: (SetValues(item=b.rig.patches[0].id, values={"inverted": True}),),
    "line-skewed": lambda b: led(b, converter_in_samples=90),
    "line-silent": lambda b: (Remove(items=(b.rig.patches[0].id,)),),
    "line-blocked": lambda b: (SetValues(item=b.track("T Alma"), values={"armed": False}),),
    "line-crossed": lambda b: (
        SetLeg(item=b.id("In Alma"), channel=2),
        SetLeg(item=b.id("In Bertil"), channel=1),
    ),
    "line-doubled": lambda b: (
        monitored(b),
        SetDirect(interface=b.id("Box"), jack_in=1, jack_out=1),
        SetDirect(interface=b.id("Box"), jack_in=1, jack_out=2),
    ),
    "line-crowded": lambda b: (SetLeg(item=b.id("In Bertil"), channel=1),),
    "line-late": lambda b: (monitored(b), SetValues(item=b.box().drivers[0].id, values={"buffer_samples": 512})),
    "line-hot": lambda b: (SetTrim(interface=b.id("Box"), jack_in=1, trim_db=60),),
    "above-alignment": lambda b: (
        SetValues(item=b.id("L Alma"), values={"highest_dbfs": -10}),
        SetTrim(interface=b.id("Box"), jack_in=1, trim_db=44),
    ),
    "line-low": lambda b: (
        SetValues(item=b.id("L Alma"), values={"lowest_dbfs": -24}),
        SetTrim(interface=b.id("Box"), jack_in=1, trim_db=10),
    ),
    "driver-not-installed": lambda b: (SetValues(item=b.box().drivers[0].id, values={"installed": False}),),
    "driver-held": lambda b: (
        SetValues(item=b.box().drivers[0].id, values={"clients": "one"}),
        AddProgram(name="Second", voices=("Deck",), device=b.id("Box")),
    ),
    "driver-shows-too-few": lambda b: (
        SetValues(item=b.box().drivers[0].id, values={"capture": 1}),
        AddDriver(interface=b.id("Box"), kind="wrapper"),
    ),
    "lets-go-in-background": lambda b: (SetValues(item=b.id("Recorder"), values={"lets_go_in_background": True}),),
    "system-sounds-on-a-recording-device": lambda b: (
        AddProgram(name="Sounds", program_kind="system sounds", voices=("Beeps",), device=b.id("Box")),
    ),
    "names-repeated": lambda b: (SetValues(item=b.id("In Bertil"), values={"name": "in alma"}),),
    "unused-bus": lambda b: (AddBuses(program=b.id("Recorder"), names=("Cue",)),),
    "sound-goes-round": lambda b: [
        Plug(from_port=Port(b.id("Box"), "jack_out", 5), to_port=Port(b.id("Box"), "jack_in", 5), gain_db=-38),
        SetDirect(interface=b.id("Box"), jack_in=5, jack_out=5, gain_db=1),
    ],
    "phantom-into-an-output": lambda b: [
        Plug(from_port=Port(b.id("Box"), "jack_out", 5), to_port=Port(b.id("Box"), "jack_in", 5)),
        SetJack(interface=b.id("Box"), jack_in=5, phantom=True),
    ],
    "bus-feeds-itself": lambda b: (
        AddBuses(program=b.id("Recorder"), names=("Cue",), ids=("u900",)),
        AddBuses(program=b.id("Recorder"), names=("Reverb",), ids=("u901",), output="u900"),
        SetValues(item="u900", values={"output": "u901"}),
    ),
    "armed-twice": lambda b: (
        SetValues(item=b.id("Recorder"), values={"one_track_per_input": True}),
        AddTracks(program=b.id("Recorder"), names=("Spare",), inputs=(b.id("In Alma"),)),
    ),
    "monitored-twice": lambda b: (monitored(b), SetDirect(interface=b.id("Box"), jack_in=1, jack_out=1)),
    "phantom-missing": lambda b: (SetValues(item=b.id("Alma"), values={"needs_phantom": True}),),
    "high-impedance-missing": lambda b: (SetValues(item=b.id("Alma"), values={"needs_high_impedance": True}),),
    "insert-open": lambda b: hung(b, "out 3 in 3"),
    "insert-unheard": lambda b: (*hung(b), monitored(b, on=False)),
    "insert-shared": lambda b: (*hung(b), SetLeg(item=b.id("Main"), leg=2, channel=3)),
    "insert-level": lambda b: (*hung(b), SetOutputTrim(interface=b.id("Box"), jack_out=3, trim_db=-20)),
    "insert-gets-another-level": lambda b: (
        *hung(b),
        SetOutputTrim(interface=b.id("Box"), jack_out=3, trim_db=-20),
        SetTrim(interface=b.id("Box"), jack_in=3, trim_db=20),
    ),
    "insert-figure": lambda b: (
        *hung(b),
        SetValues(item=b.track("T Bertil"), values={"monitored": True, "output": b.id("Main")}),
        SetValues(item=b.id("Recorder"), values={"delay_compensation": True}),
    ),
    "unbalanced-loses-half": lambda b: (
        SetValues(item=b.id("Box"), values={"drives_both_legs": True}),
        SetValues(item=next(p.id for p in b.rig.patches if p.to_port == ears(b)[0]), values={"unbalanced": True}),
    ),
    "line-other-way": lambda b: (
        AddOutboard(name="Press"),
        SetValues(item=b.line("L Alma").line.id, values={"through": "Press"}),
    ),
    "line-other-tap": lambda b: (
        SwapGear(item=b.id("Box"), gear=new_mixer("Desk", 8, analogue=False)),
        SetValues(item=b.line("L Alma").line.id, values={"tap": "before the fader"}),
    ),
    "recorded-behind-faders": recorded_by_another,
    "channels-unfed": lambda b: (
        SwapGear(item=b.id("Box"), gear=new_mixer("Desk", 8, analogue=False)),
        TypeFeeds(mixer=b.id("Box"), number=9, text=""),
    ),
    "track-on-another-strip": lambda b: (
        SwapGear(item=b.id("Box"), gear=new_mixer("Desk", 8, analogue=False)),
        AddProgramPorts(program=b.id("Recorder"), side="output", names=("Out 2",), first_channel=2, ids=("new1",)),
        SetValues(item=b.track("T Alma"), values={"output": "new1"}),
    ),
    "consumer-and-professional": lambda b: (
        SetValues(item=b.id("Alma"), values={"source_kind": "line player", "level_unit": "dBV", "level_dbu": -7.78}),
        SetTrim(interface=b.id("Box"), jack_in=1, trim_db=-4),
    ),
}


def sound_rig() -> Bench:
    """Two voices recorded, one of them heard within 10 ms, nothing wrong."""
    bench = heard(two_voices(), "Alma", within_ms=10)
    return bench.do(monitored(bench))


def test_a_sound_rig_has_no_snag() -> None:
    assert find_snags(read(sound_rig().rig)) == []


def test_every_rule_is_broken_here() -> None:
    assert BREAKS.keys() == {known.name for known in RULES}


@pytest.mark.parametrize("rule", BREAKS)
def test_a_rule_finds_its_snag_and_its_first_remedy_mends_it(rule: str) -> None:
    bench = sound_rig()
    bench.do(*BREAKS[rule](bench))
    found = bench.snags(rule)
    assert found
    snag = found[0]
    assert snag.title
    assert snag.evidence
    assert snag.consequence
    remedies = snag.mend()
    assert 1 <= len(remedies) <= 3
    mended = apply(bench.rig, remedies[0].edits).rig
    assert snag.key not in {each.key for each in run_rules(read(mended))}


def test_every_remedy_offered_can_be_made() -> None:
    for broken in BREAKS.values():
        bench = sound_rig()
        bench.do(*broken(bench))
        for snag in find_snags(read(bench.rig)):
            for remedy in snag.mend():
                apply(bench.rig, remedy.edits)


def test_the_remedy_for_a_late_line_is_the_largest_buffer_that_does() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["line-late"](bench))
    (snag,) = bench.snags("line-late")
    first = snag.mend()[0]
    assert "buffer of Box to 128: 7.73 ms" in first.words
    assert "directly" in snag.mend()[1].words
    directly = apply(bench.rig, snag.mend()[1].edits).rig
    assert [s.headline for s in read(directly).lines] == ["arrives"] * 3


def test_two_inputs_on_one_channel_are_parted_so_that_the_silent_line_arrives() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["two-inputs-on-one-channel"](bench))
    (snag,) = bench.snags("two-inputs-on-one-channel")
    assert snag.title == "In Alma and In Bertil share channel 1"
    assert snag.mend()[0].words == "Set input In Bertil to channel 2"


def test_snags_come_worst_first() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["line-silent"](bench), *BREAKS["one-side-silent"](bench), *BREAKS["line-hot"](bench))
    order = [snag.severity for snag in find_snags(read(bench.rig))]
    assert order == sorted(order, key=["stop", "trouble", "risk", "note"].index)


def test_every_symptom_and_every_explanation_names_rules_that_exist() -> None:
    names = [known.name for known in RULES]
    assert len(set(names)) == len(names)
    for known in RULES:
        assert known.looks_for
        assert set(known.symptoms) <= set(ALL_SYMPTOMS)
        assert set(known.explains) <= set(names)
    # Outside check: networkx finds an order, so looking for causes ends.
    assert networkx.is_directed_acyclic_graph(networkx.DiGraph((k.name, each) for k in RULES for each in k.explains))


def test_a_program_without_a_device_is_one_snag_for_all_its_lines() -> None:
    bench = sound_rig()
    bench.do(SetDevice(program=bench.id("Recorder"), device=None))
    found = find_snags(read(bench.rig))
    (cause,) = [snag for snag in found if snag.rule == "program-without-device"]
    assert set(cause.lines) >= {bench.id("L Alma"), bench.id("L Bertil")}
    assert len(cause.follows) == 2
    assert not [snag for snag in found if snag.rule == "line-silent" and snag.lines[0] in cause.lines]


def test_many_lines_into_one_unplugged_pair_of_headphones_are_one_snag() -> None:
    bench = heard(heard(two_voices(), "Alma"), "Bertil")
    leads = tuple(patch.id for patch in bench.rig.patches if patch.to_port.bank == "in")
    bench.do(
        *(SetValues(item=bench.track(f"T {name}"), values={"monitored": True}) for name in ("Alma", "Bertil")),
        Remove(items=leads),
    )
    assert len(bench.snags("line-silent")) == 1
    (one,) = find_snags(read(bench.rig))
    assert one.title.startswith("Alma heard, Bertil heard are silent: they stop before")
    assert set(one.lines) == {bench.id("Alma heard"), bench.id("Bertil heard")}


def test_remedies_are_ranked_by_the_lines_they_free() -> None:
    bench = sound_rig()
    bench.do(SetDevice(program=bench.id("Recorder"), device=None))
    (cause,) = [s for s in find_snags(read(bench.rig)) if s.rule == "program-without-device"]
    tried = tried_remedies(bench.rig, cause)
    freed = [each.trial.arriving_after - each.trial.arriving_now for each in tried]
    assert freed == sorted(freed, reverse=True)
    assert freed[0] == 3
    assert len(tried) <= 3


def test_a_held_driver_blocks_the_second_program_and_another_driver_lets_it_in() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["driver-held"](bench), AddDriver(interface=bench.id("Box")))
    voice = next(v.id for p in index(bench.rig).programs() for v in p.voices)
    deck = (Port(voice, "voice", 1), Port(voice, "voice", 2))
    bench.do(AddLine(name="Deck heard", purpose="listen", from_ports=deck, to_ports=ears(bench)))
    assert bench.line("Deck heard").headline == "blocked"
    (snag,) = bench.snags("driver-held")
    assert snag.mend()[0].words == "Let Second open Box by its system, shared driver"
    bench.do(*snag.mend()[0].edits)
    assert bench.line("Deck heard").headline == "arrives"
    assert bench.line("L Alma").headline == "arrives"


def test_consumer_gear_is_11_8_db_under_professional_gear() -> None:
    """Arithmetic: +4 dBu = 1.228 V, -10 dBV = 0.3162 V; 20 log10 of their ratio is 11.79 dB."""
    assert pytest.approx(20 * math.log10(1.2277 / 0.31623), abs=0.01) == CONSUMER_BELOW_PROFESSIONAL_DB
    bench = sound_rig()
    bench.do(*BREAKS["consumer-and-professional"](bench))
    (snag,) = bench.snags("consumer-and-professional")
    assert "−10.0 dBV are −7.8 dBu, 11.8 dB under +4 dBu" in snag.evidence
    assert snag.mend()[0].words == "Set the trim of Box jack in 1 to 7.8 dB"


@pytest.mark.parametrize(
    ("low", "high", "comes_at"), [(-24, -12, -18), (-10.4, -6, -9.4), (None, -30.2, -31.2), (-20.5, -20.5, -20.5)]
)
def test_a_level_outside_its_window_is_brought_inside(low: float | None, high: float, comes_at: float) -> None:
    """Alignment at -18 dBFS (EBU R 68, from memory) where the window takes it in."""
    bench = sound_rig()
    bench.do(SetValues(item=bench.id("L Alma"), values={"lowest_dbfs": low, "highest_dbfs": high}))
    bench.do(SetTrim(interface=bench.id("Box"), jack_in=1, trim_db=54))
    (snag,) = [each for each in bench.snags("line-hot") if each.lines == (bench.id("L Alma"),)]
    bench.do(*snag.mend()[0].edits)
    assert bench.line("L Alma").headline == "arrives"
    assert bench.line("L Alma").legs[0].level_dbfs == pytest.approx(comes_at)


def test_the_systems_sounds_may_be_kept_silent() -> None:
    bench = sound_rig()
    bench.do(*BREAKS["system-sounds-on-a-recording-device"](bench))
    (snag,) = bench.snags("system-sounds-on-a-recording-device")
    bench.do(*snag.mend()[0].edits)
    assert find_snags(read(bench.rig)) == []


def test_a_destination_that_clips_is_mended_at_the_output() -> None:
    bench = sound_rig()
    bench.do(SetValues(item=bench.id("Phones"), values={"highest_dbu": -6}))
    (snag,) = bench.snags("line-hot")
    assert "6.0 dB above full scale at Phones L" in snag.evidence
    # Its nominal 0 dBu leave 18 dB to -6 dBu nowhere but at -24.
    both = "the trim of Box jack out 1 to −24 dB, 24 dB down; the trim of Box jack out 2 to −24 dB, 24 dB down"
    assert snag.mend()[0].words == f"Set {both}"
    bench.do(*snag.mend()[0].edits)
    assert bench.line("Alma heard").headline == "arrives"


def test_professional_gear_into_consumer_loudspeakers_is_trimmed_by_the_difference() -> None:
    """Arithmetic: -18 dBFS at +18 dBu full scale is 0 dBu; consumer gear expects -10 dBV = -7.78 dBu."""
    bench = sound_rig()
    bench.do(
        SetValues(item=bench.id("Phones"), values={"level_unit": "dBV"}),
        SetValues(item=bench.id("Box"), values={"output_full_scale_dbu": 24}),
    )
    found = bench.snags("consumer-and-professional")
    assert len(found) == 2
    for snag in found:
        assert "gives 6.0 dBu at −18 dBFS" in snag.evidence
        bench.do(*snag.mend()[0].edits)
    assert bench.snags("consumer-and-professional") == []
    assert bench.box().output_trims_db[:2] == (-13.8, -13.8)


def test_a_supply_the_jack_does_not_have_is_said_and_blocks_the_line() -> None:
    bench = sound_rig()
    bench.do(
        SetValues(item=bench.id("Alma"), values={"needs_phantom": True}),
        SetValues(item=bench.id("Box"), values={"phantom_jacks": 0}),
    )
    assert bench.line("L Alma").headline == "blocked"
    (snag,) = bench.snags("phantom-missing")
    assert "not to be had: only the first 0 jacks have it" in snag.evidence


def test_fewer_jacks_with_a_supply_switch_it_off_where_it_is_gone() -> None:
    bench = sound_rig()
    box = bench.id("Box")
    bench.do(SetValues(item=box, values={"phantom_on": [1, 5]}), SetValues(item=box, values={"phantom_jacks": 4}))
    assert bench.box().phantom_on == (1,)
    bench.do(SetValues(item=box, values={"jack_in": 2, "phantom_jacks": None}))
    assert bench.box().phantom_on == (1,)
    with pytest.raises(Refused, match="jack in 9 has no phantom supply; only the first 2 have it"):
        bench.do(SetValues(item=box, values={"phantom_on": [9]}))


def test_two_tracks_that_come_back_on_each_others_strips_are_put_right_at_once_and_at_home_nothing_is_said() -> None:
    bench = sound_rig()
    bench.do(
        SwapGear(item=bench.id("Box"), gear=new_mixer("Desk", 8, analogue=False)),
        AddProgramPorts(
            program=bench.id("Recorder"), side="output", names=("A", "B"), first_channel=1, ids=("new1", "new2")
        ),
    )
    first, second = (item.id for item in bench.program().outputs[-2:])
    alma, bertil = bench.track("T Alma"), bench.track("T Bertil")
    bench.do(SetValues(item=alma, values={"output": first}), SetValues(item=bertil, values={"output": second}))
    assert not bench.snags("track-on-another-strip")
    bench.do(SetValues(item=alma, values={"output": second}), SetValues(item=bertil, values={"output": first}))
    found = bench.snags("track-on-another-strip")
    assert {line for snag in found for line in snag.lines} == {bench.id("L Alma"), bench.id("L Bertil")}
    assert len(found) == 2
    bench.do(*found[0].mend()[0].edits)
    assert not bench.snags("track-on-another-strip")
