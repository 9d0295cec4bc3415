"""Where in a rig something is called so: for finding a rig by what is in it."""

from iskelo.core.rig.index import index
from iskelo.core.rig.rig import Rig


def where_named(rig: Rig, wanted: str) -> tuple[str, ...]:
    """Everything in a rig whose name, or a line's tag, holds what is wanted: 'Alma', 'track Alma of Longhand'.

    Gear first, then lines, then what is inside gear.
    """
    sought = wanted.casefold()
    found = index(rig)
    told = [gear.name for gear in rig.gear if sought in gear.name.casefold()]
    told += [
        f"line {line.name}" + (f" ({line.tag})" if sought in line.tag.casefold() else "")
        for line in rig.lines
        if sought in line.name.casefold() or (line.tag and sought in line.tag.casefold())
    ]
    told += [
        f"{placed.side} {placed.item.name} of {placed.program.name}"
        for placed in found.items.values()
        if placed.side not in ("send", "sync") and sought in placed.item.name.casefold()
    ]
    for box in found.boxes:
        mixer = box.mixer
        if mixer is not None:
            told += [f"strip {strip.name} of {box.name}" for strip in mixer.strips if sought in strip.name.casefold()]
            told += [f"mix {mix.name} of {box.name}" for mix in mixer.mixes if sought in mix.name.casefold()]
    return tuple(dict.fromkeys(told))
