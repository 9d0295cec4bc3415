"""Rules about what one program records of what another mixes: before its faders, or behind them."""

from collections.abc import Iterator
from functools import partial

from iskelo.core.edits.additions import AddSends
from iskelo.core.edits.edit import Edit, SetValues
from iskelo.core.lines.context import Reading
from iskelo.core.lines.state import LineState
from iskelo.core.lines.taps import tap_of
from iskelo.core.rig.programs import Program, Send, Track
from iskelo.core.rig.rig import WantedTap
from iskelo.core.snags.rule import Remedy, Snag, rule
from iskelo.core.wiring.edge import Edge


@rule("tracks")
def recorded_behind_faders(reading: Reading) -> list[Snag]:
    """A sound that is wanted alone is recorded behind the fader of another program, where mute and solo silence it too,
    and no line says that it should be.
    """
    by_mixer: dict[str, list[tuple[LineState, Track]]] = {}
    for state in reading.lines:
        if state.line.purpose == "record" and state.line.alone and state.line.tap == "any":
            for program, track in dict(_faders(reading, state)).items():
                by_mixer.setdefault(program, []).append((state, track))
    return [_behind(reading, program, found) for program, found in by_mixer.items()]


def _faders(reading: Reading, state: LineState) -> Iterator[tuple[str, Track]]:
    """The programs behind whose faders a line is taken, each with its track."""
    for leg in state.legs:
        for arrival in leg.arrivals:
            edges = arrival.route.edges
            faders = [edge for edge in edges if edge.kind == "fader"]
            if not faders:
                continue
            # What a program records of its own mixes is meant.
            recorder = reading.found.items[edges[-1].end.owner].program if edges[-1].kind == "record" else None
            if recorder is None or tap_of(edges) != "behind the fader":
                continue
            for edge in faders:
                placed = reading.found.items[edge.owner]
                if isinstance(placed.item, Track) and placed.program.id != recorder.id:
                    yield placed.program.id, placed.item


def _behind(reading: Reading, identity: str, found: list[tuple[LineState, Track]]) -> Snag:
    program = reading.found.gear[identity]
    assert isinstance(program, Program)
    names = ", ".join(dict.fromkeys(track.name for _, track in found))
    # Where the mute reaches before the faders too, other legs would escape the fader alone.
    only_fader = " Mute and solo there silence what is sent before the faders too." if program.mute_kills_pre else ""
    return Snag(
        key=f"recorded-behind-faders:{program.id}",
        rule="recorded-behind-faders",
        severity="note",
        title=f"What {program.name} gives to be recorded is taken behind its faders",
        evidence=f"Track {names} of {program.name}: sent on behind the fader, and recorded alone.{only_fader}",
        consequence="Who moves a fader there, mutes a track or solos another one, does so in the recording as well.",
        lines=tuple(dict.fromkeys(state.line.id for state, _ in found)),
        items=(program.id,),
        mend=partial(_before, reading, tuple(state for state, _ in found)),
    )


def _before(reading: Reading, states: tuple[LineState, ...]) -> tuple[Remedy, ...]:
    edits = [edit for state in states for edit in taken_at(reading, state, "before the fader")]
    edits = [edit for place, edit in enumerate(edits) if edit not in edits[:place]]
    one = f"Take {states[0].line.name}" if len(states) == 1 else f"Take all {len(states)}"
    return (Remedy(f"{one} before the fader", tuple(edits)),) if edits else ()


def taken_at(reading: Reading, state: LineState, wanted: WantedTap) -> list[Edit]:
    """What lays the ways of a line through other programs to a tap of their tracks; nothing where that cannot be."""
    edits: list[Edit] = []
    for leg in state.legs:
        for arrival in leg.arrivals:
            for edge in arrival.route.edges:
                edits += _laid(reading, edge, wanted)
    return [edit for place, edit in enumerate(edits) if edit not in edits[:place]]


def _laid(reading: Reading, edge: Edge, wanted: WantedTap) -> list[Edit]:
    found = reading.found
    placed = found.items.get(edge.owner)
    if placed is None or edge.end.bank != "output":
        return []
    if edge.kind == "send" and isinstance(placed.item, Send):
        of_track = isinstance(found.items[placed.item.item].item, Track)
        if of_track and wanted in ("before the fader", "behind the fader") and placed.item.tap != wanted:
            return [SetValues(item=placed.item.id, values={"tap": wanted})]
    elif edge.kind == "mix" and isinstance(placed.item, Track) and wanted == "before the fader":
        given = (placed.item.id, edge.end.owner, wanted)
        there = next((send for send in placed.program.sends if (send.item, send.to, send.tap) == given), None)
        send: Edit = AddSends(program=placed.program.id, items=(placed.item.id,), to=edge.end.owner, tap=wanted)
        if there is not None:
            send = SetValues(item=there.id, values={"on": True})
        return [SetValues(item=placed.item.id, values={"output": None}), send]
    return []
