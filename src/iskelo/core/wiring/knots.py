"""Knots: ports that all lead to each other by hops that pass, so that sound goes round there."""

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple, Protocol

from iskelo.core.rig.ports import Port


class Hop(Protocol):
    """What is asked of a hop here."""

    @property
    def end(self) -> Port: ...

    @property
    def block(self) -> object | None: ...


class Knot(NamedTuple):
    """The ports of one knot, in order."""

    ports: tuple[Port, ...]


def knots(leaving: Mapping[Port, Sequence[Hop]], back: Iterable[Port]) -> tuple[Knot, ...]:
    """Every knot that can be reached from these ports.

    Parameters
    ----------
    leaving
        The hops that leave each port; those with a ``block`` do not pass.
    back
        Where hops lead that could close a circle: every circle holds one of them.

    Returns
    -------
    tuple of Knot
        Strongly connected components that hold a circle, by R. Tarjan, SIAM J. Comput. 1 (1972), from memory.
    """
    number: dict[Port, int] = {}
    lowest: dict[Port, int] = {}
    waiting: list[Port] = []
    inside: set[Port] = set()
    found: list[Knot] = []
    for first in back:
        if first in number:
            continue
        stack = [(first, iter(leaving.get(first, ())))]
        number[first] = lowest[first] = len(number)
        waiting.append(first)
        inside.add(first)
        while stack:
            port, hops = stack[-1]
            for hop in hops:
                if hop.block is not None:
                    continue
                end = hop.end
                if end not in number:
                    number[end] = lowest[end] = len(number)
                    waiting.append(end)
                    inside.add(end)
                    stack.append((end, iter(leaving.get(end, ()))))
                    break
                if end in inside:
                    lowest[port] = min(lowest[port], number[end])
            else:
                stack.pop()
                if stack:
                    before = stack[-1][0]
                    lowest[before] = min(lowest[before], lowest[port])
                if lowest[port] == number[port]:
                    at = waiting.index(port)
                    members = waiting[at:]
                    del waiting[at:]
                    inside.difference_update(members)
                    if len(members) > 1:
                        found.append(Knot(tuple(sorted(members))))
    return tuple(found)
