"""What a plan does: edits, each told as a command with the gear where it is done; and several of them as they come
together.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from iskelo.core.edits.edit import Edit
from iskelo.core.lines.context import Reading


@dataclass(frozen=True, slots=True)
class Joining:
    """Edits that join a line's ends, and each of them as a command; ``places``: the gear where each is done."""

    edits: tuple[Edit, ...]
    words: tuple[str, ...]
    places: tuple[str, ...] = ()

    def by_place(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """The steps gear by gear, each once, in the order in which each piece is first met."""
        steps: dict[str, dict[str, None]] = {}
        for place, words in zip(self.places, self.words, strict=True):
            steps.setdefault(place, {})[words] = None
        return tuple((place, tuple(some)) for place, some in steps.items())


class Joinings:
    """Joinings made one behind the other, and the rig as it is with them."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading
        self.edits: list[Edit] = []
        self.words: list[str] = []
        self.places: list[str] = []

    def take(self, joining: Joining, after: Reading) -> None:
        """Add one more; ``after``: the rig as it is then."""
        self.add(joining.edits, joining.words, joining.places)
        self.reading = after

    def add(self, edits: Sequence[Edit], words: Sequence[str], places: Sequence[str]) -> None:
        """Add edits; the rig with them is not read yet."""
        self.edits += edits
        self.words += words
        self.places += places

    def made(self) -> Joining:
        """All of them as one; it may have no edits."""
        return Joining(tuple(self.edits), tuple(self.words), tuple(self.places))

    def found(self) -> tuple[Joining, Reading] | None:
        """All of them as one, with the rig as it is then; None if there are none."""
        return (self.made(), self.reading) if self.edits else None
