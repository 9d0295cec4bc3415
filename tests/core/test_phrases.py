"""Phrases: gear typed in a line, batches of lines, and the plan that completes them."""

import pytest

from iskelo.core.edits.additions import AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.edits.ports_phrase import split_numbers
from iskelo.core.lines.context import read
from iskelo.core.planner.whole_plan import join_all
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.demo.catalogue import catalogue
from rigs import Bench, batch, two_voices


def made(*phrases: str) -> Bench:
    bench = Bench(Rig())
    for phrase in phrases:
        bench.do(*gear_phrase(phrase))
    return bench


@pytest.mark.parametrize(
    ("phrase", "names"),
    [
        ("mic", ["Microphone"]),
        ("4 mic", ["Microphone 1", "Microphone 2", "Microphone 3", "Microphone 4"]),
        ("2 mics Voice", ["Voice 1", "Voice 2"]),
        ("mic Alma, Bertil", ["Alma", "Bertil"]),
        ("stereo instrument Reed organ", ["Reed organ"]),
        ("box 8x8 Corvane 8", ["Corvane 8"]),
        ("16x12 box", ["Box"]),
        ("rec", ["Recorder"]),
        ("2 head", ["Headphones 1", "Headphones 2"]),
        ("Speakers Room", ["Room"]),
    ],
)
def test_a_phrase_makes_what_it_names(phrase: str, names: list[str]) -> None:
    assert [gear.name for gear in made(phrase).rig.gear] == names


def test_sizes_and_widths_are_taken_from_the_phrase() -> None:
    bench = made("box 16x12 Big", "stereo line Beds", "feed Web", "stereo feed Radio")
    big, beds, web, radio = bench.rig.gear
    assert (big.jack_in, big.capture, big.jack_out, big.playback) == (16, 16, 12, 12)
    assert [each.width for each in (beds, web, radio)] == [2, 1, 2]


@pytest.mark.parametrize(
    ("phrase", "reason"),
    [
        ("", "say what it is"),
        ("4", "say what it is"),
        ("4 spoons", "no gear is called 'spoons'; type for example 4 mic"),
        ("0 mic", "too many or too few"),
        ("9999 mic", "too many or too few"),
        ("mic 8x8", "is the size of a box"),
        ("box 500x2", "at most 128 jacks"),
        ("box 0x0", "a jack at least"),
        ("recorder 900", "900 tracks are too many"),
        ("3 mic Alma, Bertil", "3 of them and 2 names"),
        ("mic " + "x" * 81, "at most 80 characters"),
    ],
)
def test_a_phrase_that_cannot_be_understood_says_why(phrase: str, reason: str) -> None:
    with pytest.raises(Refused) as caught:
        gear_phrase(phrase)
    assert reason in caught.value.reason


def test_ranges() -> None:
    assert split_numbers("mic 1-7/2, 9", "x") == (["mic"], [1, 3, 5, 7, 9])
    with pytest.raises(Refused, match="no range"):
        split_numbers("mic 5-2", "x")


def small() -> Bench:
    return made("2 mic", "box 2x2", "rec", "head")


def test_a_batch_records_and_lets_hear_at_once_and_the_plan_completes_it() -> None:
    bench = small()
    bench.do(*batch(bench.rig, BatchRequest(sources="mic 1-2", record_to="rec new", heard_at="head", within="10")))
    assert [line.name for line in bench.rig.lines] == [
        "Microphone 1",
        "Microphone 2",
        "Microphone 1, heard",
        "Microphone 2, heard",
    ]
    plan = join_all(read(bench.rig))
    assert plan is not None
    bench.do(*plan.edits)
    assert [state.headline for state in read(bench.rig).lines] == ["arrives"] * 4
    assert join_all(read(bench.rig)) is None


def test_a_recorder_comes_with_so_many_tracks_on_the_channels_in_order() -> None:
    bench = made("box 8x8 Havra", "recorder Longhand 10", "stereo recorder 2")
    long, stereo = bench.rig.gear[1:]
    assert isinstance(long, Program)
    assert isinstance(stereo, Program)
    assert long.name == "Longhand"
    assert [item.legs for item in long.inputs] == [(n,) for n in range(1, 9)] + [(None,)] * 2
    assert [track.input for track in long.tracks] == [item.id for item in long.inputs]
    assert [item.legs for item in stereo.inputs] == [(1, 2), (3, 4)]
    assert [track.width for track in stereo.tracks] == [2, 2]


def test_names_and_existing_tracks() -> None:
    bench = two_voices()
    bench.do(AddSources(names=("Cassia", "Dov")))
    edits = batch(bench.rig, BatchRequest(sources="Cassia, Dov", record_to="rec 1-2", name="Pad {n}"))
    bench.do(*edits)
    assert [line.name for line in bench.rig.lines[2:]] == ["Pad 1", "Pad 2"]
    assert bench.rig.lines[2].to_ports[0].owner == bench.track("T Alma")


