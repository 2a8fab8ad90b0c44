"""What a request works with: configuration, database, queue, and who is asking."""

from dataclasses import dataclass
from typing import Annotated
from urllib.parse import unquote

from fastapi import Depends, Header, Request

from oddmeter.config import Config
from oddmeter.core.planning.filenames import safe_name
from oddmeter.store.database import Database
from oddmeter.web.boards import Boards
from oddmeter.web.looking import Looking
from oddmeter.web.sources import Sources
from oddmeter.work.tasks import Queue

NOBODY = "Somebody"


@dataclass(frozen=True)
class Context:
    """The application's parts, and the name the person gave in the browser."""

    config: Config
    database: Database
    queue: Queue
    boards: Boards
    looking: Looking
    sources: Sources
    person: str


def _context(
    request: Request, x_person: Annotated[str | None, Header(description="Who asks, percent-encoded.")] = None
) -> Context:
    state = request.app.state
    return Context(
        state.config, state.database, state.queue, state.boards, state.looking, state.sources,
        safe_name(unquote(x_person or ""))[:60] or NOBODY,
    )  # fmt: skip


Here = Annotated[Context, Depends(_context)]
"""The parameter type of every endpoint."""
