"""Rules about programs that run in others: outputs without a return, notes heard late, takes that lie off."""

from fractions import Fraction
from functools import partial

from iskelo.core.edits.additions import AddReturns
from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.clips import Clip
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Hosted, Program, ProgramPort
from iskelo.core.rig.text import few
from iskelo.core.routes.route import passing_routes
from iskelo.core.snags.arrivals import smaller_buffers
from iskelo.core.snags.reach import lines_to_track
from iskelo.core.snags.rule import Remedy, Snag, distinct, joining, one_remedy, rule
from iskelo.core.timing.delays import delay_of, latest
from iskelo.core.timing.hosting import ByHand, by_hand
from iskelo.core.wiring.hops import DEVICE_HOPS
from iskelo.core.words.sync import say_clip


@rule("inputs and outputs", symptoms=("nothing",), explains=("line-silent", "line-half-silent"))
def return_not_made(reading: Reading) -> list[Snag]:
    """A hosted program plays to an output that has no return in its leader: nobody hears it."""
    snags = []
    for program in reading.found.programs():
        if program.hosted is None:
            continue
        leader = reading.found.gear[program.hosted.leader]
        assert isinstance(leader, Program)
        there = {item.returns for item in leader.inputs}
        fed = {item.output for items in (program.voices, program.tracks, program.buses) for item in items}
        fed |= {send.to for send in program.sends}
        missing = [item for item in program.outputs if item.id in fed and item.id not in there]
        if not missing:
            continue
        names = ", ".join(item.name for item in missing)
        feeding = {voice.id for voice in program.voices if voice.output in {item.id for item in missing}}
        lines = tuple(line.id for line in reading.rig.lines if any(port.owner in feeding for port in line.from_ports))
        snags.append(
            Snag(
                key=f"return-not-made:{program.id}",
                rule="return-not-made",
                severity="trouble",
                title=f"{names} of {program.name} {'has' if len(missing) == 1 else 'have'} no return in {leader.name}",
                evidence=f"{program.name} runs in {leader.name}; {len(missing)} of its {len(program.outputs)} outputs "
                "appear nowhere there.",
                consequence="What it plays there is heard by nobody.",
                items=(program.id, *(item.id for item in missing)),
                lines=lines,
                mend=partial(_returned, reading, program, tuple(missing)),
            )
        )
    return snags


def _returned(reading: Reading, program: Program, missing: tuple[ProgramPort, ...]) -> tuple[Remedy, ...]:
    """All returns in one step, with what lets the lines that want them arrive; then the returns alone."""
    remedies = []
    everything = join_by_returns(reading)
    if everything is not None:
        remedies.append(joining(everything[0]))
    names = ", ".join(item.name for item in missing)
    made = AddReturns(program=program.id, outputs=tuple(item.id for item in missing))
    many = "a return" if len(missing) == 1 else f"{len(missing)} returns"
    remedies.append(Remedy(f"Make {many} for {names}", (made,)))
    return distinct(remedies)


@rule("sync", symptoms=("late",))
def played_by_hand_is_late(reading: Reading) -> list[Snag]:
    """What a hosted program sounds is heard within its line's limit, and later than that if it is played by hand."""
    snags = []
    for program in reading.found.programs():
        hosted, late = program.hosted, by_hand(reading.found, program)
        if hosted is None or late is None:
            continue
        # The sound itself is in time: it is what a note waits for the program that is too much.
        missed = [state for state in _heard_in_time(reading, program) if _from_the_key(state, late) > _limit(state)]
        if not missed:
            continue
        worst = _worst(missed, late)
        ahead = f"works {hosted.ahead_samples} samples ahead and " if hosted.ahead_samples else ""
        snags.append(
            Snag(
                key=f"played-by-hand-is-late:{program.id}",
                rule="played-by-hand-is-late",
                severity="risk",
                title=f"{program.name} played by hand is heard up to {_from_the_key(worst, late):.1f} ms late, "
                f"over the limit of {_limit(worst):g} ms",
                evidence=f"{worst.line.name} takes {_latest_ms(worst):.2f} ms; {program.name} {ahead}sees a note at a "
                f"call of {reading.found.name(hosted.leader)}: up to {late.most_ms:.1f} ms more.",
                consequence="Whoever plays it hears it late; what it replays is in time."
                if not late.replayed_samples
                else "Whoever plays it hears it late, and what it replays is late as well.",
                items=(program.id,),
                lines=tuple(state.line.id for state in missed),
                mend=partial(_sooner_by_hand, reading, program, hosted, late, worst),
            )
        )
    return snags


