"""Input lists: rows become edits, bad rows are refused with field and reason, the good ones stand."""

import pytest

from desks import desk_bench
from iskelo.core.edits.additions import AddDestination, AddInterface, AddProgram, AddSources
from iskelo.core.edits.apply import apply
from iskelo.core.edits.input_list import InputRow, plan_rows
from iskelo.core.edits.phrases import gear_phrase
from iskelo.core.lines.context import read
from iskelo.core.paperwork.input_rows import input_rows
from iskelo.core.progress import Cancelled
from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig
from rigs import Bench, two_voices


def blank() -> Bench:
    return Bench(Rig()).do(
        AddInterface(name="Corvane 8", jack_in=8, jack_out=8),
        AddProgram(name="Longhand"),
        AddDestination(name="Phones"),
    )


def test_a_full_row_makes_source_lead_input_track_and_line() -> None:
    bench = blank()
    row = InputRow(
        number=2, name="Vox", source="Alma", box_input="3", track="Alma dry", purpose="Record", limit="10 ms"
    )
    plan = plan_rows(bench.rig, (row,))
    assert plan.rows[0].accepted
    bench.do(*plan.edits)
    state = bench.line("Vox")
    assert state.headline == "arrives"
    assert state.line.longest_delay_ms == 10
    assert state.line.alone
    assert bench.program().tracks[0].name == "Alma dry"
    assert bench.program().inputs[0].legs == (3,)


def test_a_row_with_a_name_alone_makes_a_track_without_an_input() -> None:
    bench = blank()
    plan = plan_rows(bench.rig, (InputRow(number=2, source="Alma"),))
    bench.do(*plan.edits)
    assert bench.line("Alma").headline == "silent"


def test_a_listen_row_ends_at_the_only_headphones() -> None:
    bench = blank()
    bench.do(*plan_rows(bench.rig, (InputRow(number=2, source="Alma", box_input="1", purpose="heard"),)).edits)
    assert bench.line("Alma").line.purpose == "listen"
    assert len(bench.line("Alma").line.to_ports) == 2


@pytest.mark.parametrize(
    ("row", "field", "reason"),
    [
        ({"source": "Bertil", "box_input": "9"}, "box input", "Corvane 8 has no jack in 9; it has 8"),
        ({"source": "Bertil", "box_input": "Pellow 1"}, "box input", "there is no interface 'Pellow'"),
        ({"source": "Bertil", "box_input": "left"}, "box input", "names no input jack"),
        ({"source": "Bertil", "box_input": "1"}, "box input", "Corvane 8 jack in 1 already takes Alma"),
        ({"source": "Bertil", "limit": "soon"}, "limit", "'soon' is no delay in milliseconds"),
        ({"source": "Bertil", "limit": "-3"}, "limit", "is no delay"),
        ({"source": "Bertil", "purpose": "dance"}, "purpose", "'dance' is no purpose; say record or listen"),
        ({"name": "Alma", "source": "Bertil"}, "name", "there is a line Alma already"),
        ({"name": "x"}, "source", "the source is missing"),
        ({}, "name", "the name is missing"),
        ({"source": "Corvane 8"}, "source", "Corvane 8 is no source"),
        ({"source": "Bertil", "track": "77"}, "track", "Longhand has no track 77"),
        ({"source": "Bertil", "purpose": "listen", "track": "Room"}, "track", "there is no destination 'Room'"),
        ({"source": "Ber\x07til"}, "source", "control character"),
        ({"source": "x" * 200}, "source", "at most 80 characters"),
    ],
)
def test_a_bad_row_is_refused_with_its_field_and_reason_and_the_others_stand(row, field: str, reason: str) -> None:
    rows = (
        InputRow(number=2, source="Alma", box_input="1"),
        InputRow(number=3, **row),
        InputRow(number=4, source="Cassia", box_input="Corvane 8 / 2"),
    )
    plan = plan_rows(blank().rig, rows)
    assert [outcome.accepted for outcome in plan.rows] == [True, False, True]
    assert plan.rows[1].field == field
    assert reason in plan.rows[1].reason
    after = apply(blank().rig, plan.edits).rig
    assert [state.headline for state in read(after).lines] == ["arrives", "arrives"]


def test_track_numbers_into_an_empty_recorder_make_its_tracks_called_by_who_asks_for_them() -> None:
    bench = blank()
    asked = ((2, "Alma", "3"), (3, "Bertil", "1"), (4, "Cassia", "2"), (5, "Dov", "5"), (6, "Alma too", "9"))
    rows = tuple(InputRow(number=n, source=name, box_input=str(n - 1), track=track) for n, name, track in asked)
    plan = plan_rows(bench.rig, rows)
    assert [outcome.accepted for outcome in plan.rows] == [True, True, True, False, False]
    assert plan.rows[3].reason == "Longhand has no track 5: it has 3, and no row asks for 4"
    assert plan.rows[4].reason == "Longhand has no track 9: it has 3, and no row asks for 4, 6–8"
    bench.do(*plan.edits)
    assert [track.name for track in bench.program().tracks] == ["Bertil", "Cassia", "Alma"]
    assert {state.line.name: state.headline for state in read(bench.rig).lines} == dict.fromkeys(
        ("Alma", "Bertil", "Cassia"), "arrives"
    )
    # Read once more with other names, the numbers are those tracks.
    again = plan_rows(bench.rig, (InputRow(number=2, name="Second", source="Bertil", track="1"),))
    bench.do(*again.edits)
    assert len(bench.program().tracks) == 3
    assert bench.line("Second").headline == "arrives"


