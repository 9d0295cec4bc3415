"""The check report: what a take showed, line by line and place by place, predicted and measured."""

from collections.abc import Iterator

from iskelo.core.linecheck.rows import CopyRow, Ledger, SoundRow, TargetRow
from iskelo.core.paperwork.sheet import Checked, SheetTable, table
from iskelo.core.rig.units import say_figure


def check_tables(checked: Checked) -> tuple[SheetTable, ...]:
    """What was proved, what was heard where, what programs and clocks missed, where clips lie."""
    ledger = checked.ledger
    if ledger is None:
        return (table("Lines", "Line 2 | Verdict 1 | Why 4", (), "no line check is done yet"),)
    return (_lines(ledger), _heard(ledger), *_missed(ledger), *_clips(ledger))


def check_notes(checked: Checked, revision: int) -> tuple[str, ...]:
    """Of which take the report is, and what it is no proof of."""
    ledger = checked.ledger
    if ledger is None:
        return ()
    old = "" if checked.revision == revision else f"; the rig is at revision {revision} now, so some of it may be old"
    notes = [f"Take {checked.number} on the twin, of revision {checked.revision}{old}."]
    if checked.faults:
        notes.append(f"Run with these faults switched on: {', '.join(checked.faults)}.")
    proved = sum(line.proved for line in ledger.lines)
    notes.append(
        f"{proved} of {len(ledger.lines)} lines proved; {ledger.as_wanted} of {ledger.wanted} places heard as wanted; "
        f"{ledger.agreeing} agree with the prediction{f', {ledger.untold} cannot be told' if ledger.untold else ''}."
    )
    notes.append("The twin proves the plan. What is plugged in the room, only a recording of the room proves.")
    return tuple(notes)


def _lines(ledger: Ledger) -> SheetTable:
    rows = ((row.name, "proved" if row.proved else "not proved", row.words) for row in ledger.lines)
    return table("Lines", "Line 2 | Verdict 1 | Why 4", rows, "no line was checked")


def _heard(ledger: Ledger) -> SheetTable:
    columns = (
        "Where 2 | Wanted 1.5 | Heard 1.8 | Delay, ms 0.9 > | samples 0.9 > | Off by 0.7 > | dBFS 0.7 > | State 1.2"
    )
    rows = (row for target in ledger.targets for row in _target(target))
    return table("Heard, place by place", columns, rows, "nothing was listened to")


def _target(target: TargetRow) -> Iterator[tuple[str, ...]]:
    """A row for each copy of each sound; one that says so where nothing was heard."""
    first = True
    for sound in target.sounds:
        for copy in sound.copies:
            where = (target.name, ", ".join(target.wanted)) if first else ("", "")
            yield (*where, _sound(sound), *_copy(copy), target.state if first else "")
            first = False
    if first:
        yield (target.name, ", ".join(target.wanted), "nothing", "", "", "", "", target.state)


def _sound(sound: SoundRow) -> str:
    return sound.name if sound.wanted else f"{sound.name} (not wanted)"


def _copy(copy: CopyRow) -> tuple[str, str, str, str]:
    off = copy.difference
    return (
        say_figure(copy.delay_ms, 2),
        say_figure(copy.delay_samples, 1),
        say_figure(off, 1) if off is not None else "",
        f"{say_figure(copy.level_dbfs, 1)}{' reversed' if copy.polarity < 0 else ''}",
    )


def _missed(ledger: Ledger) -> Iterator[SheetTable]:
    late = [(each.name, str(each.blocks), str(each.missed)) for each in ledger.missed]
    if late:
        yield table("Programs that were read", "Program 2 | Blocks 1 > | Not finished in time 1 >", late)
    if ledger.slips:
        rows = (
            (each.device, each.box, "in" if each.inward else "out", say_figure(each.time_s, 2), str(each.samples))
            for each in ledger.slips
        )
        columns = "Opened by 2 | Box 2 | Way 0.6 | At, s 1 > | Samples 1 >"
        yield table("Slips between clocks", columns, rows)


def _clips(ledger: Ledger) -> Iterator[SheetTable]:
    if ledger.clips:
        rows = ((each.leader, each.follower, each.name, each.words) for each in ledger.clips)
        yield table("Clips of programs that keep time", "Leader 1 | Follower 1 | Track 1 | Where they lie 3", rows)
