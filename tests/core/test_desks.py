"""Mixers of the catalogue at their work: what reaches the computer, by which tap, and why something never can."""

import itertools

import networkx
import pytest

from desks import desk_bench, feeds_to, heard_at, mixer_of, outboard_on, plugged, recorded, strip_of
from iskelo.core.edits.additions import AddFeed, AddLine, AddMixes, AddOutboard, AddProgramPorts, AddStrips
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import (
    Plug,
    Remove,
    SetMixer,
    SetTrim,
    SetValues,
    SwapGear,
    SwitchReturns,
    TypeFeeds,
    TypeInsert,
    TypeStripFeeds,
    UseStageBox,
)
from iskelo.core.edits.new_things import new
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.mixer_view import mixer_view
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.mixers import Mixer
from iskelo.core.rig.ports import Port
from iskelo.core.snags.registry import find_snags
from iskelo.core.survey import survey_again
from iskelo.core.words.say import say
from iskelo.demo.catalogue import catalogue
from iskelo.demo.voices_on_a_mixer import voices_on_a_mixer
from iskelo.formats.rig_file import read_rig, write_rig
from rigs import Bench

MIXERS = [gear for gear in catalogue() if isinstance(gear, Interface) and gear.mixer is not None]


def havra() -> Bench:
    bench = desk_bench("havra", "4 mic Alma, Bertil, Cassia, Dov", "recorder 6", "headphones Phones")
    return plugged(bench, "Havra 16", {"Alma": 1, "Bertil": 2, "Cassia": 3, "Dov": 4})


def first_remedy(bench: Bench, line: str) -> str:
    """Do what stands first for the snag of a line, and say what it was."""
    reading = read(bench.rig)
    state = next(each for each in reading.lines if each.line.name == line)
    snag = next(each for each in find_snags(reading) if state.line.id in each.lines)
    remedy = tried_remedies(bench.rig, snag)[0]
    bench.do(*remedy.edits)
    return remedy.words


def all_proved(bench: Bench) -> bool:
    return all(line.proved for line in run_line_check(bench.rig).ledger.lines)


@pytest.mark.parametrize("box", MIXERS, ids=lambda box: box.name)
def test_what_a_mixer_never_does_it_does_not_whatever_is_switched_on(box: Interface) -> None:
    """With all it offers on, both keys and both sources: no hops lead from where a *never* begins to where it ends.

    Outside check: networkx.has_path.
    """
    bench = desk_bench(box.name)
    graph = read(bench.rig).graph
    whole = networkx.DiGraph((edge.start, edge.end) for edge in graph.edges())
    placed = bench.rig_gear(box.name)
    mixer = mixer_of(bench, box.name)
    strips = {strip.id: strip for strip in mixer.strips}
    for never in mixer.never:
        if never.start is None:
            continue
        strip = strips[never.start]
        starts = [Port(strip.id, "strip_direct", leg) for leg in range(1, strip.width + 1)]
        ends = [Port(placed.id, "capture", channel) for channel in (1, 2)]
        if never.end is not None:
            ends = [Port(never.end, "mix", leg) for leg in (1, 2)]
        for start, end in itertools.product(starts, ends):
            assert start not in whole or end not in whole or not networkx.has_path(whole, start, end)


@pytest.mark.parametrize("box", MIXERS, ids=lambda box: box.name)
def test_what_is_never_done_names_nothing_that_was_removed_and_keeps_the_rest(box: Interface) -> None:
    bench = desk_bench(box.name)
    mixer = mixer_of(bench, box.name)
    named = {each for never in mixer.never for each in (never.start, never.end) if each is not None}
    for strip in [strip for strip in mixer.strips if strip.id in named and len(mixer.strips) > 1]:
        left = apply(bench.rig, (Remove(items=(strip.id,)),)).rig
        kept = mixer_of(Bench(left), box.name).never
        assert kept == tuple(each for each in mixer.never if strip.id not in (each.start, each.end))


