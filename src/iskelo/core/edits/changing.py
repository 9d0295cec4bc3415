"""The edits that change fields and names."""

import re
from collections.abc import Mapping
from typing import Any

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, gear_of, pruned, with_gear
from iskelo.core.edits.cabling import of_a_cable
from iskelo.core.edits.refilling import HALVES, named_along
from iskelo.core.edits.renewing import DEVICE_FIELDS
from iskelo.core.edits.settable import FIGURES, SETTABLE, say_value
from iskelo.core.edits.single_edit import apply_one, find, place_of
from iskelo.core.edits.ways_phrase import ways_phrase
from iskelo.core.rig.drivers import FILTER_TAPS, Driver, Offsets
from iskelo.core.rig.gear import Aggregate, Interface, Source
from iskelo.core.rig.index import Index, index
from iskelo.core.rig.insert_words import counted, insert_phrase
from iskelo.core.rig.programs import Bus, Hosted, Program, ProgramPort, Track
from iskelo.core.rig.rig import Line, Patch, Rig
from iskelo.core.rig.text import NAME_MAX_CHARACTERS, fold_numbers
from iskelo.core.rig.units import DBV_TO_DBU
from iskelo.core.rig.value import Value


@apply_one.register
def _(edit: e.SetValues, rig: Rig) -> Applied:
    if edit.item == "rig":
        _refuse_unknown(Rig, rig.name, edit.values)
        new = rig.model_copy(update={k: getattr(changed(rig, rig.name, **{k: v}), k) for k, v in edit.values.items()})
        return Applied(new, _words_of(rig.name, rig, new, Rig, index(rig)))
    owner, value, put_back = find(rig, edit.item)
    kind = type(value)
    place = place_of(rig, owner, value)
    _refuse_unknown(kind, place, edit.values)
    values: dict[str, Any] = dict(edit.values)
    if isinstance(value, Interface):
        values = of_a_cable(value, values) if value.cable is not None else _shrunk_direct(value, values)
    if (
        isinstance(value, Line)
        and "purpose" in values
        and "to_ports" not in values
        and values["purpose"] != value.purpose
    ):
        values["to_ports"] = ()
    if isinstance(value, Line):
        values |= _ways(place, values, index(rig))
    if isinstance(value, Source) and isinstance(values.get("level_dbu"), str):
        values |= _level(place, str(values["level_dbu"]))
    if isinstance(value, Aggregate) and values.get("master") is not None:
        gear_of(rig, str(values["master"]), Interface)
    if isinstance(value, Driver):
        values |= _resampling(values) | _offered(value, values)
    if isinstance(value, Program):
        values |= _shut_for(value, values.get("channels_at_most"))
        values |= dict.fromkeys(DEVICE_FIELDS) if values.get("hosted") is not None else {}
    figures = [field for field in values if field in FIGURES.get(kind, ())]
    if figures:
        values["origins"] = {**_origins(value), **dict.fromkeys(figures, edit.origin)}
    new_value = changed(value, place, **values)
    said = _words_of(place, value, new_value, kind, index(rig))
    if isinstance(new_value, Track | Bus) and isinstance(value, Track | Bus) and list(values) == ["insert"]:
        said = f"{place}: {_insert_words(index(rig).items[edit.item].program, value, new_value)}"
    if isinstance(value, Interface):
        assert isinstance(new_value, Interface)
        new_value = _totals_kept(value, new_value)
        for before, after_it in zip(value.drivers, new_value.drivers, strict=True):
            if len(after_it.offsets) < len(before.offsets):
                said += f", what is known of its {before.kind} driver leaves no room for that and is forgotten"
            elif after_it != before:
                said += f", what is known of its {before.kind} driver adds up to the same"
    after = put_back(new_value)
    if isinstance(value, (Line, Patch, Driver)):
        return Applied(after, said)
    after, lost = pruned(after, rig)
    if isinstance(new_value, ProgramPort) and "name" in values:
        after, also = _named_alike(after, new_value)
        said += also
        assert isinstance(value, ProgramPort)
        after, halves = _halves_named(after, value, new_value)
        said += halves
    if rig.names_travel and "name" in values and not isinstance(new_value, Interface | Aggregate | Program):
        after, count, stays = _everywhere(after, getattr(value, "name", ""), str(getattr(new_value, "name", "")))
        said += (f", and {count} more of that name" if count else "") + stays
    return Applied(after, "; ".join([said, *lost]))


