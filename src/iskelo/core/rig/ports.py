"""Ports: one channel's end on a piece of gear, and how a rig names one."""

from collections.abc import Callable
from functools import partial
from typing import Literal, NamedTuple

Bank = Literal[
    "out",  # a source's own output
    "jack_in",  # an interface's input jack
    "preamp",  # an input of a mixer, behind the preamplifier
    "strip_direct",  # a strip behind its source switch, trim and polarity
    "strip_point",  # behind its effects, where an insert hangs
    "strip_pre",  # before its fader
    "strip_post",  # behind it
    "feed",  # what a strip or a mix gives to one place
    "mix",  # a leg of a mixer's mix: the sum of what it takes
    "mix_post",  # the same behind its fader
    "to_computer",  # what a mixer lays on a channel for the computer
    "from_computer",  # what comes from the computer inside a mixer
    "to_jack",  # what a mixer lays on an output jack
    "capture",  # a channel that an interface gives to the computer
    "input",  # a leg of a program's named input
    "track",  # what a track records
    "point",  # a monitored track behind its effects, where an insert hangs
    "monitor",  # what a track lets through, before its fader
    "post",  # the same behind its fader
    "voice",  # a leg of what a program itself sounds
    "bus",  # a leg of a program's bus: the sum of what it takes
    "bus_pre",  # the same behind an insert
    "bus_out",  # the same behind the bus's fader
    "output",  # a leg of a program's named output
    "playback",  # a channel that an interface takes from the computer
    "jack_out",  # an interface's output jack
    "outboard_in",  # what goes into outboard gear
    "outboard_out",  # and what comes out of it
    "in",  # a destination's own input
    "word_in",  # an interface's word clock input
    "word_out",  # its word clock output
    "optical_in",  # its optical port, as a clock comes in by it
    "optical_out",  # and goes out by it
]

Owner = Literal[
    "source", "interface", "outboard", "strip", "mix", "feed", "input", "track", "voice", "bus", "output", "destination"
]
Column = Literal["source", "box_in", "computer_in", "program_in", "track", "out"]
COLUMNS: tuple[Column, ...] = ("source", "box_in", "computer_in", "program_in", "track", "out")


class BankRow(NamedTuple):
    """What is known of a bank.

    ``words``: how a port of it is told. ``carries``: what passes there. ``owner``: whose ports these are. ``stage``:
    how far along the way from a source to a destination they stand. ``column``: where they are shown on Lines; None
    where no line passes. ``plugged``: a person can put a lead there.
    """

    words: str
    carries: Literal["audio", "clock"]
    owner: Owner
    stage: int
    column: Column | None
    plugged: bool


BANK_TABLE: dict[Bank, BankRow] = {
    "out": BankRow("", "audio", "source", 0, "source", plugged=True),
    "outboard_in": BankRow("in", "audio", "outboard", 1, "box_in", plugged=True),
    "outboard_out": BankRow("out", "audio", "outboard", 2, "box_in", plugged=True),
    "jack_in": BankRow("jack in", "audio", "interface", 3, "box_in", plugged=True),
    "preamp": BankRow("preamplifier", "audio", "interface", 4, "box_in", plugged=False),
    "strip_direct": BankRow("direct tap", "audio", "strip", 5, "box_in", plugged=False),
    "strip_point": BankRow("insert point", "audio", "strip", 6, "box_in", plugged=False),
    "strip_pre": BankRow("before the fader", "audio", "strip", 7, "box_in", plugged=False),
    "strip_post": BankRow("behind the fader", "audio", "strip", 8, "box_in", plugged=False),
    "feed": BankRow("feed", "audio", "feed", 9, "box_in", plugged=False),
    "mix": BankRow("mix", "audio", "mix", 10, "box_in", plugged=False),
    "mix_post": BankRow("mix behind its fader", "audio", "mix", 11, "box_in", plugged=False),
    "to_computer": BankRow("feed to channel", "audio", "interface", 12, "box_in", plugged=False),
    "capture": BankRow("capture", "audio", "interface", 13, "computer_in", plugged=False),
    "input": BankRow("in", "audio", "input", 14, "program_in", plugged=False),
    "track": BankRow("track", "audio", "track", 15, "track", plugged=False),
    "point": BankRow("insert point of track", "audio", "track", 15, "track", plugged=False),
    "monitor": BankRow("track", "audio", "track", 15, "track", plugged=False),
    "voice": BankRow("voice", "audio", "voice", 15, "source", plugged=False),
    "post": BankRow("track", "audio", "track", 16, "track", plugged=False),
    "bus": BankRow("bus", "audio", "bus", 17, "out", plugged=False),
    "bus_pre": BankRow("bus", "audio", "bus", 17, "out", plugged=False),
    "bus_out": BankRow("bus", "audio", "bus", 18, "out", plugged=False),
    "output": BankRow("out", "audio", "output", 19, "out", plugged=False),
    "playback": BankRow("playback", "audio", "interface", 20, "out", plugged=False),
    "from_computer": BankRow("return", "audio", "interface", 21, "out", plugged=False),
    "to_jack": BankRow("feed to jack", "audio", "interface", 22, "out", plugged=False),
    "jack_out": BankRow("jack out", "audio", "interface", 23, "out", plugged=True),
    "in": BankRow("", "audio", "destination", 24, "out", plugged=True),
    "word_in": BankRow("word clock in", "clock", "interface", 25, None, plugged=True),
    "word_out": BankRow("word clock out", "clock", "interface", 25, None, plugged=True),
    "optical_in": BankRow("optical in", "clock", "interface", 25, None, plugged=True),
    "optical_out": BankRow("optical out", "clock", "interface", 25, None, plugged=True),
}
"""Every bank; whatever reads banks reads them here."""

STAGE: dict[str, int] = {bank: row.stage for bank, row in BANK_TABLE.items()}
"""How far along the way a bank stands; where sound passes is told by the graph alone."""

BANK_WORDS: dict[str, str] = {bank: row.words for bank, row in BANK_TABLE.items()}

CLOCK_BANKS = tuple(bank for bank, row in BANK_TABLE.items() if row.carries == "clock")
"""The sockets that carry a clock; each box has one of a kind at most, a word clock output feeds several."""


class Port(NamedTuple):
    """One port, written in files as ``[owner, bank, number]``.

    ``owner`` is the id of the gear, or, for a program's inputs, tracks and outputs, of that input, track
    or output; ``number`` counts from 1 (for the latter: its leg).
    """

    owner: str
    bank: Bank
    number: int


port_of: Callable[[tuple[str, Bank, int]], Port] = partial(tuple.__new__, Port)
"""A port from all its parts, without a Python call: a large rig has thousands of them."""
