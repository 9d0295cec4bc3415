"""Several sources wanted together, typed as a phrase: 'mix of mic 1-8', 'main of havra'."""

import re
from collections.abc import Callable, Iterable

from iskelo.core.edits.base import Refused
from iskelo.core.edits.ports_phrase import Begin, sources_phrase
from iskelo.core.edits.ways_phrase import ways_phrase
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Mix
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, ProgramPort
from iskelo.core.rig.rig import MIXED_AT_MOST
from iskelo.core.rig.text import few, fold_names

Sounding = Callable[[str], tuple[Port, ...]]
"""Which source ports sound in a mix of the rig."""


def beginnings(found: Index, text: str, field: str, sounding: Sounding) -> list[Begin]:
    """Find where lines begin: at sources, each for itself or all in one mix, or at a mix that is there.

    Raises
    ------
    Refused
        With the field, and why not.
    """
    together = re.fullmatch(r"\s*mix\s+of\s+(.*)", text, re.IGNORECASE | re.DOTALL)
    if together is not None:
        return [_mixed(sources_phrase(found, together[1], field), field)]
    try:
        return sources_phrase(found, text, field)
    except Refused as no_source:
        named = _mix(found, text)
        if named is None:
            raise no_source from None
    ports, name = sounding(named), found.whole_name(named)
    if not ports:
        typed = "say which sources, for example mix of mic 1-8, and this mix under Through"
        raise Refused(field, f"nothing sounds in {name} yet; {typed}")
    _refuse_too_many(ports, field)
    return [Begin(name, ports, "", mixed=True, through=named, wide=_width(found, named))]


def _mixed(sources: list[Begin], field: str) -> Begin:
    ports = tuple(dict.fromkeys(port for source in sources for port in source.ports))
    _refuse_too_many(ports, field)
    # A mix is as wide as its widest source.
    width = max(len(source.ports) for source in sources)
    name = f"Mix of {few(fold_names(source.name for source in sources))}"[:80]
    return Begin(name, ports, "", mixed=len(sources) > 1, wide=width)


def _refuse_too_many(ports: Iterable[Port], field: str) -> None:
    count = len(list(ports))
    if count > MIXED_AT_MOST:
        raise Refused(field, f"a line takes {MIXED_AT_MOST} source ports at most, and these are {count}")


def _mix(found: Index, text: str) -> str | None:
    """Find the one mix, bus or output that a phrase names; None if it names none, or several."""
    try:
        named = ways_phrase(found, text, "", among=lambda each: _is_mix(found, each))
    except Refused:
        return None
    return named[0] if len(named) == 1 else None


def _is_mix(found: Index, identity: str) -> bool:
    inside, placed = found.mixing.get(identity), found.items.get(identity)
    if inside is not None:
        return isinstance(inside.item, Mix)
    return placed is not None and placed.side in ("bus", "output")


def _width(found: Index, mix: str) -> int:
    item = found.items[mix].item if mix in found.items else found.mixing[mix].item
    if isinstance(item, ProgramPort):
        return len(item.legs)
    return item.width if isinstance(item, Bus | Mix) else 1