def _named_alike(rig: Rig, item: ProgramPort) -> tuple[Rig, str]:
    """A hosted program's output and its return have one name."""
    other = next(
        (
            each
            for program in index(rig).programs()
            for each in (*program.inputs, *program.outputs)
            if item.returns == each.id or each.returns == item.id
        ),
        None,
    )
    if other is None or other.name == item.name:
        return rig, ""
    placed = index(rig).items[other.id]
    beside: tuple[ProgramPort, ...] = getattr(placed.program, f"{placed.side}s")
    if any(each.name.casefold() == item.name.casefold() for each in beside):
        return rig, f"; {placed.program.name} has another {item.name} already"
    owner, value, put_back = find(rig, other.id)
    return put_back(changed(value, owner, name=item.name)), f", in {owner} too"


def _halves_named(rig: Rig, before: ProgramPort, item: ProgramPort) -> tuple[Rig, str]:
    """Pairs and their halves carry names down and up; in words, what was called otherwise along with it."""
    placed = index(rig).items[item.id]
    program, also = named_along(placed.program, f"{placed.side}s", before, item)
    if not also:
        return rig, ""
    return with_gear(rig, program), f", and {' and '.join(also)} with it"


def _insert_words(program: Program, before: Track | Bus, after: Track | Bus) -> str:
    """What has changed about what hangs in a track or a bus, by the names of its ports."""
    old, new = (insert_phrase(program, each.insert) or "none" for each in (before, after))
    if old == new and after.insert is not None:
        return f"insert {counted(after.insert)}"
    return f"insert {old} → {new}"


def _totals_kept(before: Interface, after: Interface) -> Interface:
    """A round trip that was measured, or what a driver reports, stays the same when one of its parts is corrected."""
    more_in, more_out = (sum(getattr(after, each) - getattr(before, each) for each in parts) for parts in _PARTS)
    if not more_in and not more_out:
        return after
    drivers = []
    for driver in after.drivers:
        kept = (_less(known, more_in, more_out) for known in driver.offsets)
        drivers.append(driver.model_copy(update={"offsets": tuple(each for each in kept if each is not None)}))
    return after.model_copy(update={"drivers": tuple(drivers)})


_PARTS = (
    ("converter_in_samples", "mixer_samples", "link_in_samples"),
    ("link_out_samples", "converter_out_samples"),
)
"""The parts of a box's delay beside its driver's offsets, in and out."""


def _less(known: Offsets, more_in: int, more_out: int) -> Offsets | None:
    """Offsets that leave room for so much more of the other parts; None where there is none."""
    into, out = known.in_samples - more_in, known.out_samples - more_out
    if known.origin == "measured":
        # No round trip tells how it is shared: what one way lacks, the other gives.
        into, out = max(0, into) + min(0, out), max(0, out) + min(0, into)
    if into < 0 or out < 0:
        return None
    return known.model_copy(update={"in_samples": into, "out_samples": out})


def _shut_for(program: Program, at_most: Any) -> dict[str, tuple[int, ...]]:
    """Find the channels that stay open when a program opens fewer: those that no name takes are closed first."""
    if not isinstance(at_most, int):
        return {}
    kept: dict[str, tuple[int, ...]] = {}
    idle_in, idle_out = program.idle_channels("input"), program.idle_channels("output")
    for field, on, idle in (
        ("enabled_in", program.enabled_in, idle_in),
        ("enabled_out", program.enabled_out, idle_out),
    ):
        over = len(on) - at_most
        if 0 < over <= len(idle):
            kept[field] = tuple(each for each in on if each not in idle[-over:])
    return kept


