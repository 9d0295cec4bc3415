"""Cables: their margin, and what their channels and their clocks have to do with each other."""

from typing import Any

from iskelo.core.edits import edit as e
from iskelo.core.edits.base import Applied, Refused, changed, gear_of, with_gear
from iskelo.core.edits.settable import SETTABLE, say_value
from iskelo.core.edits.single_edit import apply_one
from iskelo.core.rig.cables import Cable
from iskelo.core.rig.gear import Interface
from iskelo.core.rig.rig import Rig


@apply_one.register
def _(edit: e.SetCable, rig: Rig) -> Applied:
    box = gear_of(rig, edit.cable, Interface)
    if box.cable is None:
        raise Refused(box.name, "it is no cable")
    offered = SETTABLE[Cable]
    unknown = next((name for name in edit.values if name not in offered), None)
    if unknown is not None:
        raise Refused(box.name, f"it has no field {unknown!r} that can be set")
    cable = changed(box.cable, box.name, **edit.values)
    said = ", ".join(
        f"{offered[name]} {say_value(getattr(box.cable, name))} → {say_value(getattr(cable, name))}"
        for name in edit.values
    )
    return Applied(with_gear(rig, changed(box, box.name, cable=cable)), f"{box.name}: {said}")


def of_a_cable(box: Interface, values: dict[str, Any]) -> dict[str, Any]:
    """What else changes with these fields of a cable: as many channels out as in, and whom it follows."""
    more = dict(values)
    for bank, other in (("capture", "playback"), ("playback", "capture")):
        if bank in more and other not in more:
            more[other] = more[bank]
    if "follows" in more and "clock_source" not in more:
        more["clock_source"] = "computer" if more["follows"] is None else "device"
    elif more.get("clock_source") == "computer" and "follows" not in more:
        more["follows"] = None
    return more
