"""The application: all routers, the guard, live events, and the built page."""

import asyncio
import gc
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles

from oddmeter.config import Config
from oddmeter.store.database import Database
from oddmeter.web.boards import Boards
from oddmeter.web.http import events, problems
from oddmeter.web.http.events import Listener
from oddmeter.web.http.guard import Guard
from oddmeter.web.looking import Looking, looking_at
from oddmeter.web.sources import Sources
from oddmeter.web.stops import ROUTERS
from oddmeter.work.tasks import queue

PAGE = Path(__file__).parents[2] / "frontend" / "dist"


def create_app(config: Config, page: Path = PAGE) -> FastAPI:
    """The web application over a database and media roots; ``page`` is the built front end."""
    app = FastAPI(
        title="Odd Meter",
        version="0.1.0",
        lifespan=_life,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        responses={"4XX": {"model": problems.Problem, "content": {"application/problem+json": {}}}},
    )
    app.add_middleware(Guard)
    problems.install(app)
    for router in (*ROUTERS, events.router):
        app.include_router(router)
    _serve_page(app, page)
    work_on(app, config)
    return app


def work_on(app: FastAPI, config: Config) -> None:
    """Have an application that is not running work on this database and these media roots from its next start on. Its
    addresses are kept: to read all their types takes longer than most tests."""
    database = Database(config.database)
    app.state.config, app.state.database, app.state.queue = config, database, queue(config, database)
    app.state.boards = Boards(database, config.data / "answers")
    app.state.looking = looking_at(config.looking) if config.looking else Looking(config.data / "bench")
    app.state.sources = Sources(config, database)
    app.state.listener = Listener(config.database)


@asynccontextmanager
async def _life(app: FastAPI) -> AsyncIterator[None]:
    gc.set_threshold(200_000, 20, 20)  # the boards hold many small values that live long; see bench/ledger.py
    state = app.state
    await asyncio.to_thread(state.database.open)
    await asyncio.to_thread(state.queue.app.open)
    listening = asyncio.create_task(state.listener.run())
    warming = asyncio.create_task(asyncio.to_thread(state.boards.warm))
    try:
        yield
    finally:
        warming.cancel()
        listening.cancel()
        with suppress(asyncio.CancelledError):
            await listening
        await asyncio.to_thread(state.looking.close)
        await asyncio.to_thread(state.queue.app.close)
        await asyncio.to_thread(state.database.close)


def _serve_page(app: FastAPI, page: Path) -> None:
    """Serve the built front end; every address that is not a file is the page, which reads it itself."""
    if (page / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=page / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def show_page(request: Request, path: str) -> Response:
        if path.startswith("api/"):
            return problems.problem(404, "missing", "There is nothing at this address.")
        index = page / "index.html"
        if not index.is_file():
            return Response("The page is not built yet. Run ./start.", 503, media_type="text/plain")
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
