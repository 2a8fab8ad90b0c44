"""Only our own page may talk to the application, and it may use only what ships with it: Host and Origin are checked on
every request, and every answer says what a browser may do with it."""

from math import inf
from urllib.parse import urlsplit

from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from oddmeter.web.http.problems import problem

LOCAL_NAMES = {"127.0.0.1", "localhost", "[::1]"}
MOST_BYTES = 48 << 20
"""Bytes of a request that is no upload: a list of two hundred thousand events has half as many."""
TOO_LARGE = f"This is more than {MOST_BYTES >> 20} MB; it was not read."
_PORTS = {"http": 80, "https": 443}

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self';"
    " connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'; object-src 'none'"
)
"""Content-Security-Policy: own scripts, styles, pictures and fonts, no frames, nothing from elsewhere."""
_SAID = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=(), payment=(), usb=(), display-capture=()",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


class Guard:
    """Refuses requests whose Host is not a name of this machine, and those that another site's page sends."""

    def __init__(self, app: ASGIApp, names: set[str] | None = None) -> None:
        self.app = app
        self.names = names or LOCAL_NAMES

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def send_guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in _SAID.items():
                    headers.setdefault(name, value)
            await send(message)

        headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
        host = headers.get("host", "").lower()
        origin = headers.get("origin")
        if _name(host) not in self.names:
            refused = problem(400, "host", "This application answers only to its own address.")
            await refused(scope, receive, send_guarded)
        elif origin is not None and _place(origin) != _place(f"{scope.get('scheme', 'http')}://{host}"):
            refused = problem(403, "origin", "Requests from other sites are refused.")
            await refused(scope, receive, send_guarded)
        elif headers.get("content-length", "").isdecimal() and int(headers["content-length"]) > _most(headers):
            refused = problem(413, "size", TOO_LARGE)
            await refused(scope, receive, send_guarded)
        else:
            await self.app(scope, _bounded(receive, _most(headers)), send_guarded)


def _most(headers: dict[str, str]) -> int | float:
    """Bytes that a request may send: files that are dropped into the page go to disk as they come, all else is read
    into memory."""
    return inf if headers.get("content-type", "").startswith("multipart/form-data") else MOST_BYTES


def _bounded(receive: Receive, most: int | float) -> Receive:
    """The same messages, as long as they are not more than they may be altogether."""
    left = most

    async def receive_bounded() -> Message:
        nonlocal left
        message = await receive()
        left -= len(message.get("body", b""))
        if left < 0:
            raise HTTPException(413, TOO_LARGE)
        return message

    return receive_bounded


def _name(host: str) -> str:
    """The host's name without its port."""
    return host.rpartition(":")[0] if host.rpartition(":")[2].isdecimal() and ":" in host else host


def _place(origin: str) -> tuple[str, str, int] | None:
    """Scheme, host and port of an origin, which names compare by without case; None for what is none."""
    try:
        parts = urlsplit(origin.lower())
        port = parts.port or _PORTS.get(parts.scheme, 0)
    except ValueError:
        return None
    return (parts.scheme, parts.hostname, port) if parts.hostname else None