@pytest.mark.parametrize("box", MIXERS, ids=lambda box: box.name)
def test_every_feed_a_mixer_offers_leads_somewhere_once_it_is_on(box: Interface) -> None:
    bench = desk_bench(box.name)
    for feed in mixer_of(bench, box.name).feeds:
        if not feed.on:
            bench.do(SetValues(item=feed.id, values={"on": True}))
    graph = read(bench.rig).graph
    for feed in mixer_of(bench, box.name).feeds:
        if not feed.is_raw:
            assert graph.leaving.get(Port(feed.id, "feed", 1)), feed


def test_the_main_pair_and_four_raw_channels_are_typed_and_muting_takes_the_main_lines_alone() -> None:
    bench = havra()
    bench.do(
        *(TypeFeeds(mixer=bench.id("Havra 16"), number=at, text=text) for at, text in ((1, "main"), (3, "in 1-4 raw")))
    )
    assert [feeds_to(bench, "Havra 16", channel)[0].jack for channel in range(1, 7)] == [None, None, 1, 2, 3, 4]
    recorded(bench, "Alma", "Bertil", "Cassia", "Dov", first=3)
    tracks = bench.program().tracks
    for name in ("Alma", "Bertil"):
        ends = (Port(tracks[0].id, "track", 1), Port(tracks[1].id, "track", 1))
        bench.do(AddLine(name=f"{name} main", from_ports=(bench.out(name),), to_ports=ends, alone=False))
    assert {state.line.name: state.headline for state in read(bench.rig).lines} == {
        **{f"L {name}": "arrives" for name in ("Alma", "Bertil", "Cassia", "Dov")},
        "Alma main": "arrives",
        "Bertil main": "arrives",
    }
    assert all_proved(bench)
    bench.do(*(SetValues(item=strip.id, values={"muted": True}) for strip in mixer_of(bench, "Havra 16").strips[:4]))
    assert {state.line.name for state in read(bench.rig).lines if state.headline == "blocked"} == {
        "Alma main",
        "Bertil main",
    }
    assert "strip Strip 1 is muted" in bench.said("Alma main")
    # Raw: A/D 34 and a buffer of 128 with 28 of safety. The main mix is later by the core's 16.
    raw, main = bench.line("L Alma").delays()[0], None
    bench.do(*(SetValues(item=strip.id, values={"muted": False}) for strip in mixer_of(bench, "Havra 16").strips[:4]))
    main = bench.line("Alma main").delays()[0]
    assert (raw.samples, main.samples) == (34 + 28 + 128, 34 + 16 + 28 + 128)


def test_a_player_in_the_return_never_reaches_the_recording_and_is_plugged_where_it_does() -> None:
    bench = desk_bench("wherry", "line Cassette", "recorder 2", "headphones Phones")
    plugged(bench, "Wherry", {"Cassette": 7}, trim_db=0)
    recorded(bench, "Cassette")
    assert "strip Return of Wherry never reaches the computer" in bench.said("L Cassette")
    assert "joins the main mix behind the send" in bench.said("L Cassette")
    assert first_remedy(bench, "L Cassette").startswith("Move Cassette from Wherry jack in 7 to Wherry jack in ")
    assert bench.line("L Cassette").headline == "arrives"
    heard_at(bench, "Cassette", "Wherry", 1)
    assert all_proved(bench)


def test_two_voices_through_one_stereo_send_are_panned_apart() -> None:
    bench = desk_bench("wherry", "2 mic Alma, Bertil", "recorder 2")
    plugged(bench, "Wherry", {"Alma": 1, "Bertil": 2})
    recorded(bench, "Alma", "Bertil")
    assert {state.headline for state in read(bench.rig).lines} == {"crowded"}
    assert first_remedy(bench, "L Alma") == "Pan strip Strip 1 left, strip Strip 2 right"
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
    assert all_proved(bench)


def test_the_key_moves_a_strip_to_the_second_pair_which_is_what_the_computer_hears() -> None:
    bench = desk_bench("analogue mixer 8 Ketch", "mic Alma", "recorder 2", "headphones Phones")
    plugged(bench, "Ketch", {"Alma": 1})
    recorded(bench, "Alma")
    assert "the key of strip Strip 1 is up" in bench.said("L Alma")
    assert first_remedy(bench, "L Alma") == "Press the key of strip Strip 1"
    assert bench.line("L Alma").headline == "arrives"
    heard_at(bench, "Alma", "Ketch", 1)
    assert bench.line("Alma heard").headline == "blocked"


