"""Lines of several sources: all of them must arrive, by a mix that is there or one that is planned."""

import pytest
from hypothesis import given, settings

from desks import desk_bench
from drawn import drawn
from evenings import planned
from iskelo.core.edits.additions import AddLine
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.batch import BatchRequest
from iskelo.core.edits.edit import Plug, Remove, SetValues
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.paperwork.handover import handover_tables
from iskelo.core.paperwork.input_rows import input_notes
from iskelo.core.planner.choices import choices
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Line, Rig
from iskelo.core.survey import survey, survey_again
from rigs import Bench, any_rig, batch


def wish(bench: Bench, sources: str, **more: str) -> Bench:
    return bench.do(*batch(bench.rig, BatchRequest(sources=sources, **more)))


def proved(bench: Bench) -> dict[str, str]:
    """What the twin says of each line."""
    return {line.name: line.words for line in run_line_check(bench.rig).ledger.lines}


def first_remedy(bench: Bench) -> str:
    known = survey_again(bench.rig, None)
    remedy = next(each for each in tried_remedies(bench.rig, known.snags[0], known) if not each.fact)
    bench.do(*remedy.edits)
    return remedy.words


def test_several_microphones_on_one_track_are_mixed_in_the_program() -> None:
    bench = desk_bench("8 mic", "box 8x8", "rec")
    wish(bench, "mix of mic", record_to="rec new")
    planned(bench)
    (bus,) = bench.program().buses
    assert bus.name == "Mix of Microphone 1–8"
    assert {track.output for track in bench.program().tracks[1:]} == {bus.id}
    (out,) = (cell for cell in survey(bench.rig).lines[0].stations if cell.column == "out")
    assert (out.label, out.number) == (bus.name, "")
    assert proved(bench) == {"Mix of Microphone 1–8": "as wanted"}


def test_what_is_recorded_by_itself_is_sent_to_the_mix_from_its_own_track() -> None:
    bench = desk_bench("2 mic", "stereo instrument Organ", "box 8x8", "rec", "head")
    wish(bench, "mic, organ", record_to="rec new", heard_at="head")
    wish(bench, "mix of mic 1, 2, organ", record_to="rec new")
    planned(bench)
    assert [track.name for track in bench.program().tracks][3:] == ["Mix of Microphone 1–2, Organ"]
    assert len(bench.program().sends) == 3
    assert set(proved(bench).values()) == {"as wanted"}


def test_a_mix_of_a_mixer_that_is_named_is_recorded_by_its_own_channels() -> None:
    bench = desk_bench("4 mic", "mixer", "rec")
    with pytest.raises(Refused, match="nothing sounds in Main of Mixer yet"):
        wish(bench, "main of mixer", record_to="rec new")
    wish(bench, "mic", record_to="rec new")
    planned(bench)
    wish(bench, "main of mixer", record_to="rec new")
    line = bench.rig.lines[-1]
    assert (line.name, line.mixed, len(line.from_ports), len(line.to_ports)) == ("Main of Mixer", True, 4, 2)
    assert [index(bench.rig).whole_name(each) for each in line.through] == ["Main of Mixer"]
    planned(bench)
    assert not bench.program().buses
    assert bench.program().inputs[-1].name == "Main of Mixer"
    assert set(proved(bench).values()) == {"as wanted"}


def test_headphones_hear_several_and_each_of_them_once() -> None:
    bench = desk_bench("3 mic", "box 4x4", "head")
    wish(bench, "mix of mic 1, 3", heard_at="head", within="5")
    planned(bench)
    (state,) = read(bench.rig).lines
    assert (len(state.legs), state.headline) == (4, "arrives")
    assert proved(bench) == {"Mix of Microphone 1, 3, heard": "as wanted"}


def test_one_source_that_is_missing_is_named_and_brought_back() -> None:
    bench = desk_bench("4 mic", "box 4x4", "rec")
    wish(bench, "mix of mic", record_to="rec new")
    planned(bench)
    lead = next(each for each in bench.rig.patches if each.from_port.owner == bench.id("Microphone 3"))
    bench.do(Remove(items=(lead.id,)))
    line = "Mix of Microphone 1–4"
    assert bench.line(line).headline == "half silent"
    assert bench.said(line) == "of 4 sources Microphone 3 does not arrive: Microphone 3 is not plugged in"
    assert proved(bench)[line].startswith("1 of 4 sources not heard: Microphone 3 is not heard at")
    assert "Microphone 3" in first_remedy(bench)
    assert proved(bench) == {line: "as wanted"}


def test_a_strip_that_is_taken_away_is_given_again_in_the_mix_that_is_there() -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    wish(bench, "mix of mic", record_to="rec new")
    planned(bench)
    bench.do(Remove(items=(bench.program().tracks[2].id,)))
    assert bench.said("Mix of Microphone 1–3").startswith("of 3 sources Microphone 2 does not arrive")
    assert "into Mix of Microphone 1–3" in first_remedy(bench)
    assert len(bench.program().buses) == 1
    assert proved(bench) == {"Mix of Microphone 1–3": "as wanted"}


