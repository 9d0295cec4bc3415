"""Sounds of hosted programs brought onto tracks of their leaders: for each an output, its return and its track."""

from iskelo.core.edits.additions import AddProgramPorts, AddReturns
from iskelo.core.edits.apply import apply
from iskelo.core.edits.base import Refused, free_name
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.edits.new_things import new
from iskelo.core.lines.context import Reading, read
from iskelo.core.lines.state import LineState
from iskelo.core.planner.cable_rooms import Wanted, own_output, voice_to_track
from iskelo.core.planner.joining import Joining, Joinings
from iskelo.core.planner.search import arriving


def join_by_returns(reading: Reading, only: str | None = None) -> tuple[Joining, Reading] | None:
    """Bring silent lines from hosted programs to tracks of their leaders; ``only``: that line alone.

    Returns
    -------
    tuple of Joining and Reading, or None
        The edits, with the rig as it is then; None if there is no such line, or none can be helped so. A line that
        would take away what arrives is left as it is.
    """
    plan = Joinings(reading)
    for line in [state.line.id for state in reading.lines if only in (None, state.line.id)]:
        reading = plan.reading
        wanted = _wanted(reading.traced[line].state, reading)
        if wanted is None or line in arriving(reading):
            continue
        made, said = _joined(wanted, reading)
        try:
            after = read(apply(reading.rig, tuple(made)).rig, reading)
        except Refused:
            continue
        if arriving(reading) | {line} <= arriving(after):
            plan.take(Joining(tuple(made), tuple(said), (wanted.receiver.name,) * len(said)), after)
    return plan.found()


def _wanted(state: LineState, reading: Reading) -> Wanted | None:
    """A line from a voice of a hosted program to a track of its leader; None for any other."""
    wanted = voice_to_track(state, reading.found)
    hosted = wanted.sender.hosted if wanted is not None else None
    return wanted if wanted is not None and hosted is not None and hosted.leader == wanted.receiver.id else None


def _joined(wanted: Wanted, reading: Reading) -> tuple[list[Edit], list[str]]:
    program, voice, leader, track = wanted.sender, wanted.voice, wanted.receiver, wanted.track
    edits: list[Edit] = []
    words: list[str] = []
    own = own_output(wanted, reading)
    output, name = (own.id, own.name) if own is not None else (new(1), voice.name)
    if own is None:
        name = free_name(voice.name, [each.name for each in program.outputs])
        edits.append(
            AddProgramPorts(program=program.id, side="output", names=(name,), width=wanted.width, ids=(output,))
        )
        edits.append(SetValues(item=voice.id, values={"output": output}))
        words.append(f"Give {voice.name} of {program.name} an output of its own")
    there = next((item.id for item in leader.inputs if item.returns == output), None)
    if there is None:
        there = new(2 if own is None else 1)
        edits.append(AddReturns(program=program.id, outputs=(output,), ids=(there,)))
        words.append(f"Make a return {name} of {program.name} in {leader.name}")
    if track.input != there or not track.armed:
        edits.append(SetValues(item=track.id, values={"input": there, "armed": True}))
        words.append(f"Let track {track.name} take it")
    return edits, words