def _heard_in_time(reading: Reading, program: Program) -> list[LineState]:
    """Find the listen lines of a program's voices that have a limit and keep it."""
    voices = {voice.id for voice in program.voices}
    return [
        state
        for state in reading.lines
        if state.line.purpose == "listen"
        and state.line.longest_delay_ms is not None
        and any(port.owner in voices for port in state.line.from_ports)
        and state.delays()
        and not state.has("late")
    ]


def _limit(state: LineState) -> float:
    return state.line.longest_delay_ms or 0.0


def _latest_ms(state: LineState) -> float:
    delay = latest(state.delays())
    return delay.most_ms if delay is not None else 0.0


def _from_the_key(state: LineState, late: ByHand) -> float:
    """Tell how many ms after a note was played it may be heard."""
    return _latest_ms(state) + late.most_ms


def _worst(missed: list[LineState], late: ByHand) -> LineState:
    """Find the line that misses its limit by most."""
    return max(missed, key=lambda state: _from_the_key(state, late) - _limit(state))


def _sooner_by_hand(
    reading: Reading, program: Program, hosted: Hosted, late: ByHand, worst: LineState
) -> tuple[Remedy, ...]:
    """Offer the short buffer, if that is soon enough; and a smaller buffer of the leader's device."""
    remedies = []
    spared_ms = 1000 * (hosted.ahead_samples - hosted.short_samples) / late.rate_hz
    if hosted.ahead == "long" and _from_the_key(worst, late) - spared_ms <= _limit(worst):
        short = SetValues(item=program.id, values={"hosted": hosted.model_copy(update={"ahead": "short"}).model_dump()})
        remedies.append(Remedy(f"Let {program.name} work with its short buffer of {hosted.short_samples}", (short,)))
    return distinct([*remedies, *smaller_buffers(reading, worst, _limit(worst) - late.most_ms)])


@rule("sync", symptoms=("echo",))
def hosted_takes_lie_off(reading: Reading) -> list[Snag]:
    """A program records what another one sounds in it, and moves those takes by a round trip that they never made."""
    snags = []
    for leader in reading.found.programs():
        takes = [
            clip
            for program in reading.found.programs()
            if program.hosted is not None and program.hosted.leader == leader.id and leader.compensates_samples
            for clip in _takes(reading, program, leader)
            if not clip.in_time
        ]
        if not takes:
            continue
        first = takes[0]
        tracks = tuple(dict.fromkeys(clip.track for clip in takes))
        snags.append(
            Snag(
                key=f"hosted-takes-lie-off:{leader.id}",
                rule="hosted-takes-lie-off",
                severity="risk",
                title=f"Takes on {few(reading.found.name(track) for track in tracks)} of {leader.name} lie "
                f"{say_clip(first, leader.tempo_bpm)}",
                evidence=f"{leader.name} moves all that it records {leader.compensates_samples} samples earlier, and "
                "what runs in it is recorded without passing the device.",
                consequence="They must be moved by hand, every one; what comes in by jacks lies right.",
                items=(leader.id, *tracks),
                lines=tuple(dict.fromkeys(line for track in tracks for line in lines_to_track(reading, track))),
                mend=partial(_unmoved, leader, tracks),
            )
        )
    return snags


def _takes(reading: Reading, program: Program, leader: Program) -> list[Clip]:
    """Find where takes lie on the leader's tracks that record what the program sounds inside it."""
    rate_hz = streams.device.rate_hz if (streams := reading.found.opened.get(leader.id)) is not None else 0
    if not rate_hz:
        return []
    moved = Fraction(leader.compensates_samples, rate_hz)
    found = []
    for voice in program.voices:
        start = Port(voice.id, "voice", 1)
        by = reading.known.sound(start).by
        for track in leader.tracks:
            end = Port(track.id, "track", 1)
            if not track.armed or track.far_end is not None or end not in by:
                continue
            routes = passing_routes(reading.graph, start, end, reading.known)
            inside = [route for route in routes if not any(edge.kind in DEVICE_HOPS for edge in route.edges)]
            delays = [delay_of(route.edges, reading.found).seconds - moved for route in inside]
            if delays:
                found.append(Clip(track.id, min(delays), max(delays), rate_hz))
    return found


def _unmoved(leader: Program, tracks: tuple[str, ...]) -> tuple[Remedy, ...]:
    """Offer to move nothing any more, where nothing else is recorded."""
    others = [track for track in leader.tracks if track.armed and track.far_end is None and track.id not in tracks]
    if others:
        return ()
    unmoved = SetValues(item=leader.id, values={"compensates_samples": 0})
    return one_remedy(f"Let {leader.name} leave what it records where it was recorded", unmoved)
