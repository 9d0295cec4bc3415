"""Rules about tracks."""

from functools import partial

from iskelo.core.edits.edit import Edit, SetDirect, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, Track
from iskelo.core.rig.text import fold_numbers
from iskelo.core.routes.route import reached, reaching
from iskelo.core.snags.lines import joining_remedies
from iskelo.core.snags.reach import lines_to_track
from iskelo.core.snags.rule import Remedy, Snag, distinct, if_so, one_remedy, rule
from iskelo.core.wiring.program_edges import refused_to_arm


@rule("tracks", symptoms=("nothing",), explains=("line-silent",))
def armed_without_input(reading: Reading) -> list[Snag]:
    """A track is armed and takes no input: it would record silence; or nothing goes to a far end."""
    snags = []
    for program in reading.found.programs():
        for track in program.tracks:
            if track.armed and track.input is None:
                ear = track.far_end is not None
                snags.append(
                    Snag(
                        key=f"armed-without-input:{track.id}",
                        rule="armed-without-input",
                        severity="trouble",
                        title=f"Nothing goes to the far end {track.name}: its ear has no input"
                        if ear
                        else f"Track {track.name} is armed but has no input",
                        evidence=f"{program.name}, {'ear' if ear else 'track'} {track.name}: armed, input none.",
                        consequence="The far end hears nobody." if ear else "It records silence.",
                        items=(track.id,),
                        lines=lines_to_track(reading, track.id),
                        mend=partial(_give_input, reading, program, track),
                    )
                )
    return snags


def _give_input(reading: Reading, program: Program, track: Track) -> tuple[Remedy, ...]:
    remedies: list[Remedy] = []
    for state in reading.lines:
        if state.line.id in lines_to_track(reading, track.id) and not any(leg.arrivals for leg in state.legs):
            remedies += joining_remedies(reading, state)
    taken = {each.input for each in program.tracks}
    for item in program.inputs:
        if item.id not in taken and len(item.legs) == track.width:
            edit = SetValues(item=track.id, values={"input": item.id})
            remedies.append(Remedy(f"Let track {track.name} take {item.name}", (edit,)))
            break
    if track.far_end is None:
        disarm = SetValues(item=track.id, values={"armed": False})
        remedies.append(Remedy(f"Disarm track {track.name}", (disarm,)))
    return distinct(remedies)


@rule("tracks", symptoms=("one side",), explains=("line-half-silent",))
def one_side_silent(reading: Reading) -> list[Snag]:
    """A stereo track takes a mono input: its right side stays silent."""
    snags = []
    for program in reading.found.programs():
        widths = {item.id: len(item.legs) for item in program.inputs} | {bus.id: bus.width for bus in program.buses}
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
                        lines=lines_to_track(reading, track.id),
                        mend=partial(one_remedy, f"Make track {track.name} mono", edit),
                    )
                )
    return snags


@rule("tracks", symptoms=("nothing",), explains=("line-blocked", "line-half-silent"))
def armed_twice(reading: Reading) -> list[Snag]:
    """Tracks are armed on one channel, alone or as part of a pair, in a program that arms a channel once."""
    snags = []
    for program in reading.found.programs():
        if not program.one_track_per_input:
            continue
        for tracks, channels in _sharing(program):
            names = ", ".join(track.name for track in tracks[:-1]) + f" and {tracks[-1].name}"
            numbers = fold_numbers(sorted(channels))
            allow = SetValues(item=program.id, values={"one_track_per_input": False})
            snags.append(
                Snag(
                    key=f"armed-twice:{':'.join(track.id for track in tracks)}"[:180],
                    rule="armed-twice",
                    severity="trouble",
                    title=f"{names} are armed on the same channel{'s' if len(channels) > 1 else ''} {numbers}",
                    evidence=f"{program.name} lets a channel be armed once; "
                    + "; ".join(f"{track.name} takes {_channels_said(program, track)}" for track in tracks)
                    + ".",
                    consequence="Of tracks that share a channel only the first one records.",
                    items=(*(track.id for track in tracks), *dict.fromkeys(t.input for t in tracks if t.input)),
                    lines=tuple(line for track in tracks for line in lines_to_track(reading, track.id)),
                    mend=partial(_arm_one, program, tracks, allow),
                )
            )
    return snags


def _sharing(program: Program) -> list[tuple[list[Track], set[int]]]:
    """Armed tracks that share channels, straight or through each other, with the channels that are shared."""
    inputs = {item.id: {leg for leg in item.legs if leg is not None} for item in program.inputs}
    groups: list[tuple[list[Track], set[int], set[int]]] = []
    for track in program.tracks:
        if not track.armed or track.input is None:
            continue
        tracks, channels, shared = [track], set(inputs.get(track.input, ())), set[int]()
        apart = []
        for group in groups:
            if group[1] & channels:
                shared |= group[2] | (group[1] & channels)
                tracks, channels = [*group[0], *tracks], channels | group[1]
            else:
                apart.append(group)
        groups = [*apart, (tracks, channels, shared)]
    order = {track.id: place for place, track in enumerate(program.tracks)}
    return [
        (sorted(tracks, key=lambda track: order[track.id]), shared) for tracks, _, shared in groups if len(tracks) > 1
    ]


