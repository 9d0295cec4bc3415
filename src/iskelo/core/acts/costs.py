"""What an act costs a person, whoever proposes it: gear, leads, names that are mapped anew, settings."""

from collections import Counter

from iskelo.core.acts.act import A_LEAD, A_NEW_LEAD, A_SPLITTER, IN_A_PROGRAM, NEW_GEAR, ON_A_BOX
from iskelo.core.edits.additions import AddFeed, AddGear, AddInterface
from iskelo.core.edits.edit import (
    Edit,
    SetDirect,
    SetJack,
    SetMixer,
    SetOutputTrim,
    SetTrim,
    SetValues,
    TypeFeeds,
    TypeInsert,
    TypeStripFeeds,
)
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port

_BOX_EDITS = (SetJack, SetTrim, SetOutputTrim, SetDirect, SetMixer, TypeFeeds, TypeStripFeeds, TypeInsert, AddFeed)


def cost_of(before: Index, after: Index, edits: tuple[Edit, ...]) -> float:
    """What these edits cost somebody who makes them by hand."""
    leads = _leads(before, after)
    gear = NEW_GEAR * sum(isinstance(each, AddGear | AddInterface) for each in edits)
    # What is set at a jack that something is plugged into goes with the plugging.
    set_up = [each for each in edits if isinstance(each, _BOX_EDITS) and not leads]
    places = {edit.item for edit in edits if isinstance(edit, SetValues)}
    boxes = sum(place in before.mixing or place in before.drivers or place in before.gear for place in places)
    settings = ON_A_BOX * (len(set_up) + boxes) + IN_A_PROGRAM * (len(places) - boxes)
    return gear + leads + settings + IN_A_PROGRAM * _mapped(before, after)


def _leads(before: Index, after: Index) -> float:
    """The leads that are pulled, moved or added, and the splitters they need."""
    was, now = ([(lead.from_port, lead.to_port) for lead in found.rig.patches] for found in (before, after))
    gone, new = len(set(was) - set(now)), len(set(now) - set(was))
    split = _split(now) - _split(was)
    return A_LEAD * gone + A_NEW_LEAD * max(0, new - gone) + A_SPLITTER * len(split)


def _split(leads: list[tuple[Port, Port]]) -> set[Port]:
    """The sockets that more than one lead leaves."""
    return {port for port, count in Counter(start for start, _ in leads).items() if count > 1}


def matched(found: Index) -> int:
    """How many members and inputs are brought to another's rate: a clock that is led is better."""
    members = sum(member.matched for device in found.aggregates for member in device.members)
    return members + sum(program.matched for program in found.programs())


def _mapped(before: Index, after: Index) -> int:
    """How many legs of names somebody has to map to another channel; one that finds its channel again costs nothing."""
    was = {
        (item.id, leg): channel
        for program in before.programs()
        for item in (*program.inputs, *program.outputs)
        for leg, channel in enumerate(item.legs)
    }
    now = (
        ((item.id, leg), channel)
        for program in after.programs()
        for item in (*program.inputs, *program.outputs)
        for leg, channel in enumerate(item.legs)
    )
    return sum(was.get(place) not in (None, channel) for place, channel in now)
