"""What a rule is: looks for one thing, gives evidence, consequence and remedies.

A rule is one function with all that is known of it in its decorator: its area, how what it finds may sound, and which
snags of lines it explains. What it looks for is its docstring; ``docs/snags.md`` is made from all of them.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal, get_args

from iskelo.core.edits.edit import Edit
from iskelo.core.lines.context import Reading
from iskelo.core.planner.joining import Joining
from iskelo.core.values import light

Severity = Literal["stop", "trouble", "risk", "note"]
SEVERITIES: tuple[Severity, ...] = ("stop", "trouble", "risk", "note")
REMEDIES_AT_MOST = 3


@dataclass(frozen=True, slots=True)
class Remedy:
    """A list of edits that mends a snag, and what it does in words.

    An act in the room or in a program; or, with ``fact``, only the correction of what the rig says, if it is really so.
    ``gives_up``: it switches off what somebody has set up, so that what keeps it is offered before. ``cost``: what it
    costs a person, where that is known; else it is worked out (``acts.costs``).
    """

    words: str
    edits: tuple[Edit, ...]
    fact: bool = False
    gives_up: bool = False
    cost: float | None = None


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

Area = Literal[
    "driver",
    "rate",
    "clock",
    "aggregate",
    "cable",
    "what goes round",
    "inputs and outputs",
    "tracks",
    "insert",
    "level",
    "load",
    "call",
    "sync",
    "lines",
]
AREAS: tuple[Area, ...] = get_args(Area)
"""In the order in which their rules are run: causes before what they hide."""

Symptom = Literal[
    "hollow",
    "thin",
    "clicks",
    "late",
    "echo",
    "howls",
    "rings",
    "one side",
    "misplaced",
    "others",
    "wrong pitch",
    "too quiet",
    "distorted",
    "nothing",
]
"""What a person hears when something is wrong."""


@dataclass(frozen=True, slots=True)
class Known:
    """A rule with what its decorator says; ``name`` is what its snags carry."""

    find: Rule
    name: str
    area: Area
    symptoms: tuple[Symptom, ...]
    explains: tuple[str, ...]

    @property
    def looks_for(self) -> str:
        """The first paragraph of its docstring, in one line."""
        return " ".join((self.find.__doc__ or "").partition("\n\n")[0].split())


KNOWN: list[Known] = []
"""Every rule as its module was read; ``registry`` has them in order."""


def rule(area: Area, *, symptoms: tuple[Symptom, ...] = (), explains: tuple[str, ...] = ()) -> Callable[[Rule], Rule]:
    """Say of a function that it is a rule.

    Parameters
    ----------
    symptoms
        How what it finds may sound, best first.
    explains
        The rules of lines whose snags follow from this one's, where they name the same line.
    """

    def register(find: Rule) -> Rule:
        KNOWN.append(Known(find, find.__name__.replace("_", "-"), area, symptoms, explains))
        return find

    return register


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
