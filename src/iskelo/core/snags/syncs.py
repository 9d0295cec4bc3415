"""Rules about sync: clocks that nobody minds or sends, too many of them, circles, clips that lie off, notes twice."""

from collections.abc import Iterator
from fractions import Fraction
from functools import partial

from pydantic import JsonValue

from iskelo.core.edits.additions import AddSync
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.clips import Clip, SyncState, sync_states
from iskelo.core.lines.context import Reading, read
from iskelo.core.rig.programs import Program
from iskelo.core.rig.units import say_figure
from iskelo.core.snags.reach import lines_to_track
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy, rule
from iskelo.core.timing.sync import drift_ms_per_bar
from iskelo.core.words.sync import say_clip


@rule("sync")
def clock_not_followed(reading: Reading) -> list[Snag]:
    """A program is sent a clock and runs at its own tempo all the same."""
    snags = []
    for state in sync_states(reading):
        if not state.link.clock or state.follower.follows_clock:
            continue
        leader, follower = state.leader, state.follower
        drift_ms = drift_ms_per_bar(follower.tempo_bpm, leader.tempo_bpm)
        way = "later" if drift_ms > 0 else "earlier"
        same = leader.tempo_bpm == follower.tempo_bpm
        told = f"every bar of four begins {abs(drift_ms):.1f} ms {way} than the one before should"
        snags.append(
            Snag(
                key=f"clock-not-followed:{state.link.id}",
                rule="clock-not-followed",
                severity="risk" if same else "trouble",
                title=f"{follower.name} is sent the clock of {leader.name} and does not follow it",
                evidence=f"{follower.name} runs at its own {follower.tempo_bpm:g} bpm, {leader.name} at "
                f"{leader.tempo_bpm:g}.",
                consequence="It neither starts nor stops with it; what begins together drifts apart with the clocks."
                if same
                else f"What is recorded drifts: {told}.",
                items=(state.link.id, follower.id, leader.id),
                mend=partial(_follow_or_not, state),
            )
        )
    return snags


def _follow_or_not(state: SyncState) -> tuple[Remedy, ...]:
    leader, follower = state.leader, state.follower
    follow = SetValues(item=follower.id, values={"follows_clock": True})
    off = SetValues(item=state.link.id, values={"clock": False})
    return (
        Remedy(f"Let {follower.name} follow the clock", (follow,)),
        Remedy(f"Send no clock from {leader.name} to {follower.name}", (off,), gives_up=True),
    )


@rule("sync", symptoms=("nothing",))
def clock_not_sent(reading: Reading) -> list[Snag]:
    """A program follows a clock, and nobody sends it one."""
    snags = []
    for program in reading.found.programs():
        if not program.follows_clock or any(link.clock for link in program.syncs):
            continue
        snags.append(
            Snag(
                key=f"clock-not-sent:{program.id}",
                rule="clock-not-sent",
                severity="trouble",
                title=f"{program.name} waits for a clock that nobody sends",
                evidence=f"It follows a sync clock; no link {'to it carries one' if program.syncs else 'leads to it'}.",
                consequence="It does not start when it is told to play.",
                items=(program.id,),
                mend=partial(_send_or_not, reading, program),
            )
        )
    return snags


def _send_or_not(reading: Reading, program: Program) -> tuple[Remedy, ...]:
    name = reading.found.name
    remedies = [
        Remedy(
            f"Send the clock of {name(link.sender)} to {program.name}",
            (SetValues(item=link.id, values={"clock": True}),),
        )
        for link in program.syncs
    ]
    linked = {link.sender for link in program.syncs}
    remedies += [
        Remedy(f"Let {program.name} hear the clock of {other.name}", (AddSync(sender=other.id, receiver=program.id),))
        for other in reading.found.programs()
        if other.id != program.id and other.id not in linked and other.voices and not other.follows_clock
    ]
    own = SetValues(item=program.id, values={"follows_clock": False})
    return distinct([*remedies[:2], Remedy(f"Let {program.name} run at its own tempo", (own,), gives_up=True)])


@rule("sync")
def two_clocks(reading: Reading) -> list[Snag]:
    """A program that follows is sent more than one clock: it counts the ticks of both."""
    snags = []
    for program in reading.found.programs():
        clocks = [link for link in program.syncs if link.clock]
        if not program.follows_clock or len(clocks) < 2:
            continue
        leaders = [_program(reading, link.sender) for link in clocks]
        reads = sum(leader.tempo_bpm for leader in leaders)
        names = " and ".join(leader.name for leader in leaders)
        snags.append(
            Snag(
                key=f"two-clocks:{program.id}",
                rule="two-clocks",
                severity="trouble",
                title=f"{program.name} is sent {len(clocks)} clocks, of {names}",
                evidence=f"{' + '.join(f'{leader.tempo_bpm:g}' for leader in leaders)}: it reads {reads:g} bpm.",
                consequence="It runs at the sum of their tempos, or wavers between them.",
                items=(program.id, *(link.id for link in clocks)),
                mend=partial(_one_clock, reading, program),
            )
        )
    return snags