def test_a_number_with_noughts_before_it_is_the_name_of_a_track() -> None:
    bench = blank()
    bench.do(*plan_rows(bench.rig, (InputRow(number=2, source="Alma", box_input="1", track="007"),)).edits)
    assert [track.name for track in bench.program().tracks] == ["007"]


@pytest.mark.parametrize(("said", "needs"), [("", True), ("yes", True), ("+48 V", True), ("x", True), ("no", False)])
def test_a_microphone_of_a_list_needs_what_a_typed_one_needs_unless_the_list_says_otherwise(
    said: str, needs: bool
) -> None:
    bench = blank()
    bench.do(*plan_rows(bench.rig, (InputRow(number=2, source="Alma", box_input="1", phantom=said),)).edits)
    (source,) = (gear for gear in bench.rig.gear if gear.kind == "source")
    assert source.needs_phantom == needs
    assert bench.box().phantom_on == ((1,) if needs else ())
    assert bench.line("Alma").headline == "arrives"
    if said == "":
        typed = Bench(Rig()).do(*gear_phrase("mic Alma")).rig.gear[0]
        assert typed == source.model_copy(update={"id": typed.id})


def test_what_a_list_says_of_a_supply_goes_for_a_source_that_is_there_and_nonsense_is_refused() -> None:
    bench = blank().do(*gear_phrase("mic Alma"))
    rows = (
        InputRow(number=2, source="Alma", box_input="1", phantom="nein"),
        InputRow(number=3, source="Bertil", phantom="perhaps"),
    )
    plan = plan_rows(bench.rig, rows)
    assert (plan.rows[1].field, plan.rows[1].reason) == ("phantom", "'perhaps' is neither yes nor no")
    bench.do(*plan.edits)
    assert not next(gear for gear in bench.rig.gear if gear.name == "Alma").needs_phantom
    assert bench.box().phantom_on == ()


def test_two_boxes_must_be_told_apart() -> None:
    bench = blank().do(AddInterface(name="Pellow Duo"))
    rows = (
        InputRow(number=2, source="Alma", box_input="1"),
        InputRow(number=3, source="Bertil", box_input="pel 2", purpose="listen"),
    )
    plan = plan_rows(bench.rig, rows)
    assert plan.rows[0].reason == "say which box: Corvane 8, Pellow Duo"
    assert plan.rows[1].accepted


def test_a_stereo_source_takes_two_jacks() -> None:
    bench = blank().do(AddSources(names=("Organ",), width=2))
    plan = plan_rows(bench.rig, (InputRow(number=2, source="Organ", box_input="8"),))
    assert "stereo" in plan.rows[0].reason
    bench.do(*plan_rows(bench.rig, (InputRow(number=2, source="Organ", box_input="7"),)).edits)
    assert bench.line("Organ").headline == "arrives"


def test_an_existing_track_is_found_by_name_or_number_and_gets_an_input_if_it_has_none() -> None:
    bench = two_voices()
    bench.do(AddSources(names=("Cassia",)))
    plan = plan_rows(bench.rig, (InputRow(number=2, source="Cassia", box_input="4", track="2"),))
    bench.do(*plan.edits)
    assert bench.line("Cassia").line.to_ports[0].owner == bench.track("T Bertil")
    assert bench.line("Cassia").headline == "silent"


def hall() -> Bench:
    """Eight boxes of 128 inputs, a recorder on each."""
    bench = Bench(Rig())
    for number in range(8):
        bench.do(AddInterface(name=f"Box {number}", jack_in=128, jack_out=2))
        bench.do(AddProgram(name=f"Rec {number}", device=bench.id(f"Box {number}")))
    return bench


def long_list(count: int) -> tuple[InputRow, ...]:
    return tuple(
        InputRow(number=n + 2, name=f"Line {n}", source=f"Mic {n}", box_input=f"Box {n // 128} / {n % 128 + 1}")
        for n in range(count)
    )


def test_a_list_of_1000_rows_is_one_action_whose_every_line_arrives() -> None:
    bench = hall()
    plan = plan_rows(bench.rig, long_list(1000))
    assert all(row.accepted for row in plan.rows)
    assert len(plan.edits) < 3100, "many of one kind are made as one"
    bench.do(*plan.edits)
    states = read(bench.rig).lines
    assert len(states) == 1000
    assert {state.headline for state in states} == {"arrives"}


