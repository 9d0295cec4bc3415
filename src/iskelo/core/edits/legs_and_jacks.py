"""The edits of legs, channels and jacks: where names stand, what is enabled, direct monitoring, trims, switches."""

import itertools
from collections.abc import Sequence
from typing import Literal

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, gear_of, with_gear
from iskelo.core.edits.settable import say_value
from iskelo.core.edits.single_edit import apply_one, at_one_stroke, find
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.index import index
from iskelo.core.rig.programs import Program, ProgramPort
from iskelo.core.rig.rig import Rig


@apply_one.register
def _(edit: e.SetLeg, rig: Rig) -> Applied:
    rig, (words,) = _legs_set(rig, [edit])
    return Applied(rig, words)


@at_one_stroke(e.SetLeg, "channels of names set")
def _legs_set(rig: Rig, edits: Sequence[e.SetLeg]) -> tuple[Rig, list[str]]:
    """The rig with these legs of names on other channels, and each in words."""
    found = index(rig)
    new: dict[str, ProgramPort] = {}
    words: list[str] = []
    for edit in edits:
        owner, item, _ = find(rig, edit.item)
        if not isinstance(item, ProgramPort):
            raise Refused(owner, "only a program's inputs and outputs have legs")
        if edit.leg > len(item.legs):
            raise Refused(f"{owner}, {item.name}", f"it has no leg {edit.leg}")
        before = new.get(item.id, item)
        legs = tuple(edit.channel if leg == edit.leg else old for leg, old in enumerate(before.legs, start=1))
        new[item.id] = changed(before, f"{owner}, {item.name}", legs=legs)
        old = say_value(before.legs[edit.leg - 1])
        words.append(f"{owner}, {item.name}: channel {old} → {say_value(edit.channel)}")
    for program in dict.fromkeys(found.items[each].program.id for each in new):
        before_it = gear_of(rig, program, Program)
        fields = {
            field: tuple(new.get(item.id, item) for item in getattr(before_it, field))
            for field in ("inputs", "outputs")
        }
        rig = with_gear(rig, before_it.model_copy(update=fields))
    return rig, words


@apply_one.register
def _(edit: e.FillChannels, rig: Rig) -> Applied:
    channel = edit.first_channel
    last = channel
    owner = ""
    for identity in edit.items:
        owner, item, put_back = find(rig, identity)
        if not isinstance(item, ProgramPort):
            raise Refused(owner, "only a program's inputs and outputs have channels to fill")
        legs = tuple(channel + leg for leg in range(len(item.legs)))
        last, channel = legs[-1], channel + len(legs)
        rig = put_back(changed(item, f"{owner}, {item.name}", legs=legs))
    return Applied(rig, f"{owner}: filled channels {edit.first_channel}–{last} ascending")


@apply_one.register
def _(edit: e.EnableChannels, rig: Rig) -> Applied:
    program = gear_of(rig, edit.program, Program)
    field = "enabled_in" if edit.side == "input" else "enabled_out"
    before = set(getattr(program, field))
    after = before | set(edit.channels) if edit.on else before - set(edit.channels)
    program = changed(program, program.name, **{field: tuple(after)})
    verb = "enabled" if edit.on else "disabled"
    return Applied(with_gear(rig, program), f"{program.name}: {verb} {edit.side} {say_value(edit.channels)}")


@apply_one.register
def _(edit: e.SetDirect, rig: Rig) -> Applied:
    box = gear_of(rig, edit.interface, Interface)
    place = f"{box.name}, direct monitoring from jack in {edit.jack_in} to jack out {edit.jack_out}"
    others = [c for c in box.direct if (c.jack_in, c.jack_out) != (edit.jack_in, edit.jack_out)]
    if edit.gain_db is None:
        return Applied(with_gear(rig, box.model_copy(update={"direct": tuple(others)})), f"{place}: off")
    cross = {"jack_in": edit.jack_in, "jack_out": edit.jack_out, "gain_db": edit.gain_db, "muted": edit.muted}
    direct = sorted(
        [*(c.model_dump() for c in others), cross],
        key=lambda c: (int(c["jack_in"] or 0), int(c["jack_out"] or 0)),
    )
    new = changed(box, place, direct=tuple(direct))
    return Applied(with_gear(rig, new), f"{place}: {'muted' if edit.muted else f'{edit.gain_db:g} dB'}")


@apply_one.register
def _(edit: e.SetTrim, rig: Rig) -> Applied:
    return _trimmed(rig, edit.interface, "in", edit.jack_in, edit.trim_db)


@apply_one.register
def _(edit: e.SetOutputTrim, rig: Rig) -> Applied:
    return _trimmed(rig, edit.interface, "out", edit.jack_out, edit.trim_db)


def _trimmed(rig: Rig, identity: str, side: Literal["in", "out"], number: int, trim_db: float) -> Applied:
    box = gear_of(rig, identity, Interface)
    field = "trims_db" if side == "in" else "output_trims_db"
    trims: tuple[float, ...] = getattr(box, field)
    if number > len(trims):
        raise Refused(box.name, f"there is no jack {side} {number}; it has {len(trims)}")
    new = tuple(trim_db if jack == number else old for jack, old in enumerate(trims, start=1))
    said = f"{box.name}, jack {side} {number}: trim {trim_db:g} dB"
    return Applied(with_gear(rig, changed(box, box.name, **{field: new})), said)


@apply_one.register
def _(edit: e.SetJack, rig: Rig) -> Applied:
    rig, (words,) = _jacks_set(rig, [edit])
    return Applied(rig, words)


@at_one_stroke(e.SetJack, "jacks switched")
def _jacks_set(rig: Rig, edits: Sequence[e.SetJack]) -> tuple[Rig, list[str]]:
    """The rig with these jacks switched, and each in words; jacks of one box that follow each other are one change."""
    words: list[str] = []
    for identity, some in itertools.groupby(edits, lambda each: each.interface):
        box = gear_of(rig, identity, Interface)
        on = {field: list(getattr(box, field)) for field, _ in _SWITCHED}
        place = ""
        for edit in some:
            place = f"{box.name}, jack in {edit.jack_in}"
            if edit.jack_in > box.jack_in:
                raise Refused(box.name, f"there is no jack in {edit.jack_in}; it has {box.jack_in}")
            said = []
            for (field, what), wanted in zip(_SWITCHED, (edit.phantom, edit.high_impedance), strict=True):
                if wanted is not None:
                    others = [jack for jack in on[field] if jack != edit.jack_in]
                    on[field] = [*others, edit.jack_in] if wanted else others
                    said.append(f"{what} {say_value(wanted)}")
            words.append(f"{place}: {', '.join(said) or 'nothing changed'}")
        rig = with_gear(rig, changed(box, place, **{field: tuple(jacks) for field, jacks in on.items()}))
    return rig, words


_SWITCHED = (("phantom_on", "phantom supply"), ("high_impedance_on", "high impedance"))
"""What can be switched at a jack: the field of its box, and what it is called."""
