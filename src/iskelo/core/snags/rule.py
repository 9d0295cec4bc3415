"""What a rule is: looks for one thing, gives evidence, consequence and remedies."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from iskelo.core.edits.edit import Edit
from iskelo.core.light import light
from iskelo.core.lines.context import Reading
from iskelo.core.planner.join import Joining

Severity = Literal["stop", "trouble", "risk", "note"]
SEVERITIES: tuple[Severity, ...] = ("stop", "trouble", "risk", "note")
REMEDIES_AT_MOST = 3


@dataclass(frozen=True, slots=True)
class Remedy:
    """A list of edits that mends a snag, and what it does in words.

    An act in the room or in a program; or, with ``fact``, only the correction of what the rig says, if it is really so.
    """

    words: str
    edits: tuple[Edit, ...]
    fact: bool = False


@light
class Snag:
    """Something wrong or risky.

    ``key`` is stable as long as the snag stands: the rule and the ids it is about. ``items`` are the ids of
    the gear, inputs and tracks it sits on; ``lines`` those of the lines it harms. ``root`` names what this
    follows from: snags of one root are told as one, and ``follows`` are the titles of those that were joined
    to this one. ``mend`` works out the remedies, best first: only when somebody asks, for a search over the
    rig stands behind some of them.
    """

    key: str
    rule: str
    severity: Severity
    title: str
    evidence: str
    consequence: str
    items: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    root: str = ""
    follows: tuple[str, ...] = ()
    mend: Callable[[], tuple[Remedy, ...]] = field(default=tuple, compare=False)


Rule = Callable[[Reading], list[Snag]]


def distinct(remedies: list[Remedy], at_most: int = REMEDIES_AT_MOST) -> tuple[Remedy, ...]:
    """The remedies without repeats, the first of each kept: at most so many acts, behind them what corrects a fact."""
    kept: list[Remedy] = []
    for remedy in remedies:
        if all(remedy.edits != other.edits for other in kept):
            kept.append(remedy)
    acts, facts = [each for each in kept if not each.fact], [each for each in kept if each.fact]
    return (*acts[:at_most], *facts[:REMEDIES_AT_MOST])


def if_so(words: str, *edits: Edit) -> Remedy:
    """What only corrects a fact: the rig said otherwise, and the room is right as it is."""
    return Remedy(words, edits, fact=True)


def joining(found: Joining) -> Remedy:
    """What the planner found, its steps in one sentence."""
    said = list(dict.fromkeys(found.words))
    return Remedy(", then ".join([said[0], *(each[0].lower() + each[1:] for each in said[1:])]), found.edits)


def one_remedy(words: str, *edits: Edit) -> tuple[Remedy, ...]:
    """A single remedy, as a rule's ``mend``."""
    return (Remedy(words, edits),)
