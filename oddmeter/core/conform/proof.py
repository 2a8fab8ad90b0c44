"""The outcome of holding a made file against its plan."""

from dataclasses import dataclass

MOST_NAMED = 50
"""So many wrong frames are named at most."""


@dataclass(frozen=True)
class Check:
    """One thing compared: what was planned, what was found, in words, and whether they agree."""

    name: str
    planned: str
    found: str
    passed: bool

    @staticmethod
    def of_equal(name: str, planned: object, found: object) -> "Check":
        """Whether two values are the same in words."""
        return Check(name, str(planned), str(found), str(planned) == str(found))


@dataclass(frozen=True)
class Proof:
    """The outcome of holding a made file against its plan.

    ``wrong_frames`` names the first timeline frames (at most ``MOST_NAMED``) that are not what was planned;
    ``too_still`` counts frames whose source hardly changes, so that a repeat cannot be determined.
    """

    checks: tuple[Check, ...]
    wrong_frames: tuple[int, ...] = ()
    too_still: int = 0

    @property
    def passed(self) -> bool:
        """True where every check agrees."""
        return all(check.passed for check in self.checks)
