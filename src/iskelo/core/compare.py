"""What a change would do, or what lies between two states of a rig: now and after."""

from dataclasses import dataclass
from typing import Any

from iskelo.core.edits.apply import apply
from iskelo.core.edits.edit import Edit
from iskelo.core.edits.moved import moved_names
from iskelo.core.edits.settable import SETTABLE, say_value
from iskelo.core.rig.drivers import Driver
from iskelo.core.rig.gear import Aggregate, Destination, Interface, Member, Source
from iskelo.core.rig.index import Index
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Port
from iskelo.core.rig.programs import Bus, FarEnd, Program, ProgramPort, Send, Track, Voice
from iskelo.core.rig.rig import Line, Patch, Rig
from iskelo.core.rig.syncs import SyncLink
from iskelo.core.rig.value import Value
from iskelo.core.survey import LineView, SnagView, Surveyed, survey_again


@dataclass(frozen=True, slots=True)
class Change:
    """One row of a comparison: what, now and after."""

    what: str
    now: str
    after: str


@dataclass(frozen=True, slots=True)
class NowAfter:
    """A change computed and shown, not made."""

    words: str
    arriving_now: int
    arriving_after: int
    wanted_after: int
    lines: tuple[Change, ...]
    numbers: tuple[Change, ...]
    settings: tuple[Change, ...]
    new_snags: tuple[str, ...]
    gone_snags: tuple[str, ...]
    harms: bool
    """Whether it takes anything away: a line that arrived, a lead, an end of a line, the channel behind a name."""


def trial(rig: Rig, edits: tuple[Edit, ...], before: Surveyed | None = None) -> NowAfter:
    """What edits would do: lines, numbers and snags before and after. Raises Refused like ``apply``.

    ``before``: the survey of this very rig, if it is at hand.
    """
    applied = apply(rig, edits)
    now = before or survey_again(rig, None)
    return compare(now, survey_again(applied.rig, now), applied.words)


def compare_rigs(earlier: Rig, later: Rig, words: str) -> NowAfter:
    """What lies between two states of a rig: lines, numbers, settings, snags; *now* is the earlier one."""
    then = survey_again(earlier, None)
    return compare(then, survey_again(later, then), words)


def compare(earlier: Surveyed, later: Surveyed, words: str) -> NowAfter:
    """The differences between two surveys that a person must see before a change is made."""
    now, after = earlier.survey, later.survey
    before = {line.id: line for line in now.lines}
    lines = []
    numbers = []
    # Lines that begin or cease to arrive come first, then those that only arrive sooner or later.
    for line in sorted(after.lines, key=lambda each: _same_headline(before.get(each.id), each)):
        old = before.get(line.id)
        if old is None or say_state(old) != say_state(line):
            lines.append(Change(line.name, say_state(old) if old else "not there", say_state(line)))
        for column, station in enumerate(line.stations):
            was = old.stations[column] if old else None
            if was and was.number and station.number and was.number != station.number:
                numbers.append(Change(f"{line.name}, {station.label}", was.number, station.number))
    for each in moved_names(earlier.reading.found, later.reading.found):
        if each.joined:
            was_said, now_said = (
                f"{number or 'none'} ({behind})"
                for number, behind in ((each.channel_before, each.was), (each.channel, each.now))
            )
            numbers.append(Change(f"{each.program}, {each.name}", was_said, now_said))
    kept = {line.id for line in after.lines}
    lines += [Change(line.name, say_state(line), "gone") for line in now.lines if line.id not in kept]
    return NowAfter(
        words=words,
        arriving_now=now.vitals.arriving,
        arriving_after=after.vitals.arriving,
        wanted_after=after.vitals.wanted,
        lines=tuple(lines),
        numbers=tuple(numbers),
        settings=changed_settings(earlier.reading.found, later.reading.found),
        new_snags=_beyond(after.snags, now.snags),
        gone_snags=_beyond(now.snags, after.snags),
        harms=_harms(earlier, later),
    )


def _harms(earlier: Surveyed, later: Surveyed) -> bool:
    before, after = earlier.reading, later.reading
    arriving = {line.id for line in later.survey.lines if line.headline == "arrives"}
    ends = {line.id: len(line.from_ports) + len(line.to_ports) for line in after.rig.lines}
    return (
        any(line.headline == "arrives" and line.id not in arriving for line in earlier.survey.lines)
        or any(patch not in after.found.patches for patch in before.found.patches)
        or any(len(line.from_ports) + len(line.to_ports) > ends.get(line.id, 0) for line in before.rig.lines)
        or any(each.strays and each.was != "nothing" for each in moved_names(before.found, after.found))
    )


