"""Every rule, once, in the order in which they are run. ``docs/snags.md`` is made from this list.

Snags of one root are told as one: a program without a device is one snag, not one for each of its lines.
"""

from collections.abc import Iterable
from dataclasses import replace
from typing import get_args

from iskelo.core.lines.context import Reading
from iskelo.core.lines.findings import HEADLINES
from iskelo.core.snags import (
    aggregates,
    arrivals,
    cables,
    calls,
    clocks,
    drivers,
    hosting,
    inputs,
    insert_levels,
    inserts,
    jack_needs,
    levels,
    lines,
    load,
    member_delays,
    mixers,
    numbers,
    outputs,
    rates,
    recorded,
    rounds,
    sides,
    syncs,
    tracks,
    unbalanced,
    ways,
)
from iskelo.core.snags.of_mixes import causes_of_mixes
from iskelo.core.snags.rule import AREAS, KNOWN, REMEDIES_AT_MOST, SEVERITIES, Known, Remedy, Snag, Symptom, distinct

MODULES = (
    *(drivers, rates, clocks, aggregates, cables, member_delays, numbers, rounds, hosting, inputs, outputs),
    *(tracks, inserts, insert_levels, levels, jack_needs, unbalanced, load, calls, syncs, lines, sides, arrivals, ways),
    *(mixers, recorded),
)
"""Where rules are, in the order in which those of one area are run."""


def _place(known: Known) -> tuple[int, int]:
    """By area; rules of lines by what they find, as headlines are."""
    kind = known.name.removeprefix("line-").replace("-", " ")
    of_lines = known.area == "lines" and kind in HEADLINES
    return AREAS.index(known.area), HEADLINES.index(kind) if of_lines else 0


_BY_MODULE = sorted(KNOWN, key=lambda known: [each.__name__ for each in MODULES].index(known.find.__module__))
RULES: tuple[Known, ...] = tuple(sorted(_BY_MODULE, key=_place))
"""Every rule, in order."""

RULE_NAMES = tuple(known.name for known in RULES)
BY_NAME = {known.name: known for known in RULES}
ALL_SYMPTOMS: tuple[str, ...] = get_args(Symptom)


def symptoms_of(snag: Snag) -> tuple[Symptom, ...]:
    """How a snag may sound, best first."""
    return BY_NAME[snag.rule].symptoms


def run_rules(reading: Reading) -> list[Snag]:
    """Every snag of every rule, in the order of the rules, each by itself."""
    return [snag for known in RULES for snag in known.find(reading)]


def find_snags(reading: Reading) -> list[Snag]:
    """Every snag, those of one root as one; worst first, and among equals the one that harms most lines."""
    found = _by_root(_with_their_causes(reading, _explained(run_rules(reading))))
    return sorted(found, key=lambda snag: (SEVERITIES.index(snag.severity), -len(snag.lines)))


def _explained(snags: list[Snag]) -> list[Snag]:
    """Join each line's snag to the snag of gear that explains it."""
    causes: dict[tuple[str, str], Snag] = {}
    for snag in snags:
        for rule in BY_NAME[snag.rule].explains:
            for line in snag.lines:
                causes.setdefault((rule, line), snag)
    joined: dict[str, list[Snag]] = {}
    left = []
    for snag in snags:
        root = snag
        # What explains it may itself be explained; nothing explains itself, so this ends.
        while (cause := _cause(root, causes)) is not None:
            root = cause
        if root is snag:
            left.append(snag)
        else:
            joined.setdefault(root.key, []).append(snag)
    return [_joined(snag, joined.get(snag.key, [])) for snag in left]


def _with_their_causes(reading: Reading, snags: list[Snag]) -> list[Snag]:
    """Join what is told of lines of several sources to the snags that it follows from."""
    causes = causes_of_mixes(reading, snags)
    if not causes:
        return snags
    by_key = {snag.key: snag for snag in snags}
    joined: dict[str, list[Snag]] = {}
    for key, cause in causes.items():
        # What it follows from is of a line of one source, and follows from nothing here itself.
        joined.setdefault(cause, []).append(by_key[key])
    return [_joined(snag, joined.get(snag.key, [])) for snag in snags if snag.key not in causes]


def _cause(snag: Snag, causes: dict[tuple[str, str], Snag]) -> Snag | None:
    if not snag.lines:
        return None
    if snag.rule.startswith("line-"):
        return causes.get((snag.rule, snag.lines[0]))
    return next((causes[snag.rule, line] for line in snag.lines if (snag.rule, line) in causes), None)


def _by_root(snags: list[Snag]) -> list[Snag]:
    """One snag for all that share a root; the first speaks for them."""
    roots: dict[str, list[Snag]] = {}
    for snag in snags:
        roots.setdefault(snag.root or snag.key, []).append(snag)
    return [
        # Named after the root, so that it stays the same snag when one of its lines is mended.
        replace(_joined(first, others), key=f"{first.rule}@{first.root}"[:180]) if first.root else first
        for first, *others in roots.values()
    ]


def _joined(first: Snag, others: list[Snag]) -> Snag:
    if not others:
        return first
    severity = min((first.severity, *(each.severity for each in others)), key=SEVERITIES.index)
    return replace(
        first,
        severity=severity,
        lines=tuple(dict.fromkeys(line for each in (first, *others) for line in each.lines)),
        items=tuple(dict.fromkeys(item for each in (first, *others) for item in each.items)),
        follows=(*first.follows, *(each.title for each in others)),
        mend=lambda: _remedies((first, *others)),
    )


def _remedies(snags: Iterable[Snag]) -> tuple[Remedy, ...]:
    """The first's own remedies, then those of what follows from it, without repeats."""
    own, *further = [snag.mend() for snag in snags]
    return distinct([*own, *(remedy for each in further for remedy in each)], 2 * REMEDIES_AT_MOST)
