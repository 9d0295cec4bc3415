"""What a request must satisfy before anything looks at it: its host, its origin, its size."""

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from iskelo.api.problems import problem

LOOPBACK = ("127.0.0.1", "localhost", "::1", "testserver")
BODY_MAX_BYTES = 9 * 1024 * 1024


class _TooLarge(Exception):
    pass


class Guard:
    """Loopback hosts only, same-origin writes and sockets only, bodies of bounded size only."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = _refusal(scope, headers)
        if refusal is not None:
            if scope["type"] == "websocket":
                await send({"type": "websocket.close", "code": 1008})
            else:
                await problem(*refusal)(scope, receive, send)
            return
        if scope["type"] == "websocket":
            await self._app(scope, receive, send)
            return
        size = 0

        async def bounded() -> Message:
            nonlocal size
            message = await receive()
            size += len(message.get("body", b""))
            if size > BODY_MAX_BYTES:
                raise _TooLarge
            return message

        try:
            await self._app(scope, bounded, send)
        except _TooLarge:
            await problem(413, "Too large", _too_large())(scope, receive, send)


def _too_large() -> str:
    return f"At most {BODY_MAX_BYTES // 1024 // 1024} MiB are taken at once."


def _refusal(scope: Scope, headers: Headers) -> tuple[int, str, str] | None:
    host = urlsplit(f"//{headers.get('host', '')}").hostname or ""
    if host not in LOOPBACK:
        return 400, "Not this host", "Iskelo answers on this computer's own address only."
    origin = headers.get("origin")
    writes = scope["type"] == "websocket" or scope.get("method") not in ("GET", "HEAD", "OPTIONS")
    if writes and origin and urlsplit(origin).netloc != headers.get("host", ""):
        return 403, "Not from this page", "Changes are taken from Iskelo's own pages only."
    length = headers.get("content-length", "0")
    if length.isdigit() and int(length) > BODY_MAX_BYTES:
        return 413, "Too large", _too_large()
    return None
