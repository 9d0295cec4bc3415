"""Sheets: the line list, patch sheets, timing; what is on them is what the rig says."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn import drawn
from iskelo.core.lines.context import read
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.paperwork.sheet import Beside, Sheet, table
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.core.rig.rig import Rig
from iskelo.core.survey import survey
from iskelo.demo.company import whole_company
from iskelo.demo.orrin_point import orrin_point
from rigs import any_rig, programs_joined

RIGS = st.one_of(any_rig(busy=True, back=True), programs_joined(any_rig(cabled=True, busy=True)))


def sheet(rig: Rig, title: str) -> Sheet:
    reading = read(rig)
    return sheet_of(reading, next(each.key for each in sheet_names(reading) if each.title == title))


def rows(rig: Rig, title: str, of: str) -> tuple[tuple[str, ...], ...]:
    return next(each.rows for each in sheet(rig, title).tables if each.title == of)


def row(rig: Rig, title: str, of: str, first: str) -> tuple[str, ...]:
    return next(each for each in rows(rig, title, of) if first in each[:2])


def test_the_line_list_tells_every_line_as_the_screen_does() -> None:
    rig = whole_company()
    found = survey(rig)
    listed = rows(rig, "Line list", "Lines")
    assert [each[1] for each in listed] == [line.name for line in found.lines]
    assert row(rig, "Line list", "Lines", "Alma") == (
        *("1", "Alma", "record", "", "Alma", "Corvane 8 · 1", "Hall · 1", "Longhand · 1", "1 Alma", ""),
        *("6.60", "−18.0", "arrives"),
    )
    assert row(rig, "Line list", "Lines", "Dov")[7:] == ("(takes 3, not 4)", "4 Dov", "", "", "", "silent +1")
    assert row(rig, "Line list", "Lines", "Alma, for Ines")[10] == "50.27 to 85.27"
    wrong = rows(rig, "Line list", "Not as wanted")
    assert [each[1] for each in wrong] == [line.name for line in found.lines if line.headline != "arrives"]


def test_patch_sheets_tell_both_ends_of_every_channel() -> None:
    rig = whole_company()
    assert row(rig, "Corvane 8", "Input jacks", "1") == ("1", "Alma", "38 dB", "48 V", "jack out 1, 2")
    assert row(rig, "Corvane 8", "Channels into the computer", "3")[1] == (
        "Longhand: Cassia; Longhand: Dov; Gangway: Cassia"
    )
    # The second cable's first pair is Bell's; at Hall its numbers are others.
    assert row(rig, "Gully 1", "Channels", "7") == (
        "7",
        "Soundcase: Bell L",
        "Longhand: Bell L (its 25)",
    )
    assert row(rig, "Hall", "Channels in", "25") == ("25", "Gully 1 7", "Bell L")
    assert row(rig, "Longhand", "Inputs", "Bell") == ("13", "Bell", "25, 26", "Gully 1 7, Gully 1 8")
    assert row(rig, "Havra 16", "Strips", "Presenter")[2:5] == ("jack 3", "0", "out 9 › in 9")
    assert row(rig, "Gangway", "Strips", "Ines")[2:4] == ("Ines", "Programme")
    assert rows(rig, "Gangway", "Sends") == (("Programme", "Call", "behind the fader", "0", ""),)
    assert rows(rig, "Anvil press", "In")[0][1].startswith("Havra 16")
    timing = {each[0]: each for each in rows(rig, "Timing and clocks", "Programs")}
    assert timing["Longhand"] == ("Longhand", "Hall", "48 kHz", "256", "6.60", "6.75", "13.35", "641")
    assert rows(rig, "Timing and clocks", "Limits")[0] == ("Alma, heard", "13.35", "10", "−3.35")


def test_the_set_up_list_on_paper_is_the_one_on_screen_with_its_ticks() -> None:
    reading = read(orrin_point())
    steps = set_up_list(reading)
    ticked = frozenset((step.key, step.says) for step in steps[1:3])
    tables = sheet_of(reading, "set-up", Beside(ticked=ticked)).tables
    assert [table.title for table in tables] == list(dict.fromkeys(step.section for step in steps))
    printed = [row for table in tables for row in table.rows]
    assert [row[:2] for row in printed[:4]] == [("1", "☐"), ("2", "✓"), ("3", "✓"), ("4", "☐")]
    assert [row[0] for row in printed] == [str(number) for number in range(1, len(steps) + 1)]
    for row, step in zip(printed, steps, strict=True):
        assert row[2].startswith(step.words)
        assert row[3:] == (" · ".join(step.settings), step.why, step.see)


def test_a_rig_without_anything_has_lists_that_say_so() -> None:
    blank = Rig(name="Blank")
    assert [each.title for each in sheet_names(read(blank))] == [
        "Set-up list",
        "Line list",
        "Input list",
        "Timing and clocks",
        "Check report",
        "For the next technician",
    ]
    assert [each.empty for each in sheet(blank, "Line list").tables if not each.rows] == [
        "no line is wanted yet",
        "every line arrives as it is wanted",
    ]
    assert [each.empty for each in sheet(blank, "Set-up list").tables] == ["nothing to set up yet"]
    with pytest.raises(KeyError):
        sheet_of(read(blank), "patch:b1")


@given(RIGS)
@settings(max_examples=drawn(25), deadline=None)
def test_every_sheet_of_any_rig_can_be_made_and_has_a_cell_for_every_column(rig: Rig) -> None:
    reading = read(rig)
    names = sheet_names(reading)
    assert len({each.key for each in names}) == len(names)
    for name in names:
        for made in sheet_of(reading, name.key).tables:
            assert {len(each) for each in made.rows} <= {len(made.columns)}
    shown = {name.title for name in names}
    assert {gear.name for gear in rig.gear if gear.kind in ("interface", "program", "aggregate", "outboard")} <= shown
    lines = rows(rig, "Line list", "Lines")
    assert [each[1] for each in lines] == [line.name for line in rig.lines]


def test_a_table_is_written_as_its_columns() -> None:
    made = table("Jacks", "# 0.4 > | Delay, ms 1.5 >", [("1", "2.50")])
    assert [(each.title, each.share, each.figures) for each in made.columns] == [
        ("#", 0.4, True),
        ("Delay, ms", 1.5, True),
    ]