def test_a_dry_path_beside_an_insert_sounds_hollow_and_is_closed() -> None:
    bench = havra()
    bench.do(AddOutboard(name="Press"))
    outboard_on(bench, "Havra 16", "Strip 1", "Press", 5, 9, dry=True)
    heard_at(bench, "Alma", "Havra 16", 11)
    # What comes back stands on strip 9's jack as well: a third copy, and nothing less than both is a remedy.
    assert len(bench.line("Alma heard").legs[0].arrivals) == 3
    reading = read(bench.rig)
    (snag,) = find_snags(reading)
    both = "Close the dry path beside the insert of strip Strip 1; Switch the feed Strip 9 to Main off"
    assert both in {remedy.words for remedy in tried_remedies(bench.rig, snag)}
    bench.do(TypeStripFeeds(strip=strip_of(bench, "Havra 16", "Strip 9").id, text=""))
    state = bench.line("Alma heard")
    assert state.headline == "doubled"
    # Out by D/A 34, back by A/D 34: 68 samples between the copies.
    assert state.legs[0].comb is not None
    assert state.legs[0].comb.delay_samples == 68
    assert first_remedy(bench, "Alma heard") == "Close the dry path beside the insert of strip Strip 1"
    assert bench.line("Alma heard").headline == "arrives"
    bench.do(TypeInsert(strip=strip_of(bench, "Havra 16", "Strip 1").id, text="bypassed"))
    dry_samples = bench.line("Alma heard").delays()[0].samples
    bench.do(TypeInsert(strip=strip_of(bench, "Havra 16", "Strip 1").id, text="in"))
    assert bench.line("Alma heard").delays()[0].samples == dry_samples + 68
    assert all_proved(bench)


def test_all_strips_play_their_returns_and_are_live_again() -> None:
    bench = havra()
    recorded(bench, "Alma")
    heard_at(bench, "Alma", "Havra 16", 11)
    assert bench.line("Alma heard").headline == "arrives"
    bench.do(SwitchReturns(mixer=bench.id("Havra 16")))
    # What is raw is still recorded; what is heard is the recording.
    assert (bench.line("L Alma").headline, bench.line("Alma heard").headline) == ("arrives", "blocked")
    assert "switched to its return" in bench.said("Alma heard")
    bench.do(SwitchReturns(mixer=bench.id("Havra 16"), on=False))
    assert bench.line("Alma heard").headline == "arrives"


def test_a_stage_box_is_the_same_rig_with_other_numbers() -> None:
    bench = desk_bench("mixer 16 digital", "mic Alma", "recorder 2")
    desk = bench.id("Mixer 16 digital")
    strips = tuple(strip.id for strip in mixer_of(bench, "Mixer 16 digital").strips[:4])
    said = apply(bench.rig, (UseStageBox(mixer=desk, strips=strips),)).words
    assert said == "Mixer 16 digital: 4 strip legs on the stage box, jacks 1 → 17, 2 → 18, 3 → 19, 4 → 20"
    bench.do(UseStageBox(mixer=desk, strips=strips))
    assert [strip.live[0].number for strip in mixer_of(bench, "Mixer 16 digital").strips[:5]] == [17, 18, 19, 20, 5]
    with pytest.raises(Refused, match="already"):
        bench.do(UseStageBox(mixer=desk, strips=strips))
    bench.do(UseStageBox(mixer=desk, strips=strips, on=False))
    assert [strip.live[0].number for strip in mixer_of(bench, "Mixer 16 digital").strips[:4]] == [1, 2, 3, 4]


