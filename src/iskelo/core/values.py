"""Values that every survey makes by the thousand.

A frozen dataclass pays for its frozenness each time one is made (four times what a plain one costs). A light value
is just as immutable to the type checker, which refuses any assignment to it, and costs no more than a plain one.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple, TypeVar, dataclass_transform

Made = TypeVar("Made")


@dataclass_transform(frozen_default=True)
def light(cls: type[Made]) -> type[Made]:
    """A dataclass with slots that compares and hashes by content; who changes one is refused by mypy."""
    return dataclass(slots=True, unsafe_hash=True)(cls)


class Fact(NamedTuple):
    """Something found, before it is words: a code, and the parts that are told with it.

    Parts are ids, ports, figures or other facts; ``words/`` makes a sentence of them. Nobody else reads what it says.
    """

    code: str
    parts: Mapping[str, object]


_fact_of: Callable[[tuple[str, Mapping[str, object]]], Fact] = partial(tuple.__new__, Fact)
"""A fact from its parts, without a Python call: a large rig has thousands of them."""


def fact(code: str, /, **parts: object) -> Fact:
    """A fact. Example: ``fact("track muted", track="track1")``."""
    return _fact_of((code, parts))
