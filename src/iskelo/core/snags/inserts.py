"""Rules about what hangs in tracks, buses and strips: nothing comes back, somebody else is there, it comes back at
another level, its program does not know how long it takes.
"""

from collections.abc import Iterator
from functools import partial
from typing import TypeVar

from iskelo.core.edits.edit import Edit, Plug, Remove, SetLeg, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.inserts import Hung, hung_in, trips_of
from iskelo.core.planner.insert_figures import InsertFigureRequest, computed_figure, known_as, settle_insert
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, HeldTrip, Program, ProgramInsert, Track
from iskelo.core.routes.route import least_blocked, passing_routes, reached, reaching
from iskelo.core.snags.rule import Remedy, Snag, distinct, rule
from iskelo.core.timing.compensation import feed_waits
from iskelo.core.wiring.edge import Edge
from iskelo.core.words.say import say, say_unblock

T = TypeVar("T", Track, Bus)


def _bypassed(hung: Hung) -> Remedy:
    return Remedy(f"Bypass the insert of {hung.what}", (hung.setting(on=False),), gives_up=True)


def lines_through(reading: Reading, hung: Hung) -> tuple[str, ...]:
    """The lines that would pass an insert."""
    before = {port for point in hung.points for port in reaching(reading.graph, point, passing=True)}
    after = {port for pre in hung.pres for port in reached(reading.graph, pre, passing=True)}
    return tuple(
        state.line.id
        for state in reading.lines
        if set(state.line.from_ports) & before and set(state.line.to_ports) & after
    )


@rule("insert", symptoms=("nothing", "one side"), explains=("line-silent", "line-half-silent", "line-blocked"))
def insert_open(reading: Reading) -> list[Snag]:
    """An insert is in, and nothing that it sends comes back."""
    snags = []
    for hung in hung_in(reading.found):
        if not hung.insert.on:
            continue
        trips = trips_of(reading, hung)
        dead = [leg for leg, trip in enumerate(trips) if trip.route is None]
        if not dead:
            continue
        send, back = hung.sends[dead[0]], hung.backs[dead[0]]
        side = f" ({'left' if dead[0] == 0 else 'right'})" if len(dead) < len(trips) else ""
        dry = "Only its dry path is heard." if hung.insert.dry_db is not None else "It is silent from there on."
        snags.append(
            Snag(
                key=f"insert-open:{hung.owner}",
                rule="insert-open",
                severity="trouble",
                title=f"The insert of {hung.what} is in, and nothing comes back{side}",
                evidence=_why_open(reading, send, back),
                consequence=dry,
                items=(hung.owner,),
                lines=lines_through(reading, hung),
                mend=partial(_closed, reading, hung, dead),
            )
        )
    return snags


def _why_open(reading: Reading, send: Port, back: Port) -> str:
    found = reading.found
    way = least_blocked(reading.graph, send, back)
    if way is not None:
        return "; ".join(say(edge.block, found) for edge in way.edges if edge.block) + "."
    return f"It goes out by {_furthest(reading, send)}, and from there nothing leads to {_nearest(reading, back)}."


def _furthest(reading: Reading, send: Port) -> str:
    """The jack or the gear that a send gets to."""
    return _outermost(reading, send, reached(reading.graph, send, passing=True), ("outboard_out", "jack_out"))


def _nearest(reading: Reading, back: Port) -> str:
    """The jack or the gear that a return comes from."""
    return _outermost(reading, back, reaching(reading.graph, back, passing=True), ("outboard_in", "jack_in"))


def _outermost(reading: Reading, at: Port, ports: set[Port], banks: tuple[str, str]) -> str:
    found = sorted((banks.index(port.bank), port) for port in ports if port.bank in banks)
    return reading.found.say(found[0][1] if found else at)


def _closed(reading: Reading, hung: Hung, dead: list[int]) -> tuple[Remedy, ...]:
    """What stands in the way opened, the lead that is missing plugged, or the insert bypassed."""
    found, graph = reading.found, reading.graph
    edits: list[Edit] = []
    words: list[str] = []
    for leg in dead:
        way = least_blocked(graph, hung.sends[leg], hung.backs[leg])
        if way is not None:
            for edge in way.edges:
                if edge.block is not None and not edge.block.unblock:
                    return (_bypassed(hung),)
                edits += edge.block.unblock if edge.block is not None else ()
                words += [say_unblock(edge.block, found)] if edge.block is not None else []
            continue
        for edit in _missing_leads(reading, hung.sends[leg], hung.backs[leg], leg):
            edits.append(edit)
            words.append(f"plug {found.say(edit.from_port)} into {found.say(edit.to_port)}")
    said = "; ".join(dict.fromkeys(words))
    helps = [Remedy(said[:1].upper() + said[1:], tuple(dict.fromkeys(edits)))] if edits else []
    return distinct([*helps, _bypassed(hung)])