@pytest.mark.parametrize(
    ("edit", "reason"),
    [
        (lambda b, m: TypeFeeds(mixer=b, number=18, text="main"), "takes 2 of its channels"),
        (lambda b, m: TypeFeeds(mixer=b, number=1, text="group"), "could be Group 1, Group 2"),
        (lambda b, m: TypeFeeds(mixer=b, number=1, text="in 40 raw"), "there is no jack in 40"),
        (lambda b, m: TypeFeeds(mixer=b, number=1, text="in 1 raw post"), "says two taps"),
        (lambda b, m: TypeFeeds(mixer=b, number=1, text="kazoo"), "nothing in Havra 16 is called 'kazoo'"),
        (lambda b, m: TypeStripFeeds(strip=m.strips[0].id, text="usb 1-3"), "say one number"),
        (lambda b, m: TypeStripFeeds(strip=m.strips[0].id, text="strip 2"), "not another strip"),
        (lambda b, m: TypeInsert(strip=m.strips[0].id, text="somewhere"), "is no insert"),
        (lambda b, m: TypeInsert(strip=m.strips[0].id, text="out 40 in 3"), "needs jack out 40"),
        (lambda b, m: TypeInsert(strip=m.strips[0].id, text="bypassed"), "nothing hangs in it"),
        (lambda b, m: AddFeed(mixer=b, item=m.mixes[0].id, to=m.mixes[0].id), "cannot feed itself"),
        (lambda b, m: SetMixer(mixer=b, values={"colour": "red"}), "no field 'colour'"),
        (lambda b, m: SetValues(item=m.strips[0].id, values={"name": m.strips[1].name}), "is taken by another strip"),
        (lambda b, m: SetValues(item=b, values={"jack_in": 4}), "there is no jack in 5"),
    ],
)
def test_what_a_mixer_cannot_do_is_refused_with_the_reason(edit: object, reason: str) -> None:
    bench = havra()
    assert callable(edit)
    before = bench.rig
    with pytest.raises(Refused, match=reason):
        bench.do(edit(bench.id("Havra 16"), mixer_of(bench, "Havra 16")))
    assert bench.rig is before


def test_feeds_of_an_analogue_mixer_are_refused_with_the_gears_own_reason() -> None:
    bench = desk_bench("wherry")
    desk, mixer = bench.id("Wherry"), mixer_of(bench, "Wherry")
    back = strip_of(bench, "Wherry", "Return")
    with pytest.raises(Refused, match="joins the main mix behind the send"):
        bench.do(AddFeed(mixer=desk, item=back.id, to=mixer.mixes[0].id))
    with pytest.raises(Refused, match="hear the main mix alone"):
        bench.do(TypeFeeds(mixer=desk, number=1, text="in 1 raw"))
    with pytest.raises(Refused, match="the gear's own"):
        bench.do(Remove(items=(mixer.feeds[0].id,)))


def test_strips_and_mixes_are_added_fed_and_removed_with_what_hung_on_them() -> None:
    bench = havra()
    desk = bench.id("Havra 16")
    bench.do(
        AddStrips(mixer=desk, names=("Tape",), width=2, first_jack=9, ids=(new(1),)),
        AddMixes(mixer=desk, names=("Main",), ids=(new(2),)),
        AddFeed(mixer=desk, item=new(1), to=new(2), gain_db=-6),
    )
    mixer = mixer_of(bench, "Havra 16")
    assert (mixer.strips[-1].name, mixer.mixes[-1].name) == ("Tape", "Main 2")
    feeds = len(mixer.feeds)
    bench.do(Remove(items=(mixer.mixes[-1].id,)))
    assert len(mixer_of(bench, "Havra 16").feeds) == feeds - 1
    taken = {"live": [{"bank": "mix", "mix": mixer.mixes[0].id, "number": leg} for leg in (1, 2)]}
    bench.do(SetValues(item=mixer.strips[-1].id, values=taken))
    with pytest.raises(Refused, match="strip Tape takes it"):
        bench.do(Remove(items=(mixer.mixes[0].id,)))


def test_the_table_says_what_a_strip_feeds_in_words_that_can_be_typed_again() -> None:
    bench = havra()
    strip = mixer_of(bench, "Havra 16").strips[0]
    typed = "main, aux 1 -6 pre, usb 10 raw"
    bench.do(TypeStripFeeds(strip=strip.id, text=typed))
    box = bench.rig_gear("Havra 16")
    assert isinstance(box, Interface)
    view = mixer_view(read(bench.rig), box)
    assert view is not None
    row = view.strips[0]
    assert (row.feeds, row.contains, row.takes) == ("Main · Aux 1 −6 pre · usb 10 raw", ("Alma",), "jack 1")
    again = apply(bench.rig, (TypeStripFeeds(strip=strip.id, text=row.feeds),)).rig
    assert again == bench.rig
    assert (view.channels[9].fed_by, view.channels[9].contains) == ("in 1 raw", ("Alma",))
    assert view.mixes[0].contains == ("Alma", "Bertil", "Cassia", "Dov")


