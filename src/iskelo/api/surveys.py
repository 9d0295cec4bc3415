"""The newest surveys, held in memory: the next one of the same rig begins with what is known."""

import threading
from collections.abc import Mapping
from uuid import UUID

from iskelo.core.rig.rig import Rig
from iskelo.core.survey import NOTHING, Surveyed, survey_again

RIGS_HELD = 8

_lock = threading.Lock()
_held: dict[UUID, Surveyed] = {}


def surveyed(identity: UUID, rig: Rig, checked: Mapping[str, tuple[str, bool]] = NOTHING) -> Surveyed:
    """A rig's survey; it is the same whatever was surveyed before, only sooner done."""
    with _lock:
        before = _held.get(identity)
    found = survey_again(rig, before, checked)
    with _lock:
        _held.pop(identity, None)
        while len(_held) >= RIGS_HELD:
            del _held[next(iter(_held))]
        _held[identity] = found
    return found
