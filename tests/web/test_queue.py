"""The queue of a show as a whole: at a glance, stopped, and tried again."""

from typing import Any

import pytest

from oddmeter.store import renders
from oddmeter.web.stops.handoff.queue import duration_words
from tests.web.conftest import Browser

HARBOUR = "The Tide Bell/Harbour, boat and phones"


def asked(browser: Browser) -> tuple[int, list[dict[str, Any]]]:
    """A show of which three files are queued, and these."""
    show = browser.show()
    browser.bring_in(show, HARBOUR)
    make(browser, show)
    return show, files(browser, show)


def make(browser: Browser, show: int, count: int = 3, folder: str = "") -> None:
    ids = browser.get(f"/api/shows/{show}/ledger")["ids"][:count]
    body = {"clip_ids": ids, "setting": "view", "folder": f"show {show}/{folder}", "pattern": "{clip}"}
    assert browser.send("POST", f"/api/shows/{show}/renders", body) == {"queued": count, "refused": []}


def files(browser: Browser, show: int) -> list[dict[str, Any]]:
    """In the order in which they were asked for."""
    return sorted(browser.get(f"/api/shows/{show}/renders"), key=lambda file: int(file["id"]))


def queue(browser: Browser, show: int) -> dict[str, Any]:
    return dict(browser.get(f"/api/shows/{show}/renders/queue"))


def test_all_that_is_under_way_is_stopped_and_tried_again(browser: Browser) -> None:
    other = browser.show()
    browser.bring_in(other, HARBOUR)
    show, (first, second, third) = asked(browser)
    make(browser, other)
    with browser.database.transaction() as connection:
        renders.begin(connection, first["id"])
        renders.finish(connection, second["id"], "done", None, {})
    assert browser.send("POST", f"/api/shows/{show}/renders/cancel") == {"files": 2}
    with browser.database.transaction() as connection:
        assert renders.note_progress(connection, first["id"], 5), "what is being made is told to stop"
        renders.finish(connection, first["id"], "cancelled", None, None)
    assert [file["state"] for file in files(browser, show)] == ["cancelled", "done", "cancelled"]
    assert queue(browser, show)["under_way"] == 0 and queue(browser, show)["again"] == 2
    assert queue(browser, other)["under_way"] == 3, "another show's files go on"
    assert browser.send("POST", f"/api/shows/{show}/renders/retry") == {"files": 2}
    assert [file["state"] for file in files(browser, show)] == ["waiting", "done", "waiting"]
    assert browser.send("POST", f"/api/shows/{show}/renders/retry") == {"files": 0}
    assert {third["id"], first["id"]} < set(queued(browser)), "the worker is told"


def test_a_file_that_was_asked_for_again_is_not_tried_again(browser: Browser) -> None:
    show, _ = asked(browser)
    for _ in range(2):
        browser.send("POST", f"/api/shows/{show}/renders/cancel")
        make(browser, show)
    browser.send("POST", f"/api/shows/{show}/renders/cancel")
    assert queue(browser, show)["again"] == 3, "of nine cancelled, the newest of each name"
    make(browser, show, 1)
    newest = {file["id"] for file in files(browser, show)[-4:-1]}
    assert queue(browser, show)["again"] == 2
    browser.send("POST", f"/api/shows/{show}/renders/retry")
    going = [file["id"] for file in files(browser, show) if file["state"] == "waiting"]
    assert len(going) == 3 and len(newest & set(going)) == 2


def test_what_is_at_work_and_what_failed_stands_before_what_waits(browser: Browser) -> None:
    show, (first, second, third) = asked(browser)
    make(browser, show, folder="more")
    with browser.database.transaction() as connection:
        renders.finish(connection, first["id"], "done", None, {})
        renders.finish(connection, second["id"], "failed", "There is no room left.", None)
        renders.begin(connection, third["id"])
    more = [file["id"] for file in files(browser, show)[3:]]
    told = [file["id"] for file in browser.get(f"/api/shows/{show}/renders")]
    assert told == [third["id"], second["id"], *more, first["id"]]
    assert (queue(browser, show)["failed"], queue(browser, show)["again"]) == (1, 1)


def test_how_long_all_of_it_takes_is_told_from_the_files_begun_last(browser: Browser) -> None:
    show, (first, second, third) = asked(browser)
    assert queue(browser, show)["left"] is None, "nothing has been begun"
    frames = [file["total_frames"] for file in (first, second, third)]
    with browser.database.transaction() as connection:
        for file in (first, second):
            renders.begin(connection, file["id"])
        renders.finish(connection, first["id"], "done", None, {})
        renders.note_progress(connection, first["id"], frames[0])
        renders.note_progress(connection, second["id"], 20)
        # The first took a minute, an hour ago; the second has been under way for 20 s.
        connection.execute(
            "UPDATE render SET begun_at = now() - interval '61 minutes', finished_at = now() - interval '1 hour'"
            " WHERE id = %s",
            (first["id"],),
        )
        connection.execute("UPDATE render SET begun_at = now() - interval '20 seconds' WHERE id = %s", (second["id"],))
    told = queue(browser, show)
    assert (told["files"], told["proven"], told["under_way"]) == (3, 1, 2)
    assert (told["done_frames"], told["total_frames"]) == (20, 2 * (frames[1] + frames[2]))
    left = 80 * (2 * (frames[1] + frames[2]) - 20) / (2 * frames[0] + 20)
    assert told["left"] in {duration_words(left + late) for late in (0, 1, 2, 3)}
    assert files(browser, show)[1]["left"] in {duration_words(n * (2 * frames[1] - 20) / 20) for n in (20, 21, 22)}


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0, "0 s"), (89.4, "89 s"), (90, "2 min"), (754, "13 min"), (5400, "1.5 h"), (86_400, "24.0 h")],
)
def test_durations_are_said_as_people_say_them(seconds: float, words: str) -> None:
    assert duration_words(seconds) == words


def queued(browser: Browser) -> list[int]:
    """The renders that the worker is asked for."""
    with browser.database.transaction() as connection:
        rows = connection.execute(
            "SELECT (args->>'render_id')::int FROM procrastinate_jobs WHERE task_name = 'make_file' AND status = 'todo'"
        ).fetchall()
    return [int(str(row[0])) for row in rows]