def test_the_edits_of_a_list_do_what_each_row_by_itself_would() -> None:
    one, many = hall(), hall()
    rows = (
        *long_list(5),
        InputRow(number=8, name="Again", source="Mic 1", track="Twice"),
        InputRow(number=9, name="Odd", source="Mic 9", box_input="Box 1 / 7", track="Line 3"),
        InputRow(number=10, name="Three", source="Mic 3", track="2"),
    )
    for row in rows:
        plan = plan_rows(one.rig, (row,))
        one.do(*plan.edits)
    together = plan_rows(many.rig, rows)
    many.do(*together.edits)

    def told(bench: Bench) -> list[tuple]:
        found = index(bench.rig)
        lines = [
            (s.line.name, s.headline, *map(found.say, (*s.line.from_ports, *s.line.to_ports)))
            for s in read(bench.rig).lines
        ]
        inputs = [(program.name, item.name, item.legs) for program in found.programs() for item in program.inputs]
        return [*sorted(lines), *sorted(inputs)]

    assert told(one) == told(many)
    assert [row.words for row in together.rows[-2:]] == [
        "added microphone Mic 9; plugged Mic 9 into Box 1 jack in 7; Box 1, jack in 7: phantom supply on; "
        "Rec 1: added input Line 3; Rec 1: added track Line 3; added line Odd",
        "added line Three",
    ]


def test_rows_beyond_what_a_rig_holds_are_refused_one_by_one() -> None:
    rows = tuple(InputRow(number=n, name=f"Line {n}", source="Mic", track="Tape") for n in range(1026))
    bench = Bench(Rig()).do(AddInterface(name="Box"), AddProgram(name="Rec"))
    plan = plan_rows(bench.rig, rows)
    assert [row.accepted for row in plan.rows] == [True] * 1024 + [False] * 2
    assert plan.rows[-1].reason == "a rig has 1024 lines at most"
    assert len(bench.do(*plan.edits).rig.lines) == 1024


def test_an_exact_name_of_a_box_is_that_box_though_others_begin_so() -> None:
    bench = Bench(Rig()).do(AddInterface(name="Box 1"), AddInterface(name="Box 10"))
    bench.do(AddProgram(name="Rec", device=bench.id("Box 1")))
    assert plan_rows(bench.rig, (InputRow(number=2, source="Alma", box_input="Box 1 / 2"),)).rows[0].accepted


def test_a_plan_tells_how_far_it_is_and_stops_when_nobody_wants_it() -> None:
    shares: list[float] = []

    def told(share: float) -> bool:
        shares.append(share)
        return share < 0.5

    with pytest.raises(Cancelled):
        plan_rows(hall().rig, long_list(200), told)
    assert shares == sorted(shares)
    assert 0.4 < shares[-1] <= 0.6


def test_what_is_recorded_and_heard_becomes_two_lines_as_in_a_batch() -> None:
    bench = blank()
    row = InputRow(number=2, source="Alma", box_input="1", heard_at="Phones", limit="10")
    bench.do(*plan_rows(bench.rig, (row,)).edits)
    assert [(line.name, line.purpose, line.longest_delay_ms) for line in bench.rig.lines] == [
        ("Alma", "record", None),
        ("Alma, heard", "listen", 10),
    ]


def test_a_row_is_told_all_that_is_wrong_with_it() -> None:
    bench = blank()
    row = InputRow(number=2, source="Alma", box_input="9", heard_at="Nowhere", purpose="record", limit="soon")
    (outcome,) = plan_rows(bench.rig, (row,)).rows
    assert not outcome.accepted
    assert outcome.field == "limit"
    for reason in ("no delay in milliseconds", "no jack in 9", "no destination 'Nowhere'"):
        assert reason in outcome.reason


def test_a_row_whose_channel_is_another_inputs_says_so() -> None:
    bench = two_voices()
    plan = plan_rows(bench.rig, (InputRow(number=2, name="Twice", source="Alma", box_input="1", track="Copy"),))
    assert "Recorder: added input Copy on the channel of In Alma" in plan.rows[0].words


def test_a_column_says_what_the_lines_of_a_row_pass_and_a_name_that_is_none_is_refused_there() -> None:
    bench = desk_bench("box 4x4", "rec", "outboard press", "head")
    press = index(bench.rig).outboards[0]
    good = InputRow(number=1, name="Ines", source="Ines", track="Ines", heard_at="headphones", through="press")
    bad = good.model_copy(update={"number": 2, "name": "Alma", "source": "Alma", "through": "spoon"})
    plan = plan_rows(bench.rig, (good, bad))
    assert [(each.accepted, each.field) for each in plan.rows] == [(True, ""), (False, "through")]
    assert "called 'spoon'" in plan.rows[1].reason
    rig = apply(bench.rig, plan.edits).rig
    assert [line.through for line in rig.lines] == [(press.id,), (press.id,)]
    assert [row.through for row in input_rows(index(rig))] == [press.name]