def _ways(place: str, values: Mapping[str, Any], found: Index) -> dict[str, tuple[str, ...]]:
    """Find what a line passes, and what it never should, where these are typed as names."""
    typed = {field: text for field in ("through", "never_by") if isinstance(text := values.get(field), str)}
    return {
        field: ways_phrase(found, text, f"{place}, {SETTABLE[Line][field]}", computer=field == "never_by")
        for field, text in typed.items()
    }


def _level(place: str, text: str) -> dict[str, Any]:
    """A level as a panel or a sheet tells it: '+4 dBu', '-10 dBV'; a bare number is dBu."""
    match = re.fullmatch(r"([+\-−]?\d{1,3}(?:[.,]\d{1,4})?)\s*(dbu|dbv)?", text.strip().casefold())
    if match is None:
        raise Refused(f"{place}, level", f"{text.strip()!r} is no level; type for example -38, +4 dBu or -10 dBV")
    number = float(match[1].replace("−", "-").replace(",", "."))
    if match[2] == "dbv":
        return {"level_dbu": round(number + DBV_TO_DBU, 6), "level_unit": "dBV"}
    return {"level_dbu": number} | ({"level_unit": "dBu"} if match[2] else {})


def _origins(value: Value) -> dict[str, str]:
    """Where a thing's figures are from, by field; of whatever kind that keeps it."""
    return dict(getattr(value, "origins", {}))


def _refuse_unknown(kind: type[Value], place: str, values: dict[str, Any]) -> None:
    for field in values:
        if field not in SETTABLE[kind]:
            raise Refused(place, f"it has nothing called {field!r} to set")


def _words_of(place: str, before: Value, after: Value, kind: type[Value], found: Index) -> str:
    said = []
    for field, label in SETTABLE[kind].items():
        old, new = getattr(before, field), getattr(after, field)
        if old != new and field == "name":
            said.append(f"renamed to {new}")
        elif old != new and field in ("notes", "from_ports", "to_ports", "input", "output"):
            said.append(f"{label} changed")
        elif old != new:
            said.append(f"{label} {_told(field, old, found)} → {_told(field, new, found)}")
    if isinstance(before, Program) and isinstance(after, Program) and before.channels_at_most != after.channels_at_most:
        for side, was, on in (
            ("input", before.enabled_in, after.enabled_in),
            ("output", before.enabled_out, after.enabled_out),
        ):
            shut = [channel for channel in was if channel not in on]
            if shut:
                said.append(
                    f"{side} channel{'s' if len(shut) > 1 else ''} {fold_numbers(shut)} shut, which nothing takes"
                )
    for field in FIGURES.get(kind, ()):
        old, new = (_origins(each).get(field, "assumed") for each in (before, after))
        if old != new:
            said.append(f"{SETTABLE[kind][field]} is {new} now")
    return f"{place}: {', '.join(said) or 'nothing changed'}"


def _offered(driver: Driver, values: dict[str, Any]) -> dict[str, Any]:
    """The nearest of the buffers that are offered from now on, where the present one is none of them."""
    sizes = values.get("buffers_samples")
    if "buffer_samples" in values or not isinstance(sizes, list | tuple):
        return {}
    numbers = [size for size in sizes if isinstance(size, int)]
    if not numbers or driver.buffer_samples in numbers:
        return {}
    return {"buffer_samples": min(numbers, key=lambda size: (abs(size - driver.buffer_samples), size))}


