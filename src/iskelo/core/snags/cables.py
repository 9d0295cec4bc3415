"""Rules about cables: too little kept waiting, and both ends in one program."""

import math
from collections.abc import Iterator
from functools import partial

from iskelo.core.edits.edit import SetCable, SetLeg
from iskelo.core.lines.context import Reading
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.snags.rule import Remedy, Snag, distinct, rule


@rule("cable", symptoms=("clicks",))
def cable_margin_small(reading: Reading) -> list[Snag]:
    """A cable keeps less waiting than the computer may be late in calling the programs that play into it."""
    jitter_ms = reading.rig.jitter_ms
    snags = []
    for box in reading.found.boxes:
        if box.cable is None or not _played_into(reading, box):
            continue
        needed = max(0, math.ceil(jitter_ms / 1000 * box.rate_hz) - 1)
        margin = box.cable.margin_samples
        if margin >= needed:
            continue
        snags.append(
            Snag(
                key=f"cable-margin-small:{box.id}",
                rule="cable-margin-small",
                severity="risk",
                title=f"The margin of {box.name} is {margin} samples, and the computer may be {jitter_ms:g} ms late",
                evidence=f"At {box.rate_hz / 1000:g} kHz {jitter_ms:g} ms are "
                f"{jitter_ms / 1000 * box.rate_hz:.1f} samples: a block that is handed over so late needs a margin of "
                f"{needed}.",
                consequence="Whoever plays into it with no time to spare is silent for a block now and then.",
                items=(box.id,),
                lines=_lines_through(reading, box),
                mend=partial(_wider, box, needed),
            )
        )
    return snags


def _wider(box: Interface, needed: int) -> tuple[Remedy, ...]:
    edit = SetCable(cable=box.id, values={"margin_samples": needed})
    return (Remedy(f"Set the margin of {box.name} to {needed} samples", (edit,)),)


def _played_into(reading: Reading, box: Interface) -> bool:
    return any(reading.graph.into(Port(box.id, "playback", number)) for number in range(1, box.playback + 1))


def _lines_through(reading: Reading, box: Interface) -> tuple[str, ...]:
    """The lines that arrive by a cable."""
    return tuple(
        state.line.id
        for state in reading.lines
        if any(
            edge.kind == "cable" and edge.owner == box.id
            for leg in state.legs
            for arrival in leg.arrivals
            for edge in arrival.route.edges
        )
    )


@rule("cable")
def cable_starts_as_it_falls(reading: Reading) -> list[Snag]:
    """Lines pass a cable whose ends start as it falls: how late they are is another at every start."""
    snags = []
    falling = [box for box in reading.found.boxes if box.cable is not None and box.cable.start != "aligned"]
    parted = _parted(reading) if falling else set()
    for box in falling:
        lines = _lines_through(reading, box)
        if not lines:
            continue
        delays = [
            term
            for state in reading.lines
            for delay in state.delays()
            for term in delay.terms
            if term.label == "as it falls" and term.gear == box.name
        ]
        ms = max(1000 * term.spread / term.rate_hz for term in delays)
        sides = [line for line in lines if line in parted]
        told = "The two sides of a pair lie apart by as much. " if sides else ""
        snags.append(
            Snag(
                key=f"cable-starts-as-it-falls:{box.id}",
                rule="cable-starts-as-it-falls",
                severity="risk" if sides else "note",
                title=f"What comes by {box.name} is up to {ms:.1f} ms later, another time at every start",
                evidence=f"Its ends start as it falls: {max(term.spread for term in delays) + 1} delays are possible, "
                "by when either program began.",
                consequence=f"{told}Nobody can trim it: what is measured holds until the next start.",
                items=(box.id,),
                lines=lines,
                mend=partial(_aligned, box),
            )
        )
    return snags


def _aligned(box: Interface) -> tuple[Remedy, ...]:
    edit = SetCable(cable=box.id, values={"start": "aligned"})
    return (Remedy(f"Let the ends of {box.name} start aligned", (edit,)),)


def _parted(reading: Reading) -> set[str]:
    """The stereo lines whose sides go by different cables that start as it falls."""
    found = set()
    for state in reading.lines:
        falling = {
            (leg.start, edge.owner)
            for leg in state.legs
            for arrival in leg.arrivals
            for edge in arrival.route.edges
            if edge.kind == "cable" and any(term.label == "as it falls" for term in arrival.delay.terms)
        }
        if len({owner for _, owner in falling}) > 1 and len({start for start, _ in falling}) > 1:
            found.add(state.line.id)
    return found


@rule("cable", symptoms=("echo", "rings"))
def cable_to_itself(reading: Reading) -> list[Snag]:
    """A program takes from a cable what it plays into the same channel itself."""
    snags = []
    for program, output, item, box, number in _both_ends(reading):
        snags.append(
            Snag(
                key=f"cable-to-itself:{program.id}:{item.id}:{box.id}:{number}",
                rule="cable-to-itself",
                severity="note",
                title=f"{program.name} hears itself through {box.name} {number}",
                evidence=f"Its output {output.name} plays into channel {number} of {box.name}, and its input "
                f"{item.name} takes it from there.",
                consequence="A track that takes this input records what the program plays, later by two blocks and the "
                "margin; monitored, it goes round.",
                items=(program.id, output.id, item.id, box.id),
                mend=partial(_taken_off, program, item, output, reading, box, number),
            )
        )
    return snags


def _both_ends(reading: Reading) -> Iterator[tuple[Program, ProgramPort, ProgramPort, Interface, int]]:
    """Programs with an output into a channel of a cable and an input from it."""
    found = reading.found
    for box in found.boxes:
        for number in range(1, box.playback + 1) if box.cable is not None else ():
            players = [edge for edge in reading.graph.into(Port(box.id, "playback", number)) if edge.block is None]
            takers = [
                edge for edge in reading.graph.leaving.get(Port(box.id, "capture", number), ()) if edge.block is None
            ]
            for player in players:
                for taker in takers:
                    if player.owner != taker.owner:
                        continue
                    output, item = found.items[player.start.owner].item, found.items[taker.end.owner].item
                    program = found.gear[player.owner]
                    assert isinstance(program, Program)
                    assert isinstance(output, ProgramPort)
                    assert isinstance(item, ProgramPort)
                    yield program, output, item, box, number


def _taken_off(
    program: Program, item: ProgramPort, output: ProgramPort, reading: Reading, box: Interface, number: int
) -> tuple[Remedy, ...]:
    streams = reading.found.opened[program.id]
    remedies = []
    for each, bank, words in ((item, "capture", "input"), (output, "playback", "output")):
        channel = streams.channel("capture" if bank == "capture" else "playback", box.id, number)
        for leg, at in enumerate(each.legs, start=1):
            if at is not None and at == channel:
                edit = SetLeg(item=each.id, leg=leg, channel=None)
                said = f"Take {words} {each.name} of {program.name} off channel {at}"
                remedies.append(Remedy(said, (edit,), gives_up=True))
    return distinct(remedies)
