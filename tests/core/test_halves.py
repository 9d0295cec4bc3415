"""A stereo track made two mono ones and back: what was recorded and heard of it stays the same."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from iskelo.core.edits.additions import AddBuses, AddLine, AddProgram, AddProgramPorts, AddSends, AddTracks
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import JoinTracks, Plug, SetLeg, SetTrim, SetValues, SplitTrack
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.rig.index import index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from rigs import Bench


class Organ(Bench):
    """A stereo organ on a recorder's one stereo track, heard by its output."""

    def program(self) -> Program:
        return index(self.rig).programs()[0]

    def put(self, program: Program) -> None:
        """The recorder changed by hand."""
        gear = tuple(program if each.id == program.id else each for each in self.rig.gear)
        self.rig = self.rig.model_copy(update={"gear": gear})


def organ(*, halves: bool = False) -> Organ:
    """Each side a line of its own; ``halves``: the mono tracks are there, and the stereo input still is."""
    bench = Organ(Rig(name="Organ"))
    for phrase in ("stereo instrument Organ", "box 4x4 Box", "headphones Phones"):
        bench.do(*gear_phrase(phrase))
    box, phones = bench.id("Box"), bench.id("Phones")
    bench.do(SetValues(item=box, values={"high_impedance_on": [1, 2]}))
    bench.do(*(SetTrim(interface=box, jack_in=jack, trim_db=20.0) for jack in (1, 2)))
    bench.do(AddProgram(name="Recorder", device=box))
    recorder = bench.id("Recorder")
    bench.do(
        *(Plug(from_port=bench.out("Organ", leg), to_port=Port(box, "jack_in", leg)) for leg in (1, 2)),
        *(Plug(from_port=Port(box, "jack_out", leg), to_port=Port(phones, "in", leg)) for leg in (1, 2)),
        AddProgramPorts(program=recorder, names=("Organ in",), width=2, first_channel=1),
        AddProgramPorts(program=recorder, side="output", names=("Main",), width=2, first_channel=1),
    )
    bench.do(
        AddTracks(
            program=recorder,
            names=("T Organ",),
            width=2,
            inputs=(bench.id("Organ in"),),
            output=bench.id("Main"),
            monitored=True,
        )
    )
    track = bench.track("T Organ")
    for leg, name in enumerate(("Left", "Right"), start=1):
        start = bench.out("Organ", leg)
        bench.do(AddLine(name=name, from_ports=(start,), to_ports=(Port(track, "track", leg),)))
        ear = Port(phones, "in", leg)
        bench.do(AddLine(name=f"{name}, heard", purpose="listen", from_ports=(start,), to_ports=(ear,), alone=True))
    if halves:
        kept = bench.program().inputs[0]
        bench.do(SplitTrack(item=track))
        bench.put(bench.program().model_copy(update={"inputs": (*bench.program().inputs, kept)}))
    return bench


def arrived(bench: Bench) -> list[tuple[str, str, float, float]]:
    """Every line with its headline, its latest copy's delay and level."""
    return [
        (state.line.name, state.headline, arrival.delay.ms, arrival.level_dbfs)
        for state in read(bench.rig).lines
        for leg in state.legs
        for arrival in leg.arrivals[-1:]
    ]


@given(pan=st.sampled_from([0.0, -0.5, 0.7]), gain_db=st.sampled_from([0.0, -6.0]))
def test_the_halves_record_and_sound_as_the_pair_did_and_back(pan: float, gain_db: float) -> None:
    bench = organ()
    bench.do(SetValues(item=bench.track("T Organ"), values={"pan": pan, "gain_db": gain_db}))
    before = arrived(bench)
    assert {headline for _, headline, _, _ in before} == {"arrives"}
    bench.do(SplitTrack(item=bench.track("T Organ")))
    assert [track.name for track in bench.program().tracks] == ["T Organ L", "T Organ R"]
    assert [item.name for item in bench.program().inputs] == ["Organ in L", "Organ in R"]
    for now, then in zip(arrived(bench), before, strict=True):
        assert now[:3] == then[:3]
        assert now[3] == pytest.approx(then[3], abs=1e-6)
    bench.do(JoinTracks(items=(bench.track("T Organ L"), bench.track("T Organ R"))))
    assert [(track.name, track.width) for track in bench.program().tracks] == [("T Organ", 2)]
    assert [item.legs for item in bench.program().inputs] == [(1, 2)]
    assert [each[:3] for each in arrived(bench)] == [each[:3] for each in before]
    assert len(survey(bench.rig).snags) == 0


def test_the_halves_are_proved() -> None:
    bench = organ()
    bench.do(SplitTrack(item=bench.track("T Organ")))
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_sends_go_along_and_inputs_that_others_take_stay() -> None:
    bench = organ()
    recorder = bench.id("Recorder")
    bench.do(
        AddBuses(program=recorder, names=("Hall",), output=bench.id("Main")),
        AddTracks(program=recorder, names=("Again",), width=2, inputs=(bench.id("Organ in"),), armed=False),
        AddProgramPorts(program=recorder, names=("Left alone",), first_channel=1),
    )
    bench.do(AddSends(program=recorder, items=(bench.track("T Organ"),), to=bench.id("Hall"), gain_db=-3))
    bench.do(SplitTrack(item=bench.track("T Organ")))
    halves = {bench.track("T Organ L"), bench.track("T Organ R")}
    assert {(send.item, send.gain_db) for send in bench.program().sends} == {(half, -3.0) for half in halves}
    assert {item.name for item in bench.program().inputs} == {"Organ in", "Left alone", "Organ in R"}
    applied = apply(bench.rig, (JoinTracks(items=(bench.track("T Organ L"), bench.track("T Organ R"))),))
    assert applied.words.endswith("one stereo track T Organ; the sends of T Organ R went")


def test_what_cannot_be_halved_or_paired_is_refused() -> None:
    bench = organ()
    track = bench.track("T Organ")
    with pytest.raises(Refused, match="two tracks of one program"):
        bench.do(JoinTracks(items=(track, track)))
    bench.do(SplitTrack(item=track))
    with pytest.raises(Refused, match="mono already"):
        bench.do(SplitTrack(item=bench.track("T Organ L")))
    with pytest.raises(Refused, match="two tracks of one program"):
        bench.do(JoinTracks(items=(bench.track("T Organ L"), bench.track("T Organ L"))))
    with pytest.raises(Refused, match="there is no track"):
        bench.do(SplitTrack(item=bench.id("Box")))


def test_one_channel_on_both_sides_of_a_mixing_programs_strip() -> None:
    """Both legs of a stereo strip take one channel: two microphones become two strips, each on both sides."""
    bench = organ()
    bench.do(SetLeg(item=bench.id("Organ in"), leg=2, channel=1))
    reading = survey(bench.rig)
    heard = {line.name: line.headline for line in reading.lines}
    assert heard["Left"] == "arrives"
    assert heard["Left, heard"] == "arrives"
    assert heard["Right, heard"] in ("silent", "crossed", "crowded")
    ledger = run_line_check(bench.rig).ledger
    assert ledger.agreeing == len(ledger.targets)
