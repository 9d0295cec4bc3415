"""Files that could hold anything are read in a process of their own: it can be stopped, and holds nobody else up."""

import asyncio
import contextlib
import json
import os
import sys
from collections.abc import Awaitable
from typing import TypeVar

from fastapi import Request

from iskelo.formats.apart import list_adapter
from iskelo.formats.input_list_file import ListFile
from iskelo.formats.refusal import Unreadable

AT_ONCE = 2
LONGEST_SECONDS = 25.0
LOOK_EVERY_SECONDS = 0.25

Made = TypeVar("Made")


class Left(Exception):
    """Whoever asked has gone; nothing is worked on for them any more."""


_places = asyncio.Semaphore(AT_ONCE)


async def read_list_apart(request: Request, data: bytes) -> ListFile:
    """An input list, read by another process; stopped when it takes too long, or when who asked has left.

    Raises
    ------
    Unreadable, Left
        With the reason; when nobody waits for it any more.
    """
    environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
    async with _places:
        process = await asyncio.create_subprocess_exec(
            sys.executable,
            "-m",
            "iskelo.formats.apart",
            stdin=asyncio.subprocess.PIPE,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.DEVNULL,
            env=environment,
        )
        try:
            said, _ = await while_there(request, asyncio.wait_for(process.communicate(data), LONGEST_SECONDS))
        except TimeoutError:
            said = b""
        finally:
            if process.returncode is None:
                with contextlib.suppress(ProcessLookupError):
                    process.kill()
                await process.wait()
    if not said:
        raise Unreadable("", "the list takes too long to be read; copy what is needed into a sheet of its own")
    answer = json.loads(said)
    if "reason" in answer:
        raise Unreadable(answer["place"], answer["reason"])
    return list_adapter.validate_python(answer["list"])


async def while_there(request: Request, work: Awaitable[Made]) -> Made:
    """Wait for work as long as somebody waits for its answer; raises Left, the work cancelled, when nobody does."""
    task = asyncio.ensure_future(work)
    try:
        while not task.done():
            await asyncio.wait({task}, timeout=LOOK_EVERY_SECONDS)
            if not task.done() and await request.is_disconnected():
                raise Left
        return task.result()
    finally:
        if not task.done():
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError, Exception):
                await task
