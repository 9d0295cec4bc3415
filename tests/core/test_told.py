"""What goes wrong in rooms, kind by kind: what is told, that it is told once, and the act that stands first."""

from collections.abc import Callable

import pytest

from desks import desk_bench, mixer_of
from evenings import EVENINGS, box, device, planned, program, set_up, wished
from iskelo.core.edits.additions import AddLine, AddProgramPorts, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import (
    Edit,
    JoinDevices,
    Plug,
    Remove,
    SetDevice,
    SetJack,
    SetLeg,
    SetMembers,
    SetTrim,
    SetValues,
    SwitchReturns,
    TypeFeeds,
    UseStageBox,
)
from iskelo.core.edits.new_things import new
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.gear import Member
from iskelo.core.rig.mixers import Feed
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey_again
from mending import arriving
from rigs import Bench


def evening(what: str) -> Bench:
    return set_up(next(each for each in EVENINGS if each.what == what))


def first(rig: Rig, about: str) -> tuple[str, list[str], Rig]:
    """The title of the first snag that tells of something, its acts, and the rig after the first of them."""
    known = survey_again(rig, None)
    snag = next(each for each in known.snags if about in each.title)
    acts = [each for each in tried_remedies(rig, snag, known) if not each.fact]
    return snag.title, [each.words for each in acts], apply(rig, acts[0].edits).rig


def count(rig: Rig, *severities: str) -> int:
    return sum(snag.severity in severities for snag in survey_again(rig, None).snags)


def desk_of_six() -> Bench:
    bench = desk_bench("6 mic", "mixer 16 digital", "recorder Longhand", "headphones Phones")
    wished(bench, (("mic", "longhand new", "", ""), ("mic", "", "phones", "")))
    planned(bench)
    return bench


DESK = "Mixer 16 digital"


def all_at_the_stage_box(bench: Bench) -> list[Edit]:
    """Every lead in the jack of the stage box that is its own one's fellow."""
    edits: list[Edit] = []
    desk = bench.id(DESK)
    for jack in range(1, 7):
        lead = next(each for each in bench.rig.patches if each.from_port.owner == bench.id(f"Microphone {jack}"))
        edits += [
            Remove(items=(lead.id,)),
            Plug(from_port=lead.from_port, to_port=Port(desk, "jack_in", 16 + jack)),
            SetJack(interface=desk, jack_in=16 + jack, phantom=True),
            SetTrim(interface=desk, jack_in=16 + jack, trim_db=box(bench, DESK).trims_db[jack - 1]),
        ]
    return edits


def main_feed(bench: Bench) -> Feed:
    """What the second strip feeds the main mix by."""
    mixer = mixer_of(bench, DESK)
    return next(each for each in mixer.feeds if each.item == mixer.strips[1].id and each.to == mixer.mixes[0].id)


Told = tuple[Callable[[Bench], list[Edit]], str, str]
"""What is done, what the first snag tells, what its first act is."""

OF_SIX: dict[str, Told] = {
    "strips at the stage box": (
        lambda b: [UseStageBox(mixer=b.id(DESK), strips=tuple(each.id for each in mixer_of(b, DESK).strips[:6]))],
        "no strip of Mixer 16 digital takes jack in 1",
        "Let the strips of Mixer 16 digital take the jacks of Mixer 16 digital",
    ),
    "leads at the stage box": (
        all_at_the_stage_box,
        "Microphone 1, Microphone 2, Microphone 3 and 9 more are silent: they stop before",
        "Let the strips and the raw channels of Mixer 16 digital take the jacks of the stage box",
    ),
    "strips at their returns": (
        lambda b: [SwitchReturns(mixer=b.id(DESK))],
        "strips Strip 1, Strip 2, Strip 3 and 3 more of Mixer 16 digital take their returns",
        "Let all strips of Mixer 16 digital take what they take live",
    ),
    "a channel that nothing feeds": (
        lambda b: [TypeFeeds(mixer=b.id(DESK), bank="capture", number=3, text="")],
        "nothing feeds channel 3 of Mixer 16 digital",
        "Feed in 3 of Mixer 16 digital raw to channel 3",
    ),
    "a strip that feeds nothing": (
        lambda b: [Remove(items=(main_feed(b).id,))],
        "strip Strip 2 does not feed Main",
        "Feed strip Strip 2 of Mixer 16 digital to Main",
    ),
}


