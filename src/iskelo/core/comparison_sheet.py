"""A comparison as a sheet: what lies between two rigs, or two revisions, on screen and on paper."""

from collections.abc import Iterable
from typing import NamedTuple

from iskelo.core.compare import Change, compare_rigs
from iskelo.core.paperwork.sheet import Sheet, SheetColumn, SheetName, SheetTable
from iskelo.core.rig.rig import Rig


class Side(NamedTuple):
    """A rig that is compared, and what it is called here. Example: 'Orrin Point, rev 3'."""

    words: str
    rig: Rig


def comparison_sheet(one: Side, other: Side) -> Sheet:
    """Lines, numbers, settings and what is found wrong, in ``one`` and in ``other``, whose ids are the same where they
    mean the same.
    """
    between = compare_rigs(one.rig, other.rig, other.words)
    # Two rigs that are called alike stand in two columns all the same.
    names = (one.words, other.words if other.words != one.words else f"{other.words}, the other")

    def changes(title: str, what: str, found: Iterable[Change], empty: str) -> SheetTable:
        columns = tuple(SheetColumn(each, 2.0) for each in (what, *names))
        return SheetTable(title, columns, tuple((each.what, each.now, each.after) for each in found), empty)

    wrong = [(names[0], title) for title in between.gone_snags] + [(names[1], title) for title in between.new_snags]
    arrive = f"{between.arriving_now} of {len(one.rig.lines)} lines arrive"
    return Sheet(
        SheetName("compare", "Lists", "Comparison", f"{names[0]} and {names[1]}"),
        (
            changes("Lines", "Line", between.lines, "every line is as it was"),
            changes("Numbers", "What", between.numbers, "no number differs"),
            changes("Gear and settings", "What", between.settings, "no setting differs"),
            SheetTable(
                "Found wrong",
                (SheetColumn("Only in", 1.0), SheetColumn("What", 4.0)),
                tuple(wrong),
                "the same is found in both",
            ),
        ),
        (f"{names[0]}: {arrive}. {names[1]}: {between.arriving_after} of {between.wanted_after}.",),
    )
