"""Calls: far ends that hear and are heard, predicted and at work on the twin; who hears itself, and the mix-minus."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.edits.additions import AddBuses, AddLine, AddProgram, AddProgramPorts, AddSends, AddTracks, AddVoices
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import JoinDevices, Plug, Remove, SetDevice, SetLeg, SetOutputDevice, SetValues
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.planner.mix_minus import far_places, own_routes
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.gear import Member
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.timing.terms import far_term
from rigs import Bench, batch


def radio(far: int = 1) -> Bench:
    """Alma on a box, music and far ends by a cable, all mixed in Gangway for the radio; the call takes that mix."""
    bench = Bench(Rig(name="Radio")).do(
        *gear_phrase("mic Alma"),
        *gear_phrase("box 4x4 Havra"),
        *gear_phrase("cable 8 Gully 1"),
        *gear_phrase("cable 8 Gully 2"),
        *gear_phrase("stereo feed Web radio"),
    )
    havra, one, two = bench.id("Havra"), bench.id("Gully 1"), bench.id("Gully 2")
    names = ("Ines", "Jorid", "Kaspar")[:far]
    bench.do(
        *(SetValues(item=each, values={"follows": havra}) for each in (one, two)),
        JoinDevices(name="Hall", members=tuple(Member(device=each) for each in (havra, one, two))),
        Plug(from_port=Port(bench.id("Alma"), "out", 1), to_port=Port(havra, "jack_in", 1)),
        *(Plug(from_port=Port(havra, "jack_out", n), to_port=Port(bench.id("Web radio"), "in", n)) for n in (1, 2)),
        AddProgram(name="Farline", program_kind="call", voices=names, voice_width=1, device=two),
        AddProgram(name="Cartwheel", program_kind="player", voices=("Music bed",), device=one),
        AddProgram(name="Gangway", program_kind="mixing program", device=two),
    )
    farline, gangway = bench.id("Farline"), bench.id("Gangway")
    bench.do(
        SetDevice(program=gangway, device=bench.id("Hall")),
        SetOutputDevice(program=farline, device=one),
        Remove(items=tuple(item.id for item in program_of(bench, "Farline").outputs)),
        AddProgramPorts(program=farline, side="output", names=names, first_channel=1),
        SetLeg(item=program_of(bench, "Cartwheel").outputs[0].id, leg=1, channel=7),
        SetLeg(item=program_of(bench, "Cartwheel").outputs[0].id, leg=2, channel=8),
        AddProgramPorts(program=gangway, names=("Alma",), first_channel=1),
        AddProgramPorts(program=gangway, names=names, first_channel=5),
        AddProgramPorts(program=gangway, names=("Music",), width=2, first_channel=11),
        AddProgramPorts(program=gangway, side="output", names=("Radio",), width=2, first_channel=1),
        AddProgramPorts(program=gangway, side="output", names=("Call",), first_channel=13),
    )
    call = program_of(bench, "Farline")
    bench.do(
        *(SetValues(item=v.id, values={"output": o.id}) for v, o in zip(call.voices, call.outputs, strict=True)),
        *(SetLeg(item=item.id, channel=1) for item in call.inputs),
        AddBuses(program=gangway, names=("Programme",), output=program_of(bench, "Gangway").outputs[0].id),
    )
    mixer = program_of(bench, "Gangway")
    bus, radio_out, to_call = mixer.buses[0].id, mixer.outputs[0], mixer.outputs[1]
    assert radio_out.name == "Radio"
    for item in mixer.inputs:
        bench.do(
            AddTracks(
                program=gangway,
                names=(item.name,),
                width=len(item.legs),
                inputs=(item.id,),
                output=bus,
                armed=False,
                monitored=True,
            )
        )
    bench.do(AddSends(program=gangway, items=(bus,), to=to_call.id))
    web = tuple(Port(bench.id("Web radio"), "in", leg) for leg in (1, 2))
    bed = program_of(bench, "Cartwheel").voices[0].id
    music = tuple(Port(bed, "voice", leg) for leg in (1, 2))
    starts = {"Alma": (Port(bench.id("Alma"), "out", 1),), "Music": music}
    starts |= {voice.name: (Port(voice.id, "voice", 1),) for voice in call.voices}
    for name, ports in starts.items():
        bench.do(AddLine(name=f"{name}, on the radio", purpose="listen", from_ports=ports, to_ports=web, alone=False))
    for ear in program_of(bench, "Farline").tracks:
        for name, ports in starts.items():
            if name != ear.name:
                bench.do(
                    AddLine(
                        name=f"{name}, for {ear.name}",
                        purpose="listen",
                        from_ports=ports,
                        to_ports=(Port(ear.id, "track", 1),),
                        alone=False,
                    )
                )
    return bench


def program_of(bench: Bench, name: str) -> Program:
    gear = bench.rig_gear(name)
    assert isinstance(gear, Program)
    return gear


def ready(far: int = 1) -> Bench:
    """The same with the supply that Alma's microphone needs."""
    bench = radio(far)
    return bench.do(SetValues(item=bench.id("Havra"), values={"phantom_on": [1]}))


