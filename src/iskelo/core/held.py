"""The newest few of something dear to make, held in memory; any thread may ask, keep and forget."""

import contextlib
import ctypes
import gc
import threading
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

Key = TypeVar("Key", bound=Hashable)
Kept = TypeVar("Kept")


class Held(Generic[Key, Kept]):
    """At most so many, those that were kept last; what is asked for may be gone, and is then made again."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: dict[Key, Kept] = {}
        self._lock = threading.Lock()

    def get(self, key: Key) -> Kept | None:
        with self._lock:
            return self._kept.get(key)

    def keep(self, key: Key, value: Kept) -> Kept:
        """Keep something as the newest, in the place of what was kept under its key."""
        with self._lock:
            self._kept.pop(key, None)
            while len(self._kept) >= self._most:
                del self._kept[next(iter(self._kept))]
            self._kept[key] = value
        return value

    def forget(self, which: Callable[[Key], bool]) -> None:
        """Let go of everything under such a key."""
        with self._lock:
            for key in [key for key in self._kept if which(key)]:
                del self._kept[key]


def give_back() -> None:
    """Let go of what nobody holds any more, and give its memory back to the system.

    What knows each other in circles only the collector finds; and the C library keeps what it was given back, in
    pieces, unless it is asked for it (GNU's ``malloc_trim``; another one keeps it).
    """
    gc.collect()
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
