"""Live events: what one request changes, an open page hears."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

from oddmeter.config import Config
from oddmeter.store import shows
from oddmeter.store.database import Database
from oddmeter.web.http.events import Listener


def test_a_change_is_told_to_every_listener(config: Config, database: Database, show_id: int) -> None:
    async def hear() -> list[set[str]]:
        listener = Listener(config.database)
        running = asyncio.create_task(listener.run())
        streams = [listener.notices(), listener.notices()]
        first = await asyncio.wait_for(asyncio.gather(*(anext(stream) for stream in streams)), 10)
        assert first == [{"everything"}, {"everything"}]

        def rename() -> None:
            with database.transaction() as connection:
                shows.rename(connection, show_id, "Renamed")

        hearing = [asyncio.ensure_future(anext(stream)) for stream in streams]
        await asyncio.to_thread(rename)
        heard = await asyncio.wait_for(asyncio.gather(*hearing), 10)
        running.cancel()
        return list(heard)

    with ThreadPoolExecutor() as beside_the_browsers_loop:
        assert beside_the_browsers_loop.submit(lambda: asyncio.run(hear())).result(60) == [{"show"}, {"show"}]
