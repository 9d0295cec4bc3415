"""A sheet of paper as data: tables of words and figures, for the screen, a spreadsheet and a printed page alike."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from iskelo.core.linecheck.rows import Ledger

SheetGroup = Literal["Lists", "Patch sheets", "Label strips"]


@dataclass(frozen=True, slots=True)
class SheetColumn:
    """A column: its title, how wide it is beside the others, and whether it holds figures, which stand to the right."""

    title: str
    share: float = 1.0
    figures: bool = False


@dataclass(frozen=True, slots=True)
class SheetTable:
    """One table of a sheet, every row with a cell for each column; ``empty`` is said where it has no rows.

    ``changed``: of each row whether it gets a change bar; empty: nobody asked for bars.
    """

    title: str
    columns: tuple[SheetColumn, ...]
    rows: tuple[tuple[str, ...], ...]
    empty: str = "nothing"
    changed: tuple[bool, ...] = ()


def table(title: str, columns: str, rows: Iterable[tuple[str, ...]], empty: str = "nothing") -> SheetTable:
    """A table whose columns are written as title and share, parted by bars; ``>`` behind one that holds figures.

    Example: ``table("Jacks", "# 0.4 > | From 2.5 | Trim 0.8 >", rows)``.
    """
    found = []
    for each in columns.split("|"):
        match = re.fullmatch(r"(.+?) ([\d.]+)( >)?", each.strip())
        assert match is not None, each
        found.append(SheetColumn(match[1], float(match[2]), match[3] is not None))
    return SheetTable(title, tuple(found), tuple(rows), empty)


@dataclass(frozen=True, slots=True)
class SheetName:
    """A sheet that there is, in the order in which they are listed; ``about``: how much is on it."""

    key: str
    group: SheetGroup
    title: str
    about: str


@dataclass(frozen=True, slots=True)
class Sheet:
    """A whole sheet; ``notes`` are what is unusual here, for whoever did not build it."""

    name: SheetName
    tables: tuple[SheetTable, ...]
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class OpenSnag:
    """Something found wrong that is still so."""

    severity: str
    title: str
    consequence: str


@dataclass(frozen=True, slots=True)
class Checked:
    """The newest line check that is done: of which revision, with which faults switched on, and its ledger.

    ``number`` 0: there is none; without a ledger nobody asked for it.
    """

    number: int = 0
    revision: int = 0
    faults: tuple[str, ...] = ()
    ledger: Ledger | None = None


@dataclass(frozen=True, slots=True)
class Beside:
    """What sheets tell that is not in the rig itself; ``ticked``: steps of the set-up list by key and what they say."""

    revision: int = 0
    checked: Checked = Checked()
    snags: tuple[OpenSnag, ...] = ()
    ticked: frozenset[tuple[str, str]] = frozenset()
