"""Where what is added goes, where solo is heard and files are auditioned; colours of lines."""

import pytest

from iskelo.core.edits.additions import AddBuses, AddLine, AddProgramPorts, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import BringIn, Plug, Remove, SetValues
from iskelo.core.edits.parts.keeping import keep
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.paperwork.line_list import line_table
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.rig.ports import Port
from iskelo.core.survey import survey
from rigs import Bench, heard, two_voices


def with_phones_for_solo() -> Bench:
    """Both voices monitored to Main; a second pair of outputs Cue on jacks 3 and 4, at headphones of its own."""
    bench = two_voices()
    recorder, box = bench.id("Recorder"), bench.id("Box")
    bench.do(AddProgramPorts(program=recorder, side="output", names=("Cue",), width=2, first_channel=3))
    bench.do(*(SetValues(item=bench.track(f"T {name}"), values={"monitored": True}) for name in ("Alma", "Bertil")))
    bench.do(*gear_phrase("headphones Ears"))
    ears = bench.id("Ears")
    for jack, leg in ((3, 1), (4, 2)):
        bench.do(Plug(from_port=Port(box, "jack_out", jack), to_port=Port(ears, "in", leg)))
    return heard(heard(bench, "Alma"), "Bertil")


def at_ears(bench: Bench) -> Bench:
    """What is soloed is wanted at the other headphones."""
    ears = bench.id("Ears")
    ends = (Port(ears, "in", 1), Port(ears, "in", 2))
    return bench.do(AddLine(name="Alma solo", purpose="listen", from_ports=(bench.out("Alma"),), to_ports=ends))


def headlines(bench: Bench) -> dict[str, str]:
    return {line.name: line.headline for line in survey(bench.rig).lines}


def test_solo_in_place_silences_the_others_and_solo_elsewhere_nobody() -> None:
    bench = at_ears(with_phones_for_solo())
    bench.do(SetValues(item=bench.track("T Alma"), values={"soloed": True}))
    assert headlines(bench)["Bertil heard"] == "blocked"
    assert headlines(bench)["Alma solo"] != "arrives"
    bench.do(SetValues(item=bench.id("Recorder"), values={"solo_output": bench.id("Cue")}))
    told = headlines(bench)
    assert (told["Alma heard"], told["Bertil heard"], told["Alma solo"]) == ("arrives", "arrives", "arrives")
    # Heard on the twin, as it was predicted.
    ledger = run_line_check(bench.rig).ledger
    assert {line.name: line.proved for line in ledger.lines} == dict.fromkeys(told, True)
    bench.do(SetValues(item=bench.track("T Alma"), values={"soloed": False}))
    assert headlines(bench)["Alma solo"] != "arrives"


def test_an_output_that_is_chosen_is_one_and_a_choice_goes_with_it() -> None:
    bench = with_phones_for_solo()
    recorder = bench.id("Recorder")
    wrong = apply(bench.rig, (SetValues(item=recorder, values={"solo_output": bench.track("T Alma")}),))
    assert wrong.words.endswith("Recorder has no solo output now")
    assert Bench(wrong.rig).program().solo_output is None
    bench.do(SetValues(item=recorder, values={"solo_output": bench.id("Cue"), "default_output": bench.id("Cue")}))
    applied = apply(bench.rig, (Remove(items=(bench.id("Cue"),)),))
    program = next(gear for gear in applied.rig.gear if gear.kind == "program")
    assert (program.solo_output, program.default_output) == (None, None)
    assert "Recorder has no solo output now" in applied.words


def test_what_is_added_goes_to_the_default_output() -> None:
    bench = with_phones_for_solo()
    recorder = bench.id("Recorder")
    bench.do(SetValues(item=recorder, values={"default_output": bench.id("Cue")}))
    bench.do(AddTracks(program=recorder, names=("New",)), AddBuses(program=recorder, names=("Sum",)))
    program = bench.program()
    assert (program.tracks[-1].output, program.buses[-1].output) == (bench.id("Cue"), bench.id("Cue"))


def test_a_part_carries_the_choices_and_the_set_up_list_tells_them() -> None:
    bench = with_phones_for_solo()
    values = {each: bench.id("Cue") for each in ("default_output", "solo_output", "audition_output")}
    bench.do(SetValues(item=bench.id("Recorder"), values=values))
    step = next(each for each in set_up_list(read(bench.rig)) if each.key == f"program:{bench.id('Recorder')}")
    assert {"solo is heard at Cue", "files are auditioned at Cue", "what is added goes to Cue"} <= set(step.settings)
    part = keep(bench.rig, (bench.id("Recorder"),), "Recorder")
    other = two_voices()
    after = apply(other.rig, (BringIn(part=part),)).rig
    found = Bench(after)
    program = found.program()
    assert (program.solo_output, program.audition_output, program.default_output) == (found.id("Cue"),) * 3


def test_a_colour_and_a_tag_print_as_words() -> None:
    bench = two_voices()
    bench.do(SetValues(item=bench.id("L Alma"), values={"tag": "Voices", "colour": "red"}))
    bench.do(SetValues(item=bench.id("L Bertil"), values={"colour": "blue"}))
    assert [row[3] for row in line_table(read(bench.rig)).rows] == ["Voices, red", "blue"]
    with pytest.raises(Refused):
        bench.do(SetValues(item=bench.id("L Alma"), values={"colour": "mauve"}))