def _beyond(snags: tuple[SnagView, ...], others: tuple[SnagView, ...]) -> tuple[str, ...]:
    """The titles of snags that others do not tell already: by their key, or by the same rule on the same lines."""
    keys = {snag.key for snag in others}
    told: dict[str, set[str]] = {}
    for snag in others:
        told.setdefault(snag.rule, set()).update(snag.lines)
    return tuple(
        snag.title
        for snag in snags
        if snag.key not in keys and not (snag.lines and set(snag.lines) <= told.get(snag.rule, set()))
    )


def _same_headline(old: LineView | None, new: LineView) -> bool:
    return old is not None and old.headline == new.headline


def say_state(line: LineView) -> str:
    """A line's state in a few words: 'arrives, 8.02 ms', 'doubled, 1.23 / 8.02 ms', 'silent'."""
    if line.earliest_ms is None or line.latest_ms is None:
        return line.headline
    mark = "~" if line.delay_assumed else ""
    if line.earliest_samples == line.latest_samples:
        return f"{line.headline}, {mark}{line.latest_ms:.2f} ms"
    return f"{line.headline}, {mark}{line.earliest_ms:.2f} / {line.latest_ms:.2f} ms"


_CONTENTS = ("id", "kind", "inputs", "outputs", "tracks", "voices", "buses", "sends", "syncs", "drivers", "origins")
"""Fields that are no setting, or that hold things which are compared one by one."""


def changed_settings(before: Index, after: Index) -> tuple[Change, ...]:
    """Every setting of gear, drivers, inputs, tracks, leads and lines that differs; things come and gone as one row."""
    old, new = _things(before), _things(after)
    changes = [Change(_place(before, old[each]), "there", "gone") for each in old if each not in new]
    for identity, value in new.items():
        was = old.get(identity)
        if was is None:
            changes.append(Change(_place(after, value), "not there", "there"))
        elif was is not value:
            changes += _fields(_place(after, value), (before, was), (after, value))
    return tuple(changes)


def _things(found: Index) -> dict[str, Value]:
    """Everything that has settings, by id."""
    things: dict[str, Value] = {**found.gear, **{identity: placed.item for identity, placed in found.items.items()}}
    drivers = {identity: driver for identity, (_, driver) in found.drivers.items()}
    return {**things, **drivers, **found.patches, **found.lines}


def _place(found: Index, value: Value) -> str:
    """What a person calls a thing, with whose it is."""
    match value:
        case Patch():
            return f"lead from {found.say(value.from_port)} to {found.say(value.to_port)}"
        case Line():
            return f"line {value.name}"
        case Driver():
            box, _ = found.drivers[value.id]
            return f"{box.name}, {value.kind} driver"
        case Source() | Interface() | Outboard() | Aggregate() | Program() | Destination():
            return value.name
        case Send():
            return f"{found.items[value.id].program.name}, {found.say_send(value)}"
        case SyncLink():
            return found.say_sync(value)
        case ProgramPort() | Track() | Voice() | Bus():
            placed = found.items[value.id]
            return f"{placed.program.name}, {placed.side} {value.name}"
    raise TypeError(type(value).__name__)


def _fields(place: str, earlier: tuple[Index, Value], later: tuple[Index, Value]) -> list[Change]:
    (before, old), (after, new) = earlier, later
    changes = []
    for field in type(new).model_fields:
        was, now = getattr(old, field), getattr(new, field)
        if field in _CONTENTS or was == now:
            continue
        label = SETTABLE.get(type(new), {}).get(field, field.replace("_", " "))
        if field == "notes":
            changes.append(Change(f"{place}, {label}", "changed", "changed"))
        elif field.endswith("trims_db"):
            changes += [
                Change(
                    f"{place}, trim (dB) of jack {'out' if field.startswith('out') else 'in'} {jack}",
                    *map(say_value, pair),
                )
                for jack, pair in enumerate(zip(was, now, strict=False), start=1)
                if pair[0] != pair[1]
            ]
        else:
            changes.append(Change(f"{place}, {label}", _say(before, was), _say(after, now)))
    return changes


def _say(found: Index, value: Any) -> str:
    """A value as a person reads it: ids by their names, ports in words."""
    match value:
        case Port():
            return found.say(value) if found.exists(value) else "what is gone"
        case Member():
            matched = ", matched" if value.matched else ""
            return (found.name(value.device) if value.device in found.gear else "what is gone") + matched
        case FarEnd():
            return say_value(value)
        case Value():
            fields = ((name, getattr(value, name)) for name in type(value).model_fields)
            return " ".join(f"{name.replace('_', ' ')} {_say(found, each)}" for name, each in fields)
        case tuple():
            return "; ".join(_say(found, each) for each in value) or "none"
        case str() if value in found.gear or value in found.items:
            return found.name(value)
    return say_value(value)