def _one_clock(reading: Reading, program: Program) -> tuple[Remedy, ...]:
    clocks = [link for link in program.syncs if link.clock]
    remedies = []
    for kept in clocks:
        off: list[Edit] = [SetValues(item=each.id, values={"clock": False}) for each in clocks if each is not kept]
        words = f"Send {program.name} the clock of {reading.found.name(kept.sender)} alone"
        remedies.append(Remedy(words, tuple(off), gives_up=True))
    return distinct(remedies)


def _program(reading: Reading, identity: str) -> Program:
    gear = reading.found.gear[identity]
    assert isinstance(gear, Program)
    return gear


@rule("sync", symptoms=("nothing",))
def followers_in_a_circle(reading: Reading) -> list[Snag]:
    """Programs follow each other's clocks in a circle: none of them leads."""
    snags = []
    for circle in _circles(reading, "clock"):
        programs = [_program(reading, each) for each in circle]
        names = " → ".join(each.name for each in (*programs, programs[0]))
        snags.append(
            Snag(
                key=f"followers-in-a-circle:{':'.join(sorted(circle))}"[:180],
                rule="followers-in-a-circle",
                severity="trouble",
                title=f"Nobody leads: {names}",
                evidence="Each of them follows the clock of the one before.",
                consequence="None of them starts; started by hand, their tempo wanders.",
                items=tuple(circle),
                mend=partial(_let_lead, programs),
            )
        )
    return snags


def _let_lead(programs: list[Program]) -> tuple[Remedy, ...]:
    # Who sounds something itself is the likelier leader.
    return distinct(
        [
            Remedy(
                f"Let {each.name} run at its own tempo and lead",
                (
                    SetValues(item=each.id, values={"follows_clock": False}),
                    *(SetValues(item=link.id, values={"clock": False}) for link in each.syncs if link.clock),
                ),
            )
            for each in sorted(programs, key=lambda program: not program.voices)
        ]
    )


def _circles(reading: Reading, what: str) -> list[tuple[str, ...]]:
    """Circles of links that carry this, each once, in the order in which it goes round."""
    heard: dict[str, list[str]] = {}
    for program in reading.found.programs():
        for link in program.syncs:
            if getattr(link, what) and (what != "clock" or program.follows_clock):
                heard.setdefault(link.sender, []).append(program.id)
    circles: dict[frozenset[str], tuple[str, ...]] = {}
    for start in heard:
        for way in _ways(heard, start, start):
            circles.setdefault(frozenset(way), way)
    return list(circles.values())


def _ways(heard: dict[str, list[str]], start: str, end: str, at_most: int = 64) -> list[tuple[str, ...]]:
    """The ways from one program to another that pass none twice, without their last."""
    found: list[tuple[str, ...]] = []
    todo: list[tuple[str, ...]] = [(start,)]
    while todo and len(found) < at_most:
        way = todo.pop()
        for following in heard.get(way[-1], ()):
            if following == end:
                found.append(way)
            elif following not in way:
                todo.append((*way, following))
    return found


@rule("sync", symptoms=("echo",))
def clips_lie_off(reading: Reading) -> list[Snag]:
    """What a follower records of its leader lies elsewhere in its song than it was played."""
    snags = []
    for state in sync_states(reading):
        if not state.is_followed:
            continue
        together: dict[tuple[Fraction, Fraction], list[Clip]] = {}
        for clip in state.clips:
            if not clip.in_time:
                together.setdefault((clip.least, clip.most), []).append(clip)
        for clips in together.values():
            first = clips[0]
            many = "" if len(clips) == 1 or len(clips) == len(state.clips) else f" ({len(clips)} tracks)"
            snags.append(
                Snag(
                    key=f"clips-lie-off:{state.link.id}:{first.track}",
                    rule="clips-lie-off",
                    severity="risk",
                    title=f"Clips of {state.leader.name} lie {say_clip(first, state.leader.tempo_bpm)} on "
                    f"{state.follower.name}{many}",
                    evidence=_sum(state, first),
                    consequence="They must be moved by hand, every one."
                    if first.least == first.most
                    else "They lie elsewhere at every start, and nobody can trim that once and for all.",
                    items=(state.link.id, state.follower.id, *(clip.track for clip in clips)),
                    lines=tuple(line for clip in clips for line in lines_to_track(reading, clip.track)),
                    mend=partial(_in_time, reading, state),
                )
            )
    return snags


