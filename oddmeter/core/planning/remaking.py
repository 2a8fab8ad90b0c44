"""Why a file that was made would be made again: what is another now than it was then."""

from enum import StrEnum


class Change(StrEnum):
    """One thing that is another than when a file was made."""

    DECISION = "decision"
    SOURCE = "source"
    CUT = "cut"
    TIMELINE = "timeline"
    SETTING = "setting"
    TOOL = "tool"
    GONE = "gone"


WORDS = {
    Change.DECISION: "decisions changed",
    Change.SOURCE: "the source, or what is known of it, changed",
    Change.CUT: "the cut changed",
    Change.TIMELINE: "the timeline’s rate, raster, scan or sound rate changed",
    Change.SETTING: "the setting changed",
    Change.TOOL: "it was made by another version of Odd Meter",
    Change.GONE: "its file is no longer there",
}
"""What each means, as it stands behind a file's name."""


def words_of(changes: tuple[Change, ...]) -> str:
    """Several changes as one sentence part; empty for none."""
    return "; ".join(WORDS[change] for change in changes)
