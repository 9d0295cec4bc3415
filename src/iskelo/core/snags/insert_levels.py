"""Rules about levels at inserts: what comes back is louder or softer, or the gear gets another level than is meant."""

from functools import partial

from iskelo.core.lines.context import Reading
from iskelo.core.lines.inserts import Trip, hung_in, trips_of
from iskelo.core.planner.stages import STAGES, Stage, Turn, plain, turned
from iskelo.core.rig.units import say_figure
from iskelo.core.snags.inserts import lines_through
from iskelo.core.snags.rule import Remedy, Snag, rule

NEAR_DB = 1.0
"""So near nought an insert counts as it should be; common practice, no published source."""

HIDDEN_DB = 6.0
"""Two stages so far off their places that undo each other are told; common practice, no published source."""


@rule("insert", symptoms=("too quiet", "distorted"), explains=("line-low", "line-hot"))
def insert_level(reading: Reading) -> list[Snag]:
    """What comes back from an insert is louder or softer than what it sends, apart from what the gear in it does."""
    snags = []
    for hung in hung_in(reading.found):
        trips = trips_of(reading, hung) if hung.insert.on else ()
        wrong = [trip for trip in trips if trip.route is not None and abs(trip.gain_db) > NEAR_DB]
        if not wrong:
            continue
        gain_db = wrong[0].gain_db
        way = "louder" if gain_db > 0 else "softer"
        stages = _stages(reading, wrong[0])
        off = [f"{each.words} stands at {say_figure(each.now_db)} dB" for each in stages if abs(each.now_db) > NEAR_DB]
        off = off or ["the full scales of its output and its input differ"]
        snags.append(
            Snag(
                key=f"insert-level:{hung.owner}",
                rule="insert-level",
                severity="risk",
                title=f"The insert of {hung.what} comes back {say_figure(abs(round(gain_db, 1)))} dB {way}",
                evidence=f"From {reading.found.say(hung.sends[0])} to {reading.found.say(hung.backs[0])}"
                f": {'; '.join(off)}.",
                consequence="In and bypassed cannot be compared, and its gear works at another level than meant.",
                items=(hung.owner,),
                lines=lines_through(reading, hung),
                mend=partial(_levelled, reading, wrong),
            )
        )
    return snags


def _stages(reading: Reading, trip: Trip) -> list[Stage]:
    """What can be turned on the way out and back, the gear's own gain left aside."""
    stages: list[Stage] = []
    aim = level = reading.rig.alignment_dbfs
    for edge in trip.route.edges if trip.route is not None else ():
        if edge.kind != "outboard":
            stages += STAGES[edge.kind](edge, level, reading.found, aim)
            level += edge.gain_db
    return stages


def _levelled(reading: Reading, wrong: list[Trip]) -> tuple[Remedy, ...]:
    turns = {turn.stage.key: turn for trip in wrong for turn in turned(_stages(reading, trip), -trip.gain_db)}
    if not turns:
        return ()
    edits = tuple(turn.stage.make(turn.to_db) for turn in turns.values())
    words = "; ".join(f"turn {turn.words}" for turn in turns.values())
    return (Remedy(words[:1].upper() + words[1:], edits),)


@rule("insert", symptoms=("too quiet", "distorted"))
def insert_gets_another_level(reading: Reading) -> list[Snag]:
    """What hangs in an insert gets another level than is meant for it, and what comes back hides that."""
    snags = []
    for hung in hung_in(reading.found):
        trips = trips_of(reading, hung) if hung.insert.on else ()
        for trip in trips:
            out, back = _out_and_back(reading, trip)
            off_db = sum(stage.off_db for stage in out)
            if trip.route is None or abs(trip.gain_db) > NEAR_DB or abs(off_db) < HIDDEN_DB or not trip.outboard:
                continue
            gear = trip.outboard[0].name
            # What the way out gives too little the way back gives too much.
            turns = [Turn(each, round(each.now_db - each.off_db, 1)) for each in out if abs(each.off_db) > NEAR_DB]
            turns += turned(back, off_db)
            stand = "; ".join(f"{turn.stage.words} stands at {plain(turn.stage.now_db)} dB" for turn in turns)
            much = f"{plain(abs(off_db))} dB {'less' if off_db < 0 else 'more'}"
            snags.append(
                Snag(
                    key=f"insert-gets-another-level:{hung.owner}",
                    rule="insert-gets-another-level",
                    severity="risk",
                    title=f"{gear} in the insert of {hung.what} gets {much} than is meant for it",
                    evidence=f"{stand[:1].upper()}{stand[1:]}: they undo each other.",
                    consequence="The meters agree before and behind it, but the gear works at another level, nearer to "
                    f"its {'noise' if off_db < 0 else 'limit'}.",
                    items=(hung.owner, trip.outboard[0].id),
                    lines=lines_through(reading, hung),
                    mend=partial(_in_their_places, turns),
                )
            )
            break
    return snags


def _out_and_back(reading: Reading, trip: Trip) -> tuple[list[Stage], list[Stage]]:
    """What can be turned on the way to an insert's gear, and on the way back from it."""
    sides: tuple[list[Stage], list[Stage]] = ([], [])
    aim = level = reading.rig.alignment_dbfs
    behind = 0
    for edge in trip.route.edges if trip.route is not None else ():
        if edge.kind == "outboard":
            behind = 1
            continue
        sides[behind].extend(STAGES[edge.kind](edge, level, reading.found, aim))
        level += edge.gain_db
    return sides


def _in_their_places(turns: list[Turn]) -> tuple[Remedy, ...]:
    words = "; ".join(f"turn {turn.words}" for turn in turns)
    return (Remedy(words[:1].upper() + words[1:], tuple(turn.stage.make(turn.to_db) for turn in turns)),)
