"""Two rigs that were made apart, laid side by side: what is called alike in both gets the same id."""

from collections.abc import Iterator
from typing import Any

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.programs import Program
from iskelo.core.rig.rig import FIELDS_OF, AnyGear, Rig

_TEXT = ("name", "notes", "tag")
"""Fields that hold what somebody wrote; nothing in them is an id."""
APART = 500_000_000
"""What is in one rig alone has an id that the other one cannot have."""


def aligned(other: Rig, like: Rig) -> Rig:
    """A rig under the ids of another one: what is of one kind and called alike in both is the same thing.

    Where the two have a common past, their ids tell that already: then the rig is given back as it is.
    """
    if _common_past(other, like):
        return other
    ids: dict[str, str] = {}
    numbers = iter(range(APART, 2 * APART))
    mine = dict(_named(like))
    taken: set[str] = set()
    for key, identity in _named(other):
        same = mine.get(key)
        if same is not None and same not in taken:
            ids[identity] = same
            taken.add(same)
        else:
            ids[identity] = f"{identity.rstrip('0123456789')}{next(numbers)}"
    # A lead is the same if its ends are.
    leads = {(patch.from_port, patch.to_port): patch.id for patch in like.patches}
    for patch in other.patches:
        ends = tuple(port._replace(owner=ids.get(port.owner, port.owner)) for port in (patch.from_port, patch.to_port))
        ids[patch.id] = leads.get((ends[0], ends[1]), f"w{next(numbers)}")
    document = _replaced(other.model_dump(mode="json"), ids)
    return Rig.model_validate({**document, "next_number": 1_000_000_000})


def _common_past(one: Rig, other: Rig) -> bool:
    """Whether most of what has an id in both is called alike."""
    mine, theirs = ({gear.id: gear.name.casefold() for gear in rig.gear} for rig in (one, other))
    common = mine.keys() & theirs.keys()
    alike = sum(mine[each] == theirs[each] for each in common)
    return bool(common) and 2 * alike >= max(len(mine), len(theirs))


Key = tuple[object, ...]


def _named(rig: Rig) -> Iterator[tuple[Key, str]]:
    """Everything with an id, by what it is called and where it is; the second of a name counts apart."""
    seen: dict[Key, int] = {}

    def counted(*key: object) -> Key:
        seen[key] = seen.get(key, 0) + 1
        return (*key, seen[key])

    for gear in rig.gear:
        place = counted(gear.kind, gear.name.casefold())
        yield place, gear.id
        for key, identity in _inside(gear, rig):
            yield counted(*place, *key), identity
    for line in rig.lines:
        yield counted("line", line.name.casefold()), line.id


def _inside(gear: AnyGear, rig: Rig) -> Iterator[tuple[Key, str]]:
    if isinstance(gear, Program):
        found = index(rig)
        for side, field in FIELDS_OF.items():
            for item in getattr(gear, field):
                name = item.name.casefold()
                if side == "send":
                    name = found.say_send(item).casefold()
                elif side == "sync":
                    name = found.say_sync(item).casefold()
                yield (side, name), item.id
    if isinstance(gear, Interface):
        for driver in gear.drivers:
            yield ("driver", driver.kind), driver.id
        if gear.mixer is not None:
            for strip in gear.mixer.strips:
                yield ("strip", strip.name.casefold()), strip.id
            for mix in gear.mixer.mixes:
                yield ("mix", mix.name.casefold()), mix.id
            found = index(rig)
            for feed in gear.mixer.feeds:
                where = (feed.bank, feed.number, feed.tap, found.say_in_mixer(feed.id).casefold())
                yield ("feed", *where), feed.id


def _replaced(value: Any, ids: dict[str, str], field: str = "") -> Any:
    if isinstance(value, str):
        return value if field in _TEXT else ids.get(value, value)
    if isinstance(value, list):
        return [_replaced(each, ids, field) for each in value]
    if isinstance(value, dict):
        return {name: _replaced(each, ids, name) for name, each in value.items()}
    return value
