"""The kinds of hops: from which bank to which, in which unit, whose doing, and what their delay depends on.

Every reader of hops (delays, levels, stages, drift) is a dispatch over these kinds with a row for each of them, which
``tests/core/test_hops.py`` holds.
"""

from typing import Literal, NamedTuple

from iskelo.core.rig.ports import Bank

HopKind = Literal[
    "lead in",
    "lead back",
    "lead to outboard",
    "outboard",
    "capture",
    "direct",
    "preamp",
    "analogue preamp",
    "raw",
    "source",
    "effects",
    "past",
    "dry",
    "insert send",
    "insert return",
    "strip fader",
    "crosspoint",
    "pan",
    "solo",
    "mix fader",
    "to jack",
    "analogue to jack",
    "to computer",
    "analogue to computer",
    "from computer",
    "analogue from computer",
    "from device",
    "return",
    "record",
    "to far end",
    "monitor",
    "track past",
    "track dry",
    "track send",
    "track return",
    "track solo",
    "fader",
    "mix",
    "send",
    "to device",
    "cable",
    "playback",
    "lead out",
]
Unit = Literal["dBu", "dBFS"]
Side = Literal["dBu", "dBFS", "="]
"""The unit at an end of a hop; =: the one that the way has there."""


Maker = Literal["lead", "interface", "outboard", "program", "track", "item", "mixer"]
"""Whose doing a hop is."""


class HopRow(NamedTuple):
    """What is known of a kind of hop.

    ``before`` and ``after`` are the units of its ends. ``delay``: nothing delays there; the *gear* whose doing it is
    does, always alike; or the *gear and port*, by which it passes. ``device``: a program's device is passed, from it or
    to it.
    """

    starts: frozenset[Bank]
    ends: frozenset[Bank]
    before: Side
    after: Side
    whose: Maker
    delay: Literal["nothing", "gear", "gear and port"]
    device: Literal["", "from", "to"] = ""


def _row(
    starts: tuple[Bank, ...],
    ends: tuple[Bank, ...],
    units: tuple[Side, Side],
    whose: Maker,
    delay: Literal["nothing", "gear", "gear and port"],
    device: Literal["", "from", "to"] = "",
) -> HopRow:
    return HopRow(frozenset(starts), frozenset(ends), *units, whose, delay, device)


_INSIDE: tuple[Side, Side] = ("=", "=")
_ANALOGUE: tuple[Side, Side] = ("dBu", "dBu")
_DIGITAL: tuple[Side, Side] = ("dBFS", "dBFS")

