"""Whatever names something names something that is there: after every removal, and after any walk of edits.

Which fields do is taken from the model itself: every field of the type of ids that is not a thing's own; every port.
"""

import itertools
import typing
from collections.abc import Iterator
from typing import Any

import pytest

from drawn import drawn
from iskelo.core.edits.additions import AddGear
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused
from iskelo.core.edits.edit import Remove
from iskelo.core.lines.context import read
from iskelo.core.mixer_view import mixer_view
from iskelo.core.paperwork.set_up import set_up_list
from iskelo.core.paperwork.sheets import sheet_names, sheet_of
from iskelo.core.rig.check import check
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.migrations import brought_up
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Broken, Rig
from iskelo.core.rig.text import Id
from iskelo.core.rig.value import Value
from iskelo.core.survey import survey
from iskelo.demo.catalogue import catalogue
from iskelo.demo.examples import EXAMPLES
from walks import walk

_ID = typing.get_args(Id)[1]

LOST_ON_PURPOSE = {("ProgramPort", "returns"), ("Track", "straight"), ("Meant", "box")}
"""Fields that may name what is gone: they tell what a name stood for, and a snag says that it is gone."""


def named(value: Any, where: str = "rig") -> Iterator[tuple[str, str]]:
    """Every id that a value names, with the field that names it; its own ids are none of them."""
    if isinstance(value, Port):
        yield f"{where}, port", value.owner
    elif isinstance(value, Value):
        for name, info in type(value).model_fields.items():
            inside, here = getattr(value, name), (type(value).__name__, name)
            if name != "id" and here not in LOST_ON_PURPOSE:
                if _is_id(info.annotation, info.metadata):
                    yield from ((f"{here[0]}.{name}", each) for each in _several(inside))
                else:
                    yield from named(inside, f"{here[0]}.{name}")
    elif isinstance(value, dict):
        for each in value.values():
            yield from named(each, where)
    elif isinstance(value, list | tuple):
        for each in value:
            yield from named(each, where)


def _is_id(annotation: Any, metadata: list[Any]) -> bool:
    """Whether a field's type is an id, perhaps none, or several of them."""
    if _ID in metadata:
        return True
    return any(_is_id(each, list(getattr(each, "__metadata__", ()))) for each in typing.get_args(annotation))


def _several(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, list | tuple):
        for each in value:
            yield from _several(each)


def there(rig: Rig) -> set[str]:
    """Everything that has an id."""
    found = index(rig)
    syncs = {sync.id for program in found.programs() for sync in program.syncs}
    return {*found.gear, *found.items, *found.mixing, *found.drivers, *found.patches, *found.lines, *syncs}


def lost(rig: Rig) -> list[tuple[str, str]]:
    known = there(rig)
    return [(where, identity) for where, identity in named(rig) if identity not in known]


def with_everything() -> list[Rig]:
    """The examples, and a rig of every piece that the catalogue has."""
    stocked = Rig(name="Stock")
    for piece in catalogue():
        stocked = apply(stocked, (AddGear(gear=piece),)).rig
    return [*(make() for make in EXAMPLES.values()), stocked]


RIGS = with_everything()


def test_the_model_names_what_it_is_known_to_name() -> None:
    """The walk over the model finds the fields: those of today, at least."""
    found = {where for rig in RIGS for where, _ in named(rig)}
    wanted = {"Track.input", "Track.output", "Feed.item", "Feed.to", "Never.start", "Never.end", "Member.device"}
    assert wanted | {"Program.device", "Program.driver", "Patch.from_port, port", "Line.to_ports, port"} <= found


@pytest.mark.parametrize("rig", RIGS, ids=lambda rig: rig.name)
def test_what_is_removed_is_removed_everywhere_it_is_named(rig: Rig) -> None:
    assert lost(rig) == []
    removed = 0
    # Of what there is very much of, only some in a common run.
    known = sorted(there(rig))
    for identity in known[:: max(1, len(known) // drawn(100_000, 150))]:
        try:
            after = apply(rig, (Remove(items=(identity,)),)).rig
        except Refused:
            continue
        removed += 1
        assert lost(after) == [], identity
        check(after)
    assert removed > 5, "most things can be removed"


MIXERS = [(rig, box) for rig in RIGS for box in index(rig).boxes if box.mixer is not None]


@pytest.mark.parametrize(("rig", "box"), MIXERS, ids=[f"{rig.name}, {box.name}" for rig, box in MIXERS])
def test_after_any_removal_in_a_mixer_all_of_it_can_still_be_told(rig: Rig, box: Interface) -> None:
    assert box.mixer is not None
    for item in (*box.mixer.strips, *box.mixer.mixes):
        try:
            after = apply(rig, (Remove(items=(item.id,)),)).rig
        except Refused:
            continue
        reading = read(after)
        left = reading.found.gear[box.id]
        assert isinstance(left, Interface)
        assert mixer_view(reading, left) is not None


def test_all_paper_of_a_rig_whose_strips_and_mixes_were_removed_can_be_made() -> None:
    for rig in RIGS:
        items = [item.id for box in index(rig).boxes if box.mixer for item in (*box.mixer.strips, *box.mixer.mixes)]
        for identity in items:
            try:
                rig = apply(rig, (Remove(items=(identity,)),)).rig  # noqa: PLW2901
            except Refused:
                continue
        reading = read(rig)
        survey(rig)
        set_up_list(reading)
        for each in sheet_names(reading):
            sheet_of(reading, each.key)


@pytest.mark.parametrize("seed", range(drawn(6, 2)))
def test_no_walk_of_edits_loses_what_is_named(seed: int) -> None:
    made = 0
    for _, _, after in itertools.islice(walk(seed, RIGS[seed % len(RIGS)], 200), 40):
        assert lost(after) == []
        made += 1
    assert made > 5, "the walk goes somewhere"


def test_a_mixer_that_names_what_is_not_there_is_refused_and_an_older_file_is_mended() -> None:
    rig = next(rig for rig in RIGS for box in index(rig).boxes if box.mixer and any(n.start for n in box.mixer.never))
    document = rig.model_dump(mode="json")
    mixer = next(gear["mixer"] for gear in document["gear"] if (gear.get("mixer") or {}).get("never"))
    mixer["never"].append({**mixer["never"][0], "start": "k999999"})
    with pytest.raises(Broken, match="is no strip and no mix"):
        check(Rig.model_validate(document))
    document["version"] = 10
    assert Rig.model_validate(brought_up(document)) == rig