def _resampling(values: dict[str, Any]) -> dict[str, Any]:
    """A quality that is chosen says how long resampling takes; a figure that is typed says of no quality."""
    if values.get("resampling_quality") in FILTER_TAPS:
        return {"resampling_samples": FILTER_TAPS[values["resampling_quality"]] // 2}
    return {"resampling_quality": None} if "resampling_samples" in values else {}


OF_OTHERS = ("follows", "master", "far_end", "returns")
"""Fields that name something else of the rig."""


def _told(field: str, value: Any, found: Index) -> str:
    """A value in words; what it names, by its name."""
    if isinstance(value, Hosted):
        return say_value(value).replace(value.leader, found.name(value.leader), 1)
    if field in ("through", "never_by"):
        return found.say_passed(value) or "none"
    known = field in OF_OTHERS and (value in found.gear or value in found.items)
    return found.name(value) if known else say_value(value)


def _shrunk_direct(box: Interface, values: dict[str, Any]) -> dict[str, Any]:
    ins, outs = values.get("jack_in", box.jack_in), values.get("jack_out", box.jack_out)
    if isinstance(ins, int) and isinstance(outs, int):
        kept = tuple(cross for cross in box.direct if cross.jack_in <= ins and cross.jack_out <= outs)
        return {**values, **_kept_switches(box, values, ins), "direct": kept, "trims_db": box.trims_db}
    return values


def _kept_switches(box: Interface, values: dict[str, Any], jacks: int) -> dict[str, Any]:
    """The supplies and impedances that stay on when a box has fewer jacks, or fewer that can; what is typed stays."""
    kept = {}
    for on, able in (("phantom_on", "phantom_jacks"), ("high_impedance_on", "instrument_jacks")):
        most = values.get(able, getattr(box, able))
        if on not in values and (most is None or isinstance(most, int)):
            last = jacks if most is None else min(most, jacks)
            kept[on] = tuple(jack for jack in getattr(box, on) if jack <= last)
    return kept


@apply_one.register
def _(edit: e.RenameEverywhere, rig: Rig) -> Applied:
    rig, count, stays = _everywhere(rig, edit.old, edit.new)
    if not count:
        reason = "nothing has this name; it may have been renamed in another window"
        raise Refused(edit.old, f"the name {edit.new!r} is taken by another wherever it stands" if stays else reason)
    return Applied(rig, f"renamed {edit.old} to {edit.new} in {count} places{stays}")


def _everywhere(rig: Rig, old: str, new: str) -> tuple[Rig, int, str]:
    """The rig with everything of one name called another, how many things that are, and what keeps it, in words.

    Halves and lines that are called after it follow. What would stand beside another of that name keeps its own.
    """
    found = index(rig)
    named: dict[str, tuple[object, str]] = {
        **{gear.id: ("gear", gear.name) for gear in rig.gear},
        # A send and a sync link have no names of their own.
        **{
            identity: ((placed.program.id, placed.side), placed.item.name)
            for identity, placed in found.items.items()
            if placed.side not in ("send", "sync")
        },
        **{line.id: ("line", line.name) for line in rig.lines},
    }
    beside: dict[object, set[str]] = {}
    for place, name in named.values():
        beside.setdefault(place, set()).add(name.casefold())
    count, kept = 0, []
    for identity, (place, name) in named.items() if old else ():
        tail = name[len(old) :]
        if not name.casefold().startswith(old.casefold()) or not (tail in _FOLLOW or tail.startswith(", for ")):
            continue
        wanted = f"{new}{tail}"[:NAME_MAX_CHARACTERS]
        if wanted.casefold() in beside[place]:
            kept.append(name)
            continue
        beside[place].add(wanted.casefold())
        _, value, put_back = find(rig, identity)
        rig = put_back(changed(value, name, name=wanted))
        count += 1
    words = f"; {kept[0]} stays where there is a {new} already" if kept else ""
    return rig, count, words + (f", {len(kept)} times" if kept[1:] else "")


_FOLLOW = ("", ", heard", *HALVES)
"""What may stand behind the name of something in the names of what is called after it."""