def test_a_far_ends_words_and_what_it_hears_take_what_they_take_outside() -> None:
    """40 to 120 ms assumed each way, and what lies here to the sample: 4 buffers, a margin, the box's 26 and 32 out."""
    bench = ready()
    (delay, _) = bench.line("Ines, on the radio").delays()
    assert (delay.ms, delay.most_ms, delay.assumed) == (49.875, 129.875, True)
    assert [term.label for term in delay.terms][:1] == ["from the far end"]
    (heard, _) = bench.line("Alma, for Ines").delays()
    assert [term.label for term in heard.terms][-1:] == ["to the far end"]
    voice = program_of(bench, "Farline").voices[0]
    bench.do(
        SetValues(
            item=voice.id,
            values={"far": {"from_low_ms": 10, "from_high_ms": 10, "to_low_ms": 0, "to_high_ms": 5, "assumed": False}},
        )
    )
    (delay, _) = bench.line("Ines, on the radio").delays()
    assert delay.ms == delay.most_ms == pytest.approx(19.875)
    assert voice.far is not None
    assert far_term(voice.far, "from", "Ines", 48_000).spread == 3840


def test_who_hears_itself_is_found_with_its_echo_and_mended_by_a_mix_of_everybody_else() -> None:
    """784 samples of buffers and margins would be 16.3 ms; here there are 576 of them, outside 80 to 240 ms."""
    bench = ready()
    (snag,) = bench.snags("far-end-hears-itself")
    assert snag.title == "What Ines says comes back to Ines, 92 to 252 ms later"
    assert "Farline → Gully 1 → Gangway → Gully 2 → Farline" in snag.evidence
    assert "46 to 126 ms" in snag.consequence
    assert "echo control is wanted" in snag.consequence
    first = tried_remedies(bench.rig, snag)[0]
    assert first.words == ("Make a mix All but Ines of everything in Programme but Ines, and send that to Call instead")
    bench.do(*first.edits)
    assert not bench.snags("far-end-hears-itself")
    assert all(state.headline == "arrives" for state in read(bench.rig).lines)
    mixer = program_of(bench, "Gangway")
    new = next(bus for bus in mixer.buses if bus.name == "All but Ines")
    given = {index(bench.rig).name(send.item) for send in mixer.sends if send.to == new.id}
    assert given == {"Alma", "Music"}


def test_the_call_at_work_is_heard_where_and_when_it_is_predicted() -> None:
    """On the twin a far end lies somewhere within what is said of it; its own words come back in no line's name."""
    bench = ready()
    before = run_line_check(bench.rig).ledger
    ear = next(row for row in before.targets if row.name == "Farline ear 1 Ines")
    assert {sound.name for sound in ear.sounds} == {
        "Alma",
        "Cartwheel voice 1 Music bed L",
        "Cartwheel voice 1 Music bed R",
        "Farline voice 1 Ines",
    }
    own = next(sound for sound in ear.sounds if sound.name == "Farline voice 1 Ines")
    assert own.copies[0].predicted_samples == 3840 + 576
    assert own.copies[0].predicted_spread == 7680
    assert 0 < own.copies[0].delay_samples - own.copies[0].predicted_samples < 7680
    assert all(row.agrees for row in before.targets)
    (snag,) = bench.snags("far-end-hears-itself")
    after = bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    ledger = run_line_check(after.rig).ledger
    assert ledger.as_wanted == ledger.wanted == 5
    ear = next(row for row in ledger.targets if row.name == "Farline ear 1 Ines")
    assert all(sound.source.owner != program_of(after, "Farline").voices[0].id for sound in ear.sounds)


def test_each_of_several_far_ends_gets_a_mix_of_its_own() -> None:
    bench = ready(3)
    bench.do(SetValues(item=program_of(bench, "Gangway").buses[0].id, values={"gain_db": -6}))
    heard = [snag.title.split()[1] for snag in bench.snags("far-end-hears-itself")]
    assert heard == ["Ines", "Jorid", "Kaspar"]
    while snags := bench.snags("far-end-hears-itself"):
        remedies = tried_remedies(bench.rig, snags[0])
        assert remedies, snags[0].title
        bench.do(*remedies[0].edits)
    assert all(state.headline == "arrives" for state in read(bench.rig).lines)
    ledger = run_line_check(bench.rig).ledger
    assert ledger.as_wanted == ledger.wanted == 5 + 3 * 4


