"""The shelf, and what is under way: made once for all who ask for it, and made again where that failed."""

import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from oddmeter.media.shelf import Shelf, UnderWay


def test_what_many_ask_for_is_made_once() -> None:
    under_way: UnderWay[int] = UnderWay()
    begun, go = threading.Event(), threading.Event()
    made: list[str] = []

    def make(key: str) -> int:
        made.append(key)
        begun.set()
        assert go.wait(300)
        return len(key)

    with ThreadPoolExecutor(6) as pool:
        first = pool.submit(under_way.once, "tide", lambda: make("tide"))
        assert begun.wait(300)
        others = [pool.submit(under_way.once, "tide", lambda: make("tide")) for _ in range(4)]
        another = pool.submit(under_way.once, "bells", lambda: make("bells"))
        go.set()
        assert [one.result(300) for one in (first, *others, another)] == [4] * 5 + [5]
    assert sorted(set(made)) == ["bells", "tide"] and made.count("bells") == 1
    assert under_way.once("tide", lambda: 9) == 9, "what is done is asked for anew"


def test_what_fails_fails_for_all_who_wait_and_can_be_asked_again() -> None:
    under_way: UnderWay[int] = UnderWay()

    def fail() -> int:
        raise ValueError("the tide is out")

    with pytest.raises(ValueError, match="the tide is out"):
        under_way.once("tide", fail)
    assert under_way.once("tide", lambda: 1) == 1


def test_a_shelf_keeps_no_more_than_it_may(tmp_path: Path) -> None:
    shelf = Shelf(tmp_path / "shelf", most=5_000)
    for number in range(40):
        shelf.put(f"{number:02d}key", bytes([number]) * 400)
    shelf.prune()
    kept = [number for number in range(40) if shelf.has(f"{number:02d}key")]
    assert 0 < len(kept) <= 12
    for number in kept:
        assert shelf.get(f"{number:02d}key") == bytes([number]) * 400
    assert shelf.get("nothing") is None
