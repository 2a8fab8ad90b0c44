"""Cuts between like shots that move, and what is none, drawn by the script that measures them."""

import pytest

from bench import cuts


@pytest.mark.parametrize("motion", cuts.MOTIONS)
@pytest.mark.parametrize("likeness", cuts.LIKENESS[:2])
def test_a_cut_between_like_shots_is_found_however_they_move(likeness: str, motion: str) -> None:
    for seed in (210, 211):
        assert cuts.ours(cuts.clip(seed, likeness, motion)) == [cuts.CUT], seed


@pytest.mark.parametrize("what", cuts.NO_CUT)
def test_what_is_no_cut_is_not_taken_for_one(what: str) -> None:
    for seed in (210, 211, 212):
        assert cuts.ours(cuts.without(seed, what)) == [], seed
