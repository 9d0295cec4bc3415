"""Listening at a box's output jacks: what its drivers play there, and what it monitors directly."""

from typing import TYPE_CHECKING, Protocol

import numpy as np

from iskelo.core.twin.driver import DriverAtWork
from iskelo.core.twin.stream import Block

if TYPE_CHECKING:
    from iskelo.core.twin.box import Box


class Listener(Protocol):
    """Somebody who listens at some output jacks."""

    @property
    def hears_directly(self) -> bool:
        """Whether an input jack is heard there without the computer."""
        ...

    def read(self, start: int, count: int) -> Block:
        """What leaves the jacks in these samples, 1.0 = full scale."""
        ...


class Tap:
    """Some output jacks of a box, as somebody listens at them."""

    def __init__(self, box: "Box", rows: list[int], direct: Block, trims: Block) -> None:
        self.box = box
        self.rows = rows
        self._direct = direct if direct.any() else None
        self._trims = trims
        self._wide: list[tuple[DriverAtWork, list[int], list[int]]] | None = None

    @property
    def hears_directly(self) -> bool:
        """Whether an input jack is heard straight there."""
        return self._direct is not None

    def read(self, start: int, count: int) -> Block:
        """What leaves the jacks in these samples, 1.0 = full scale."""
        at = start - self.box.gear.converter_out_samples
        out: Block = np.zeros((len(self.rows), count), np.float32)
        if self._direct is not None:
            out += self._direct @ self.box.digital(at, count)
        if self._wide is None:
            self._wide = [self._of(session) for session in self.box.sessions]
        for session, wide, rows in self._wide:
            played = session.played.read(at - session.ahead_samples, count)[rows]
            if len(wide) == len(out):
                out += played
            else:
                out[wide] += played
        np.clip(out, -1, 1, out=out)
        out *= self._trims
        return out

    def _of(self, session: DriverAtWork) -> tuple[DriverAtWork, list[int], list[int]]:
        wide = [number for number, row in enumerate(self.rows) if row < session.playback]
        return session, wide, [self.rows[number] for number in wide]
