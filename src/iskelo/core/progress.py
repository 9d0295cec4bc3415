"""Long work tells how far it is, and asks whether it is still wanted."""

from collections.abc import Callable

Progress = Callable[[float], bool]
"""Told a share from 0 to 1; answers False when the work is not wanted any more."""


class Cancelled(Exception):
    """The work was not wanted any more."""


def go_on(_: float) -> bool:
    """Nobody listens; the work is wanted."""
    return True
