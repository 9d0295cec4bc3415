"""How many examples a property draws: some at every run, many more in a hunt."""

import os

HUNTING = bool(os.environ.get("ISKELO_HUNT"))
SHARE, FEWEST = 3, 5


def drawn(hunted: int, usual: int | None = None) -> int:
    """``hunted`` examples in a hunt; at every run ``usual``, or a third. What a cut costs, planted faults tell."""
    return hunted if HUNTING else usual or max(FEWEST, hunted // SHARE)
