"""A comparison as a sheet: what lies between two rigs, or two revisions, on screen and on paper."""

from collections.abc import Iterable

from iskelo.core.compare import Change, NowAfter
from iskelo.core.paperwork.sheet import Sheet, SheetColumn, SheetName, SheetTable, table


def comparison_sheet(between: NowAfter, one: str, other: str) -> Sheet:
    """Lines, numbers, settings and what is found wrong, in ``one`` and in ``other``."""
    name = SheetName("compare", "Lists", "Comparison", f"{one} and {other}")
    snags = [("only now", title) for title in between.gone_snags]
    snags += [("only there", title) for title in between.new_snags]
    tables = (
        _changes("Lines", "Line", between.lines, one, other, "every line is as it was"),
        _changes("Numbers", "What", between.numbers, one, other, "no number differs"),
        _changes("Gear and settings", "What", between.settings, one, other, "no setting differs"),
        table(
            "Found wrong",
            "Where 1 | What 4",
            ((one if where == "only now" else other, title) for where, title in snags),
            "the same is found in both",
        ),
    )
    arrive = f"{between.arriving_after} of {between.wanted_after} arrive"
    return Sheet(name, tables, (f"{one}: {between.arriving_now} lines arrive. {other}: {arrive}.",))


def _changes(title: str, what: str, changes: Iterable[Change], one: str, other: str, empty: str) -> SheetTable:
    # Two revisions of one rig, or two rigs called alike, stand in two columns all the same.
    called = (what, one, other if other != one else f"{other}, the other")
    columns = tuple(SheetColumn(each, 2.0) for each in called)
    return SheetTable(title, columns, tuple((each.what, each.now, each.after) for each in changes), empty)
