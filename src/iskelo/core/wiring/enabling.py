"""How channels of a program's device are opened, also where the program can open no more of them."""

from typing import Literal

from iskelo.core.edits.edit import EnableChannels
from iskelo.core.rig.programs import Program
from iskelo.core.values import Fact, fact

Side = Literal["input", "output"]
Enabling = tuple[tuple[EnableChannels, ...], Fact]
"""The edits that open channels, and what they come to."""


def enabling(program: Program, side: Side, channels: tuple[int, ...]) -> Enabling | None:
    """Find the edits that open these channels of a program, and what they come to.

    Where the program can open no more, they first close as many channels that none of its names takes. None if its
    names take them all.
    """
    on = program.enabled_in if side == "input" else program.enabled_out
    edits: tuple[EnableChannels, ...] = (EnableChannels(program=program.id, side=side, channels=channels),)
    more = len(set(channels) - set(on))
    over = 0 if program.channels_at_most is None else len(on) + more - program.channels_at_most
    told = {"side": side, "channels": channels, "program": program.id}
    if over <= 0:
        return edits, fact("enable channels", **told)
    spare = program.idle_channels(side, channels)[-over:]
    if len(spare) < over:
        return None
    shut = EnableChannels(program=program.id, side=side, channels=spare, on=False)
    return (shut, *edits), fact("enable channels instead", **told, spare=spare)
