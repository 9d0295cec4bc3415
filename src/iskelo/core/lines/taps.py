"""At which tap of a mixer a sound is taken that a line brings to the computer."""

from collections.abc import Sequence

from iskelo.core.rig.rig import WantedTap
from iskelo.core.wiring.edge import Edge

_TAPS: dict[str, WantedTap] = {
    "strip_direct": "direct",
    "strip_pre": "before the fader",
    "strip_post": "behind the fader",
}


def tap_of(edges: Sequence[Edge]) -> WantedTap:
    """The tap of the last mixer before the first program; what passes none is raw."""
    tap: WantedTap = "raw"
    for edge in edges:
        match edge.kind:
            case "from device":
                break
            case "raw" | "capture":
                tap = "raw"
            case "mix fader":
                tap = "a mix"
            case "crosspoint" if edge.start.bank in _TAPS:
                tap = _TAPS[edge.start.bank]
    return tap
