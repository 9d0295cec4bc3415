"""Rules about clocks: who leads whom, and what free clocks do to sound that passes between them."""

from functools import partial

from pydantic import JsonValue

from iskelo.core.edits.edit import Edit, Plug, Remove, SetMembers, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.rig.clocks import SOCKETS
from iskelo.core.rig.device_streams import DeviceStream, OpenDevice
from iskelo.core.rig.gear import Aggregate, ClockSource, Interface
from iskelo.core.rig.index import Index
from iskelo.core.rig.ports import Bank, Port
from iskelo.core.rig.programs import Program
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import Remedy, Snag, distinct, rule
from iskelo.core.timing.clocks import drift_of, master_name, say_drift, say_seconds
from iskelo.core.timing.delays import way_of
from iskelo.core.wiring.hops import DEVICE_HOPS

CLOCK_LEADS: tuple[tuple[ClockSource, Bank, Bank], ...] = (
    ("word clock", "word_out", "word_in"),
    ("optical", "optical_out", "optical_in"),
)


@rule("clock", symptoms=("clicks",), explains=("line-drifting",))
def clocks_drift(reading: Reading) -> list[Snag]:
    """A box runs on another clock than the one that calls its programs, and nothing makes up for it."""
    snags = []
    seen: set[tuple[str, str]] = set()
    found = reading.found
    for program in found.programs():
        streams = found.opened.get(program.id)
        for way in streams.ways if streams is not None else ():
            if streams is None or streams.driving is None or (way.client, way.box.id) in seen:
                continue
            inward = bool(way.channels("capture"))
            drift = drift_of(found, streams, way, "capture" if inward else "playback")
            if drift is None:
                continue
            seen.add((way.client, way.box.id))
            driving = streams.driving.box
            minutes = reading.rig.show_minutes or 60.0
            lost = drift.lost_s(minutes, streams.device.rate_hz)
            snags.append(
                Snag(
                    key=f"clocks-drift:{way.client}:{way.box.id}",
                    rule="clocks-drift",
                    severity="trouble",
                    title=f"{way.box.name} drifts against {driving.name}: a slip in {say_seconds(drift.first_to_s)}",
                    evidence=f"{_runs_on(found, way.box)}, {driving.name} on {_clock_words(found, driving)}: "
                    f"{say_drift(drift)}; {drift.slips_per_hour:.0f} slips an hour.",
                    consequence=f"Each slip is a click, and the two move apart by {1000 * lost:.0f} ms "
                    f"in {minutes:g} minutes.",
                    items=(way.box.id, driving.id, way.client),
                    lines=_drifting_lines(reading, way),
                    mend=partial(_one_clock, found, program, streams, way),
                )
            )
    return snags


def _runs_on(found: Index, box: Interface) -> str:
    return f"{box.name} runs on {_clock_words(found, box)}"


def _clock_words(found: Index, box: Interface) -> str:
    master = found.paces[box.id].master
    if master != box.id:
        return f"the clock of {master_name(found, master)}"
    known = f"{box.measured_ppm:+g} ppm" if box.measured_ppm is not None else f"±{box.tolerance_ppm:g} ppm"
    return f"its own clock ({known})"


def _drifting_lines(reading: Reading, way: DeviceStream) -> tuple[str, ...]:
    """The lines that pass this way and were found to drift."""
    lines = []
    for state, _ in with_finding(reading, "drifting"):
        for leg in state.legs:
            for arrival in leg.arrivals:
                for edge in arrival.route.edges:
                    if edge.kind in DEVICE_HOPS:
                        passed = way_of(reading.found.opened[edge.owner], edge)
                        if (passed.client, passed.box.id) == (way.client, way.box.id):
                            lines.append(state.line.id)
    return tuple(dict.fromkeys(lines))


def _one_clock(found: Index, program: Program, streams: OpenDevice, way: DeviceStream) -> tuple[Remedy, ...]:
    """Match the rate; or lead the box by the other's clock, where both have the sockets."""
    driving = streams.driving
    assert driving is not None
    remedies = [*follow_remedies(found, way.box, driving.box), matched_remedy(found, program, way)]
    remedies += lead_remedies(found, way.box, driving.box)
    if driving.box.clock_source == "own":
        remedies += lead_remedies(found, driving.box, way.box)
    return distinct([each for each in remedies if each is not None])


