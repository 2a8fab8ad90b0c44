"""Jumps in any order to frames of clips in many containers, codecs and structures of groups, each held against plain
decoding; what reads straight through for the proof agrees, and knows where frames are not what they are taken for."""

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bench.carried import KINDS
from bench.jumps import decoded, stretch, truth
from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.frame_index import FrameIndex, Group
from oddmeter.demo.framecode import read
from oddmeter.media.files.probe import probe
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.frames.decode import frames_from
from oddmeter.media.frames.straight import StraightAccess
from oddmeter.media.pictures.planes import luma_of

Clips = Callable[[str], tuple[Path, Facts, list[int | None]]]


@pytest.fixture(scope="module")
def clips(tmp_path_factory: pytest.TempPathFactory) -> Clips:
    """A clip of a kind, what the probe says of it, and the picture that each frame shows by plain decoding."""
    folder = tmp_path_factory.mktemp("carried")

    @lru_cache
    def made(name: str) -> tuple[Path, Facts, list[int | None]]:
        path = KINDS[name](folder / name)
        facts = probe(path)
        return path, facts, truth(path, facts)

    return made


@pytest.mark.parametrize("name", KINDS)
@settings(max_examples=2, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(jumps=st.lists(st.tuples(st.floats(0, 0.999), st.sampled_from([0, 1, -1, 3])), min_size=5, max_size=9),
       ahead=st.booleans())  # fmt: skip
def test_every_jump_leads_to_the_frame_of_that_number(
    name: str, clips: Clips, jumps: list[tuple[float, int]], ahead: bool
) -> None:
    path, facts, true = clips(name)
    assert facts.fault is None and facts.frames == len(true) and None not in true
    asked = [max(0, min(facts.frames - 1, int(place * facts.frames) + step)) for place, step in jumps]
    with FrameAccess(path, facts, 2, ahead=ahead) as frames, StraightAccess(path, facts) as straight:
        for number in asked:
            assert read(luma_of(frames.frame(number))) == true[number], number
            assert read(luma_of(straight.frame(number))) == true[number], number
    with frames_from(path, facts, asked[0]) as row:
        assert [read(luma_of(frame)) for frame in row] == true[asked[0] :]


@pytest.mark.parametrize("name", ["h264-closed.ts", "mpeg2.mov", "h264-open-begun-in-mid-group.ts", "h264-wrapped.ts"])
def test_a_stretch_from_the_middle_is_made_of_its_own_frames(name: str, clips: Clips, tmp_path: Path) -> None:
    path, facts, _ = clips(name)
    assert stretch(path, facts, 22, 51, tmp_path / "made" / "on.mkv") == (True, True)
    assert stretch(path, facts, 22, 51, tmp_path / "made" / "back.mkv", reverse=True) == (True, True)


def test_what_reads_straight_through_knows_an_index_that_is_wrong(clips: Clips) -> None:
    """Maker and proof share the index; where it has two frames in the wrong order, what counts them says so."""
    path, facts, _ = clips("h264-closed.mp4")
    assert facts.index is not None
    order = np.argsort(facts.index.shown)
    late = facts.index.shown.copy()
    late[order[40]], late[order[41]] = 41, 40
    groups = [facts.index.group(number) for number in range(facts.index.groups)]
    wrong = replace(facts, index=FrameIndex.of(late, facts.frames, groups, by_bytes=False, is_intra=False))
    with StraightAccess(path, wrong) as frames, pytest.raises(RuleError, match="another order than was counted"):
        frames.frame(45)


def test_a_frame_that_was_passed_must_be_the_same_when_it_is_reached_again(clips: Clips) -> None:
    path, facts, _ = clips("mpeg2.ts")
    with StraightAccess(path, facts) as frames:
        frames.frame(40)
        frames._sums[3] += 1
        with pytest.raises(RuleError, match=r"Frame 3 of mpeg2.ts is another one"):
            frames.frame(3)
        assert read(luma_of(frames.frame(5))) == 5


def test_a_clip_that_became_another_is_not_numbered_by_the_index_of_before(clips: Clips, tmp_path: Path) -> None:
    """Frames of another file are never given out under the numbers of the one that was looked at."""
    _, facts, _ = clips("h264-closed.ts")
    other = KINDS["h264-refreshed.ts"](tmp_path / "other.ts")
    with FrameAccess(other, facts) as frames, pytest.raises(RuleError, match="can be decoded"):
        frames.frame(30)


def test_what_cannot_be_decoded_at_the_start_is_no_frame_and_is_said(clips: Clips) -> None:
    _, facts, true = clips("h264-begun-in-mid-group.ts")
    assert true[0] == 15 and facts.timing is Timing.CONSTANT
    assert any("starts in the middle of a group of pictures: 8 pictures" in one for one in facts.remarks), facts.remarks
    _, facts, true = clips("h264-hidden-leading-frames.mp4")
    assert true[0] == 75 - facts.frames
    assert any(f"hides {true[0]} frames" in one for one in facts.remarks), facts.remarks


def test_places_without_a_picture_and_pictures_that_stay_are_repeats_at_a_constant_rate(clips: Clips) -> None:
    for name in ("msvideo1-empty-places.avi", "mjpeg-empty-places.avi", "mpeg4-staying.avi", "mpeg4-staying.mp4"):
        _, facts, _ = clips(name)
        assert (facts.timing, facts.file_rate and facts.file_rate.spoken) == (Timing.CONSTANT, "25"), name
        assert facts.remarks == (), name


def test_two_fields_in_packets_of_their_own_are_one_frame(clips: Clips) -> None:
    for form in ("ts", "mkv", "mp4"):
        path, facts, true = clips(f"h264-field-pairs.{form}")
        assert (facts.frames, facts.file_rate and facts.file_rate.spoken, facts.remarks) == (36, "25", ())
        assert true == decoded(path) == list(range(36))


def test_an_index_is_a_small_value_that_says_what_it_was_made_of() -> None:
    shown = [0, 3, 1, 2, -1, 6, 4, 5]
    groups = [Group(0, 0, 100, 9000, 77), Group(5, 6, 900, -1, 78), Group(7, 9, 950, 4, 77)]
    index = FrameIndex.of(shown, 8, groups, by_bytes=True, is_intra=False)
    again = FrameIndex(index.packed)
    assert (again.frames, again.by_bytes, again.is_intra, again.groups) == (8, True, False, 3)
    assert again.shown.tolist() == shown and [again.group(number) for number in range(3)] == groups
    assert [again.picture_of(number) for number in range(8)] == [0, 1, 2, 3, 4, 5, 6, 6]
    assert [again.group_before(number) for number in (0, 5, 6, 8, 9)] == [0, 0, 1, 1, 2]
    assert (again.group_with(-1, 78), again.group_with(950, 77), again.group_with(5, 77)) == (1, 2, None)
    assert again.digests == {0: 77, 5: 78, 7: 77} and again.group_with(100, 99) is None
