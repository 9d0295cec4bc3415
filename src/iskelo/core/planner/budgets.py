"""Delay budgets: for every line that arrives, what its latest copy's delay is made of, and what its limit leaves."""

from dataclasses import dataclass

from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.rig import Purpose
from iskelo.core.timing.delays import latest, samples_to_ms
from iskelo.core.timing.terms import TermKind, TermOrigin


@dataclass(frozen=True, slots=True)
class BudgetPart:
    """One term of a delay."""

    kind: TermKind
    label: str
    gear: str
    origin: TermOrigin
    samples: int
    ms: float


@dataclass(frozen=True, slots=True)
class LineBudget:
    """A line's latest copy; ``left_ms`` is what its limit leaves (below nought: it is late), ``waits_ms`` the share
    of its delay that is spent in buffers, which can be changed.
    """

    line: str
    position: int
    name: str
    purpose: Purpose
    parts: tuple[BudgetPart, ...]
    samples: float
    ms: float
    waits_ms: float
    assumed: bool
    limit_ms: float | None
    left_ms: float | None


def line_budgets(reading: Reading) -> tuple[LineBudget, ...]:
    """Those nearest to their limits first, then those without one, the latest first."""
    found = []
    for position, state in enumerate(reading.lines, start=1):
        budget = _budget(position, state)
        if budget is not None:
            found.append(budget)
    return tuple(sorted(found, key=_nearness))


def _nearness(budget: LineBudget) -> tuple[bool, float, int]:
    share = budget.ms / budget.limit_ms if budget.limit_ms else budget.ms
    return not budget.limit_ms, -share, budget.position


def _budget(position: int, state: LineState) -> LineBudget | None:
    delay, line = latest(each for each in state.delays() if each.rate_hz is not None), state.line
    if delay is None:
        return None
    parts = tuple(
        BudgetPart(
            term.kind,
            f"{term.label}, at most" if term.spread else term.label,
            term.gear,
            term.origin,
            term.samples + term.spread,
            float(samples_to_ms(term.samples + term.spread, term.rate_hz)),
        )
        for term in delay.terms
    )
    limit_ms = line.longest_delay_ms
    return LineBudget(
        line=line.id,
        position=position,
        name=line.name,
        purpose=line.purpose,
        parts=parts,
        samples=delay.most_samples,
        ms=delay.most_ms,
        waits_ms=sum(part.ms for part in parts if part.kind == "buffer"),
        assumed=delay.assumed,
        limit_ms=limit_ms,
        left_ms=limit_ms - delay.most_ms if limit_ms is not None else None,
    )
