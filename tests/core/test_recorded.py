"""What one program records of what another mixes: before the faders and behind them, under mute and solo."""

import pytest

from iskelo.core.edits.additions import AddTracks, SpreadTracks
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Edit, EnableChannels, SetValues
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.remedies import tried_remedies
from iskelo.core.rig.programs import Program, Send, Track
from iskelo.core.survey import survey
from iskelo.demo.legs_to_a_recorder import legs_to_a_recorder
from rigs import Bench


def gangway(bench: Bench) -> Program:
    found = bench.rig_gear("Gangway")
    assert isinstance(found, Program)
    return found


def strip(bench: Bench, name: str) -> Track:
    return next(track for track in gangway(bench).tracks if track.name == name)


def leg_of(bench: Bench, name: str) -> Send:
    return next(send for send in gangway(bench).sends if send.item == strip(bench, name).id)


def taken(tap: str) -> Bench:
    """The example, Alma's leg at this tap, and no line that says at which it is wanted."""
    bench = Bench(legs_to_a_recorder())
    bench.do(SetValues(item=leg_of(bench, "Alma").id, values={"tap": tap}))
    return bench.do(*(SetValues(item=line.id, values={"tap": "any"}) for line in bench.rig.lines))


MOVES: dict[str, tuple[str, dict[str, bool | float]]] = {
    "mute Alma": ("Alma", {"muted": True}),
    "solo Bertil": ("Bertil", {"soloed": True}),
    "solo Alma": ("Alma", {"soloed": True}),
    "pull Alma down": ("Alma", {"gain_db": -12.0}),
}


@pytest.mark.parametrize(
    ("tap", "kills", "move", "level_dbfs"),
    [
        ("before the fader", False, "mute Alma", -18),
        ("before the fader", False, "solo Bertil", -18),
        ("before the fader", False, "pull Alma down", -18),
        ("before the fader", True, "mute Alma", None),
        ("before the fader", True, "solo Bertil", None),
        ("before the fader", True, "solo Alma", -18),
        ("before the fader", True, "pull Alma down", -18),
        ("behind the fader", False, "mute Alma", None),
        ("behind the fader", False, "solo Bertil", None),
        ("behind the fader", False, "solo Alma", -18),
        ("behind the fader", False, "pull Alma down", -30),
    ],
)
def test_what_mute_solo_and_fader_do_to_a_recording(tap: str, kills: bool, move: str, level_dbfs: float | None) -> None:
    """Common practice, no published source. The twin works the same strips by itself, and hears what is predicted."""
    bench = taken(tap)
    name, values = MOVES[move]
    bench.do(
        SetValues(item=gangway(bench).id, values={"mute_kills_pre": kills}),
        SetValues.model_validate({"item": strip(bench, name).id, "values": values}),
    )
    alma = next(line for line in survey(bench.rig).lines if line.name == "Alma")
    assert (alma.headline == "blocked") is (level_dbfs is None)
    ledger = run_line_check(bench.rig).ledger
    row = next(each for each in ledger.lines if each.line == alma.id)
    heard = [
        copy.level_dbfs
        for target in ledger.targets
        if target.name == "Longhand track 1 Alma"
        for sound in target.sounds
        if sound.name == "Alma"
        for copy in sound.copies
    ]
    if level_dbfs is None:
        assert heard == []
        assert not row.proved
    else:
        assert heard == [pytest.approx(level_dbfs, abs=0.05)]
        assert alma.level_dbfs == pytest.approx(level_dbfs)
        assert row.proved


def test_whom_a_solo_in_place_silences_is_told_and_ended_in_one_step() -> None:
    bench = taken("behind the fader")
    bench.do(*(SetValues(item=strip(bench, name).id, values={"soloed": True}) for name in ("Bertil", "Cassia")))
    assert "other tracks of Gangway are soloed" in bench.said("Alma")
    found = survey(bench.rig)
    assert [line.name for line in found.lines if line.headline == "blocked"] == [
        *("Alma", "Alma, in the mix", "Alma, in the room", "Dov, in the mix", "Dov, in the room"),
    ]
    (snag,) = bench.snags("line-blocked")[:1]
    remedy = tried_remedies(bench.rig, snag)[0]
    assert remedy.words == "End all solo"
    bench.do(*remedy.edits)
    assert {line.headline for line in survey(bench.rig).lines} == {"arrives"}
    told = [step for step in set_up_list(read(bench.rig)) if "Bertil" in str(step.settings)]
    assert all("solo" not in str(step.settings) for step in told)


