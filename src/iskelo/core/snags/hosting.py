"""Rules about programs that run in others: outputs without a return, notes heard late, takes that lie off."""

from collections.abc import Iterator
from fractions import Fraction
from functools import partial
from typing import NamedTuple

from iskelo.core.edits.additions import AddReturns
from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.clips import Clip, ways_to_track
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.rig.programs import Hosted, Program, ProgramPort
from iskelo.core.rig.text import few
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


class _Played(NamedTuple):
    """A listen line of a hosted program: how late its sound is heard, how late it may be, and what a note adds."""

    state: LineState
    sound_ms: float
    limit_ms: float
    waits_ms: float

    @property
    def from_key_ms(self) -> float:
        return self.sound_ms + self.waits_ms

    @property
    def over_ms(self) -> float:
        return self.from_key_ms - self.limit_ms


@rule("sync", symptoms=("late",))
def played_by_hand_is_late(reading: Reading) -> list[Snag]:
    """What a hosted program sounds is heard within its line's limit, and later than that if it is played by hand."""
    snags = []
    for program in reading.found.programs():
        hosted, late = program.hosted, by_hand(reading.found, program)
        if hosted is None or late is None:
            continue
        missed = [each for each in _heard_in_time(reading, program, late) if each.over_ms > 0]
        if not missed:
            continue
        worst = max(missed, key=lambda each: each.over_ms)
        ahead = f"works {hosted.ahead_samples} samples ahead and " if hosted.ahead_samples else ""
        snags.append(
            Snag(
                key=f"played-by-hand-is-late:{program.id}",
                rule="played-by-hand-is-late",
                severity="risk",
                title=f"{program.name} played by hand is heard up to {worst.from_key_ms:.1f} ms late, over the limit "
                f"of {worst.limit_ms:g} ms",
                evidence=f"{worst.state.line.name} takes {worst.sound_ms:.2f} ms; {program.name} {ahead}sees a note at "
                f"a call of {reading.found.name(hosted.leader)}: up to {late.most_ms:.1f} ms more.",
                consequence="Whoever plays it hears it late; what it replays is in time."
                if not late.replayed_samples
                else "Whoever plays it hears it late, and what it replays is late as well.",
                items=(program.id,),
                lines=tuple(each.state.line.id for each in missed),
                mend=partial(_sooner_by_hand, reading, program, hosted, late, worst),
            )
        )
    return snags


def _heard_in_time(reading: Reading, program: Program, late: ByHand) -> Iterator[_Played]:
    """Find the listen lines of a program's voices whose sound by itself keeps their limit."""
    voices = {voice.id for voice in program.voices}
    for state in reading.lines:
        line, delay = state.line, latest(state.delays())
        if line.purpose != "listen" or line.longest_delay_ms is None or delay is None or state.has("late"):
            continue
        if any(port.owner in voices for port in line.from_ports):
            yield _Played(state, delay.most_ms, line.longest_delay_ms, late.most_ms)


def _sooner_by_hand(
    reading: Reading, program: Program, hosted: Hosted, late: ByHand, worst: _Played
) -> tuple[Remedy, ...]:
    """Offer the short buffer, if that is soon enough; and a smaller buffer of the leader's device."""
    remedies = []
    spared_ms = 1000 * (hosted.ahead_samples - hosted.short_samples) / late.rate_hz
    if hosted.ahead == "long" and worst.over_ms <= spared_ms:
        short = SetValues(item=program.id, values={"hosted": hosted.model_copy(update={"ahead": "short"}).model_dump()})
        remedies.append(Remedy(f"Let {program.name} work with its short buffer of {hosted.short_samples}", (short,)))
    return distinct([*remedies, *smaller_buffers(reading, worst.state, worst.limit_ms - late.most_ms)])


@rule("sync", symptoms=("echo",))
def hosted_takes_lie_off(reading: Reading) -> list[Snag]:
    """A program records what another one sounds in it, and moves those takes by a round trip that they never made."""
    snags = []
    for leader in reading.found.programs():
        clips = _takes(reading, leader) if leader.compensates_samples else []
        together: dict[tuple[Fraction, Fraction], list[Clip]] = {}
        for clip in clips:
            if not clip.in_time:
                together.setdefault((clip.least, clip.most), []).append(clip)
        taken = {clip.track for clip in clips}
        for some in together.values():
            tracks = tuple(dict.fromkeys(clip.track for clip in some))
            snags.append(
                Snag(
                    key=f"hosted-takes-lie-off:{leader.id}:{tracks[0]}",
                    rule="hosted-takes-lie-off",
                    severity="risk",
                    title=f"Takes on {few(reading.found.name(track) for track in tracks)} of {leader.name} lie "
                    f"{say_clip(some[0], leader.tempo_bpm)}",
                    evidence=f"{leader.name} moves all that it records {leader.compensates_samples} samples earlier, "
                    "and what runs in it is recorded without passing the device.",
                    consequence="They must be moved by hand, every one.",
                    items=(leader.id, *tracks),
                    lines=tuple(dict.fromkeys(line for track in tracks for line in lines_to_track(reading, track))),
                    mend=partial(_unmoved, leader, taken),
                )
            )
    return snags


def _takes(reading: Reading, leader: Program) -> list[Clip]:
    """Find where takes lie on the leader's tracks that record what other programs sound inside it.

    What follows a clock of theirs is left out: where its clips lie depends on that.
    """
    streams = reading.found.opened.get(leader.id)
    if streams is None:
        return []
    rate_hz, followed = streams.device.rate_hz, {link.sender for link in leader.syncs}
    moved = Fraction(leader.compensates_samples, rate_hz)
    inside = [
        program
        for program in reading.found.programs()
        if program.hosted is not None and program.hosted.leader == leader.id and program.id not in followed
    ]
    clips = []
    for track in leader.tracks:
        routes = [
            route
            for program in (inside if track.armed and track.far_end is None else ())
            for route in ways_to_track(reading, program, track)
            if not any(edge.kind in DEVICE_HOPS for edge in route.edges)
        ]
        at = [delay_of(route.edges, reading.found).seconds - moved for route in routes]
        if at:
            clips.append(Clip(track.id, min(at), max(at), rate_hz))
    return clips


def _unmoved(leader: Program, taken: set[str]) -> tuple[Remedy, ...]:
    """Offer to move nothing any more, where nothing else is recorded."""
    if any(track.armed and track.far_end is None and track.id not in taken for track in leader.tracks):
        return ()
    unmoved = SetValues(item=leader.id, values={"compensates_samples": 0})
    return one_remedy(f"Let {leader.name} leave what it records where it was recorded", unmoved)
