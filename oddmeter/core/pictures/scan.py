"""Scan: how the lines of a picture are told apart in time."""

from enum import StrEnum


class Scan(StrEnum):
    """Whether a frame of a clip holds one moment or, in its two fields, two."""

    PROGRESSIVE = "progressive"
    INTERLACED = "interlaced"
    UNKNOWN = "unknown"


class FieldOrder(StrEnum):
    """Which field of a frame comes first in time."""

    UPPER = "upper"
    LOWER = "lower"

    @property
    def other(self) -> "FieldOrder":
        """The field that comes second."""
        return FieldOrder.LOWER if self is FieldOrder.UPPER else FieldOrder.UPPER


class TimelineScan(StrEnum):
    """How a timeline's frames are scanned: whole, or in two fields of which the named one comes first."""

    PROGRESSIVE = "progressive"
    UPPER = "upper"
    LOWER = "lower"

    @property
    def first(self) -> FieldOrder | None:
        """The field that comes first; None where frames are whole."""
        return None if self is TimelineScan.PROGRESSIVE else FieldOrder(self.value)

    @property
    def words(self) -> str:
        """As people say it: ``progressive``, ``interlaced, lower first``."""
        return self.value if self is TimelineScan.PROGRESSIVE else f"interlaced, {self.value} first"


TIMELINE_SCANS: tuple[tuple[str, str], ...] = tuple((scan.value, scan.words) for scan in TimelineScan)
"""The scans to choose from, each exact and in words."""
