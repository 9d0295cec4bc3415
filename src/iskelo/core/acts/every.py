"""Everything a person could do in one go about some gear."""

from collections.abc import Iterator
from itertools import chain

from iskelo.core.acts.act import Act, Near
from iskelo.core.acts.devices import connect_acts, order_acts
from iskelo.core.acts.leads import lead_acts
from iskelo.core.acts.names import given_back_acts, name_acts, shift_acts
from iskelo.core.acts.outputs import device_acts, voice_acts
from iskelo.core.acts.supplies import supply_acts
from iskelo.core.acts.switches import strip_acts, switch_acts
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.index import Index
from iskelo.core.rig.mixers import Strip
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.rig.programs import Bus, Program, Track


def acts_about(reading: Reading, about: Near, around: Near | None = None, *, patched: bool = False) -> Iterator[Act]:
    """Every act about these things; what moves many at once also about what stands ``around`` them.

    ``patched``: nothing is exchanged, neither leads nor names.
    """
    found = reading.found
    if patched:
        return chain(acts_at_once(reading, about), switch_acts(found, about))
    return chain(
        acts_at_once(reading, around or about),
        name_acts(found, about),
        switch_acts(found, about),
        lead_acts(found, about),
    )


def acts_at_once(reading: Reading, about: Near) -> Iterator[Act]:
    """Give the acts that move many things in one go: members, a program on another box, names from one place on, all
    strips of a mixer.
    """
    found = reading.found
    return chain(
        given_back_acts(reading),
        supply_acts(found, about),
        connect_acts(found, about),
        order_acts(found, about),
        strip_acts(found, about),
        voice_acts(found, about),
        device_acts(found, about),
        shift_acts(found, about),
    )


def everything(reading: Reading) -> Near:
    """All gear, all that is in it, and every port that something is plugged into."""
    found = reading.found
    ports = (port for patch in reading.rig.patches for port in (patch.from_port, patch.to_port))
    return Near(frozenset((*found.gear, *found.items, *found.mixing)), frozenset(ports))


FEEDING_AT_MOST = 48
"""So many ports that lead to a target are near a line that does not get there."""


def _feeding(reading: Reading, end: Port) -> list[Port]:
    """Find the ports that lead to a target now, those nearest to it first."""
    found = [end]
    for port in found:
        found += [edge.start for edge in reading.graph.into(port) if edge.start not in found]
        if len(found) > FEEDING_AT_MOST:
            break
    return found[1 : FEEDING_AT_MOST + 1]


def _insert_jacks(found: Index, identity: str) -> set[Port]:
    """Give the jacks by which the insert of a strip goes out and comes back."""
    inside = found.mixing.get(identity)
    if inside is None or not isinstance(inside.item, Strip) or inside.item.insert is None:
        return set()
    insert, legs = inside.item.insert, range(inside.item.width)
    jacks: tuple[tuple[Bank, int], ...] = (("jack_out", insert.send), ("jack_in", insert.back))
    return {Port(inside.box.id, bank, first + leg) for bank, first in jacks for leg in legs}


def near(reading: Reading, state: LineState) -> Near:
    """What stands on a line's ways, on what is patched of it, and where it should begin and end."""
    found = reading.found
    ports: set[Port] = set(state.others)
    for leg in state.legs:
        ports |= {leg.start, leg.end, *reading.known.sound(leg.start).by}
        ways = [arrival.route for arrival in leg.arrivals] + ([leg.way] if leg.way is not None else [])
        ports.update(port for way in ways for port in way.ports)
        if leg.gap is not None:
            ports.update(_feeding(reading, leg.end))
    ids = {port.owner for port in ports}
    ids |= {found.gear_of(each) for each in ids if each in found.items or each in found.mixing}
    for each in tuple(ids):
        gear, placed = found.gear.get(each), found.items.get(each)
        # What a program opens; the input that the track takes where a line should end; and by what an insert goes.
        if isinstance(gear, Program) and each in found.opened:
            ids |= {way.box.id for way in found.opened[each].ways}
        if placed is not None and isinstance(placed.item, Track) and placed.item.input is not None:
            ids.add(placed.item.input)
        if placed is not None and isinstance(placed.item, Track | Bus) and placed.item.insert is not None:
            ids |= {placed.item.insert.send, placed.item.insert.back}
        ports |= _insert_jacks(found, each)
    ids |= {device.id for device in found.aggregates if any(member.device in ids for member in device.members)}
    return Near(frozenset(ids), frozenset(ports))
