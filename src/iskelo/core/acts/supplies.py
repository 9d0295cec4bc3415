"""Acts on supplies: phantom supply on at every jack of a box whose microphone needs it."""

from collections.abc import Iterator

from iskelo.core.acts.act import ON_A_BOX, Act, Near
from iskelo.core.edits.edit import SetJack
from iskelo.core.rig.gear import Interface, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.text import fold_numbers


def supply_acts(found: Index, about: Near) -> Iterator[Act]:
    """All supplies of a box that is asked about and misses several, in one go."""
    for box in found.boxes:
        if box.id not in about.ids:
            continue
        missing = [jack for jack in _needing(found, box) if jack not in box.phantom_on]
        if len(missing) > 1:
            edits = tuple(SetJack(interface=box.id, jack_in=jack, phantom=True) for jack in missing)
            words = f"Switch phantom supply on at jacks in {fold_numbers(missing)} of {box.name}"
            yield Act("supply", words, edits, frozenset({box.id}), ON_A_BOX)


def _needing(found: Index, box: Interface) -> list[int]:
    """The jacks that can supply and have a source in them that needs it, in order."""
    able = box.able_jacks("phantom")
    jacks = [
        patch.to_port.number
        for patch in found.rig.patches
        if patch.to_port.owner == box.id and patch.to_port.bank == "jack_in" and _needs(found, patch.from_port.owner)
    ]
    return sorted(jack for jack in jacks if jack <= able)


def _needs(found: Index, source: str) -> bool:
    gear = found.gear.get(source)
    return isinstance(gear, Source) and gear.needs_phantom