def follow_remedies(found: Index, one: Interface, other: Interface) -> list[Remedy]:
    """Let a cable of the two follow the other, if that does not come back to it."""
    remedies = []
    for cable, leader in ((one, other), (other, one)):
        at: str | None = leader.id
        seen: set[str] = set()
        while at is not None and at not in seen:
            seen.add(at)
            at = found.paces[at].leader
        if cable.cable is not None and cable.id not in seen and leader.rate_hz in cable.rates_hz:
            values: dict[str, JsonValue] = {"follows": leader.id}
            if leader.rate_hz != cable.rate_hz:
                values["rate_hz"] = leader.rate_hz
            words = f"Let {cable.name} follow {leader.name}"
            remedies.append(Remedy(words, (SetValues(item=cable.id, values=values),)))
    return remedies


def matched_remedy(found: Index, program: Program, way: DeviceStream) -> Remedy | None:
    """Bring a box's sound to the rate of the one that calls."""
    aggregate = found.gear.get(way.client)
    if not isinstance(aggregate, Aggregate):
        edit = SetValues(item=program.id, values={"matched": True})
        return Remedy(f"Match the input of {program.name} to the rate of its output", (edit,))
    members = tuple(
        member.model_copy(update={"matched": True}) if member.device == way.box.id else member
        for member in aggregate.members
    )
    edits: tuple[Edit, ...] = (SetMembers(aggregate=aggregate.id, members=members),)
    if not aggregate.matches:
        edits = (SetValues(item=aggregate.id, values={"matches": True}), *edits)
    return Remedy(f"Match the rate of {way.box.name} in {aggregate.name}", edits)


def lead_remedies(found: Index, follower: Interface, leader: Interface) -> list[Remedy]:
    """Leading one box by another's clock: by leads that both have sockets for."""
    remedies = []
    for source, out, into in CLOCK_LEADS:
        start, end = Port(leader.id, out, 1), Port(follower.id, into, 1)
        if not (found.exists(start) and found.exists(end)) or found.paces[leader.id].master == follower.id:
            continue
        there = next((patch for patch in found.rig.patches if patch.to_port == end), None)
        edits: list[Edit] = []
        if there is None or there.from_port != start:
            edits.append(Plug(from_port=start, to_port=end, replace=there is not None))
        if follower.clock_source != source:
            edits.append(SetValues(item=follower.id, values={"clock_source": source}))
        if follower.rate_hz != leader.rate_hz and leader.rate_hz in follower.rates_hz:
            edits.append(SetValues(item=follower.id, values={"rate_hz": leader.rate_hz}))
        if edits:
            remedies.append(Remedy(f"Let {follower.name} follow the {source} of {leader.name}", tuple(edits)))
    return remedies


@rule("lines", symptoms=("clicks",))
def line_drifting(reading: Reading) -> list[Snag]:
    """A line's sound passes between two clocks with nothing to make up for it."""
    return [
        Snag(
            key=f"line-drifting:{state.line.id}",
            rule="line-drifting",
            severity="trouble",
            title=f"{state.line.name} drifts",
            evidence=words,
            consequence="Every slip is a click, and this sound moves away from the others.",
            items=(state.line.id,),
            lines=(state.line.id,),
            mend=partial(_mend_line, reading, state),
        )
        for state, words in with_finding(reading, "drifting")
    ]


