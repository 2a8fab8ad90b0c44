"""One web process: the application on a port of this machine, alone or beside others."""

import socket

import uvicorn

from oddmeter.config import Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.web.app import create_app

_CLOSING_SECONDS = 2
# Longer than a browser keeps a connection that it does not use (five minutes): a connection that we close in the very
# moment of a request would break the request.
_UNUSED_SECONDS = 600


def serve(config: Config, port: int, *, shared: bool) -> None:
    """Serve until SIGINT or SIGTERM; raises as ``listening`` does."""
    app = create_app(config)
    with listening(port, shared=shared) as own:
        settings = uvicorn.Config(
            app,
            log_level="warning",
            timeout_graceful_shutdown=_CLOSING_SECONDS,
            timeout_keep_alive=_UNUSED_SECONDS,
        )
        uvicorn.Server(settings).run([own])


def listening(port: int, *, shared: bool) -> socket.socket:
    """A socket at a port of 127.0.0.1; ``shared`` where other web processes have one there as well, among which the
    system deals out connections. Raises ``RuleError`` where the port is taken.

    Its protocol is named, since asyncio sends an answer's parts without waiting for acknowledgement (TCP_NODELAY) only
    where it is: otherwise each takes 40 ms longer.
    """
    own = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    own.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    own.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, shared)
    try:
        own.bind(("127.0.0.1", port))
    except OSError as error:
        own.close()
        raise RuleError(f"Port {port} is in use by another program. Choose another with --port.", "port") from error
    return own