def test_a_feed_that_only_the_own_voice_takes_is_cut() -> None:
    """A strip that goes to the call by a send of its own is taken out; no second mix is made."""
    bench = ready()
    mixer = program_of(bench, "Gangway")
    bus, call = mixer.buses[0], mixer.outputs[1]
    strips = {track.name: track.id for track in mixer.tracks}
    bench.do(
        Remove(items=tuple(send.id for send in mixer.sends)),
        AddSends(program=mixer.id, items=tuple(strips.values()), to=call.id),
    )
    assert bus.output == mixer.outputs[0].id
    (snag,) = bench.snags("far-end-hears-itself")
    words = [each.words for each in tried_remedies(bench.rig, snag)]
    assert words[0] == "Take track Ines out of output Call"
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert not bench.snags("far-end-hears-itself")


def test_what_a_line_wants_back_is_no_trouble() -> None:
    bench = ready()
    voice, ear = program_of(bench, "Farline").voices[0], program_of(bench, "Farline").tracks[0]
    start, end = Port(voice.id, "voice", 1), Port(ear.id, "track", 1)
    bench.do(AddLine(name="Loop test", purpose="listen", from_ports=(start,), to_ports=(end,), alone=False))
    assert not bench.snags("far-end-hears-itself")
    assert bench.line("Loop test").delays()[0].most_ms == pytest.approx(252)


@pytest.mark.parametrize(
    ("low", "high", "severity", "words"),
    [
        (40, 120, None, ""),
        (40, 200, "note", "which may be noticed"),
        (200, 300, "note", "which is noticed"),
        (200, 500, "risk", "perhaps too late to talk"),
        (450, 500, "risk", "ms, too late to talk"),
    ],
)
def test_one_way_of_a_call_is_judged_by_published_guidance(
    low: float, high: float, severity: str | None, words: str
) -> None:
    """150 ms are fine, 400 acceptable where people know of it: ITU-T G.114 (from memory)."""
    bench = ready()
    voice = program_of(bench, "Farline").voices[0]
    far = {"from_low_ms": low, "from_high_ms": high, "to_low_ms": 1, "to_high_ms": 2}
    bench.do(SetValues(item=voice.id, values={"far": far}))
    found = bench.snags("far-end-late")
    assert [each.severity for each in found] == ([severity] if severity else [])
    for snag in found:
        assert words in snag.title
        fact = tried_remedies(bench.rig, snag)[-1]
        assert fact.fact
        bench.do(*fact.edits)
    assert not bench.snags("far-end-late")


def test_what_is_late_by_what_lies_here_is_brought_under_by_smaller_buffers() -> None:
    bench = ready()
    voice, hall = program_of(bench, "Farline").voices[0], bench.id("Hall")
    far = {"from_low_ms": 40, "from_high_ms": 120, "to_low_ms": 1, "to_high_ms": 2, "assumed": False}
    bench.do(SetValues(item=voice.id, values={"far": far}), SetValues(item=hall, values={"buffer_samples": 1024}))
    (snag,) = bench.snags("far-end-late")
    remedies = tried_remedies(bench.rig, snag)
    assert remedies[0].words.startswith("Set the buffer of Hall to 512")
    assert not bench.do(*remedies[0].edits).snags("far-end-late")


def test_a_line_whose_limit_lies_within_what_cannot_be_known_may_be_late() -> None:
    bench = ready()
    line = bench.line("Ines, on the radio").line.id
    bench.do(SetValues(item=line, values={"longest_delay_ms": 100}))
    assert bench.line("Ines, on the radio").headline == "late"
    assert bench.said("Ines, on the radio") == "50 to 130 ms: it may be over its limit of 100 ms"
    bench.do(SetValues(item=line, values={"longest_delay_ms": 45}))
    assert bench.said("Ines, on the radio") == "50 to 130 ms, over its limit of 45 ms in any case"
    bench.do(SetValues(item=line, values={"longest_delay_ms": 130}))
    assert bench.line("Ines, on the radio").headline == "arrives"


def test_a_far_end_that_goes_takes_its_ear_with_it() -> None:
    bench = ready()
    applied = apply(bench.rig, (Remove(items=(program_of(bench, "Farline").voices[0].id,)),))
    farline = next(program for program in index(applied.rig).programs() if program.name == "Farline")
    assert farline.tracks == ()
    assert "the ear of Ines goes with it" in applied.words
    assert next(line for line in applied.rig.lines if line.name == "Alma, for Ines").to_ports == ()


