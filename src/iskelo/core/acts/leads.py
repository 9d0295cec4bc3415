"""Acts on leads: two exchanged, one that turns what passes it over or is muted put right."""

from collections.abc import Iterator
from itertools import combinations

from iskelo.core.acts.act import A_LEAD, Act, Near
from iskelo.core.edits.edit import Plug, SetValues
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Port
from iskelo.core.rig.rig import Patch
from iskelo.core.wiring.hops import LEADS


def lead_acts(found: Index, about: Near) -> Iterator[Act]:
    """Two leads of one kind in each other's sockets, one of them asked about; such a lead's switches."""
    leads = [patch for patch in found.leads("audio") if _kind(patch) is not None]
    for one, other in combinations(leads, 2):
        if _near(one, about) or _near(other, about):
            yield from _exchanged(found, one, other)
    for lead in leads:
        if not _near(lead, about):
            continue
        said = f"the lead from {found.say(lead.from_port)} to {found.say(lead.to_port)}"
        touches = _ends(lead) | {lead.id}
        turned = SetValues(item=lead.id, values={"inverted": not lead.inverted})
        yield Act("leads", f"Turn the polarity of {said}", (turned,), touches, A_LEAD)
        switched = SetValues(item=lead.id, values={"muted": not lead.muted})
        yield Act("leads", f"{'Unmute' if lead.muted else 'Mute'} {said}", (switched,), touches, A_LEAD, lead.muted)


def exchanged_leads(found: Index, about: Near) -> Iterator[Act]:
    """Exchange every two leads of one kind that are both asked about."""
    leads = [patch for patch in found.leads("audio") if _kind(patch) is not None and _near(patch, about)]
    for one, other in combinations(leads, 2):
        yield from _exchanged(found, one, other)


def _exchanged(found: Index, one: Patch, other: Patch) -> Iterator[Act]:
    if _kind(one) != _kind(other) or one.muted or other.muted:
        return
    if one.to_port != other.to_port and one.from_port != other.from_port:
        sockets = (found.say(port) for port in sorted((one.to_port, other.to_port)))
        words = f"Exchange the leads in {' and '.join(sockets)}"
        edits = (_plugged(one, other.to_port), _plugged(other, one.to_port))
        yield Act("leads", words, edits, _ends(one) | _ends(other) | {one.id, other.id}, 2 * A_LEAD)


def _near(lead: Patch, about: Near) -> bool:
    return lead.from_port in about.ports or lead.to_port in about.ports


def _kind(lead: Patch) -> str | None:
    return LEADS.get((lead.from_port.bank, lead.to_port.bank))


def _ends(lead: Patch) -> frozenset[str]:
    return frozenset({lead.from_port.owner, lead.to_port.owner})


def _plugged(lead: Patch, into: Port) -> Plug:
    """The same lead in another socket, in the place of what is there."""
    return Plug(
        from_port=lead.from_port,
        to_port=into,
        gain_db=lead.gain_db,
        inverted=lead.inverted,
        unbalanced=lead.unbalanced,
        replace=True,
    )
