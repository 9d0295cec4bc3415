"""Rules about lines that do not arrive where they are wanted: silent, blocked, crossed."""

from functools import partial

from iskelo.core.edits.edit import Edit, Plug, Remove
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.by_cables import join_by_cables
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.planner.search import join_line
from iskelo.core.rig.ports import STAGE
from iskelo.core.rig.text import few
from iskelo.core.snags.arrivals import send_away, undouble
from iskelo.core.snags.reach import with_finding
from iskelo.core.snags.rule import Remedy, Snag, distinct, joining, rule
from iskelo.core.wiring.blocks import Block
from iskelo.core.words.say import say


def joining_remedies(reading: Reading, state: LineState) -> tuple[Remedy, ...]:
    """Up to three ways to make a line arrive: the smallest, one through the computer, one direct."""
    ways = [(True, True)]
    if state.line.purpose == "listen":
        ways += [(False, True), (True, False)]
    remedies: list[Remedy] = []
    for direct, through in ways:
        joined = join_line(reading, state.line, direct=direct, through_computer=through)
        if joined:
            remedies.append(joining(joined))
    for by_programs in (join_by_cables, join_by_returns):
        between = by_programs(reading, state.line.id)
        if between is not None:
            remedies.append(joining(between[0]))
    return distinct(remedies)


@rule("lines", symptoms=("nothing",))
def line_silent(reading: Reading) -> list[Snag]:
    """No way leads from the line's source to its target, patched or not passing."""
    return [
        Snag(
            key=f"line-silent:{state.line.id}",
            rule="line-silent",
            severity="stop",
            title=f"{state.line.name} is silent: {_short(reading, state)}",
            evidence=words,
            consequence="Nothing of it will be recorded."
            if state.line.purpose == "record"
            else "Nobody will hear it there.",
            lines=(state.line.id,),
            items=tuple(port.owner for port in state.line.to_ports),
            root=_root_of_gap(state),
            mend=partial(undouble if _cancels(state) else joining_remedies, reading, state),
        )
        for state, words in with_finding(reading, "silent")
    ]


def _cancels(state: LineState) -> bool:
    """Whether a line is silent because its copies cancel each other."""
    return any(leg.arrivals and not leg.sounds for leg in state.legs)


def _short(reading: Reading, state: LineState) -> str:
    for leg in state.legs:
        if leg.gap:
            before = leg.gap.behind[0]
            return f"it stops before {reading.found.say(before)} ({say(leg.gap.missing, reading.found)})"
    return say(state.findings[0], reading.found)


def _root_of_gap(state: LineState) -> str:
    """What many silent lines have in common: the port behind the gap that nothing feeds, past the programs."""
    gap = next((leg.gap for leg in state.legs if leg.gap), None)
    if gap is None or gap.ahead[-1].bank == "out" or STAGE[gap.behind[0].bank] < STAGE["output"]:
        return ""
    return f"gap:{gap.behind[0].owner}:{gap.missing.code}"


@rule("lines", symptoms=("nothing",))
def line_blocked(reading: Reading) -> list[Snag]:
    """A way leads there, but somewhere on it sound does not pass."""
    return [
        Snag(
            key=f"line-blocked:{state.line.id}",
            rule="line-blocked",
            severity="stop",
            title=f"{state.line.name} is blocked: {say(_first_block(state), reading.found)}",
            evidence=words,
            consequence="The patch is complete, but no sound passes.",
            lines=(state.line.id,),
            items=tuple(dict.fromkeys(e.owner for leg in state.legs if leg.way for e in leg.way.edges if e.block)),
            root=f"block:{_first_block(state).code}:{_first_block(state).about}",
            mend=partial(joining_remedies, reading, state),
        )
        for state, words in with_finding(reading, "blocked")
    ]


def _first_block(state: LineState) -> Block:
    return next(block for leg in state.legs for block in leg.blocks)


@rule("lines", symptoms=("misplaced", "nothing", "one side"), explains=("line-crowded",))
def line_crossed(reading: Reading) -> list[Snag]:
    """A source arrives where another line's belongs, some at each other's places, or left and right are swapped."""
    crossed = {state.line.id: (state, words) for state, words in with_finding(reading, "crossed")}
    snags: list[Snag] = []
    told: set[str] = set()
    for line, (state, words) in crossed.items():
        if line in told:
            continue
        together = _exchanged(reading, line)
        told.update(together)
        names = [crossed[each][0].line.name for each in together]
        title = f"{state.line.name} is crossed: {words}"
        if len(names) == 2:
            title = f"{names[0]} and {names[1]} are exchanged: each arrives where the other belongs"
        elif len(names) > 2:
            title = f"{few(names)} are exchanged: each arrives where another belongs"
        snags.append(
            Snag(
                key=f"line-crossed:{line}",
                rule="line-crossed",
                severity="trouble",
                title=title,
                evidence="; ".join(crossed[each][1] for each in together[:4]),
                consequence="The wrong sound is on the track, or the stereo picture is mirrored.",
                lines=together,
                items=tuple(port.owner for each in together for port in crossed[each][0].line.from_ports),
                mend=partial(_uncross, reading, state),
            )
        )
    return snags


def _exchanged(reading: Reading, line: str) -> tuple[str, ...]:
    """The lines that stand at each other's places in a round, this one first; it alone where there is no round."""
    takes: dict[str, str] = {}
    for state, finding in reading.having.get("crossed", ()):
        owner = finding.fact.parts.get("owner")
        if isinstance(owner, str):
            takes[state.line.id] = owner
    round_, at = [line], takes.get(line)
    while at is not None and at not in round_:
        round_.append(at)
        at = takes.get(at)
    return tuple(round_) if at == line else (line,)


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