@pytest.mark.parametrize("box", MIXERS, ids=lambda box: box.name)
def test_a_rig_with_a_mixer_is_kept_and_read_back(box: Interface) -> None:
    bench = desk_bench(box.name)
    assert read_rig(write_rig(bench.rig)) == bench.rig


def test_a_return_that_reaches_a_channel_again_is_a_loop_and_is_found() -> None:
    """The computer's sound on a strip that feeds the main mix, which the computer records and monitors."""
    bench = havra()
    bench.do(TypeFeeds(mixer=bench.id("Havra 16"), number=1, text="main"))
    recorder = bench.program()
    desk, track = bench.id("Havra 16"), recorder.tracks[0]
    bench.do(
        AddProgramPorts(program=recorder.id, side="output", names=("Main",), width=1, first_channel=5, ids=(new(1),))
    )
    out = bench.program().outputs[0].id
    bench.do(SetValues(item=track.id, values={"monitored": True, "output": out}))
    assert not read(bench.rig).rings.all
    bench.do(SwitchReturns(mixer=desk))
    (ring,) = read(bench.rig).rings.all
    # Once round: -3 dB, for the strip is panned to the centre.
    assert (ring.verdict, round(ring.worst.loop.gain_db, 2)) == ("rings", -3.01)
    (snag,) = bench.snags("sound-goes-round")
    said = {remedy.words for remedy in tried_remedies(bench.rig, snag)}
    assert said & {"Stop monitoring track Track 1", "Switch strip Strip 5 to live", "Mute strip Strip 5"}


def test_plans_lay_an_input_raw_on_a_channel_that_nothing_feeds() -> None:
    bench = havra()
    mixer: Mixer = mixer_of(bench, "Havra 16")
    bench.do(Remove(items=tuple(feed.id for feed in mixer.feeds if feed.is_raw)))
    recorded(bench, "Alma")
    assert bench.line("L Alma").headline != "arrives"
    assert "raw to channel 1" in first_remedy(bench, "L Alma")
    assert bench.line("L Alma").headline == "arrives"


def test_trims_of_a_mixer_are_told_against_its_own_full_scale() -> None:
    """−38 dBu behind 30 dB of gain are −8 dBu: −30 dBFS where full scale is +22 dBu."""
    bench = havra()
    recorded(bench, "Alma")
    assert bench.line("L Alma").legs[0].level_dbfs == pytest.approx(-38 + 30 - 22)
    bench.do(SetTrim(interface=bench.id("Havra 16"), jack_in=1, trim_db=42))
    assert bench.line("L Alma").legs[0].level_dbfs == pytest.approx(-18)
    with pytest.raises(Refused):
        bench.do(Plug(from_port=bench.out("Alma"), to_port=Port(bench.id("Havra 16"), "jack_in", 17)))


def test_the_set_up_list_says_how_a_mixer_stands_strip_by_strip() -> None:
    bench = havra()
    strip = strip_of(bench, "Havra 16", "Strip 2")
    bench.do(
        SetValues(item=strip.id, values={"muted": True, "pan": -0.5, "gain_db": -3}),
        TypeFeeds(mixer=bench.id("Havra 16"), number=1, text="main"),
    )
    steps = {step.words: step.settings for step in set_up_list(read(bench.rig)) if step.section == "Mixers"}
    assert steps["Havra 16: how it mixes"] == ("pan law −3 dB", "mute key mutes", "solo in place")
    told = ("takes jack 2", "muted", "fader −3 dB", "pan 50 left", "feeds Main")
    assert steps["Havra 16: strip Strip 2"] == told
    assert "Havra 16: strip Strip 9" not in steps
    assert steps["Havra 16: what feeds its channels for the computer"][:3] == ("1: Main L", "2: Main R", "3: in 3 raw")


