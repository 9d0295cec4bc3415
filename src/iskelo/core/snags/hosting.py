"""Rules about programs that run in others: outputs without a return."""

from functools import partial

from iskelo.core.edits.additions import AddReturns
from iskelo.core.lines.context import Reading
from iskelo.core.planner.by_returns import join_by_returns
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.snags.rule import Remedy, Snag, distinct, joining, rule


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
