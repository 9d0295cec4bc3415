"""Two rigs side by side, change bars, the check report, the sheet for the next technician, the input list."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.alignment import aligned
from iskelo.core.compare import compare_rigs
from iskelo.core.comparison_sheet import Side, comparison_sheet
from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import BringIn, Remove, SetTrim, SetValues
from iskelo.core.edits.input_list import plan_rows
from iskelo.core.edits.parts.keeping import keep
from iskelo.core.linecheck.run import run_line_check
from iskelo.core.lines.context import read
from iskelo.core.paperwork.changes import with_changes
from iskelo.core.paperwork.input_rows import input_rows
from iskelo.core.paperwork.sheet import Beside, Checked, OpenSnag, Sheet
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from iskelo.demo.examples import EXAMPLES
from iskelo.demo.orrin_point import orrin_point
from rigs import any_rig, heard, programs_joined, two_voices

RIGS = st.one_of(any_rig(busy=True, back=True), programs_joined(any_rig(cabled=True, busy=True)))


def made_again(rig: Rig) -> Rig:
    """The same rig built anew, under ids of its own."""
    part = keep(rig, tuple(gear.id for gear in rig.gear), "All")
    blank = rig.model_copy(update={"gear": (), "patches": (), "lines": (), "next_number": 5000})
    return apply(blank, (BringIn(part=part),)).rig


@pytest.mark.parametrize("name", EXAMPLES)
def test_the_same_rig_under_other_ids_compares_as_the_same(name: str) -> None:
    rig = EXAMPLES[name]()
    between = compare_rigs(rig, aligned(made_again(rig), rig), "again")
    assert (between.lines, between.numbers, between.new_snags, between.gone_snags) == ((), (), (), ())
    # Built anew, a rig lists its gear in another order; nothing in it is set otherwise.
    assert between.settings == ()


@given(RIGS, RIGS)
@settings(max_examples=drawn(40))
def test_any_two_rigs_can_be_laid_side_by_side(one: Rig, other: Rig) -> None:
    laid = aligned(other, one)
    assert [gear.name for gear in laid.gear] == [gear.name for gear in other.gear]
    assert [(line.headline, line.latest_samples) for line in survey(laid).lines] == [
        (line.headline, line.latest_samples) for line in survey(other).lines
    ]
    sheet = comparison_sheet(Side("One", one), Side("Other", laid))
    assert [table.title for table in sheet.tables] == ["Lines", "Numbers", "Gear and settings", "Found wrong"]
    assert all(len(row) == len(table.columns) for table in sheet.tables for row in table.rows)


def test_revisions_of_one_rig_keep_their_ids() -> None:
    rig = orrin_point()
    later = apply(rig, (SetValues(item="rig", values={"name": "Later"}),)).rig
    assert aligned(later, rig) is later


def test_a_comparison_tells_lines_settings_and_what_is_gone() -> None:
    rig = orrin_point()
    corvane = next(gear.id for gear in rig.gear if gear.name == "Corvane 8")
    dov = next(line.id for line in rig.lines if line.name == "Dov")
    later = apply(rig, (SetTrim(interface=corvane, jack_in=2, trim_db=20), Remove(items=(dov,)))).rig
    sheet = comparison_sheet(Side("Now", rig), Side("Then", aligned(made_again(later), rig)))
    tables = {table.title: table for table in sheet.tables}
    assert ("Dov", "silent", "gone") in tables["Lines"].rows
    assert sheet.notes == (f"Now: 12 of {len(rig.lines)} lines arrive. Then: 12 of {len(rig.lines) - 1}.",)
    assert ("Corvane 8, trim (dB) of jack in 2", "38", "20") in tables["Gear and settings"].rows
    assert [column.title for column in tables["Lines"].columns] == ["Line", "Now", "Then"]


def sheet(rig: Rig, key: str, beside: Beside | None = None) -> Sheet:
    return sheet_of(read(rig), key, beside or Beside())


def test_bars_stand_at_rows_that_changed_and_a_note_tells_what_is_gone() -> None:
    rig = orrin_point()
    corvane = next(gear.id for gear in rig.gear if gear.name == "Corvane 8")
    later = apply(rig, (SetTrim(interface=corvane, jack_in=2, trim_db=20),)).rig
    barred = with_changes(sheet(later, f"patch:{corvane}"), sheet(rig, f"patch:{corvane}"), "revision 1")
    jacks = barred.tables[0]
    assert [place for place, bar in enumerate(jacks.changed, 1) if bar] == [2]
    assert barred.notes[-1] == "Bars mark what changed since revision 1: 1 row."
    cassia = next(line.id for line in rig.lines if line.name == "Cassia")
    fewer = apply(rig, (Remove(items=(cassia,)),)).rig
    lines = with_changes(sheet(fewer, "lines"), sheet(rig, "lines"), "revision 1")
    # What moved up in the list did not change for that.
    assert sum(lines.tables[0].changed) == sum(
        now[3:] != was[3:]
        for now, was in zip(
            sheet(fewer, "lines").tables[0].rows,
            [row for row in sheet(rig, "lines").tables[0].rows if row[1] != "Cassia"],
            strict=True,
        )
    )
    assert "Not there any more: Cassia" in lines.notes[-1]


@given(RIGS)
@settings(max_examples=drawn(25))
def test_a_sheet_held_against_itself_has_no_bar(rig: Rig) -> None:
    reading = read(rig)
    for name in sheet_names(reading):
        whole = sheet_of(reading, name.key)
        barred = with_changes(whole, whole, "now")
        assert not any(map(any, (table.changed for table in barred.tables)))
        new = with_changes(whole, None, "then")
        assert all(all(table.changed) for table in new.tables)


def test_the_check_report_tells_line_by_line_and_place_by_place() -> None:
    bench = heard(two_voices(), "Alma")
    ledger = run_line_check(bench.rig).ledger
    told = sheet(bench.rig, "check", Beside(7, Checked(3, 6, ("noise on Alma",), ledger)))
    assert told.notes[0] == (
        "Take 3 on the twin, of revision 6; the rig is at revision 7 now, so some of it may be old."
    )
    assert told.notes[1] == "Run with these faults switched on: noise on Alma."
    assert "only a recording of the room proves" in told.notes[-1]
    lines, places = told.tables[:2]
    assert [row[:2] for row in lines.rows][:2] == [("L Alma", "proved"), ("L Bertil", "proved")]
    first = places.rows[0]
    predicted = survey(bench.rig).lines[0].latest_samples
    assert predicted is not None
    assert (first[1], first[2], float(first[4]), float(first[5])) == ("Alma", "Alma", float(predicted), 0.0)
    nothing = sheet(bench.rig, "check")
    assert nothing.tables[0].empty == "no line check is done yet"
    names = {name.key: name.about for name in sheet_names(read(bench.rig), Beside(7, Checked(3, 6, (), ledger)))}
    assert names["check"] == "take 3"


def test_what_is_unusual_is_told_to_the_next_technician() -> None:
    bench = two_voices()
    lead = bench.rig.patches[0]
    bench.do(
        SetValues(item=lead.id, values={"inverted": True}),
        SetValues(item=bench.box().id, values={"connected": False, "notes": "Its fan is loud."}),
        SetValues(item=bench.track("T Alma"), values={"muted": True}),
    )
    told = sheet(bench.rig, "handover", Beside(1, Checked(), (OpenSnag("stop", "Box is away", "Nothing is heard."),)))
    tables = {table.title: table.rows for table in told.tables}
    unusual = [row[:2] for row in tables["Unusual here"]]
    assert ("Box", "is not connected") in unusual
    assert ("Alma → Box jack in 1", "polarity reversed in the lead") in unusual
    assert ("Recorder", "tracks T Alma: muted") in unusual
    assert tables["Still open"] == (("stop", "Box is away", "Nothing is heard."),)
    assert tables["Notes"] == (("Box", "Its fan is loud."),)
    assert ("Box", "converter in, samples", "26") in tables["Assumed, not measured"]


@given(RIGS)
@settings(max_examples=drawn(60))
def test_any_rig_has_every_sheet_for_the_next_technician_with_whole_rows(rig: Rig) -> None:
    for key in ("handover", "inputs", "check"):
        for each in sheet(rig, key).tables:
            assert all(len(row) == len(each.columns) for row in each.rows)


def test_an_input_list_read_into_the_same_gear_wants_the_same_lines() -> None:
    """Lines and leads taken away, then the list read again: what begins at sources is as it was."""
    bench = heard(two_voices(), "Alma", within_ms=10)
    rig = bench.rig
    rows = input_rows(index(rig))
    assert [(row.name, row.source, row.box_input, row.track, row.purpose) for row in rows[:2]] == [
        ("L Alma", "Alma", "Box / 1", "T Alma", "record"),
        ("L Bertil", "Bertil", "Box / 2", "T Bertil", "record"),
    ]
    leads = tuple(patch.id for patch in rig.patches if patch.to_port.bank == "jack_in")
    bare = apply(rig, (Remove(items=(*leads, *(line.id for line in rig.lines))),)).rig
    planned = plan_rows(bare, rows)
    assert [row.reason for row in planned.rows if not row.accepted] == []
    again = apply(bare, planned.edits).rig
    assert [(one.name, one.headline, one.latest_samples) for one in survey(again).lines] == [
        (one.name, one.headline, one.latest_samples) for one in survey(rig).lines
    ]


def test_what_begins_in_programs_is_told_beside_the_input_list() -> None:
    told = sheet(orrin_point(), "inputs")
    voices = sum(line.from_ports[0].bank == "voice" for line in orrin_point().lines if line.from_ports)
    assert told.notes == (f"{voices} lines that begin in programs are not on it; the line list has them.",)
    assert replace(told, tables=()).name.title == "Input list"
