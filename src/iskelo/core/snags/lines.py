"""Rules about lines that do not arrive where they are wanted: silent, blocked, crossed."""

from functools import partial

from iskelo.core.edits.edit import Edit, Plug, Remove
from iskelo.core.lines.context import Reading
from iskelo.core.lines.findings import Headline
from iskelo.core.lines.gaps import Gap
from iskelo.core.lines.state import LineState
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.by_programs import join_by_programs
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.planner.by_sums import join_by_sums
from iskelo.core.planner.search import join_line
from iskelo.core.planner.whole_plan import join_apart
from iskelo.core.rig.ports import STAGE
from iskelo.core.rig.text import few
from iskelo.core.snags.arrivals import send_away, undouble
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import REMEDIES_AT_MOST, Remedy, Snag, distinct, joining, rule
from iskelo.core.wiring.blocks import Block
from iskelo.core.words.say import say


def joining_remedies(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Find up to three ways to make a line arrive: the smallest that mixes nothing up, one through the computer, one
    direct.
    """
    line = state.line
    ways = [join_apart(reading, line) or join_line(reading, line)]
    if line.purpose == "listen":
        ways += [join_line(reading, line, direct=False), join_line(reading, line, through_computer=False)]
    remedies = [joining(way) for way in ways if way is not None]
    between_programs = (join_by_sums,) if state.line.mixed else (join_by_cables, join_by_returns, join_by_programs)
    for by_programs in between_programs:
        between = by_programs(reading, state.line.id)
        if between is not None:
            remedies.append(joining(between[0]))
    return distinct(remedies)


@rule("lines", symptoms=("nothing",))
def line_silent(reading: Reading) -> list[Snag]:
    """No way leads from the line's source to its target, patched or not passing; lines of one root are one."""
    by_root: dict[str, list[tuple[LineState, str]]] = {}
    for state, words in with_finding(reading, "silent"):
        by_root.setdefault(_root_of_gap(reading, state) or state.line.id, []).append((state, words))
    return [_silent(reading, states) for states in by_root.values()]


def _silent(reading: Reading, some: list[tuple[LineState, str]]) -> Snag:
    """One line that is silent, or several that stop before the same."""
    states = [state for state, _ in some]
    first = states[0]
    are, stop, them = ("is", "it stops", "it") if len(states) == 1 else ("are", "they stop", "them")
    recorded = first.line.purpose == "record"
    return Snag(
        key=f"line-silent:{first.line.id}",
        rule="line-silent",
        severity="stop",
        title=f"{few(state.line.name for state in states)} {are} silent: {_short(reading, first, stop)}",
        evidence=" ".join(words for _, words in some[:4]),
        consequence=f"Nothing of {them} will be recorded." if recorded else f"Nobody will hear {them} there.",
        lines=tuple(state.line.id for state in states),
        items=tuple(dict.fromkeys(port.owner for state in states for port in state.line.to_ports)),
        root=_root_of_gap(reading, first),
        mend=partial(_unsilenced, reading, states),
    )


def _unsilenced(reading: Reading, states: list[LineState]) -> tuple[Remedy, ...]:
    """What stops copies from cancelling each other, or what joins these lines: the first of them before the others."""
    if _cancels(states[0]):
        return undouble(reading, states[0])
    return _opened(reading, states)


def _cancels(state: LineState) -> bool:
    """Whether a line is silent because its copies cancel each other."""
    return any(leg.arrivals and not leg.sounds for leg in state.legs)


def _short(reading: Reading, state: LineState, stops: str) -> str:
    for leg in state.legs:
        if leg.gap:
            elsewhere = _on_another_box(reading, leg.gap)
            if elsewhere is not None:
                program, box = elsewhere
                return f"{stops} at {reading.found.name(box)}, which {reading.found.name(program)} does not open"
            before = leg.gap.behind[0]
            return f"{stops} before {reading.found.say(before)} ({say(leg.gap.missing, reading.found)})"
    return say(state.findings[0], reading.found)


def _on_another_box(reading: Reading, gap: Gap) -> tuple[str, str] | None:
    """The program of a track, and the box where its sound stops because the program opens others; else None."""
    placed = reading.found.items.get(gap.end.owner)
    if gap.missing.code != "takes others of boxes" or placed is None:
        return None
    box = reading.found.gear_of(gap.ahead[-1].owner)
    return None if reading.found.reaches(placed.program, box) else (placed.program.id, box)


def _root_of_gap(reading: Reading, state: LineState) -> str:
    """What many silent lines have in common: the port behind the gap that nothing feeds, past the programs."""
    gap = next((leg.gap for leg in state.legs if leg.gap), None)
    if gap is None or gap.ahead[-1].bank == "out":
        return ""
    if gap.ahead[-1].bank == "preamp":
        # What is in the jacks of a mixer and in nothing of it: its strips or channels take others.
        return f"gap:{gap.ahead[-1].owner}:in no strip"
    elsewhere = _on_another_box(reading, gap)
    if elsewhere is not None:
        # All that is plugged into a box that the program does not open stops there.
        return f"gap:{elsewhere[0]}:not on {elsewhere[1]}"
    if STAGE[gap.behind[0].bank] < STAGE["output"]:
        return ""
    return f"gap:{gap.behind[0].owner}:{gap.missing.code}"


@rule("lines", symptoms=("nothing",))
def line_blocked(reading: Reading) -> list[Snag]:
    """A way leads there, but somewhere on it sound does not pass; lines that one thing shuts are one."""
    by_root: dict[str, list[tuple[LineState, str]]] = {}
    for state, words in with_finding(reading, "blocked"):
        by_root.setdefault(_root_of_block(reading, _first_block(state)), []).append((state, words))
    return [
        Snag(
            key=f"line-blocked:{states[0][0].line.id}",
            rule="line-blocked",
            severity="stop",
            title=_shut(reading, [state for state, _ in states]),
            evidence="; ".join(words for _, words in states[:4]),
            consequence="The patch is complete, but no sound passes.",
            lines=tuple(state.line.id for state, _ in states),
            items=tuple(dict.fromkeys(item for state, _ in states for item in _shutting(state))),
            root=root,
            mend=partial(_opened, reading, [state for state, _ in states]),
        )
        for root, states in by_root.items()
    ]


RETURNS = ("strip plays back", "strip is live")


def _root_of_block(reading: Reading, block: Block) -> str:
    """Name what many blocked lines have in common: a switch, or the mixer where strips take their returns."""
    about = reading.found.mixing[block.about].box.id if block.code in RETURNS else block.about
    return f"block:{block.code}:{about}"


def _shut(reading: Reading, states: list[LineState]) -> str:
    """The lines that are shut, and what shuts them."""
    blocks = [_first_block(state) for state in states]
    words = say(blocks[0], reading.found)
    strips = list(dict.fromkeys(block.about for block in blocks))
    if len(strips) > 1 and blocks[0].code in RETURNS:
        inside = reading.found.mixing[strips[0]]
        what = "their returns" if blocks[0].code == "strip plays back" else "what they take live"
        words = (
            f"strips {few(reading.found.mixing[each].item_name for each in strips)} of {inside.box.name} take {what}"
        )
    are = "is" if len(states) == 1 else "are"
    return f"{few(state.line.name for state in states)} {are} blocked: {words}"


def _shutting(state: LineState) -> list[str]:
    return [edge.owner for leg in state.legs if leg.way for edge in leg.way.edges if edge.block]


def _opened(reading: Reading, states: list[LineState]) -> tuple[Remedy, ...]:
    """What joins the first of these lines, which may open all of them, and then the others."""
    remedies = [remedy for state in states[:OPENED_AT_MOST] for remedy in joining_remedies(reading, state)]
    return distinct(remedies, 2 * REMEDIES_AT_MOST)


OPENED_AT_MOST = 4
"""So many of the lines that one thing shuts are asked what would open them."""


def _first_block(state: LineState) -> Block:
    return next(block for leg in state.legs for block in leg.blocks)


@rule(
    "lines",
    symptoms=("misplaced", "nothing", "one side"),
    explains=("line-crowded", "line-silent", "line-half-silent"),
)
def line_crossed(reading: Reading) -> list[Snag]:
    """A source arrives where another line's belongs, several at each other's places, or left and right are swapped."""
    crossed = {state.line.id: (state, words) for state, words in with_finding(reading, "crossed")}
    snags: list[Snag] = []
    told: set[str] = set()
    for line, (state, words) in crossed.items():
        if line in told:
            continue
        together = _together(reading, line)
        told.update(together)
        snags.append(
            Snag(
                key=f"line-crossed:{line}",
                rule="line-crossed",
                severity="trouble",
                title=_told(reading, together, f"{state.line.name} is crossed: {words}"),
                evidence="; ".join(crossed[each][1] for each in together[:4]),
                consequence="The wrong sound is on the track, or the stereo picture is mirrored.",
                lines=(*together, *_put_out(reading, together)),
                items=tuple(port.owner for each in together for port in crossed[each][0].line.from_ports),
                mend=partial(_uncross, reading, state),
            )
        )
    return snags


def _places(reading: Reading) -> dict[str, str]:
    """Whose place each line stands at that is crossed with another."""
    return {
        state.line.id: owner
        for state, finding in reading.having.get("crossed", ())
        if isinstance(owner := finding.fact.parts.get("owner"), str)
    }


def _together(reading: Reading, line: str) -> tuple[str, ...]:
    """Find the crossed lines that stand at each other's places or at one place, this one first."""
    places = _places(reading)
    joined: dict[str, set[str]] = {}
    for one, other in places.items():
        joined.setdefault(one, set()).add(other)
        joined.setdefault(other, set()).add(one)
    seen, queue = {line: None}, [line]
    while queue:
        for other in sorted(joined.get(queue.pop(), ())):
            if other not in seen:
                seen[other] = None
                queue.append(other)
    order = [state.line.id for state in reading.lines]
    return (line, *sorted((each for each in seen if each in places and each != line), key=order.index))


def _told(reading: Reading, together: tuple[str, ...], alone: str) -> str:
    """What lines at others' places are called: exchanged, all at one place, or each at another's."""
    if len(together) == 1:
        return alone
    places = _places(reading)
    names = {line.id: line.name for line in reading.rig.lines}
    placed = [each for each in together if each in places]
    whose = [places[each] for each in placed]
    if set(whose) == set(together) == set(placed):
        if len(together) == 2:
            return f"{names[together[0]]} and {names[together[1]]} are exchanged: each arrives where the other belongs"
        return f"{few(names[each] for each in together)} are exchanged: each arrives where another belongs"
    if len(set(whose)) == 1 and placed == list(together):
        return f"{few(names[each] for each in together)} arrive where {names[whose[0]]} belongs"
    first = f"{names[placed[0]]} where {names[whose[0]]} belongs"
    return f"{few(names[each] for each in together)} arrive at others' places: {first}"


def _put_out(reading: Reading, together: tuple[str, ...]) -> tuple[str, ...]:
    """Find the lines at whose places these stand: they are not alone any more, or get no further than the computer."""
    whose = {place for line, place in _places(reading).items() if line in together} - set(together)
    kinds: tuple[Headline, ...] = ("silent", "half silent", "crowded")
    return tuple(
        state.line.id
        for kind in kinds
        for state, _ in reading.having.get(kind, ())
        if state.line.id in whose
        and all(leg.gap is None or leg.gap.ahead[-1].bank in ("capture", "input") for leg in state.legs)
    )


def _uncross(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """For swapped legs: swap the leads at the box, or the legs of the program's input."""
    leads = [patch for patch in reading.rig.patches if patch.from_port in state.line.from_ports]
    if len(state.line.from_ports) == 2 and len(leads) == 2 and leads[0].from_port != leads[1].from_port:
        first, second = leads
        edits: tuple[Edit, ...] = (
            Remove(items=(first.id, second.id)),
            Plug(from_port=first.from_port, to_port=second.to_port),
            Plug(from_port=second.from_port, to_port=first.to_port),
        )
        boxed = reading.found.name(first.to_port.owner)
        return (
            Remedy(
                f"Swap the two leads at {boxed} jacks {first.to_port.number} and {second.to_port.number}",
                edits,
            ),
        )
    return _stray_remedies(reading, state)


def _stray_remedies(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """For a stray on another's track: give that track the input whose sound it should have."""
    remedies: list[Remedy] = []
    for other in reading.lines:
        if any(port in state.line.from_ports for port in other.others):
            remedies += joining_remedies(reading, other)
            remedies += list(send_away(reading, other))
    return distinct(remedies)