def _mend_line(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    for leg in state.legs:
        for arrival in leg.arrivals:
            for edge in arrival.route.edges:
                if edge.kind not in DEVICE_HOPS:
                    continue
                streams = reading.found.opened[edge.owner]
                way, program = way_of(streams, edge), reading.found.gear[edge.owner]
                assert isinstance(program, Program)
                if way.slips:
                    remedies += _one_clock(reading.found, program, streams, way)
    return distinct(remedies)


@rule("clock", symptoms=("clicks", "nothing"))
def clock_not_locked(reading: Reading) -> list[Snag]:
    """A box is set to follow a clock that does not come in, or comes in at another rate."""
    snags = []
    found = reading.found
    for box in found.boxes:
        pace = found.paces[box.id]
        if pace.unlocked not in ("no lead", "other rate"):
            continue
        leader = found.name(pace.leader) if pace.leader is not None else ""
        why = (
            f"nothing is plugged into its {_socket_words(box)}"
            if pace.unlocked == "no lead"
            else f"{leader} runs at another rate"
        )
        snags.append(
            Snag(
                key=f"clock-not-locked:{box.id}",
                rule="clock-not-locked",
                severity="trouble",
                title=f"{box.name} cannot lock to {_followed(found, box)}: {why}",
                evidence=f"{box.name} is set to follow {_followed(found, box)}, and {why}.",
                consequence=f"It runs on {_alone_words(box)} and drifts, or stays silent.",
                items=(box.id,),
                mend=partial(_lock, found, box),
            )
        )
    return snags


def _followed(found: Index, box: Interface) -> str:
    return found.name(box.follows) if box.follows is not None else f"its {box.clock_source}"


def _alone_words(box: Interface) -> str:
    return "its own clock" if box.cable is None else "the computer's timer"


def _alone(box: Interface) -> SetValues:
    return SetValues(item=box.id, values={"clock_source": "own" if box.cable is None else "computer"})


def _socket_words(box: Interface) -> str:
    return "word clock input" if box.clock_source == "word clock" else "optical input"


def _lock(found: Index, box: Interface) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    pace = found.paces[box.id]
    leader = found.gear.get(pace.leader or "")
    if isinstance(leader, Interface):
        if leader.rate_hz in box.rates_hz:
            edit = SetValues(item=box.id, values={"rate_hz": leader.rate_hz})
            remedies.append(Remedy(f"Run {box.name} at {leader.rate_hz / 1000:g} kHz, as {leader.name} does", (edit,)))
    else:
        for other in found.boxes:
            if other.id != box.id and other.rate_hz == box.rate_hz:
                remedies += lead_remedies(found, box, other)
    return distinct([*remedies[:2], Remedy(f"Let {box.name} run on {_alone_words(box)}", (_alone(box),))])


@rule("clock", symptoms=("clicks", "nothing"))
def clock_loop(reading: Reading) -> list[Snag]:
    """Boxes follow each other in a circle, so that none of them leads: there is no master."""
    found = reading.found
    circles: dict[frozenset[str], list[Interface]] = {}
    for box in found.boxes:
        if found.paces[box.id].unlocked == "loop":
            circle = _circle(found, box)
            circles.setdefault(frozenset(each.id for each in circle), circle)
    return [
        Snag(
            key=f"clock-loop:{':'.join(each.id for each in circle)}"[:180],
            rule="clock-loop",
            severity="stop",
            title=f"{' and '.join(each.name for each in circle)} follow each other's clock",
            evidence=" › ".join(each.name for each in (*circle, circle[0])) + ": no clock of its own among them.",
            consequence="There is no master: their pace wanders or stops, and nothing can be relied on.",
            items=tuple(each.id for each in circle),
            mend=partial(_break_circle, circle),
        )
        for circle in circles.values()
    ]


def _circle(found: Index, start: Interface) -> list[Interface]:
    circle = [start]
    while True:
        leader = found.gear[found.paces[circle[-1].id].leader or ""]
        assert isinstance(leader, Interface)
        if leader.id == start.id:
            return circle
        circle.append(leader)


def _break_circle(circle: list[Interface]) -> tuple[Remedy, ...]:
    steadiest = sorted(circle, key=lambda box: box.tolerance_ppm)
    return distinct(
        [
            Remedy(
                f"Let {box.name} run on its own clock (±{box.tolerance_ppm:g} ppm) and be the others' clock master"
                if box.cable is None
                else f"Let {box.name} run on the computer's timer",
                (_alone(box),),
            )
            for box in steadiest
        ]
    )


@rule("clock", symptoms=("clicks",))
def two_masters(reading: Reading) -> list[Snag]:
    """A clock lead goes into a box that runs on its own clock all the same."""
    snags = []
    found = reading.found
    for patch in found.leads("clock"):
        source = next(each for each, bank in SOCKETS.items() if bank == patch.to_port.bank)
        leader, box = found.gear[patch.from_port.owner], found.gear[patch.to_port.owner]
        assert isinstance(leader, Interface)
        assert isinstance(box, Interface)
        if box.clock_source != "own" or found.paces[leader.id].master == box.id:
            continue
        follow = SetValues(item=box.id, values={"clock_source": source})
        unplug = Remove(items=(patch.id,))
        snags.append(
            Snag(
                key=f"two-masters:{patch.id}",
                rule="two-masters",
                severity="trouble",
                title=f"{leader.name} and {box.name} are both masters",
                evidence=f"The {source} of {leader.name} goes into {box.name}, which runs on its own clock.",
                consequence="Their clocks drift apart although a lead joins them: what passes between them clicks.",
                items=(box.id, leader.id),
                mend=partial(
                    distinct,
                    [
                        Remedy(f"Let {box.name} follow the {source} of {leader.name}", (follow,)),
                        Remedy(f"Unplug the {source} from {box.name}", (unplug,)),
                    ],
                ),
            )
        )
    return snags
