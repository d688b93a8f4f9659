"""The door: which hosts and origins are let in, how large a request may be, and what every answer carries."""

import ipaddress
from collections.abc import Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from jorvik.core.problems import shown

MAX_BODY_BYTES = 9_000_000
"""A patch document of the greatest size, quoted as text inside a request, and what goes with it."""

MAX_FILE_BYTES = 100_000_000
"""Of the one request that is a file as it is: what comes into the library."""

_LARGER = {"/api/library/import": MAX_FILE_BYTES}


def most_bytes(path: str) -> int:
    """Return how large a request's body may be."""
    return _LARGER.get(path, MAX_BODY_BYTES)


def _most(scope: Scope) -> int:
    return most_bytes(str(scope.get("path", "")))


SECURITY_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "media-src 'self' blob:; connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; "
    "form-action 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
}


class TooLarge(HTTPException):
    """A request body that turned out to be over the limit while it was read."""

    def __init__(self) -> None:
        super().__init__(413)


class Guard:
    """Refuses foreign hosts and origins and bodies over the limit, and adds the security headers.

    A page of another site can make a browser send requests to loopback; the Host and Origin that the browser fills in
    tell them from our own.
    """

    def __init__(self, app: ASGIApp, hosts: Iterable[str], any_address: bool = False) -> None:
        self.app = app
        self.hosts = frozenset(hosts)
        self.any_address = any_address
        """Let every numeric address in: for a server that listens on all of them. Names can be turned to point at us
        by whoever owns them; numbers cannot."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let one request through, or refuse it."""
        if scope["type"] == "websocket" and self._refusal(scope) is not None:
            await send({"type": "websocket.close", "code": 1008})
            return
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in SECURITY_HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        refusal = self._refusal(scope)
        if refusal is not None:
            await refusal(scope, receive, send_with_headers)
            return
        await self.app(scope, _limited(receive, _most(scope)), send_with_headers)

    def _refusal(self, scope: Scope) -> JSONResponse | None:
        headers = Headers(scope=scope)
        host = _name(f"//{headers.get('host', '')}")
        if not self._is_ours(host):
            return _refuse(403, "Host", host, f"one of {', '.join(sorted(self.hosts))}")
        origin = headers.get("origin")
        if origin is not None and (_place(origin) != headers.get("host") or not self._is_ours(_name(origin))):
            return _refuse(403, "Origin", origin, "this application's own address")
        length = headers.get("content-length", "0")
        if length.isdigit() and int(length) > _most(scope):
            return too_large(str(scope["path"]))
        return None

    def _is_ours(self, host: str) -> bool:
        return host in self.hosts or (self.any_address and _is_address(host))


def _is_address(host: str) -> bool:
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return False
    return True


def _place(address: str) -> str:
    try:
        return urlsplit(address).netloc
    except ValueError:
        return ""


def _name(address: str) -> str:
    try:
        return urlsplit(address).hostname or ""
    except ValueError:
        return ""


def _limited(receive: Receive, most: int) -> Receive:
    taken = 0

    async def counted() -> Message:
        nonlocal taken
        message = await receive()
        taken += len(message.get("body", b""))
        if taken > most:
            raise TooLarge
        return message

    return counted


def too_large(path: str) -> JSONResponse:
    """Return the answer to a request over the limit of its path."""
    return _refuse(413, "the request", "more than can be read", f"{most_bytes(path) / 1e6:g} MB at most")


def _refuse(status: int, place: str, found: str, wanted: str) -> JSONResponse:
    found = shown(found)
    sentence = f"{place}: found {found}; it must be {wanted}."
    return JSONResponse({"place": place, "found": found, "wanted": wanted, "sentence": sentence}, status)