def test_an_ear_is_listened_at_and_never_recorded() -> None:
    bench = ready()
    ear = program_of(bench, "Farline").tracks[0]
    with pytest.raises(Refused, match="a record line ends at a track"):
        bench.do(AddLine(name="X", from_ports=(bench.out("Alma"),), to_ports=(Port(ear.id, "track", 1),)))
    strip = program_of(bench, "Gangway").tracks[0]
    with pytest.raises(Refused, match="far end's ear"):
        bench.do(
            AddLine(name="X", purpose="listen", from_ports=(bench.out("Alma"),), to_ports=(Port(strip.id, "track", 1),))
        )
    bench.do(AddTracks(program=program_of(bench, "Farline").id, names=("Own take",)))
    with pytest.raises(Refused, match="goes to a far end"):
        batch(bench.rig, BatchRequest(sources="alma", record_to="farline 1"))
    with pytest.raises(Refused, match="is no far end of Gangway"):
        bench.do(SetValues(item=strip.id, values={"far_end": ear.id}))


def test_a_call_is_typed_and_its_far_end_is_said_in_a_batch() -> None:
    bench = Bench(Rig()).do(*gear_phrase("2 mic"), *gear_phrase("box 4x4 Havra"), *gear_phrase("call Farline"))
    farline = program_of(bench, "Farline")
    (voice,), (ear,) = farline.voices, farline.tracks
    assert (voice.width, ear.width, ear.far_end, ear.name) == (1, 1, voice.id, voice.name)
    assert index(bench.rig).name(ear.input or "") == "To Far end"
    bench.do(*batch(bench.rig, BatchRequest(sources="mic 1", heard_at="far")))
    assert bench.line("Microphone 1, for Far end").line.to_ports == (Port(ear.id, "track", 1),)
    bench.do(AddVoices(program=farline.id, names=("Jorid",), width=1))
    assert [track.name for track in program_of(bench, "Farline").tracks] == ["Far end", "Jorid"]


def test_the_set_up_list_tells_what_goes_to_whom() -> None:
    steps = [setting for step in set_up_list(read(ready().rig)) for setting in step.settings]
    assert any("To Ines" in step for step in steps)
    assert any("goes to the far end Ines" in step for step in steps)


@settings(max_examples=drawn(25, 3))
@given(st.data())
def test_whoever_hears_itself_by_the_graph_hears_itself_at_work(data: st.DataObject) -> None:
    """Of random mixes of several far ends: the ways through the graph against the sound of the twin."""
    bench = Bench(ready(2).rig)
    mixer = program_of(bench, "Gangway")
    items = [*(track.id for track in mixer.tracks), *(bus.id for bus in mixer.buses)]
    sinks = [*(bus.id for bus in mixer.buses), *(output.id for output in mixer.outputs)]
    for item in data.draw(st.lists(st.sampled_from(items), max_size=4, unique=True)):
        bench.do(SetValues(item=item, values={"output": data.draw(st.sampled_from([*sinks[1:], None]))}))
    for item, sink in data.draw(
        st.lists(st.tuples(st.sampled_from(items[:-1]), st.sampled_from(sinks)), max_size=4, unique=True)
    ):
        if not any((send.item, send.to) == (item, sink) for send in program_of(bench, "Gangway").sends):
            bench.do(AddSends(program=mixer.id, items=(item,), to=sink))
    reading = read(bench.rig)
    ledger = run_line_check(bench.rig).ledger
    rows = {row.target: row for row in ledger.targets}
    for place in far_places(reading):
        heard = any(sound.source.owner == place.voice.id for end in place.ends() for sound in rows[end].sounds)
        assert heard == bool(own_routes(reading, place))
    assert all(row.agrees or row.untold for row in ledger.targets)
    for snag in bench.snags("far-end-hears-itself"):
        for remedy in tried_remedies(bench.rig, snag)[:1]:
            after = read(apply(bench.rig, remedy.edits).rig)
            (place,) = [each for each in far_places(after) if f":{each.voice.id}" in snag.key]
            assert not own_routes(after, place)


def test_what_mends_the_harm_of_an_act_does_not_undo_the_act() -> None:
    """Her track stopped and monitored again was one remedy once, with two sends off that freed lines of others."""
    bench = Bench(ready(2).rig)
    mixer = program_of(bench, "Gangway")
    alma, ines, jorid, music = (track.id for track in mixer.tracks)
    (bus,), (radio, call) = mixer.buses, mixer.outputs
    for item, output in ((jorid, radio.id), (ines, radio.id), (music, None)):
        bench.do(SetValues(item=item, values={"output": output}))
    for item, to in ((alma, radio.id), (ines, call.id), (music, bus.id), (ines, radio.id)):
        if not any((send.item, send.to) == (item, to) for send in program_of(bench, "Gangway").sends):
            bench.do(AddSends(program=mixer.id, items=(item,), to=to))
    (snag,) = bench.snags("far-end-hears-itself")
    for remedy in tried_remedies(bench.rig, snag):
        assert snag.key not in {each.key for each in Bench(bench.rig).do(*remedy.edits).snags(snag.rule)}, remedy.words
