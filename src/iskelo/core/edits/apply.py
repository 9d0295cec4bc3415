"""What edits do to a rig: ``apply(rig, edits)`` gives the new rig and words, or raises Refused."""

import itertools
from typing import Any

from iskelo.core.edits import (
    adding,
    aggregates,
    cabling,
    changing,
    feeding,
    halves,
    inserting,
    legs_and_jacks,
    mixing,
    plugging,
    refilling,
    spreading,
    straight,
    swapping,
)
from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, checked
from iskelo.core.edits.moved import moved_names, remembered, say_moved
from iskelo.core.edits.new_things import with_ids
from iskelo.core.edits.parts import bringing
from iskelo.core.edits.single_edit import STROKES, apply_one
from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig

KINDS = (
    *(adding, changing, legs_and_jacks, cabling, mixing, feeding, inserting, halves),
    *(aggregates, plugging, spreading, straight, swapping, bringing, refilling),
)
"""The modules whose functions register themselves with ``apply_one``."""

MOVING = (e.SetMembers, e.SetValues, e.Remove, e.SwapGear, e.SetDevice, e.BringIn)
"""Edits by which channel numbers may move without anybody having typed a number: every name that did is told."""

TOLD_EACH = 3
"""So many of one kind that follow each other are told one by one; of more it is told how many they are."""

WORDS_AT_MOST = 6
"""So many edits of one action are told one by one; the history stays readable."""


def apply(rig: Rig, edits: tuple[e.Edit, ...]) -> Applied:
    """Apply edits in order, all or none. What one makes, later ones may name (see ``new_things``).

    Returns
    -------
    Applied
        The new rig, checked, and what was done in words.

    Raises
    ------
    Refused
        With the place and the reason, if any edit would break the rig.
    """
    before = rig
    words: list[str] = []
    made: dict[str, str] = {}
    for kind, group in itertools.groupby(edits, type):
        some: list[Any] = list(group)
        if len(some) > 1 and kind in STROKES:
            stroke, counted = STROKES[kind]
            after, said = stroke(rig, [with_ids(each, rig, made) for each in some])
            rig = remembered(rig, after)
            words += said if len(said) <= TOLD_EACH else [f"{len(said)} {counted}"]
            continue
        for each in some:
            step = apply_one(with_ids(each, rig, made), rig)
            # What names stood for is minded before the next edit moves them on.
            rig = remembered(rig, step.rig)
            words.append(step.words)
    if len(words) > WORDS_AT_MOST + 1:
        words = [*words[:WORDS_AT_MOST], f"and {len(words) - WORDS_AT_MOST} changes more"]
    after = checked(before, rig)
    if any(isinstance(each, MOVING) for each in edits):
        words += say_moved(each for each in moved_names(index(before), index(after)) if each.joined or each.lost)
    return Applied(after, "; ".join(words))