def test_a_line_that_wants_another_tap_than_it_gets_is_found_and_given_it() -> None:
    bench = havra()
    recorded(bench, "Alma")
    line = bench.line("L Alma").line
    assert bench.line("L Alma").headline == "arrives"
    bench.do(SetValues(item=line.id, values={"tap": "before the fader"}))
    assert bench.line("L Alma").headline == "other tap"
    assert bench.said("L Alma") == "raw, and before the fader is wanted: at Recorder track 1 Track 1"
    assert not all_proved(bench)
    assert first_remedy(bench, "L Alma") == "Feed channel 1 of Havra 16 from strip Strip 1, before the fader"
    assert bench.line("L Alma").headline == "arrives"
    assert all_proved(bench)
    bench.do(SetValues(item=line.id, values={"tap": "raw"}))
    assert first_remedy(bench, "L Alma") == "Feed channel 1 of Havra 16 from in 1 raw"
    bench.do(
        SetValues(item=line.id, values={"tap": "a mix"}), TypeFeeds(mixer=bench.id("Havra 16"), number=1, text="main")
    )
    assert bench.line("L Alma").headline == "crowded"
    assert not bench.line("L Alma").has("other tap")


def test_a_mixer_swapped_for_another_takes_its_strips_and_feeds_along() -> None:
    bench = Bench(voices_on_a_mixer())
    desk = bench.id("Havra 16")
    other = next(gear for gear in catalogue() if gear.name == "Mixer 16 digital")
    assert isinstance(other, Interface)
    # The jacks that this one does not have: the phones go to 7 and 8, the press to 6.
    jacks_out = {9: 6, 11: 7, 12: 8}
    said = apply(bench.rig, (SwapGear(item=desk, gear=other, jacks_out=jacks_out),))
    assert "left behind" not in said.words
    bench.do(SwapGear(item=desk, gear=other, jacks_out=jacks_out))
    assert [strip.name for strip in mixer_of(bench, "Mixer 16 digital").strips[:4]] == [
        "Alma",
        "Bertil",
        "Cassia",
        "Dov",
    ]
    assert {state.headline for state in read(bench.rig).lines} == {"arrives"}
    small = next(gear for gear in catalogue() if gear.name == "Mixer 8 digital")
    assert isinstance(small, Interface)
    words = apply(bench.rig, (SwapGear(item=desk, gear=small),)).words
    assert "strips Strip 9, Strip 10, Strip 11, Strip 12 and 4 more left behind" in words
    plain = next(gear for gear in catalogue() if gear.name == "Corvane 8")
    assert isinstance(plain, Interface)
    swapped = apply(bench.rig, (SwapGear(item=desk, gear=plain),))
    assert "its strips and feeds are left behind" in swapped.words
    # What was raw on channels 3 to 6 is what jacks 1 to 4 give a plain box; of the mix there is none.
    arriving = {state.line.name for state in read(swapped.rig).lines if state.headline == "arrives"}
    assert arriving == {"Alma", "Bertil", "Cassia", "Dov"}


def test_a_mix_is_judged_as_a_sum_against_what_it_carries() -> None:
    """Two at +10 dBu in the centre (−3.01 dB each), one at +10 on the left: +13.0 dBu (arithmetic); it takes +22."""
    bench = desk_bench("wherry", "3 line Deck A, Deck B, Deck C", "recorder 2")
    plugged(bench, "Wherry", {"Deck A": 1, "Deck B": 2, "Deck C": 3}, trim_db=6.0)
    bus = next(mix for mix in mixer_of(bench, "Wherry").mixes if mix.name == "Main mix")
    # The channels for the computer take less than the mix does: there it is turned down enough.
    bench.do(SetValues(item=bus.id, values={"gain_db": -12.0}))
    bench.do(*(SetValues(item=bench.id(f"Deck {name}"), values={"headroom_db": 12.0}) for name in "ABC"))
    recorded(bench, "Deck A")
    line = bench.line("L Deck A")
    said = [say(finding, index(bench.rig)) for finding in line.findings if finding.kind == "hot"]
    assert said == [
        "with 2 other sources it adds up to 13.0 dBu in Wherry mix Main mix L, which carries 22.0; "
        "12 dB of headroom are wanted there"
    ]
    known = survey_again(bench.rig, None)
    snag = next(each for each in known.snags if each.rule == "line-hot")
    bench.do(*tried_remedies(bench.rig, snag, known)[0].edits)
    assert not [finding for finding in bench.line("L Deck A").findings if finding.kind == "hot"]