@pytest.mark.parametrize(
    ("wanted", "field", "reason"),
    [
        ({}, "From", "say which sources"),
        ({"sources": "spoon"}, "From", "no source is called 'spoon'"),
        ({"sources": "mic 3"}, "From", "there are 2 called 'mic', so no number 3"),
        ({"sources": "mic"}, "Record to", "say where"),
        ({"sources": "mic", "record_to": "xyz new"}, "Record to", "no recorder is called"),
        ({"sources": "mic", "record_to": "rec"}, "Record to", "their numbers, or new"),
        ({"sources": "mic", "record_to": "rec 7"}, "Record to", "has 0 tracks, so no track 7"),
        ({"sources": "mic", "heard_at": "room"}, "Heard at", "no destination is called 'room'"),
        ({"sources": "mic", "heard_at": "head", "within": "soon"}, "Within", "is no delay"),
        ({"sources": "mic", "record_to": "rec new", "name": "x" * 90}, "Name", "at most 80"),
    ],
)
def test_a_batch_that_cannot_be_names_its_field(wanted, field: str, reason: str) -> None:
    with pytest.raises(Refused) as caught:
        batch(small().rig, BatchRequest(**wanted))
    assert caught.value.place == field
    assert reason in caught.value.reason


def test_programs_come_with_their_voices_and_a_number_says_how_many() -> None:
    bench = made("box 8x8 Big", "sampler 16", "player Cartwheel", "line player Deck", "mixing program Gangway")
    sampler, cartwheel, deck, gangway = bench.rig.gear[1:]
    assert [voice.name for voice in sampler.voices][::15] == ["Pad 1", "Pad 16"]
    assert (cartwheel.program_kind, [voice.name for voice in cartwheel.voices]) == ("player", ["Deck 1", "Deck 2"])
    assert (deck.kind, deck.source_kind) == ("source", "line player")
    assert gangway.program_kind == "mixing program"
    assert [(track.name, track.armed, track.monitored) for track in gangway.tracks] == [
        (f"Strip {number}", False, True) for number in range(1, 5)
    ]
    assert {track.output for track in gangway.tracks} == {gangway.outputs[0].id}
    assert [item.legs for item in gangway.inputs] == [(1,), (2,), (3,), (4,)]
    assert [len(made(f"mixing program {strips}").rig.gear[0].tracks) for strips in (1, 12)] == [1, 12]
    before = made("sampler 16 Soundcase", "recorder 8 Longhand", "mixing program 3 Gangway").rig.gear
    counts = [len(each.voices or each.tracks) for each in before if isinstance(each, Program)]
    assert ([each.name for each in before], counts) == (["Soundcase", "Longhand", "Gangway"], [16, 8, 3])
    # Their voices are sent to the box's first pair, so that they can be heard at once.
    assert all(voice.output == sampler.outputs[0].id for voice in sampler.voices)
    assert sampler.outputs[0].legs == (1, 2)
    assert sampler.device == bench.id("Big")


@pytest.mark.parametrize(
    ("phrase", "names"),
    [("corvane", ["Corvane 8"]), ("2 interface 2×2", ["Interface 2×2", "Interface 2×2 2"]), ("far", ["Farline"])],
)
def test_a_name_of_the_catalogue_is_a_phrase_too(phrase: str, names: list[str]) -> None:
    rig = apply(Rig(), gear_phrase(phrase, catalogue())).rig
    assert [gear.name for gear in rig.gear] == names


def test_a_catalogue_name_is_only_taken_when_it_is_no_kind() -> None:
    rig = apply(Rig(), gear_phrase("headphones", catalogue())).rig
    assert rig.gear[0].kind == "destination"
    with pytest.raises(Refused, match="too many or too few"):
        gear_phrase("sampler 500")
    with pytest.raises(Refused, match="no gear is called 'xy'"):
        gear_phrase("xy", catalogue())


def test_a_batch_is_heard_at_several_places_and_no_far_end_is_to_hear_itself() -> None:
    bench = made("box 2x2 Quill", "2 mic Alma", "call Farline 2", "2 headphones Phones")
    bench.do(*batch(bench.rig, BatchRequest(sources="mic", heard_at="far end 1-2")))
    assert [line.name for line in bench.rig.lines] == [
        *("Alma 1, for Far end 1", "Alma 2, for Far end 1", "Alma 1, for Far end 2", "Alma 2, for Far end 2"),
    ]
    bench = made("box 2x2 Quill", "call Farline 2", "2 headphones Phones")
    bench.do(*batch(bench.rig, BatchRequest(sources="far end 1-2", heard_at="far end 1-2")))
    assert [line.name for line in bench.rig.lines] == ["Far end 2, for Far end 1", "Far end 1, for Far end 2"]
    bench.do(*batch(bench.rig, BatchRequest(sources="far end 1", heard_at="headphones 2,1")))
    assert [line.name for line in bench.rig.lines[2:]] == ["Far end 1, at Phones 2", "Far end 1, at Phones 1"]
    with pytest.raises(Refused, match="there are 2 of these, so no number 3"):
        batch(bench.rig, BatchRequest(sources="far end 1", heard_at="headphones 1,3"))