def _sum(state: SyncState, clip: Clip) -> str:
    begin, rate = state.begin, clip.rate_hz
    assert begin is not None
    late = say_figure(round(1000 * float(begin.least), 3))
    if begin.most != begin.least:
        late += f" to {say_figure(round(1000 * float(begin.most), 3))}"
    moved = state.follower.compensates_samples
    taken = f", {moved} samples are taken off by {state.follower.name} itself" if moved else ""
    set_to = f", and {state.link.offset_ms:g} by the offset" if state.link.offset_ms else ""
    return (
        f"{state.follower.name} begins {late} ms after {state.leader.name}{set_to}; what it takes comes later than that"
        f" at {rate / 1000:g} kHz{taken}."
    )


def _in_time(reading: Reading, state: SyncState) -> tuple[Remedy, ...]:
    """The offset that lets most clips lie in time; where they lie elsewhere at every start, stamped messages too."""
    trimmed = trimmed_state(reading, state)
    if trimmed is None:
        return ()
    link, offset = trimmed.link, trim_ms(trimmed)
    values: dict[str, JsonValue] = {"offset_ms": offset}
    words = f"Set the sync offset to {offset:g} ms"
    if link != state.link:
        values |= {"sent": link.sent, "read": link.read}
        words = f"Let messages be stamped, and set the sync offset to {offset:g} ms"
    return one_remedy(words, SetValues(item=link.id, values=values))


def trimmed_state(reading: Reading, state: SyncState) -> SyncState | None:
    """The link as it is or, where its clips lie elsewhere at every start, with as few ends stamped as end that; None if
    nothing does.
    """
    states = [state] if trim_ms(state) is not None else stamped_states(reading, state)
    return next((each for each in states if trim_ms(each) is not None), None)


def trim_ms(state: SyncState) -> float | None:
    """The offset, to a thousandth, that lets the most clips lie in time; None if they lie elsewhere at every start."""
    counts: dict[float, int] = {}
    for clip in state.clips:
        if clip.least == clip.most:
            at = round(state.link.offset_ms + 1000 * float(clip.least), 3)
            counts[at] = counts.get(at, 0) + 1
    return max(counts, key=lambda each: (counts[each], -abs(each)), default=None)


def stamped_states(reading: Reading, state: SyncState) -> Iterator[SyncState]:
    """The link as it would be with one end stamped, then with both."""
    for ends in ({"read": "stamped"}, {"sent": "stamped"}, {"sent": "stamped", "read": "stamped"}):
        link = state.link.model_copy(update=ends)
        if link == state.link:
            continue
        follower = state.follower
        syncs = tuple(link if each.id == link.id else each for each in follower.syncs)
        gear = tuple(
            each.model_copy(update={"syncs": syncs}) if each.id == follower.id and isinstance(each, Program) else each
            for each in reading.rig.gear
        )
        again = read(reading.rig.model_copy(update={"gear": gear}), reading)
        yield from (each for each in sync_states(again) if each.link.id == link.id)


@rule("sync", symptoms=("hollow", "echo"))
def notes_come_twice(reading: Reading) -> list[Snag]:
    """Notes reach one program by two ways from the same one, or come back to where they were sent."""
    heard: dict[str, list[str]] = {}
    for program in reading.found.programs():
        for link in program.syncs:
            if link.notes:
                heard.setdefault(link.sender, []).append(program.id)
    snags = []
    name = reading.found.name
    for sender in heard:
        for program in reading.found.programs():
            ways = _ways(heard, sender, program.id)
            back = program.id == sender
            if len(ways) < (1 if back else 2):
                continue
            said = "; ".join(" → ".join(map(name, (*way, program.id))) for way in ways[:3])
            snags.append(
                Snag(
                    key=f"notes-come-twice:{sender}:{program.id}",
                    rule="notes-come-twice",
                    severity="trouble",
                    title=f"Notes of {name(sender)} come back to it"
                    if back
                    else f"Notes of {name(sender)} reach {program.name} {len(ways)} times",
                    evidence=f"{said}.",
                    consequence="Every note that is sent on is sent again, without end."
                    if back
                    else "Every note sounds twice: louder, hollow or as a flam, by how far apart they come.",
                    items=(sender, program.id),
                    mend=partial(_notes_once, reading, program, ways),
                )
            )
    return snags


def _notes_once(reading: Reading, program: Program, ways: list[tuple[str, ...]]) -> tuple[Remedy, ...]:
    """Switch off what the last program on each way passes on to this one, but for one of them."""
    last = list(dict.fromkeys(way[-1] for way in ways))
    links = {link.sender: link for link in program.syncs}
    remedies: list[Remedy] = []
    for off in sorted(last, key=lambda each: each == ways[0][0]):
        edit = SetValues(item=links[off].id, values={"notes": False})
        words = f"Send no notes from {reading.found.name(off)} to {program.name}"
        remedies += one_remedy(words, edit)
    return distinct(remedies)