@pytest.mark.parametrize("what", OF_SIX)
def test_one_cause_at_a_mixer_is_told_once_and_mended_in_one_act(what: str) -> None:
    bench = desk_of_six()
    doing, told, act = OF_SIX[what]
    rig = apply(bench.rig, tuple(doing(bench))).rig
    assert count(rig, "stop", "trouble") == 1
    title, acts, after = first(rig, told)
    assert acts[0] == act, title
    assert arriving(after) == len(rig.lines)


@pytest.mark.parametrize(("strip", "side"), [(0, "left"), (1, "right")])
def test_a_key_and_a_pan_that_stand_wrongly_are_put_right_together(strip: int, side: str) -> None:
    bench = desk_bench("2 mic Alma, Bertil", "analogue mixer 8, second pair", "recorder Longhand")
    wished(bench, (("mic", "longhand new", "", ""),))
    planned(bench)
    name = next(gear.name for gear in bench.rig.gear if "second" in gear.name)
    wrong = mixer_of(bench, name).strips[strip]
    bench.do(SetValues(item=wrong.id, values={"muted": not wrong.muted, "pan": -wrong.pan}))
    _, acts, after = first(bench.rig, ("Alma", "Bertil")[strip])
    assert acts[0] == f"Press the key of strip {wrong.name} of {name}, then pan strip {wrong.name} of {name} {side}"
    assert arriving(after) == 2


def test_a_mute_behind_a_solo_is_told_with_it_and_both_are_opened_at_once() -> None:
    bench = evening("a box of eighteen in")
    muted, soloed = program(bench, "Gangway").tracks[1:3]
    bench.do(SetValues(item=soloed.id, values={"soloed": True}), SetValues(item=muted.id, values={"muted": True}))
    assert count(bench.rig, "stop", "trouble") == 2
    title, acts, after = first(bench.rig, "Microphone 2, heard is blocked")
    assert title.endswith("track Strip 2 is muted, and other tracks of Gangway are soloed")
    assert acts[0] == "Unmute track Strip 2 and end all solo"
    assert arriving(after) == len(bench.rig.lines)
    title, acts, _ = first(bench.rig, "other tracks of Gangway are soloed")
    assert title.startswith("Microphone 1, heard, Microphone 4, heard, Microphone 5, heard and 11 more are blocked")
    assert acts[0] == "End all solo"


def test_two_sides_that_go_round_are_one_circle() -> None:
    """A recorder takes from a cable what it plays into it."""
    bench = desk_bench("mic Alma", "box 4x4 Corvane", "cable 4 Gully", "recorder Longhand")
    wished(bench, (("mic", "longhand new", "", ""),))
    planned(bench)
    longhand, corvane, gully = (bench.id(name) for name in ("Longhand", "Corvane", "Gully"))
    members = (Member(device=corvane), Member(device=gully))
    bench.do(
        SetValues(item=gully, values={"follows": corvane}),
        JoinDevices(name="Both", members=members, master=corvane, ids=(new(1),)),
        SetDevice(program=longhand, device=new(1)),
        AddProgramPorts(program=longhand, side="output", names=("Main",), width=2, first_channel=5, ids=(new(2),)),
        AddProgramPorts(program=longhand, names=("Back",), width=2, first_channel=5, ids=(new(3),)),
        AddTracks(program=longhand, names=("Back",), width=2, inputs=(new(3),), monitored=True, output=new(2)),
    )
    assert count(bench.rig, "stop", "trouble") == 1
    _, acts, after = first(bench.rig, "Sound goes round: it howls")
    assert acts[0] == "Stop monitoring track Back"
    assert count(after, "stop", "trouble") == 0


