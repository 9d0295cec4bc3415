"""Rules about the two sides of a line, its polarity, and what is recorded together with it."""

from functools import partial

from iskelo.core.edits.additions import AddProgramPorts
from iskelo.core.edits.edit import Edit, SetLeg, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.gear import Aggregate
from iskelo.core.rig.programs import ProgramPort, Track
from iskelo.core.snags.arrivals import direct_instead
from iskelo.core.snags.levels import even_sides
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.member_delays import pad_members
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import Remedy, Snag, distinct, rule
from iskelo.core.wiring.hops import DEVICE_HOPS


@rule("lines", symptoms=("one side",))
def line_half_silent(reading: Reading) -> list[Snag]:
    """One side of a line arrives, the other does not."""
    return [
        Snag(
            key=f"line-half-silent:{state.line.id}",
            rule="line-half-silent",
            severity="stop",
            title=f"{state.line.name}: {words}",
            evidence=words,
            consequence="Some of its sources stay silent." if state.line.mixed else "One side of it stays silent.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.to_ports),
            mend=partial(_other_side, reading, state),
        )
        for state, words in with_finding(reading, "half silent")
    ]


def _other_side(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """For a mono source on a stereo track what makes both fit; else what joins the silent side."""
    fitting = list(_fit_mono(reading, state)) if len(state.line.from_ports) == 1 else []
    return distinct([*fitting, *joining_remedies(reading, state)])


def _fit_mono(reading: Reading, state: LineState) -> list[Remedy]:
    placed = reading.found.items.get(state.line.to_ports[0].owner) if state.line.to_ports else None
    if placed is None or not isinstance(placed.item, Track) or placed.item.input is None:
        return []
    track, program = placed.item, placed.program
    item = reading.found.items[placed.item.input].item
    if not isinstance(item, ProgramPort):
        return []
    remedies = [
        Remedy(
            f"Make track {track.name} mono, as its input {item.name} is",
            (
                SetValues(item=state.line.id, values={"to_ports": [[track.id, "track", 1]]}),
                SetValues(item=track.id, values={"width": 1}),
            ),
        )
    ]
    if len(item.legs) == 1 and item.legs[0] is not None:
        # Both legs of one input may stand on one channel: the sound is in the middle then.
        identity = new(1)
        both: tuple[Edit, ...] = (
            AddProgramPorts(program=program.id, names=(f"{item.name} both sides"[:80],), width=2, ids=(identity,)),
            SetLeg(item=identity, leg=1, channel=item.legs[0]),
            SetLeg(item=identity, leg=2, channel=item.legs[0]),
            SetValues(item=track.id, values={"input": identity}),
        )
        remedies.append(Remedy(f"Let both sides of track {track.name} take channel {item.legs[0]}", both))
    return remedies


@rule("lines", symptoms=("thin",))
def line_inverted(reading: Reading) -> list[Snag]:
    """A line's sound arrives with its polarity reversed."""
    return [
        Snag(
            key=f"line-inverted:{state.line.id}",
            rule="line-inverted",
            severity="trouble",
            title=f"{state.line.name}: {words}",
            evidence=words,
            consequence="Mixed with another microphone at the same source it sounds thin; left against right it has "
            "no middle and vanishes in mono.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.from_ports),
            root=_turned_at(state),
            mend=partial(_turn_back, reading, state),
        )
        for state, words in with_finding(reading, "inverted")
    ]


def _turning(state: LineState) -> dict[str, None]:
    """The leads on a line's routes that reverse its polarity."""
    return {
        edge.owner: None
        for leg in state.legs
        for arrival in leg.arrivals
        if arrival.sign < 0
        for edge in arrival.route.edges
        if edge.sign < 0
    }


def _turned_at(state: LineState) -> str:
    return f"reversed:{':'.join(sorted(_turning(state)))}"


def _turn_back(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    found = reading.found
    leads: list[str] = []
    strips: list[str] = []
    for each in _turning(state):
        (leads if each in found.patches else strips).append(each)
    remedies = []
    if strips:
        # A switch is nearer than a lead.
        names = " and ".join(found.name(strip) for strip in strips)
        turned = tuple(SetValues(item=each, values={"inverted": False}) for each in strips)
        remedies.append(Remedy(f"Turn the polarity of strip {names} back", turned))
    if leads:
        patches = [found.patches[lead] for lead in leads]
        said = " and ".join(f"{found.say(patch.from_port)} → {found.say(patch.to_port)}" for patch in patches)
        right = tuple(SetValues(item=lead, values={"inverted": False}) for lead in leads)
        remedies.append(Remedy(f"Take a lead that is wired straight for {said}", right))
    return distinct(remedies)


@rule("lines", symptoms=("one side", "hollow"))
def line_skewed(reading: Reading) -> list[Snag]:
    """The sides of a line, or lines that are recorded together, come at different times or levels."""
    return [
        Snag(
            key=f"line-skewed:{state.line.id}",
            rule="line-skewed",
            severity="trouble",
            title=f"{state.line.name}: {words}",
            evidence=words,
            consequence="The picture leans to one side, and what is caught by both combs when it is mixed.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.to_ports),
            mend=partial(_bring_together, reading, state),
        )
        for state, words in with_finding(reading, "skewed")
    ]


def _bring_together(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Pad the members of the device it comes through; else even the sides' levels, or hear both directly."""
    direct = direct_instead(reading, state) if state.line.purpose == "listen" else []
    return distinct([*padding(reading, state), *even_sides(reading, state), *direct])


def padding(reading: Reading, state: LineState) -> list[Remedy]:
    """Padding the aggregates that a line passes to their latest member."""
    passed = {
        edge.owner: None
        for leg in state.legs
        for arrival in leg.arrivals
        for edge in arrival.route.edges
        if edge.kind in DEVICE_HOPS
    }
    remedies = []
    for program in passed:
        streams = reading.found.opened[program]
        aggregate = reading.found.gear.get(streams.device.id)
        if isinstance(aggregate, Aggregate) and aggregate.align == "none":
            remedies.append(pad_members(aggregate))
    return remedies
