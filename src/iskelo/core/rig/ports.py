"""Ports: one channel's end on a piece of gear, and how a rig names one."""

from typing import Literal, NamedTuple

Bank = Literal[
    "out",  # a source's own output
    "jack_in",  # an interface's input jack
    "capture",  # a channel that an interface gives to the computer
    "input",  # a leg of a program's named input
    "track",  # what a track records
    "monitor",  # what a track lets through to its output
    "voice",  # a leg of what a program itself sounds
    "bus",  # a leg of a program's bus
    "output",  # a leg of a program's named output
    "playback",  # a channel that an interface takes from the computer
    "jack_out",  # an interface's output jack
    "in",  # a destination's own input
    "word_in",  # an interface's word clock input
    "word_out",  # its word clock output
    "optical_in",  # its optical port, as a clock comes in by it
    "optical_out",  # and goes out by it
]

STAGE: dict[str, int] = {
    "out": 0,
    "jack_in": 1,
    "capture": 2,
    "input": 3,
    "track": 4,
    "monitor": 4,
    "voice": 4,
    "bus": 5,
    "output": 6,
    "playback": 7,
    "jack_out": 8,
    "in": 9,
    "word_in": 10,
    "word_out": 10,
    "optical_in": 10,
    "optical_out": 10,
}
"""How far along the way from a source to a destination a bank stands; clocks' sockets stand on no way."""

BANK_WORDS: dict[str, str] = {
    "out": "",
    "jack_in": "jack in",
    "capture": "capture",
    "input": "in",
    "track": "track",
    "monitor": "track",
    "voice": "voice",
    "bus": "bus",
    "output": "out",
    "playback": "playback",
    "jack_out": "jack out",
    "in": "",
    "word_in": "word clock in",
    "word_out": "word clock out",
    "optical_in": "optical in",
    "optical_out": "optical out",
}

CLOCK_BANKS = ("word_in", "word_out", "optical_in", "optical_out")
"""The sockets that carry a clock; each box has one of a kind at most, a word clock output feeds several."""


class Port(NamedTuple):
    """One port, written in files as ``[owner, bank, number]``.

    ``owner`` is the id of the gear, or, for a program's inputs, tracks and outputs, of that input, track
    or output; ``number`` counts from 1 (for the latter: its leg).
    """

    owner: str
    bank: Bank
    number: int
