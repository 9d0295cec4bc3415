"""Ports: one channel's end on a piece of gear, and how a rig names one."""

from typing import Literal, NamedTuple

Bank = Literal[
    "out",  # a source's own output
    "jack_in",  # an interface's input jack
    "capture",  # a channel that an interface gives to the computer
    "input",  # a leg of a program's named input
    "track",  # what a track records
    "monitor",  # what a track lets through to its output
    "output",  # a leg of a program's named output
    "playback",  # a channel that an interface takes from the computer
    "jack_out",  # an interface's output jack
    "in",  # a destination's own input
]

STAGE: dict[str, int] = {
    "out": 0,
    "jack_in": 1,
    "capture": 2,
    "input": 3,
    "track": 4,
    "monitor": 4,
    "output": 5,
    "playback": 6,
    "jack_out": 7,
    "in": 8,
}
"""How far along the way from a source to a destination a bank stands."""

BANK_WORDS: dict[str, str] = {
    "out": "",
    "jack_in": "jack in",
    "capture": "capture",
    "input": "in",
    "track": "track",
    "monitor": "track",
    "output": "out",
    "playback": "playback",
    "jack_out": "jack out",
    "in": "",
}


class Port(NamedTuple):
    """One port, written in files as ``[owner, bank, number]``.

    ``owner`` is the id of the gear, or, for a program's inputs, tracks and outputs, of that input, track
    or output; ``number`` counts from 1 (for the latter: its leg).
    """

    owner: str
    bank: Bank
    number: int
