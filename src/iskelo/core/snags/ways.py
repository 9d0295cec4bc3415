"""Rules about lines that say which way they take."""

from functools import partial

from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.whole_plan import join_apart
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import Remedy, Snag, if_so, joining, rule


@rule("lines")
def line_other_way(reading: Reading) -> list[Snag]:
    """A line that says what it passes, or what it never should, goes another way."""
    return [
        Snag(
            key=f"line-other-way:{state.line.id}",
            rule="line-other-way",
            severity="trouble",
            title=f"{state.line.name} goes another way than it says",
            evidence=f"{words[:1].upper()}{words[1:]}.",
            consequence=_CONSEQUENCES[finding.fact.code],
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.from_ports),
            mend=partial(_led_as_said, reading, state),
        )
        for state, words in with_finding(reading, "other way")
        if (finding := state.finding("other way")) is not None
    ]


_CONSEQUENCES = {
    "passes not": "What it should pass does nothing to it.",
    "passes": "What it should be kept away from does something to it.",
    "passes not this but that": "What it should pass does nothing to it; what it should be kept away from does.",
}
"""What follows, by the code of the finding."""


def _led_as_said(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Offer the cheapest way that the line names, with what shuts the other one; or allow any way."""
    joined = join_apart(reading, state.line)
    any_way = SetValues(item=state.line.id, values={"through": [], "never_by": []})
    told = if_so(f"{state.line.name} may go any way", any_way)
    return (joining(joined), told) if joined is not None else (told,)