def test_what_is_recorded_behind_faders_is_told_and_taken_before_them() -> None:
    bench = taken("behind the fader")
    (snag,) = bench.snags("recorded-behind-faders")
    assert snag.title == "What Gangway gives to be recorded is taken behind its faders"
    assert snag.lines == (bench.line("Alma").line.id,)
    assert "Mute and solo there" not in snag.evidence
    (remedy,) = tried_remedies(bench.rig, snag)
    assert remedy.words == "Take Alma before the fader"
    bench.do(*remedy.edits)
    assert leg_of(bench, "Alma").tap == "before the fader"
    assert bench.snags("recorded-behind-faders") == []
    # By its own output it goes behind the fader: then a send before it takes the place of that.
    track, output = strip(bench, "Alma"), leg_of(bench, "Alma").to
    bench.do(
        SetValues(item=leg_of(bench, "Alma").id, values={"on": False}),
        SetValues(item=track.id, values={"output": output}),
    )
    (snag,) = bench.snags("recorded-behind-faders")
    bench.do(*tried_remedies(bench.rig, snag)[0].edits)
    assert strip(bench, "Alma").output is None
    assert bench.line("Alma").headline == "arrives"
    assert bench.snags("recorded-behind-faders") == []


@pytest.mark.parametrize(
    ("wanted", "at"), [("before the fader", "behind the fader"), ("behind the fader", "before the fader")]
)
def test_a_line_that_says_its_tap_is_laid_there(wanted: str, at: str) -> None:
    bench = taken(at).do()
    bench.do(SetValues(item=bench.line("Alma").line.id, values={"tap": wanted}))
    state = bench.line("Alma")
    assert state.headline == "other tap"
    assert bench.said("Alma") == f"{at}, and {wanted} is wanted: at Longhand track 1 Alma"
    (snag,) = bench.snags("line-other-tap")
    remedy = tried_remedies(bench.rig, snag)[0]
    assert remedy.words == f"Take Alma {wanted}"
    bench.do(*remedy.edits)
    assert bench.line("Alma").headline == "arrives"
    assert all(line.proved for line in run_line_check(bench.rig).ledger.lines)


def test_tracks_are_sent_out_one_by_one_on_the_next_channels() -> None:
    bench = Bench(legs_to_a_recorder())
    program = gangway(bench)
    bench.do(AddTracks(program=program.id, names=("Alma",), width=2))
    shut = EnableChannels(program=program.id, side="output", channels=(16,), on=False)
    new = gangway(bench).tracks[-1].id
    outputs = len(program.outputs)
    bench.do(shut, SpreadTracks(program=program.id, tracks=(new,), tap="behind the fader"))
    made = gangway(bench).outputs[outputs:]
    assert [(item.name, item.legs) for item in made] == [("Alma 2", (15, 16))]
    assert 16 in gangway(bench).enabled_out
    assert gangway(bench).sends[-1].tap == "behind the fader"
    said = "its device has 16 channels out, and 6 from channel 17 on are needed"
    with pytest.raises(Refused, match=said):
        bench.do(SpreadTracks(program=program.id))
    everything: tuple[Edit, ...] = (SpreadTracks(program=program.id, first_channel=9),)
    bench.do(*everything)
    names = [(item.name, item.legs) for item in gangway(bench).outputs[outputs + 1 :]]
    assert names[0] == ("Alma 3", (9,))
    assert names[-1] == ("Alma 4", (13, 14))


def test_a_monitored_track_that_is_only_sent_on_is_not_told_to_lead_nowhere() -> None:
    bench = Bench(legs_to_a_recorder())
    bench.do(SetValues(item=strip(bench, "Alma").id, values={"output": None}))
    assert bench.snags("output-nowhere") == []
