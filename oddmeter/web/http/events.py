"""Live events: the database's notices, passed on to every open page (Server-Sent Events)."""

import asyncio
import logging
from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

log = logging.getLogger("oddmeter.web")
router = APIRouter(tags=["events"])

_GATHER_SECONDS = 0.25


class Listener:
    """Listens to the database and hands each notice, a table's name, to every subscriber.

    A lost connection is taken up again; subscribers then hear ``everything``, since notices may be missing.
    """

    def __init__(self, url: str) -> None:
        self._url = url
        self._subscribers: set[asyncio.Queue[str]] = set()

    async def run(self) -> None:
        """Listen until cancelled."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self._url, autocommit=True) as connection:
                    await connection.execute("LISTEN oddmeter")
                    self._tell("everything")
                    async for notice in connection.notifies():
                        self._tell(notice.payload)
            except psycopg.Error as error:
                log.warning("live events: the database went away (%s); trying again", error)
            await asyncio.sleep(1)

    def _tell(self, what: str) -> None:
        for subscriber in self._subscribers:
            subscriber.put_nowait(what)

    async def notices(self) -> AsyncIterator[set[str]]:
        """What changed, gathered over a moment so that a burst is sent once."""
        mine: asyncio.Queue[str] = asyncio.Queue()
        self._subscribers.add(mine)
        try:
            while True:
                changes = {await mine.get()}
                await asyncio.sleep(_GATHER_SECONDS)
                while not mine.empty():
                    changes.add(mine.get_nowait())
                yield changes
        finally:
            self._subscribers.discard(mine)


@router.get("/api/events", response_class=EventSourceResponse)
async def events(request: Request) -> EventSourceResponse:
    """A stream of names of what changed, space-separated: ``clip_facts render``."""
    listener: Listener = request.app.state.listener

    async def stream() -> AsyncIterator[ServerSentEvent]:
        async for names in listener.notices():
            yield ServerSentEvent(" ".join(sorted(names)), event="changed")

    return EventSourceResponse(stream(), ping=15)
