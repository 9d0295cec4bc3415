"""What runs in a process of long work (see ``aside.py``), with nothing loaded that it does not need."""

import contextlib
import importlib
import multiprocessing
import os
import threading
import traceback
from collections.abc import Callable
from multiprocessing import connection
from multiprocessing.connection import Connection
from typing import Any, Literal

from iskelo.core.edits.base import Refused

NICENESS = 5

Work = Callable[[], bytes]
"""A module's function with what it is given (``functools.partial``); answers with JSON."""

AT_WORK = __name__
LONG_WORK = "iskelo.api.long_work"
LongWork = Literal["plan_of", "remedies_for", "faults_in", "measured_in", "rows_planned"]
"""The functions of that module. The server knows them by name: what they stand on is loaded where they work."""


def long_work(name: LongWork, *given: Any) -> bytes:
    """Do what is known by this name."""
    done: bytes = getattr(importlib.import_module(LONG_WORK), name)(*given)
    return done


def work_aside(theirs: Connection, work: Work) -> None:
    """What the process does; it ends when the server does."""
    threading.Thread(target=_end_with_parent, daemon=True).start()
    with contextlib.suppress(OSError):
        os.nice(NICENESS)
    said: tuple[str, Any]
    try:
        said = ("done", work())
    except Refused as refused:
        said = ("refused", (refused.place, refused.reason))
    except Exception:
        said = ("broken", traceback.format_exc())
    with contextlib.suppress(BrokenPipeError):
        theirs.send(said)


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        connection.wait([parent.sentinel])
        os._exit(1)
