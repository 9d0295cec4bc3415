"""Acts on devices of several boxes: a member put in another place, so that numbers are what they were."""

from collections.abc import Iterator

from iskelo.core.acts.act import A_LEAD, ON_A_BOX, Act, Near
from iskelo.core.edits.edit import SetMembers, SetValues
from iskelo.core.rig.index import Index


def connect_acts(found: Index, about: Near) -> Iterator[Act]:
    """Every box that is asked about connected to the computer; or, as it goes wrong, not."""
    for box in found.boxes:
        if box.id in about.ids:
            words = f"{'Disconnect' if box.connected else 'Connect'} {box.name}{'' if box.connected else ' again'}"
            edit = SetValues(item=box.id, values={"connected": not box.connected})
            yield Act("devices", words, (edit,), frozenset({box.id}), A_LEAD, not box.connected)


def order_acts(found: Index, about: Near) -> Iterator[Act]:
    """Every member of a device that is asked about in every other place; names stay on their numbers."""
    for device in found.aggregates:
        if device.id not in about.ids:
            continue
        for member in device.members:
            others = [each for each in device.members if each is not member]
            for place in range(len(others) + 1):
                members = (*others[:place], member, *others[place:])
                if members == device.members:
                    continue
                name = found.name(member.device)
                where = "first" if place == 0 else f"behind {found.name(others[place - 1].device)}"
                edit = SetMembers(aggregate=device.id, members=members, keep_names=False)
                words = f"Put {name} {where} in {device.name}"
                yield Act("order of members", words, (edit,), frozenset({device.id}), ON_A_BOX)