def _channels_said(program: Program, track: Track) -> str:
    item = next(item for item in program.inputs if item.id == track.input)
    return fold_numbers([leg for leg in item.legs if leg is not None]) or "none"


def _arm_one(program: Program, tracks: list[Track], allow: Edit) -> tuple[Remedy, ...]:
    """Disarm those the program does not arm, or those that keep them from it; either way none shares a channel."""
    refused = refused_to_arm(program)
    late = [track for track in tracks if track.id in refused]
    early = [track for track in tracks if any(other.id == track.id for other in refused.values())]
    remedies = [
        Remedy(
            f"Disarm {', '.join(track.name for track in some)}",
            tuple(SetValues(item=track.id, values={"armed": False}) for track in some),
        )
        for some in (late, early)
        if some
    ]
    return distinct([*remedies, if_so(f"{program.name} allows it after all", allow)])


@rule("tracks", symptoms=("hollow", "echo"), explains=("line-doubled",))
def monitored_twice(reading: Reading) -> list[Snag]:
    """A track is monitored in the program while the box monitors the same jack directly, at the same output."""
    snags: list[Snag] = []
    if not any(box.direct for box in reading.found.boxes):
        return snags
    for program in reading.found.programs():
        for track in program.tracks:
            if not track.monitored or track.muted:
                continue
            crossings = _direct_too(reading, track)
            if not crossings:
                continue
            box, jack = crossings[0][0], crossings[0][1]
            outs = fold_numbers([out for _, _, out in crossings])
            stop = SetValues(item=track.id, values={"monitored": False})
            off = tuple(
                SetDirect(interface=each.id, jack_in=jack_in, jack_out=out, gain_db=None)
                for each, jack_in, out in crossings
            )
            snags.append(
                Snag(
                    key=f"monitored-twice:{track.id}",
                    rule="monitored-twice",
                    severity="trouble",
                    title=f"Track {track.name} is monitored in {program.name} and directly on {box.name}",
                    evidence=f"Jack in {jack} of {box.name} is heard directly at jack out {outs}, and again through "
                    f"track {track.name}.",
                    consequence=_heard_apart(reading, track),
                    items=(track.id, box.id),
                    lines=_heard_twice(reading, track),
                    mend=partial(_monitor_once, track, box, jack, stop, off),
                )
            )
    return snags


def _monitor_once(track: Track, box: Interface, jack: int, stop: Edit, off: tuple[Edit, ...]) -> tuple[Remedy, ...]:
    return distinct(
        [
            Remedy(f"Stop monitoring track {track.name}", (stop,)),
            Remedy(f"Stop direct monitoring of jack in {jack} on {box.name}", off),
        ]
    )


def _around(reading: Reading, track: Track) -> tuple[set[Port], set[Port]]:
    """The ports a track's monitoring comes from, and those it is heard at."""
    before: set[Port] = set()
    after: set[Port] = set()
    for leg in range(1, track.width + 1):
        port = Port(track.id, "monitor", leg)
        before |= reaching(reading.graph, port, passing=True)
        after |= reached(reading.graph, port, passing=True)
    return before, after


def _heard_twice(reading: Reading, track: Track) -> tuple[str, ...]:
    before, after = _around(reading, track)
    return tuple(
        line.id
        for line in reading.rig.lines
        if line.purpose == "listen" and set(line.from_ports) & before and set(line.to_ports) & after
    )


def _heard_apart(reading: Reading, track: Track) -> str:
    """How the two copies sound, by how far apart they come where a line hears both."""
    lines = {*_heard_twice(reading, track)}
    found = next(
        (leg.comb for state in reading.lines if state.line.id in lines for leg in state.legs if leg.comb), None
    )
    if found is None or found.heard is None:
        return "Two copies, one later than the other: hollow, or as an echo, by how far apart they come."
    told = "it sounds hollow" if found.heard == "hollow" else f"it is heard {found.heard}"
    return f"Two copies, one {found.delay_ms:.1f} ms later than the other: {told}."


def _direct_too(reading: Reading, track: Track) -> list[tuple[Interface, int, int]]:
    """The direct crosspoints whose input jack a track takes and whose output jack it plays to."""
    jacks, heard = _around(reading, track)
    return [
        (box, cross.jack_in, cross.jack_out)
        for box in reading.found.interfaces()
        for cross in box.direct
        if not cross.muted
        and Port(box.id, "jack_in", cross.jack_in) in jacks
        and Port(box.id, "jack_out", cross.jack_out) in heard
        and any(edge.kind == "lead in" for edge in reading.graph.into(Port(box.id, "jack_in", cross.jack_in)))
    ]
