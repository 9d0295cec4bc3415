"""What helps inside mixers: pans that part two sounds, keys that move one, dry paths and feeds that are closed."""

from collections.abc import Iterator, Sequence

from iskelo.core.edits.edit import Edit, SetBack, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.legs import Arrival
from iskelo.core.lines.state import LineState
from iskelo.core.lines.wet import DRY_PATHS
from iskelo.core.planner.mix_minus import cut
from iskelo.core.planner.opening import switch_of
from iskelo.core.rig.mixers import Feed, Strip
from iskelo.core.rig.programs import Bus, Track, insert_with
from iskelo.core.routes.route import Route, passing_routes
from iskelo.core.snags.rule import Remedy
from iskelo.core.wiring.edge import Edge

SIDES = ("left", "right")


def closing(reading: Reading, arrival: Arrival, others: Sequence[Arrival]) -> Remedy | None:
    """What closes one copy's way inside a mixer, where no other copy passes."""
    shared = {edge for other in others if other is not arrival for edge in _passed(other)}
    alone = [edge for edge in _passed(arrival) if edge not in shared]
    for edge in alone:
        if edge.kind in DRY_PATHS:
            return closed_dry_path(reading, edge)
    for edge in reversed(alone):
        # Who hung something in wants it to be heard: bypassing it is no remedy.
        if edge.owner in reading.found.mixing and edge.kind not in ("insert send", "insert return"):
            switch = switch_of(edge, reading)
            if switch is not None:
                return Remedy(switch.words, (switch.edit,))
    return None


def set_back(reading: Reading, state: LineState) -> list[Remedy]:
    """Tracks on a line's ways that were sent straight across, each set back to the mix it came from."""
    tracks = {
        edge.start.owner: None
        for leg in state.legs
        for arrival in leg.arrivals
        for edge in arrival.route.edges
        if edge.kind in ("mix", "send")
    }
    items = [reading.found.items[each].item for each in tracks]
    return [
        Remedy(f"Set track {item.name} back to {reading.found.name(item.straight.back_to)}", (SetBack(item=item.id),))
        for item in items
        if isinstance(item, Track) and item.straight is not None
    ]


def out_of_mixes(reading: Reading, state: LineState) -> list[Remedy]:
    """Each copy taken out of what a program mixes, where no other copy passes."""
    remedies = []
    for leg in state.legs:
        for arrival in leg.arrivals if len(leg.arrivals) > 1 else ():
            shared = {edge for other in leg.arrivals if other is not arrival for edge in other.route.edges}
            alone = [edge for edge in arrival.route.edges if edge not in shared and edge.kind in ("mix", "send")]
            act = cut(alone[0], reading) if alone else None
            if act is not None:
                remedies.append(Remedy(act.words, act.edits))
    return remedies


def closed_dry_path(reading: Reading, edge: Edge) -> Remedy:
    """The dry path closed beside what hangs in a strip, a track or a bus."""
    if edge.owner in reading.found.mixing:
        strip = reading.found.mixing[edge.owner].item
        assert isinstance(strip, Strip)
        what, values = f"strip {strip.name}", strip.insert_with("dry_db", None)
    else:
        item = reading.found.items[edge.owner].item
        assert isinstance(item, Track | Bus)
        what, values = f"{reading.found.items[edge.owner].side} {item.name}", insert_with(item, "dry_db", None)
    closed = SetValues(item=edge.owner, values=values)
    return Remedy(f"Close the dry path beside the insert of {what}", (closed,))


def all_but_one(reading: Reading, state: LineState) -> list[Remedy]:
    """Where more than two copies meet: closing all of them but one, in one step."""
    found = []
    for leg in state.legs:
        for kept in leg.arrivals if len(leg.arrivals) > 2 else ():
            others = [each for each in leg.arrivals if each is not kept]
            some = [each for other in others if (each := closing(reading, other, leg.arrivals)) is not None]
            if len(some) == len(others):
                words = "; ".join(dict.fromkeys(each.words for each in some))
                found.append(Remedy(words, tuple(edit for each in some for edit in each.edits)))
    return found


def _passed(arrival: Arrival) -> list[Edge]:
    return [edge for edge in arrival.route.edges if edge.block is None]


def parted(reading: Reading, state: LineState) -> Iterator[Remedy]:
    """For two sounds in one mix: panned to its two sides, or one of them moved to the second pair by its key."""
    own = [arrival.route for leg in state.legs for arrival in leg.arrivals]
    mine = next((edge for route in own for edge in route.edges if _side(reading, edge) is not None), None)
    theirs = [
        edge
        for start in state.others
        for end in state.line.to_ports
        for route in passing_routes(reading.graph, start, end)
        if (edge := _meeting(route, own)) is not None
    ]
    if mine is not None and theirs and all(edge.end == mine.end for edge in theirs):
        side = mine.end.number
        edits: list[Edit] = []
        words: list[str] = []
        for edge, to in ((mine, side), *((each, 3 - side) for each in dict.fromkeys(theirs))):
            strip = _side(reading, edge)
            if strip is None:
                return
            edits.append(SetValues(item=strip.id, values={"pan": -1.0 if to == 1 else 1.0}))
            words.append(f"strip {strip.name} {SIDES[to - 1]}")
        yield Remedy(f"Pan {', '.join(words)}", tuple(edits))
    keyed = [strip for edge in theirs if (strip := _keyed(reading, edge)) is not None]
    if keyed:
        moves: tuple[Edit, ...] = tuple(SetValues(item=each.id, values={"muted": not each.muted}) for each in keyed)
        names = ", ".join(strip.name for strip in keyed)
        yield Remedy(f"Move {names} to the other pair by the mute key", moves)


def _meeting(route: Route, own: Sequence[Route]) -> Edge | None:
    """Where a way joins the wanted one inside a mixer."""
    ports = {port for each in own for port in each.ports}
    return next((edge for edge in route.edges if edge.kind == "pan" and edge.end in ports), None)


def _side(reading: Reading, edge: Edge) -> Strip | None:
    """The mono strip that a pan turns into a pair; None where nothing is panned."""
    if edge.kind != "pan":
        return None
    _, mixer, feed, _ = reading.found.mixing[edge.owner]
    if not isinstance(feed, Feed) or feed.pan is not None or feed.tap == "direct":
        return None
    strip = next((each for each in mixer.strips if each.id == feed.item), None)
    into = feed.width if feed.to is None else next(mix.width for mix in mixer.mixes if mix.id == feed.to)
    return strip if strip is not None and strip.width == 1 and into == 2 else None


def _keyed(reading: Reading, edge: Edge) -> Strip | None:
    """The strip whose key would move what comes by this hop elsewhere."""
    _, mixer, feed, _ = reading.found.mixing[edge.owner]
    if not isinstance(feed, Feed) or feed.key == "always" or mixer.mute_key != "moves":
        return None
    return next((each for each in mixer.strips if each.id == feed.item), None)
