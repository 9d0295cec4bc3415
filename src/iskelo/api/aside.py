"""Long work goes aside, into processes of its own: it is bounded, can be stopped, and holds nobody else up.

Two at most are at work, one for a rig; whoever asks for what is under way already waits for the same. What nobody waits
for any more is ended at once, and so is all of it with the server.
"""

import asyncio
import contextlib
import logging
import multiprocessing
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerProcess
from typing import Any
from uuid import UUID

from fastapi import Request

from iskelo.api.apart import while_there
from iskelo.api.at_work import AT_WORK, LONG_WORK, Work, work_aside
from iskelo.core.edits.base import Refused

log = logging.getLogger("iskelo")

AT_ONCE = 2
LONGEST_SECONDS = 90.0

_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload([AT_WORK, LONG_WORK])


class Unfinished(RuntimeError):
    """Long work came to no end: it took too long, or its process was ended."""


@dataclass(slots=True)
class _Job:
    task: "asyncio.Task[bytes]"
    waiting: int = 0


@dataclass(slots=True)
class _Turn:
    """One at a time of a rig; kept as long as somebody waits for it."""

    lock: asyncio.Lock = field(default_factory=asyncio.Lock)
    waiting: int = 0


class Aside:
    """The long work of one server."""

    def __init__(self) -> None:
        self._jobs: dict[object, _Job] = {}
        self._places = asyncio.Semaphore(AT_ONCE)
        self._turns: dict[UUID, _Turn] = {}
        # A thread waits for each process, and none of these waits is one that anybody else could need.
        self._threads = ThreadPoolExecutor(AT_ONCE * 2, "aside")

    def prepare(self) -> None:
        """Have the process ready from which others begin with everything loaded."""
        forkserver.ensure_running()

    def end(self) -> None:
        """End everything that is under way."""
        for job in tuple(self._jobs.values()):
            job.task.cancel()
        self._threads.shutdown(wait=False, cancel_futures=True)

    async def ask(self, request: Request, rig: UUID, what: object, work: Work) -> bytes:
        """Have work done for a rig; ``what`` says which work on which state of it, so that it is done once.

        Raises
        ------
        Refused, Left, Unfinished
            If the work refuses; when nobody waits any more; when it took too long.
        """
        key = (rig, what)
        job = self._jobs.get(key)
        if job is None:
            job = self._jobs[key] = _Job(asyncio.create_task(self._in_turn(rig, work)))
        job.waiting += 1
        try:
            return await while_there(request, asyncio.shield(job.task))
        finally:
            job.waiting -= 1
            if not job.waiting:
                job.task.cancel()
                if self._jobs.get(key) is job:
                    del self._jobs[key]

    async def _in_turn(self, rig: UUID, work: Work) -> bytes:
        turn = self._turns.setdefault(rig, _Turn())
        turn.waiting += 1
        try:
            async with turn.lock, self._places:
                return await self._done(work)
        finally:
            turn.waiting -= 1
            if not turn.waiting:
                del self._turns[rig]

    async def _done(self, work: Work) -> bytes:
        loop = asyncio.get_running_loop()
        ours, theirs = _context.Pipe()
        process = _context.Process(target=work_aside, args=(theirs, work), daemon=True)
        begun = self._threads.submit(process.start)
        begun.add_done_callback(lambda _: theirs.close())
        heard: tuple[str, Any] = ("late", "")
        try:
            async with asyncio.timeout(LONGEST_SECONDS):
                await asyncio.shield(asyncio.wrap_future(begun))
                heard = await loop.run_in_executor(self._threads, _heard, ours)
        except TimeoutError:
            pass
        finally:
            # Also where nobody waited until it had begun.
            begun.add_done_callback(lambda _: self._bury(process))
        match heard:
            case "done", bytes(said):
                return said
            case "refused", (place, reason):
                raise Refused(place, reason)
            case "late", _:
                raise Unfinished(
                    f"This takes longer than {LONGEST_SECONDS:g} seconds for a rig of this size, and was given up. "
                    "Mend or check a part of it at a time."
                )
        log.error("long work broke off: %s", heard[1])
        raise Unfinished("This broke off before its end. Try again shortly.")

    def _bury(self, process: ForkServerProcess) -> None:
        if process.pid is not None:
            process.kill()
            with contextlib.suppress(RuntimeError):
                self._threads.submit(process.join)


def _heard(ours: Connection) -> tuple[str, Any]:
    """What a process says at its end; nothing if it was ended."""
    try:
        kind, said = ours.recv()
        return str(kind), said
    except (EOFError, OSError):
        return "gone", "its process was ended"
    finally:
        ours.close()