def _missing_leads(reading: Reading, send: Port, back: Port, leg: int) -> Iterator[Plug]:
    """The leads that are out: into the gear that comes back there, out of the gear that is sent to, or straight."""
    ahead, behind = reached(reading.graph, send, passing=True), reaching(reading.graph, back, passing=True)
    outs = sorted(port for port in ahead if port.bank == "jack_out")
    ins = sorted(port for port in behind if port.bank == "jack_in")
    plugged = {patch.to_port for patch in reading.rig.patches}
    leaving = {patch.from_port for patch in reading.rig.patches}
    for end in (port for port in ahead if port.bank == "outboard_out"):
        if ins and ins[0] not in plugged and end not in leaving:
            yield Plug(from_port=end, to_port=ins[0])
            return
    for end in (port for port in behind if port.bank == "outboard_in"):
        if outs and end not in plugged:
            yield Plug(from_port=outs[0], to_port=end)
            return
    free = [gear for gear in reading.found.outboards if _is_free(gear, leg, plugged, leaving)]
    if outs and ins and outs[0] not in leaving and ins[0] not in plugged and len(free) == 1:
        yield Plug(from_port=outs[0], to_port=Port(free[0].id, "outboard_in", leg + 1))
        yield Plug(from_port=Port(free[0].id, "outboard_out", leg + 1), to_port=ins[0])


def _is_free(gear: Outboard, leg: int, plugged: set[Port], leaving: set[Port]) -> bool:
    ends = Port(gear.id, "outboard_in", leg + 1), Port(gear.id, "outboard_out", leg + 1)
    return leg < gear.width and ends[0] not in plugged and ends[1] not in leaving


@rule("insert", symptoms=("nothing",))
def insert_unheard(reading: Reading) -> list[Snag]:
    """Something hangs in a track that is not monitored: nothing is sent to it."""
    return [
        Snag(
            key=f"insert-unheard:{hung.owner}",
            rule="insert-unheard",
            severity="note",
            title=f"The insert of {hung.what} does nothing: the track is not monitored",
            evidence=f"{hung.what[:1].upper()}{hung.what[1:]} takes its input and lets nothing through.",
            consequence="What it records is as it was, and nothing of the gear is heard.",
            items=(hung.owner,),
            mend=partial(_let_through, hung),
        )
        for hung in hung_in(reading.found)
        if hung.insert.on and hung.unheard is not None
    ]


def _let_through(hung: Hung) -> tuple[Remedy, ...]:
    through = SetValues(item=hung.owner, values={"monitored": True})
    return distinct([Remedy(f"Monitor {hung.what}", (through,)), _bypassed(hung)])


Other = tuple[str, str, list[Remedy]]
"""Whose sound is where an insert is, by id and in words, and what takes it away."""


@rule("insert", symptoms=("distorted", "others"), explains=("line-crowded",))
def insert_shared(reading: Reading) -> list[Snag]:
    """Somebody else's sound goes out where an insert sends, or comes in where it takes its sound back."""
    snags: dict[str, Snag] = {}
    for hung in hung_in(reading.found):
        if not hung.insert.on:
            continue
        for other, said, remedies in (*_others_out(reading, hung), *_others_in(reading, hung)):
            key = f"insert-shared:{hung.owner}:{other}"
            snags.setdefault(
                key,
                Snag(
                    key=key,
                    rule="insert-shared",
                    severity="trouble",
                    title=f"The insert of {hung.what} is not alone: {said}",
                    evidence=f"{said[:1].upper()}{said[1:]}.",
                    consequence="The two sounds are mixed and cannot be parted again.",
                    items=(hung.owner,),
                    lines=lines_through(reading, hung),
                    mend=partial(distinct, [*remedies, _bypassed(hung)]),
                ),
            )
    return list(snags.values())


def _others_out(reading: Reading, hung: Hung) -> Iterator[Other]:
    """Who else gives sound to the channel or the jack that an insert goes out by."""
    found, graph = reading.found, reading.graph
    for send in hung.sends:
        for edge in graph.leaving.get(send, ()) if send.bank == "output" else ():
            for other in graph.into(edge.end):
                if other.start == send or other.block is not None or not _sounds(reading, other.start):
                    continue
                off = SetLeg(item=other.start.owner, leg=other.start.number, channel=None)
                where = found.say(edge.end)
                yield (
                    other.start.owner,
                    f"{found.say(other.start)} plays to {where} too",
                    [Remedy(f"Take output {found.name(other.start.owner)} off {where}", (off,))],
                )
        for edge in graph.into(send):
            if edge.owner != hung.owner and edge.block is None and _sounds(reading, edge.start):
                said = f"{found.say(edge.start)} goes out by {found.say(send)} too"
                yield edge.start.owner, said, _cut(reading, edge)


