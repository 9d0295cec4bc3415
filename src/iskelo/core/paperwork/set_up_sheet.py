"""The set-up list as a sheet: its steps as tables, one a section, to be printed and to go with a bundle."""

from itertools import count, groupby

from iskelo.core.lines.context import Reading
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.paperwork.sheet import SheetTable, table

COLUMNS = "# 0.3 > | Done 0.5 | What to do 2.4 | Set there 1.9 | Why 1.6 | To see that it worked 2.2"
DONE, OPEN = "✓", "☐"


def set_up_tables(reading: Reading, ticked: frozenset[tuple[str, str]]) -> tuple[SheetTable, ...]:
    """Every step with its value, why, and how to see that it worked.

    ``ticked``: those that are done, by key and by what they say.
    """
    steps, numbers = set_up_list(reading), count(1)
    return tuple(
        table(
            section,
            COLUMNS,
            [
                (
                    str(next(numbers)),
                    DONE if (step.key, step.says) in ticked else OPEN,
                    ": ".join(filter(None, (step.words, step.trouble))),
                    " · ".join(step.settings),
                    step.why,
                    step.see,
                )
                for step in some
            ],
        )
        for section, some in groupby(steps, key=lambda step: step.section)
    ) or (table("Set-up list", COLUMNS, [], "nothing to set up yet"),)
