"""What a line passes, typed as a phrase: 'anvil press', 'cue of longhand, havra 16', 'computer'."""

from iskelo.core.edits.base import Refused
from iskelo.core.rig.gear import Destination, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Feed
from iskelo.core.rig.rig import COMPUTER, PASSED_SIDES

COMPUTER_WORDS = ("computer", "the computer")


def ways_phrase(found: Index, text: str, field: str, *, computer: bool = False) -> tuple[str, ...]:
    """The gear, and what is in gear, that a phrase names, with commas between; ``computer``: that may be named too.

    A name is typed whole or as far as it is the only one that begins so; what is in gear alone, or with *of* and the
    gear.

    Raises
    ------
    Refused
        With the field, and what could be meant.
    """
    names = _names(found)
    return tuple(dict.fromkeys(_one(names, part.strip(), field, computer) for part in text.split(",") if part.strip()))


def _names(found: Index) -> dict[str, tuple[str, str]]:
    """What could be named: by id its short name and its whole one."""
    gear = {each.id: each.name for each in found.gear.values() if not isinstance(each, Source | Destination)}
    inside = {identity: placed.item.name for identity, placed in found.items.items() if placed.side in PASSED_SIDES}
    mixing = {identity: each.item_name for identity, each in found.mixing.items() if not isinstance(each.item, Feed)}
    return {each: (name, found.whole_name(each)) for each, name in {**gear, **inside, **mixing}.items()}


def _one(names: dict[str, tuple[str, str]], typed: str, field: str, computer: bool) -> str:
    wanted = " ".join(typed.casefold().split())
    if computer and wanted in COMPUTER_WORDS:
        return COMPUTER
    for fits in (
        lambda short, whole: wanted in (short.casefold(), whole.casefold()),
        lambda short, whole: short.casefold().startswith(wanted) or whole.casefold().startswith(wanted),
    ):
        fitting = [each for each, (short, whole) in names.items() if fits(short, whole)]
        # Gear comes before what is in gear and bears its name.
        gear = [each for each in fitting if names[each][0] == names[each][1]]
        if len(gear or fitting) == 1:
            return (gear or fitting)[0]
        if fitting:
            several = [names[each][1] for each in fitting]
            more = f", and {len(several) - 4} more" if len(several) > 4 else ""
            raise Refused(field, f"say which {typed!r}: {', '.join(several[:4])}{more}")
    raise Refused(field, f"nothing that sound passes here is called {typed!r}")
