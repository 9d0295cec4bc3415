"""At which tap of a mixer, a box's or a program's, a sound is taken that a line brings to where it is recorded."""

from collections.abc import Sequence
from typing import get_args

from iskelo.core.rig.rig import WantedTap
from iskelo.core.wiring.edge import Edge

_TAPS: dict[str, WantedTap] = {
    "strip_direct": "direct",
    "strip_pre": "before the fader",
    "strip_post": "behind the fader",
}
_ORDER: tuple[WantedTap, ...] = get_args(WantedTap)
"""From the least that a mixer does to a sound to the most."""


def tap_of(edges: Sequence[Edge]) -> WantedTap:
    """The tap of the last box with a mixer before the first program, or, if that does more to the sound, that of a
    program which mixes it on its way; what passes none is raw.
    """
    tap: WantedTap = "raw"
    programs: WantedTap = "raw"
    before_programs = True
    for edge in edges:
        match edge.kind:
            case "from device" | "return":
                before_programs = False
            case "fader" | "mix" | "send":
                programs = max(programs, _in_program(edge), key=_ORDER.index)
            case "raw" | "capture" if before_programs:
                tap = "raw"
            case "mix fader" if before_programs:
                tap = "a mix"
            case "crosspoint" if before_programs and edge.start.bank in _TAPS:
                tap = _TAPS[edge.start.bank]
    return max(tap, programs, key=_ORDER.index)


def _in_program(edge: Edge) -> WantedTap:
    """What a hop of a program does: what is sent before a fader, behind a track's, or what is a bus."""
    match edge.start.bank:
        case "bus" | "bus_pre" | "bus_out":
            return "a mix"
        case "monitor":
            return "before the fader" if edge.kind == "send" else "behind the fader"
        case "post":
            return "behind the fader"
    return "raw"
