"""Rules about tracks."""

from functools import partial

from iskelo.core.edits.edit import SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Program, Track
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.rule import Remedy, Snag, distinct, one_remedy


def armed_without_input(reading: Reading) -> list[Snag]:
    """A track is armed and takes no input: it would record silence."""
    snags = []
    for program in reading.found.programs():
        for track in program.tracks:
            if track.armed and track.input is None:
                snags.append(
                    Snag(
                        key=f"armed-without-input:{track.id}",
                        rule="armed-without-input",
                        severity="trouble",
                        title=f"Track {track.name} is armed but has no input",
                        evidence=f"{program.name}, track {track.name}: armed, input none.",
                        consequence="It records silence.",
                        items=(track.id,),
                        lines=_lines_to(reading, track),
                        mend=partial(_give_input, reading, program, track),
                    )
                )
    return snags


def _lines_to(reading: Reading, track: Track) -> tuple[str, ...]:
    return tuple(line.id for line in reading.rig.lines if any(port.owner == track.id for port in line.to_ports))


def _give_input(reading: Reading, program: Program, track: Track) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    for state in reading.lines:
        if state.line.id in _lines_to(reading, track) and not any(leg.arrivals for leg in state.legs):
            remedies += joining_remedies(reading, state)
    taken = {each.input for each in program.tracks}
    for item in program.inputs:
        if item.id not in taken and len(item.legs) == track.width:
            edit = SetValues(item=track.id, values={"input": item.id})
            remedies.append(Remedy(f"Let track {track.name} take {item.name}", (edit,)))
            break
    disarm = SetValues(item=track.id, values={"armed": False})
    remedies.append(Remedy(f"Disarm track {track.name}", (disarm,)))
    return distinct(remedies)


def one_side_silent(reading: Reading) -> list[Snag]:
    """A stereo track takes a mono input: its right side stays silent."""
    snags = []
    for program in reading.found.programs():
        widths = {item.id: len(item.legs) for item in program.inputs}
        for track in program.tracks:
            if track.input is not None and widths[track.input] < track.width:
                edit = SetValues(item=track.id, values={"width": 1})
                snags.append(
                    Snag(
                        key=f"one-side-silent:{track.id}",
                        rule="one-side-silent",
                        severity="risk",
                        title=f"Track {track.name} is stereo, its input mono",
                        evidence=f"{program.name}, track {track.name}: two legs; input "
                        f"{reading.found.name(track.input)}: one.",
                        consequence="The right side of the track stays silent.",
                        items=(track.id,),
                        lines=_lines_to(reading, track),
                        mend=partial(one_remedy, f"Make track {track.name} mono", edit),
                    )
                )
    return snags
