"""Clips of one name are told apart by where they lie."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oddmeter.core.planning.namesakes import folders_apart


@pytest.mark.parametrize(
    ("paths", "expected"),
    [
        (["Day 1/A/C0001.mov", "Day 1/B/C0001.mov", "Day 1/B/C0002.mov"], ["A", "B", None]),
        (["A/CLIP/C0001.mov", "B/CLIP/C0001.mov"], ["A", "B"]),
        (["A/1/c.mov", "A/2/c.mov", "B/1/c.mov"], ["A/1", "A/2", "B/1"]),
        (["c.mov", "A/c.mov"], ["", "A"]),
        (["Day 1/A/c.mov", "A/c.mov"], ["Day 1", ""]),
        (["A/c.mov", "A/C.mov"], [None, None]),
        (["A/c.mov", "A/c.mov"], [None, None]),
        (["A/c.mov", "A/c.mov", "B/c.mov"], ["A", "A", "B"]),
    ],
)
def test_the_nearest_folder_that_differs_is_named(paths: list[str], expected: list[str | None]) -> None:
    assert [folders_apart(dict(enumerate(paths))).get(number) for number in range(len(paths))] == expected


@given(st.sets(st.lists(st.sampled_from("ab"), min_size=1, max_size=4).map("/".join), min_size=1, max_size=8))
def test_whatever_lies_elsewhere_is_named_otherwise(paths: set[str]) -> None:
    found = folders_apart({path: path for path in paths})
    names = [path.rpartition("/")[2] for path in paths]
    assert found.keys() == {path for path in paths if names.count(path.rpartition("/")[2]) > 1}
    labels = {(path.rpartition("/")[2], found.get(path)) for path in paths}
    assert len(labels) == len(paths)
    assert all(folder in path for path, folder in found.items())
