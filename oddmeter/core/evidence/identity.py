"""Identities: what shows whether a file is still the one that was looked at."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Identity:
    """What identifies a file's content: ``size`` in bytes, ``changed`` (nanoseconds since 1970 of its last change),
    ``samples``, a hash of some of its content, and ``whole``, of all of it, where that was asked for."""

    size: int
    changed: int
    samples: str
    whole: str | None = None

    def is_same_as(self, now: "Identity") -> bool:
        """True where a file identified ``now`` holds what this one did, as far as both know it. A time of change alone
        makes no other file: copying sets it."""
        if self.whole is not None and now.whole is not None and self.whole != now.whole:
            return False
        return (self.size, self.samples) == (now.size, now.samples)


CHANGED = "The file has changed since it was looked at. Look at it again; what is decided stays."