def test_what_waits_for_another_tracks_effects_is_told_late_and_they_are_taken_out() -> None:
    bench = desk_bench("2 mic Alma, Bertil", "box 4x4 Corvane", "recorder Longhand", "headphones Phones")
    wished(bench, (("mic", "longhand new", "", ""),))
    planned(bench)
    longhand, phones, corvane = (bench.id(name) for name in ("Longhand", "Phones", "Corvane"))
    ears = (Port(phones, "in", 1), Port(phones, "in", 2))
    bench.do(
        SetValues(item=longhand, values={"delay_compensation": True}),
        AddProgramPorts(program=longhand, side="output", names=("Main",), width=2, first_channel=1, ids=(new(1),)),
        *(
            SetValues(item=bench.track(name), values={"monitored": True, "output": new(1)})
            for name in ("Alma", "Bertil")
        ),
        *(Plug(from_port=Port(corvane, "jack_out", ear.number), to_port=ear) for ear in ears),
        AddLine(
            name="Alma, heard",
            purpose="listen",
            from_ports=(bench.out("Alma"),),
            to_ports=ears,
            longest_delay_ms=15,
        ),
    )
    assert arriving(bench.rig) == 3
    bench.do(SetValues(item=bench.track("Bertil"), values={"effect_delay_samples": 2000}))
    _, acts, _ = first(bench.rig, "Alma, heard is late")
    assert "Take the effects out of track Bertil of Longhand" in acts
    assert "Switch delay compensation off in Longhand" in acts


def test_a_clock_that_is_plugged_stands_before_one_that_is_not_and_before_matching() -> None:
    bench = evening("two boxes as one")
    for name in ("Corvane", "Pellow"):
        sockets = {"optical_in": 8, "optical_out": 8, "word_clock_in": True, "word_clock_out": True}
        bench.do(SetValues(item=bench.id(name), values=sockets))
    joined = device(bench, "Longhand")
    bench.do(
        Plug(from_port=Port(bench.id("Corvane"), "optical_out", 1), to_port=Port(bench.id("Pellow"), "optical_in", 1)),
        SetMembers(
            aggregate=joined.id,
            members=tuple(member.model_copy(update={"matched": False}) for member in joined.members),
        ),
    )
    _, acts, _ = first(bench.rig, "Pellow drifts against Corvane")
    assert acts == [
        "Let Pellow follow the optical of Corvane",
        "Let Pellow follow the word clock of Corvane",
        "Match the rate of Pellow in Corvane + Pellow",
    ]


def test_sets_of_loudspeakers_in_one_jack_are_told_and_get_jacks_of_their_own() -> None:
    bench = evening("one program, several sets of loudspeakers")
    hall, corvane = bench.id("Hall"), bench.id("Corvane")
    leads = tuple(lead.id for lead in bench.rig.patches if lead.to_port.owner == hall)
    bench.do(
        Remove(items=leads),
        *(Plug(from_port=Port(corvane, "jack_out", leg), to_port=Port(hall, "in", leg)) for leg in (1, 2)),
    )
    title, acts, after = first(bench.rig, "one socket")
    assert title == "Room, Hall are on jacks out 1–2 of Corvane, which have one socket each"
    assert acts == ["Give Hall jacks of its own"]
    assert arriving(after) == 3
    assert not any("socket" in snag.title for snag in survey_again(after, None).snags)


def test_tracks_that_come_back_on_each_others_strips_are_one_snag() -> None:
    bench = desk_bench("4 mic", "havra", "recorder Longhand")
    wished(bench, (("mic", "longhand new", "", ""),))
    planned(bench)
    outputs = tuple(new(number) for number in range(1, 5))
    tracks = program(bench, "Longhand").tracks
    bench.do(
        AddProgramPorts(
            program=bench.id("Longhand"), side="output", names=("R1", "R2", "R3", "R4"), first_channel=1, ids=outputs
        ),
        *(
            SetValues(item=track.id, values={"output": outputs[at]})
            for track, at in zip(tracks, (1, 0, 2, 3), strict=True)
        ),
    )
    _, acts, after = first(bench.rig, "comes back on strip")
    assert acts == ["Play Microphone 2, Microphone 1 to the return of the strip each was recorded from"]
    assert sum("comes back on" in snag.title for snag in survey_again(bench.rig, None).snags) == 1
    assert not any("comes back on" in snag.title for snag in survey_again(after, None).snags)


