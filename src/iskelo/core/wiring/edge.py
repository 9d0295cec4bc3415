"""Edges: one hop each, and how many are made at once."""

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from iskelo.core.rig.gear import Interface
from iskelo.core.rig.outboard import Outboard
from iskelo.core.rig.ports import Bank, Port, port_of
from iskelo.core.rig.rig import Patch
from iskelo.core.rig.units import HALF_DB
from iskelo.core.wiring.blocks import (
    Block,
)
from iskelo.core.wiring.hops import HopKind


class Edge(NamedTuple):
    """One hop: ``owner`` is the id of the gear, patch or track whose doing it is."""

    start: Port
    end: Port
    kind: HopKind
    owner: str
    gain_db: float = 0.0
    sign: int = 1
    block: Block | None = None


edge_of: Callable[[tuple[Port, Port, HopKind, str, float, int, Block | None]], Edge] = partial(tuple.__new__, Edge)
"""An edge from all its parts, without a Python call: a large rig has thousands of them."""


def input_gain_db(box: Interface, jack_in: int) -> float:
    """dBu at an input jack to dBFS behind its converter: the trim less the full-scale level.

    Example: trim 38 dB, full scale +18 dBu: -38 dBu becomes -18 dBFS.
    """
    return box.trims_db[jack_in - 1] - box.input_full_scale_dbu


def output_gain_db(box: Interface, jack_out: int) -> float:
    """dBFS before an output jack's converter to dBu there: the full-scale level and the trim."""
    return box.output_full_scale_dbu + box.output_trims_db[jack_out - 1]


def lead_gain_db(patch: Patch, start: object) -> float:
    """What a lead turns a sound by: its own gain, and half the voltage where only one of two driven legs is heard.

    ``start``: the gear that it begins at. -6.02 dB from an output that drives both legs into an unbalanced input; from
    a floating one nothing is lost. Common practice, no published source.
    """
    if not patch.unbalanced:
        return patch.gain_db
    half = isinstance(start, Interface | Outboard) and start.drives_both_legs
    return patch.gain_db + HALF_DB if half else patch.gain_db


def legs_of(owner: str, bank: Bank, width: int) -> tuple[Port, ...]:
    if width == 1:
        return (port_of((owner, bank, 1)),)
    return tuple([port_of((owner, bank, leg)) for leg in range(1, width + 1)])
