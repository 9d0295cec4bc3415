"""The bodies of requests: bounded in size, in the time they take, and in the memory all of them hold together."""

import asyncio
import contextlib
from collections.abc import Iterator
from dataclasses import dataclass

from starlette.types import Message, Receive

TOGETHER_MAX_BYTES = 64 * 1024 * 1024
"""So much of bodies is held at a time; whoever sends more is asked to come back."""

FIRST_SECONDS = 20.0
PACE_BYTES = 64 * 1024
"""A body may take the first seconds, and one more for so many bytes that have come."""


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a request is not looked at; ``ends``: the connection ends with it, for there is more of it to come."""

    status: int
    title: str
    detail: str
    ends: bool = False


class Unwanted(Exception):
    """A body is not taken any further."""

    def __init__(self, refusal: Refusal) -> None:
        super().__init__(refusal.detail)
        self.refusal = refusal


def too_large(most_bytes: int) -> Refusal:
    words = f"{most_bytes // 1024 // 1024} MiB" if most_bytes >= 1024 * 1024 else f"{most_bytes // 1024} KiB"
    return Refusal(413, "Too large", f"At most {words} are taken at once.", ends=True)


_SLOW = Refusal(408, "Too slow", "What was sent did not come in time; send it again.", ends=True)
_FULL = Refusal(503, "Busy", "Too much is being sent here at once; try again shortly.", ends=True)


class Bodies:
    """Counts what is held of the bodies of all requests."""

    def __init__(self) -> None:
        self._held_bytes = 0

    @contextlib.contextmanager
    def taken(self, receive: Receive, most_bytes: int, *, held: bool = True) -> Iterator[Receive]:
        """A request's body while the request lasts; ``held``: it lies in memory, and counts there until then.

        What is given raises Unwanted when the body is too large or too slow, or there is no room for it.
        """
        size, deadline, whole = 0, asyncio.get_running_loop().time() + FIRST_SECONDS, False

        async def bounded() -> Message:
            nonlocal size, whole
            if whole:
                return await receive()
            try:
                async with asyncio.timeout_at(deadline + size / PACE_BYTES):
                    message = await receive()
            except TimeoutError:
                raise Unwanted(_SLOW) from None
            whole = message["type"] != "http.request" or not message.get("more_body", False)
            new = len(message.get("body", b""))
            size += new
            if size > most_bytes:
                raise Unwanted(too_large(most_bytes))
            if held:
                self._held_bytes += new
                if self._held_bytes > TOGETHER_MAX_BYTES:
                    raise Unwanted(_FULL)
            return message

        try:
            yield bounded
        finally:
            if held:
                self._held_bytes -= size
