"""Cables: devices without any hardware, which hand on what is played into them."""

from typing import Annotated, Literal

from iskelo.core.rig.value import Margin, Settable, Value

CABLE_MARGIN_SAMPLES = 32
"""What a new cable keeps waiting: two thirds of a millisecond at 48 kHz, more than the jitter of most computers."""


class Cable(Value):
    """What makes a box a cable: all that is played on a channel of it is captured on the same one.

    ``margin_samples`` lie between the blocks that go in and those that come out; so much later than it should may a
    program hand over a block. Where both ends are *aligned*, a sound comes out a fixed time after it went in, whenever
    its programs began; where they start *as it falls*, that time depends on when either began, and nobody knows it.
    """

    margin_samples: Annotated[Margin, Settable("margin", "samples")] = CABLE_MARGIN_SAMPLES
    start: Annotated[Literal["aligned", "as it falls"], Settable("start of its ends")] = "aligned"
