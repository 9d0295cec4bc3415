"""What a line passes, typed as a phrase: 'anvil press', 'cue of longhand, havra 16', 'computer'."""

from collections.abc import Callable, Iterator, Mapping

from iskelo.core.edits.base import Refused
from iskelo.core.edits.ports_phrase import fits
from iskelo.core.rig.index import Index
from iskelo.core.rig.rig import COMPUTER
from iskelo.core.rig.text import few

COMPUTER_WORDS = ("computer", "the computer")


def ways_phrase(
    found: Index, text: str, field: str, *, computer: bool = False, among: Callable[[str], bool] = lambda _: True
) -> tuple[str, ...]:
    """Find the gear, and what is in gear, that a phrase names, with commas between.

    A name is typed as it stands, or by beginnings of its words if no other name has such words. What is in gear is
    named alone, with its gear ('cue of longhand') or with what it is ('track alma'). ``computer``: the computer may be
    named too; ``among``: nothing else is looked at.

    Raises
    ------
    Refused
        With the field, and what could be meant.
    """
    if not text.strip():
        return ()
    names = {identity: _names(found, identity) for identity in _passable(found) if among(identity)}
    parts, named = [part.strip() for part in text.split(",")], []
    while parts:
        # A name may have commas of its own: the longest that is one comes first.
        for length in range(len(parts), 0, -1):
            one = _one(names, ", ".join(parts[:length]), field, computer=computer, whole=length > 1)
            if one is not None:
                named.append(one)
                break
        del parts[:length]
    return tuple(dict.fromkeys(named))


def _passable(found: Index) -> Iterator[str]:
    return (each for each in (*found.gear, *found.items, *found.mixing) if found.passable(each))


def _names(found: Index, identity: str) -> tuple[str, ...]:
    """Give what something may be called: by its name, with its gear, and in a program with what it is."""
    whole, placed = found.whole_name(identity), found.items.get(identity)
    if placed is None:
        return (found.gear[identity].name if identity in found.gear else found.mixing[identity].item_name, whole)
    name = placed.item.name
    return (name, whole, f"{name} of {placed.program.name}", f"{placed.side} {name}")


def _one(names: Mapping[str, tuple[str, ...]], typed: str, field: str, *, computer: bool, whole: bool) -> str | None:
    """Find what one name means; ``whole``: only if it stands there whole. None for no name, and if it must be whole."""
    wanted = " ".join(typed.casefold().split())
    if not wanted:
        return None
    if computer and wanted in COMPUTER_WORDS:
        return COMPUTER
    called = {identity: [name.casefold() for name in some] for identity, some in names.items()}
    fitting = [each for each, some in called.items() if wanted in some]
    if not fitting and not whole:
        fitting = [each for each, some in called.items() if fits(wanted.split(), *some)]
    # Gear comes before what is in gear and has the same name.
    gear = [each for each in fitting if len(set(names[each])) == 1]
    if len(gear or fitting) == 1:
        return (gear or fitting)[0]
    if whole:
        return None
    if fitting:
        raise Refused(field, f"say which {typed!r}: {few([names[each][1] for each in fitting])}")
    raise Refused(field, f"nothing that sound passes here is called {typed!r}")
