"""Shelf: small files that can be made again, kept by key in a folder of bounded size; and what is under way, made once
for all who ask for it."""

import os
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from pathlib import Path
from threading import Lock
from typing import Generic, TypeVar

_KEPT_BYTES, _PRUNE_EVERY = 600 << 20, 200

T = TypeVar("T")


class UnderWay(Generic[T]):
    """What is being made by key, once for all who ask for it at the same time."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._making: dict[Hashable, Future[T]] = {}

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """What ``make`` makes, or what somebody else is making under that key by now; raises what that raised."""
        with self._lock:
            waiting = self._making.get(key)
            making = self._making.setdefault(key, Future())
        if waiting is not None:
            return waiting.result()
        try:
            made = make()
            making.set_result(made)
        except BaseException as error:
            making.set_exception(error)
            raise
        finally:
            with self._lock:
                del self._making[key]
        return made


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
