"""What a request must satisfy before anything looks at it: its host, its origin, its size, what its JSON is made of."""

import re
from ipaddress import ip_address

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from iskelo.api.bodies import Bodies, Refusal, Unwanted, too_large
from iskelo.api.problems import problem
from iskelo.formats.json_bounds import too_much

NAMES = ("localhost",)
BODY_MAX_BYTES = 2 * 1024 * 1024
FILE_MAX_BYTES = 17 * 1024 * 1024
BUNDLE_MAX_BYTES = 4 * 1024 * 1024 * 1024
BUNDLES = "/api/rigs/import-bundle"
"""The address that takes a bundle: it goes to the disk part by part."""

WALK_MAX_BYTES = 16 * 1024
"""What comes from telephones in the network around: a tick."""

FILES = re.compile(
    r"^/api/(rigs/import|rigs/import-bundle|catalogue/import|parts/import|rigs/[^/]+/input-list/read"
    r"|rigs/[^/]+/programs/[^/]+/song)$"
)
"""Addresses that take a file; those who read one bound it themselves, apart from everybody else's requests."""

SENT = {
    "content-security-policy": (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; media-src 'self' blob:; "
        "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}
"""Headers of every answer: scripts are ours alone, and no other page frames us. Styles are written in place by the
components' library."""


WALKED = re.compile(
    r"^(?:(GET|HEAD) (?:/walk/[0-9a-f-]{36}|/assets/[\w.-]+|/api/rigs/[0-9a-f-]{36}/walk)"
    r"|PUT /api/rigs/[0-9a-f-]{36}/walk/ticks)$"
)
"""What a telephone in the network around may ask for: the list of one rig, whose address nobody can guess, and its
ticks, where the rig allows them.
"""


class Guard:
    """This computer's own addresses only, same-origin writes and sockets only, bodies of bounded size and make only."""

    def __init__(self, app: ASGIApp, *, walk: bool = False) -> None:
        self._app = app
        self._walk = walk
        self._bodies = Bodies()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = self._refusal(scope, headers)
        if scope["type"] == "websocket":
            if refusal is None:
                await self._app(scope, receive, send)
            else:
                # Before it was accepted, this is answered 403.
                await send({"type": "websocket.close", "code": 1008})
            return

        async def told(message: Message) -> None:
            if message["type"] == "http.response.start":
                sent = MutableHeaders(scope=message)
                for name, value in SENT.items():
                    sent.setdefault(name, value)
            await send(message)

        if refusal is not None:
            await _answer(refusal, scope, receive, told)
            return
        try:
            with self._bodies.taken(receive, self._most(scope), held=scope["path"] != BUNDLES) as bounded:
                body = await _looked_through(bounded) if _is_json(scope) else bounded
                await self._app(scope, body, told)
        except Unwanted as unwanted:
            await _answer(unwanted.refusal, scope, receive, told)

    def _refusal(self, scope: Scope, headers: Headers) -> Refusal | None:
        named = headers.getlist("host")
        host = host_of(named[0]) if len(named) == 1 else None
        if self._walk and host is not None and not _is_ours(scope, host[0]):
            if not _is_walk(scope):
                words = "From other computers set-up lists can be walked with, and nothing else."
                return Refusal(403, "Not from there", words)
        elif host is None or not _is_here(host[0]):
            return Refusal(400, "Not this host", "Iskelo answers on this computer's own address only.")
        origins = headers.getlist("origin")
        writes = scope["type"] == "websocket" or scope.get("method") not in ("GET", "HEAD", "OPTIONS")
        if writes and origins and origins != [f"{_scheme(scope)}://{named[0]}"]:
            return Refusal(403, "Not from this page", "Changes are taken from Iskelo's own pages only.")
        length = headers.get("content-length", "0")
        if not re.fullmatch(r"[0-9]{1,12}", length):
            return Refusal(400, "Not possible", "The request's length is no number.")
        if int(length) > self._most(scope):
            return too_large(self._most(scope))
        return None

    def _most(self, scope: Scope) -> int:
        """How much is taken at an address, from whom it comes."""
        if self._walk and not _is_here((scope.get("client") or ("",))[0]):
            return WALK_MAX_BYTES
        if scope["path"] == BUNDLES:
            return BUNDLE_MAX_BYTES
        return BODY_MAX_BYTES if _is_json(scope) else FILE_MAX_BYTES


def _is_ours(scope: Scope, host: str) -> bool:
    """Whether a request comes from this computer itself, by its name and by where it comes from."""
    client = scope.get("client")
    return _is_here(host) and (client is None or _is_here(client[0]))


def _is_walk(scope: Scope) -> bool:
    return scope["type"] == "http" and WALKED.match(f"{scope['method']} {scope['path']}") is not None


def _is_here(host: str) -> bool:
    """Whether a name, or an address, is this computer's own to itself."""
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host in NAMES


def host_of(header: str) -> tuple[str, int | None] | None:
    """Host and port of a Host header (RFC 9110, 7.2; RFC 3986, 3.2.2); None if it is none.

    Examples: '127.0.0.1:8460' gives ('127.0.0.1', 8460), '[::1]' gives ('::1', None), '[' gives None.
    """
    match = re.fullmatch(r"(?:\[([0-9A-Fa-f:.]{2,45})\]|([A-Za-z0-9.-]{1,253}))(?::([0-9]{1,5}))?", header)
    if match is None:
        return None
    return (match[1] or match[2]).lower().removesuffix("."), int(match[3]) if match[3] else None


def _scheme(scope: Scope) -> str:
    """The scheme of the page that may write here: a socket's own is that of its page."""
    own = str(scope.get("scheme", "http"))
    return {"ws": "http", "wss": "https"}.get(own, own)


def _is_json(scope: Scope) -> bool:
    """Whether a request has a body that is read as JSON by the framework itself."""
    return scope.get("method") in ("POST", "PUT", "PATCH", "DELETE") and not FILES.match(scope["path"])


async def _looked_through(receive: Receive) -> Receive:
    """The body, all of it, before anybody takes it apart; raises Unwanted with the reason it is not taken for."""
    parts: list[bytes] = []
    while True:
        message = await receive()
        if message["type"] != "http.request":
            return _again([message], receive)
        parts.append(message.get("body", b""))
        if not message.get("more_body", False):
            break
    body = b"".join(parts)
    reason = too_much(body)
    if reason:
        raise Unwanted(Refusal(422, "Refused", f"This is too much at once: {reason}."))
    return _again([{"type": "http.request", "body": body, "more_body": False}], receive)


def _again(messages: list[Message], receive: Receive) -> Receive:
    """What was received already, then what comes."""

    async def given() -> Message:
        return messages.pop(0) if messages else await receive()

    return given


async def _answer(refusal: Refusal, scope: Scope, receive: Receive, send: Send) -> None:
    answer = problem(refusal.status, refusal.title, refusal.detail)
    if refusal.ends:
        answer.headers["connection"] = "close"
    await answer(scope, receive, send)
