"""Shelf: small files that can be made again, kept by key in a folder of bounded size."""

import os
from pathlib import Path

_KEPT_BYTES, _PRUNE_EVERY = 600 << 20, 200


class Shelf:
    """Small files kept in a folder by key, not more than so many bytes in all."""

    def __init__(self, folder: Path, most: int = _KEPT_BYTES) -> None:
        self.folder, self._most, self._written = folder, most, 0

    def get(self, key: str) -> bytes | None:
        """What is kept under a key."""
        try:
            data = self._place(key).read_bytes()
        except OSError:
            return None
        return data or None

    def has(self, key: str) -> bool:
        """True where something is kept under a key."""
        return self._place(key).exists()

    def put(self, key: str, data: bytes) -> None:
        """Keep something; where that fails, it is just not kept."""
        place = self._place(key)
        unfinished = place.with_suffix(f".{os.getpid()}.part")
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            unfinished.write_bytes(data)
            unfinished.replace(place)
        except OSError:
            return
        self._written += 1
        if self._written % _PRUNE_EVERY == 0:
            self.prune()

    def prune(self) -> None:
        """Take away the oldest until there is not too much."""
        found = []
        for place in self.folder.glob("*/*"):
            try:
                about = place.stat()
            except OSError:
                continue
            found.append((about.st_mtime_ns, about.st_size, place))
        total = sum(size for _, size, _ in found)
        for _, size, place in sorted(found):
            if total <= self._most:
                return
            place.unlink(missing_ok=True)
            total -= size

    def _place(self, key: str) -> Path:
        return self.folder / key[:2] / key