def test_a_program_on_another_box_keeps_in_mind_what_its_names_stood_for() -> None:
    bench = evening("two boxes as one")
    longhand, before = bench.id("Longhand"), bench.rig
    joined = device(bench, "Longhand")
    bench.do(SetDevice(program=longhand, device=bench.id("Pellow")))
    assert count(bench.rig, "stop", "trouble") == 1
    _, acts, after = first(bench.rig, "Longhand is on Pellow, without Corvane: 4 names")
    assert acts[0] == f"Give Longhand the device {joined.name}; its names get their channels back"
    assert arriving(after) == arriving(before) == 6
    legs = [[item.legs for item in program(Bench(rig), "Longhand").inputs] for rig in (before, after)]
    assert legs[0] == legs[1]


def test_a_channel_beyond_those_that_a_program_opens_is_said_to_be_so() -> None:
    bench = desk_bench("mic Alma", "box 32x32 Corvane", "recorder Longhand")
    wished(bench, (("mic", "longhand new", "", ""),))
    planned(bench)
    item = program(bench, "Longhand").inputs[0].id
    lead = next(each for each in bench.rig.patches if each.from_port == bench.out("Alma"))
    bench.do(
        Remove(items=(lead.id,)),
        Plug(from_port=bench.out("Alma"), to_port=Port(bench.id("Corvane"), "jack_in", 25)),
        SetJack(interface=bench.id("Corvane"), jack_in=25, phantom=True),
        SetLeg(item=item, leg=1, channel=1),
    )
    _, acts, after = first(bench.rig, "Alma")
    assert acts[0] == "Set input Alma to channel 25"
    assert arriving(after) == 1


def test_a_program_on_the_box_that_nothing_is_plugged_into_is_one_snag_and_goes_back() -> None:
    bench = desk_bench("3 mic", "box 8x8 Corvane", "box 4x4 Pellow", "recorder Longhand", "headphones Phones")
    wished(bench, (("mic", "longhand new", "", ""), ("mic", "", "phones", "")))
    planned(bench)
    bench.do(SetDevice(program=bench.id("Longhand"), device=bench.id("Pellow")))
    assert count(bench.rig, "stop", "trouble") == 1
    title, acts, after = first(bench.rig, "silent")
    assert title.endswith("are silent: they stop at Corvane, which Longhand does not open")
    assert acts[0] == "Give Longhand the device Corvane"
    assert arriving(after) == 6


def test_a_strip_panned_out_of_its_half_is_panned_back_rather_than_a_pair_switched_off() -> None:
    """Two voices share a stereo send by their pans; one in the centre is in the other's channel, and heard twice."""
    bench = desk_bench("2 mic Alma, Bertil", "analogue mixer 8 Wherry", "recorder Longhand", "headphones Phones")
    wished(bench, (("mic", "longhand new", "phones", "15"),))
    planned(bench)
    assert arriving(bench.rig) == 4
    strip = next(each for each in mixer_of(bench, "Wherry").strips if each.pan == -1)
    bench.do(SetValues(item=strip.id, values={"pan": 0}))
    assert arriving(bench.rig) < 4
    _, acts, after = first(bench.rig, "")
    assert acts[0] == f"Pan strip {strip.name} of Wherry left"
    assert arriving(after) == 4


def test_a_lead_that_was_muted_is_unmuted_and_nothing_is_patched_beside_it() -> None:
    """Two things are wrong: the other one has its own act, and no second way is made for it."""
    bench = desk_bench("mic Alma", "box 4x4 Corvane", "recorder Longhand", "headphones Phones")
    wished(bench, (("alma", "longhand new", "", ""), ("alma", "", "phones", "")))
    planned(bench)
    into, out = (each for each in bench.rig.patches if each.to_port.number == 1)
    bench.do(SetValues(item=into.id, values={"muted": True}), SetValues(item=out.id, values={"inverted": True}))
    _, acts, after = first(bench.rig, "Alma")
    assert acts[0] == "Unmute the lead"
    assert [cross.jack_out for cross in box(Bench(after), "Corvane").direct] == [
        cross.jack_out for cross in box(bench, "Corvane").direct
    ]
