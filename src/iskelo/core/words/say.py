"""Sentences from facts: the one place where a code and its parts become words."""

import string
from collections.abc import Callable, Iterable
from functools import cache
from typing import Any

from iskelo.core.edits.mixing import REASONS
from iskelo.core.lines.findings import Finding
from iskelo.core.lines.gaps import Gap
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.links import link_overload
from iskelo.core.rig.ports import Port
from iskelo.core.rig.text import few, fold_names, fold_numbers
from iskelo.core.rig.units import say_figure
from iskelo.core.timing.clocks import say_drift
from iskelo.core.timing.rates import say_speed
from iskelo.core.values import Fact, fact
from iskelo.core.wiring.blocks import Block
from iskelo.core.words.blocks import BLOCKED, OPENED
from iskelo.core.words.copies import say_comb
from iskelo.core.words.findings import FOUND
from iskelo.core.words.gaps import BROKEN, MISSING
from iskelo.core.words.rings import say_ringing

Teller = Callable[[Any, Index], str]
"""Makes words of a part."""

SENTENCES: dict[str, str] = {**BLOCKED, **OPENED, **MISSING, **BROKEN, **FOUND}
"""Every code with what it says: parts in braces, each with how it is told (``_TOLD``) or a Python format."""


def say(told: Fact | Block | Finding | Gap, found: Index) -> str:
    """What was found, in words. ``found``: the rig it was found in.

    Raises
    ------
    KeyError
        A code without a sentence, or a sentence with a part that the fact does not have.
    """
    if isinstance(told, Gap):
        told = broken(told)
    elif not isinstance(told, Fact):
        told = told.fact
    # The same fact is told on a line, in its cells and by a rule: it is held, so that no other one takes its place.
    known = found.told.get(id(told))
    if known is not None and known[0] is told:
        return known[1]
    code, parts = told
    if not parts:
        return SENTENCES[code]
    words = "".join(
        [
            piece if told_so is None else told_so(parts[piece], found) if how is None else format(parts[piece], how)
            for piece, told_so, how in _pieces(code)
        ]
    )
    found.told[id(told)] = (told, words)
    return words


def broken(gap: Gap) -> Fact:
    """How far the sound gets, from where the target is fed, and what is missing between."""
    if len(gap.ahead) == 1:
        return fact("goes nowhere", start=gap.ahead[0], fed=gap.fed, missing=gap.missing)
    return fact("gets no further", start=gap.ahead[0], far=gap.ahead[-1], fed=gap.fed, missing=gap.missing)


def say_unblock(block: Block, found: Index) -> str:
    """What opening a block comes to; empty if nothing opens it."""
    return say(block.unblock_fact, found) if block.unblock_fact is not None else ""


@cache
def _pieces(code: str) -> tuple[tuple[str, Teller | None, str | None], ...]:
    """A code's sentence in pieces: plain words, a part with who tells it, or a part with a Python format."""
    pieces: list[tuple[str, Teller | None, str | None]] = []
    for plain, part, how, _ in string.Formatter().parse(SENTENCES[code]):
        if plain:
            pieces.append((plain, None, None))
        if part:
            teller = _TOLD.get(how or "")
            pieces.append((part, teller or _plainly, None if teller else how))
    return tuple(pieces)


def _plainly(value: Any, found: Index) -> str:
    """A part that has no teller of its own is told by its Python format."""
    return str(value)


def _facts(facts: Iterable[Fact], found: Index) -> str:
    return " and ".join(dict.fromkeys(say(each, found) for each in facts))


def strangers(ports: Iterable[Port], found: Index) -> list[str]:
    """Sounds by where they begin; both legs of one are one."""
    several = list(ports)
    both = {port.owner for port in several if port.number > 1 and port._replace(number=1) in several}
    return list(dict.fromkeys(found.name(port.owner) if port.owner in both else found.say(port) for port in several))


def _arriving(ports: Iterable[Port], found: Index) -> str:
    """Example: 'Bertil arrives', or 'Bertil, Cassia arrive'."""
    names = strangers(ports, found)
    return f"{few(names)} arrive{'s' if len(names) == 1 else ''}"


def _not_arriving(ports: Iterable[Port], found: Index) -> str:
    """Example: 'Bertil does not arrive', or 'Bertil, Cassia do not arrive'."""
    names = strangers(ports, found)
    return f"{few(fold_names(names))} do{'es' if len(names) == 1 else ''} not arrive"


def _those(ports: Iterable[Port], found: Index) -> str:
    """Example: 'Bertil, Cassia', or 'Bertil, Cassia, Doro and 2 more'."""
    return few(fold_names(strangers(ports, found)))


def _channels(taken: Iterable[tuple[str, int]], found: Index) -> str:
    return ", ".join(f"{found.name(owner)} channel {number}" for owner, number in taken)


def _overload(box: str, found: Index) -> str:
    gear = found.gear[box]
    assert isinstance(gear, Interface)
    return link_overload(gear) or ""


_TOLD: dict[str, Teller] = {
    "name": lambda value, found: found.name(value),
    "passed": lambda value, found: found.say_passed(value),
    "port": lambda value, found: found.say(value),
    "arriving": _arriving,
    "not arriving": _not_arriving,
    "those": _those,
    "list": lambda value, _: ", ".join(map(str, value)),
    "and": lambda value, _: " and ".join(value),
    "or": lambda value, _: " or ".join(value),
    "channels": _channels,
    "kHz": lambda value, _: f"{value / 1000:g}",
    "numbers": lambda value, _: f"channel{'s' if len(value) > 1 else ''} {fold_numbers(value)}",
    "folded": lambda value, _: fold_numbers(value),
    "dB": lambda value, _: say_figure(value, 1),
    "figure": lambda value, _: say_figure(value),
    "sources": lambda value, _: f"{value} other source{'s' if value > 1 else ''}",
    "overload": _overload,
    "speed": lambda value, _: say_speed(value),
    "drift": lambda value, _: say_drift(value),
    "comb": lambda value, _: say_comb(value),
    "ringing": say_ringing,
    "reason": lambda value, _: REASONS[value],
    "fact": say,
    "facts": _facts,
}
