"""The age of a proof: what makes a line's proof stale, and what does not."""

import pytest

from iskelo.core.edits.additions import AddDriver, AddSources
from iskelo.core.edits.edit import Plug, SetDevice, SetDirect, SetLeg, SetTrim, SetValues, SwapGear
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.lines.proof import mark, proofs
from iskelo.core.rig.ports import Port
from rigs import Bench, heard, two_voices


def checked(bench: Bench, good: bool = True) -> dict[str, tuple[str, bool]]:
    reading = read(bench.rig)
    return {state.line.id: (mark(state, reading.found), good) for state in reading.lines}


def told(bench: Bench, before: dict[str, tuple[str, bool]]) -> dict[str, str]:
    reading = read(bench.rig)
    found = proofs(reading.lines, reading.found, before)
    return {state.line.name: found.get(state.line.id, "unchecked") for state in reading.lines}


@pytest.mark.parametrize(
    "change",
    [
        lambda b: SetValues(item=b.track("T Alma"), values={"name": "Else"}),
        lambda b: SetValues(item=b.id("Box"), values={"notes": "left of the door"}),
        lambda b: AddSources(names=("Cassia",)),
        lambda b: SetTrim(interface=b.id("Box"), jack_in=8, trim_db=0),
    ],
)
def test_what_is_not_on_the_way_leaves_a_proof_alone(change) -> None:
    bench = two_voices()
    before = checked(bench)
    bench.do(change(bench))
    assert told(bench, before) == {"L Alma": "proved", "L Bertil": "proved"}


@pytest.mark.parametrize(
    ("change", "alma", "bertil"),
    [
        (lambda b: SetValues(item=b.box().drivers[0].id, values={"buffer_samples": 64}), "stale", "stale"),
        (lambda b: SetValues(item=b.id("Box"), values={"rate_hz": 96_000}), "stale", "stale"),
        (lambda b: SetTrim(interface=b.id("Box"), jack_in=1, trim_db=20), "stale", "proved"),
        (lambda b: SetValues(item=b.rig.patches[0].id, values={"inverted": True}), "stale", "proved"),
        (lambda b: SetLeg(item=b.id("In Alma"), channel=None), "stale", "proved"),
        (lambda b: SetLeg(item=b.id("In Bertil"), channel=1), "proved", "stale"),
        (lambda b: SetValues(item=b.id("L Bertil"), values={"longest_delay_ms": 2}), "proved", "stale"),
    ],
)
def test_what_is_on_the_way_makes_the_proof_stale(change, alma: str, bertil: str) -> None:
    bench = two_voices()
    before = checked(bench)
    bench.do(change(bench))
    assert told(bench, before) == {"L Alma": alma, "L Bertil": bertil}


def test_a_second_way_to_the_ears_makes_the_proof_stale() -> None:
    bench = heard(two_voices(), "Alma")
    bench.do(SetDirect(interface=bench.id("Box"), jack_in=1, jack_out=1))
    before = checked(bench)
    bench.do(Plug(from_port=bench.out("Alma"), to_port=Port(bench.id("Box"), "jack_in", 5)))
    bench.do(SetDirect(interface=bench.id("Box"), jack_in=5, jack_out=1))
    assert told(bench, before)["Alma heard"] == "stale"


def test_a_line_found_wrong_stays_failed_until_it_changes_and_a_new_one_is_unchecked() -> None:
    bench = two_voices()
    before = checked(bench, good=False)
    assert told(heard(bench, "Alma"), before) == {
        "L Alma": "failed",
        "L Bertil": "failed",
        "Alma heard": "unchecked",
    }


def test_the_ledger_keeps_the_marks_of_the_rig_it_checked() -> None:
    bench = two_voices()
    rows = run_line_check(bench.rig).ledger.lines
    assert {row.line: (row.mark, row.proved) for row in rows} == checked(bench)


def test_another_box_or_driver_in_the_way_ages_a_proof_whatever_its_figures() -> None:
    """Ruling 21 of the design's page on acts: what was proved of one box says nothing of its twin."""
    bench = heard(two_voices(), "Alma")
    bench.do(AddDriver(interface=bench.id("Box")), SetValues(item=bench.track("T Alma"), values={"monitored": True}))
    box = bench.box()
    same = box.drivers[0].model_copy(update={"id": box.drivers[1].id})
    bench.rig = bench.rig.model_copy(
        update={
            "gear": tuple(
                box.model_copy(update={"drivers": (box.drivers[0], same)}) if gear is box else gear
                for gear in bench.rig.gear
            )
        }
    )
    before = checked(bench)
    kept = bench.rig
    bench.do(SetDevice(program=bench.id("Recorder"), device=box.id, driver=same.id))
    assert set(told(bench, before).values()) == {"stale"}
    bench.rig = kept
    assert set(told(bench, before).values()) == {"proved"}
    bench.do(SwapGear(item=box.id, gear=bench.box(), jacks_in={}, jacks_out={}))
    assert set(told(bench, before).values()) == {"stale"}


def test_a_proof_of_an_older_version_knows_no_gear_and_holds() -> None:
    bench = two_voices()
    before = {line: (then.partition(".")[0], good) for line, (then, good) in checked(bench).items()}
    assert set(told(bench, before).values()) == {"proved"}
    bench.do(SetValues(item=bench.box().drivers[0].id, values={"buffer_samples": 64}))
    assert set(told(bench, before).values()) == {"stale"}