HOPS: dict[HopKind, HopRow] = {
    "lead in": _row(("out",), ("jack_in",), _ANALOGUE, "lead", "nothing"),
    "lead back": _row(("jack_out", "outboard_out"), ("jack_in",), _ANALOGUE, "lead", "nothing"),
    "lead to outboard": _row(("out", "jack_out", "outboard_out"), ("outboard_in",), _ANALOGUE, "lead", "nothing"),
    "outboard": _row(("outboard_in",), ("outboard_out",), _ANALOGUE, "outboard", "gear"),
    "capture": _row(("jack_in",), ("capture",), ("dBu", "dBFS"), "interface", "gear"),
    "direct": _row(("jack_in",), ("jack_out",), _ANALOGUE, "interface", "gear"),
    "preamp": _row(("jack_in",), ("preamp",), ("dBu", "dBFS"), "interface", "gear"),
    "analogue preamp": _row(("jack_in",), ("preamp",), _ANALOGUE, "interface", "nothing"),
    "raw": _row(("preamp",), ("to_computer",), _INSIDE, "mixer", "gear"),
    "source": _row(("preamp", "from_computer", "mix_post"), ("strip_direct",), _INSIDE, "mixer", "gear and port"),
    "effects": _row(("strip_direct",), ("strip_point",), _INSIDE, "mixer", "gear"),
    "past": _row(("strip_point",), ("strip_pre",), _INSIDE, "mixer", "nothing"),
    "dry": _row(("strip_point",), ("strip_pre",), _INSIDE, "mixer", "nothing"),
    "insert send": _row(("strip_point",), ("to_jack",), _INSIDE, "mixer", "nothing"),
    "insert return": _row(("preamp",), ("strip_pre",), _INSIDE, "mixer", "nothing"),
    "strip fader": _row(("strip_pre",), ("strip_post",), _INSIDE, "mixer", "nothing"),
    "crosspoint": _row(("strip_direct", "strip_pre", "strip_post", "mix_post"), ("feed",), _INSIDE, "mixer", "nothing"),
    "pan": _row(("feed",), ("mix", "to_jack", "to_computer"), _INSIDE, "mixer", "nothing"),
    "solo": _row(("strip_pre", "strip_post"), ("mix",), _INSIDE, "mixer", "nothing"),
    "mix fader": _row(("mix",), ("mix_post",), _INSIDE, "mixer", "nothing"),
    "to jack": _row(("to_jack",), ("jack_out",), ("dBFS", "dBu"), "interface", "gear"),
    "analogue to jack": _row(("to_jack",), ("jack_out",), _ANALOGUE, "interface", "nothing"),
    "to computer": _row(("to_computer",), ("capture",), _DIGITAL, "interface", "gear"),
    "analogue to computer": _row(("to_computer",), ("capture",), ("dBu", "dBFS"), "interface", "gear"),
    "from computer": _row(("playback",), ("from_computer",), _DIGITAL, "interface", "gear"),
    "analogue from computer": _row(("playback",), ("from_computer",), ("dBFS", "dBu"), "interface", "gear"),
    "from device": _row(("capture",), ("input",), _DIGITAL, "program", "gear and port", "from"),
    "return": _row(("output",), ("input",), _DIGITAL, "program", "gear and port"),
    "record": _row(("input", "bus_out"), ("track",), _DIGITAL, "track", "nothing"),
    "to far end": _row(("input", "bus_out"), ("track",), _DIGITAL, "track", "gear"),
    "monitor": _row(("input", "bus_out"), ("monitor", "point"), _DIGITAL, "track", "gear"),
    "track past": _row(("point", "bus"), ("monitor", "bus_pre"), _DIGITAL, "item", "nothing"),
    "track dry": _row(("point", "bus"), ("monitor", "bus_pre"), _DIGITAL, "item", "nothing"),
    "track send": _row(("point", "bus"), ("output",), _DIGITAL, "item", "nothing"),
    "track return": _row(("input",), ("monitor", "bus_pre"), _DIGITAL, "item", "nothing"),
    "track solo": _row(("post",), ("output",), _DIGITAL, "item", "nothing"),
    "fader": _row(("monitor", "bus", "bus_pre"), ("post", "bus_out"), _DIGITAL, "item", "nothing"),
    "mix": _row(("post", "voice", "bus_out"), ("bus", "output"), _DIGITAL, "item", "gear"),
    "send": _row(
        ("monitor", "post", "voice", "bus", "bus_pre", "bus_out"), ("bus", "output"), _DIGITAL, "item", "gear"
    ),
    "to device": _row(("output",), ("playback",), _DIGITAL, "program", "gear and port", "to"),
    "cable": _row(("playback",), ("capture",), _DIGITAL, "interface", "gear"),
    "playback": _row(("playback",), ("jack_out",), ("dBFS", "dBu"), "interface", "gear"),
    "lead out": _row(("jack_out", "outboard_out"), ("in",), _ANALOGUE, "lead", "nothing"),
}

LEADS: dict[tuple[Bank, Bank], HopKind] = {
    (start, end): kind for kind, row in HOPS.items() if row.whose == "lead" for start in row.starts for end in row.ends
}
"""The kind of hop that a lead makes, by the banks it joins."""

BETWEEN_PROGRAMS: frozenset[HopKind] = frozenset({"cable", "return"})
"""The hops by which sound gets from one program to another."""

DEVICE_HOPS: frozenset[HopKind] = frozenset(kind for kind, row in HOPS.items() if row.device)
"""Where a program's device is passed: there are buffers, clocks and channel numbers."""