def _cut(reading: Reading, edge: Edge) -> list[Remedy]:
    found = reading.found
    if edge.kind == "pan":
        off = SetValues(item=edge.owner, values={"on": False})
        return [Remedy(f"Switch the feed {found.name(edge.owner)} off", (off,))]
    if edge.kind == "mix":
        away = SetValues(item=edge.owner, values={"output": None})
        return [Remedy(f"Take {found.name(edge.owner)} off output {found.name(edge.end.owner)}", (away,))]
    if edge.kind == "send":
        off = SetValues(item=edge.owner, values={"on": False})
        return [Remedy(f"Switch the send of {found.name(edge.start.owner)} off", (off,))]
    return []


def _sounds(reading: Reading, port: Port) -> bool:
    """Whether anything is heard at a port."""
    behind = reaching(reading.graph, port, passing=True)
    return any(start in behind for start in reading.found.starts())


def _others_in(reading: Reading, hung: Hung) -> Iterator[Other]:
    """Sources that come in where an insert takes its sound back, past what it sends."""
    found, graph = reading.found, reading.graph
    sent = set(hung.sends)
    for back in hung.backs:
        behind = reaching(graph, back, passing=True)
        for start in found.starts():
            if start not in behind:
                continue
            # A way that goes out by an insert's send is what comes back, of whomever it is.
            routes = [each for each in passing_routes(graph, start, back) if not sent & set(each.ports)]
            lead = next((edge for each in routes for edge in each.edges if edge.kind == "lead in"), None)
            if not routes:
                continue
            where = found.say(lead.end if lead is not None else back)
            out = (
                [Remedy(f"Unplug {found.say(lead.start)} from {where}", (Remove(items=(lead.owner,)),))] if lead else []
            )
            yield start.owner, f"{found.say(start)} comes in by {where} too", out


@rule("insert", symptoms=("hollow", "late"))
def insert_figure(reading: Reading) -> list[Snag]:
    """A program compensates delays and does not know how long an insert takes, or counts with a wrong figure."""
    snags = []
    for hung in hung_in(reading.found):
        program = hung.program
        if program is None or not program.delay_compensation or not hung.insert.on:
            continue
        figure = computed_figure(reading, hung)
        if figure is None:
            continue
        known = known_as(hung, (figure.rate_hz, figure.buffer_samples), figure.samples)
        if known == "right" or not _matters(hung, program, figure):
            continue
        late = figure.samples - (hung.held.samples if hung.held is not None else 0)
        snags.append(
            Snag(
                key=f"insert-figure:{hung.owner}",
                rule="insert-figure",
                severity="risk",
                title=f"{program.name} does not know how long the insert of {hung.what} takes",
                evidence=_counts_with(hung, program, figure),
                consequence=f"It is heard {abs(late)} samples {'later' if late > 0 else 'earlier'} than what it is "
                "mixed with, for all that its program compensates.",
                items=(hung.owner,),
                lines=lines_through(reading, hung),
                mend=partial(_counted, reading, hung, figure),
            )
        )
    return snags


def _counts_with(hung: Hung, program: Program, figure: HeldTrip) -> str:
    """What a program counts with, beside what an insert takes."""
    held, takes = hung.held, f"it takes {figure.samples} samples"
    if held is None:
        return f"{program.name} counts with nothing; {takes}."
    known = f"{held.origin.capitalize()} as {held.samples} samples"
    if held.rate_hz != figure.rate_hz:
        return f"{known} at {held.rate_hz / 1000:g} kHz, runs at {figure.rate_hz / 1000:g}; {takes}."
    if held.buffer_samples != figure.buffer_samples:
        return f"{known} at a buffer of {held.buffer_samples}, runs at {figure.buffer_samples}; {takes}."
    why = "; what a driver reports leaves the gear in the insert out" if held.origin == "reported" else ""
    return f"{known}; {takes}{why}."


def _matters(hung: Hung, program: Program, figure: HeldTrip) -> bool:
    """Whether anything else would wait otherwise if the program knew: else nothing lies beside it."""
    if not isinstance(hung.insert, ProgramInsert):
        return False
    right = hung.insert.model_copy(update={"held": figure})

    def told(items: tuple[T, ...]) -> tuple[T, ...]:
        return tuple(each.model_copy(update={"insert": right}) if each.id == hung.owner else each for each in items)

    knowing = program.model_copy(update={"tracks": told(program.tracks), "buses": told(program.buses)})
    now, then = feed_waits(program), feed_waits(knowing)
    return any(now.get(feed) != wait for feed, wait in then.items())


def _counted(reading: Reading, hung: Hung, figure: HeldTrip) -> tuple[Remedy, ...]:
    words = f"Count with {figure.samples} samples, as computed, until it is measured"
    edits = settle_insert(reading, InsertFigureRequest(item=hung.owner, origin="computed"))
    return distinct([Remedy(words, edits), _bypassed(hung)])
