"""Only our own page may talk to the application: Host and Origin are checked on every request."""

from urllib.parse import urlsplit

from starlette.types import ASGIApp, Receive, Scope, Send

from oddmeter.web.http.problems import problem

LOCAL_NAMES = {"127.0.0.1", "localhost", "[::1]"}


class Guard:
    """Refuses requests whose Host is not a name of this machine, and those that another site's page sends."""

    def __init__(self, app: ASGIApp, names: set[str] | None = None) -> None:
        self.app = app
        self.names = names or LOCAL_NAMES

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
            host = headers.get("host", "")
            if _name(host) not in self.names:
                await problem(400, "host", "This application answers only to its own address.")(scope, receive, send)
                return
            origin = headers.get("origin")
            if origin is not None and urlsplit(origin).netloc != host:
                await problem(403, "origin", "Requests from other sites are refused.")(scope, receive, send)
                return
        await self.app(scope, receive, send)


def _name(host: str) -> str:
    """The host's name without its port."""
    return host.rpartition(":")[0] if host.rpartition(":")[2].isdecimal() and ":" in host else host