def test_a_stranger_in_a_mix_and_a_reversed_source_are_told_by_name() -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    wish(bench, "mix of mic 1-2", record_to="rec new")
    planned(bench)
    line = bench.rig.lines[0]
    lead = next(each for each in bench.rig.patches if each.from_port.owner == bench.id("Microphone 2"))
    bench.do(SetValues(item=lead.id, values={"inverted": True}))
    assert bench.said(line.name).startswith("the polarity of Microphone 2 is reversed, of the others not")
    bench.do(Remove(items=(lead.id,)), Plug(from_port=bench.out("Microphone 3"), to_port=lead.to_port))
    assert {each.kind for each in bench.line(line.name).findings} >= {"half silent", "crowded"}


def test_sides_of_a_stereo_source_in_a_mix_that_are_swapped_are_told() -> None:
    bench = desk_bench("1 mic", "stereo instrument Organ", "box 4x4", "rec")
    wish(bench, "mix of mic, organ", record_to="rec new")
    planned(bench)
    left, right = (each for each in bench.rig.patches if each.from_port.owner == bench.id("Organ"))
    bench.do(
        Remove(items=(left.id, right.id)),
        Plug(from_port=left.from_port, to_port=right.to_port),
        Plug(from_port=right.from_port, to_port=left.to_port),
    )
    assert bench.said("Mix of Microphone, Organ") == "Organ L: left and right are swapped"


def test_sources_are_added_to_a_line_and_taken_out_under_its_cell() -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    wish(bench, "mic 1", record_to="rec new")

    def choose(label: str) -> Line:
        reading = read(bench.rig)
        found = choices(reading, reading.lines[0], "source").choices
        bench.do(*next(each for each in found if each.label == label).edits)
        return bench.rig.lines[0]

    assert choose("Microphone 2 too, mixed").mixed
    assert len(choose("Microphone 3 too, mixed").sounds()) == 3
    assert [port.owner for port in choose("Without Microphone 1").from_ports] == [
        bench.id(f"Microphone {number}") for number in (2, 3)
    ]
    assert not choose("Microphone 1").mixed


@pytest.mark.parametrize(
    ("values", "reason"),
    [
        ({"mixed": False}, "it begins at 3 ports; several sources are wanted mixed, say so"),
        ({"from_ports": [["s1", "out", 1]] * 2}, "it names the same port twice on its from side"),
    ],
)
def test_what_cannot_be_several_sources_is_refused(values: dict[str, object], reason: str) -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    wish(bench, "mix of mic", record_to="rec new")
    with pytest.raises(Refused) as refused:
        apply(bench.rig, (SetValues(item=bench.rig.lines[0].id, values=values),))
    assert refused.value.reason == reason


@pytest.mark.parametrize(
    ("sources", "reason"),
    [
        ("mix of drum", "no source is called 'drum'"),
        ("mix of mic 1, 9", "there are 3 called 'mic', so no number 9"),
        ("aux of mixer", "no source is called 'aux of mixer'"),
    ],
)
def test_a_mix_that_is_not_there_is_refused_in_words(sources: str, reason: str) -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    with pytest.raises(Refused) as refused:
        wish(bench, sources, record_to="rec new")
    assert (refused.value.place, refused.value.reason) == ("From", reason)


def test_lines_of_several_sources_are_not_on_the_input_list_and_it_says_so() -> None:
    bench = desk_bench("3 mic", "box 4x4", "rec")
    wish(bench, "mix of mic", record_to="rec new")
    told = [row for table in handover_tables(read(bench.rig), ()) for row in table.rows]
    assert any("a mix of Microphone 1–3" in row for row in told)
    assert input_notes(index(bench.rig)) == ("1 line of several sources is not on it; the line list has it.",)


@given(any_rig(busy=True))
@settings(max_examples=drawn(120))
def test_a_mix_stands_as_its_sources_would_alone(rig: Rig) -> None:
    """A line of several sources arrives whole exactly where a line of each of them would, and is found as they are."""
    bench = Bench(rig)
    for line in [each for each in bench.rig.lines if each.mixed and each.pairs()]:
        parts = [
            AddLine(
                name=f"Part {place}",
                purpose=line.purpose,
                from_ports=sound,
                to_ports=line.to_ports,
                longest_delay_ms=line.longest_delay_ms,
                alone=False,
                through=line.through,
                never_by=line.never_by,
            )
            for place, sound in enumerate(line.sounds())
        ]
        apart = apply(bench.rig, tuple(parts)).rig
        states = {state.line.name: state for state in read(apart).lines}
        whole = [leg.sounds for leg in states[line.name].legs]
        assert whole == [leg.sounds for part in parts for leg in states[part.name].legs]
        kinds = {finding.kind for part in parts for finding in states[part.name].findings}
        told = {finding.kind for finding in states[line.name].findings}
        for kind in ("doubled", "late", "drifting", "off speed", "skewed", "hot", "low", "inverted"):
            assert kind not in told or kind in kinds
        if all(whole):
            for kind in ("doubled", "late", "drifting", "off speed", "inverted", "other way"):
                assert kind not in kinds or kind in told


def test_a_survey_tells_a_mix_in_few_words() -> None:
    bench = desk_bench("4 mic", "mixer", "rec")
    wish(bench, "mix of mic", record_to="rec new", through="main")
    planned(bench)
    (line,) = survey(bench.rig).lines
    assert [(cell.label, cell.number) for cell in line.stations[:3]] == [
        ("Microphone 1–4", ""),
        ("Strip 1–4 › Main", "1–4"),
        ("Mixer", "17"),
    ]
    assert Port(line.from_ports[0].owner, "out", 1) in line.from_ports
